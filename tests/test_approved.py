"""What the library says of each outcome, and how the demo plays, is what was looked at and approved."""

import sys
from collections.abc import Callable
from difflib import unified_diff
from pathlib import Path
from typing import Any

import pytest

import approved
from breadcrumb import open_trace
from commanded import said

ANEW = "if that is as it should be, run: PYTHONPATH=tests/shared python tests/shared/approved.py"


def _same(file: str, text: str) -> None:
    before = (approved.FOLDER / file).read_text()
    differences = list(unified_diff(before.splitlines(), text.splitlines(), "approved", "now", n=1, lineterm=""))
    assert not differences, "\n".join([*differences[:40], ANEW])


@pytest.mark.parametrize("file", ["explanations.txt", "findings.jsonl", "algebra.txt", "times.txt"])
def test_what_it_says_is_what_was_approved(file: str) -> None:
    """Explanations, their data, and what the algebra gives are word for word and number for number the same."""
    _same(file, getattr(approved, file.partition(".")[0])())


def test_commands_say_and_write_what_was_approved(tmp_path: Path, cli: Callable[..., Any]) -> None:
    """Every command on two small sessions: its words, its exit code, and the files that it writes."""
    _same("commands.txt", said(cli, tmp_path))


@pytest.mark.skipif(sys.platform != "linux", reason="a sine differs in its last digit, and the barrels bounce on")
@pytest.mark.parametrize("seed", approved.SEEDS)
def test_the_demo_plays_as_it_was_approved(seed: int, bay: Callable[..., Path]) -> None:
    """Every property and event of a session is as it was: how many values, their ends, their mean, their extremes."""
    _same(f"session-{seed}.txt", approved.session(open_trace(bay(seed=seed))))
