"""The game on matter-js in Node, recorded over a socket."""

import os
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from breadcrumb import Trace, compare, open_trace
from breadcrumb.run.running import run_checks

MISSING = [name for name in ("node", "npm") if shutil.which(name) is None]
pytestmark = pytest.mark.skipif(
    bool(MISSING) and "BREADCRUMB_CI" not in os.environ, reason=f"{' and '.join(MISSING)} not installed"
)

CHANGES: dict[str, set[str]] = {
    "": set(),
    "seed": set(),
    "GRAVITY=0.8": {"check_a_crate_lands_in_time_and_rings_once"},
    "DROP_EVERY=1.5": {"check_crates_come_every_two_seconds"},
    "STAYS=5": {"check_a_crate_is_taken_away_after_four_seconds"},
    "RINGS=2": {"check_a_crate_lands_in_time_and_rings_once"},
}


@pytest.fixture(scope="module")
def game(examples: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The game with its engine, in a copy of the examples."""
    copy = tmp_path_factory.mktemp("copy")
    for part in ("examples/crates", "clients/javascript"):
        shutil.copytree(examples.parent / part, copy / part)
    folder = copy / "examples" / "crates"
    subprocess.run(["npm", "install", "--silent", "--no-audit", "--no-fund"], cwd=folder, check=True, timeout=120)
    return folder


def test_shapes_touch_when_the_engine_says_so(game: Path, listen: Callable[..., Any], examples: Path) -> None:
    """Of twenty bodies that tumble, those touch by their recorded shapes that the engine's own events tell."""
    listening = listen()
    subprocess.run(["node", "play_tumble.js", "--port", str(listening.port)], cwd=game, check=True, timeout=60)
    listening.trace("Tumble-1.crumbs")
    run = run_checks([examples.parent / "examples/kegs/check_tumble.py"], [listening.out / "Tumble-1.crumbs"])
    assert (len(run.with_outcome("held")), run.exit_code) == (3, 0)


@pytest.mark.parametrize("change", CHANGES)
def test_a_changed_constant_turns_exactly_the_right_check_red(
    change: str, game: Path, listen: Callable[..., Any]
) -> None:
    """Unchanged, the game passes every check, whatever the seed; a change breaks the one that is about the constant."""
    listening = listen()
    options = ["--seed", "8"] if change == "seed" else ["--change", change] if change else []
    command = ["node", "play_crates.js", "--port", str(listening.port), *options]
    subprocess.run(command, cwd=game, check=True, timeout=60)
    listening.trace("Crates-1.crumbs")
    run = run_checks([game / "check_crates.py"], [listening.out / "Crates-1.crumbs"])
    assert {result.check.name for result in run.with_outcome("broken")} == CHANGES[change]
    assert run.exit_code == bool(CHANGES[change])


FIRST: dict[str, tuple[str, ...]] = {
    # what is changed: what differs first, how, in the references, and in the candidate
    "GRAVITY=0.8": ("crate", "duration: always different", "4.85 s", "4.967 s"),  # it falls longer
    "DROP_EVERY=1.5": ("crate", "interval: shorter than in any reference", "at least 2 s", "1.5 s"),
    "STAYS=5": ("crate", "duration: always different", "4.85 s", "5.85 s"),
    "RINGS=2": ("porter.rung", "interval: shorter than in any reference", "at least 2 s", "0 s"),
}


def test_a_changed_constant_is_named_first(game: Path, listen: Callable[..., Any]) -> None:
    """Compared with seven sessions of other play, a session says first what was changed; unchanged, it is alike."""
    listening, played = listen(), list[str]()

    def play(*options: str) -> Trace:
        command = ["node", "play_crates.js", "--port", str(listening.port), *options]
        subprocess.run(command, cwd=game, check=True, timeout=60)
        played.append(f"Crates-{len(played) + 1}.crumbs")
        listening.trace(played[-1])
        return open_trace(listening.out / played[-1])

    seven = [play("--seed", str(seed)) for seed in range(1, 8)]
    assert compare(seven, play("--seed", "50")).alike
    for change, first in FIRST.items():
        found = compare(seven, play("--seed", "50", "--change", change)).first
        assert found is not None
        assert (found.name, found.words, found.reference, found.candidate) == first
