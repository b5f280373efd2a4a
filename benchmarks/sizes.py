"""What a frame pays for being recorded, and what that takes on disk: 100, 1,000 and 10,000 objects, cold, in process.

python benchmarks/sizes.py
"""

import statistics
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path

from ways import ALTERNATIVES, Body, Frame, Way, arrays, measure, recorder

FRAMES = {100: 600, 1_000: 240, 10_000: 60}
LEFT_OUT = ("lines of a log", "pickled tuples")  # the benchmark of ratios has them


def main() -> None:
    """Print a line for each number of objects and way to record them."""
    print(f"{'':8} {'':26} {'median':>10} {'p99':>10} {'worst':>10} {'share of':>9} {'bytes a':>10}")
    print(f"{'objects':8} {'way':26} {'ms':>10} {'ms':>10} {'ms':>10} {'16.7 ms':>9} {'frame':>10}")
    for count, frames in FRAMES.items():
        with tempfile.TemporaryDirectory() as folder:
            bodies = [Body(number) for number in range(count)]
            ways = _ways(bodies, Path(folder))
            calls: dict[str, Frame] = {name: way.frame for name, way in ways.items()}
            spent = measure(calls, bodies, frames, cold=True, turn=10)
            for name, way in ways.items():
                way.close()
                times = sorted(spent[name])
                median, p99, worst = statistics.median(times), times[int(len(times) * 0.99)], times[-1]
                print(
                    f"{count:8,} {name:26} {median * 1e3:10.3f} {p99 * 1e3:10.3f} {worst * 1e3:10.3f}"
                    f" {median * 60:9.1%} {way.bytes() / frames:10,.0f}"
                )


def _ways(bodies: Sequence[Body], folder: Path) -> dict[str, Way]:
    makers: dict[str, Callable[[Sequence[Body], Path], Way]] = {"breadcrumb": recorder, **ALTERNATIVES}
    ways = {name: make(bodies, folder) for name, make in makers.items() if name not in LEFT_OUT}
    return {**ways, "breadcrumb, from arrays": arrays(len(bodies), folder)}


if __name__ == "__main__":
    main()
