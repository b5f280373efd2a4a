"""How many frames a second a listener takes from a socket: 100 objects with six numbers, a flag and a text each.

    python benchmarks/listening.py

The listener runs in a process of its own. Its time is that of the processor, so that waiting for the sender does not
count; it includes turning the session into Parquet. The other figure is that of a loop that only reads the same lines
with the standard library's json.
"""

import json
import re
import resource
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Self

from ways import PROPERTIES, Body

OBJECTS, FRAMES = 100, 3_000
SHAPES = ("all values on every frame", "the same in columns", "a third of the objects changed")
LISTEN = "import sys; from breadcrumb.cli import main; main()"


def lines(shape: str) -> Iterator[bytes]:
    """Yield a session in frame lines."""
    bodies = [Body(number) for number in range(OBJECTS)]
    ids = [f"body-{number}" for number in range(OBJECTS)]
    yield _line({"breadcrumb": 1, "about": {"game": "Crowd"}})
    for frame in range(FRAMES):
        told: dict[str, object] = {"frame": frame, "t": frame / 60}
        if frame == 0:
            told["appear"] = [{"id": one, "kind": "body"} for one in ids]
        for body in bodies:
            body.move()
        if shape == SHAPES[1]:
            columns = {name: [getattr(body, name) for body in bodies] for name in PROPERTIES}
            told["columns"] = {"body": {"ids": ids, **columns}}
        else:
            which = range(OBJECTS) if shape == SHAPES[0] or frame == 0 else range(frame % 3, OBJECTS, 3)
            told["state"] = {ids[n]: {name: getattr(bodies[n], name) for name in PROPERTIES} for n in which}
        yield _line(told)
    yield _line({"end": True})


def taken_by_listener(text: bytes, folder: Path) -> float:
    """Return the seconds of processor time that a listener takes for a session; its start is not counted."""
    before = _children()
    with Listening(folder, b""):
        pass
    start = _children() - before
    before = _children()
    with Listening(folder, text):
        pass
    return _children() - before - start


class Listening:
    """A listener in a process of its own, which is sent a text and stopped."""

    def __init__(self, folder: Path, text: bytes) -> None:
        self._folder, self._text = folder, text

    def __enter__(self) -> Self:
        command = [sys.executable, "-u", "-c", LISTEN, "listen", "--port", "0", "--out", str(self._folder)]
        self._process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert self._process.stdout is not None
        port = int(re.findall(r":(\d+)", self._process.stdout.readline())[0])
        with socket.create_connection(("127.0.0.1", port)) as game:
            if self._text:
                game.sendall(self._text)
                game.recv(1000)  # the answer, once all is taken
        return self

    def __exit__(self, *error: object) -> None:
        self._process.send_signal(2)
        self._process.communicate()


def _children() -> float:
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


def taken_by_json(text: bytes) -> float:
    """Return the seconds of processor time in which the standard library reads the lines, and keeps nothing."""
    start = time.process_time()
    for one in text.splitlines():
        json.loads(one)
    return time.process_time() - start


def _line(told: dict[str, object]) -> bytes:
    return json.dumps(told, separators=(",", ":")).encode() + b"\n"


def main() -> None:
    """Print a line for each shape of frame lines."""
    print(f"{'shape':32} {'bytes a frame':>14} {'frames/s':>10} {'json.loads/s':>13} {'clients at 60':>14}")
    for shape in SHAPES:
        text = b"".join(lines(shape))
        with tempfile.TemporaryDirectory() as folder:
            ours, plain = taken_by_listener(text, Path(folder)), taken_by_json(text)
        print(
            f"{shape:32} {len(text) / FRAMES:14,.0f} {FRAMES / ours:10,.0f} {FRAMES / plain:13,.0f}"
            f" {FRAMES / ours / 60:14.0f}"
        )


if __name__ == "__main__":
    main()
