"""An hour of play, 216,000 frames of 50 objects: how much memory and time it takes to do everything with it.

    python benchmarks/hour.py

Each step runs in a process of its own, of which the largest amount of memory that is not backed by a file is measured.
Reads `/proc`, so it needs Linux.
"""

import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from types import SimpleNamespace

from breadcrumb import Recorder

FRAMES, OBJECTS, RATE = 216_000, 50, 60
MOST_MIB = 1024.0
_POLLS_A_SECOND = 50
CHECKS = """
from breadcrumb import judge
from breadcrumb.checks import movement

def check_speed(trace):
    assert judge(trace.all("boat").speed < 1e9, "boats are slow")

def check_place(trace):
    assert movement.stays_between(trace.all("boat").position.x, -1e9, 1e9)
"""
OPEN = "import sys; from breadcrumb import open_trace; open_trace(sys.argv[1])"
REPLAY = """
import sys
from pathlib import Path
from breadcrumb import open_trace
from breadcrumb.report.replaying import write_replay
write_replay(open_trace(sys.argv[1]), Path(sys.argv[2]))
"""
COMMAND = "from breadcrumb.cli import main; main()"


def record(path: Path) -> None:
    """Record the hour: a position that changes on every frame, a flag and a text that change now and then."""
    boats = [SimpleNamespace(x=float(n), y=0.0, lit=False, mood="calm") for n in range(OBJECTS)]
    with Recorder(path) as rec:
        rec.watch_each(lambda: boats, kind="boat", position=("x", "y"), lit="lit", mood="mood")
        for frame in range(FRAMES):
            for number, boat in enumerate(boats):
                boat.x += 0.01
                boat.y = (frame * (number + 1)) % 997 / 10
            boat = boats[frame % OBJECTS]
            boat.lit, boat.mood = not boat.lit, f"mood {frame % 7}"
            if frame % 30 == 0:
                rec.event("bell.rung", by=boat, data={"frame": frame})
            rec.frame(frame / RATE)


def measured(*command: str) -> tuple[float, float, int]:
    """Return the most MiB that a process had in memory of its own, the seconds it took, and its exit code."""
    begin, most = time.perf_counter(), 0.0
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    status = Path(f"/proc/{process.pid}/status")
    while process.poll() is None:
        lines = status.read_text().splitlines() if status.exists() else []
        most = max([most, *(int(line.split()[1]) / 1024 for line in lines if line.startswith("RssAnon"))])
        time.sleep(1 / _POLLS_A_SECOND)
    return most, time.perf_counter() - begin, process.returncode


def main() -> None:
    """Record the hour, do everything with it, and print what each step took."""
    folder = Path(tempfile.mkdtemp(prefix="breadcrumb-hour-"))
    try:
        trace = folder / "hour.crumbs"
        record(trace)
        print(f"the recording: {sum(one.stat().st_size for one in trace.iterdir()) / 1e6:.0f} MB")
        (folder / "check_it.py").write_text(CHECKS)
        python = sys.executable
        steps = {
            "open for the first time": [python, "-c", OPEN, str(trace)],
            "check": [python, "-c", COMMAND, "check", str(folder / "check_it.py"), str(trace)],
            "show": [python, "-c", COMMAND, "show", str(trace)],
            "replay": [python, "-c", REPLAY, str(trace), str(folder / "r.html")],
            "pack": [python, "-c", COMMAND, "convert", str(trace), str(folder / "hour.crumbs.zip")],
            "write as lines": [python, "-c", COMMAND, "convert", str(trace), str(folder / "hour.jsonl")],
            "read the lines": [
                python,
                "-c",
                COMMAND,
                "convert",
                str(folder / "hour.jsonl"),
                str(folder / "again.crumbs"),
            ],
        }
        for name, command in steps.items():
            most, seconds, code = measured(*command)
            verdict = "met" if most <= MOST_MIB and code == 0 else f"MISSED (exit code {code})"
            print(f"{name:26} {most:7.0f} MiB  {seconds:6.1f} s  <= {MOST_MIB:.0f} MiB  {verdict}", flush=True)
    finally:
        shutil.rmtree(folder)


if __name__ == "__main__":
    main()
