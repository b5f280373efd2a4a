"""What checks cost, as ratios to one NumPy pass over the bytes that they must read, and to the same thing in pandas.

    python benchmarks/checks.py

Each check and what it is compared with are called in turns in one loop, and the medians divided. What is done in pandas
answers as much as ours: which objects, on which frames, by how much. A first look is one at a property of which nothing
is known yet; what it finds is kept, and later looks begin with that.
"""

import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from sessions import OBJECTS, crowd, hour, ticks

from breadcrumb import Box, Shape, Spans, Tiles, Trace, frames, judge
from breadcrumb.algebra.bodies import Bodies
from breadcrumb.algebra.near_bodies import near_bodies
from breadcrumb.checks import collisions, movement, triggers, values

ROUNDS = 5
SHARE = 200
"""Of so many frames, a loop in Python is given one, and its time multiplied."""


class Row(NamedTuple):
    """One comparison."""

    row: str
    what: str
    ours: Callable[[], Any]
    other: Callable[[], Any]
    pass_at: str
    inverse: bool = False
    """Whether the ratio is that of the other to ours."""
    times: int = 1
    """How many times the work that the other does would be as much as ours."""


def rows(trace: Trace) -> list[Row]:
    """Return what is measured on any session."""
    barrels = trace.all("barrel")
    x, y, heat = barrels.position.x.parts[0], barrels.position.y.parts[0], barrels.heat.parts[0]
    yaw, times = barrels.yaw.parts[0], barrels.position.track.times
    pass_over = {
        "x": lambda: np.max(x),
        "xy": lambda: (np.max(x), np.max(y)),
        "xyt": lambda: (np.max(x), np.max(y), np.max(times)),
        "heat": lambda: np.max(heat),
        "yaw": lambda: np.add(yaw, yaw),
    }
    tables = _Tables(trace)
    box = Box((-41, -23), (41, 23))

    def afresh(signal: Any) -> Any:
        return replace(signal)

    def bounds(first: bool) -> Any:
        x = barrels.position.x
        return movement.stays_between(afresh(x) if first else x, -41, 41)

    def edges(first: bool) -> Any:
        lit = afresh(barrels.lit) if first else barrels.lit
        return lit.rises(), lit.falls()

    def equal(first: bool) -> Any:
        return values.equals(afresh(barrels.heat) if first else barrels.heat, 15.0, tol=9.0)

    x, y, heat = barrels.position.x, barrels.position.y, barrels.heat

    def condition(x: Any, y: Any, heat: Any) -> Any:
        return (x < 41) & (y > -23) & (heat < 99) & (x > -41)

    columns = x.parts[0], y.parts[0], heat.parts[0]
    speed = partial(movement.keeps_speed, barrels, 5.0, tol=9.0)
    unwrapped = barrels.yaw.unwrapped
    first, later = (partial(edges, look) for look in (True, False))
    return [
        Row("V1", "stays_between, first look / max", partial(bounds, True), pass_over["x"], "<= 2"),
        Row("V1", "stays_between, later / max", partial(bounds, False), pass_over["x"], "<= 0.05"),
        Row("V1", "stays_inside a box / max", partial(movement.stays_inside, barrels, box), pass_over["xy"], "told"),
        Row("V2", "keeps_speed / max", speed, pass_over["xyt"], "<= 6"),
        Row("V2", "pandas diff / keeps_speed", speed, tables.speeds, ">= 9", True),
        Row("V2", "pandas apply / keeps_speed", speed, tables.speeds_one_by_one, ">= 150", True),
        Row("V2", "never_teleports / max", partial(movement.never_teleports, barrels, 9.0), pass_over["xyt"], "told"),
        Row("V3", "unwrapped / add", unwrapped, pass_over["yaw"], "<= 5"),
        Row("V3", "pandas / unwrapped", unwrapped, tables.unwrapped, ">= 9", True),
        Row("V3", "np.unwrap in a loop / unwrapped", unwrapped, tables.unwrapped_one_by_one, ">= 10", True),
        Row("V3", "turns_at / add", partial(movement.turns_at, barrels.yaw, 69.0, tol=1.0), pass_over["yaw"], "told"),
        Row("V4", "pandas shift / rises, falls, first", first, tables.edges, ">= 130", True),
        Row("V4", "pandas shift / rises, falls, later", later, tables.edges, ">= 3000", True),
        Row("V7", "equals, first look / max", partial(equal, True), pass_over["heat"], "<= 4"),
        Row("V8", "four comparisons / NumPy's", partial(condition, x, y, heat), partial(condition, *columns), "<= 1.3"),
        Row(
            "V8",
            "judge of four / NumPy's all",
            lambda: judge(condition(x, y, heat), "so"),
            lambda: condition(*columns).all(),
            "told",
        ),
        Row("V7", "unchanged / max", partial(values.unchanged, barrels.heat), pass_over["heat"], "told"),
    ]


def rows_of_a_crowd(trace: Trace) -> list[Row]:
    """Return what is measured on a session in which all objects are there all the time."""
    causes, effects = ticks(trace, 0), ticks(trace, 3)
    left, right = (pd.DataFrame({"id": one.subject, "row": one.clock_index}) for one in (causes, effects))
    some = _Some(trace)

    def leads_to() -> Any:
        return triggers.leads_to(causes, effects, within=frames(6))

    def merged() -> Any:
        found = right.assign(found=right["row"])
        return pd.merge_asof(left, found, on="row", by="id", direction="forward", tolerance=6)

    def equal_work() -> Any:
        """Answer what the verdict does: each cause's effect and spare time, those too many, each object's part."""
        after = merged()
        before = pd.merge_asof(right, left.assign(cause=left["row"]), on="row", by="id", tolerance=6)
        surplus = before[before["cause"].notna() & before.duplicated(["id", "cause"])]
        broken = after["found"].isna()
        after = after.assign(spare=6 - (after["found"] - after["row"]), broken=broken, at=after["row"].where(broken))
        parts = after.groupby("id").agg(
            tested=("row", "size"), breaches=("broken", "sum"), first=("at", "min"), worst=("spare", "min")
        )
        return after[broken], surplus, parts, after["spare"].min()

    def two_pointers() -> Any:
        return _two_pointers(
            causes.subject.tolist(), causes.clock_index.tolist(), effects.subject.tolist(), effects.clock_index.tolist()
        )

    return [
        Row("V5", "merge_asof, equal work / leads_to", leads_to, equal_work, ">= 1", True),
        Row("V5", "merge_asof, one way / leads_to", leads_to, merged, "told", True),
        Row("V5", "a loop in Python / leads_to", leads_to, two_pointers, ">= 6", True),
        Row("V6", "NumPy loop / pairs of 50 with 1,000", some.touching, some.frame_by_frame, ">= 4", True),
        Row("V6", "Python / pairs of 50 with 1,000", some.touching, some.one_by_one, ">= 50", True, SHARE),
        Row("V6", "turned boxes / circles", some.boxes, some.circles, "<= 2"),
        Row("C6", "10,000 tiles / one look-up", some.on_tiles, some.look_up, "<= 3"),
    ]


class _Tables:
    """The session as a table of pandas, and what one would write on it."""

    def __init__(self, trace: Trace) -> None:
        barrels = trace.all("barrel")
        track = barrels.position.track
        columns = {"x": barrels.position.x, "y": barrels.position.y, "yaw": barrels.yaw, "lit": barrels.lit}
        table = pd.DataFrame({"id": track.lifetime, "frame": track.clock_index, "t": track.times})
        self.table = table.assign(**{name: one.parts[0] for name, one in columns.items()})
        self.groups = self.table.groupby("id", sort=False)
        self.bounds = np.append(track.starts, track.size).tolist()

    def speeds(self) -> Any:
        step = self.groups[["x", "y", "t"]].diff()
        speed = np.hypot(step["x"], step["y"]) / step["t"]
        return speed.groupby(self.table["id"], sort=False).agg(["min", "max"]), self.table[speed > 14]

    def speeds_one_by_one(self) -> Any:
        def of(one: pd.DataFrame) -> Any:
            speed = np.hypot(one["x"].diff(), one["y"].diff()) / one["t"].diff()
            return speed.min(), speed.max(), one["frame"][speed > 14]

        return self.groups[["x", "y", "t", "frame"]].apply(of)

    def unwrapped(self) -> Any:
        laps = -(self.groups["yaw"].diff().fillna(0.0) / 360).round()
        return self.table["yaw"] + 360 * laps.groupby(self.table["id"], sort=False).cumsum()

    def unwrapped_one_by_one(self) -> Any:
        yaw = self.table["yaw"].to_numpy()
        pairs = zip(self.bounds[:-1], self.bounds[1:], strict=True)
        return np.concatenate([np.unwrap(yaw[begin:end], period=360) for begin, end in pairs])

    def edges(self) -> Any:
        now, before = self.table["lit"], self.groups["lit"].shift()
        turned = (now & (before == False), ~now & (before == True))  # noqa: E712  (missing is neither)
        return [self.table.loc[some, ["id", "frame"]] for some in turned]


def _two_pointers(who: list[int], at: list[int], whose: list[int], when: list[int]) -> tuple[list[int], int]:
    """Return the causes without an effect within 6 frames, and how many effects came too often."""
    open_since: dict[int, int] = {}
    had: dict[int, int] = {}
    lost, surplus, index = [], 0, 0
    for number, (one, row) in enumerate(zip(whose, when, strict=True)):
        while index < len(who) and at[index] <= row:
            if had.get(who[index]) == 0:
                lost.append(number)
            open_since[who[index]], had[who[index]] = at[index], 0
            index += 1
        if row - open_since.get(one, -9) <= 6:
            surplus += had[one] > 0
            had[one] += 1
    return lost, surplus


class _Some:
    """Fifty objects against all, on some frames: 50,000 pairs a frame."""

    def __init__(self, trace: Trace) -> None:
        position = trace.all("barrel").position
        self.frames = 1_200
        kept = np.flatnonzero(position.track.clock_index < self.frames)
        self.all = position.take(kept)
        self.few = self.all.take(np.flatnonzero(self.all.track.lifetime < 50))
        self.x, self.y = (part.reshape(OBJECTS, -1) for part in self.all.parts)
        self.yaw = trace.all("barrel").yaw.take(kept)
        solid = np.random.default_rng(1).random((100, 100)) < 0.3
        self.level = Tiles(solid, 1.0, origin=(-50, -50), up=False)
        self.solid = np.pad(solid, 1)  # so that a place beyond the level has a tile, too

    def touching(self) -> Spans:
        return collisions.touching(self.few, self.all, radius=(0.5, 0.5))

    def boxes(self) -> Any:
        return self._near(Shape.box(0.8, 0.6, turn="yaw"))

    def circles(self) -> Any:
        return self._near(Shape.circle(0.5))

    def _near(self, shape: Shape) -> Any:
        every = Bodies.of(shape, self.all, lambda _: self.yaw)
        few = np.flatnonzero(self.all.track.lifetime < 50)
        return near_bodies(Bodies.of(shape, self.few, lambda _: self.yaw.take(few)), every, 0.0)

    def on_tiles(self) -> Any:
        return self.level.depth(self.all.parts)

    def look_up(self) -> Any:
        x, y = (np.clip(np.floor(part) + 51, 0, 101).astype(np.int64) for part in self.all.parts)
        return self.solid[y, x]

    def frame_by_frame(self) -> int:
        hits = 0
        for frame in range(self.frames):
            dx = self.x[:50, frame, None] - self.x[:, frame]
            dy = self.y[:50, frame, None] - self.y[:, frame]
            hits += int((dx * dx + dy * dy <= 1).sum())
        return hits

    def one_by_one(self) -> int:
        hits = 0
        for frame in range(0, self.frames, SHARE):
            indices = list(zip(self.x[:, frame].tolist(), self.y[:, frame].tolist(), strict=True))
            for x, y in indices[:50]:
                for others_x, others_y in indices:
                    hits += (x - others_x) ** 2 + (y - others_y) ** 2 <= 1
        return hits


def measure(one: Row) -> None:
    """Print a line for a comparison."""
    spent: list[list[float]] = [[], []]
    for turn in range(ROUNDS + 1):
        for which in (0, 1) if turn % 2 else (1, 0):
            start = time.perf_counter()
            (one.ours, one.other)[which]()
            if turn:
                spent[which].append(time.perf_counter() - start)
    ours, other = (statistics.median(times) for times in spent)
    other *= one.times
    found = other / ours if one.inverse else ours / other
    limit = one.pass_at.split()
    met = "" if one.pass_at == "told" else "met" if (found <= float(limit[1])) == (limit[0] == "<=") else "MISSED"
    took = f"({ours * 1e3:8.1f} ms, {other * 1e3:8.1f} ms)"
    print(f"{one.row:3} {one.what:36} {found:9.2f}  {one.pass_at:8} {met:7} {took}", flush=True)


def main() -> None:
    """Measure everything."""
    for make in (crowd, hour):
        trace = make()
        print(f"{make.__name__}: {len(trace.all('barrel').heat):,} samples of {len(trace.all('barrel').ids):,} objects")
        for one in rows(trace) + (rows_of_a_crowd(trace) if make is crowd else []):
            measure(one)


if __name__ == "__main__":
    main()
