"""The same session told otherwise: later, under other names, in another order, or with a lifetime cut in two."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from breadcrumb import Trace, Verdict
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.reading import read_journal
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.store.memory import trace_from_journal
from vocabulary import ROWS

Line = dict[str, Any]


def _later(line: Line) -> Line:
    """Begin 100 s and 1,000 frames later."""
    return {**line, "frame": line["frame"] + 1000, "t": line["t"] + 100} if "frame" in line else line


def _interleaved(line: Line) -> Line:
    """Tell of the objects in another order."""
    state = dict(reversed(line.get("state", {}).items()))
    return (
        {**line, **({"state": state} if state else {}), "appear": line.get("appear", [])[::-1]}
        if "frame" in line
        else line
    )


def _renamed(line: Line) -> Line:
    """Call b something that sorts before a."""
    renamed: Line = json.loads(json.dumps(line).replace('"b"', '"B"'))
    return renamed


def _in_float32(line: Line) -> Line:
    """Tell numbers with the digits that a float of 32 bits has."""

    def short(value: Any) -> Any:
        if isinstance(value, dict | list):
            return {k: short(one) for k, one in value.items()} if isinstance(value, dict) else [short(v) for v in value]
        return float(np.float32(value)) if isinstance(value, float) else value

    return {**line, "state": short(line["state"])} if "state" in line else line


RESTATED: dict[str, Callable[[Line], Line]] = {"later": _later, "interleaved": _interleaved, "renamed": _renamed}
LOSES_DIGITS = 1e-6  # a time that is 100 s later has fewer digits left for its fraction


def _retold(trace: Trace, change: Callable[[Line], Line], path: Path) -> Trace:
    writer = SessionWriter(lambda about: path)
    for line in frame_lines(trace.data):
        writer.take(json.dumps(change(json.loads(line))).encode())
    writer.close()
    return Trace(trace_from_journal(read_journal(path / FILE_NAME), "retold"))  # in memory, which takes less time


EXACT = {"never_rises", "keeps_velocity"}
"""Rules without a tolerance: fewer digits are a change, unless the property is declared to have so few."""


@pytest.mark.parametrize("name", [name for name, row in ROWS.items() if row.margin is not None and name not in EXACT])
def test_fewer_digits_change_no_outcome(name: str, tmp_path: Path) -> None:
    """Values with the precision of 32-bit floats have the same verdict, within their noise."""
    row = ROWS[name]
    for number, trace in enumerate((row.held, row.broken)):
        mine, yours = row.check(trace), row.check(_retold(trace, _in_float32, tmp_path / f"{number}.crumbs"))
        assert (yours.outcome, yours.breach_count) == (mine.outcome, mine.breach_count)
        if mine.margin is not None:
            assert yours.margin is not None
            assert yours.margin.value == pytest.approx(mine.margin.value, abs=1e-4)


TOLD_BY_MORE = {
    "keeps_types": "the recorder's notes",
    "same_at_any_rate": "another session",
    "same_as": "another session",
    "consistent_with": "other sessions",
}


@pytest.mark.parametrize("how", RESTATED)
@pytest.mark.parametrize("name", [name for name in ROWS if name not in TOLD_BY_MORE])
def test_the_same_session_told_otherwise_has_the_same_verdict(name: str, how: str, tmp_path: Path) -> None:
    """Shifting time, renaming ids and interleaving objects change no outcome, no count and no margin."""
    row = ROWS[name]
    for number, trace in enumerate((row.held, row.broken)):
        if not trace.clock.size:
            continue
        mine = row.check(trace)
        yours: Verdict = row.check(_retold(trace, RESTATED[how], tmp_path / f"{number}.crumbs"))
        assert (yours.outcome, yours.breach_count, yours.tested) == (mine.outcome, mine.breach_count, mine.tested)
        if mine.margin is not None:
            assert yours.margin is not None
            assert yours.margin.value == pytest.approx(mine.margin.value, abs=LOSES_DIGITS)


COUNTS_LIFETIMES = {
    "appears_at",
    "appears_with",
    "carries_over",
    "conserves",
    "consistent_with",
    "happens_once",
    "leaves_when",
    "same_as",
    "silent_once_gone",
}


@pytest.mark.parametrize("name", [name for name in ROWS if name not in COUNTS_LIFETIMES])
def test_a_lifetime_cut_in_two_creates_no_breach(name: str, tmp_path: Path) -> None:
    """Nothing is compared across the border between two lifetimes of one object."""

    def cut(line: Line) -> Line:
        if line.get("frame") != 9 or "a" not in line.get("state", {}):
            return line
        again = {"id": "a", "kind": "barrel"}
        return {**line, "leave": [*line.get("leave", []), "a"], "appear": [*line.get("appear", []), again]}

    row = ROWS[name]
    verdict = row.check(_retold(row.held, cut, tmp_path / "cut.crumbs"))
    assert verdict.outcome in ("held", "untested"), verdict.explain()
