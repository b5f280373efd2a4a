"""`leads_to` and `respects_cooldown` against definitions written out plainly."""

from collections.abc import Callable
from itertools import combinations, pairwise, product
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from breadcrumb import Duration, Trace, frames, seconds
from breadcrumb.checks import triggers
from breadcrumb.testing import make_trace

LENGTH = 12
Happened = list[tuple[int, str, str]]
HAPPENED = st.lists(
    st.tuples(st.integers(0, LENGTH - 1), st.sampled_from(["tap", "ring", "stop"]), st.sampled_from("ab")), max_size=10
).map(lambda several: sorted(several, key=lambda one: one[0]))


def _trace(happened: Happened, start: float = 0.0, names: str = "ab", step: float = 0.1) -> Trace:
    who = dict(zip("ab", names, strict=True))
    states = [{name: {"x": 0.0} for name in names} for _ in range(LENGTH)]
    return make_trace(
        states,
        kinds=dict.fromkeys(names, "skiff"),
        events=[(row, name, who[by]) for row, name, by in happened],
        times=[start + row * step for row in range(LENGTH)],
        declare=["tap", "ring", "stop"],
    )


def _plainly(happened: Happened, early: int, late: int, times: int) -> str:
    """Say what `leads_to` must find, dealing the effects out one by one as the ruling says."""
    broken = tested = 0
    for who in "ab":
        mine = [(row, order, name) for order, (row, name, by) in enumerate(happened) if by == who]
        causes: list[dict[str, Any]] = [
            {"at": (row, order), "row": row, "taken": 0, "stop": None} for row, order, name in mine if name == "tap"
        ]
        for cause in causes:
            stops = [(row, order) for row, order, name in mine if name == "stop" and (row, order) > cause["at"]]
            cause["stop"] = min((stop for stop in stops if stop[0] <= cause["row"] + late), default=None)
        surplus = 0
        strays: list[tuple[int, int]] = []
        for row, order, name in mine:
            if name != "ring":
                continue
            begun = [cause for cause in causes if cause["at"] < (row, order)]
            open_now = [cause for cause in begun if cause["row"] + early <= row <= cause["row"] + late]
            takers = [
                one for one in open_now if one["taken"] < times and (one["stop"] is None or (row, order) < one["stop"])
            ]
            if takers:
                takers[0]["taken"] += 1
            elif open_now:
                surplus += 1
            else:
                strays.append((row, order))
        broken += surplus
        tested += surplus
        for cause in causes:
            cut = cause["row"] + late >= LENGTH
            ends = cause["stop"] or (LENGTH, 0)
            too_early = any(cause["at"] < stray < ends and stray[0] < cause["row"] + early for stray in strays)
            if cause["taken"] >= times and not cut:
                tested += 1
            elif too_early:
                tested, broken = tested + 1, broken + 1
            elif cause["stop"] is not None:
                tested += 1
            elif not cut:
                tested, broken = tested + 1, broken + 1
    return "broken" if broken else "held" if tested else "untested"


@given(HAPPENED, st.integers(0, 3), st.integers(0, 3), st.integers(1, 2))
def test_leads_to_is_what_its_definition_says(happened: Happened, early: int, more: int, times: int) -> None:
    """Dealing effects to causes agrees with the plain definition, in frames and in seconds."""
    expected = _plainly(happened, early, early + more, times)
    for within in ((frames(early), frames(early + more)), (seconds(early * 0.1), seconds((early + more) * 0.1))):
        trace = _trace(happened)
        verdict = triggers.leads_to(
            trace.events("tap"), trace.events("ring"), within=within, times=times, unless=trace.events("stop")
        )
        assert verdict.outcome == expected, verdict.explain()


@pytest.mark.parametrize("unit", [frames, lambda count: seconds(count * 0.1)], ids=["frames", "seconds"])
@pytest.mark.parametrize("rings", [rings for some in range(3) for rings in combinations(range(-1, 6), some)])
def test_a_canceller_that_never_comes_changes_nothing(rings: tuple[int, ...], unit: Callable[[int], Duration]) -> None:
    """One effect for each cause is judged by arrays where windows lie apart: as one by one, in every small session."""
    for taps, early, more, tol in product([(0,), (0, 4), (0, 9)], range(3), range(2), range(2)):
        happened = [(max(row, 0), "ring", "a") for row in rings if row < 0] + [(row, "tap", "a") for row in taps]
        happened += [(row, "ring", "a") for row in rings if row >= 0]
        trace = _trace(sorted(happened, key=lambda one: one[0]))
        within, slip = (unit(early), unit(early + more)), unit(tol) if tol else None
        plain, one_by_one = (
            triggers.leads_to(trace.events("tap"), trace.events("ring"), within=within, unless=unless, time_tol=slip)
            for unless in (None, trace.events("stop"))
        )
        for told in ("outcome", "tested", "undecided", "breach_count", "tallies", "first"):
            assert getattr(plain, told) == getattr(one_by_one, told), (taps, within, slip)
        assert (plain.margin and plain.margin.value) == (one_by_one.margin and one_by_one.margin.value)


@given(HAPPENED, st.integers(0, 4))
def test_respects_cooldown_is_what_its_definition_says(happened: Happened, rest: int) -> None:
    """Every pair of consecutive moments of one subject is looked at, and no other."""
    rows = {who: [row for row, name, by in happened if name == "ring" and by == who] for who in "ab"}
    gaps = [later - former for several in rows.values() for former, later in pairwise(several)]
    trace = _trace(happened)
    verdict = triggers.respects_cooldown(trace.events("ring"), frames(rest))
    assert verdict.tested == len(gaps)
    assert verdict.outcome == ("untested" if not gaps else "broken" if min(gaps) < rest else "held")
    if gaps:
        assert verdict.margin is not None
        assert verdict.margin.value * (1 if verdict.outcome == "held" else -1) >= 0
        assert verdict.outcome == "broken" or verdict.margin.value == min(gaps) - rest


@given(HAPPENED, st.floats(0, 1e4), st.sampled_from(["ba", "xy"]))
def test_neither_time_nor_names_change_a_verdict(happened: Happened, start: float, names: str) -> None:
    """The same session later in the day, or with other ids, has the same outcome, breaches and margin."""
    for other in (_trace(happened, start=start), _trace(happened, names=names)):
        one = _trace(happened)
        mine, yours = (
            triggers.leads_to(trace.events("tap"), trace.events("ring"), within=(seconds(0.1), seconds(0.3)))
            for trace in (one, other)
        )
        assert (mine.outcome, mine.tested, mine.undecided, mine.breach_count) == (
            yours.outcome, yours.tested, yours.undecided, yours.breach_count
        )  # fmt: skip
        assert (mine.first is None) == (yours.first is None)
        if mine.first is not None and yours.first is not None:
            assert mine.first.frame == yours.first.frame


@given(HAPPENED, st.floats(0, 0.3), st.floats(0, 0.3))
def test_a_tighter_tolerance_never_turns_broken_into_held(happened: Happened, one: float, other: float) -> None:
    """What breaks with a wide tolerance breaks, or is undecided, with a narrow one."""
    narrow, wide = sorted((one, other))
    trace = _trace([event for event in happened if event[1] != "stop"])
    outcomes = [
        triggers.respects_cooldown(trace.events("ring"), seconds(0.4), time_tol=seconds(tol)).outcome
        for tol in (narrow, wide)
    ]
    assert outcomes != ["held", "broken"]
