"""Kill recorders, listeners, clients and commands at random moments, and see what is left of each session.

    python benchmarks/killing.py --kills 200

A game says each frame after it has ended it. The trace that is left must open, hold every frame but the current one,
and no frame by half: the properties of both objects, and the event, tell the same number on every frame.
"""

import argparse
import random
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import IO

from breadcrumb import Recorder, Trace, open_trace

CLIENT = Path(__file__).parents[1] / "clients" / "python"
LONGEST, LONGEST_COMMAND = 0.15, 1.2  # s
LONG, SHORT = 3000, 30  # frames
OPEN = "import sys; from breadcrumb import open_trace; open_trace(sys.argv[1])"
CHECK = """
from breadcrumb import judge

def check_it(trace):
    assert judge(trace.one("skiff").x < 99, "near")
"""
PATIENCE = 20.0  # s
COMMAND = "from breadcrumb.cli import main; main()"

RECORDER = """
import sys
from types import SimpleNamespace
from breadcrumb import Recorder
boats = [SimpleNamespace(n=0.0, name=name, text="") for name in ("heron", "tern")]
with Recorder(sys.argv[1]) as rec:
    rec.watch_each(lambda: boats, kind="skiff", id="name", n="n", text="text")
    frame = 0
    while True:
        for boat in boats:
            boat.n, boat.text = float(frame), str(frame)
        rec.event("tick", data={"n": frame})
        rec.frame(frame / 60)
        print(frame, flush=True)
        frame += 1
"""

SENDER = f"""
import sys
import time
sys.path.insert(0, {str(CLIENT)!r})
from breadcrumb_sender import open_session
session = open_session({{"game": "Killed"}}, sys.argv[2], port=int(sys.argv[1]))
for name in ("heron", "tern"):
    session.appear(name, "skiff")
frame = 0
while True:
    for name in ("heron", "tern"):
        session.state(name, n=float(frame), text=str(frame))
    session.event("tick", data={{"n": frame}})
    session.frame(frame, frame / 60)
    print(frame, flush=True)
    frame += 1
    time.sleep(float(sys.argv[3]))
"""


def kill_recorder(folder: Path, draw: random.Random) -> int:
    """Kill a game that records; return how many ended frames are lost."""
    path = folder / "killed.crumbs"
    game = _start(RECORDER, path)
    last = _last_said(game, draw.uniform(0, LONGEST))
    return last - _whole(open_trace(path))


def kill_client(folder: Path, draw: random.Random) -> int:
    """Kill a game that sends, to a listener or, every other time, into its file."""
    if draw.random() < 0.5:
        game = _start(SENDER, _free_port(), folder / "rest.jsonl", 0)
        last = _last_said(game, draw.uniform(0, LONGEST))
        return last - _whole(_converted(folder / "rest.jsonl"))
    listener, port = _listen(folder)
    game = _start(SENDER, port, folder / "rest.jsonl", 0)
    last = _last_said(game, draw.uniform(0, LONGEST))
    lost = last - _whole(_trace(folder / "Killed-1.crumbs", lambda path: not (path / "journal.bin").exists()))
    _stop(listener, signal.SIGINT)
    return lost


def kill_listener(folder: Path, draw: random.Random) -> int:
    """Kill a listener while a game sends 600 frames a second and goes on in its file; return how many are in neither.

    These are frames that the listener's system had taken, and it had not yet; the game cannot know of them.
    """
    listener, port = _listen(folder)
    game = _start(SENDER, port, folder / "rest.jsonl", 1 / 600)
    time.sleep(draw.uniform(0.05, LONGEST))
    _stop(listener, signal.SIGKILL)
    deadline = time.monotonic() + PATIENCE
    while not (folder / "rest.jsonl").exists() and time.monotonic() < deadline:
        time.sleep(0.005)
    last = _last_said(game, 0.05)
    rest, early = _converted(folder / "rest.jsonl"), folder / "Killed-1.crumbs"
    assert _whole(rest) >= last
    told = _whole(open_trace(early)) if (early / "journal.bin").exists() and open_trace(early).clock.size else -1
    return int(rest.clock.frames[0]) - told - 1


def kill_opening(folder: Path, draw: random.Random) -> int:
    """Kill the first opening of a recording; return how many of its frames are lost."""
    path = _recorded(folder / "whole.crumbs", LONG)
    _killed(OPEN, [path], draw)
    return LONG - open_trace(path).clock.size


def kill_conversion(folder: Path, draw: random.Random) -> int:
    """Kill a conversion that replaces a trace; return how many frames neither the source nor the target has."""
    source, target = _recorded(folder / "new.crumbs", LONG), _recorded(folder / "old.crumbs", SHORT)
    open_trace(source)
    _killed(COMMAND, ["convert", source, target, "--overwrite"], draw)
    there = open_trace(target).clock.size if target.exists() else LONG  # between two renames there is none
    assert there in (SHORT, LONG)
    return LONG - open_trace(source).clock.size


def kill_report(folder: Path, draw: random.Random) -> int:
    """Kill a run of checks while it writes its report; return how many frames the trace has lost."""
    path = _recorded(folder / "whole.crumbs", LONG)
    (folder / "check_it.py").write_text(CHECK)
    words = ["check", folder / "check_it.py", path, "--report", folder / "page"]
    _killed(COMMAND, words, draw)
    done = subprocess.run([sys.executable, "-c", COMMAND, *map(str, words)], check=False, capture_output=True)
    assert done.returncode == 1, done.stderr
    assert (folder / "page" / "index.html").exists()
    return LONG - open_trace(path).clock.size


def _recorded(path: Path, frames: int) -> Path:
    boat = SimpleNamespace(x=0.0)
    with Recorder(path) as rec:
        rec.watch(boat, id="heron", kind="skiff", x="x")
        for boat.x in range(frames):
            rec.frame(boat.x / 60)
    return path


def _killed(script: str, words: list[object], draw: random.Random) -> None:
    process = subprocess.Popen(
        [sys.executable, "-c", script, *map(str, words)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    time.sleep(draw.uniform(0.1, LONGEST_COMMAND))
    process.kill()
    process.wait()


def _whole(trace: Trace) -> int:
    """Return the number of the last frame of a trace, all of whose frames must be whole."""
    frames = trace.clock.frames.tolist()
    assert frames == list(range(frames[0], frames[0] + len(frames)))
    assert trace.data.session.is_cut
    for name in ("heron", "tern"):
        boat = trace.one(id=name)
        assert boat.n.values.tolist() == frames
        assert boat.text.values.tolist() == [str(frame) for frame in frames]
    assert trace.events("tick")["n"].tolist() == frames
    return int(frames[-1])


def _start(script: str, *words: object) -> "subprocess.Popen[str]":
    return subprocess.Popen([sys.executable, "-c", script, *map(str, words)], stdout=subprocess.PIPE, text=True)


def _last_said(game: "subprocess.Popen[str]", after: float) -> int:
    """Kill a game some time after its first frame; return the last frame that it said."""
    out: IO[str] | None = game.stdout
    assert out is not None
    said = [out.readline()]
    time.sleep(after)
    game.send_signal(signal.SIGKILL)
    said += out.read().split("\n")[:-1]
    game.wait()
    out.close()
    return int(said[-1])


def _listen(folder: Path) -> "tuple[subprocess.Popen[str], int]":
    command = [sys.executable, "-u", "-c", COMMAND, "listen", "--port", "0", "--out", str(folder)]
    listener = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert listener.stdout is not None
    return listener, int(re.findall(r":(\d+)", listener.stdout.readline())[0])


def _stop(listener: "subprocess.Popen[str]", number: signal.Signals) -> None:
    listener.send_signal(number)
    listener.communicate(timeout=PATIENCE)


def _trace(path: Path, is_ready: Callable[[Path], bool]) -> Trace:
    deadline = time.monotonic() + PATIENCE
    while not (path.exists() and is_ready(path)) and time.monotonic() < deadline:
        time.sleep(0.01)
    return open_trace(path)


def _converted(path: Path) -> Trace:
    target = path.with_suffix(".crumbs")
    subprocess.run([sys.executable, "-c", COMMAND, "convert", str(path), str(target)], check=True, capture_output=True)
    return open_trace(target)


def _free_port() -> int:
    with socket.socket() as unused:
        unused.bind(("127.0.0.1", 0))
        port: int = unused.getsockname()[1]
        return port


LOST = {
    kill_recorder: "ended frames lost",
    kill_listener: "frames that neither its trace nor the game's file has",
    kill_client: "ended frames lost",
    kill_opening: "frames lost",
    kill_conversion: "frames lost",
    kill_report: "frames lost",
}


def main() -> None:
    """Print a line for each sort of process."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--kills", type=int, default=200)
    kills = parser.parse_args().kills
    for kill, words in LOST.items():
        draw = random.Random(2026)
        lost = []
        for _ in range(kills):
            with tempfile.TemporaryDirectory() as folder:
                lost.append(kill(Path(folder), draw))
        print(f"{kill.__name__} {kills} times: every trace opened and was whole; {words}, at most: {max(lost)}")


if __name__ == "__main__":
    main()
