"""Random small sessions, as plain dicts and as traces."""

import random
from collections.abc import Sequence
from itertools import pairwise
from typing import Any

from breadcrumb import Trace
from breadcrumb.testing import make_trace
from references.plain import Scene

STEP = 0.125  # s; a power of two, so that sums of steps are exact
NAMES = ("tap", "ring", "stop", "in", "out", "hit")
BORN = "born"
ABOUT: dict[str, Any] = {
    "axes": {"x": "east", "y": "north"},
    "angles": {"unit": "deg", "zero": "east", "sense": "counter-clockwise"},
    "units": {"position": "m", "v": "m/s", "n": "m", "m": "m", "yaw": "deg"},
}
HEADINGS = ((8.0, 0.0), (0.0, 8.0), (-8.0, 0.0), (0.0, 0.0))  # m/s
MOODS = ("calm", "glad", "cross")


class Weather:
    """How wild one session is: how often values change, go missing, and objects leave."""

    def __init__(self, draw: random.Random) -> None:
        self.wild = draw.choice((0.0, 0.0, 0.08, 0.3))
        self.lost = draw.choice((0.0, 0.0, 0.1))
        self.not_a_number = draw.choice((0.0, 0.0, 0.0, 0.05))
        self.gone = draw.choice((0.0, 0.1, 0.3))
        self.paused = draw.choice((0.0, 0.0, 0.0, 0.12))
        self.gap = draw.choice((0.0, 0.0, 0.15))
        self.uneven = draw.choice((0.0, 0.3))
        self.busy = draw.choice((0.05, 0.2, 0.4, 0.6))
        self.tidy = draw.choice((0.0, 0.7, 1.0))
        self.lag = draw.choice((0, 1, 2))
        self.acts = draw.choice((0, 0, 1))


def _clock(draw: random.Random, weather: Weather) -> list[dict[str, Any]]:
    frame, time, paused, rows = draw.choice((0, 5)), 0.0, False, []
    for _ in range(draw.choice((2, 6, 9, 12, 14))):
        rows.append({"frame": frame, "time": time, "objects": {}, "paused": paused})
        paused = draw.random() < weather.paused
        lost = draw.randint(1, 3) if paused or draw.random() < weather.gap else 0
        slow = draw.randint(1, 2) if draw.random() < weather.uneven else 0
        frame, time = frame + 1 + lost, time + STEP * (1 + lost + slow)
    return rows


def _object(draw: random.Random, weather: Weather, rows: list[dict[str, Any]], who: str) -> None:
    """Add an object to the rows on which it is there; its values change as wildly as the weather says."""
    state: dict[str, Any] = {}
    there, start = draw.random() < 0.85, rows[0]["time"]
    for row in rows:
        if draw.random() < weather.gone:
            there = not there
        if not there:
            state = {}
            continue
        if not state:
            start = row["time"]
            state = {
                "n": float(draw.randint(0, 2)), "m": float(draw.randint(0, 2)), "lit": draw.random() < 0.5,
                "mood": draw.choice(MOODS[:2]), "at": (float(draw.randint(-3, 3)), float(draw.randint(-1, 1))),
                "v": draw.choice(HEADINGS), "yaw": draw.choice((0.0, 90.0, 180.0, -170.0, 350.0)), "on": draw.random() < 0.6,
                "slip": 0.0,
            }  # fmt: skip
        _change(draw, weather.wild, state)
        since = row["time"] - start
        shown = {name: state[name] for name in ("n", "m", "lit", "mood", "v")}
        shown["caption"] = f"{state['n'] + state['slip']:.0f} kg"
        shown["position"] = tuple(at + v * since for at, v in zip(state["at"], state["v"], strict=True))
        shown["yaw"] = (state["yaw"] + 80.0 * since + 180.0) % 360.0 - 180.0
        begun = any(one in other["objects"] for one in ("a", "b") for other in rows)
        for name in shown if begun else ():  # so that each property has a type
            if draw.random() < weather.lost:
                shown[name] = None
        if shown["position"] is not None and draw.random() < weather.not_a_number:
            shown["position"] = (float("nan"), shown["position"][1])
        if draw.random() < 0.2:
            state["on"] = not state["on"]
        row["objects"][who] = shown | {"on": state["on"]}


def _change(draw: random.Random, wild: float, state: dict[str, Any]) -> None:
    if draw.random() < wild:
        state["n"] += draw.choice((-1.0, 1.0, 1.0, 2.0))
    if draw.random() < wild / 2:
        state["slip"] = draw.choice((0.0, 1.0))
    if draw.random() < wild:
        state["m"] += draw.choice((-1.0, 1.0))
    if draw.random() < wild:
        state["lit"] = not state["lit"]
    if draw.random() < wild:
        state["mood"] = draw.choice(MOODS)
    if draw.random() < wild:
        state["at"] = tuple(one + draw.choice((-2.0, 0.0, 0.5)) for one in state["at"])
    if draw.random() < wild:
        state["yaw"] += draw.choice((-40.0, 15.0))


FOLLOWS = {"tap": "ring", "in": "out"}


def _happenings(draw: random.Random, weather: Weather, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return events, each by an object that has begun, some on a thing; tidy ones lead to another one a while later."""
    happened: list[dict[str, Any]] = []
    begun: list[str] = []
    due: list[tuple[int, str, str, str | None]] = []
    for row, content in enumerate(rows):
        begun += [who for who in content["objects"] if who not in begun and who != "lamp"]
        now = [(name, by, on) for at, name, by, on in due if at == row]
        for _ in range(3):
            if not begun or draw.random() > weather.busy:
                continue
            name, by = draw.choice(NAMES if draw.random() > weather.tidy else ("tap", "in", "hit")), draw.choice(begun)
            on = draw.choice(("wall", "post")) if name in ("in", "out", "hit") else None
            now.append((name, by, on))
            if name in FOLLOWS and draw.random() < weather.tidy:
                due.append((row + weather.lag, FOLLOWS[name], by, on))
                if not weather.lag:
                    now.append(due.pop()[1:])
        for name, by, on in now:
            happened.append({"row": row, "name": name, "by": by, "on": on, "data": {"times": draw.choice((1, 1, 2))}})
    return happened


FORCED: dict[str, dict[str, float]] = {
    "frames left out": {"gap": 0.5, "paused": 0.0},
    "pauses": {"paused": 0.4},
    "missing values": {"lost": 0.3},
    "not a number": {"not_a_number": 0.3},
    "several lifetimes": {"gone": 0.4},
    "several causes on a frame": {"busy": 0.9, "tidy": 0.9},
    "uneven steps": {"uneven": 0.7},
}
"""What may be asked of a session: how often something happens in it."""
ENDS = ("only on the first frames", "only on the last frames")
"""What may be asked of its events: when they happen."""


def draw_scene(draw: random.Random, asked: str = "") -> Scene:
    """Draw a session of two barrels that come and go, a lamp that stays, and events."""
    weather = Weather(draw)
    vars(weather).update(FORCED.get(asked, {}))
    rows = _clock(draw, weather)
    for who in ("a", "b"):
        _object(draw, weather, rows, who)
    staying = Weather(draw)
    staying.gone = staying.lost = staying.not_a_number = 0.0
    _object(draw, staying, rows, "lamp")
    happened = sorted([*_happenings(draw, weather, rows), *_births(draw, weather, rows)], key=lambda one: one["row"])
    if asked in ENDS:
        last = len(rows) - 1
        happened = [one for one in happened if (one["row"] < 2 if asked == ENDS[0] else one["row"] > last - 2)]
    for one in happened if weather.tidy else ():
        _act(one, rows[one["row"] + weather.acts :])
    return {"rows": rows, "events": happened}


def _births(draw: random.Random, weather: Weather, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return an event of nobody for most barrels that appear, and some more."""
    causes = []
    for row, (before, now) in enumerate(pairwise(rows)):
        new = len({"a", "b"} & (set(now["objects"]) - set(before["objects"])))
        causes += [max(row + 1 - weather.lag, 0)] * new if draw.random() < 0.9 else []
        causes += [row] if draw.random() < weather.wild / 2 else []
    return [{"row": row, "name": BORN, "by": None, "on": None, "data": None} for row in causes]


def _act(event: dict[str, Any], rows: list[dict[str, Any]]) -> None:
    """Let a hit raise a number and toggle a flag of its barrel, from some row on and as long as it is there."""
    for row in rows if event["name"] == "hit" else ():
        state = row["objects"].get(event["by"])
        if state is None:
            return
        if state["n"] is not None:
            state["n"] += 1.0
        if state["lit"] is not None:
            state["lit"] = not state["lit"]


def trace_of(scene: Scene, restarts: Sequence[str] = ()) -> Trace:
    """Return a scene as a trace; some of its events may be restarts."""
    rows = scene["rows"]
    return make_trace(
        [row["objects"] for row in rows],
        kinds={"a": "barrel", "b": "barrel", "lamp": "lamp"},
        times=[row["time"] for row in rows],
        frames=[row["frame"] for row in rows],
        paused_before=[place for place, row in enumerate(rows) if row["paused"]],
        events=[(one["row"], one["name"], one["by"], one["on"], one["data"]) for one in scene["events"]],
        declare=(*NAMES, BORN),
        restarts=restarts,
        **ABOUT,
    )
