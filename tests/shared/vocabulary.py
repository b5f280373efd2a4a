"""The vocabulary of checks: sessions made by hand in which each is held, broken, untested or undecided.

The sessions have two barrels, of which b has two lifetimes, a gap in the frame numbers, and steps that vary.
"""

import math
import tempfile
from collections.abc import Callable, Sequence
from types import SimpleNamespace
from typing import Any, NamedTuple

import numpy as np

from breadcrumb import Box, Circle, Recorder, Trace, Verdict, frames, open_trace, seconds
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values
from breadcrumb.checks.declaration import DECLARED, Declaration
from breadcrumb.testing import make_trace

TIMES = (0.0, 0.1, 0.3, 0.4, 0.5, 0.7, 0.8, 0.9, 1.0, 1.2)
FRAMES = (0, 1, 2, 3, 4, 8, 9, 10, 11, 12)
ABOUT: dict[str, Any] = {
    "axes": {"x": "east", "y": "north"},
    "angles": {"unit": "deg", "zero": "east", "sense": "counter-clockwise"},
    "units": {"p": "m", "position": "m", "end": "m"},
}
UPRIGHT = {"y": "up"}
EVENTS = ("tap", "ring", "stop", "in", "out", "error")
Changes = dict[tuple[str, int], dict[str, Any]]


def declaration_of(name: str) -> Declaration:
    """Return the declaration of a row's check; its first word is the check, with its module where two are called so."""
    first = name.split()[0]
    exact = DECLARED.get(first) or DECLARED.get(f"spawns.{first}")
    return exact or next(one for full, one in DECLARED.items() if full.endswith(f".{first}"))


def crowd(
    change: Changes | None = None,
    events: Sequence[tuple[Any, ...]] = (),
    gone: Sequence[str] = (),
    axes: dict[str, str] | None = None,
    shapes: dict[str, Any] | None = None,
    **props: Callable[[float], Any],
) -> Trace:
    """Make a session of barrels whose properties are functions of time, but for some changes; b is not there on place 4."""
    states: list[dict[str, dict[str, Any]]] = []
    for place, t in enumerate(TIMES):
        there = [who for who in "ab" if who not in gone and (who, place) != ("b", 4)]
        states.append({who: {name: of(t) for name, of in props.items()} for who in there})
    for (who, place), changed in (change or {}).items():
        states[place].setdefault(who, {}).update(changed)
    return make_trace(
        states, kinds={"a": "barrel", "b": "barrel"}, times=TIMES, frames=FRAMES, events=events, declare=EVENTS,
        **ABOUT | ({"axes": axes} if axes else {}) | ({"shapes": shapes} if shapes else {}),
    )  # fmt: skip


DISC = {"barrel": {"circle": 1.0}}


def cast(place: int, on: str | None, distance: float | None) -> list[tuple[Any, ...]]:
    """Return a ray of `a`, from the origin to the east."""
    return at("tap", place, on=on, origin=[0.0, 0.0], direction=[2.0, 0.0], distance=distance)


def apart(t: float) -> Any:
    """Return a place to the east."""
    return 5.0, 0.0


def rolled(*faces: int) -> list[tuple[Any, ...]]:
    """Return throws of a die, 15 of each face; what it has not is thrown once, at the end."""
    thrown = [face for face in faces if face <= 6] * 15 + [face for face in faces if face > 6]
    return [one for face in thrown for one in at("tap", 6 if face > 6 else 2, low=1, high=6, value=face)]


def at(name: str, *places: int, who: str | None = "a", on: str | None = None, **data: Any) -> list[tuple[Any, ...]]:
    """Return events at these places of the frames."""
    return [(place, name, who, on, data or None) for place in places]


def turns(t: float) -> float:
    """Return 3 and 4 in turn."""
    return 3.0 + round(t * 10) % 2


def east(t: float) -> tuple[float, float]:
    """Move east at 5 m/s."""
    return (5 * t, 0.0)


def kegs(t: Trace) -> Any:
    """Return the barrels."""
    return t.all("barrel")


class Row(NamedTuple):
    """One check, and sessions in which it has each outcome."""

    check: Callable[[Trace], Verdict]
    held: Trace
    margin: float | None
    broken: Trace
    breach: tuple[str, int, str]
    """The object, the frame and what was measured of the first breach."""
    excess: float | None
    """The margin of the broken verdict."""
    untested: Trace
    undecided: Trace | None = None
    """A session with one occasion that cannot be decided, or a value that is missing."""


NOBODY = crowd(gone="ab", p=east)
moving = crowd(p=east)
ACCEPTED = [crowd(p=east) for _ in range(7)]
finer = make_trace(
    [{who: {"p": east(t)} for who in "ab"} for t in np.linspace(0.0, 1.2, 25)],
    kinds={"a": "barrel", "b": "barrel"}, times=np.linspace(0.0, 1.2, 25).tolist(), **ABOUT,
)  # fmt: skip
still = crowd(p=lambda t: (1.0, 2.0), lit=lambda t: True, n=lambda t: 3.0, state=lambda t: "idle")
lost = {("a", 3): {"p": None}}


def after(place: int, of: Callable[[float], Any], who: str = "ab", name: str = "n") -> Changes:
    """Return changes of a property from a place on."""
    return {(one, n): {name: of(TIMES[n])} for one in who for n in range(place, 10) if (one, n) != ("b", 4)}


def hop(t: float) -> float:
    """Return the height of a hop of 1 that begins at 0.4 and takes 0.5 s."""
    u = min(max((t - 0.4) / 0.5, 0.0), 1.0)
    return 4 * u * (1 - u)


def wave(t: float) -> float:
    """Return a swing of 2 about 1, every 0.5 s."""
    return 1 + 2 * math.sin(4 * math.pi * t + 0.3)


def slowing(t: float) -> float:
    """Return a speed that falls by 2 each second from 1 to 0."""
    return max(1 - 2 * t, 0.0)


touches = after(0, lambda t: (5 * t - 2.5, 0.0), "a", "p") | after(0, lambda t: (0.0, 0.0), "b", "p")


def spark(*places: int, taps: Sequence[int] = (1, 6)) -> Trace:
    """Make a session with taps of barrel a at some places, and a spark at others."""
    states: list[dict[str, dict[str, Any]]] = [{"s": {"n": 1.0}} if place in places else {} for place in range(10)]
    return make_trace(
        states, kinds={"s": "spark"}, times=TIMES, frames=FRAMES, events=at("tap", *taps), declare=EVENTS, **ABOUT
    )


def splash(barrel: range, splashes: range) -> Trace:
    """Make a session of a barrel and the sound that belongs to it, each at some places."""
    states: list[dict[str, dict[str, Any]]] = [
        {**({"a": {"n": 0.0}} if n in barrel else {}), **({"s": {"n": 0.0}} if n in splashes else {})}
        for n in range(10)
    ]
    return make_trace(states, kinds={"a": "barrel", "s": "sound"}, times=TIMES, frames=FRAMES, **ABOUT)


def reborn(places: dict[int, Any], other: int = -1, size: float | None = 3.5) -> Trace:
    """Make a session in which barrels appear at some places of the frames, each for one frame, somewhere; one of a size."""
    states: list[dict[str, dict[str, Any]]] = [
        {"b": {"p": places[n], "position": places[n], "n": size if n == other else 3.5}} if n in places else {}
        for n in range(10)
    ]
    return make_trace(states, kinds={"b": "barrel"}, times=TIMES, frames=FRAMES, **ABOUT)


shown: Changes = {("a", n): {"n": 5.0 if n > 2 else 2.0 if n > 1 else 1.0} for n in range(1, 10)}
"""A sequence that begins on place 1: 1 for 0.1 s, 2 for 0.2 s, and then 5."""


def recorded(*walls: float | None, state: Sequence[Any] = ()) -> Trace:
    """Record frames that took so long by a real clock, or were not timed, and what state a barrel was in."""
    barrel = SimpleNamespace(state="idle")
    with tempfile.TemporaryDirectory() as folder:
        with Recorder(f"{folder}/walls.crumbs") as rec:
            rec.watch(barrel, id="a", kind="barrel", state="state")
            for place, wall in enumerate(walls):
                barrel.state = state[place] if state else "idle"
                rec.frame(place / 60, wall=wall)
        return open_trace(f"{folder}/walls.crumbs")


ROWS: dict[str, Row] = {
    "stays_inside": Row(
        lambda t: movement.stays_inside(kegs(t).p, Box((-1, -1), (7, 1)), radius=0.5),
        moving,
        0.5,
        crowd({("b", 6): {"p": (8.0, 0.0)}}, p=east),
        ("b", 9, "(8, 0) m"),
        -1.5,
        NOBODY,
        crowd(lost, p=east),
    ),
    "keeps_speed": Row(
        lambda t: movement.keeps_speed(kegs(t).p, 5.0, tol=0.5),
        moving,
        0.5,
        crowd({("b", 6): {"p": (8.0, 0.0)}}, p=east),
        ("b", 9, "45 m/s"),
        -39.5,
        NOBODY,
        crowd(lost, p=east),
    ),
    "never_teleports": Row(
        lambda t: movement.never_teleports(kegs(t).p, 1.5),
        moving,
        0.5,
        crowd({("b", 6): {"p": (8.0, 0.0)}}, p=east),
        ("b", 9, "4.5 m"),
        -3.0,
        NOBODY,
        crowd(lost, p=east),
    ),
    "bounces": Row(
        lambda t: collisions.bounces(kegs(t), at=t.events("tap"), tol=0.1),
        crowd(after(5, lambda t: (6.0 - 5 * t, 0.0), "a", "position"), at("tap", 5, normal=[-2.0, 0.0]), position=east),
        0.1,
        crowd(events=at("tap", 5, normal=[-1.0, 0.0]), position=east),
        ("a", 8, "(5, 0) m/s"),
        -9.9,
        crowd(position=east),
        crowd(events=at("tap", 9, normal=[1.0, 0.0]), position=east),
    ),
    "leads_to": Row(
        lambda t: triggers.leads_to(t.events("tap"), t.events("ring"), within=seconds(0.25)),
        crowd(events=at("tap", 1, 6) + at("ring", 2, 8), p=east),
        0.05,
        crowd(events=at("tap", 1, 6) + at("ring", 8), p=east),
        ("a", 2, "none"),
        -0.25,
        moving,
        crowd(events=at("tap", 9), p=east),
    ),
    "respects_cooldown": Row(
        lambda t: triggers.respects_cooldown(t.events("ring"), seconds(0.3)),
        crowd(events=at("ring", 0, 2, 6), p=east),
        0.0,
        crowd(events=at("ring", 0, 6) + at("ring", 0, 1, who="b"), p=east),
        ("b", 1, "0.1 s"),
        -0.2,
        moving,
    ),
    "lasts": Row(
        lambda t: spawns.lasts(t.all("spark"), (seconds(0.2), seconds(0.3))),
        spark(1, 6, 7),
        0.0,
        spark(1, 6),
        ("s", 10, "0.1 s"),
        -0.1,
        moving,
        spark(8, 9),
    ),
    "one_for_each": Row(
        lambda t: spawns.one_for_each(t.events("tap"), t.all("spark"), within=frames(1)),
        spark(1, 2, 6),
        1.0,
        spark(1, 2),
        ("a", 10, "none"),
        -1.0,
        moving,
        spark(1, 2, taps=(1, 9)),
    ),
    "dies_with": Row(
        lambda t: spawns.dies_with(t.all("sound"), t.all("barrel"), within=seconds(0.2)),
        splash(range(4), range(1, 5)),
        0.0,
        splash(range(4), range(1, 8)),
        ("s", 8, "0.5 s"),
        -0.3,
        splash(range(6), range(1, 4)),
        splash(range(9), range(1, 10)),
    ),
    "outlives": Row(
        lambda t: spawns.outlives(t.all("sound"), t.all("barrel"), delay=seconds(0.2)),
        splash(range(4), range(1, 5)),
        None,
        splash(range(4), range(1, 4)),
        ("s", 4, "0 s"),
        None,
        moving,
        splash(range(9), range(1, 10)),
    ),
    "keeps_pace": Row(
        lambda t: session.keeps_pace(t, seconds(0.02)),
        recorded(0.0, 0.016, 0.032),
        None,
        recorded(0.0, 0.016, 0.066),
        ("", 2, "0.05 s"),
        None,
        moving,
        recorded(0.0, 0.016, None, 0.04, 0.056),
    ),
    "keeps_types": Row(
        session.keeps_types,
        moving,
        None,
        recorded(0.0, 0.1, 0.2, state=("idle", "idle", 3)),
        ("a", 2, "another type"),
        None,
        make_trace([], kinds={}),
    ),
    "runs_clean": Row(
        session.runs_clean,
        moving,
        None,
        crowd(events=at("error", 3, message="no oar"), p=east),
        ("a", 3, "no oar"),
        None,
        make_trace([], kinds={}),
    ),
    "consistent_with": Row(
        lambda t: session.consistent_with(t, ACCEPTED),
        moving,
        None,
        crowd(events=at("error", 3), p=east),
        ("a", 3, "1 time"),
        None,
        make_trace([{}], kinds={}, times=[0.0]),
    ),
    "same_as": Row(
        lambda t: session.same_as(t, moving),
        moving,
        None,
        crowd({("b", 6): {"p": (8.0, 0.0)}}, p=east),
        ("b", 9, "(8, 0) m"),
        None,
        make_trace([], kinds={}),
    ),
    "same_at_any_rate": Row(
        lambda t: session.same_at_any_rate(
            [finer, t], lambda one: one.all("barrel").p.x.take(np.arange(len(one.all("barrel").p) // 2)), tol=0.1
        ),
        moving,
        0.1,
        crowd({("a", 6): {"p": (8.0, 0.0)}}, p=east),
        ("a", 9, "8 m"),
        None,
        NOBODY,
        crowd(lost, p=east),
    ),
    "stays_between": Row(
        lambda t: movement.stays_between(kegs(t).p.x, 0, 7, tol=0.5),
        moving,
        0.5,
        crowd({("b", 6): {"p": (8.0, 0.0)}}, p=east),
        ("b", 9, "8 m"),
        -0.5,
        NOBODY,
        crowd(lost, p=east),
    ),
    "stays_outside": Row(
        lambda t: movement.stays_outside(kegs(t).p, Box((7, -1), (9, 1)), radius=0.5),
        moving,
        0.5,
        crowd({("b", 6): {"p": (8.0, 0.0)}}, p=east),
        ("b", 9, "(8, 0) m"),
        -1.5,
        NOBODY,
        crowd(lost, p=east),
    ),
    "stays_on_line": Row(
        lambda t: movement.stays_on_line(kegs(t).p, along=(2, 0), tol=0.1),
        moving,
        0.1,
        crowd({("b", 6): {"p": (4.0, 0.4)}}, p=east),
        ("b", 9, "0.4 m"),
        -0.3,
        NOBODY,
        crowd(lost, p=east),
    ),
    "teleports_to": Row(
        lambda t: movement.teleports_to(kegs(t).p, (9, 9), at=t.events("tap"), tol=0.5),
        crowd({("a", 3): {"p": (9.0, 9.2)}}, at("tap", 3), p=east),
        0.3,
        crowd({("a", 3): {"p": (9.0, 8.0)}}, at("tap", 3), p=east),
        ("a", 3, "1 m"),
        -0.5,
        moving,
        crowd(events=at("tap", 4, who="b"), p=east),
    ),
    "follows": Row(
        lambda t: movement.follows(kegs(t).p, t.one(id="a").p, offset=(0, 0), tol=0.2),
        moving,
        0.2,
        crowd({("b", 6): {"p": (4.5, 0.0)}}, p=east),
        ("b", 9, "(0.5, 0) m"),
        -0.3,
        crowd({("a", n): {"p": None} for n in range(10)}, p=east),
        crowd(lost, p=east),
    ),
    "returns_to": Row(
        lambda t: movement.returns_to(kegs(t).p, (0, 0), after=t.events("tap"), within=seconds(0.3), tol=0.25),
        crowd(after(5, lambda t: (0.0, 0.1), name="p"), at("tap", 3), p=east),
        0.15,
        crowd(after(5, lambda t: (1.0, 0.0), name="p"), at("tap", 3), p=east),
        ("a", 8, "(1, 0) m"),
        -0.75,
        moving,
        crowd(events=at("tap", 9), p=east),
    ),
    "lands_on": Row(
        lambda t: movement.lands_on(kegs(t).p, (2, 0), at=t.events("tap"), tol=0.5),
        crowd(events=at("tap", 3), p=east),
        0.5,
        crowd(events=at("tap", 5, who="b"), p=east),
        ("b", 8, "(3.5, 0) m"),
        -1.0,
        moving,
        crowd(lost, at("tap", 3), p=east),
    ),
    "keeps_velocity": Row(
        lambda t: movement.keeps_velocity(kegs(t).p, tol=0.5),
        moving,
        0.5,
        crowd({("b", 9): {"p": (5.0, 0.0)}}, p=east),
        ("b", 12, "(0, 0) m/s"),
        -4.5,
        NOBODY,
        crowd(lost, p=east),
    ),
    "slows_by": Row(
        lambda t: movement.slows_by(kegs(t).n, 2.0, velocity=kegs(t).n, tol=0.01),
        crowd(n=slowing),
        0.01,
        crowd({("a", 3): {"n": 0.35}}, n=slowing),
        ("a", 3, "0.35"),
        -0.14,
        crowd(n=lambda t: 0.0),
        crowd({("a", 3): {"n": None}}, n=slowing),
    ),
    "accelerates_like": Row(
        lambda t: movement.accelerates_like(kegs(t).p, kegs(t).p * 0.0 + (0.0, -4.0), tol=0.1),
        crowd(p=lambda t: (t, -2 * t * t)),
        0.1,
        crowd({("b", 9): {"p": (1.2, -2.8)}}, p=lambda t: (t, -2 * t * t)),
        ("b", 12, "(0, -1.333) m/s2"),
        None,
        NOBODY,
        crowd(lost, p=lambda t: (t, -2 * t * t)),
    ),
    "moves": Row(
        lambda t: movement.moves(kegs(t).p, 0.5, within=seconds(0.2)),
        moving,
        0.5,
        crowd(after(6, lambda t: (4.0, 0.0), "b", "p"), p=east),
        ("b", 9, "0 m"),
        -0.5,
        NOBODY,
        crowd(lost, p=east),
    ),
    "undisturbed": Row(
        lambda t: movement.undisturbed(kegs(t).p, at=t.events("tap"), tol=0.5),
        crowd(events=at("tap", 3), p=east),
        0.5,
        crowd(after(4, lambda t: (2.0, 0.0), "a", "p"), at("tap", 3), p=east),
        ("a", 3, "(0, 0) m/s"),
        -4.5,
        moving,
        crowd(events=at("tap", 9), p=east),
    ),
    "steps_by": Row(
        lambda t: movement.steps_by(kegs(t).n, 2.0, at=t.events("tap"), limits=(0, 4), tol=0.5),
        crowd(after(3, lambda t: 4.0, "a"), at("tap", 3), n=lambda t: 3.0),
        0.5,
        crowd(after(3, lambda t: 5.0, "a"), at("tap", 3), n=lambda t: 3.0),
        ("a", 3, "5"),
        -0.5,
        still,
        crowd(events=at("tap", 9), n=lambda t: 3.0),
    ),
    "heads_toward": Row(
        lambda t: movement.heads_toward(kegs(t).p, (20, 0), at=t.events("tap"), tol=10),
        crowd(events=at("tap", 3), p=east),
        10,
        crowd({("a", 4): {"p": (2.0, 1.0)}}, at("tap", 3), p=east),
        ("a", 3, "90 deg"),
        -80,
        moving,
        crowd(events=at("tap", 9), p=east),
    ),
    "faces": Row(
        lambda t: movement.faces(kegs(t), (0, 9), angle="yaw", tol=2),
        crowd(position=lambda t: (0.0, 0.0), yaw=lambda t: 449.0),
        1.0,
        crowd({("b", 6): {"yaw": -268.0 - 5}}, position=lambda t: (0.0, 0.0), yaw=lambda t: 90.0),
        ("b", 9, "-273 deg"),
        -1.0,
        crowd(gone="ab", position=lambda t: (0.0, 0.0), yaw=lambda t: 90.0),
        crowd({("b", 6): {"yaw": None}}, position=lambda t: (0.0, 0.0), yaw=lambda t: 90.0),
    ),
    "turns_at": Row(
        lambda t: movement.turns_at(kegs(t).yaw, 100, tol=1),
        crowd(yaw=lambda t: (330 + 100 * t) % 360),
        1.0,
        crowd({("b", 9): {"yaw": 100.0}}, yaw=lambda t: (330 + 100 * t) % 360),
        ("b", 12, "150 deg/s"),
        -49.0,
        crowd(gone="ab", yaw=lambda t: 0.0),
        crowd({("b", 6): {"yaw": None}}, yaw=lambda t: (330 + 100 * t) % 360),
    ),
    "eases": Row(
        lambda t: movement.eases(
            kegs(t).n, at=t.events("tap"), to=3.0, over=seconds(0.4), curve="quadratic in", tol=0.1
        ),
        crowd(after(3, lambda t: 2 + min((t - 0.4) / 0.4, 1) ** 2, "a"), at("tap", 3), n=lambda t: 2.0),
        0.1,
        crowd(after(3, lambda t: 2 + min((t - 0.4) / 0.4, 1), "a"), at("tap", 3), n=lambda t: 2.0),
        ("a", 4, "2.25"),
        -0.0875,
        still,
        crowd({("a", 4): {"n": None}}, at("tap", 3), n=lambda t: 3.0),
    ),
    "follows_arc": Row(
        lambda t: movement.follows_arc(kegs(t).n, 1.0, over=seconds(0.5), at=t.events("tap"), tol=0.1),
        crowd(events=at("tap", 3), n=hop),
        0.1,
        crowd({("a", 5): {"n": 0.5}}, at("tap", 3), n=hop),
        ("a", 8, "0.5"),
        -0.36,
        still,
        crowd({("a", 5): {"n": None}}, at("tap", 3), n=hop),
    ),
    "follows_keys": Row(
        lambda t: movement.follows_keys(
            kegs(t).n, [(seconds(0), 3.0), (seconds(0.1), 3.0), (seconds(0.3), 5.0)], at=t.events("tap"), tol=0.1
        ),
        crowd({("a", 4): {"n": 3.0}, ("a", 5): {"n": 5.0}}, at("tap", 3), n=lambda t: 3.0),
        0.1,
        crowd({("a", 5): {"n": 4.0}}, at("tap", 3), n=lambda t: 3.0),
        ("a", 8, "4"),
        -0.9,
        still,
        crowd({("a", 5): {"n": None}}, at("tap", 3), n=lambda t: 3.0),
    ),
    "oscillates": Row(
        lambda t: movement.oscillates(t.one(id="a").n, centre=1, amplitude=2, period=seconds(0.5), tol=0.01),
        crowd(n=wave),
        None,
        crowd(n=lambda t: 1 + 1.25 * (wave(t) - 1)),
        ("a", 1, "2.5"),
        None,
        crowd({("a", n): {"n": None} for n in range(10)}, n=wave),
        crowd({("a", 4): {"n": None}}, n=wave),
    ),
    "equals": Row(
        lambda t: values.equals(kegs(t).n, kegs(t).m * 2, tol=0.5),
        crowd(n=lambda t: 2 * t, m=lambda t: t),
        0.5,
        crowd({("b", 6): {"n": 3.0}}, n=lambda t: 2 * t, m=lambda t: t),
        ("b", 9, "3"),
        -0.9,
        crowd(gone="ab", n=lambda t: 0.0, m=lambda t: 0.0),
        crowd({("b", 6): {"m": None}}, n=lambda t: 2 * t, m=lambda t: t),
    ),
    "equals a text": Row(
        lambda t: values.equals(kegs(t).state, "idle"),
        still,
        None,
        crowd({("b", 6): {"state": "held"}}, state=lambda t: "idle"),
        ("b", 9, "'held'"),
        None,
        crowd(gone="ab", state=lambda t: "idle"),
        crowd({("b", 6): {"state": None}}, state=lambda t: "idle"),
    ),
    "unchanged": Row(
        lambda t: values.unchanged(kegs(t).n, tol=0.5),
        still,
        0.5,
        crowd({("b", 6): {"n": 5.0}}, n=lambda t: 3.0),
        ("b", 9, "5"),
        -1.5,
        crowd(gone="ab", n=lambda t: 3.0),
        crowd({("b", 6): {"n": None}}, n=lambda t: 3.0),
    ),
    "never_falls": Row(
        lambda t: values.never_falls(kegs(t).n, tol=0.5),
        crowd(n=lambda t: t),
        0.6,
        crowd({("b", 6): {"n": 0.1}}, n=lambda t: t),
        ("b", 9, "a fall of 0.6"),
        -0.1,
        crowd(gone="ab", n=lambda t: t),
        crowd({("b", 6): {"n": None}}, n=lambda t: t),
    ),
    "never_rises": Row(
        lambda t: values.never_rises(kegs(t).n),
        crowd(n=lambda t: -t),
        0.1,
        crowd({("b", 6): {"n": 9.0}}, n=lambda t: -t),
        ("b", 9, "a rise of 9.7"),
        -9.7,
        crowd(gone="ab", n=lambda t: t),
        crowd({("b", 6): {"n": None}}, n=lambda t: -t),
    ),
    "changes_by": Row(
        lambda t: values.changes_by(kegs(t).n, 2.0, at=t.events("tap"), tol=0.5),
        crowd(after(3, lambda t: 5.2, "a"), at("tap", 3), n=lambda t: 3.0),
        0.3,
        crowd(after(3, lambda t: 5.0, "a") | after(7, lambda t: 4.0, "b"), at("tap", 3), n=lambda t: 3.0),
        ("b", 10, "4"),
        -0.5,
        still,
        crowd(events=at("tap", 0), n=lambda t: 3.0),
    ),
    "toggles": Row(
        lambda t: values.toggles(kegs(t).lit, at=t.events("tap")),
        crowd(after(3, lambda t: False, "a", "lit"), at("tap", 3), lit=lambda t: True),
        None,
        crowd(events=at("tap", 3), lit=lambda t: True),
        ("a", 3, "no change"),
        None,
        still,
        crowd(events=at("tap", 0), lit=lambda t: True),
    ),
    "restores": Row(
        lambda t: values.restores(kegs(t).n, during=kegs(t).lit.spans(), tol=0.5),
        crowd({("a", n): {"lit": True, "n": 9.0} for n in (3, 4)}, n=lambda t: 3.0, lit=lambda t: False),
        0.5,
        crowd({("a", 3): {"lit": True}} | after(4, lambda t: 4.0, "a"), n=lambda t: 3.0, lit=lambda t: False),
        ("a", 4, "4"),
        -0.5,
        crowd(n=lambda t: 3.0, lit=lambda t: False),
        crowd({("a", 9): {"lit": True}}, n=lambda t: 3.0, lit=lambda t: False),
    ),
    "shows": Row(
        lambda t: values.shows(kegs(t).state, kegs(t).n, form="{:.0f} C"),
        crowd(n=lambda t: 3.0, state=lambda t: "3 C"),
        None,
        crowd({("b", 6): {"n": 4.0}}, n=lambda t: 3.0, state=lambda t: "3 C"),
        ("b", 9, "'3 C'"),
        None,
        crowd(gone="ab", n=lambda t: 3.0, state=lambda t: "3 C"),
        crowd({("b", 6): {"n": None}}, n=lambda t: 3.0, state=lambda t: "3 C"),
    ),
    "same_across": Row(
        lambda t: values.same_across(t.one(id="a").n.per(t.one(id="a").lit.spans()), relative=True, tol=0.5),
        crowd(n=lambda t: 5 * t, lit=lambda t: t < 0.35 or 0.75 < t < 1.05),
        0.5,
        crowd({("a", 8): {"n": 9.0}}, n=lambda t: 5 * t, lit=lambda t: t < 0.35 or 0.75 < t < 1.05),
        ("a", 11, "5"),
        None,
        crowd(n=lambda t: t, lit=lambda t: t < 0.35),
        crowd({("a", 7): {"n": None}}, n=lambda t: 5 * t, lit=lambda t: t < 0.35 or 0.75 < t < 1.05),
    ),
    "conserves": Row(
        lambda t: values.conserves(kegs(t).n, tol=0.5),
        still,
        0.5,
        crowd({("b", 6): {"n": 4.0}}, n=lambda t: 3.0),
        ("b", 9, "4"),
        -0.5,
        crowd(gone="ab", n=lambda t: 3.0),
        crowd({("b", 6): {"n": None}}, n=lambda t: 3.0),
    ),
    "opposes": Row(
        lambda t: values.opposes(kegs(t).n, kegs(t).m, tol=0.5),
        crowd(n=lambda t: t, m=lambda t: -t),
        0.5,
        crowd({("b", 6): {"n": 4.0}}, n=lambda t: t, m=lambda t: -t),
        ("b", 9, "4"),
        -2.7,
        crowd(gone="ab", n=lambda t: t, m=lambda t: t),
        crowd({("b", 6): {"n": None}}, n=lambda t: t, m=lambda t: -t),
    ),
    "carries_over": Row(
        lambda t: values.carries_over(kegs(t).n, 1.0, tol=0.5),
        crowd(after(5, lambda t: 4.0, "b"), n=lambda t: 3.0),
        0.5,
        still,
        ("b", 8, "3"),
        -0.5,
        crowd(gone="b", n=lambda t: 3.0),
        crowd({("b", 5): {"n": None}}, n=lambda t: 3.0),
    ),
    "drains": Row(
        lambda t: values.drains(kegs(t).n, 1.0, every=seconds(0.3), during=kegs(t).lit.spans(), tol=0.1),
        crowd(gone="b", n=lambda t: 3.0 - min(int((t - 0.1) / 0.3 + 0.01), 2), lit=lambda t: 0.05 < t < 0.95),
        0.1,
        crowd(gone="b", n=lambda t: 3.0, lit=lambda t: 0.05 < t < 0.95),
        ("a", 3, "3"),
        -1.9,
        crowd(n=lambda t: 3.0, lit=lambda t: False),
        crowd({("a", 1): {"lit": True}, ("a", 2): {"n": None, "lit": True}}, n=lambda t: 3.0, lit=lambda t: False),
    ),
    "moves_through": Row(
        lambda t: values.moves_through(kegs(t).state, {"idle": ["held"], "held": ["idle"]}),
        crowd({("a", 3): {"state": "held"}}, state=lambda t: "idle"),
        None,
        crowd({("b", 6): {"state": "flying"}}, state=lambda t: "idle"),
        ("b", 9, "flying"),
        None,
        still,
        crowd({("b", 6): {"state": None}}, state=lambda t: "idle"),
    ),
    "one_of": Row(
        lambda t: values.one_of(kegs(t).n, [3, 4]),
        still,
        None,
        crowd({("b", 6): {"n": 5.0}}, n=lambda t: 3.0),
        ("b", 9, "5"),
        None,
        crowd(gone="ab", n=lambda t: 3.0),
        crowd({("b", 6): {"n": None}}, n=lambda t: 3.0),
    ),
    "values.lasts": Row(
        lambda t: values.lasts(kegs(t).lit, (seconds(0.1), seconds(0.4))),
        crowd({("a", n): {"lit": True} for n in (2, 3)}, lit=lambda t: False),
        0.1,
        crowd({("b", n): {"lit": True} for n in (5, 6, 7, 8)}, lit=lambda t: False),
        ("b", 11, "0.5 s"),
        -0.1,
        crowd(lit=lambda t: False),
        crowd({("a", n): {"lit": True} for n in (8, 9)}, lit=lambda t: False),
    ),
    "only_after": Row(
        lambda t: triggers.only_after(t.events("ring"), t.events("tap"), within=seconds(0.3)),
        crowd(events=at("tap", 3) + at("ring", 4, 5), p=east),
        0.0,
        crowd(events=at("tap", 3, who="b") + at("ring", 5), p=east),
        ("a", 8, "no cause"),
        -0.3,
        moving,
        crowd(events=at("ring", 1), p=east),
    ),
    "pairs_up": Row(
        lambda t: triggers.pairs_up(t.events("in"), t.events("out")),
        crowd(events=at("in", 1, 5, on="b") + at("out", 3, 6, on="b"), p=east),
        None,
        crowd(events=at("in", 1, 3, on="b") + at("out", 6, on="b"), p=east),
        ("a", 3, "in again"),
        None,
        moving,
        crowd(events=at("in", 1, 9, on="b") + at("out", 3, on="b"), p=east),
    ),
    "repeats_every": Row(
        lambda t: triggers.repeats_every(t.events("tap"), seconds(0.3)),
        crowd(events=at("tap", 0, 2, 5, 7, 9), p=east),
        None,
        crowd(events=at("tap", 0, 2, 7, 9), p=east),
        ("a", 10, "a longer gap"),
        None,
        make_trace([{}], kinds={}, declare=["tap"]),
    ),
    "happens_in_order": Row(
        lambda t: triggers.happens_in_order(t.events("tap"), t.events("ring"), t.events("stop"), within=seconds(0.3)),
        crowd(events=at("tap", 3) + at("ring", 4) + at("stop", 5), p=east),
        0.1,
        crowd(events=at("tap", 3) + at("ring", 4), p=east),
        ("a", 9, "none"),
        None,
        moving,
        crowd(events=at("tap", 8), p=east),
    ),
    "never_happens": Row(
        lambda t: triggers.never_happens(t.events("tap")),
        moving,
        None,
        crowd(events=at("tap", 5), p=east),
        ("a", 8, "it happened"),
        None,
        make_trace([], kinds={}, declare=["tap"]),
    ),
    "happens_once": Row(
        lambda t: triggers.happens_once(t.events("tap"), each=kegs(t)),
        crowd(events=at("tap", 1) + at("tap", 2, 6, who="b"), p=east),
        None,
        crowd(events=at("tap", 1, 5) + at("tap", 2, who="b"), p=east),
        ("a", 8, "2 times"),
        None,
        make_trace([{}], kinds={}, declare=["tap"]),
        crowd(events=at("tap", 1) + at("tap", 2, who="b"), p=east),
    ),
    "carries_data": Row(
        lambda t: triggers.carries_data(t.events("tap"), "n", 3, tol=0.5),
        crowd(events=at("tap", 3, n=3.2), p=east),
        0.3,
        crowd(events=at("tap", 3, n=4), p=east),
        ("a", 3, "4"),
        -0.5,
        moving,
    ),
    "affects_only": Row(
        lambda t: triggers.affects_only(t.events("tap"), kegs(t).n),
        crowd(after(3, lambda t: 4.0, "a"), at("tap", 3), n=lambda t: 3.0),
        None,
        crowd(after(3, lambda t: 4.0), at("tap", 3), n=lambda t: 3.0),
        ("b", 3, "3 to 4"),
        None,
        still,
        crowd({("b", 3): {"n": None}}, at("tap", 2, 9), n=lambda t: 3.0),
    ),
    "respects_rate_limit": Row(
        lambda t: triggers.respects_rate_limit(t.events("tap"), 2, per=seconds(0.2)),
        crowd(events=at("tap", 1, 3, 4, 6), p=east),
        0.0,
        crowd(events=at("tap", 1) + at("tap", 6, 6, 7), p=east),
        ("a", 9, "3 in 0.2 s"),
        -1.0,
        make_trace([], kinds={}, declare=["tap"]),
        crowd(events=at("tap", 1, 9), p=east),
    ),
    "appears_at": Row(
        lambda t: spawns.appears_at(kegs(t), (3, 0), tol=1.0),
        crowd(position=east),
        0.5,
        crowd({("b", 5): {"position": (9.0, 0.0)}}, position=east),
        ("b", 8, "(9, 0) m"),
        -5.0,
        crowd(gone="b", position=east),
        crowd({("b", 5): {"position": None}}, position=east),
    ),
    "appears_with": Row(
        lambda t: spawns.appears_with(kegs(t), n=3.0, tol=0.5),
        still,
        0.5,
        crowd({("b", 5): {"n": 4.0}}, n=lambda t: 3.0),
        ("b", 8, "4"),
        -0.5,
        crowd(gone="b", n=lambda t: 3.0),
        crowd({("b", 5): {"n": None}}, n=lambda t: 3.0),
    ),
    "spreads_over": Row(
        lambda t: spawns.spreads_over(kegs(t).n.at(t.events("tap")), [3.0, 4.0], tol=0.5),
        crowd(events=at("tap", *range(10), 3), n=turns),
        0.5,
        crowd(events=at("tap", *range(10), 3), n=lambda t: 2 * turns(t)),
        ("a", 0, "2"),
        -3.5,
        still,
        crowd({("a", 2): {"n": None}}, at("tap", *range(10), 3, 4), n=turns),
    ),
    "leaves_when": Row(
        lambda t: spawns.leaves_when(kegs(t), t.events("tap"), within=seconds(0.2)),
        crowd(events=at("tap", 3, who="b"), p=east),
        0.1,
        crowd(events=at("tap", 1), p=east),
        ("a", 2, "none"),
        -0.2,
        crowd(gone="b", p=east),
        crowd(events=at("tap", 3, who="b") + at("tap", 9), p=east),
    ),
    "leaves_when outside": Row(
        lambda t: spawns.leaves_when(kegs(t), Circle((0, 0), 1.8), within=seconds(0.1)),
        crowd(
            {("a", n): {"position": (0.0, 0.0)} for n in range(10)}
            | {("b", n): {"position": (0.0, 0.0)} for n in range(5, 10)},
            position=east,
        ),
        0.0,
        crowd({("b", n): {"position": (0.0, 0.0)} for n in range(5, 10)}, position=east),
        ("a", 12, "0.8 s outside"),
        -0.7,
        crowd(position=lambda t: (0.0, 0.0)),
        crowd(after(9, east, "a", "position"), position=lambda t: (0.0, 0.0)),
    ),
    "count_stays": Row(
        lambda t: spawns.count_stays(kegs(t), at_most=2, at_least=1),
        moving,
        0.0,
        crowd(gone="a", p=east),
        ("", 4, "0"),
        -1.0,
        make_trace([], kinds={}),
    ),
    "silent_once_gone": Row(
        lambda t: spawns.silent_once_gone(kegs(t)),
        crowd(events=at("tap", 4, 6, who="b"), p=east),
        None,
        make_trace([{"a": {"n": 1.0}}, {}, {}], kinds={"a": "barrel"}, events=at("tap", 2), declare=EVENTS),
        ("a", 2, "tap"),
        None,
        crowd(gone="b", p=east),
    ),
    "reports_every_touch": Row(
        lambda t: collisions.reports_every_touch(
            t.events("in"), collisions.touching(t.one(id="a").p, Circle((3, 0), 0.6))
        ),
        crowd(events=at("in", 4), p=east),
        None,
        moving,
        ("a", 4, "no event"),
        None,
        crowd(p=lambda t: (0.0, 9.0)),
        crowd(lost, p=east),
    ),
    "never_overlaps": Row(
        lambda t: collisions.never_overlaps(kegs(t).p, kegs(t).p, radius=(0.5, 0.5), tol=0.1),
        crowd(after(0, lambda t: (5 * t, 1.5), "b", "p"), p=east),
        0.6,
        crowd(after(0, lambda t: (5 * t, 0.8), "b", "p"), p=east),
        ("a", 0, "0.2 m"),
        -0.1,
        NOBODY,
        crowd(lost | after(0, lambda t: (5 * t, 1.5), "b", "p"), p=east),
    ),
    "never_touches": Row(
        lambda t: collisions.never_touches(kegs(t).p, Circle((9, 0), 1.0), radius=0.5),
        moving,
        None,
        crowd({("b", 6): {"p": (8.0, 0.0)}}, p=east),
        ("b", 9, "touching"),
        None,
        NOBODY,
        crowd(lost, p=east),
    ),
    "never_tunnels": Row(
        lambda t: collisions.never_tunnels(kegs(t).p, [(7, -1), (7, 1)]),
        moving,
        None,
        crowd({("b", 6): {"p": (8.0, 0.0)}}, p=east),
        ("b", 9, "on the other side"),
        None,
        NOBODY,
        crowd(lost, p=east),
    ),
    "passes_through": Row(
        lambda t: collisions.passes_through(t.one(id="a"), Circle((3, 0), 0.6), tol=0.5),
        crowd(position=east),
        0.5,
        crowd(after(5, lambda t: (2.5, 0.0), "a", "position"), position=east),
        ("a", 8, "(0, 0) m/s"),
        None,
        crowd(position=lambda t: (0.0, 9.0)),
        crowd({("a", 3): {"position": None}}, position=east),
    ),
    "rests_on": Row(
        lambda t: collisions.rests_on(kegs(t).p, -0.5, below=0.5, tol=0.1),
        crowd(axes=UPRIGHT, p=east),
        0.1,
        crowd({("b", 6): {"p": (4.0, 0.4)}}, axes=UPRIGHT, p=east),
        ("b", 9, "-0.1 m"),
        -0.3,
        NOBODY,
        crowd(lost, axes=UPRIGHT, p=east),
    ),
    "ends_where_it_hits": Row(
        lambda t: rays.ends_where_it_hits(
            kegs(t).end,
            [Circle((8, 0), 1.0)],
            origin=kegs(t).p,
            direction=kegs(t).p * 0.0 + (1.0, 0.0),
            otherwise=9.0,
            tol=0.1,
        ),
        crowd(p=east, end=lambda t: (7.0, 0.0)),
        0.1,
        crowd({("b", 6): {"end": (8.0, 0.0)}}, p=east, end=lambda t: (7.0, 0.0)),
        ("b", 9, "(8, 0) m"),
        -0.9,
        crowd(gone="ab", p=east, end=east),
        crowd({("b", 6): {"end": None}}, p=east, end=lambda t: (7.0, 0.0)),
    ),
    "picks_nearest": Row(
        lambda t: rays.picks_nearest(t.events("tap"), kegs(t), origin=kegs(t), at_most=2.0),
        crowd({("a", 3): {"position": (1.0, 0.0)}}, at("tap", 3, on="b"), position=lambda t: (0.0, 0.0)),
        1.0,
        crowd(events=at("tap", 3, on=None), position=lambda t: (0.0, 0.0)),
        ("a", 3, "nothing"),
        -2.0,
        crowd(position=east),
        crowd(events=at("tap", 4, who="b", on="a"), position=east),
    ),
    "reports_first_hit": Row(
        lambda t: rays.reports_first_hit(t.events("tap"), [kegs(t), Circle((20, 0), 1.0)], at_most=30.0, tol=0.1),
        crowd(events=cast(3, "b", 4.0) + cast(5, "b", 4.0), shapes=DISC, position=apart),
        0.1,
        crowd(events=cast(3, "b", 4.0) + cast(5, "b", 5.0), shapes=DISC, position=apart),
        ("a", 8, "b at 5"),
        -0.9,
        crowd(gone="ab", position=apart),
        crowd({("b", 3): {"position": None}}, cast(3, "b", 4.0) + cast(5, "b", 4.0), shapes=DISC, position=apart),
    ),
    "draws_evenly": Row(
        lambda t: spawns.draws_evenly(t.events("tap")),
        crowd(events=rolled(*range(1, 7)), p=east),
        None,
        crowd(events=rolled(*range(1, 7), 7), p=east),
        ("a", 9, "7"),
        None,
        crowd(events=rolled(1, 2), p=east),
    ),
    "appears_apart": Row(
        lambda t: spawns.appears_apart(kegs(t), 3.0),
        reborn({4: (0.0, 0.0), 6: (3.5, 0.0)}),
        0.5,
        reborn({4: (0.0, 0.0), 6: (2.0, 0.0)}),
        ("b", 9, "2 m from the one before"),
        -1.0,
        reborn({6: (2.0, 0.0)}),
        reborn({4: (0.0, 0.0), 6: None}),
    ),
    "appears_alike": Row(
        lambda t: spawns.appears_alike(kegs(t), except_for=["p", "position"], tol=0.5),
        reborn({4: (0.0, 0.0), 6: (3.5, 0.0)}),
        0.5,
        reborn({4: (0.0, 0.0), 6: (3.5, 0.0)}, 6, 9.0),
        ("b", 9, "9"),
        -5.0,
        reborn({6: (2.0, 0.0)}),
        reborn({2: (0.0, 0.0), 4: (0.0, 0.0), 6: (3.5, 0.0)}, 4, None),
    ),
    "leads_to_only_if": Row(
        lambda t: triggers.leads_to_only_if(
            t.events("tap"), t.events("ring"), condition=kegs(t).p.x < 3, within=frames(1), near=1.0
        ),
        crowd(events=at("tap", 0, 3, 5, 8) + at("ring", 1, 3), p=east),
        None,
        crowd(events=at("tap", 0, 3, 5, 8) + at("ring", 1, 3, 8), p=east),
        ("a", 11, "ring"),
        None,
        crowd(events=at("tap", 0, 1, 3) + at("ring", 1, 1, 3), p=east),
        crowd({("a", 8): {"p": None}}, at("tap", 0, 3, 5, 8) + at("ring", 1, 3), p=east),
    ),
    "never_missing": Row(
        lambda t: values.never_missing(kegs(t).n),
        still,
        None,
        crowd({("b", 6): {"n": None}}, n=lambda t: 3.0),
        ("b", 9, "missing"),
        None,
        NOBODY,
    ),
    "plays_sequence": Row(
        lambda t: values.plays_sequence(
            kegs(t).n, [(1.0, seconds(0.1)), (2, seconds(0.2)), (5, None)], at=t.events("tap")
        ),
        crowd(shown, at("tap", 1), n=lambda t: 3.0),
        None,
        crowd(shown | {("a", 6): {"n": 2.0}}, at("tap", 1), n=lambda t: 3.0),
        ("a", 9, "2"),
        None,
        still,
        crowd(shown | {("a", 6): {"n": None}}, at("tap", 1), n=lambda t: 3.0),
    ),
    "refers_to": Row(
        lambda t: values.refers_to(kegs(t).state, kegs(t), or_none=True),
        crowd({("a", 4): {"state": "a"}}, state=lambda t: "b"),
        None,
        crowd(state=lambda t: "b"),
        ("a", 4, "b"),
        None,
        NOBODY,
    ),
    "reports_error": Row(
        lambda t: session.reports_error(t, "roll *"),
        crowd(events=at("error", 3, message="roll is empty"), p=east),
        None,
        crowd(events=at("error", 3, message="roll is empty") + at("error", 4, message="no oar"), p=east),
        ("a", 4, "no oar"),
        None,
        make_trace([], kinds={}),
    ),
    "only_these_change": Row(
        lambda t: session.only_these_change(t, ["barrel.p"]),
        crowd(p=east, n=lambda t: 3.0),
        None,
        crowd({("b", 6): {"n": 4.0}}, p=east, n=lambda t: 3.0),
        ("b", 9, "3 to 4"),
        None,
        moving,
    ),
}
