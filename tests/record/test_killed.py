import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

from breadcrumb import open_trace

KILLS = 50

SCRIPT = """
import sys
from types import SimpleNamespace
from breadcrumb import Recorder
boats = [SimpleNamespace(x=0.0, name=f"boat-{n}") for n in range(20)]
with Recorder(sys.argv[1]) as rec:
    rec.watch_each(lambda: boats, kind="boat", id="name", x="x")
    frame = 0
    while True:
        for boat in boats:
            boat.x = frame * 1.0
        rec.event("tick", data={"frame": frame})
        rec.frame(frame / 60)
        print(frame, flush=True)
        frame += 1
"""


def test_a_killed_game_loses_at_most_the_frame_in_hand(tmp_path: Path) -> None:
    """Killed at fifty random moments, the trace opens, is whole, and has every frame that had been recorded."""
    draw = random.Random(2026)
    for number in range(KILLS):
        path = tmp_path / f"{number}.crumbs"
        command = [sys.executable, "-c", SCRIPT, str(path)]
        game = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert game.stdout is not None
        game.stdout.readline()
        time.sleep(draw.uniform(0, 0.03))
        os.kill(game.pid, signal.SIGKILL)
        said = [line for line in game.stdout.read().split("\n")[:-1] if line]
        game.wait()
        game.stdout.close()
        last_said = int(said[-1]) if said else 0
        trace = open_trace(path)
        assert last_said <= int(trace.clock.frames[-1]) <= last_said + 1
        assert trace.clock.frames.tolist() == list(range(trace.clock.size))
        assert trace.all("boat").x.values.reshape(20, -1).tolist() == [trace.clock.frames.tolist()] * 20
        assert trace.events("tick")["frame"].tolist() == trace.clock.frames.tolist()
        assert "the recording was cut after frame" in trace.notes[0]
