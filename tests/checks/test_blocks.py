"""Columns are looked at block by block; where a block ends changes no verdict."""

import pytest

from breadcrumb import Trace, Verdict, seconds
from breadcrumb.algebra import blocks
from breadcrumb.checks import movement
from breadcrumb.testing import make_trace
from vocabulary import ROWS


@pytest.mark.parametrize("length", [1, 2, 7])
@pytest.mark.parametrize("name", ROWS)
def test_the_length_of_blocks_changes_no_verdict(name: str, length: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """With blocks of a few samples, each check finds what it finds when all of a session is one block."""
    row = ROWS[name]
    due = [told(row.check(Trace(trace.data))) for trace in (row.held, row.broken)]
    monkeypatch.setattr(blocks, "STORED", length)
    monkeypatch.setattr(blocks, "COMPUTED", length)
    assert [told(row.check(Trace(trace.data))) for trace in (row.held, row.broken)] == due


@pytest.mark.parametrize("length", [1, 2, 3])
def test_the_end_of_a_movement_is_judged_in_any_block(length: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """A movement of 0.25 s ends on the frame at 0.3 s, also if a block begins there."""
    monkeypatch.setattr(blocks, "STORED", length)
    for last, outcome in ((10.0, "held"), (9.0, "broken")):
        states = [{"boom": {"x": x}} for x in (0.0, 4.0, 8.0, last, 5.0)]
        trace = make_trace(states, kinds={"boom": "boom"}, events=[(0, "swing", "boom")])
        moved = movement.eases(trace.one("boom").x, to=10.0, at=trace.events("swing"), over=seconds(0.25), tol=0.001)
        assert (moved.outcome, moved.tested) == (outcome, 4), moved.explain()


def told(verdict: Verdict) -> tuple[object, ...]:
    """Return what a verdict says, but for what rounding may change."""
    margin = None if verdict.margin is None else pytest.approx(verdict.margin.value, abs=1e-9)
    return verdict.outcome, verdict.tested, verdict.missing, verdict.breach_count, verdict.first, margin
