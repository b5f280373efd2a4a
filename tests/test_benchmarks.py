"""The benchmarks: what they are about is complete."""

from importlib import import_module
from pathlib import Path

import pytest

SUBJECTS = ("movement", "collisions", "triggers", "spawns", "values", "rays", "session")
NO_CHECKS = {"touching", "first_hit"}


def test_every_check_has_a_row_in_the_benchmark_of_checks(monkeypatch: pytest.MonkeyPatch) -> None:
    """Each check is called in `benchmarks/every_check.py`, or the reason why it is not stands beside the calls."""
    monkeypatch.syspath_prepend(str(Path(__file__).parents[1] / "benchmarks"))
    calls = import_module("calls")
    rows = {name.rpartition(".")[2] for name in (*calls.CALLS, *calls.LIVES, *calls.NOT_MEASURED)}
    checks = {one for subject in SUBJECTS for one in import_module(f"breadcrumb.checks.{subject}").__all__}
    assert rows == checks - NO_CHECKS
