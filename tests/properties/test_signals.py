"""Signals against loops written out plainly."""

import math
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from breadcrumb import Signal, Trace, frames, judge, seconds
from breadcrumb.checks import movement
from breadcrumb.testing import make_trace

LENGTH = 8
STEPS = st.lists(st.sampled_from([0.0, 0.05, 0.1, 0.25]), min_size=LENGTH, max_size=LENGTH)
NUMBERS = st.lists(st.one_of(st.none(), st.integers(-50, 50).map(float)), min_size=LENGTH, max_size=LENGTH)
THERE = st.lists(st.booleans(), min_size=LENGTH, max_size=LENGTH)
GAPS = st.lists(st.integers(1, 4), min_size=LENGTH, max_size=LENGTH)


class Plain:
    """A session of two objects as plain lists; one comes and goes."""

    def __init__(self, values: list[Any], there: list[bool], steps: list[float], gaps: list[int]) -> None:
        self.values, self.there = values, there
        self.times = [sum(steps[: row + 1]) for row in range(LENGTH)]
        self.frames = [sum(gaps[: row + 1]) for row in range(LENGTH)]
        states = [{"a": {"x": 1.0}, **({"b": {"x": values[row]}} if there[row] else {})} for row in range(LENGTH)]
        events = [(row, "ring", "b") for row in range(LENGTH)]
        self.trace: Trace = make_trace(
            states, kinds={"a": "skiff", "b": "skiff"}, times=self.times, frames=self.frames, events=events
        )  # fmt: skip

    def lifetime_of(self, row: int) -> int | None:
        """Return which stay of b a row belongs to."""
        if not self.there[row]:
            return None
        return sum(1 for r in range(row) if self.there[r] and not self.there[r + 1])


SESSIONS = st.builds(Plain, NUMBERS, THERE, STEPS, GAPS)


def _of_b(plain: Plain, signal: Signal) -> dict[int, float | None]:
    """Return b's values by row."""
    b = plain.trace.data.session.names.index("b") if "b" in plain.trace.data.session.names else -1
    found = {}
    for at, row in enumerate(signal.track.clock_index.tolist()):
        if signal.track.name[at] == b:
            found[row] = float(signal.parts[0][at]) if signal.usable[at] else None
    return found


@given(SESSIONS)
def test_a_rate_is_the_change_over_the_step_within_a_lifetime(plain: Plain) -> None:
    """Missing on a lifetime's first sample, over a step of 0, and beside a missing value; else the quotient."""
    if not any(plain.there):
        return
    expected: dict[int, float | None] = {}
    for row in range(LENGTH):
        if not plain.there[row]:
            continue
        expected[row] = None
        now, before = plain.values[row], plain.values[row - 1] if row else None
        if row and plain.lifetime_of(row - 1) == plain.lifetime_of(row) and now is not None and before is not None:
            step = plain.times[row] - plain.times[row - 1]
            expected[row] = (now - before) / step if step > 0 else None
    found = _of_b(plain, plain.trace.all("skiff").x.rate())
    assert found == pytest.approx(expected)


@given(SESSIONS, st.integers(0, 5), st.floats(0, 0.4))
def test_before_and_after_never_leave_the_lifetime(plain: Plain, count: int, time: float) -> None:
    """The last sample at least so long before, or the first at least so long after, in the same lifetime."""
    if not any(plain.there):
        return
    x, ring = plain.trace.all("skiff").x, plain.trace.events("ring")
    for way, by, axis, amount in (
        (-1, frames(count), plain.frames, count), (1, frames(count), plain.frames, count),
        (-1, seconds(time), plain.times, time), (1, seconds(time), plain.times, time),
    ):  # fmt: skip
        picked = x.before(ring, by) if way < 0 else x.after(ring, by)
        for row in range(LENGTH):
            lifetime = ring.lifetime[row]
            rows = [
                r for r in range(LENGTH)
                if plain.there[r] and lifetime >= 0 and _lifetime_row(plain, int(lifetime), r) and (axis[r] - axis[row]) * way >= amount - 1e-6
            ]  # fmt: skip
            chosen = (max(rows) if way < 0 else min(rows)) if rows else None
            value = None if chosen is None else plain.values[chosen]
            found = float(picked.parts[0][row]) if picked.usable[row] else None
            assert found == value, (way, by, row)


def _lifetime_row(plain: Plain, lifetime: int, row: int) -> bool:
    lifetimes = plain.trace.data.session.lifetimes
    return bool(lifetimes.first[lifetime] <= row <= lifetimes.last[lifetime])


@given(SESSIONS, st.integers(-50, 50))
def test_the_margin_agrees_with_the_outcome(plain: Plain, limit: int) -> None:
    """Held has a margin of 0 or more, broken a negative one, and untested none; they count what is there."""
    verdict = judge(plain.trace.all("skiff").x + float(limit), "x is large")
    values = [1.0 + limit] * LENGTH + [
        value + limit for value, there in zip(plain.values, plain.there, strict=True) if there and value is not None
    ]
    assert verdict.outcome == ("held" if min(values) >= 0 else "broken")
    assert verdict.margin is not None
    assert verdict.margin.value == min(values)
    assert verdict.tested == len(values)
    assert verdict.breach_count == sum(value < 0 for value in values)


@given(st.lists(st.floats(-40, 40), min_size=3, max_size=8), st.floats(0.1, 30), st.integers(1, 7))
def test_splitting_a_lifetime_in_two_never_creates_a_breach(places: list[float], farther_than: float, cut: int) -> None:
    """If no step of one lifetime is too long, none is after the object was given a new lifetime half-way."""
    whole = make_trace([{"a": {"position": (x, 0.0)}} for x in places], kinds={"a": "skiff"})
    cut = min(cut, len(places))
    states: list[dict[str, Any]] = [{"a" if n < cut else "b": {"position": (x, 0.0)}} for n, x in enumerate(places)]
    split = make_trace(states, kinds={"a": "skiff", "b": "skiff"})
    one, two = (movement.never_teleports(trace.all("skiff"), farther_than) for trace in (whole, split))
    assert two.breach_count <= one.breach_count
    assert one.margin is not None
    assert (
        two.margin is None or two.margin.value >= one.margin.value or math.isclose(two.margin.value, one.margin.value)
    )
