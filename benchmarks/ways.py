"""A crowd of moving objects, and the ways in which a game may record it."""

import csv
import json
import logging
import pickle
import random
import sqlite3
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import cycle
from pathlib import Path
from typing import Any

import numpy as np
import orjson
import pandas as pd

from breadcrumb import Recorder

PROPERTIES = ("x", "y", "z", "vx", "vy", "vz", "lit", "state")
TURN = 20
Frame = Callable[[float], None]


class Body:
    """An object of the game."""

    def __init__(self, number: int) -> None:
        draw = random.Random(number)
        self.missing = None if number % 10 == 0 else float(number)
        self.x, self.y, self.z = (draw.uniform(-40, 40) for _ in "xyz")
        self.vx, self.vy, self.vz = (draw.uniform(-6, 6) for _ in "xyz")
        self.lit = number % 2 == 0
        self.state = "idle"

    def move(self) -> None:
        """Change every number, as a game does in a sixtieth of a second."""
        self.x += self.vx / 60
        self.y += self.vy / 60
        self.z += self.vz / 60
        self.vx *= 0.9999
        self.vy *= 0.9999
        self.vz *= 0.9999


@dataclass
class Way:
    """A way to record: what it does on a frame, and at the end; where its bytes are."""

    frame: Frame
    close: Callable[[], None]
    path: Path

    def bytes(self) -> int:
        """Return what it has written."""
        files = self.path.rglob("*") if self.path.is_dir() else [self.path]
        return sum(file.stat().st_size for file in files if file.is_file())


def read_only(bodies: Sequence[Body]) -> Frame:
    """Return the floor: read every attribute and keep nothing."""
    source = "def read(t):\n    for o in bodies:\n" + "".join(f"        o.{name}\n" for name in PROPERTIES)
    namespace: dict[str, Any] = {"bodies": bodies}
    exec(source, namespace)
    read: Frame = namespace["read"]
    return read


def recorder(bodies: Sequence[Body], folder: Path, **other: Any) -> Way:
    """Return the library's way, with other readers for some of the properties."""
    path = folder / f"recorded{'-'.join(other)}.crumbs"
    rec = Recorder(path)
    numbers: dict[str, Any] = {name: name for name in PROPERTIES} | other
    rec.watch_each(lambda: bodies, kind="body", **numbers)
    return Way(rec.frame, rec.close, path)


def arrays(count: int, folder: Path) -> Way:
    """Return the library's way for a game that holds its numbers in arrays, which all change on each frame."""
    path = folder / "arrays.crumbs"
    positions, velocities = (cycle((np.zeros((count, 3)), np.ones((count, 3)))) for _ in range(2))
    lit = np.ones(count, np.bool_)
    rec = Recorder(path)
    rec.watch_arrays(
        "body", np.arange(count), position=lambda: next(positions), velocity=lambda: next(velocities), lit=lit
    )
    return Way(rec.frame, rec.close, path)


def json_line(bodies: Sequence[Body], folder: Path) -> Way:
    """Return what many would write first: a line of JSON a frame."""
    path = folder / "frames.jsonl"
    file = path.open("w", encoding="utf-8")

    def frame(t: float) -> None:
        file.write(json.dumps({"t": t, "bodies": _dicts(bodies)}) + "\n")
        file.flush()

    return Way(frame, file.close, path)


def orjson_line(bodies: Sequence[Body], folder: Path) -> Way:
    """Return the same with a fast encoder."""
    path = folder / "frames-orjson.jsonl"
    file = path.open("wb")

    def frame(t: float) -> None:
        file.write(orjson.dumps({"t": t, "bodies": _dicts(bodies)}) + b"\n")
        file.flush()

    return Way(frame, file.close, path)


def csv_rows(bodies: Sequence[Body], folder: Path) -> Way:
    """Return a row of CSV for each object and frame."""
    path = folder / "frames.csv"
    file = path.open("w", encoding="utf-8", newline="")
    writer = csv.writer(file)

    def frame(t: float) -> None:
        writer.writerows((t, n, *_values(body)) for n, body in enumerate(bodies))
        file.flush()

    return Way(frame, file.close, path)


def logged(bodies: Sequence[Body], folder: Path) -> Way:
    """Return a line in a log for each object and frame."""
    path = folder / "frames.log"
    handler = logging.FileHandler(path)
    handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    logger = logging.Logger("frames")
    logger.addHandler(handler)

    def frame(t: float) -> None:
        for n, body in enumerate(bodies):
            logger.info("%r body-%d %r %r %r %r %r %r %r %s", t, n, *_values(body))

    return Way(frame, handler.close, path)


def sqlite(bodies: Sequence[Body], folder: Path) -> Way:
    """Return rows of a data base that are committed at the end."""
    path = folder / "frames.sqlite"
    base = sqlite3.connect(path)
    base.execute(f"create table frames (t real, body integer, {', '.join(PROPERTIES)})")
    holes = ", ".join("?" * (2 + len(PROPERTIES)))

    def frame(t: float) -> None:
        rows = [(t, n, *_values(body)) for n, body in enumerate(bodies)]
        base.executemany(f"insert into frames values ({holes})", rows)

    def close() -> None:
        base.commit()
        base.close()

    return Way(frame, close, path)


def pickled(bodies: Sequence[Body], folder: Path) -> Way:
    """Return pickled tuples, a list a frame."""
    path = folder / "frames.pickle"
    file = path.open("wb")

    def frame(t: float) -> None:
        pickle.dump((t, [_values(body) for body in bodies]), file, pickle.HIGHEST_PROTOCOL)
        file.flush()

    return Way(frame, file.close, path)


def to_parquet(bodies: Sequence[Body], folder: Path) -> Way:
    """Return a list of dicts that is turned into Parquet at the end."""
    path = folder / "frames.parquet"
    kept: list[dict[str, Any]] = []

    def frame(t: float) -> None:
        kept.extend({"t": t, "body": n, **row} for n, row in enumerate(_dicts(bodies)))

    return Way(frame, lambda: pd.DataFrame(kept).to_parquet(path), path)


ALTERNATIVES: dict[str, Callable[[Sequence[Body], Path], Way]] = {
    "a line of JSON a frame": json_line,
    "the same with orjson": orjson_line,
    "rows of CSV": csv_rows,
    "lines of a log": logged,
    "rows of SQLite": sqlite,
    "pickled tuples": pickled,
    "dicts, Parquet at the end": to_parquet,
}


def measure(
    ways: dict[str, Frame], bodies: Sequence[Body], frames: int, *, cold: bool, turn: int = TURN
) -> dict[str, list[float]]:
    """Call every way on so many frames, in turns of some frames each; return the seconds of each call."""
    spent: dict[str, list[float]] = {name: [] for name in ways}
    names = list(ways)
    for _ in range(frames // turn):
        names.append(names.pop(0))
        for name in names:
            way, times = ways[name], spent[name]
            for _ in range(turn):
                for body in bodies:
                    body.move()
                if cold:
                    other_work()
                start = time.perf_counter()
                way(start)
                times.append(time.perf_counter() - start)
    return spent


def other_work() -> None:
    """Spend two or three milliseconds as a game does: move what is not recorded."""
    for body in _CROWD:
        body.move()


_CROWD = [Body(number) for number in range(4000)]


def _values(body: Body) -> tuple[Any, ...]:
    return (body.x, body.y, body.z, body.vx, body.vy, body.vz, body.lit, body.state)


def _dicts(bodies: Sequence[Body]) -> list[dict[str, Any]]:
    return [dict(zip(PROPERTIES, _values(body), strict=True)) for body in bodies]
