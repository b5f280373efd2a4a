"""Checking sessions as they end, while other games go on sending."""

import json
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess
from typing import Any

import pytest

Cli = Callable[..., CompletedProcess[str]]
CHECKS = """
from breadcrumb import judge


def check_kegs_stay_low(trace):
    assert judge(trace.all("keg").y < 3, "kegs stay low")


def check_a_bell_rings(trace):
    assert judge(trace.events("ring").count > 0, "a bell rings") if "ring" in trace.event_names else judge(True, "no bell")
"""


def lines(name: str, *heights: float, end: bool = True) -> list[str]:
    """Return the frame lines of a keg at some heights."""
    told: list[dict[str, Any]] = [{"breadcrumb": 2, "about": {"name": name}}]
    for frame, y in enumerate(heights):
        appear = {"appear": [{"id": "keg-1", "kind": "keg"}]} if frame == 0 else {}
        told.append({"frame": frame, "t": frame / 10, **appear, "state": {"keg-1": {"x": 0.0, "y": y}}})
    return [json.dumps(one) for one in (*told, *([{"end": True}] if end else []))]


@pytest.fixture
def checks(tmp_path: Path) -> str:
    """The check file."""
    (tmp_path / "check_kegs.py").write_text(CHECKS)
    return "check_kegs.py"


def test_a_session_is_checked_soon_after_it_ends_while_another_goes_on(listen: Callable[..., Any], checks: str) -> None:
    """What broke is told by its frame, and the other game is not waited for."""
    listening = listen("--check", checks)
    going, ending = listening.connect(), listening.connect()
    going.sendall("".join(f"{line}\n" for line in lines("calm", 1, 2, end=False)).encode())
    ending.sendall("".join(f"{line}\n" for line in lines("wild", 1, 2, 9)).encode())
    said = listening.lines_until("BROKEN")
    assert "wild-1.crumbs checked: 1 broken, 1 held" in "".join(said)
    assert "check_kegs_stay_low: frame 2 (0.200 s)  keg-1: y is 6 too high" in said[-1]
    going.sendall(b'{"end": true}\n')
    assert "calm-1.crumbs checked: 2 held" in listening.lines_until("checked")[-1]
    listening.stop(code=1)


def test_a_session_that_ends_because_the_listener_stops_is_checked_too(listen: Callable[..., Any], checks: str) -> None:
    """After Ctrl-C, no session is left unchecked: one that was broken off, and one that has just ended, count."""
    listening = listen("--check", checks)
    going, ending = listening.connect(), listening.connect()
    going.sendall("".join(f"{line}\n" for line in lines("wild", 1, 9, end=False)).encode())
    listening.lines_until("wild-1.crumbs begins")
    ending.sendall("".join(f"{line}\n" for line in lines("calm", 1, 2)).encode())
    listening.lines_until("calm-1.crumbs ends")
    said = listening.stop(code=1)
    assert ("calm-1.crumbs checked: 2 held" in said, "wild-1.crumbs checked: 1 broken" in said) == (True, True), said


def test_a_listener_that_checked_nothing_does_not_pass(listen: Callable[..., Any], checks: str) -> None:
    """Without a session the exit code is 2, as it is of the check command without a trace."""
    listen("--check", checks).stop(code=2)


@pytest.mark.parametrize(("height", "code"), [(1.0, 0), (9.0, 1)])
def test_a_file_is_checked_once_it_is_whole(height: float, code: int, checks: str, tmp_path: Path, cli: Cli) -> None:
    """The exit code is that of the checks, as the check command has it."""
    (tmp_path / "it.jsonl").write_text("\n".join(lines("it", 1, height)) + "\n")
    done = cli("listen", "it.jsonl", "--check", checks)
    assert (done.returncode, "it-1.crumbs checked: " in done.stdout) == (code, True), done.stdout + done.stderr


def test_a_check_file_that_cannot_be_loaded_is_told_before_a_game_connects(tmp_path: Path, cli: Cli) -> None:
    """The listener does not begin."""
    (tmp_path / "check_it.py").write_text("def check_it(trace)\n")
    done = cli("listen", "--check", "check_it.py", "--port", "0")
    assert (done.returncode, "check_it.py" in done.stderr, "listening" in done.stdout) == (2, True, False)
