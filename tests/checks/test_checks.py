"""Each check on a session in which its rule holds, breaks, is never exercised, and cannot be decided.

The sessions are made by hand: two barrels, one of them with two lifetimes, frames with a gap, steps that vary.
"""

from collections.abc import Callable, Sequence
from typing import Any

import pytest

from breadcrumb import Box, Spans, Trace, Verdict, frames, judge, seconds
from breadcrumb.checks import collisions, movement, session, spawns, triggers
from breadcrumb.errors import Misuse
from breadcrumb.testing import make_trace

TIMES = (0.0, 0.1, 0.3, 0.4, 0.5, 0.7, 0.8, 0.9, 1.0, 1.2)
FRAMES = (0, 1, 2, 3, 4, 8, 9, 10, 11, 12)
POOL = Box((-10, -10), (10, 10))

Check = Callable[[Trace], Verdict]


def barrels(
    change: dict[tuple[str, int], dict[str, Any]] | None = None,
    events: Sequence[tuple[Any, ...]] = (),
    gone: Sequence[tuple[str, int]] = (),
) -> Trace:
    """Make a session: barrel a moves east at 5 m/s; barrel b, there on frames 0-3 and again from 8 on, north at 5 m/s."""
    states: list[dict[str, dict[str, Any]]] = []
    for place, t in enumerate(TIMES):
        state = {"a": {"position": (5 * t, 0.0), "velocity": (5.0, 0.0), "heat": 0.0}}
        if place != 4:
            state["b"] = {"position": (0.0, 5 * t), "velocity": (0.0, 5.0), "heat": 0.0}
        states.append(state)
    for (who, place), values in (change or {}).items():
        states[place][who].update(values)
    for who, place in gone:
        del states[place][who]
    return make_trace(
        states,
        kinds={"a": "barrel", "b": "barrel", "s": "spark"},
        times=TIMES,
        frames=FRAMES,
        events=events,
        declare=["tap", "ring", "stop", "contact", "error"],
        units={"position": "m", "velocity": "m/s", "heat": "K"},
    )


def rings(*places: int, who: str = "a", name: str = "ring") -> list[tuple[Any, ...]]:
    """Return events at these places of the frames."""
    return [(place, name, who) for place in places]


def inside(t: Trace) -> Verdict:
    """Barrels stay in the pool."""
    return movement.stays_inside(t.all("barrel"), POOL, radius=1.0, tol=0.25)


def inside_when_cold(t: Trace) -> Verdict:
    """Barrels stay in the pool, except while they are hot."""
    return movement.stays_inside(t.all("barrel"), POOL, except_during=(t.all("barrel").heat > 0).spans())


def five(t: Trace) -> Verdict:
    """Barrels keep 5 m/s."""
    return movement.keeps_speed(t.all("barrel"), 5.0, tol=0.5)


def first_speed(t: Trace) -> Verdict:
    """Barrels keep the speed they first have, as recorded."""
    return movement.keeps_speed(t.all("barrel"), velocity=t.all("barrel").velocity)


def not_far(t: Trace) -> Verdict:
    """Barrels stay within 1000 m to the north."""
    return movement.stays_between(t.all("barrel").position.y, high=1000.0)


def no_jump(t: Trace) -> Verdict:
    """Barrels only jump when they are tapped."""
    return movement.never_teleports(t.all("barrel"), at_most=1.5, except_at=t.events("tap"))


def bounce(t: Trace) -> Verdict:
    """Barrels bounce at contacts."""
    return collisions.bounces(t.all("barrel"), at=t.events("contact"), tol=0.1)


def answers(t: Trace) -> Verdict:
    """Each tap is answered by a ring within 0.25 s unless stopped."""
    return triggers.leads_to(t.events("tap"), t.events("ring"), within=seconds(0.25), unless=t.events("stop"))


def answers_exactly(t: Trace) -> Verdict:
    """Each tap is answered by a ring two frames later."""
    return triggers.leads_to(t.events("tap"), t.events("ring"), within=(frames(2), frames(2)))


def answers_last(t: Trace) -> Verdict:
    """The last tap is answered by a ring 0.3 s later."""
    return triggers.leads_to(
        t.events("tap"), t.events("ring"), within=(seconds(0.3), seconds(0.3)), retrigger=True
    )  # fmt: skip


def rest(t: Trace) -> Verdict:
    """Rings rest for 0.3 s."""
    return triggers.respects_cooldown(t.events("ring"), seconds(0.3))


def sparks(t: Trace) -> Verdict:
    """Each tap makes one spark on its frame."""
    return spawns.one_for_each(t.events("tap"), t.all("spark"), within=frames(0))


def spark_lifetime(t: Trace) -> Verdict:
    """A spark lasts 0.2 to 0.3 s."""
    return spawns.lasts(t.all("spark"), (seconds(0.2), seconds(0.3)))


def clean(t: Trace) -> Verdict:
    """The session runs clean, but for a known error."""
    return session.runs_clean(t, allow={"tide *": "known, ticket 12"})


def cool(t: Trace) -> Verdict:
    """No barrel is hot."""
    return judge(5 - t.all("barrel").heat, "no barrel is hot")


def spark(*places: int) -> Trace:
    """Make a session with taps at places 1 and 6, and a spark at these places."""
    states = [{"s": {"heat": 1.0}} if place in places else {} for place in range(len(TIMES))]
    return make_trace(states, kinds={"s": "spark"}, times=TIMES, frames=FRAMES, events=rings(1, 6, name="tap"))


def empty() -> Trace:
    """Make a session without any object or event; all names are declared."""
    return barrels(gone=[("a", n) for n in range(10)] + [("b", n) for n in range(10) if n != 4])


HELD: dict[str, tuple[Check, Trace, float | None, str]] = {
    # the check, the session, the margin and its unit
    "inside": (inside, barrels(), 10 - 6 - 1 + 0.25, "m"),
    "inside at its very limit": (inside, barrels({("a", 3): {"position": (9.25, 0.0)}}), 0.0, "m"),
    "outside where that is allowed": (inside_when_cold, barrels({("a", 3): {"position": (99.0, 0.0), "heat": 1.0}}), 4.0, "m"),
    "speed": (five, barrels(), 0.5, "m/s"),
    "speed at its very limit": (five, barrels({("a", 9): {"position": (5 * 1.0 + 0.2 * 5.5, 0.0)}}), 0.0, "m/s"),
    "first speed": (first_speed, barrels(), None, ""),
    "first speed of each lifetime": (first_speed, barrels({("b", n): {"velocity": (0.0, 2.0)} for n in range(5, 10)}), None, ""),
    "no jump": (no_jump, barrels(), 0.5, "m"),
    "a jump at its moment": (no_jump, barrels({("a", 9): {"position": (99.0, 0.0)}}, rings(9, name="tap")), 0.5, "m"),
    "no jump from one lifetime to the next": (no_jump, barrels({("b", n): {"position": (9.0, 5 * TIMES[n])} for n in range(5, 10)}), 0.5, "m"),
    "bounce": (
        bounce,
        barrels(
            {("a", n): {"position": (3.0 - 5 * (TIMES[n] - 0.6), 0.0)} for n in range(5, 10)},
            [(5, "contact", "a", None, {"normal": [-2.0, 0.0]})],
        ),
        0.1, "m/s",
    ),
    "bounce in a corner": (
        bounce,
        barrels(
            {("b", n): {"position": (0.0, 5.0 - 5 * TIMES[n])} for n in range(8, 10)},
            [(8, "contact", "b", None, {"normal": [1.0, 1.0]}), (8, "contact", "b", None, {"normal": [1.0, -1.0]})],
        ),
        0.1, "m/s",
    ),
    "answered": (answers, barrels(events=[*rings(1, 6, name="tap"), *rings(2, 8)]), 0.05, "s"),
    "stopped, and silent": (answers, barrels(events=[*rings(1, 6, name="tap"), *rings(7, name="stop"), *rings(1)]), 0.25, "s"),
    "an answer that is itself the stop": (
        lambda t: triggers.leads_to(t.events("tap"), t.events("ring"), within=(frames(2), frames(2)), unless=t.events("ring")),
        barrels(events=[*rings(1, name="tap"), *rings(2)]), None, "",
    ),
    "the other's ring does not count": (
        answers, barrels(events=[*rings(1, name="tap"), *rings(2), *rings(2, 3, who="b")]), 0.05, "s"
    ),
    "answered exactly": (answers_exactly, barrels(events=[*rings(6, name="tap"), *rings(8)]), None, ""),
    "answered after the last tap": (answers_last, barrels(events=[*rings(1, 3, name="tap"), *rings(5)]), None, ""),
    "rested": (rest, barrels(events=rings(0, 2, 6)), 0.0, "s"),
    "one's rest is not the other's": (rest, barrels(events=[*rings(0, 2), *rings(1, 3, who="b")]), 0.0, "s"),
    "one spark a tap": (sparks, spark(1, 2, 6), None, ""),
    "spark lifetime": (spark_lifetime, spark(1, 6, 7), 0.0, "s"),
    "clean": (clean, barrels(events=[(3, "error", "a", None, {"message": "tide table is empty"})]), None, ""),
    "clean, with a value missing": (clean, barrels({("b", 6): {"heat": None, "position": None}}), None, ""),
    "cool": (cool, barrels({("b", 2): {"heat": 4.0}}), 1.0, ""),
}  # fmt: skip


@pytest.mark.parametrize("name", HELD)
def test_a_rule_that_holds_says_how_close_it_was(name: str) -> None:
    """A held verdict has tested something and has the margin worked out by hand, which is never negative."""
    check, trace, margin, unit = HELD[name]
    verdict = check(trace)
    assert verdict.outcome == "held", verdict.explain()
    assert verdict.tested > 0
    assert verdict.first is None
    assert Verdict.from_json(verdict.to_json()) == verdict
    if margin is None:
        assert verdict.margin is None or verdict.margin.value == 0
    else:
        assert verdict.margin is not None
        assert verdict.margin.value == pytest.approx(margin, abs=1e-9)
        assert verdict.margin.value >= 0
        if unit:
            assert verdict.margin.unit == unit


BROKEN: dict[str, tuple[Check, Trace, tuple[str, int, str], str]] = {
    # the check, the session; object, frame and measured of the first breach; a part of its words or of what is allowed
    "inside": (
        inside,
        barrels({("a", 3): {"position": (9.5, 0.0)}, ("b", 6): {"position": (0.0, -20.0)}}),
        ("a", 3, "(9.5, 0) m"), "0.25 m outside",
    ),
    "inside when cold": (inside_when_cold, barrels({("b", 6): {"position": (0.0, -20.0)}}), ("b", 9, "(0, -20) m"), "10 m outside"),
    "speed": (five, barrels({("b", 9): {"position": (0.0, 5 * 1.0 + 2.0)}}), ("b", 12, "10 m/s"), "5 m/s too high"),
    "first speed": (first_speed, barrels({("b", 7): {"velocity": (3.0, 0.0)}}), ("b", 10, "3 m/s"), "2 m/s too low"),
    "little, far away": (not_far, barrels({("b", 7): {"position": (8.0, 1000.04)}}), ("b", 10, "1000.04 m"), "0.04 m too high"),
    "jump": (no_jump, barrels({("b", 7): {"position": (8.0, 4.5)}}), ("b", 10, "8.016 m"), "6.516 m too far"),
    "another's moment is no excuse": (
        no_jump, barrels({("a", 9): {"position": (99.0, 0.0)}}, rings(9, who="b", name="tap")), ("a", 12, "94 m"), "92.5 m too far"
    ),
    "bounce": (
        bounce,
        barrels(events=[(5, "contact", "a", None, {"normal": [-1.0, 0.0]})]),
        ("a", 8, "(5, 0) m/s"), "10 m/s off",
    ),
    "unanswered": (answers, barrels(events=[*rings(1, 6, name="tap"), *rings(8)]), ("a", 2, "none"), "ring is missing"),
    "answered too late": (answers, barrels(events=[*rings(1, name="tap"), *rings(4)]), ("a", 2, "0.4 s"), "within 0.25 s"),
    "answered twice": (answers, barrels(events=[*rings(1, name="tap"), *rings(1, 2)]), ("a", 2, "one more ring"), "ring happens once too often"),
    "answered although stopped": (
        answers, barrels(events=[*rings(1, name="tap"), (1, "stop", "a"), *rings(2)]), ("a", 2, "0.2 s after tap on frame 1"), "ring happens although the tap was called off"
    ),
    "answered too early": (answers_exactly, barrels(events=[*rings(6, name="tap"), *rings(7)]), ("a", 10, "1 frame"), "too early"),
    "a frame too late": (answers_exactly, barrels(events=[*rings(6, name="tap"), *rings(9)]), ("a", 11, "3 frames"), "too late"),
    "answered after the first tap": (answers_last, barrels(events=[*rings(1, 3, name="tap"), *rings(3)]), ("a", 3, "0.3 s after tap on frame 1"), "ring happens although a later tap started the time anew"),
    "no rest": (rest, barrels(events=[*rings(0, 6), *rings(0, 1, who="b")]), ("b", 1, "0.1 s"), "0.2 s too soon after the one on frame 0"),
    "no spark": (sparks, spark(1, 2), ("a", 9, "none"), "is missing"),
    "a spark too many": (sparks, spark(1, 4, 6), ("s", 4, "a new lifetime"), "without tap; only=False would allow it"),
    "a short spark": (spark_lifetime, spark(1, 6), ("s", 10, "0.1 s"), "lived 0.1 s too short"),
    "a long spark": (spark_lifetime, spark(1, 2, 3, 4), ("s", 3, "0.6 s"), "lived 0.3 s too long"),
    "a long spark at the end": (spark_lifetime, spark(1, 5, 6, 7, 8, 9), ("s", 11, "0.5 s so far"), "lived 0.2 s too long"),
    "an error": (clean, barrels(events=[(3, "error", "a", None, {"message": "no oar"})]), ("a", 3, "no oar"), "a script error"),
    "no number": (clean, barrels({("b", 6): {"heat": float("nan")}}), ("b", 9, "nan"), "heat is not a number"),
    "hot": (cool, barrels({("b", 2): {"heat": 9.0}}), ("b", 2, "-4 K"), "4 K short"),
    "no number is not inside": (inside, barrels({("b", 6): {"position": (float("nan"), 0.0)}}), ("b", 9, "(nan, 0) m"), "outside"),
}  # fmt: skip


@pytest.mark.parametrize("name", BROKEN)
def test_a_broken_rule_names_the_object_the_frame_and_the_values(name: str) -> None:
    """A broken verdict's first breach is the one worked out by hand, and its margin is negative."""
    check, trace, (who, frame, measured), words = BROKEN[name]
    verdict = check(trace)
    assert verdict.outcome == "broken", verdict.explain()
    first = verdict.first
    assert first is not None
    assert (first.object, first.frame, first.measured) == (who, frame, measured)
    assert words in f"{first.words} {first.allowed}"
    assert verdict.margin is None or verdict.margin.value < 0
    assert verdict.breach_count == sum(tally.breaches for tally in verdict.by_object()) or verdict.parts
    assert str(frame) in verdict.explain()
    assert Verdict.from_json(verdict.to_json()) == verdict


UNTESTED: dict[str, tuple[Check, Trace, str]] = {
    "inside": (inside, empty(), "no kind|no sample|not seen|no samples"),
    "inside when cold": (inside_when_cold, barrels({(w, n): {"heat": 1.0} for w in "ab" for n in range(10) if (w, n) != ("b", 4)}), "no samples"),
    "speed": (five, barrels(gone=[("a", n) for n in range(1, 10)] + [("b", n) for n in range(1, 10) if n != 4]), "no samples"),
    "jump": (no_jump, barrels(gone=[("a", n) for n in range(1, 10)] + [("b", n) for n in range(1, 10) if n != 4]), "no samples"),
    "bounce": (bounce, barrels(), "no event 'contact' in this session"),
    "answers": (answers, barrels(events=rings(2)), "no event 'tap' in this session"),
    "rest": (rest, barrels(events=[*rings(1), *rings(2, who="b")]), "one moment only, matched by subject"),
    "sparks": (sparks, barrels(), "no event 'tap'"),
    "spark lifetime": (spark_lifetime, barrels(), "no kind 'spark' in this session"),
    "clean": (clean, make_trace([], kinds={}), "no frames to judge"),
    "all missing": (cool, barrels({(w, n): {"heat": None} for w in "ab" for n in range(10) if (w, n) != ("b", 4)}), "19 samples without a value"),
    "too few": (lambda t: triggers.respects_cooldown(t.events("ring"), frames(1), occasions=3), barrels(events=rings(1, 3, 5)), "2 of 3 occasions"),
}  # fmt: skip


@pytest.mark.parametrize("name", UNTESTED)
def test_a_rule_that_was_never_exercised_is_untested_and_says_why(name: str) -> None:
    """Nothing to test is never a pass; the reason is part of the verdict."""
    check, trace, why = UNTESTED[name]
    verdict = check(trace)
    assert verdict.outcome == "untested", verdict.explain()
    assert any(part in verdict.why_untested for part in why.split("|")), verdict.why_untested


UNDECIDED: dict[str, tuple[Check, Trace, int]] = {
    "bounce on the last frame": (bounce, barrels(events=[(9, "contact", "a", None, {"normal": [1.0, 0.0]})]), 1),
    "an answer due after the end": (answers, barrels(events=rings(9, name="tap")), 1),
    "an answer due in a gap": (answers_exactly, barrels(events=rings(4, name="tap")), 1),
    "a surplus that could still come": (answers, barrels(events=[*rings(9, name="tap"), *rings(9)]), 1),
    "a lifetime that is still going on": (spark_lifetime, spark(8, 9), 1),
    "a lifetime that was there at the start": (spark_lifetime, spark(0, 1), 1),
}


@pytest.mark.parametrize("name", UNDECIDED)
def test_what_the_trace_cuts_short_is_undecided(name: str) -> None:
    """An occasion whose end lies beyond the trace, or in a gap, is counted and is neither held nor broken."""
    check, trace, undecided = UNDECIDED[name]
    verdict = check(trace)
    assert (verdict.outcome, verdict.undecided, verdict.tested) == ("untested", undecided, 0), verdict.explain()
    assert "undecided" in verdict.why_untested or verdict.why_untested


def test_a_group_is_told_apart_by_object() -> None:
    """The tally of a group names each object with what was tested, and its breaches, first and worst."""
    verdict = inside(barrels({("b", 6): {"position": (0.0, -20.0)}, ("b", 7): {"position": (0.0, -30.0)}}))
    a, b = verdict.by_object()
    assert (a.object, a.tested, a.breaches, a.first_frame) == ("a", 10, 0, None)
    assert (b.object, b.tested, b.breaches, b.first_frame) == ("b", 9, 2, 9)
    assert b.worst == pytest.approx(-20.75)
    assert verdict.worst is not None
    assert (verdict.worst.frame, verdict.worst.lifetime) == (10, 2)
    assert verdict.worst.excess == pytest.approx(20.75)
    assert [(one.object, one.first_frame, one.last_frame) for one in verdict.stretches] == [("b", 9, 10)]


RESTATED: dict[str, Callable[[float, float], tuple[float, float]]] = {
    "moved": lambda x, y: (x + 1000.0, y - 500.0),
    "turned": lambda x, y: (0.6 * x - 0.8 * y, 0.8 * x + 0.6 * y),
    "mirrored": lambda x, y: (x, -y),
}


@pytest.mark.parametrize("name", RESTATED)
def test_the_same_motion_in_other_coordinates_has_the_same_verdict(name: str) -> None:
    """Moving, turning or mirroring the world changes no verdict on speeds, jumps and bounces."""
    restate = RESTATED[name]
    for check in (five, no_jump):
        for change in ({}, {("b", 9): {"position": (0.0, 7.0)}}):
            plain = barrels(change)
            table = {
                (who, n): {
                    "position": restate(
                        *change.get((who, n), {}).get("position", (5 * t, 0.0) if who == "a" else (0.0, 5 * t))
                    )
                }
                for n, t in enumerate(TIMES)
                for who in "ab"
                if (who, n) != ("b", 4)
            }
            mine, yours = check(plain), check(barrels(table))
            assert mine.outcome == yours.outcome
            assert mine.margin is not None
            assert yours.margin is not None
            assert mine.margin.value == pytest.approx(yours.margin.value, abs=1e-6)


MISTAKES: dict[str, tuple[Callable[[Trace], object], str]] = {
    "a bare number of seconds": (lambda t: triggers.leads_to(t.events("tap"), t.events("ring"), within=0.3), "seconds"),  # type: ignore[arg-type]
    "a window upside down": (
        lambda t: triggers.leads_to(t.events("tap"), t.events("ring"), within=(frames(3), frames(1))), "earliest, latest"
    ),
    "a duration as a tolerance": (lambda t: movement.stays_inside(t.all("barrel"), POOL, tol=seconds(1)), "expected a number, found"),  # type: ignore[arg-type]
    "contacts without a normal": (
        lambda t: collisions.bounces(t.all("barrel"), at=t.events("ring").with_data(normal=t.all("barrel").heat.at(t.events("ring")).values)), "normal of 2"
    ),
    "a vector as a condition": (lambda t: judge(t.all("barrel").position, "x"), "compare a part of it"),
}  # fmt: skip


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_in_a_check_is_an_error_and_no_untested_pass(name: str) -> None:
    """A check that is asked for something without meaning says what it expected."""
    mistake, words = MISTAKES[name]
    states: list[dict[str, dict[str, Any]]] = [
        {}, {"a": {"heat": 0.0, "position": (0.0, 0.0)}, "s": {"heat": 1.0}}, {"a": {"heat": 0.0, "position": (1.0, 0.0)}}
    ]  # fmt: skip
    trace = make_trace(states, kinds={"a": "barrel", "s": "spark"}, events=[(1, "ring", "a"), (1, "tap", "a")])
    with pytest.raises(Misuse, match=words):
        mistake(trace)


def test_spans_of_nobody_hold_for_everyone() -> None:
    """A stretch of the session, such as an open gate, exempts every object."""
    trace = barrels({("a", 3): {"position": (99.0, 0.0)}}, [(2, "tap"), (4, "ring")])
    open_gate = Spans.between(trace.events("tap"), trace.events("ring"))
    assert movement.stays_inside(trace.all("barrel"), POOL, except_during=open_gate).outcome == "held"
    assert movement.stays_inside(trace.all("barrel"), POOL, during=open_gate).outcome == "broken"
