"""The game on matter-js in Node, recorded over a socket."""

import os
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

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
