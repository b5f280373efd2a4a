"""What recording costs, as ratios against what a game would otherwise do, measured in one run.

    python benchmarks/recording.py

A frame is 100 objects with six numbers, a flag and a short text each; every number changes on every frame. The floor is
a loop that only reads these eight attributes. All ways of recording are called in one loop, in short turns, so that
whatever else the machine does falls on all of them alike. *Hot* calls follow one another; *cold* ones come after some
milliseconds of other work, as in a game.
"""

import gc
import json
import os
import random
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from breadcrumb import Recorder, open_trace

OBJECTS, HOT_FRAMES, COLD_FRAMES, ROUNDS, TURN = 100, 600, 240, 5, 20
MANY, MANY_FRAMES = 10_000, 60
KILLS = 20
STARTS = 15
PROPERTIES = ("x", "y", "z", "vx", "vy", "vz", "lit", "state")


class Body:
    """An object of the game."""

    def __init__(self, number: int) -> None:
        draw = random.Random(number)
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


CROWD = [Body(number) for number in range(4000)]


class Row(NamedTuple):
    """One line of the result."""

    row: str
    what: str
    found: float
    passes: Callable[[float], bool]
    target: str


def read_only(bodies: Sequence[Body]) -> Callable[[float], None]:
    """Return the floor: read every attribute and keep nothing."""
    source = "def read(t):\n    for o in bodies:\n" + "".join(f"        o.{name}\n" for name in PROPERTIES)
    namespace: dict[str, object] = {"bodies": bodies}
    exec(source, namespace)
    return namespace["read"]  # type: ignore[return-value]


def json_lines(bodies: Sequence[Body], path: Path) -> Callable[[float], None]:
    """Return what many would write first: a line of JSON a frame."""
    file = path.open("w", encoding="utf-8")

    def frame(t: float) -> None:
        rows = [{name: getattr(body, name) for name in PROPERTIES} for body in bodies]
        file.write(json.dumps({"t": t, "bodies": rows}) + "\n")
        file.flush()

    return frame


def recorder(bodies: Sequence[Body], path: Path) -> Callable[[float], None]:
    """Return the library's way."""
    rec = Recorder(path)
    numbers: dict[str, Any] = {name: name for name in PROPERTIES}
    rec.watch_each(lambda: bodies, kind="body", **numbers)
    return rec.frame


def measure(
    ways: dict[str, Callable[[float], None]], bodies: Sequence[Body], frames: int, *, cold: bool
) -> dict[str, list[float]]:
    """Call every way on so many frames, in turns of some frames each; return the seconds of each call."""
    spent: dict[str, list[float]] = {name: [] for name in ways}
    names = list(ways)
    for _ in range(frames // TURN):
        names.append(names.pop(0))
        for name in names:
            way, times = ways[name], spent[name]
            for _ in range(TURN):
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
    for body in CROWD:
        body.move()


def ratio(spent: dict[str, list[float]], one: str, other: str) -> float:
    """Return the ratio of two medians."""
    return statistics.median(spent[one]) / statistics.median(spent[other])


def collections_caused(record: Callable[[float], None]) -> int:
    """Return how many runs of the garbage collector 600 recorded frames cause."""
    gc.collect()
    before = collections_so_far()
    for _ in range(HOT_FRAMES):
        record(time.perf_counter())
    return collections_so_far() - before


def collections_so_far() -> int:
    """Return how many runs of the garbage collector there were."""
    return sum(int(generation["collections"]) for generation in gc.get_stats())


def arrays_against_objects(folder: Path) -> float:
    """Return the cost of recording 10,000 objects from arrays, as a share of recording them one by one; cold."""
    bodies = [Body(number) for number in range(MANY)]
    places, velocities = np.zeros((MANY, 3)), np.ones((MANY, 3))
    rec = Recorder(folder / "arrays.crumbs")
    rec.watch_arrays("body", np.arange(MANY), position=places, velocity=velocities, lit=np.ones(MANY, np.bool_))
    one_by_one = recorder(bodies, folder / "objects.crumbs")

    def from_arrays(t: float) -> None:
        rec.frame(t)

    spent: dict[str, list[float]] = {"arrays": [], "objects": []}
    for _ in range(MANY_FRAMES):
        for body in bodies:
            body.move()
        np.add(places, velocities / 60, out=places)
        np.multiply(velocities, 0.9999, out=velocities)
        for name, way in (("arrays", from_arrays), ("objects", one_by_one)):
            other_work()
            start = time.perf_counter()
            way(start)
            spent[name].append(time.perf_counter() - start)
    return ratio(spent, "arrays", "objects")


def lost_on_kill(folder: Path) -> int:
    """Kill recording processes at random moments; return the most whole frames that one of them lost."""
    script = (
        "import sys; sys.path.insert(0, sys.argv[2]); from recording import Body, recorder\n"
        "from pathlib import Path\nframe = recorder([Body(n) for n in range(100)], Path(sys.argv[1]))\n"
        "n = 0\nwhile True:\n    frame(n / 60)\n    print(n, flush=True)\n    n += 1\n"
    )
    worst = 0
    for number in range(KILLS):
        path = folder / f"killed-{number}.crumbs"
        command = [sys.executable, "-c", script, str(path), str(Path(__file__).parent)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as game:
            assert game.stdout is not None
            game.stdout.readline()
            time.sleep(random.uniform(0, 0.1))
            os.kill(game.pid, signal.SIGKILL)
            said = [line for line in game.stdout.read().split("\n")[:-1] if line]
        last = int(said[-1]) if said else 0
        worst = max(worst, last - int(open_trace(path).clock.frames[-1]))
    return worst


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


def rows(folder: Path) -> list[Row]:
    """Measure everything."""
    bodies = [Body(number) for number in range(OBJECTS)]
    ways = {
        "read": read_only(bodies),
        "json": json_lines(bodies, folder / "frames.jsonl"),
        "record": recorder(bodies, folder / "bench.crumbs"),
    }
    measure(ways, bodies, 60, cold=False)
    hot = [measure(ways, bodies, HOT_FRAMES, cold=False) for _ in range(ROUNDS)]
    cold = [measure(ways, bodies, COLD_FRAMES, cold=True) for _ in range(ROUNDS)]

    def median_ratio(rounds: list[dict[str, list[float]]], one: str, other: str) -> float:
        return statistics.median(ratio(spent, one, other) for spent in rounds)

    def tail(rounds: list[dict[str, list[float]]]) -> float:
        calls = [sorted(spent["record"]) for spent in rounds]
        return statistics.median(one[int(len(one) * 0.99)] / statistics.median(one) for one in calls)

    bare, recording, plain, ours = start_up(
        "pass", "from breadcrumb import Recorder", PLAIN_HELP, "from breadcrumb.cli import main; main(['--help'])"
    )
    micro = statistics.median(hot[0]["record"]) * 1e6, statistics.median(cold[0]["record"]) * 1e6
    return [
        Row("R1", "record / read only, hot", median_ratio(hot, "record", "read"), lambda v: v <= 4.5, "<= 4.5"),
        Row("R1", "record / read only, cold", median_ratio(cold, "record", "read"), lambda v: True, "told"),
        Row("R2", "JSON line / record, hot", median_ratio(hot, "json", "record"), lambda v: v >= 16, ">= 16"),
        Row("R2", "JSON line / record, cold", median_ratio(cold, "json", "record"), lambda v: v >= 10, ">= 10"),
        Row("R5", "p99 / median of a record call, hot", tail(hot), lambda v: v <= 3, "<= 3"),
        Row("R5", "p99 / median of a record call, cold", tail(cold), lambda v: v <= 3, "<= 3"),
        Row("R5", "garbage collections caused", collections_caused(ways["record"]), lambda v: v == 0, "0"),
        Row("R6", f"whole frames lost, worst of {KILLS} kills", lost_on_kill(folder), lambda v: v <= 0, "0"),
        Row(
            "R7",
            "arrays / objects, 10,000 of them, cold",
            arrays_against_objects(folder),
            lambda v: v <= 0.08,
            "<= 0.08",
        ),
        Row("E1", "import Recorder / bare Python", recording / bare, lambda v: v <= 3, "<= 3"),
        Row("E1", "breadcrumb --help / plain click help", ours / plain, lambda v: v <= 1.3, "<= 1.3"),
        Row("", "record, hot, in microseconds", micro[0], lambda v: True, "told"),
        Row("", "record, cold, in microseconds", micro[1], lambda v: True, "told"),
    ]


def main() -> None:
    """Print a line for each ratio, with its target."""
    with tempfile.TemporaryDirectory() as folder:
        for row in rows(Path(folder)):
            met = "" if row.target == "told" else "met" if row.passes(row.found) else "MISSED"
            print(f"{row.row:3} {row.what:44} {row.found:8.2f}  {row.target:7} {met}")


if __name__ == "__main__":
    main()
