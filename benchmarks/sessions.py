"""Large sessions held in memory, for measuring what checks cost."""

from typing import Any

import numpy as np

from breadcrumb import Moments, Trace
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Events, Ints, Lifetimes, Session
from breadcrumb.model.trace import TraceData

OBJECTS, FRAMES = 1_000, 10_000
RATE = 60
TEXTS = ("idle", "held", "flying")
ABOUT = {
    "units": {"position": "m", "yaw": "deg"},
    "axes": {"x": "right", "y": "up"},
    "angles": {"unit": "deg", "zero": "right", "sense": "counter-clockwise"},
}


class InMemory:
    """A trace whose columns are arrays."""

    def __init__(self, session: Session, columns: dict[str, ColumnData], index: tuple[Ints, Ints]) -> None:
        self.session = session
        self._columns, self._index = columns, index

    def columns(self, kind: str) -> list[str]:
        """Return the names of the columns."""
        return list(self._columns)

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the lifetime and the row of each sample."""
        return self._index

    def column(self, kind: str, name: str) -> ColumnData:
        """Return a column."""
        return self._columns[name]


class Noting:
    """The same, which notes the columns that are read."""

    def __init__(self, data: TraceData) -> None:
        self.session, self.columns, self.index = data.session, data.columns, data.index
        self.read: set[str] = set()
        self._data = data

    def column(self, kind: str, name: str) -> ColumnData:
        """Return a column."""
        self.read.add(name)
        return self._data.column(kind, name)


def spoilt(trace: Trace) -> Trace:
    """Return a session whose numbers are wrong where a flag rises amid it, its flags and texts a second later."""
    data = trace.data
    lit = data.column("barrel", "lit").values
    middle = len(lit) // 2
    rise = middle + int(np.flatnonzero(lit[middle + 1 :] & ~lit[middle:-1])[0]) + 1
    changed = {}
    for name in data.columns("barrel"):
        column = data.column("barrel", name)
        values = column.values.copy()
        if values.dtype == np.bool_ or column.texts:
            later = rise + RATE
            values[later] = (values[later] + 1) % len(column.texts) if column.texts else not values[later]
        else:
            values[rise] = 1e6
        changed[name] = ColumnData(values, texts=column.texts)
    return Trace(InMemory(data.session, changed, data.index("barrel")))


def crowd() -> Trace:
    """Return a session of 10 million samples: 1,000 objects on 10,000 frames."""
    return _session("crowd", np.zeros(OBJECTS, np.int64), np.full(OBJECTS, FRAMES))


def slow_barrel() -> Trace:
    """Return a session of one of these objects at half the frame rate."""
    return _session("slow", np.zeros(1, np.int64), np.full(1, FRAMES), RATE / 2)


def hour() -> Trace:
    """Return an hour of 12 million samples: 50 objects that stay, and 20,000 that live for a second."""
    stay, come, size = 50, 20_000, 3_600 * RATE
    first = np.random.default_rng(7).integers(0, size - RATE, come)
    return _session("hour", np.r_[np.zeros(stay, np.int64), first], np.r_[np.full(stay, size), np.full(come, RATE)])


def _session(label: str, first: Ints, length: Ints, rate: float = RATE) -> Trace:
    """Return a session of barrels that move at a constant speed and bounce within a box, turn, and blink."""
    draw, count = np.random.default_rng(7), len(first)
    size = int((first + length).max())
    clock = Clock(np.arange(size), np.arange(size) / rate, wall=np.arange(size) / rate)
    nobody, nothing = np.full(count, NOBODY), np.zeros(0, np.int64)
    parent = np.where(np.arange(count) % 2, np.arange(count) - 1, NOBODY)
    appear = np.where(first > 0, first, NOBODY)
    lifetimes = Lifetimes(
        np.arange(count), np.zeros(count, np.int64), parent, appear, first, first + length - 1,
        np.where(first + length < size, first + length, nobody),
    )  # fmt: skip
    events = Events(nothing, nothing, nothing, (), nothing, nothing, (), nothing.astype(np.bool_))
    names = tuple(f"b{n}" for n in range(count))
    lifetime = np.repeat(np.arange(count), length)
    row = np.arange(len(lifetime)) - np.repeat(np.cumsum(length) - length - first, length)
    t, turn = clock.times[row], draw.uniform(0, 2 * np.pi, count)

    def folded(start: Any, speed: Any, extent: float) -> Any:
        path = np.mod(start[lifetime] + speed[lifetime] * t + extent, 4 * extent)
        return extent - np.abs(path - 2 * extent)

    columns = {
        "position.x": folded(draw.uniform(-40, 40, count), 5 * np.cos(turn), 40.0),
        "position.y": folded(draw.uniform(-22, 22, count), 5 * np.sin(turn), 22.0),
        "yaw": np.mod(draw.uniform(0, 360, count)[lifetime] + 69.0 * t, 360.0),
        "lit": np.mod(row + draw.integers(0, 500, count)[lifetime], 500) < 250,
        "heat": draw.uniform(10, 20, count)[lifetime],
    }
    every = {name: ColumnData(values) for name, values in columns.items()}
    every["state"] = ColumnData(np.mod(row // 500, len(TEXTS)), texts=TEXTS)
    session = Session(label, ABOUT, clock, lifetimes, events, names, ("barrel",))
    return Trace(InMemory(session, every, (lifetime, row)))


def ticks(trace: Trace, later: int) -> Moments:
    """Return moments of every object of the crowd: a million in all, each so many frames after a tenth one."""
    each = FRAMES // 1_000
    row = np.repeat(np.arange(0, FRAMES - each, each), OBJECTS) + later
    subject = np.tile(np.arange(OBJECTS), len(row) // OBJECTS)
    return Moments.of_lifetimes(trace.data.session, f"tick {later}", row, subject)
