"""What a trace takes on disk and how fast it is read and converted, as ratios to Parquet, JSON Lines and NumPy files.

    python benchmarks/storing.py [minutes]

The session is an hour of play at 60 frames a second, or so many minutes: 50 objects that stay and 20,000 an hour that
live for a second, all of which move by a constant velocity and bounce. Each way of storing it holds the same columns.
What is compared is called in turns in one loop, and the medians divided; files are in the system's cache, as after a
first reading. JSON Lines are written and read for the first minute alone, and the figures multiplied.
"""

import statistics
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import orjson
import pyarrow as pa
import pyarrow.parquet as pq
from recording import Row, at_least, at_most, told

from breadcrumb import Recorder, Trace, open_trace

RATE, STAY, COME = 60, 50, 20_000
MINUTES = 60
ROUNDS = 11
PROPERTIES = ("x", "y", "vx", "vy", "heat")
LIMIT = 40.0
BLOCK = 1 << 20


class Ball:
    """An object that moves straight on and bounces off the walls."""

    __slots__ = PROPERTIES

    def __init__(self, draw: Any) -> None:
        self.x, self.y, self.vx, self.vy, self.heat = draw.uniform(-6, 6, 5).tolist()

    def move(self) -> None:
        """Go on by a frame."""
        self.x += self.vx / RATE
        self.y += self.vy / RATE
        if abs(self.x) > LIMIT:
            self.vx = -self.vx
        if abs(self.y) > LIMIT:
            self.vy = -self.vy


def balls(frames: int) -> Iterator[list[Ball]]:
    """Yield the objects that are there on each frame."""
    draw = np.random.default_rng(7)
    each = COME / (MINUTES * 60 * RATE)
    there, due, born = [Ball(draw) for _ in range(STAY)], 0.0, []
    for frame in range(frames):
        due += each
        if due >= 1:
            due -= 1
            born.append((frame, Ball(draw)))
            there.append(born[-1][1])
        if born and born[0][0] + RATE <= frame:
            there.remove(born.pop(0)[1])
        for ball in there:
            ball.move()
        yield there


def record(path: Path, frames: int) -> None:
    """Record the session."""
    there: list[Ball] = []
    rec = Recorder(path)
    rec.watch_each(lambda: there, kind="ball", properties={name: name for name in PROPERTIES})
    for frame, there in enumerate(balls(frames)):  # noqa: B007 - the recorder reads it
        rec.frame(frame / RATE)
    rec.close()


def json_lines(path: Path, frames: int) -> None:
    """Write a line of JSON a frame."""
    with path.open("wb") as file:
        for frame, there in enumerate(balls(frames)):
            rows = [{"id": id(ball), **{name: getattr(ball, name) for name in PROPERTIES}} for ball in there]
            file.write(orjson.dumps({"t": frame / RATE, "balls": rows}) + b"\n")


def in_turns(*ways: Callable[[], Any]) -> list[float]:
    """Return the median seconds of each of some calls, made in turns."""
    spent: list[list[float]] = [[] for _ in ways]
    for turn in range(ROUNDS + 1):
        for which in range(len(ways)) if turn % 2 else reversed(range(len(ways))):
            start = time.perf_counter()
            ways[which]()
            if turn:
                spent[which].append(time.perf_counter() - start)
    return [statistics.median(times) for times in spent]


def timed(call: Callable[[], Any]) -> float:
    """Return the seconds that a call takes."""
    start = time.perf_counter()
    call()
    return time.perf_counter() - start


def read_bytes(path: Path) -> None:
    """Read a file and drop what was read."""
    with path.open("rb") as file:
        while file.read(BLOCK):
            pass


class Parquet(NamedTuple):
    """The same columns as plain Parquet files: as they come by default, and with the encodings that suit numbers."""

    default: Path
    split: Path

    @classmethod
    def of(cls, trace: Trace, folder: Path) -> "Parquet":
        """Write both, and a file of NumPy beside them."""
        lifetime, frame = trace.data.index("ball")
        numbers = {name: trace.data.column("ball", name).values for name in PROPERTIES}
        table = pa.table({"object": lifetime.astype(np.int32), "frame": frame.astype(np.int32), **numbers})
        made = cls(folder / "default.parquet", folder / "split.parquet")
        pq.write_table(table, made.default, compression="zstd")
        encodings = {"object": "DELTA_BINARY_PACKED", "frame": "DELTA_BINARY_PACKED"}
        encodings |= dict.fromkeys(PROPERTIES, "BYTE_STREAM_SPLIT")
        pq.write_table(table, made.split, compression="zstd", use_dictionary=False, column_encoding=encodings)
        np.save(folder / "x.npy", numbers["x"])
        return made

    def one_object(self) -> Any:
        """Read one property of one object."""
        return pq.read_table(self.split, columns=["x"], filters=[("object", "==", STAY // 2)])


def sizes(trace: Path, parquet: Parquet, lines: Path, minutes: int) -> Iterator[Row]:
    """Compare what the ways take on disk."""
    ours = sum(file.stat().st_size for file in trace.rglob("*") if file.is_file() and "working" not in file.parts)
    yield at_least("S1", "JSON Lines / ours, size", lines.stat().st_size * minutes / ours, 30)
    yield told("S1", "Parquet, zstd and defaults / ours, size", parquet.default.stat().st_size / ours)
    yield at_most("S1", "ours / Parquet, zstd and byte-stream split, size", ours / parquet.split.stat().st_size, 1.02)


def readings(path: Path, parquet: Parquet, lines: Path, folder: Path, minutes: int) -> Iterator[Row]:
    """Compare how fast one property is read, of one object and of all."""
    trace = open_trace(path)
    ids = iter([f"ball-{number + 1}" for number in range(STAY)])

    def one_object() -> Any:
        return trace.one(id=next(ids)).x.parts[0].sum()

    def from_lines() -> Any:
        with lines.open("rb") as file:
            return [orjson.loads(line)["balls"][1]["x"] for line in file]

    def all_of_them() -> Any:
        return open_trace(path).data.column("ball", "x").values.sum()

    one, table, text = in_turns(one_object, parquet.one_object, from_lines)
    yield at_least("S2", "JSON Lines / ours, one property of one object", text * minutes / one, 5_000)
    yield at_least("S2", "Parquet / ours, one property of one object", table / one, 5)
    ours, plain = in_turns(all_of_them, lambda: np.load(folder / "x.npy").sum())
    yield at_most("S3", "ours, opened anew / np.load, one property of all", ours / plain, 4)


def main() -> None:
    """Print a line for each ratio, with its target."""
    minutes = int(sys.argv[1]) if len(sys.argv) > 1 else MINUTES
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        path, lines = folder / "balls.crumbs", folder / "balls.jsonl"
        record(path, minutes * 60 * RATE)
        json_lines(lines, 60 * RATE)
        journal = path / "journal.bin"
        reading = statistics.median(timed(lambda: read_bytes(journal)) for _ in range(3))
        converting = timed(lambda: open_trace(path))
        parquet = Parquet.of(open_trace(path), folder)
        for row in (
            *sizes(path, parquet, lines, minutes),
            *readings(path, parquet, lines, folder, minutes),
            at_most("S4", "converting / reading the journal's bytes", converting / reading, 16),
            at_least("S4", "time of play / converting", minutes * 60 / converting, 800),
        ):
            print(row, flush=True)


if __name__ == "__main__":
    main()
