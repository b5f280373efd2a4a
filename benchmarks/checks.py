"""What checks cost, as ratios to one NumPy pass over the bytes that they must read, and to the same thing in pandas.

    python benchmarks/checks.py

A session of 10 million samples: 1,000 objects on 10,000 frames. Each check and what it is compared with are called in
turns in one loop, and the medians divided.
"""

import statistics
import time
from collections.abc import Callable
from functools import partial
from typing import Any, NamedTuple

import numpy as np
import pandas as pd

from breadcrumb import Box, Moments, Spans, Trace, frames
from breadcrumb.checks import collisions, movement, triggers, values
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Events, Lives, Session

OBJECTS, FRAMES, ROUNDS = 1_000, 10_000, 5


class InMemory:
    """A trace whose columns are arrays."""

    def __init__(self, session: Session, columns: dict[str, Any]) -> None:
        self.session = session
        self._columns = columns
        self._index = np.repeat(np.arange(OBJECTS), FRAMES), np.tile(np.arange(FRAMES), OBJECTS)

    def columns(self, kind: str) -> list[str]:
        """Return the names of the columns."""
        return list(self._columns)

    def index(self, kind: str) -> Any:
        """Return the life and the row of each sample."""
        return self._index

    def column(self, kind: str, name: str) -> ColumnData:
        """Return a column."""
        return ColumnData(self._columns[name])


def crowd() -> Trace:
    """Return the session: objects that move at a constant speed and bounce within a box, turn, and blink."""
    draw = np.random.default_rng(7)
    clock = Clock(np.arange(FRAMES), np.arange(FRAMES) / 60)
    every = np.arange(OBJECTS)
    nobody = np.full(OBJECTS, NOBODY)
    lives = Lives(every, np.zeros(OBJECTS, np.int64), nobody, np.zeros(OBJECTS, np.int64), np.zeros(OBJECTS, np.int64),
                  np.full(OBJECTS, FRAMES - 1), nobody)  # fmt: skip
    nothing = np.zeros(0, np.int64)
    events = Events(nothing, nothing, nothing, (), nothing, nothing, (), nothing.astype(np.bool_))
    names = tuple(f"b{n}" for n in range(OBJECTS))
    about = {
        "units": {"position": "m", "yaw": "deg"},
        "axes": {"x": "right", "y": "up"},
        "angles": {"unit": "deg", "zero": "right", "sense": "counter-clockwise"},
    }
    session = Session("crowd", about, clock, lives, events, names, ("barrel",))
    turn = draw.uniform(0, 2 * np.pi, OBJECTS)
    t = clock.times

    def folded(start: Any, speed: Any, size: float) -> Any:
        path = np.mod(start[:, None] + speed[:, None] * t + size, 4 * size)
        return (size - np.abs(path - 2 * size)).ravel()

    columns = {
        "position.x": folded(draw.uniform(-40, 40, OBJECTS), 5 * np.cos(turn), 40.0),
        "position.y": folded(draw.uniform(-22, 22, OBJECTS), 5 * np.sin(turn), 22.0),
        "yaw": np.mod(draw.uniform(0, 360, OBJECTS)[:, None] + 69.0 * t, 360.0).ravel(),
        "lit": (np.mod(np.arange(FRAMES) + draw.integers(0, 500, OBJECTS)[:, None], 500) < 250).ravel(),
        "heat": np.repeat(draw.uniform(10, 20, OBJECTS), FRAMES),
    }
    return Trace(InMemory(session, columns))


class Row(NamedTuple):
    """One comparison."""

    row: str
    what: str
    ours: Callable[[], Any]
    other: Callable[[], Any]
    pass_at: str
    inverse: bool = False
    """Whether the ratio is that of the other to ours."""


def rows(trace: Trace) -> list[Row]:
    """Return everything that is measured."""
    barrels = trace.all("barrel")
    x, y = (trace.data.column("barrel", f"position.{part}").values for part in "xy")
    yaw, lit = (trace.data.column("barrel", name).values for name in ("yaw", "lit"))
    life, row = trace.data.index("barrel")
    frame = pd.DataFrame({"id": life, "t": row / 60, "x": x, "y": y, "yaw": yaw, "lit": lit})
    groups = frame.groupby("id", sort=False)
    times = trace.data.session.clock.times[row]  # a speed has to be divided by them
    pass_over = {
        "x": lambda: np.max(x),
        "xy": lambda: (np.max(x), np.max(y)),
        "xyt": lambda: (np.max(x), np.max(y), np.max(times)),
        "yaw": lambda: np.add(yaw, yaw),
    }
    causes, effects = _moments(trace, 0), _moments(trace, 3)
    left, right = (pd.DataFrame({"id": one.subject, "row": one.row}).sort_values("row") for one in (causes, effects))
    box = Box((-41, -23), (41, 23))
    slow = _Some(trace)

    def speeds() -> Any:
        step = groups[["x", "y", "t"]].diff()
        return (np.hypot(step["x"], step["y"]) / step["t"] > 6).any()

    def merged() -> Any:
        return pd.merge_asof(
            left, right.assign(found=right["row"]), on="row", by="id", direction="forward", tolerance=6
        )

    def edges() -> Any:
        lit = barrels.lit
        return lit.rises(), lit.falls()

    def one_by_one() -> Any:
        return groups["yaw"].transform(lambda one: np.unwrap(one, period=360))

    def keeps_speed() -> Any:
        return movement.keeps_speed(barrels, 5.0, tol=9.0)

    def bounds() -> Any:
        return movement.stays_between(barrels.position.x, -41, 41)

    def causes_effects() -> Any:
        return triggers.leads_to(causes, effects, within=frames(6))

    def shifted() -> Any:
        return frame["lit"] != groups["lit"].shift()

    inside = partial(movement.stays_inside, barrels, box)
    jumps = partial(movement.never_jumps, barrels, 9.0)
    turns = partial(movement.turns_at, barrels.yaw, 69.0, tol=1.0)
    equal = partial(values.equals, barrels.heat, 15.0, tol=9.0)
    return [
        Row("V1", "stays_between, clean / max", bounds, pass_over["x"], "<= 2"),
        Row("V1", "stays_inside a box / max of two", inside, pass_over["xy"], "told"),
        Row("V2", "keeps_speed / max of three", keeps_speed, pass_over["xyt"], "<= 6"),
        Row("V2", "pandas groupby.diff / keeps_speed", keeps_speed, speeds, ">= 9", True),
        Row("V2", "never_jumps / max of three", jumps, pass_over["xyt"], "told"),
        Row("V3", "unwrapped / add", barrels.yaw.unwrapped, pass_over["yaw"], "<= 5"),
        Row("V3", "np.unwrap in groupby / unwrapped", barrels.yaw.unwrapped, one_by_one, ">= 10", True),
        Row("V3", "turns_at / add", turns, pass_over["yaw"], "told"),
        Row("V4", "pandas shift / rises and falls", edges, shifted, ">= 130", True),
        Row("V5", "merge_asof / leads_to", causes_effects, merged, ">= 3", True),
        Row("V6", "loop / pairs of 50 with 1,000", slow.touching, slow.loop, ">= 4", True),
        Row("V7", "equals, margin per object / max", equal, pass_over["x"], "<= 4"),
        Row("V7", "unchanged / max", partial(values.unchanged, barrels.heat), pass_over["x"], "told"),
    ]


def _moments(trace: Trace, later: int) -> Moments:
    """Return a million moments, 1,000 of each object."""
    each = FRAMES // 1_000
    row = np.tile(np.arange(0, FRAMES - each, each), OBJECTS) + later
    subject = np.repeat(np.arange(OBJECTS), len(row) // OBJECTS)
    order = np.argsort(row, kind="stable")
    nobody = np.full(len(row), NOBODY)
    session = trace.data.session
    return Moments(session, f"tick {later}", row[order], nobody, subject[order], nobody, known_life=subject[order])


class _Some:
    """Fifty objects against all, on some frames: 50,000 pairs a frame."""

    def __init__(self, trace: Trace) -> None:
        position = trace.all("barrel").position
        some_frames = 1_200
        kept = np.flatnonzero(position.track.row < some_frames)
        self.all = position.take(kept)
        self.few = self.all.take(np.flatnonzero(self.all.track.life < 50))

    def touching(self) -> Spans:
        return collisions.touching(self.few, self.all, radius=0.5, other_radius=0.5)

    def loop(self) -> int:
        hits = 0
        x, y = (part.reshape(OBJECTS, -1) for part in self.all.parts)
        for frame in range(x.shape[1]):
            dx, dy = x[:50, frame, None] - x[:, frame], y[:50, frame, None] - y[:, frame]
            hits += int((dx * dx + dy * dy <= 1).sum())
        return hits


def main() -> None:
    """Print a line for each comparison."""
    trace = crowd()
    for one in rows(trace):
        spent: list[list[float]] = [[], []]
        for turn in range(ROUNDS + 1):
            for which in (0, 1) if turn % 2 else (1, 0):
                start = time.perf_counter()
                (one.ours, one.other)[which]()
                if turn:
                    spent[which].append(time.perf_counter() - start)
        ours, other = (statistics.median(times) for times in spent)
        found = other / ours if one.inverse else ours / other
        limit = one.pass_at.split()
        met = "" if one.pass_at == "told" else "met" if (found <= float(limit[1])) == (limit[0] == "<=") else "MISSED"
        took = f"({ours * 1e3:8.1f} ms, {other * 1e3:8.1f} ms)"
        print(f"{one.row:3} {one.what:36} {found:9.2f}  {one.pass_at:8} {met:7} {took}")


if __name__ == "__main__":
    main()
