"""What recording costs, as ratios against what a game would otherwise do, measured in one run.

    python benchmarks/recording.py

A frame is 100 objects with six numbers, a flag and a short text each; every number changes on every frame. The floor is
a loop that only reads these eight attributes. All ways of recording are called in one loop, in short turns, so that
whatever else the machine does falls on all of them alike. *Hot* calls follow one another; *cold* ones come after some
milliseconds of other work, as in a game.
"""

import gc
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from ways import ALTERNATIVES, Body, arrays, measure, other_work, read_only, recorder

OBJECTS, HOT_FRAMES, COLD_FRAMES, ROUNDS = 100, 600, 240, 15
SOME, MANY, FEW_FRAMES = 1_000, 10_000, 60
FRAME = 1 / 60
STARTS = 15
Spent = dict[str, list[float]]


class Row(NamedTuple):
    """One line of the result."""

    row: str
    what: str
    found: float
    passes: Callable[[float], bool]
    target: str

    def __str__(self) -> str:
        met = "" if not self.target else "met" if self.passes(self.found) else "MISSED"
        return f"{self.row:3} {self.what:52} {self.found:10.2f}  {self.target:8} {met}"


def at_most(row: str, what: str, found: float, limit: float) -> Row:
    """Return a line whose figure should be small."""
    return Row(row, what, found, lambda value: value <= limit, f"<= {limit:g}")


def at_least(row: str, what: str, found: float, limit: float) -> Row:
    """Return a line whose figure should be large."""
    return Row(row, what, found, lambda value: value >= limit, f">= {limit:g}")


def told(row: str, what: str, found: float) -> Row:
    """Return a line without a target."""
    return Row(row, what, found, lambda value: True, "")


def ratio(rounds: list[Spent], one: str, other: str) -> float:
    """Return the median over the rounds of the ratio of two medians."""
    return statistics.median(statistics.median(spent[one]) / statistics.median(spent[other]) for spent in rounds)


def tail(rounds: list[Spent]) -> float:
    """Return the 99th percentile of a record call over its median."""
    calls = [sorted(spent["record"]) for spent in rounds]
    return float(statistics.median(one[int(len(one) * 0.99)] / statistics.median(one) for one in calls))


def collections_caused(record: Callable[[float], None]) -> int:
    """Return how many runs of the garbage collector 600 recorded frames cause."""
    gc.collect()
    before = _collections()
    for _ in range(HOT_FRAMES):
        record(time.perf_counter())
    return _collections() - before


def _collections() -> int:
    return sum(int(generation["collections"]) for generation in gc.get_stats())


def arrays_against_objects(folder: Path) -> float:
    """Return the cost of recording 10,000 objects from arrays, as a share of recording them one by one; cold."""
    bodies = [Body(number) for number in range(MANY)]
    ways = {"arrays": arrays(MANY, folder).frame, "record": recorder(bodies, folder).frame}
    spent: Spent = {name: [] for name in ways}
    for _ in range(FEW_FRAMES):
        for body in bodies:
            body.move()
        for name, way in ways.items():
            other_work()
            start = time.perf_counter()
            way(start)
            spent[name].append(time.perf_counter() - start)
    return ratio([spent], "arrays", "record")


def share_of_a_frame(folder: Path) -> float:
    """Return what recording 1,000 objects takes of a frame at 60 a second, in percent; cold."""
    bodies = [Body(number) for number in range(SOME)]
    spent = measure({"record": recorder(bodies, folder).frame}, bodies, COLD_FRAMES, cold=True)
    return 100 * statistics.median(spent["record"]) / FRAME


def start_up(*scripts: str) -> list[float]:
    """Return the median seconds of whole processes, measured in turns."""
    spent: list[list[float]] = [[] for _ in scripts]
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    for script in scripts:  # so that all is compiled before time is taken
        subprocess.run([sys.executable, "-c", script], stdout=subprocess.DEVNULL, check=True, env=environment)
    for _ in range(STARTS):
        for times, script in zip(spent, scripts, strict=True):
            start = time.perf_counter()
            subprocess.run([sys.executable, "-c", script], stdout=subprocess.DEVNULL, check=True, env=environment)
            times.append(time.perf_counter() - start)
    return [statistics.median(times) for times in spent]


PLAIN_HELP = """
import click
@click.group()
def main():
    'A program that only prints help.'
main(['--help'])
"""
OUR_HELP = "from breadcrumb.cli import main; main(['--help'])"


def calls(folder: Path) -> list[Row]:
    """Measure the record call against the floor and the alternatives."""
    bodies = [Body(number) for number in range(OBJECTS)]
    ours = recorder(bodies, folder).frame
    ways = {"read": read_only(bodies), "record": ours}
    ways |= {name: make(bodies, folder).frame for name, make in ALTERNATIVES.items()}
    few = {name: ways[name] for name in ("read", "record", "a line of JSON a frame")}
    few["with gaps"] = recorder(bodies, folder, x="missing").frame
    measure(ways, bodies, 60, cold=False)
    hot = [measure(few, bodies, HOT_FRAMES, cold=False) for _ in range(ROUNDS)]
    cold = [measure(ways, bodies, COLD_FRAMES, cold=True) for _ in range(ROUNDS)]
    return [
        at_most("R1", "record / read only, hot", ratio(hot, "record", "read"), 4.5),
        told("R1", "record / read only, cold", ratio(cold, "record", "read")),
        told("R1", "record, a tenth is missing / nothing is, hot", ratio(hot, "with gaps", "record")),
        at_least("R2", "a line of JSON a frame / record, hot", ratio(hot, "a line of JSON a frame", "record"), 16),
        at_least("R2", "a line of JSON a frame / record, cold", ratio(cold, "a line of JSON a frame", "record"), 10),
        at_least("R3", "rows of CSV / record, cold", ratio(cold, "rows of CSV", "record"), 9),
        at_least("R3", "lines of a log / record, cold", ratio(cold, "lines of a log", "record"), 22),
        at_least("R4", "rows of SQLite / record, cold", ratio(cold, "rows of SQLite", "record"), 3),
        at_least("R4", "dicts with orjson / record, cold", ratio(cold, "the same with orjson", "record"), 1.9),
        at_least("R4", "pickled tuples / record, cold", ratio(cold, "pickled tuples", "record"), 1.15),
        at_most("R5", "p99 / median of a record call, hot", tail(hot), 3),
        at_most("R5", "p99 / median of a record call, cold", tail(cold), 3),
        at_most("R5", "garbage collections caused", collections_caused(ours), 0),
        told("", "record, hot, in microseconds", statistics.median(hot[0]["record"]) * 1e6),
        told("", "record, cold, in microseconds", statistics.median(cold[0]["record"]) * 1e6),
    ]


def rows(folder: Path) -> list[Row]:
    """Measure everything."""
    bare, recording, plain, ours = start_up("pass", "from breadcrumb import Recorder", PLAIN_HELP, OUR_HELP)
    parts = [folder / name for name in ("calls", "arrays", "share")]
    for part in parts:
        part.mkdir()
    return [
        *calls(parts[0]),
        at_most("R7", "arrays / objects, 10,000 of them, cold", arrays_against_objects(parts[1]), 0.08),
        at_most("R8", "1,000 objects, percent of a frame, cold", share_of_a_frame(parts[2]), 6),
        at_most("E1", "import Recorder / bare Python", recording / bare, 3),
        at_most("E1", "breadcrumb --help / plain click help", ours / plain, 1.3),
    ]


def main() -> None:
    """Print a line for each ratio, with its target."""
    with tempfile.TemporaryDirectory() as folder:
        for row in sorted(rows(Path(folder)), key=lambda row: row.row or "Z"):
            print(row)


if __name__ == "__main__":
    main()
