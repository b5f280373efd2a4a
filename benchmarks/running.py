"""What several processes and a cluster gain, and how much memory many sessions take.

python benchmarks/running.py --sessions 40
python benchmarks/running.py --memory 100 10000
"""

import argparse
import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psutil

from breadcrumb.demo.play import play
from breadcrumb.run.finding import find_check_files
from breadcrumb.run.running import run_checks
from breadcrumb.trace.opened import open_trace

CHECKS = Path(__file__).parent.parent / "examples" / "lantern_bay"
SEEDS, SECONDS = 20, 10
FEW_CHECKS = ("check_raft.py", "check_gull.py", "check_buoys.py")
MIB = 2**20
ADDRESS = "tcp://127.0.0.1:8799"


def main() -> None:
    """Print a line for each way."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--sessions", type=int, default=40)
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--memory", type=int, nargs="+", default=[])
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        if asked.memory:
            memory(Path(folder), asked.memory)
        else:
            speed(Path(folder), asked.sessions, asked.jobs)


def speed(folder: Path, sessions: int, jobs: int) -> None:
    """Check the same sessions in this process, in several, and on as many workers of a cluster."""
    played = [folder / f"{seed}.crumbs" for seed in range(min(sessions, SEEDS))]
    for seed, trace in enumerate(played):
        open_trace(play(trace, seed=seed))  # opened once, so that no run turns it into files
    traces = [_copy(played[number % SEEDS], folder / f"copy-{number}.crumbs") for number in range(sessions)]
    files, found, taken = find_check_files(CHECKS), [], []
    with cluster(folder, jobs):
        for name, how in (
            ("this process", {}), (f"{jobs} processes", {"jobs": jobs}), (f"{jobs} workers", {"scheduler": ADDRESS}),
        ):  # fmt: skip
            begin = time.perf_counter()
            arguments: dict[str, Any] = how
            found.append(run_checks(files, traces, **arguments))
            taken.append(time.perf_counter() - begin)
            print(f"{sessions} sessions x {len(found[0].tally.checks)} checks, {name}: {taken[-1]:.1f} s", flush=True)
    same = "the same results" if found[0] == found[1] == found[2] else "OTHER RESULTS"
    print(f"{jobs} processes are {taken[0] / taken[1]:.2f} times as fast as one; {same}")
    print(f"the cluster takes {taken[2] / taken[1]:.2f} times as long as {jobs} processes")


@contextlib.contextmanager
def cluster(folder: Path, workers: int) -> Iterator[None]:
    """Run a scheduler and its workers."""
    dask = str(Path(sys.executable).with_name("dask"))
    port = ADDRESS.rpartition(":")[2]
    commands = [[dask, "scheduler", "--port", port, "--no-dashboard"]]
    commands += [[dask, "worker", ADDRESS, "--nthreads", "1", "--no-dashboard"]] * workers
    quiet: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    started = [subprocess.Popen(one, cwd=folder, **quiet) for one in commands]
    try:
        yield
    finally:
        for one in reversed(started):
            one.terminate()
            one.wait()


def memory(folder: Path, numbers: list[int]) -> None:
    """Check so many short sessions with the command, and print the peak of its memory."""
    played = [play(folder / f"{seed}.crumbs", seed=seed, seconds=SECONDS) for seed in range(SEEDS)]
    for trace in played:
        open_trace(trace)
    (folder / "checks").mkdir()
    for name in FEW_CHECKS:
        shutil.copy(CHECKS / name, folder / "checks")
    for number in numbers:
        night = folder / f"night-{number}"
        for copy in range(number):
            _copy(played[copy % SEEDS], night / f"{copy}.crumbs")
        words = ["check", str(folder / "checks"), str(night), "--jobs", "2", "--report", str(folder / "report")]
        begin = time.perf_counter()
        script = "from breadcrumb.cli import main; main()"
        process = subprocess.Popen([sys.executable, "-c", script, *words], stdout=subprocess.DEVNULL)
        own, children = _peaks(process)
        took, page = time.perf_counter() - begin, folder / "report" / "index.html"
        print(
            f"{number} sessions: {took:.0f} s, peak {own / MIB:.0f} MiB, its processes {children / MIB:.0f} MiB, "
            f"page {page.stat().st_size / 1e6:.1f} MB, exit code {process.returncode}", flush=True,
        )  # fmt: skip
        shutil.rmtree(night)


def _peaks(process: "subprocess.Popen[bytes]") -> tuple[int, int]:
    """Return the largest memory of a process, and of the largest of those that it started."""
    own = children = 0
    seen = psutil.Process(process.pid)
    while process.poll() is None:
        with contextlib.suppress(psutil.NoSuchProcess):
            own = max(own, seen.memory_info().rss)
            children = max([children, *(one.memory_info().rss for one in seen.children())])
        time.sleep(0.1)
    return own, children


def _copy(trace: Path, copy: Path) -> Path:
    """Make a trace of the same files under another name."""
    return Path(shutil.copytree(trace, copy, copy_function=os.link))


if __name__ == "__main__":
    main()
