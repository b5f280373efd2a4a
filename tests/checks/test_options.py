"""Options of checks that not every call needs: each holds, breaks at its frame, and refuses what it cannot mean."""

from collections.abc import Callable
from typing import Any

import pytest

from breadcrumb import Circle, Signal, Trace, UnknownName, Verdict, frames, judge, seconds
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values
from breadcrumb.errors import Misuse
from breadcrumb.testing import make_trace

Case = tuple[Callable[[Trace], Verdict], Trace, Trace, tuple[str, int, str]]


def keg(*states: dict[str, Any] | None, events: Any = (), others: dict[str, Any] | None = None, **more: Any) -> Trace:
    """Make a session of a keg, a tenth of a second a frame; None where it is not there."""
    rows = [{} if state is None else {"keg": state, **(others or {})} for state in states]
    return make_trace(rows, kinds={"keg": "keg", "tub": "tub", "other": "keg"}, events=events, **more)


def rolling(*places: float, zones: tuple[str, ...] = ("rim", "face")) -> Trace:
    """Make a session of a keg that is hit on the third frame and the sixth one."""
    hits = [
        (n, "hit", "keg", None, {"normal": [1.0, 0.0], "zone": zone}) for n, zone in zip((2, 5), zones, strict=True)
    ]
    return keg(*({"position": (x, 0.0)} for x in places), events=hits)


def eased(*heights: float) -> Trace:
    """Make a session of two kegs that rise: the one by 4 in 0.2 s, the other by 2 in 0.1 s after a wait of 0.1 s."""
    told = [
        ("keg", {"to": 4.0, "over": 2, "delay": 0, "curve": "linear"}),
        ("other", {"to": 2.0, "over": 1, "delay": 1, "curve": "quadratic in"}),
    ]
    rows = [{"keg": {"h": a}, "other": {"h": b}} for a, b in zip(heights[::2], heights[1::2], strict=True)]
    return make_trace(
        rows, kinds={"keg": "keg", "other": "keg"}, events=[(0, "go", who, None, data) for who, data in told]
    )


def in_their_own_time(trace: Trace) -> Verdict:
    """Judge that each keg rises as its event tells."""
    go = trace.events("go")
    over, delay = (Signal.from_data(go, key, "frames") for key in ("over", "delay"))
    to, curve = Signal.from_data(go, "to"), Signal.from_data(go, "curve")
    return movement.eases(trace.all("keg").h, to, at=go, over=over, delay=delay, curve=curve)


def ticks(*places: int) -> Trace:
    """Make a session of fifteen frames with ticks on some."""
    return make_trace([{}] * 15, kinds={}, events=[(n, "tick") for n in places])


def beam(*ends: tuple[float, float] | None, y: tuple[float, ...] = (0.0, 0.0, 5.0, 0.0)) -> Trace:
    """Make a session of a keg that looks east at a circle, but for the frames on which it is north of it."""
    return keg(*({"position": (0.0, at), "end": end} for at, end in zip(y, ends, strict=True)))


def cast(otherwise: Any, **more: Any) -> Callable[[Trace], Verdict]:
    """Judge where the keg's beam ends."""

    def judged(trace: Trace) -> Verdict:
        here = trace.one("keg").position
        ray = {"origin": here, "direction": here * 0.0 + (1.0, 0.0), "otherwise": otherwise, "tol": 0.01, **more}
        return rays.ends_where_it_hits(trace.one("keg").end, [Circle((5, 0), 1.0)], **ray)

    return judged


def two(n: float, tub: float = 1.0, lid: float = 0.0) -> dict[str, Any]:
    """Return a keg beside another one and a tub."""
    return {"keg": {"n": n, "lid": lid}, "other": {"n": 2.0, "lid": 0.0}, "tub": {"n": tub}}


def both(*states: dict[str, Any]) -> Trace:
    """Make a session of these."""
    return make_trace(states, kinds={"keg": "keg", "other": "keg", "tub": "tub"})


def thrown(n: float) -> Trace:
    """Make a session in which a tub throws a keg."""
    rows = [{"tub": {"n": 1.0}}, {"tub": {"n": 1.0}}, {"tub": {"n": 5.0}, "keg": {"n": n}}]
    return make_trace(rows, kinds={"keg": "keg", "tub": "tub"}, events=[(2, "thrown", "tub", "keg")])


def target(*names: str | None) -> Trace:
    """Make a session of a keg that names others, of which the tub leaves behind the second frame."""
    tub: dict[str, dict[str, Any]] = {"tub": {"n": 1.0}}
    rows = [{"keg": {"on": name}, **(tub if n < 2 else {})} for n, name in enumerate(names)]
    return make_trace(rows, kinds={"keg": "keg", "tub": "tub"})


FOUR = (4.0, 0.0)


def called(at: tuple[int, ...], come: tuple[int, ...] = (), lit: tuple[int, ...] = (), there: int = 10) -> Trace:
    """A keg that is called for and comes, on ten frames or until it leaves."""
    return keg(
        *({"lit": n in lit} if n < there else None for n in range(10)),
        events=[*((n, "call", "keg") for n in at), *((n, "come", "keg") for n in come)],
    )


STAGES = {0: [1], 1: [2], 2: [0]}
ZONES = {"rim": 0.5, "face": 1.0}
ROWS: dict[str, Case] = {
    "a restitution for each zone": (
        lambda t: collisions.bounces(t.one("keg"), at=t.events("hit"), restitution=ZONES, tol=0.1),
        rolling(0, 1, 2, 1.5, 1.0, 0.5, 1.0, 1.5), rolling(0, 1, 2, 1, 0, -1, 0, 1), ("keg", 2, "(-10, 0)"),
    ),
    "a time, a wait and a curve for each": (
        in_their_own_time, eased(0, 0, 2, 0, 4, 2), eased(0, 0, 2, 1, 4, 2), ("other", 1, "1"),
    ),
    "a remainder that is dropped": (
        lambda t: triggers.repeats_every(t.events("tick"), seconds(0.25), remainder="dropped"),
        ticks(3, 6, 9, 12), ticks(3, 6, 8, 11, 14), ("", 8, "-0.1 s off"),
    ),
    "a remainder that is carried over": (
        lambda t: triggers.repeats_every(t.events("tick"), seconds(0.25)),
        ticks(3, 5, 8, 10, 13), ticks(3, 6, 9, 12), ("", 9, "0.1 s off"),
    ),
    "an effect that answers several causes, and may come again": (
        lambda t: triggers.leads_to(t.events("call"), t.events("come"), within=frames(3), only=False),
        called((0, 1), come=(2, 3)), called((0, 4), come=(2, 3)), ("keg", 7, "none"),
    ),
    "an effect too many for a cause that is asked about": (
        lambda t: triggers.leads_to(t.events("call"), t.events("come"), within=frames(3), during=t.one("keg").lit.spans()),
        called((0, 5), come=(1, 2, 6), lit=(5,)), called((0, 5), come=(1, 6, 7), lit=(5,)), ("keg", 7, "one more come"),
    ),
    "a leaving that answers several causes": (
        lambda t: triggers.leads_to(t.events("call"), t.all("keg").leaves, within=frames(3)),
        called((1, 2), there=4), called((0, 2), there=4), ("keg", 3, "none"),
    ),
    "a list that each of as many moments has": (
        lambda t: triggers.carries_data(t.events("met"), "who", ["a", "b"]),
        keg({}, {}, events=[(n, "met", "keg", None, {"who": ["a", "b"]}) for n in (0, 1)]),
        keg({}, {}, events=[(n, "met", "keg", None, {"who": [who, "b"]}) for n, who in enumerate("ac")]), ("keg", 1, "['c', 'b']"),
    ),
    "states that are numbers": (
        lambda t: values.moves_through(t.one("keg").n, STAGES),
        keg(*({"n": float(n)} for n in (0, 1, 1, 2, 0))), keg(*({"n": float(n)} for n in (0, 1, 0, 2))), ("keg", 2, "0"),
    ),
    "an end that is held where nothing is met": (
        cast("hold"), beam(FOUR, FOUR, FOUR, FOUR), beam(FOUR, FOUR, (0.0, 5.0), FOUR), ("keg", 2, "(0, 5)"),
    ),
    "no end where nothing is met": (
        cast("nothing"), beam(FOUR, FOUR, None, FOUR), beam(FOUR, FOUR, FOUR, FOUR), ("keg", 2, "a place"),
    ),
    "an end where something is met": (
        cast("nothing"), beam(FOUR, FOUR, None, FOUR), beam(FOUR, None, None, FOUR), ("keg", 1, "missing"),
    ),
    "no end out of reach": (
        cast("nothing", at_most=4.5), beam(FOUR, FOUR, None, FOUR), beam(FOUR, FOUR, None, (4.1, 0.0)), ("keg", 3, "(4.1, 0)"),
    ),
    "one object of a kind that may change": (
        lambda t: session.only_these_change(t, ["other.n", "tub"]),
        both(two(1.0), two(1.0, 5.0)), both(two(1.0), two(2.0)), ("keg", 1, "1 to 2"),
    ),
    "one kind alone that is judged": (
        lambda t: session.only_these_change(t, ["keg.n"], among=["keg"]),
        both(two(1.0), two(2.0, 5.0)), both(two(1.0), two(1.0, lid=1.0)), ("keg", 1, "0 to 1"),
    ),
    "a start value that depends on another one's": (
        lambda t: spawns.appears_with(t.all("keg"), n=t.all("tub").n.at(t.events("thrown")) + 2),
        thrown(7.0), thrown(3.0), ("keg", 2, "3"),
    ),
    "a reference that must name something": (
        lambda t: values.refers_to(t.one("keg").on, t.all("tub")),
        target("tub", "tub"), target("tub", None), ("keg", 1, "nothing"),
    ),
    "a reference to what is gone": (
        lambda t: values.refers_to(t.one("keg").on, t.all("tub")),
        target("tub", "tub"), target("tub", "tub", "tub"), ("keg", 2, "tub"),
    ),
    "a reference to another kind": (
        lambda t: values.refers_to(t.one("keg").on, t.all("tub"), or_none=True),
        target("tub", None), target("tub", "keg"), ("keg", 1, "keg"),
    ),
    "a value that is missing everywhere": (
        lambda t: values.never_missing(t.one("keg").on),
        target("tub", "tub"), target(None, None), ("keg", 0, "missing"),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", ROWS)
def test_an_option_holds_and_breaks(name: str) -> None:
    """Each session is judged as worked out by hand: held in one, broken at a frame of an object in the other."""
    check, held, broken, breach = ROWS[name]
    assert check(held).outcome == "held", check(held).explain()
    verdict = check(broken)
    assert verdict.outcome == "broken", verdict.explain()
    assert verdict.first is not None
    assert (verdict.first.object, verdict.first.frame) == breach[:2], verdict.explain()
    assert verdict.first.measured.startswith(breach[2]), verdict.explain()


def test_a_zone_that_the_table_lacks_is_an_error() -> None:
    """A contact with a zone of no restitution is a mistake in the check, with the near names."""
    with pytest.raises(UnknownName, match="no zone 'fase'; did you mean 'face'"):
        ROWS["a restitution for each zone"][0](rolling(0, 1, 2, 1, 0, 0, 0, 0, zones=("rim", "fase")))


def test_a_ray_has_one_reach() -> None:
    """The length of a beam that meets nothing is its reach, so that another one contradicts it."""
    with pytest.raises(Misuse, match="expected otherwise= as a length, without at_most="):
        cast(9.0, at_most=3.0)(beam(FOUR, FOUR, FOUR, FOUR))


def test_both_sides_of_a_limit_must_be_near_it() -> None:
    """Occasions far from the limit hold nothing up: the rule is untested, and says how near the nearest one was."""
    events = [(n, "look", "keg") for n in range(4)] + [(n, "hail", "keg") for n in (2, 3)]
    trace = keg(*({"far": far} for far in (90.0, 80.0, 4.0, 3.0)), events=events)
    rule = {"condition": trace.one("keg").far < 5, "within": frames(0)}
    looks, hails = trace.events("look"), trace.events("hail")
    assert triggers.leads_to_only_if(looks, hails, **rule).outcome == "held"
    near = triggers.leads_to_only_if(looks, hails, **rule, near=2.0)
    assert (near.outcome, near.why_untested) == (
        "untested",
        "where not far < 5, the nearest was 75 from the limit, asked for 2",
    )
    with pytest.raises(Misuse, match="expected a condition with a margin"):
        triggers.leads_to_only_if(looks, hails, condition=trace.one("keg").far == 4, within=frames(0), near=2.0)


VALUELESS: dict[str, Callable[[Any], Any]] = {
    "a vector": lambda keg: rays.ends_where_it_hits(keg.on, [], origin=keg.on, direction=keg.on, otherwise="nothing"),
    "a part of a vector": lambda keg: movement.stays_between(keg.on.x, 0, 1),
    "a text": lambda keg: values.moves_through(keg.on, {"a": ["b"]}),
    "a text that is compared": lambda keg: values.equals(keg.on, "a"),
    "a condition on a text": lambda keg: judge(keg.on == "a", "it is a"),
    "a reference": lambda keg: values.refers_to(keg.on, keg, or_none=True),
    "a flag": lambda keg: values.toggles(keg.on, at=keg.appears),
    "a number": lambda keg: movement.stays_between(keg.on, 0, 1),
}


@pytest.mark.parametrize("name", VALUELESS)
def test_what_never_had_a_value_may_be_of_any_sort(name: str) -> None:
    """A property that was missing all the time, as a target that was never there, is untested, and no error."""
    verdict = VALUELESS[name](target(None, None).one("keg"))
    assert (verdict.outcome, "value" in verdict.why_untested) == ("untested", True), verdict.explain()
