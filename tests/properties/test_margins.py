"""Laws of verdicts: a margin's sign tells the outcome, and less tolerance never mends anything."""

from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from breadcrumb import Verdict, all_of
from breadcrumb.checks import movement, values
from breadcrumb.testing import make_trace

NUMBERS = st.floats(-100, 100)
SERIES = st.lists(st.one_of(NUMBERS, st.none()), min_size=2, max_size=12)


def _verdicts(series: list[float | None], limit: float, tol: float) -> list[Verdict]:
    known = next((value for value in series if value is not None), 1.0)
    states: list[dict[str, dict[str, Any]]] = [{"a": {"n": value, "m": 2.0}} for value in (known, *series)]
    trace = make_trace(states, kinds={"a": "keg"})
    n = trace.one("keg").n
    return [
        movement.stays_between(n, -abs(limit), abs(limit) + 1, tol=tol),
        values.equals(n, limit, tol=tol),
        values.equals(n, trace.one("keg").m, tol=tol),
        values.unchanged(n, tol=tol),
        values.never_falls(n, tol=tol),
        values.conserves(n, tol=tol),
    ]


@given(SERIES, NUMBERS, st.floats(0.001, 50))
def test_the_sign_of_the_margin_tells_the_outcome(series: list[float | None], limit: float, tol: float) -> None:
    """Held is a margin of 0 or more, broken one below; and of several that must hold, the tightest leads."""
    verdicts = _verdicts(series, limit, tol)
    for verdict in verdicts:
        if verdict.outcome != "untested":
            assert verdict.margin is not None
            assert (verdict.margin.value >= 0) == (verdict.outcome == "held")
    joined = all_of(*verdicts)
    assert (joined.outcome == "broken") == any(one.outcome == "broken" for one in verdicts)


@given(SERIES, NUMBERS, st.floats(0.001, 50), st.floats(0, 1))
def test_less_tolerance_never_turns_broken_into_held(
    series: list[float | None], limit: float, tol: float, share: float
) -> None:
    """Tightening `tol` only ever breaks, and takes as much off the margin."""
    for loose, tight in zip(_verdicts(series, limit, tol), _verdicts(series, limit, tol * share), strict=True):
        assert not (loose.outcome == "broken" and tight.outcome == "held")
        assert tight.breach_count >= loose.breach_count
