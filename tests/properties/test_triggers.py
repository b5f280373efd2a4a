"""What changes no verdict of triggers, and what a tolerance may change; their references are in `test_references`."""

from hypothesis import given
from hypothesis import strategies as st

from breadcrumb import Trace, seconds
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
