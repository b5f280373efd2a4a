"""What several processes gain: sessions of the demo with all its checks, in one process and in several.

python benchmarks/running.py --sessions 20 --jobs 2
"""

import argparse
import tempfile
import time
from pathlib import Path

from breadcrumb.demo.play import play
from breadcrumb.run.finding import find_check_files
from breadcrumb.run.running import run_checks
from breadcrumb.trace.opened import open_trace

CHECKS = Path(__file__).parent.parent / "examples" / "lantern_bay"


def main() -> None:
    """Print a line for each number of processes, and how many times as fast several are."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--sessions", type=int, default=20)
    parser.add_argument("--jobs", type=int, default=2)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        traces = [Path(folder) / f"{seed}.crumbs" for seed in range(asked.sessions)]
        for seed, trace in enumerate(traces):
            open_trace(play(trace, seed=seed))  # opened once, so that no run turns it into files
        files, taken, found = find_check_files(CHECKS), {}, []
        for jobs in (1, asked.jobs):
            begin = time.perf_counter()
            found.append(run_checks(files, traces, jobs=jobs))
            taken[jobs] = time.perf_counter() - begin
            print(f"{asked.sessions} sessions in {jobs} processes: {taken[jobs]:.1f} s")
        same = "the same results" if found[0] == found[1] else "OTHER RESULTS"
        print(f"{taken[1] / taken[asked.jobs]:.2f} times as fast, {same}")


if __name__ == "__main__":
    main()
