"""What every check costs on 10 million samples, held and with one breach: time in passes, and memory in columns.

    python benchmarks/every_check.py [PATTERN...]

The session is that of checks.py: 1,000 objects on 10,000 frames, whose flag rises 20,000 times. A pass is `min` and
`max` over each column that the check reads, or at least over one; of a check of moments alone it is `np.searchsorted`
of their keys in themselves. Each round looks at a new trace, so that nothing is known of its signals. Worst first.
"""

import statistics
import sys
import time
import tracemalloc
import warnings
from fnmatch import fnmatchcase
from typing import NamedTuple

import numpy as np
from calls import CALLS, LIVES, Call, Scene
from sessions import FRAMES, OBJECTS, Noting, crowd, hour, spoilt

from breadcrumb import Trace

ROUNDS = 3
COLUMN = 8 * OBJECTS * FRAMES


class Cost(NamedTuple):
    """What a check costs on one session."""

    outcome: str
    seconds: float
    columns: float
    """Its peak of memory."""


def scene_of(data: Noting) -> Scene:
    """Return a new trace of a session, with moments and spans of its flag."""
    scene = Scene.of(Trace(data))
    data.read.clear()
    return scene


def cost_of(call: Call, data: Noting) -> Cost:
    """Measure a check, its time and then its memory."""
    spent = []
    verdict = call(scene_of(data))
    for _ in range(ROUNDS):
        scene = scene_of(data)
        start = time.perf_counter()
        call(scene)
        spent.append(time.perf_counter() - start)
    scene = scene_of(data)
    tracemalloc.start()
    call(scene)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return Cost(verdict.outcome, statistics.median(spent), peak / COLUMN)


def pass_over(data: Noting, names: set[str], scene: Scene) -> float:
    """Return how long a pass takes over columns, or else over the moments."""
    columns = [data.column("barrel", name).values for name in sorted(names)]
    keys = scene.at.lifetime * FRAMES + scene.at.clock_index
    rising = np.sort(keys)
    spent = []
    for _ in range(2 * ROUNDS + 1):
        start = time.perf_counter()
        for values in columns:
            values.min(), values.max()
        if not columns:
            np.searchsorted(rising, keys)
        spent.append(time.perf_counter() - start)
    return statistics.median(spent)


def line_of(name: str, call: Call, held: Noting, broken: Noting) -> tuple[float, str]:
    """Return the passes that a check takes, and what is told of it."""
    good = cost_of(call, held)
    names = set(held.read)
    one = pass_over(held, names, scene_of(held))
    bad = cost_of(call, broken)
    passes = good.seconds / one
    more = f"{bad.seconds / good.seconds - 1:+6.0%}" if bad.outcome == "broken" else ""
    return passes, (
        f"{name:20} {good.outcome:9} {good.seconds * 1e3:9.1f} ms {passes:8.2f} passes of {len(names)}"
        f" {good.columns:6.2f} columns   {bad.outcome:9} {more}".rstrip()
    )


def main(patterns: list[str]) -> None:
    """Print a line for each check."""
    warnings.simplefilter("ignore")
    unknown = [one for one in patterns if not any(fnmatchcase(name, one) for name in CALLS | LIVES)]
    if unknown:
        sys.exit(f"every_check.py: no check is called {', '.join(unknown)}")
    lines = []
    for calls, make in ((CALLS, crowd), (LIVES, hour)):
        wanted = {name: call for name, call in calls.items() if any(fnmatchcase(name, one) for one in patterns or "*")}
        if not wanted:
            continue
        trace = make()
        held, broken = Noting(trace.data), Noting(spoilt(trace).data)
        for name, call in wanted.items():
            lines.append(line_of(name, call, held, broken))
            print(lines[-1][1], flush=True)
    print(f"\n{OBJECTS * FRAMES:,} samples; worst first")
    for _, line in sorted(lines, reverse=True):
        print(line)
    print(f"\nmedian {statistics.median([passes for passes, _ in lines]):.2f} passes")


if __name__ == "__main__":
    main(sys.argv[1:])
