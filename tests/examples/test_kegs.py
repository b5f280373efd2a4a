"""The game on pymunk, recorded in process through the engine's own contact callbacks."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

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
    assert {result.check.name for result in run.of("broken")} == CHANGES[change]
    assert run.exit_code == bool(change)
