"""Games that play while others flood, idle and come back: what a listener loses of them, and how soon Ctrl-C ends it.

    python benchmarks/crowding.py --minutes 10

Eight games send 60 frames a second with 100 objects each. Meanwhile one client sends as fast as it can, one is silent
behind its first line, one connects anew every second, and 64 connect and say nothing.
"""

import argparse
import json
import re
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path

from breadcrumb import open_trace

GAMES, OBJECTS, RATE, IDLE = 8, 100, 60, 64
LISTEN = "import sys; from breadcrumb.cli import main; main()"
HEADER = {"breadcrumb": 2, "about": {"name": "other"}}


def line(told: dict[str, object]) -> bytes:
    """Return a frame line."""
    return json.dumps(told).encode() + b"\n"


def play(port: int, number: int, frames: int, sent: list[int], late: list[float]) -> None:
    """Send a game at its rate; note how many frames it sent, and how late it was at most."""
    ids = [f"body-{n}" for n in range(OBJECTS)]
    with socket.create_connection(("127.0.0.1", port)) as game:
        game.sendall(line({"breadcrumb": 2, "about": {"name": f"game-{number}"}}))
        begin = time.monotonic()
        for frame in range(frames):
            told: dict[str, object] = {"frame": frame, "t": frame / RATE}
            if frame == 0:
                told["appear"] = [{"id": id, "kind": "body"} for id in ids]
            told["columns"] = {"body": {"ids": ids, "values": {"x": [frame + n / 100 for n in range(OBJECTS)]}}}
            game.sendall(line(told))
            sent[number] = frame + 1
            ahead = begin + (frame + 1) / RATE - time.monotonic()
            late[number] = max(late[number], -ahead)
            time.sleep(max(ahead, 0.0))
        game.sendall(line({"end": True}))
        game.recv(100)


def disturb(port: int, over: threading.Event) -> list[threading.Thread]:
    """Begin what the games must not suffer from."""

    def flood() -> None:
        with suppress(OSError), socket.create_connection(("127.0.0.1", port)) as other:
            other.sendall(line(HEADER) + line({"frame": 0, "t": 0, "appear": [{"id": "a", "kind": "k"}]}))
            frame = 1
            while not over.is_set():
                other.sendall(
                    b"".join(line({"frame": frame + n, "t": 0, "state": {"a": {"x": n}}}) for n in range(100))
                )
                frame += 100

    def come_back() -> None:
        while not over.wait(1.0):
            with suppress(OSError), socket.create_connection(("127.0.0.1", port)) as other:
                other.sendall(line(HEADER) + line({"frame": 0, "t": 0}) + line({"end": True}))

    def stay(words: bytes) -> None:
        with suppress(OSError), socket.create_connection(("127.0.0.1", port)) as other:
            other.sendall(words)
            over.wait()

    threads = [threading.Thread(target=flood), threading.Thread(target=come_back)]
    threads += [threading.Thread(target=stay, args=(line(HEADER),))]
    threads += [threading.Thread(target=stay, args=(b"",)) for _ in range(IDLE)]
    return threads


def main() -> None:
    """Play, press Ctrl-C, and print what each game lost."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--minutes", type=float, default=10.0)
    frames = int(parser.parse_args().minutes * 60 * RATE)
    with tempfile.TemporaryDirectory() as folder:
        listener = subprocess.Popen(
            [sys.executable, "-u", "-c", LISTEN, "listen", "--port", "0", "--out", folder],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert listener.stdout is not None
        port = int(re.findall(r":(\d+)", listener.stdout.readline())[0])
        threading.Thread(target=listener.stdout.read, daemon=True).start()
        sent, late, over = [0] * GAMES, [0.0] * GAMES, threading.Event()
        others = disturb(port, over)
        games = [threading.Thread(target=play, args=(port, n, frames, sent, late)) for n in range(GAMES)]
        for thread in (*others, *games):
            thread.start()
        for game in games:
            game.join()
        begin = time.monotonic()
        listener.send_signal(signal.SIGINT)
        listener.wait(timeout=60)
        ended = time.monotonic() - begin
        over.set()
        lost = [sent[n] - open_trace(Path(folder) / f"game-{n}-1.crumbs").clock.size for n in range(GAMES)]
        print(
            f"{GAMES} games of {frames} frames: lost {lost}; at most {max(late):.2f} s late; Ctrl-C took {ended:.2f} s"
        )


if __name__ == "__main__":
    main()
