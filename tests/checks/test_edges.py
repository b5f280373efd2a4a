"""What lies at the edge of a rule: on a line, beside a span, on the last frame, told again, on another clock."""

import math
from collections.abc import Callable, Sequence
from typing import Any

import pytest

from breadcrumb import Box, Circle, Trace, Verdict, frames, seconds
from breadcrumb.checks import collisions, movement, rays, spawns, triggers, values
from breadcrumb.testing import make_trace

AXES = {"x": "east", "y": "north"}
BEHIND = Box((-9, -9), (5.5, 9))
LINE = [(2, -1), (2, 1)]


def moves(*xs: float, hits: Sequence[int] = (), rock: float | None = None, normal: Any = None) -> Trace:
    """Make a session of a keg that moves along a line of places, and of a rock that stands there."""
    stone = {"r": {"position": (rock, 0.0)}} if rock is not None else {}
    states: list[dict[str, Any]] = [{"a": {"position": (float(x), 0.0)}, **stone} for x in xs]
    events = [(at, "hit", "a", None, {"normal": normal} if normal else None) for at in hits]
    return make_trace(states, kinds={"a": "keg", "r": "rock"}, events=events, axes=AXES)


def series(n: Sequence[float], on: Sequence[int] = (), go: Sequence[int] = (), step: float = 0.1) -> Trace:
    """Make a session of a number, of a flag that is true on some frames, and of moments."""
    states = [{"a": {"n": float(value), "on": at in on}} for at, value in enumerate(n)]
    times = [at * step for at in range(len(n))]
    return make_trace(states, kinds={"a": "k"}, times=times, events=[(at, "go", "a") for at in go], declare=["go"])


def touched(trace: Trace) -> Verdict:
    """Ask for one report of each touch."""
    return collisions.reports_every_touch(
        trace.events("hit"), collisions.touching(trace.one("keg"), Circle((5, 0), 0.5))
    )


def drained(trace: Trace) -> Verdict:
    """Ask for a fall by 1 every 0.3 s while the flag is true, and at no other time."""
    k = trace.one("k")
    return values.drains(k.n, 1.0, every=seconds(0.3), during=k.on.spans())


def gone(within: int) -> Callable[[Trace], Verdict]:
    """Ask to be gone so many frames after being outside."""
    return lambda t: spawns.leaves_when(t.all("k"), BEHIND, within=frames(within))


def swing(share_of_a_turn: Callable[[int], float], high: float = 2.0, **how: Any) -> Trace:
    """Make 60 frames of a number that swings about 1 with a period of 2 s."""
    return series([1 + high * math.sin(2 * math.pi * share_of_a_turn(at)) for at in range(60)], **how)


def swung(trace: Trace) -> Verdict:
    """Ask for such a swing."""
    return movement.oscillates(trace.one("k").n, centre=1, amplitude=2, period=seconds(2), tol=0.01)


def on_the_last_frame(judge: Callable[[Any, Any], Verdict]) -> Callable[[Trace], Verdict]:
    """Ask something of a number at moments."""
    return lambda t: judge(t.one("k").n, t.events("go"))


PATH = (0, 1, 2, 5, 5, 5, 5, 8, 9)
LEAVING = [{}, *({"a": {"position": (float(n), 0.0)}} for n in range(1, 7)), {}]
ON = range(1, 5)
EDGES: dict[str, tuple[Callable[[Trace], Verdict], Trace, str, int | None]] = {
    "a touch told once": (touched, moves(*PATH, hits=[3]), "held", None),
    "a touch told on every frame": (touched, moves(*PATH, hits=[3, 4, 5, 6]), "broken", 4),
    "slower on the step before": (
        lambda t: collisions.passes_through(t.one("keg"), t.one("rock"), radius=0.4, tol=0.01),
        moves(0, 1, 2, 2.8, 3.8, 4.8, 5.8, rock=3.5), "broken", 4,
    ),
    "a tolerance as wide as the bounce": (
        lambda t: collisions.bounces(t.one("keg"), at=t.events("hit"), tol=20.0),
        moves(0, 1, 2, 3, 4, 5, 6, hits=[4], normal=[-1, 0]), "untested", None,
    ),
    "falls in its spans": (drained, series((9, 9, 9, 9, 8, 8, 8), ON), "held", None),
    "a fall right behind a span": (drained, series((9, 9, 9, 9, 8, 7, 7), ON), "broken", 5),
    "a fall later": (drained, series((9, 9, 9, 9, 8, 8, 7), ON), "broken", 6),
    "a fall right before a span": (drained, series((9, 8, 8, 8, 8, 7, 7), range(2, 6)), "broken", 1),
    "a fall as a span begins": (drained, series((9, 9, 8, 8, 8, 7, 7), range(2, 6)), "broken", 2),
    "seen outside, and gone on the next frame": (gone(0), make_trace(LEAVING, kinds={"a": "k"}, axes=AXES), "broken", 7),
    "gone within a frame": (gone(1), make_trace(LEAVING, kinds={"a": "k"}, axes=AXES), "held", None),
    "reaches the line and turns back": (
        lambda t: collisions.never_tunnels(t.one("keg"), LINE), moves(0, 1, 2, 1, 0), "held", None
    ),
    "passes the line at a sample": (
        lambda t: collisions.never_tunnels(t.one("keg"), LINE), moves(0, 1, 2, 3, 4), "broken", 3
    ),
    "passes the line at its very end": (
        lambda t: collisions.never_tunnels(t.one("keg"), [(-1.7, -0.4), (2.6, 1.6)]),
        make_trace([{"a": {"position": (-2.0, -1.0)}}, {"a": {"position": (-1.5, 0.0)}}], kinds={"a": "keg"}, axes=AXES),
        "broken", 1,
    ),
    "an easing on the last frame": (
        on_the_last_frame(lambda n, at: movement.eases(n, by=1.0, over=seconds(0.3), at=at, tol=0.01)),
        series([0] * 5, go=[4]), "untested", None,
    ),
    "an arc on the last frame": (
        on_the_last_frame(lambda n, at: movement.follows_arc(n, 1.0, over=seconds(0.3), at=at, tol=0.01)),
        series([0] * 5, go=[4]), "untested", None,
    ),
    "key points on the last frame": (
        on_the_last_frame(lambda n, at: movement.follows_keys(n, [(seconds(0), 0), (seconds(0.3), 1)], at=at, tol=0.01)),
        series([0] * 5, go=[4]), "untested", None,
    ),
    "a change on the last frame": (
        on_the_last_frame(lambda n, at: values.changes_by(n, 1.0, at=at)), series([0] * 5, go=[4]), "untested", None
    ),
    "a swing from within a turn": (swung, swing(lambda at: at / 20 + 0.3), "held", None),
    "a swing that is too high from its beginning": (swung, swing(lambda at: at / 20, high=3.2), "broken", 1),
    "a swing that is too slow": (swung, swing(lambda at: at / 21), "broken", 1),
    "a swing that stands for a frame": (swung, swing(lambda at: (at - (at > 30)) / 20), "broken", 31),
    "a swing that leaves out the end of each turn": (swung, swing(lambda at: at % 17 / 20), "broken", 17),
    "a swing that stops": (swung, swing(lambda at: min(at, 52) / 20), "broken", 53),
    "one that happens where nothing does": (
        lambda t: triggers.happens_once(t.events("go")), series([0] * 5), "broken", 4
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", EDGES)
def test_what_lies_at_the_edge_is_judged_as_the_rule_says(name: str) -> None:
    """The outcome and the frame are those worked out by hand."""
    check, trace, outcome, frame = EDGES[name]
    verdict = check(trace)
    assert verdict.outcome == outcome, verdict.explain()
    assert (verdict.first.frame if verdict.first else None) == frame
    assert verdict.breach_count <= verdict.tested


def test_sessions_are_compared_each_on_its_own_clock() -> None:
    """A value that is the same in time is the same at another rate, whichever session comes first."""
    fast, slow = series([n / 10 for n in range(11)]), series([n / 5 for n in range(6)], step=0.2)
    for one, other, tested in ((fast, slow, 6), (slow, fast, 11)):
        verdict = values.same_across([one.one("k").n, other.one("k").n], tol=0.001)
        assert (verdict.outcome, verdict.tested) == ("held", tested), verdict.explain()


def test_points_are_points_however_many_moments_there_are() -> None:
    """As many moments as a place has parts change nothing in what is measured from it."""
    for hits, outcomes in (((2,), ["held"]), ((2, 3), ["broken", "held"])):
        trace = moves(0, 1, 2, 3, 4, hits=hits)
        keg, hit = trace.one("keg"), trace.events("hit")
        assert movement.lands_on(keg, (2, 0), at=hit).tested == len(hits)
        assert movement.lands_on(keg, (2, 0), at=hit).outcome == outcomes[0]
        assert movement.teleports_to(keg, [(3, 0)], at=hit).outcome == "held"
        assert movement.heads_toward(keg, (9, 0), at=hit, tol=1).outcome == "held"


@pytest.mark.parametrize("taps", [[0], [0, 1]], ids=["one by one", "with windows that overlap"])
def test_the_margin_of_a_window_counts_from_the_nearer_end(taps: list[int]) -> None:
    """An effect near the begin of its window has the time to that end, and the tolerance, as its margin."""
    events = [*((at, "tap", "a") for at in taps), *((at + 3, "ring", "a") for at in taps)]
    trace = make_trace([{"a": {"x": 0.0}}] * 15, kinds={"a": "k"}, events=events)
    verdict = triggers.leads_to(
        trace.events("tap"), trace.events("ring"), within=(seconds(0.2), seconds(1.0)), time_tol=seconds(0.05)
    )
    assert verdict.margin is not None
    assert verdict.margin.value == pytest.approx(0.15)


PICKED: dict[str, tuple[str | None, str]] = {"there": ("a", "held"), "": (None, "held"), "not picked": (None, "broken")}
"""Whether the one crate is there, and is picked; and the outcome."""


@pytest.mark.parametrize("crate", PICKED)
def test_a_range_may_have_no_end(crate: str) -> None:
    """Then the nearest object is what must be picked, and nothing only if there is none."""
    picked, outcome = PICKED[crate]
    state = {"heron": {"position": (0.0, 0.0)}, "b": {"position": (0.0, 9e9)}}
    here = state | ({"a": {"position": (5.0, 0.0)}} if crate else {})
    trace = make_trace(
        [here], kinds={"heron": "skiff", "a": "crate", "b": "skiff"}, events=[(0, "pick", "heron", picked)]
    )
    verdict = rays.picks_nearest(
        trace.events("pick"), trace.all("crate"), origin=trace.one(id="heron"), at_most=math.inf
    )
    assert verdict.outcome == outcome


def test_a_wave_of_nothing_is_untested_and_warns_of_nothing() -> None:
    """A computed value that is judged in no span has no sample, and no rounding."""
    trace = make_trace([{"b": {"position": (0.1 * n, 0.0), "on": False}} for n in range(60)], kinds={"b": "buoy"})
    speed, never = trace.all("buoy").speed, trace.all("buoy").on.spans()
    assert movement.oscillates(speed, centre=0, amplitude=1, period=seconds(2), during=never).outcome == "untested"
