"""What the vocabulary's checks make of their less usual arguments, and of what only several sessions or owners show."""

import math
import tempfile
from collections.abc import Callable, Sequence
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from breadcrumb import Circle, Polygon, Recorder, Spans, Trace, Verdict, frames, judge, open_trace, seconds
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.testing import make_trace

Outcome = Callable[[], Verdict]


def line(
    values_by_frame: Sequence[Any], name: str = "n", events: Sequence[tuple[Any, ...]] = (), **about: Any
) -> Trace:
    """Make a session of one keg that has these values of a property, a tenth of a second apart."""
    states: list[dict[str, dict[str, Any]]] = [{"keg": {name: value}} for value in values_by_frame]
    return make_trace(states, kinds={"keg": "keg"}, events=events, declare=["tap", "tick", "error"], **about)


def there(keg: range, splash: range, frames_in_all: int = 10) -> Trace:
    """Make a session of a keg and of the sound that belongs to it, each on some frames."""
    return make_trace(
        [
            {
                **({"keg": {"n": 0.0}} if n in keg else {}),
                **({"splash": {"n": 0.0}} if n in splash else {}),
            }
            for n in range(frames_in_all)
        ],
        kinds={"keg": "keg", "splash": "sound"},
    )


def sound(trace: Trace) -> Any:
    """Return the sounds."""
    return trace.all("sound")


def ticks(*frames_of_ticks: int, length: int = 12) -> Any:
    """Return the ticks of a session."""
    return line([0.0] * length, events=[(n, "tick") for n in frames_of_ticks]).events("tick")


def timers(*those: tuple[int, ...], on: Sequence[bool] = (True,) * 9) -> Trace:
    """Make a session of kegs, each with its own ticks, and a flag that is set on some frames."""
    ids = "ab"[: len(those)]
    events = sorted((frame, "tick", id) for id, mine in zip(ids, those, strict=True) for frame in mine)
    return make_trace([{id: {"on": flag} for id in ids} for flag in on], kinds=dict.fromkeys(ids, "keg"), events=events)


def _each(trace: Trace, period: int, *, lit: bool = False) -> Verdict:
    during = trace.all("keg").on.spans() if lit else None
    return triggers.repeats_every(trace.events("tick"), frames(period), match="subject", during=during)


def burning(*taps: int, lasting: int) -> Verdict:
    """Judge whether oil that stays the same drains by 1 every 0.3 s, for some frames after each tap of nobody."""
    trace = line([9.0] * 8, events=[(n, "tap") for n in taps])
    during = Spans.following(trace.events("tap"), frames(lasting))
    return values.drains(trace.one("keg").n, 1.0, every=seconds(0.3), during=during, only=False)


def easing(values_by_frame: Sequence[float], *taps: int, **how: Any) -> Verdict:
    """Judge whether a keg eases in 0.4 s after taps."""
    trace = line(values_by_frame, events=[(n, "tap", "keg") for n in taps])
    return movement.eases(trace.one("keg").n, at=trace.events("tap"), over=seconds(0.4), tol=1e-6, **how)


def draws(numbers: Sequence[float]) -> Any:
    """Return what was drawn, a number a frame."""
    trace = line(numbers, events=[(n, "tap", "keg") for n in range(len(numbers))])
    return trace.one("keg").n.at(trace.events("tap"))


def cycling(count: int, places: int) -> list[float]:
    """Return draws that take every place in turn."""
    return [float(n % places) for n in range(count)]


MOVED = [(0.0, 0.0), (1.0, 0.0), (7.0, 7.0), (8.0, 7.0), (9.0, 7.0)]

CASES: dict[str, tuple[Outcome, str, str]] = {
    # a verdict, its outcome, and a part of what is said of the first breach, or of why it is untested
    "a sound that goes with its keg": (lambda: spawns.dies_with(sound(there(range(4), range(1, 4))), there(range(4), range(1, 4)).all("keg")), "held", ""),
    "a sound that stays": (lambda: _both(spawns.dies_with, there(range(4), range(1, 7))), "broken", "too long after its keg"),
    "a sound that stays a little": (lambda: _both(spawns.dies_with, there(range(4), range(1, 6)), within=frames(2)), "held", ""),
    "a sound that was gone before": (lambda: _both(spawns.dies_with, there(range(6), range(1, 4))), "untested", "no parts"),
    "a sound that outlives its keg": (lambda: _both(spawns.outlives, there(range(4), range(1, 7)), delay=seconds(0.3)), "held", ""),
    "a sound that is cut off": (lambda: _both(spawns.outlives, there(range(4), range(1, 5)), delay=seconds(0.3)), "broken", "too short after its keg"),
    "a sound that goes on at the end": (lambda: _both(spawns.outlives, there(range(8), range(1, 10)), delay=seconds(0.5)), "untested", "undecided"),
    "a sound that goes on too long at the end": (lambda: _both(spawns.outlives, there(range(2), range(1, 10)), delay=seconds(0.3)), "broken", "so far"),
    "a timer": (lambda: triggers.repeats_every(ticks(1, 4, 7, 10), seconds(0.3)), "held", ""),
    "a timer that misses one": (lambda: triggers.repeats_every(ticks(1, 4, 10), seconds(0.3)), "broken", "1 missing before it"),
    "a timer that doubles": (lambda: triggers.repeats_every(ticks(1, 4, 4, 7, 10), seconds(0.3)), "broken", "one too many"),
    "a timer that is late once": (lambda: triggers.repeats_every(ticks(1, 5, 7, 10), frames(3)), "broken", "1 frame too late"),
    "a timer that is late once, within its tolerance": (lambda: triggers.repeats_every(ticks(1, 5, 7, 10), frames(3), time_tol=frames(1)), "held", ""),
    "a timer that drifts": (lambda: triggers.repeats_every(ticks(0, 3, 6, 10, length=20), seconds(0.32)), "broken", "the next one is missing"),
    "a timer that stops": (lambda: triggers.repeats_every(ticks(1, 4), seconds(0.3)), "broken", "the next one is missing"),
    "a timer that never starts": (lambda: triggers.repeats_every(ticks(), seconds(0.3)), "broken", "the next one is missing"),
    "a timer on time from the start": (lambda: triggers.repeats_every(ticks(3, 6, 9), frames(3), first=frames(3)), "held", ""),
    "two timers, each by itself": (lambda: _each(timers((1, 4, 7), (2, 5, 8)), 3), "held", ""),
    "two timers, of which one misses one": (lambda: _each(timers((1, 4, 7), (2, 8)), 3), "broken", "1 missing before it"),
    "a timer that is switched off for a while": (
        lambda: _each(timers((1, 3, 7, 9), on=[*[False], *[True] * 4, *[False] * 2, *[True] * 4]), 2, lit=True), "held", ""
    ),
    "oil that burns for nobody in particular, anew": (lambda: burning(1, 3, lasting=2), "held", ""),
    "oil that does not burn": (lambda: burning(1, lasting=4), "broken", "9"),
    "a timer that starts late": (lambda: triggers.repeats_every(ticks(6, 9), frames(3), first=frames(3)), "broken", "1 missing"),
    "a timer in spans": (lambda: _in_spans(ticks(1, 3, 7, 9)), "held", ""),
    "a timer that rests in one of its spans": (lambda: _in_spans(ticks(1, 3)), "broken", "the next one is missing"),
    "easing by, with a delay": (lambda: easing([2, 2, 2, 2.5, 3, 3.5, 4], 0, by=2, delay=seconds(0.2)), "held", ""),
    "easing without its delay": (lambda: easing([2, 2.5, 3, 3.5, 4, 4], 0, by=2, delay=seconds(0.2)), "broken", "too high"),
    "easing again, from half-way": (lambda: easing([0, 1, 2, 1.5, 1.0, 0.5, 0], 2, to=0), "held", ""),
    "easing again, from the start": (lambda: easing([0, 1, 2, 3, 4, 4], 0, 2, to=4), "broken", "too high"),
    "easing that ends short": (lambda: easing([0, 1, 2, 3, 3.9], 0, to=4), "broken", "0.1 too low"),
    "a jump with an offset": (lambda: _jump(offset=(0.0, 2.0), to=(7.0, 5.0)), "held", ""),
    "a jump on the wrong spot": (lambda: _jump(offset=(0.0, 2.4), to=(7.0, 5.0)), "broken", "0.4 too far off"),
    "a follower a frame behind": (lambda: _follow(frames(1)), "held", ""),
    "a follower that must not lag": (lambda: _follow(frames(0)), "broken", "off"),
    "fair draws": (lambda: spawns.spreads_over(draws(cycling(60, 4)), [0, 1, 2, 3]), "held", ""),
    "a place that is never drawn": (lambda: spawns.spreads_over(draws(cycling(60, 3)), [0, 1, 2, 3]), "broken", "3 is never drawn"),
    "uneven draws": (lambda: spawns.spreads_over(draws([0.0] * 50 + cycling(12, 4)), [0, 1, 2, 3]), "broken", "drawn unevenly"),
    "too few draws to tell": (lambda: spawns.spreads_over(draws(cycling(19, 4)), [0, 1, 2, 3]), "untested", "19 draws of the 20"),
    "a place that is not drawn yet": (lambda: spawns.spreads_over(draws(cycling(52, 3)), [0, 1, 2, 3]), "untested", "3 was not drawn"),
    "one place": (lambda: spawns.spreads_over(draws([1.0]), [1]), "held", ""),
    "a wall of several pieces": (lambda: _skips([(0.5, -9), (5, 9), (9, -9)]), "broken", "passes through"),
    "a wall, and a jump that may be": (lambda: _skips([(5, -9), (5, 9)], jump=True), "held", ""),
    "passing in a step": (lambda: _passing(swept=True), "broken", "touches touching"),
    "passing in a step, looked at on frames": (lambda: _passing(swept=False), "held", ""),
    "a pace that is kept": (lambda: session.keeps_pace(_wall(0.016, 0.016, 0.016), seconds(0.02)), "held", ""),
    "a frame that takes long": (lambda: session.keeps_pace(_wall(0.016, 0.05, 0.016), seconds(0.02)), "broken", "0.03 s too long"),
    "one frame in three may take long": (lambda: session.keeps_pace(_wall(0.016, 0.05, 0.016), seconds(0.02), share=0.66), "held", ""),
    "other rates, the same": (lambda: _rates(0.2), "held", ""),
    "other rates, another speed": (lambda: _rates(0.21), "broken", "too high"),
    "nothing that is compared": (lambda: session.same_as(line([1.0]), line([2.0]), ignore=["*"]), "untested", "neither events nor objects"),
    "one session alone": (lambda: session.same_at_any_rate([line([0.0])], lambda t: t.one("keg").n), "untested", "1 of 2 sessions"),
    "errors that were asked for": (lambda: _errors("roll is empty", "roll is empty", times=2), "held", ""),
    "an error too many": (lambda: _errors("roll is empty", "roll is empty", times=1), "broken", "too many"),
    "rounds of nobody, alike": (lambda: _rounds([1, 2, 3, 1, 2, 3]), "held", ""),
    "rounds of nobody, not alike": (lambda: _rounds([1, 2, 3, 1, 2, 4]), "broken", "1 too high"),
    "a caption of a text": (lambda: _captioned(["ale", "rum", "rum"], ["ale", "rum", "rum"]), "held", ""),
    "a caption of another text": (lambda: _captioned(["ale", "rum", "ale"], ["ale", "rum", "rum"]), "broken", "differs"),
    "a caption of a flag": (lambda: _captioned(["True", "False", "False"], [True, False, False]), "held", ""),
    "a caption of numbers": (lambda: _captioned(["1.0", "2.0", "1.0"], [1.0, 2.0, 1.0]), "held", ""),
    "an error that did not come": (lambda: _errors(times=1), "broken", "not reported"),
    "a change on the way into a span": (lambda: _steady([3, 3, 5, 5, 3], during=True), "held", ""),
    "a change within a span": (lambda: _steady([3, 3, 5, 6, 3], during=True), "broken", "6"),
    "a change on the way into what is left out": (lambda: _steady([3, 3, 5, 5, 3], during=False), "held", ""),
    "a change elsewhere": (lambda: _steady([3, 4, 5, 5, 3], during=False), "broken", "4"),
    "sounds that go with their own kegs": (lambda: _owned(spawns.dies_with, {"a": 3, "b": 7}, {"a": 3, "b": 7}), "held", ""),
    "a sound that goes with another keg": (lambda: _owned(spawns.dies_with, {"a": 3, "b": 7}, {"a": 7, "b": 7}), "broken", "too long after its keg"),
    "sounds that outlive their own kegs": (lambda: _owned(spawns.outlives, {"a": 6, "b": 3}, {"a": 8, "b": 5}, delay=seconds(0.2)), "held", ""),
    "a sound that goes on as long as another's": (lambda: _owned(spawns.outlives, {"a": 6, "b": 3}, {"a": 8, "b": 8}, delay=seconds(0.2)), "broken", "too long after its keg"),
    "what is not a number, and stays so": (lambda: session.only_these_change(line([math.nan] * 3), []), "held", ""),
    "what changes while it is missing": (lambda: session.only_these_change(line([1.0, None, 2.0]), []), "broken", "1 to 2"),
    "a fall while it is missing": (lambda: values.never_falls(line([3.0, None, 2.0]).one("keg").n), "broken", "falls by 1"),
    "a touch that was there before the trace": (lambda: _told(0, 1), "untested", "undecided"),
    "a touch that nothing tells of": (lambda: _told(3, 4), "broken", "no event"),
    "a touch while the other's place is missing": (lambda: _told(told=2, lost=2), "untested", "undecided"),
    "a touch that is told elsewhere": (lambda: _told(told=2, lost=5), "broken", "no touch"),
    "what may change by pattern": (lambda: session.only_these_change(line([1.0, 2.0]), ["k*.n"]), "untested", "no columns"),
    "a law with its velocity": (lambda: _falling(1.0), "held", ""),
    "a law that is not obeyed": (lambda: _falling(1.2), "broken", "off"),
    "a stop by its recorded speed, in spans": (lambda: _stopping(0.6, 0.4, 0.2, 0.0, 0.0), "held", ""),
    "a stop that creeps, in spans": (lambda: _stopping(0.6, 0.4, 0.2, 0.02, 0.02), "broken", "too fast"),
    "an angle that moves": (lambda: movement.moves(line([0.0, 3.0, 6.0, 9.0]).one("keg").n, 2.0, within=frames(1)), "held", ""),
    "an angle that stands": (lambda: movement.moves(line([0.0, 3.0, 3.0, 9.0]).one("keg").n, 2.0, within=frames(1)), "broken", "too low"),
    "everyone at each ring": (lambda: _everyone(("a", 1), ("b", 1), ("a", 3)), "held", ""),
    "one left out at a ring": (lambda: _everyone(("a", 1), ("a", 3)), "broken", "placed is missing"),
    "spans that end for everyone": (lambda: _until_everyone_s_end(3), "held", ""),
    "spans that go on behind that": (lambda: _until_everyone_s_end(5), "broken", "n is 1"),
    "a restart in time": (lambda: _restarted(2, 4, back=9), "held", ""),
    "a restart behind what never came": (lambda: _restarted(1, 8, back=13), "broken", "tick is missing"),
    "two same_across": (lambda: _alike((0.0, 1.0, 2.0), (0.0, 1.0, 2.0)), "held", ""),
    "the first given is what others are compared with": (lambda: _alike((0.0, 1.0, 5.0), (0.0, 1.0, 2.0)), "broken", "5"),
    "none of a known kind": (lambda: _sparks(at_least=1), "broken", "0"),
    "an angle of its own unit faces a place": (lambda: _facing(3.0), "held", ""),
    "an angle of its own unit faces elsewhere": (lambda: _facing(0.5), "broken", "1 deg off"),
    "a turn through the wrap": (lambda: movement.turns_at(line([350.0, 10.0, 30.0], "yaw", angles={"unit": "deg"}).one("keg").yaw, 200), "held", ""),
    "inside a polygon, by its radius": (lambda: movement.stays_inside(line([(1.0, 1.0)], "p").one("keg").p, Polygon(((0, 0), (4, 0), (0, 4))), radius=1.1), "broken", "0.1 outside"),
}  # fmt: skip


def _facing(tol: float) -> Verdict:
    """A lamp whose angle is recorded in degrees, though the session's angles are in radians, is a degree off."""
    states = [{"lamp": {"position": (0.0, 0.0), "turn": 46.0}}]
    about: dict[str, Any] = {
        "axes": {"x": "east", "y": "north"},
        "angles": {"unit": "rad", "zero": "east", "sense": "counter-clockwise"},
        "units": {"turn": "deg"},
    }
    lamp = make_trace(states, kinds={"lamp": "lamp"}, **about).one("lamp")
    return movement.faces(lamp, (2.0, 2.0), angle="turn", tol=tol)


def _steady(numbers: Sequence[float], *, during: bool) -> Verdict:
    """A number that is judged within the spans in which it is 5 and more, or outside them."""
    n = line(numbers).one("keg").n
    high = (n >= 5).spans()
    return values.unchanged(n, during=high) if during else values.unchanged(n, except_during=high)


def _owned(check: Callable[..., Verdict], kegs: dict[str, int], sounds: dict[str, int], **more: Any) -> Verdict:
    """Two kegs that leave on some frames, each with a sound of its own from frame 1 on, which leaves on another."""
    things = [SimpleNamespace(id=who, owner=None, n=0.0, until=until) for who, until in kegs.items()]
    parts = [SimpleNamespace(id=f"of-{who}", owner=who, n=0.0, until=until) for who, until in sounds.items()]
    frame = 0
    with tempfile.TemporaryDirectory() as folder:
        with Recorder(f"{folder}/owned.crumbs") as rec:
            rec.watch_each(lambda: [one for one in things if frame < one.until], kind="keg", id="id", n="n")
            rec.watch_each(
                lambda: [one for one in parts if 1 <= frame < one.until], kind="sound", id="id", parent="owner", n="n"
            )
            for frame in range(10):
                rec.frame(frame / 10)
        trace = open_trace(f"{folder}/owned.crumbs")
        return check(trace.all("sound"), trace.all("keg"), **more)


def _told(*touching: int, told: int | None = None, lost: int | None = None) -> Verdict:
    """Two kegs that touch on some frames, of which events tell, and of which one is nowhere on another frame."""
    states: list[dict[str, dict[str, Any]]] = [
        {"a": {"p": (0.0, 0.0)}, "b": {"p": None if n == lost else (float(n not in touching), 0.0)}} for n in range(8)
    ]
    events = [(told, "bump", "a")] if told is not None else []
    trace = make_trace(states, kinds={"a": "keg", "b": "boat"}, events=events, declare=["bump"])
    touches = collisions.touching(trace.one("keg").p, trace.one("boat").p, radius=0.5)
    return collisions.reports_every_touch(trace.events("bump"), touches)


def _stopping(*speeds: float) -> Verdict:
    keg = line(list(speeds)).one("keg")
    return movement.slows_by(keg, 2.0, velocity=keg.n, during=keg.lifetimes)


def _alike(a: Sequence[float], b: Sequence[float]) -> Verdict:
    """Keg b comes first here, though it comes behind a in the trace."""
    trace = make_trace(
        [{"a": {"n": x}, "b": {"n": y}} for x, y in zip(a, b, strict=True)], kinds={"a": "keg", "b": "keg"}
    )
    return values.same_across([trace.one(id="b").n, trace.one(id="a").n])


def _sparks(at_least: int) -> Verdict:
    """A kind that was watched, and of which there never was one."""
    trace = make_trace([{"a": {"n": 0.0}}] * 3, kinds={"a": "keg", "s": "spark"})
    return spawns.count_stays(trace.all("spark"), at_least=at_least)


def _restarted(*taps: int, back: int) -> Verdict:
    """A keg comes back half a second after it was last tapped."""
    events = [*((n, "tap", "keg") for n in taps), (back, "tick", "keg")]
    trace = line([0.0] * 16, events=events)
    exact = (seconds(0.5), seconds(0.5))
    return triggers.leads_to(trace.events("tap"), trace.events("tick"), within=exact, retrigger=True)


def _everyone(*placed: tuple[str, int]) -> Verdict:
    """Two kegs, of which b has left by the second ring."""
    states: list[dict[str, Any]] = [{"a": {"n": 0.0}, **({"b": {"n": 0.0}} if n < 3 else {})} for n in range(5)]
    events = [(1, "ring"), (3, "ring"), *((n, "placed", who) for who, n in placed)]
    trace = make_trace(states, kinds={"a": "keg", "b": "keg"}, events=events)
    return triggers.leads_to(
        trace.events("ring").for_each(trace.all("keg").lifetimes), trace.events("placed"), within=frames(0)
    )


def _until_everyone_s_end(end: int) -> Verdict:
    """A keg is let go on frame 1 and stands until frame 3; nobody in particular ends it."""
    trace = line([0.0, 0.0, 0.0, 0.0, 1.0, 1.0], events=[(1, "let.go", "keg"), (end, "shift.end")])
    until = Spans.between(trace.events("let.go"), trace.events("shift.end"))
    return judge(trace.one("keg").n == 0, "it stands", during=until)


def _both(check: Callable[..., Verdict], trace: Trace, **more: Any) -> Verdict:
    return check(sound(trace), trace.all("keg"), **more)


def _in_spans(tick: Any) -> Verdict:
    nobody = np.array([-1, -1])
    spans = Spans.of_lifetimes(tick.session, "shifts", nobody, np.array([0, 6]), np.array([4, 10]))
    return triggers.repeats_every(tick, frames(2), first=frames(1), during=spans)


def _jump(offset: Sequence[float], to: Sequence[float]) -> Verdict:
    trace = line(MOVED, "p", [(2, "tap", "keg")])
    return movement.teleports_to(trace.one("keg").p, to, at=trace.events("tap"), offset=offset)


def _follow(lag: Any) -> Verdict:
    states = [{"a": {"p": (float(n), 0.0)}, "b": {"p": (max(n - 1.0, 0.0), 1.0)}} for n in range(6)]
    trace = make_trace(states, kinds={"a": "boat", "b": "gull"})
    return movement.follows(trace.one("gull").p, trace.one("boat").p, offset=(0, 1), lag=lag)


def _skips(wall: Sequence[Sequence[float]], *, jump: bool = False) -> Verdict:
    trace = line(MOVED, "p", [(2, "tap", "keg")])
    return collisions.never_tunnels(trace.one("keg").p, wall, except_at=trace.events("tap") if jump else None)


def _passing(*, swept: bool, radius: float = 0.5) -> Verdict:
    states = [{"a": {"p": (x, 0.0)}, "b": {"p": (-x, 0.1)}} for x in (-5.0, 5.0)]
    trace = make_trace(states, kinds={"a": "keg", "b": "boat"})
    return collisions.never_touches(trace.one("keg").p, trace.one("boat").p, radius=radius, swept=swept)


def _wall(*steps: float) -> Trace:
    with tempfile.TemporaryDirectory() as folder:
        with Recorder(f"{folder}/wall.crumbs") as rec:
            for frame, wall in enumerate(np.cumsum((0.0, *steps)).tolist()):
                rec.frame(frame / 60, wall=wall)
        return open_trace(f"{folder}/wall.crumbs")


def _rates(step: float) -> Verdict:
    slow = line([step * n for n in range(6)], times=[0.2 * n for n in range(6)])
    return session.same_at_any_rate([line([0.1 * n for n in range(12)]), slow], lambda t: t.one("keg").n, tol=1e-9)


def _rounds(numbers: list[float]) -> Any:
    states = [{"k": {"n": float(one)}} for one in numbers]
    events = [(0, "begin"), (2, "end"), (3, "begin"), (5, "end")]
    trace = make_trace(states, kinds={"k": "keg"}, events=events)
    rounds = Spans.between(trace.events("begin"), trace.events("end"))
    return values.same_across(trace.one("keg").n.per(rounds))


def _captioned(captions: list[str], shown: list[Any]) -> Any:
    states = [{"k": {"caption": one, "value": value}} for one, value in zip(captions, shown, strict=True)]
    keg = make_trace(states, kinds={"k": "keg"}).one("keg")
    return values.shows(keg.caption, keg.value)


def _errors(*messages: str, times: int) -> Verdict:
    events = [(n, "error", "keg", None, {"message": message}) for n, message in enumerate(messages)]
    return session.reports_error(line([0.0] * 3, events=events), "roll *", times=times)


def _falling(share: float) -> Verdict:
    states = [{"keg": {"p": (0.0, 0.0), "v": (1.0, -9.81 * share * n / 10)}} for n in range(6)]
    keg = make_trace(states, kinds={"keg": "keg"}).one("keg")
    return movement.accelerates_like(keg.p, keg.p * 0.0 + (0.0, -9.81), velocity=keg.v, tol=1e-6)


@pytest.mark.parametrize("name", CASES)
def test_the_outcome_is_the_one_worked_out_by_hand(name: str) -> None:
    """Each case has its outcome, and says why."""
    verdict, outcome, words = CASES[name]
    found = verdict()
    assert found.outcome == outcome, found.explain()
    if outcome == "broken":
        assert found.first is not None
        assert words in f"{found.first.words} {found.first.measured}"
    if outcome == "untested":
        assert words in found.why_untested


LAMP = line([(0.0, 0.0)], "p").one("keg").p
MISTAKES: dict[str, tuple[Callable[[], object], type[Exception], str]] = {
    "no limit": (lambda: movement.stays_between(line([1.0]).one("keg").n), Misuse, "found neither"),
    "no count": (lambda: spawns.count_stays(line([1.0]).all("keg")), Misuse, "found neither"),
    "to and by": (lambda: easing([0, 1], 0, to=1, by=1), Misuse, "one of to= and by="),
    "a curve that is none": (lambda: easing([0, 1], 0, to=1, curve="cubic inout"), UnknownName, "cubic in-out"),
    "a way without length": (lambda: movement.stays_on_line(line([(0.0, 0.0)], "p").one("keg").p, along=(0, 0)), Misuse, "have a length"),
    "keys that fall": (
        lambda: movement.follows_keys(line([1.0]).one("keg").n, [(seconds(1), 1), (seconds(0), 2)], at=ticks(0)), Misuse, "rise"
    ),
    "a period of nothing": (lambda: triggers.repeats_every(ticks(0), seconds(0)), Misuse, "longer than 0"),
    "a wall of one point": (lambda: _skips([(0, 0)]), Misuse, "two or more points"),
    "a wall of no end": (lambda: _skips([(0, 0), (0, float("inf"))]), Misuse, "two or more points of two finite"),
    "an endless way": (lambda: movement.stays_on_line(line([(0.0, 0.0)], "p").one("keg").p, along=(math.inf, 0)), Misuse, "have a length"),
    "a path of nothing": (lambda: movement.moves(line([0.0] * 3).one("keg").n, 0, within=frames(1)), Misuse, "longer than 0"),
    "a radius below 0": (lambda: _passing(swept=True, radius=-0.5), Misuse, "radius: expected a finite number from 0 up, found -0.5"),
    "an endless radius": (lambda: _passing(swept=True, radius=math.inf), Misuse, "radius: expected a finite number"),
    "a step below 0": (lambda: movement.never_teleports(line([(0.0, 0.0)], "p").one("keg").p, -math.inf), Misuse, "at_most: expected"),
    "a range below 0": (
        lambda: rays.picks_nearest(ticks(0), line([0.0]).all("keg"), origin=line([0.0]).one("keg"), at_most=-1.0), Misuse, "at_most: expected"
    ),
    "rays below 0": (lambda: rays.reports_first_hit(ticks(), [Circle((0, 0), 1.0)], at_most=-1.0), Misuse, "at_most: expected"),
    "a beam below 0": (
        lambda: rays.ends_where_it_hits(LAMP, [Circle((0, 0), 1.0)], origin=LAMP, direction=LAMP, otherwise=-1.0), Misuse, "expected otherwise= as a length"
    ),
    "an entry that is none": (
        lambda: triggers.leads_to(ticks(0), ticks(1), within=frames(1), match="subjct"), UnknownName, "no entry 'subjct'; did you mean 'subject'"
    ),
    "no effect": (lambda: triggers.leads_to(ticks(0), ticks(1), within=frames(1), times=0), Misuse, "times: expected 1 or more"),
    "occasions below 0": (lambda: triggers.happens_once(ticks(0), occasions=-1), Misuse, "a whole number from 0 up, found -1"),
    "fewer than none": (lambda: triggers.respects_rate_limit(ticks(0), -3, per=frames(1)), Misuse, "a whole number from 0 up, found -3"),
    "which way is up": (lambda: collisions.rests_on(line([(0.0, 0.0)], "p").one("keg").p, 0), Misuse, "which way is up"),
    "a text for a number": (lambda: values.shows(line([1.0]).one("keg").n, line([1.0]).one("keg").n), Misuse, "expected a text"),
    "one thing in order": (lambda: triggers.happens_in_order(ticks(0), within=frames(1)), Misuse, "two things"),
    "a property that is none": (lambda: session.only_these_change(line([1.0]), ["keg.m"]), UnknownName, "keg.n"),
    "a region in more dimensions": (lambda: movement.stays_inside(line([(0.0, 0.0)], "p").one("keg").p, Circle((0, 0, 0), 1)), Misuse, "dimensions"),
}  # fmt: skip


@pytest.mark.parametrize("name", MISTAKES)
def test_what_cannot_be_meant_is_an_error(name: str) -> None:
    """A check that is asked for something without meaning says what it expected, and never passes."""
    mistake, error, words = MISTAKES[name]
    with pytest.raises(error, match=words):
        mistake()


def test_a_property_that_changes_its_type_is_found_where_it_does() -> None:
    """A number that becomes a text, a text a number and a flag a text are each named with the frame, and are missing."""
    boat = SimpleNamespace(x=1.0, state="idle", lit=True)
    with tempfile.TemporaryDirectory() as folder:
        with Recorder(f"{folder}/types.crumbs") as rec:
            rec.watch(boat, id="heron", kind="skiff", x="x", state="state", lit="lit")
            for frame in range(5):
                if frame == 2:
                    boat.x, boat.state, boat.lit = "far", 3, "no"
                rec.frame(frame / 60)
        verdict = session.keeps_types(open_trace(f"{folder}/types.crumbs"))
    assert (verdict.outcome, verdict.breach_count, verdict.tested) == ("broken", 3, 3)
    assert verdict.first is not None
    assert (verdict.first.object, verdict.first.frame) == ("heron", 2)


def test_heading_and_speed_are_derived_from_where_things_are() -> None:
    """The heading is the direction of the step in the session's convention, and missing while a thing stands."""
    about: dict[str, Any] = {
        "axes": {"x": "east", "y": "north"},
        "angles": {"unit": "deg", "zero": "north", "sense": "clockwise"},
    }
    states = [{"heron": {"position": place}} for place in ((0.0, 0.0), (1.0, 0.0), (1.0, 0.0), (0.0, -1.0))]
    heron = make_trace(states, kinds={"heron": "skiff"}, **about).one("skiff")
    assert heron.heading.usable.tolist() == [False, True, False, True]
    assert heron.heading.values[[1, 3]].tolist() == pytest.approx([90.0, 225.0])
    assert heron.speed.values[1:].tolist() == pytest.approx([10.0, 0.0, 10 * math.sqrt(2)])


def test_what_may_change_is_neither_tested_nor_missing() -> None:
    """Frames on which a change is allowed, and a lifetime's first one, are left out; a value that is missing is counted."""
    for lost, tested in ((None, 3), (6, 2)):
        numbers = [None if n == lost else 3.0 if n < 2 else 5.0 for n in range(7)]
        trace = line(numbers, events=[(2, "tap", "keg"), (0, "tap", "keg")])
        tap, n = trace.events("tap"), trace.one("keg").n
        verdict = values.unchanged(n, except_at=tap)
        assert (verdict.outcome, verdict.tested, verdict.missing) == ("held", tested, 3 - tested)
        within = values.unchanged(n, except_at=tap, during=trace.one("keg").lifetimes)
        assert (within.outcome, within.tested) == ("held", tested)
        assert values.unchanged(n, except_at=tap.where(tap.clock_index == 0)).outcome == "broken"
        assert (values.unchanged(n).tested, values.unchanged(n).missing) == (tested + 3, 3 - tested)


def test_a_value_that_is_missing_takes_nothing_off_the_margin() -> None:
    """A lifetime's first sample has no speed, and a gap none either; what stands in their place is never looked at."""
    gap = line([(0.5 * n, 0.0) if n != 4 else None for n in range(9)], "position").one("keg")
    assert gap.speed.usable.tolist() == [False, True, True, True, False, False, True, True, True]
    whole = line([(0.5 * n, 0.0) for n in range(9)], "position").one("keg")
    for keg, tested in ((gap, 6), (whole, 8)):
        verdict = movement.stays_between(keg.speed, -1, 20)
        assert verdict.margin is not None
        assert verdict.margin.value == pytest.approx(6.0)
        assert (verdict.tested, verdict.missing) == (tested, 9 - tested)
        assert [tally.worst for tally in verdict.by_object()] == pytest.approx([6.0])


def test_an_acceleration_under_a_varying_step_is_over_half_the_sum_of_its_steps() -> None:
    """On a parabola it is exact, whatever the steps, and missing on a lifetime's first two samples."""
    times = (0.0, 0.1, 0.3, 0.35, 0.7)
    heron = line([(t * t, 0.0) for t in times], "position", times=times).one("keg")
    assert heron.acceleration.usable.tolist() == [False, False, True, True, True]
    assert heron.acceleration.x.values[2:].tolist() == pytest.approx([2.0, 2.0, 2.0])


def test_messages_that_differ_by_a_number_are_told_as_one() -> None:
    """A flood says how often it came, until when, and that its numbers differ; what came once is told by itself."""
    events: list[tuple[Any, ...]] = [
        (n, "error", "hatch", None, {"message": f"roll {n} of 9.5 is empty"}) for n in range(1, 5)
    ]
    events += [
        (5, "error", None, None, {"message": "no oar"}),
        (6, "error", None, None, {"message": "at 7"}),
        (7, "error", None, None, {"message": "at 7"}),
    ]
    trace = make_trace([{"hatch": {"x": 1.0}}] * 9, kinds={"hatch": "hatch"}, events=events)
    first = session.runs_clean(trace).first
    assert first is not None
    assert (first.object, first.words) == ("hatch", "a script error, 4 times up to frame 4 with other numbers")
    told = [
        session.runs_clean(trace, allow=dict.fromkeys(allow, "known")).first
        for allow in (["roll *"], ["roll *", "no oar"])
    ]
    assert [one.words for one in told if one] == ["a script error", "a script error, 2 times up to frame 7"]
