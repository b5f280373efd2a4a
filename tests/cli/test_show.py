"""`breadcrumb show`: what was there, what happened around a frame, what differs, in words and as JSON."""

import json
import re
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess
from typing import Any

import pytest

from breadcrumb import Recorder, open_trace

Cli = Callable[..., CompletedProcess[str]]

SHOWN = {
    "an object": (["--object", "heron"], [r"heron +skiff, 1 lifetime", r"speed +m/s +0 +6 ", r"resting +false +true in 24% .* 16\b",
                                          r"whirlpool\.moved +8 +111 \(1\.850 s\)"]),
    "an object of many lifetimes": (["--object", "flare-1"], [r"flare-1 +flare, \d+ lifetimes", r" 1 +80 \(1\.333 s\) +80 \(1\.333 s\) +186 "]),
    "an event": (["--event", "whirlpool.moved"], [r"gaps: 0\.1667 s minimum, 3\.317 s median, 11\.62 s maximum",
                                                  r"121 +2\.017 +0\.1667 s +tern +whirlpool-east +from=whirlpool-west"]),
    "an event that did not happen": (["--event", "error"], [r"error +never happened|error"]),
    "around a frame": (["--around", "111"], [r"frame 111 \(1\.850 s\), and 0\.5 s around it", r"> +111 +1\.850 +change +heron +resting: false -> true",
                                             r"100 .* input +player +input\.boom +on boom +value=n", r"120 .* appears +rocket-1",
                                             r"heron +position +\(-17, 4, 0\) +\(15\.092, -3\.6, 0\) +\(15\.192, -3\.6, 0\)"]),
    "around a time": (["--around", "1.86s", "--within", "0.01"], [r"frame 111 \(1\.850 s\), and 0\.01 s", r"> +111 .*whirlpool\.moved"]),
    "one object around a frame": (["--around", "111", "--object", "heron"], [r"^frame 111.*\n.*\n(.*heron.*\n)+"]),
    "on a frame": (["--at", "0"], [r"heron +position +\(-22, 4, 0\) +m", r"lamp-quay +position .*\n(.*\n)+ +burning +false"]),
    "two frames": (["--at", "110", "--at", "111"], [r"frame 110 +frame 111", r"heron +position .*\n +resting +false +true"]),
}  # fmt: skip
WRONG = {
    "a name that is nearly right": (["--object", "herring"], "did you mean 'heron'?"),
    "an event": (["--event", "bell.rang"], "did you mean 'bell.rung'?"),
    "a frame": (["--around", "9999"], "nothing at frame 9999; it goes from frame 0 (0.000 s) to 4320 (72.000 s)"),
    "a time": (["--at", "99s"], "nothing at 99 s"),
    "no frame": (["--at", "soon"], "expected a frame such as 111, or seconds such as 1.85s; found 'soon'"),
}


@pytest.mark.parametrize("name", SHOWN)
def test_a_part_of_a_trace_is_shown(name: str, cli: Cli, bay: Callable[..., Path]) -> None:
    """Each option tells what a tester would look for, on the demo's session."""
    options, rows = SHOWN[name]
    done = cli("show", bay(), *options)
    assert (done.returncode, done.stderr) == (0, "")
    for row in rows:
        assert re.search(row, done.stdout), f"{row}\n{done.stdout}"


def test_what_does_not_change_is_not_among_the_differences(cli: Cli, bay: Callable[..., Path]) -> None:
    """Of two frames only what is not the same on both is shown."""
    said = cli("show", bay(), "--at", "110", "--at", "111").stdout
    assert "buoy-1" in said
    assert "rock" not in said
    assert "warmth" not in said


@pytest.mark.parametrize("name", WRONG)
def test_what_is_not_there_is_said(name: str, cli: Cli, bay: Callable[..., Path]) -> None:
    """A wrong name or time ends with exit code 2 and words that help."""
    options, words = WRONG[name]
    done = cli("show", bay(), *options)
    assert done.returncode == 2
    assert words in done.stderr
    assert "Traceback" not in done.stderr


@pytest.mark.parametrize("name", SHOWN)
def test_all_that_is_shown_is_there_as_json(name: str, cli: Cli, bay: Callable[..., Path]) -> None:
    """`--json` tells the same as data, without a limit, and nothing that JSON does not have."""
    done = cli("show", bay(), *SHOWN[name][0], "--json")

    def refuse(constant: str) -> Any:
        raise AssertionError(constant)

    assert json.loads(done.stdout, parse_constant=refuse)


def test_the_json_of_a_trace_has_its_numbers(cli: Cli, bay: Callable[..., Path]) -> None:
    """Ranges, counts and changes in the JSON are those of the signals."""
    facts = json.loads(cli("show", bay(), "--json").stdout)
    trace = open_trace(bay()).without_restarts()
    kinds = {one["kind"]: {each["name"]: each for each in one["properties"]} for one in facts["kinds"]}
    speed = trace.all("skiff").speed
    told = kinds["skiff"]["speed"]
    assert (told["least"], told["most"]) == (speed.values.min(), speed.values.max())
    assert told["mean"] == pytest.approx(speed.values.mean())
    assert told["changes"] == [speed.changes().count]
    assert {one["name"]: one["times"] for one in facts["events"]}["bell.rung"] == trace.events("bell.rung").count
    assert facts["frames"] == trace.clock.size


def test_a_flood_of_errors_is_one_line(cli: Cli, tmp_path: Path) -> None:
    """A message that came hundreds of times is told once, with its count; so are equal events of one frame."""
    with Recorder(tmp_path / "it.crumbs") as rec:
        for frame in range(3):
            for _ in range(150):
                rec.event("error", by="hatch", data={"message": "roll is empty", "line": 3})
            rec.event("error", by="gull", data={"message": "no perch [red]"})
            rec.frame(frame / 10)
    said = cli("show", "it.crumbs").stdout
    assert re.search(r"roll is empty +450 +0 \(0\.000 s\) +2 \(0\.200 s\) +0 s +hatch", said)
    assert re.search(r"no perch \[red\] +3 ", said)
    lines = cli("show", "it.crumbs", "--around", "1").stdout.splitlines()
    assert sum("roll is empty" in line for line in lines) == 3
    assert sum("x150" in line for line in lines) == 3


def test_a_session_that_begins_late_says_how_long_it_is(tmp_path: Path, cli: Cli) -> None:
    """Its length is counted from its own first frame; what happened once on a frame is not counted in words."""
    with Recorder(tmp_path / "late.crumbs") as rec:
        for frame in range(4):
            rec.event("tap")
            for _ in range(2):
                rec.event("knock")
            rec.frame(100.0 + frame / 2)
    assert "; 1.500 s of game time, 2 frames a second" in cli("show", "late.crumbs").stdout
    lines = cli("show", "late.crumbs", "--around", "1").stdout.splitlines()
    assert {line.split("tap")[1].strip() for line in lines if " tap" in line} == {""}
    assert {line.split("knock")[1].strip() for line in lines if " knock" in line} == {"x2"}
