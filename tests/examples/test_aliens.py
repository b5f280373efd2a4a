"""The example game of pygame-ce, recorded as it is and with one constant changed from outside."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from breadcrumb import Trace, compare, open_trace
from breadcrumb.run.running import run_checks

if "BREADCRUMB_CI" not in os.environ:  # there, a game that is not installed is a failure and no reason to skip
    pytest.importorskip("pygame")

CHANGES = {
    "Shot.speed=-9": "check_shots_move_at_a_constant_speed",
    "MAX_SHOTS=4": "check_only_so_many_shots_are_in_the_air",
    "Explosion.defaultlife=10": "check_explosions_last",
}


def _record(examples: Path, folder: Path, *words: str) -> list[Path]:
    script = examples / "aliens" / "record_aliens.py"
    done = subprocess.run(
        [sys.executable, str(script), str(folder), *words], capture_output=True, text=True, check=True, timeout=120
    )
    return [Path(line) for line in done.stdout.splitlines()]


def test_the_game_as_it_is_passes_every_check(examples: Path, tmp_path: Path) -> None:
    """A minute of seeded games, one trace each, breaks nothing and leaves no check unexercised."""
    traces = _record(examples, tmp_path)
    run = run_checks([examples / "aliens" / "check_aliens.py"], traces)
    assert run.exit_code == 0, [result.error for result in run.with_outcome("error")]
    assert len(traces) > 1


@pytest.mark.parametrize("change", CHANGES)
def test_a_changed_constant_turns_exactly_the_right_check_red(change: str, examples: Path, tmp_path: Path) -> None:
    """Only the check that is about the constant breaks."""
    traces = _record(examples, tmp_path, "--change", change)
    run = run_checks([examples / "aliens" / "check_aliens.py"], traces)
    assert {result.check.name for result in run.with_outcome("broken")} == {CHANGES[change]}
    assert run.with_outcome("error") == ()


FIRST = {
    "Shot.speed=-9": ("shot.position", "steady speed: always different", "440 px/s", "360 px/s"),
    "MAX_SHOTS=4": ("shot", "number at a time: higher than in any reference", "at most 2", "3"),
    "Explosion.defaultlife=10": ("explosion", "duration: always different", "0.3 s", "0.25 s"),
}


@pytest.fixture(scope="module")
def references(examples: Path, tmp_path_factory: pytest.TempPathFactory) -> list[Trace]:
    """Seven games as they are."""
    traces = _record(examples, tmp_path_factory.mktemp("good"))
    return [open_trace(path) for path in traces[:7]]


@pytest.mark.parametrize("change", FIRST)
def test_a_changed_constant_is_named_first(
    change: str, references: list[Trace], examples: Path, tmp_path: Path
) -> None:
    """Compared with seven games of other play, a game says first what was changed, with both values."""
    trace, *_ = _record(examples, tmp_path, "--seed", "501", "--change", change)
    first = compare(references, open_trace(trace)).first
    assert first is not None
    assert (first.name, first.words, first.reference, first.candidate) == FIRST[change]


def test_another_game_is_alike(references: list[Trace], examples: Path, tmp_path: Path) -> None:
    """Games as they are, which were played otherwise, do nothing that none of seven others does."""
    for trace in _record(examples, tmp_path, "--seed", "30"):
        assert compare(references, open_trace(trace)).groups == (), trace
