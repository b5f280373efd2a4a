"""What a replay of many bodies takes: to write, in memory, on disk, to open in a browser, and to play.

    python benchmarks/replay.py --bodies 1000 --frames 36000

The page is opened and played in Chromium, if there is one; what is told of a frame is the time that its script takes.
"""

import argparse
import resource
import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
from browser import CAN_OPEN, browser, opened

from breadcrumb import Recorder, Shape, open_trace
from breadcrumb.report.replaying import write_replay

RATE, SIDE, SECONDS = 60, 1000.0, 8
STRIPS = ("0~position~0", "0~position~1", "0~turn~0", "7~position~0", "7~position~1", "event~bell.rung")


def record(path: Path, bodies: int, frames: int) -> None:
    """Record bodies that drift with changing speed and turn, and an event each second."""
    draw = np.random.default_rng(7)
    places, speeds = draw.uniform(0, SIDE, (bodies, 2)), draw.normal(0, 8, (bodies, 2))
    turns = draw.uniform(0, 360, bodies)
    about = {"axes": {"y": "up"}, "angles": {"unit": "deg", "zero": "x", "sense": "counter-clockwise"}}
    with Recorder(path, about=about) as rec:
        rec.watch_arrays(
            "crate", np.arange(bodies), shape=Shape.box(4, 3, turn="turn"), position=places, turn=turns,
        )  # fmt: skip
        for frame in range(frames):
            speeds += draw.normal(0, 0.5, speeds.shape)
            speeds[(places < 0) | (places > SIDE)] *= -1
            places += speeds / RATE
            turns += speeds[:, 0]
            np.clip(places, 0, SIDE, out=places)
            if frame % RATE == 0:
                rec.event("bell.rung")
            rec.frame(frame / RATE)


def main() -> None:
    """Print one line for each figure."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--bodies", type=int, default=1_000)
    parser.add_argument("--frames", type=int, default=36_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        path, page = Path(folder) / "drift.crumbs", Path(folder) / "drift.html"
        record(path, asked.bodies, asked.frames)
        begin = time.perf_counter()
        trace = open_trace(path)
        print(f"recording opened in {time.perf_counter() - begin:.1f} s")
        begin = time.perf_counter()
        write_replay(trace, page)
        taken = time.perf_counter() - begin
        size = sum(one.stat().st_size for one in [page, *page.with_suffix(".pieces").glob("*.js")])
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"replay written in {taken:.1f} s, {size / 1e6:.0f} MB, peak of memory {peak:.0f} MB")
        if CAN_OPEN:
            _play(page)


def _play(page: Path) -> None:
    fragment = "#frame=600&object=0" + "".join(f"&strip={one}" for one in STRIPS)
    ready = "window.breadcrumbReplay && breadcrumbReplay.loaded"
    with browser() as driver:
        times = [opened(driver, page, fragment, ready) for _ in range(3)]
        print(f"opens in {statistics.median(times):.2f} s")
        driver.execute_script("document.getElementById('play').click()")
        time.sleep(SECONDS)
        script = sorted(driver.execute_script("return breadcrumbReplay.script"))
        between = sorted(driver.execute_script("return breadcrumbReplay.spent"))
        for what, found in (("script of a frame", script), ("from frame to frame", between)):
            print(f"{what}: median {found[len(found) // 2]:.1f} ms, 99 % within {found[int(len(found) * 0.99)]:.1f} ms")


if __name__ == "__main__":
    main()
