"""The game on pymunk, recorded in process through the engine's own contact callbacks."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from breadcrumb import Trace, compare, open_trace
from breadcrumb.run.running import run_checks

if "BREADCRUMB_CI" not in os.environ:  # there, an engine that is not installed is a failure and no reason to skip
    pytest.importorskip("pymunk")

CHANGES = {
    "": set(),
    "ELASTICITY=0.9": {"check_kegs_bounce_off_the_walls"},
    "RELEASE_EVERY=1.5": {"check_kegs_come_every_two_seconds"},
    "TAKEN_UP_AFTER=3": {"check_a_keg_in_the_net_is_taken_up_once"},
}


@pytest.mark.parametrize("change", CHANGES)
def test_a_changed_constant_turns_exactly_the_right_check_red(change: str, examples: Path, tmp_path: Path) -> None:
    """Unchanged, the game passes every check; with a change, the one breaks that is about the constant."""
    folder, trace = examples / "kegs", tmp_path / "kegs.crumbs"
    options = ["--change", change] if change else []
    subprocess.run([sys.executable, str(folder / "record_kegs.py"), str(trace), *options], check=True, timeout=120)
    run = run_checks([folder / "check_kegs.py"], [trace])
    assert {result.check.name for result in run.with_outcome("broken")} == CHANGES[change]
    assert run.exit_code == bool(change)


BEHAVIOUR = {
    "": "",
    "ELASTICITY=0.9": "keg.position acceleration: ",
    "RELEASE_EVERY=1.5": "interval: always different",
    "TAKEN_UP_AFTER=3": "ends with: no event is new",
}


@pytest.fixture(scope="module")
def seven(examples: Path, tmp_path_factory: pytest.TempPathFactory) -> list[Trace]:
    """Seven sessions of the game as it is."""
    folder = tmp_path_factory.mktemp("good")
    for seed in range(1, 8):
        command = [
            sys.executable,
            str(examples / "kegs/record_kegs.py"),
            str(folder / f"{seed}.crumbs"),
            "--seed",
            str(seed),
        ]
        subprocess.run(command, check=True, timeout=120)
    return [open_trace(path) for path in sorted(folder.iterdir())]


@pytest.mark.parametrize("change", BEHAVIOUR)
def test_a_changed_constant_is_named_first(change: str, seven: list[Trace], examples: Path, tmp_path: Path) -> None:
    """Compared with seven sessions of other play, one names the parameter first, then what it does; unchanged, nothing."""
    trace, options = tmp_path / "kegs.crumbs", ["--change", change] if change else []
    command = [sys.executable, str(examples / "kegs/record_kegs.py"), str(trace), "--seed", "50", *options]
    subprocess.run(command, check=True, timeout=120)
    firsts = [f"{group.first.name} {group.first.words}" for group in compare(seven, open_trace(trace)).groups]
    assert firsts[:1] == ([f"{change.partition('=')[0].lower()} differs"] if change else [])
    assert len(firsts) > 1 or not change
    assert BEHAVIOUR[change] in " ".join(firsts[1:2])


@pytest.mark.parametrize("smaller", [0.0, 0.01])
def test_shapes_touch_when_the_engine_says_so(smaller: float, examples: Path, tmp_path: Path) -> None:
    """Of twenty bodies that tumble, those touch that the engine's callbacks tell; with smaller shapes, others do."""
    folder, trace = examples / "kegs", tmp_path / "tumble.crumbs"
    script = (folder / "record_tumble.py").read_text("utf-8")
    changed = script.replace("Shape.circle(shape.radius,", f"Shape.circle(shape.radius * {1 - smaller},")
    (tmp_path / "record.py").write_text(changed, "utf-8")
    subprocess.run([sys.executable, str(tmp_path / "record.py"), str(trace)], check=True, timeout=120)
    run = run_checks([folder / "check_tumble.py"], [trace])
    wrong = {"check_shapes_touch_when_the_engine_says_so"} if smaller else set()
    assert {result.check.name for result in run.results if result.outcome != "held"} == wrong
