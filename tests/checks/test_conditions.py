"""Conditions keep what they compare: the margin, the operands in sentence, table and figure, and what is judged alone."""

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from breadcrumb import Box, Misuse, Spans, Verdict, active_count, frames, judge, seconds, vector
from breadcrumb.checks import collisions, movement, triggers, values
from breadcrumb.report.figures import figure_of
from breadcrumb.testing import make_trace

STATES: list[dict[str, dict[str, Any]]] = [
    {
        "a": {
            "x": float(n), "vx": (0.0, 5.0, -5.0, -5.5, 5.0)[n], "cap": 4.0 - n * 0.5, "heat": n * 10.0, "yaw": 90.0 * n,
            "lit": n < 3, "mood": ("calm", "calm", "wild", "calm", "calm")[n], "at": (float(n), 1.0), "goal": (2.0, 1.0),
            "turn": (0.0, 0.0, 0.0, 1.0), "crate": 3.0, "gone": None if n == 2 else 1.0,
        },
        "b": {"x": 9.0 - n},
    }
    for n in range(5)
]  # fmt: skip
UNITS = {"x": "m", "vx": "m/s", "cap": "m", "heat": "C", "gone": "m"}
TRACE = make_trace(
    STATES, kinds={"a": "keg", "b": "buoy"}, units=UNITS, angles={"unit": "deg"}, axes={"x": "east", "y": "north"},
    events=[(1, "tap", "a", None), (3, "tap", "a", None)],
)  # fmt: skip
K, B, TAP = TRACE.one("keg"), TRACE.one("buoy"), TRACE.events("tap")

Row = tuple[Callable[[], Any], int, str, str, str, float | None]
BREACHES: dict[str, Row] = {
    # the condition; the frame of its first breach, what is said of it, measured, allowed, and the margin of all
    "below": (lambda: K.x < 3, 3, "x is on the limit, which is not allowed", "3 m", "below 3 m", -1.0),
    "at most": (lambda: K.x <= 3, 4, "x is 1 m too high", "4 m", "at most 3 m", -1.0),
    "above": (lambda: K.x > 0, 0, "x is on the limit, which is not allowed", "0 m", "above 0 m", 0.0),
    "at least": (lambda: K.x >= 1, 0, "x is 1 m too low", "0 m", "at least 1 m", -1.0),
    "a limit on the left": (lambda: K.x < 3, 3, "x is on the limit, which is not allowed", "3 m", "below 3 m", -1.0),
    "a limit over time": (lambda: K.x <= K.cap, 3, "x is 0.5 m too high", "3 m", "at most 2.5 m (cap)", -2.0),
    "a limit of another object": (lambda: K.x < B.x - 4, 3, "x of the keg is 1 m too high", "3 m", "below 2 m ((x - 4) of the buoy)", -3.0),
    "equal": (lambda: K.x == 0, 1, "x is 1 m", "1 m", "0 m", None),
    "other than": (lambda: K.x != 2, 2, "x is 2 m", "2 m", "other than 2 m", None),
    "one of three": (lambda: (K.vx == -5) | (K.vx == 0) | (K.vx == 5), 3, "vx is -5.5 m/s", "-5.5 m/s", "-5 m/s, 0 m/s or 5 m/s", None),
    "one of several": (lambda: K.vx.isin([-5, 0, 5]), 3, "vx is -5.5 m/s", "-5.5 m/s", "-5 m/s, 0 m/s or 5 m/s", None),
    "none of several": (lambda: ~K.vx.isin([-5, 0]), 0, "vx is 0 m/s", "0 m/s", "none of -5 m/s or 0 m/s", None),
    "between": (lambda: (K.x >= 0) & (K.x <= 2), 3, "x is 1 m too high", "3 m", "at most 2 m", -2.0),
    "outside": (lambda: (K.x < 2) | (K.x > 3), 2, "x is 2 m", "2 m", "below 2 m or above 3 m", 0.0),
    "two that fail": (lambda: (K.x < 3) & (K.cap > 2.5), 3, "x is 3 m and cap is 2.5 m", "x 3 m, cap 2.5 m", "x below 3 m and cap above 2.5 m", -1.0),
    "units that differ": (lambda: (K.x < 3) & (K.heat < 99), 3, "x is on the limit, which is not allowed", "3 m", "below 3 m", None),
    "not above": (lambda: ~(K.x > 2), 3, "x is 1 m too high", "3 m", "at most 2 m", -2.0),
    "not both": (lambda: ~((K.x > 2) & (K.heat > 5)), 3, "x is 3 m and heat is 30 C", "x 3 m, heat 30 C", "x at most 2 m or heat at most 5 C", None),
    "a flag": (lambda: K.lit, 3, "lit is false", "false", "true", None),
    "not a flag": (lambda: ~K.lit, 0, "lit is true", "true", "false", None),
    "a flag and a number": (lambda: K.lit | (K.x < 3), 3, "lit is false and x is 3 m", "lit false, x 3 m", "lit true or x below 3 m", None),
    "a text": (lambda: K.mood == "calm", 2, "mood is 'wild'", "'wild'", "'calm'", None),
    "one of two texts": (lambda: K.mood.isin(["calm", "glad"]), 2, "mood is 'wild'", "'wild'", "'calm' or 'glad'", None),
    "a vector": (lambda: K.at == (0, 1), 1, "at is (1, 1)", "(1, 1)", "(0, 1)", None),
    "two vectors": (lambda: K.at != K.goal, 2, "at is (2, 1)", "(2, 1)", "other than (2, 1) (goal)", None),
    "an angle": (lambda: K.yaw == 0, 1, "yaw is 90 deg", "90 deg", "0 deg", None),
    "a formula": (lambda: abs(K.x - 1) < 2, 3, "abs(x - 1) is on the limit, which is not allowed", "2 m", "below 2 m", -1.0),
    "a function of NumPy": (lambda: np.hypot(K.x, K.cap) <= 4, 4, "hypot(x, cap) is 0.4721 m too high", "4.472 m", "at most 4 m", -0.4721),
    "a clamped law": (lambda: np.clip(K.heat, 0, 25) ** 2 <= 500, 3, "minimum(maximum(heat, 0), 25) ** 2 is 125 too high", "625", "at most 500", -125.0),
    "the value before": (lambda: K.x - K.x.previous() > 1, 1, "x - x.previous() is on the limit, which is not allowed", "1 m", "above 1 m", 0.0),
    "a step": (lambda: K.vx.step() > -9, 2, "vx.step() is 1 m/s too low", "-10 m/s", "above -9 m/s", -1.0),
    "a vector of two numbers": (lambda: vector(K.x, K.cap).norm() < 4.5, 4, "vector(x, cap).norm() is", "", "below 4.5 m", None),
    "at moments": (lambda: K.x.at(TAP) < 2, 3, "x is 1 m too high", "3 m", "below 2 m", -1.0),
    "a name of one's own": (lambda: K.vx.with_name("fall speed") > -5.2, 3, "fall speed is 0.3 m/s too low", "-5.5 m/s", "above -5.2 m/s", -0.3),
    "the clock": (lambda: TRACE.clock.dt * K.vx < 0.4, 1, "dt * vx is 0.1 m too high", "0.5 m", "below 0.4 m", -0.1),
    "an array": (lambda: K.x < np.array([9.0, 9, 9, 2, 9]), 3, "x is 1 m too high", "3 m", "below 2 m", -1.0),
    "what is missing": (lambda: K.gone.known, 2, "gone.known is false", "false", "true", None),
}  # fmt: skip
NOT_JUDGED_ALONE = {"a vector of two numbers"}


@pytest.mark.parametrize("name", BREACHES)
def test_a_breach_tells_what_was_compared(name: str) -> None:
    """The first breach has each operand with its value and unit, what was allowed, and by how much."""
    compute, frame, words, measured, allowed, margin = BREACHES[name]
    if name in NOT_JUDGED_ALONE:
        verdict = judge(compute() & (K.x < 4), "it is so")
        assert verdict.outcome == "broken"
        return
    verdict = judge(compute(), "it is so")
    assert verdict.first is not None
    assert (verdict.first.frame, verdict.first.words, verdict.first.measured, verdict.first.allowed) == (
        frame, words, measured, allowed,
    )  # fmt: skip
    assert (None if verdict.margin is None else pytest.approx(verdict.margin.value, abs=1e-4)) == margin
    assert Verdict.from_json(verdict.to_json()) == verdict


@pytest.mark.parametrize("name", BREACHES)
def test_the_table_and_the_figure_have_each_operand(name: str) -> None:
    """Everything that is compared has a column in the table and a line in the figure; a limit is drawn as a band."""
    flag = BREACHES[name][0]()
    verdict = judge(flag, "it is so")
    excerpt = verdict.evidence.first or verdict.evidence.tightest
    assert excerpt is not None
    shown = {excerpt.name, *(one.name for one in excerpt.operands)}
    for clause in flag.condition.clauses if flag.condition is not None else ():
        for side in (clause.left, clause.right):
            if hasattr(side, "track") and side.name != "given values":
                assert (side.name if side.owner == flag.owner else side.title) in shown
    assert all(name in verdict.explain() for name in shown)
    figure = figure_of(verdict)
    assert figure is not None
    drawn = " ".join(axes.get_ylabel() + axes.get_title(loc="left") for axes in figure.axes)
    assert all(one.split(" [")[0][:20] in drawn for one in shown), drawn


SINGLE: dict[str, tuple[Callable[[], Any], str, float | None, int, str]] = {
    # what is judged; the outcome, the margin, how much was tested, and what is said of a breach
    "a mean below": (lambda: K.heat.mean() < 25, "held", 5.0, 5, ""),
    "a mean above": (lambda: K.heat.mean() > 25, "broken", -5.0, 5, "mean of heat of the keg is 20 C; allowed above 25 C"),
    "a median": (lambda: K.x.median() == 2, "held", None, 5, ""),
    "a share": (lambda: K.lit.share() >= 0.5, "held", 0.1, 5, ""),
    "two statistics": (lambda: K.x.max() - K.x.min() <= 3, "broken", -1.0, 5, "max of x of the keg"),
    "two that must hold": (lambda: (K.x.max() < 9) & (K.x.min() > 1), "broken", -1.0, 10, "min of x of the keg is 0 m; allowed above 1 m"),
    "of nothing": (lambda: K.x.during((K.x > 99).spans()).mean() < 5, "untested", None, 0, ""),
    "a plain truth": (lambda: True, "held", None, 1, ""),
    "a truth of NumPy": (lambda: np.bool_(False), "broken", None, 1, "measured false, allowed true"),
}  # fmt: skip


@pytest.mark.parametrize("name", SINGLE)
def test_a_single_value_can_be_judged(name: str) -> None:
    """Statistics, parameters and plain truths are judged with their margin, how much they are about, and no frame."""
    compute, outcome, margin, tested, said = SINGLE[name]
    verdict = judge(compute(), "it is so")
    assert (verdict.outcome, verdict.tested, verdict.first) == (outcome, tested, None)
    assert (None if verdict.margin is None else pytest.approx(verdict.margin.value)) == margin
    assert said in verdict.explain()
    assert Verdict.from_json(verdict.to_json()) == verdict


def test_parameters_are_judged_by_name_and_unit() -> None:
    """Parameters compare with each other and with signals: held or broken with a margin, and units that must fit."""
    trace = make_trace(
        STATES, kinds={"a": "keg", "b": "buoy"}, units=UNITS, parameters={"cap": 3.5, "low": 4, "title": "bay"}
    )
    cap, low, keg = trace.parameter("cap"), trace.parameter("low"), trace.one("keg")
    verdict = judge(low <= cap, "the lowest is below the cap")
    assert (verdict.outcome, verdict.margin and verdict.margin.value) == ("broken", -0.5)
    assert "low is 4; allowed at most cap 3.5" in verdict.explain()
    broken = judge(keg.x <= cap, "the keg keeps to its cap")
    assert broken.first is not None
    assert (broken.first.frame, broken.first.allowed) == (4, "at most 3.5 m (cap)")
    assert (trace.parameters, trace.parameter("title"), list(range(low))) == (
        ("cap", "low", "title"),
        "bay",
        [0, 1, 2, 3],
    )
    assert judge(trace.parameter("cap") > 3, "it is more").outcome == "held"


def test_what_a_plain_truth_is_about_is_told() -> None:
    """A plain True that is about nothing is untested, and a scope or a number of samples goes with signals alone."""
    assert judge(True, "all are there", tested=3).tested == 3
    assert judge(True, "all are there", tested=0).outcome == "untested"
    with pytest.raises(Misuse, match="has no samples"):
        judge(True, "all", during=(K.x > 1).spans())
    with pytest.raises(Misuse, match="tells how many samples"):
        judge(K.lit, "all", tested=3)


def test_what_is_compared_by_accident_raises() -> None:
    """What compares objects, moments or spans with something, and would give a bare truth, is an error."""
    several: list[Any] = [K, TAP, K.lit.spans(), TRACE]
    for one in several:
        with pytest.raises(Misuse, match="compare"):
            _ = one == "keg"


def test_what_is_under_way_is_counted() -> None:
    """`active_count` counts on each frame what has begun and not ended, and can be judged like any number."""
    events = [(0, "lit", "a", None), (1, "lit", "a", None), (3, "out", "a", None)]
    trace = make_trace([{"a": {"x": 0.0}}] * 5, kinds={"a": "keg"}, events=events)
    count = active_count(trace.events("lit"), trace.events("out"))
    assert count.values.tolist() == [1, 2, 2, 1, 1]
    verdict = judge(count <= 1, "one at a time")
    assert verdict.first is not None
    assert (verdict.first.frame, verdict.first.words) == (1, "active_count(lit, out) is 1 too high")


def test_spans_are_picked_by_length() -> None:
    """`lasting` keeps the spans of a length; one that the end of the trace cuts is only ever too short for sure."""
    spans = (K.vx != 5).spans()
    assert spans.lengths().round(3).tolist()[:2] == [0.1, 0.2]
    assert spans.lasting(at_least=seconds(0.15)).first.tolist() == [2]
    assert spans.lasting(at_most=seconds(0.1)).first.tolist() == [0]
    cut = (K.x >= 3).spans()
    assert (cut.lasting(at_most=seconds(9)).count, cut.lasting(at_least=seconds(0.1)).count) == (0, 1)
    several = {"a": (False, False, True, False, False), "b": (True, True, True, False, True)}
    kegs = make_trace(
        [{who: {"lit": lit[n]} for who, lit in several.items()} for n in range(5)], kinds=dict.fromkeys("ab", "keg")
    )
    long = kegs.all("keg").lit.spans().lasting(at_least=frames(2))
    assert long.starts().subjects == ("b",)
    with pytest.raises(Misuse, match="at_least= or at_most="):
        cut.lasting()


NAN = float("nan")
NOWHERE = make_trace(
    [{"a": {"position": at, "z": 0.0 if n % 2 else 1.0}, "b": {"position": (50.0, 50.0)}} for n, at in enumerate([(0.0, 0.0), (1.0, 0.0), (NAN, NAN), (3.0, 0.0)])],
    kinds={"a": "keg", "b": "rock"}, axes={"x": "east", "y": "north"},
)  # fmt: skip
NEVER_FITS: dict[str, Callable[[], Verdict]] = {
    "never_touches": lambda: collisions.never_touches(NOWHERE.one("keg"), NOWHERE.one("rock"), radius=1.0),
    "never_touches a region": lambda: collisions.never_touches(NOWHERE.one("keg"), Box((90, 90), (99, 99))),
    "never_overlaps": lambda: collisions.never_overlaps(NOWHERE.one("keg"), NOWHERE.one("rock"), radius=1.0),
    "never_tunnels": lambda: collisions.never_tunnels(NOWHERE.one("keg"), [(90, 0), (90, 9)]),
    "stays_inside": lambda: movement.stays_inside(NOWHERE.one("keg"), Box((-99, -99), (99, 99))),
    "stays_outside": lambda: movement.stays_outside(NOWHERE.one("keg"), Box((90, 90), (99, 99))),
    "never_teleports": lambda: movement.never_teleports(NOWHERE.one("keg"), 9.0),
    "stays_between": lambda: movement.stays_between(NOWHERE.one("keg").position.x, -99, 99),
    "unchanged": lambda: values.unchanged(NOWHERE.one("keg").position, tol=9.0),
    "judge": lambda: judge(NOWHERE.one("keg").position.x < 99, "it is near"),
}


@pytest.mark.parametrize("name", NEVER_FITS)
def test_what_is_not_a_number_never_fits(name: str) -> None:
    """A recorded position that is not a number breaks every rule about it, on its own frame."""
    verdict = NEVER_FITS[name]()
    assert verdict.outcome == "broken"
    assert verdict.first is not None
    assert verdict.first.frame == 2


def test_an_entry_that_an_event_lacks_is_a_breach() -> None:
    """An event without the entry that it must carry is no value left open, and breaks the rule."""
    events = [(1, "hit", "a", None, {"k": 1}), (2, "hit", "a", None, {})]
    trace = make_trace([{"a": {"x": 0.0}}] * 4, kinds={"a": "keg"}, events=events)
    verdict = triggers.carries_data(trace.events("hit"), "k", 1)
    assert verdict.first is not None
    assert (verdict.outcome, verdict.first.frame, verdict.first.words) == ("broken", 2, "has no k")


def test_the_first_tick_may_come_one_period_after_the_begin() -> None:
    """What changes on every frame has its first change on the second one, and keeps its period."""
    count = make_trace([{"a": {"n": float(n)}} for n in range(5)], kinds={"a": "keg"}).one("keg").n
    assert triggers.repeats_every(count.changes(), frames(1)).outcome == "held"
    assert triggers.repeats_every((count == 3).rises(), frames(2)).outcome == "broken"


def test_an_angle_eases_to_an_end_through_the_wrap() -> None:
    """The end of an easing is an angle: -160 degrees from 170 is 30 degrees on, whichever way the turn is recorded."""
    yaws = [170.0, 170.0, 175.0, 180.0, -175.0, -170.0, -165.0, -160.0]
    for column, outcome in (
        (yaws, "held"),
        ([*yaws[:-1], -150.0], "broken"),
        (yaws[:2] + [165.0 - 5 * n for n in range(6)], "broken"),
    ):
        states = [{"a": {"yaw": yaw}} for yaw in column]
        trace = make_trace(states, kinds={"a": "keg"}, angles={"unit": "deg"}, events=[(1, "go", "a")])
        assert (
            movement.eases(trace.one("keg").yaw, -160, over=seconds(0.6), at=trace.events("go"), tol=0.01).outcome
            == outcome
        )


def test_a_quaternion_and_its_opposite_are_one_turn() -> None:
    """`unchanged`, `equals` and `restores` see q and -q as the same, and another turn as another."""
    turns = [(0.0, 0.0, 0.6, 0.8), (0.0, 0.0, -0.6, -0.8), (0.0, 0.0, 0.6, 0.8)]
    keg = make_trace([{"a": {"q": q, "lit": n == 1}} for n, q in enumerate(turns)], kinds={"a": "keg"}).one("keg")
    assert values.unchanged(keg.q).outcome == "held"
    assert values.equals(keg.q, (0.0, 0.0, -0.6, -0.8)).outcome == "held"
    assert values.restores(keg.q, during=keg.lit.spans()).outcome == "held"
    assert values.equals(keg.q, (0.0, 0.0, 0.8, 0.6), tol=0.1).outcome == "broken"


def test_moments_are_picked_by_a_flag_of_their_own() -> None:
    """A flag that was picked at the moments keeps those where it is true; a missing one is not so, and others are refused."""
    calm, lost = K.mood == "calm", K.gone > 0
    assert TAP.where(calm.at(TAP)).frames.tolist() == [1, 3]
    beside = (K.x > 0).rises() | (K.x > 1).rises()
    assert beside.where(lost.at(beside)).frames.tolist() == [1]
    assert beside.where(~lost.at(beside)).count == 0
    assert TAP.where(calm.at(TAP)).label == "tap where mood == 'calm'"
    for flag, words in (
        (calm.at(beside), "was not picked at them"),
        (calm, "was not picked at them"),
        (K.x.at(TAP), "a number"),
    ):
        with pytest.raises(Misuse, match=words):
            TAP.where(flag)


def test_a_state_beside_a_missing_value_is_left_open() -> None:
    """How long a state lasted is undecided where the value before or behind it is missing, unless it is too long already."""
    lit = [False, True, True, None, True, False, True, False]
    keg = make_trace([{"a": {"lit": value}} for value in lit], kinds={"a": "keg"}).one("keg")
    verdict = values.lasts(keg.lit, (frames(1), frames(3)))
    assert (verdict.outcome, verdict.tested, verdict.undecided) == ("held", 1, 2)
    broken = values.lasts(keg.lit, (frames(0), frames(1)))
    assert (broken.outcome, broken.tested, broken.undecided) == ("broken", 2, 1)
    never = values.lasts(keg.lit & ~keg.lit, (frames(0), frames(1)))
    assert (never.outcome, never.of) == ("held", "frames")
    assert values.lasts(keg.lit & ~keg.lit, (frames(1), frames(2))).outcome == "untested"
    nothing = make_trace([{"a": {"x": 0.0}}] * 3, kinds={"a": "keg"}, declare=["lit.begin", "lit.end"])
    known = Spans.between(nothing.events("lit.begin"), nothing.events("lit.end"))
    assert values.lasts(known, (frames(0), frames(2))).outcome == "held"
    unknown = Spans.between(nothing.events("boost.begun"), nothing.events("boost.over"))
    assert values.lasts(unknown, (frames(0), frames(2))).outcome == "untested"


def test_values_of_two_sessions_are_never_combined() -> None:
    """Signals of two sessions are refused, whatever their shapes; one session that is opened twice is one."""
    night, day = (
        make_trace([{"a": {"x": start + n}} for n in range(4)], kinds={"a": "keg"}, name=name)
        for name, start in (("night", 0.0), ("day", 5.0))
    )
    again = make_trace([{"a": {"x": float(n)}} for n in range(4)], kinds={"a": "keg"}, name="night")
    keg, other = night.one("keg"), day.one("keg")
    for combine in (np.subtract, np.less):
        with pytest.raises(Misuse, match="of the session night and the other of day"):
            combine(keg.x, other.x)
    assert (keg.x - again.one("keg").x).values.tolist() == [0.0] * 4
