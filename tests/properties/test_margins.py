"""Laws of verdicts: a margin's sign tells the outcome, and less tolerance never mends anything."""

import random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from breadcrumb import Trace, Verdict, all_of, frames
from breadcrumb.checks import movement, triggers, values
from breadcrumb.testing import make_trace
from references.comparing import CASES, arguments
from references.drawing import draw_scene, trace_of

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


AS_TOLERATED = [name for name, case in CASES.items() if "tol" in case.draw(random.Random(0))]
OTHERWISE = {
    "values.changes_by": "the tolerance also says what counts as a change",
    "movement.steps_by": "the tolerance also says what counts as a step",
    "spawns.appears_with": "one of its properties is a flag",
    "movement.teleports_to": "the tolerance also says what is undecided",
    "movement.returns_to": "the tolerance also says what has returned",
}
SCENES = 25
NEXT_TO_NOTHING = 1e-6


@pytest.mark.parametrize("name", [name for name in AS_TOLERATED if name not in OTHERWISE])
def test_a_margin_is_what_the_tolerance_may_change_by(name: str) -> None:
    """With so much more allowed a broken rule holds and with less it does not; with so much less a held one still does."""
    case, judged = CASES[name], 0
    for seed in range(SCENES):
        draw = random.Random(f"{seed}")
        scene = draw_scene(draw)
        drawn = arguments(case, scene, draw)
        trace = trace_of(scene)
        verdict = case.check(trace, **drawn)
        if verdict.margin is None or abs(verdict.margin.value) < NEXT_TO_NOTHING:
            continue
        assert verdict.worst is None or verdict.worst.excess == -verdict.margin.value
        less, more = (1.02, 0.98) if verdict.outcome == "held" else (0.98, 1.02)
        for share, outcomes in ((less, ("broken",)), (more, ("held", "untested"))):
            tol = drawn["tol"] - share * verdict.margin.value
            if tol >= 0:
                judged += 1
                found = case.check(trace, **{**drawn, "tol": tol})
                assert found.outcome in outcomes, found.explain()
    assert judged


def _rung(tap: int | None, *rings: int) -> Trace:
    """Return a session of a tap and of rings, by one keg."""
    events = [*([(tap, "tap", "a")] if tap is not None else []), *((at, "ring", "a") for at in rings)]
    return make_trace([{"a": {"n": 0.0}}] * 12, kinds={"a": "keg"}, events=events, declare=["tap", "ring"])


def _after(trace: Trace) -> Verdict:
    return triggers.only_after(trace.events("ring"), trace.events("tap"), within=(frames(2), frames(3)))


def _leads(trace: Trace) -> Verdict:
    return triggers.leads_to(trace.events("tap"), trace.events("ring"), within=(frames(2), frames(3)))


OFF: dict[str, tuple[Verdict, float]] = {
    "an effect in the middle": (_after(_rung(2, 4)), 1),
    "an effect too late": (_after(_rung(2, 7)), -2),
    "an effect too soon": (_after(_rung(2, 3)), -1),
    "an effect without a cause": (_after(_rung(None, 7)), -3),
    "a cause with its effect": (_leads(_rung(2, 5)), 0),
    "a cause whose effect is late": (_leads(_rung(2, 9)), -4),
    "a cause whose effect is early": (_leads(_rung(2, 3)), -1),
    "a cause without an effect": (_leads(_rung(2)), -3),
    "the first of two is early, the other one late": (_leads(_rung(2, 3, 6)), -1),
}


@pytest.mark.parametrize("name", OFF)
def test_the_margin_of_a_time_is_how_far_it_is_off(name: str) -> None:
    """Too late counts from the latest time, too soon from the earliest, and what never comes as far as the latest."""
    verdict, frames_off = OFF[name]
    assert verdict.margin is not None
    assert verdict.margin.value == frames_off, verdict.explain()
