"""A listener in a process of its own."""

import re
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from breadcrumb import Trace, open_trace

PATIENCE = 20.0


class Listening:
    """A listener in a process of its own."""

    def __init__(self, folder: Path, *options: str) -> None:
        self.out = folder / "traces"
        self._games: list[socket.socket] = []
        script = "from breadcrumb.cli import main; main()"
        self._process = subprocess.Popen(
            [sys.executable, "-u", "-c", script, "listen", "--port", "0", *options],
            cwd=folder,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        assert self._process.stdout is not None
        first = self._process.stdout.readline()
        self.port = int(re.findall(r":(\d+)", first)[0])

    def connect(self) -> socket.socket:
        """Connect as a game does."""
        game = socket.create_connection(("127.0.0.1", self.port), PATIENCE)
        self._games.append(game)
        return game

    def stop(self) -> str:
        """Press Ctrl-C; return all that was said."""
        if self._process.poll() is None:
            self._process.send_signal(signal.SIGINT)
        said, _ = self._process.communicate(timeout=PATIENCE)
        assert self._process.returncode == 0, said
        return said

    def kill(self) -> None:
        """Take the listener away, if it is there."""
        if self._process.poll() is None:
            self._process.kill()
            self._process.communicate()

    def close(self) -> None:
        """Leave nothing behind."""
        self.kill()
        for game in self._games:
            game.close()

    def trace(self, name: str) -> Trace:
        """Open a trace once it was turned into Parquet."""
        deadline = time.monotonic() + PATIENCE
        while not (self.out / name / "about.json").exists() and time.monotonic() < deadline:
            time.sleep(0.05)
        return open_trace(self.out / name)


@pytest.fixture
def listen(tmp_path: Path) -> Iterator[Callable[..., Listening]]:
    """Start a listener with these options; it is stopped at the end."""
    started: list[Listening] = []

    def start(*options: str) -> Listening:
        started.append(Listening(tmp_path, *options))
        return started[-1]

    yield start
    for one in started:
        one.close()


@pytest.fixture
def listening(listen: Callable[..., Listening]) -> Listening:
    """A listener without options."""
    return listen()
