"""What tests share: recorded traces, and running the command as a user would."""

import os
import re
import signal
import socket
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from breadcrumb import Trace, open_trace

settings.register_profile("ci", deadline=None, derandomize=True, max_examples=60)
settings.load_profile("ci")

ROOT = Path(__file__).parents[1]
Cli = Callable[..., "subprocess.CompletedProcess[str]"]


@pytest.fixture(scope="session")
def examples() -> Path:
    """Where the examples are."""
    return ROOT / "examples"


@pytest.fixture(scope="session")
def untraced() -> dict[str, str]:
    """The environment of processes in which coverage is not measured, since that would take them minutes."""
    return {name: value for name, value in os.environ.items() if not name.startswith("COVERAGE_PROCESS")}


PLAY = """
import sys
from pathlib import Path
from breadcrumb.demo.play import play
path, seed, rate, *faults = sys.argv[1:]
play(Path(path), faults, seed=int(seed), rate=rate)
"""


@pytest.fixture(scope="session")
def play(untraced: dict[str, str]) -> Callable[..., Path]:
    """Play Lantern Bay into a trace, in a process of its own."""

    def run(path: Path, *faults: str, seed: int = 7, rate: str = "60") -> Path:
        command = [sys.executable, "-c", PLAY, str(path), str(seed), rate, *faults]
        subprocess.run(command, env=untraced, check=True, timeout=120)
        return path

    return run


@pytest.fixture(scope="session")
def bay(tmp_path_factory: pytest.TempPathFactory, play: Callable[..., Path]) -> Callable[..., Path]:
    """Play Lantern Bay with these faults, seed and rate; each is played once a test run."""
    folder = tmp_path_factory.mktemp("bay")
    played: dict[tuple[Any, ...], Path] = {}

    def get(*faults: str, seed: int = 7, rate: str = "60") -> Path:
        key = (faults, seed, rate)
        if key not in played:
            played[key] = play(
                folder / ("-".join([*faults, str(seed), rate]) + ".crumbs"), *faults, seed=seed, rate=rate
            )
        return played[key]

    return get


@pytest.fixture(scope="session")
def correct(bay: Callable[..., Path]) -> Trace:
    """A session of the correct build."""
    return open_trace(bay())


@pytest.fixture
def cli(tmp_path: Path) -> Cli:
    """Run the command as a process, in an empty folder."""

    def run(*words: str | Path, **more: Any) -> "subprocess.CompletedProcess[str]":
        command = [sys.executable, "-c", "from breadcrumb.cli import main; main(prog_name='breadcrumb')"]
        options = {"cwd": tmp_path, "timeout": 120, "capture_output": True, **more}
        return subprocess.run([*command, *map(str, words)], check=False, text=True, **options)

    return run


@pytest.fixture(scope="session")
def departure() -> Callable[[Trace, Trace], tuple[int, set[str]] | None]:
    """Find the first frame on which the states or events of twin sessions differ, and of which objects."""

    def find(one: Trace, other: Trace) -> tuple[int, set[str]] | None:
        for frame, (mine, yours) in enumerate(zip(_by_frame(one), _by_frame(other), strict=True)):
            if mine != yours:
                different = (mine - yours) | (yours - mine)
                return frame, {name for names, *_ in different for name in names if name}
        return None

    return find


def _by_frame(trace: Trace) -> list[Counter[Any]]:
    """Return what is recorded on each frame, each with the ids that it is about."""
    session = trace.data.session
    frames: list[Counter[Any]] = [Counter() for _ in range(session.clock.size)]
    for kind in trace.kinds:
        life, row = trace.data.index(kind)
        columns = [trace.data.column(kind, name).values.tolist() for name in trace.data.columns(kind)]
        for one, at, *values in zip(life.tolist(), row.tolist(), *columns, strict=True):
            frames[at][(session.who(one),), tuple(values)] += 1
    events, names = session.events, [*session.names, ""]
    for place in range(len(events.row)):
        who = names[events.by[place]], names[events.on[place]]
        frames[events.row[place]][who, events.kinds[events.kind[place]], repr(events.data[place])] += 1
    return frames


PATIENCE = 20.0


class Listening:
    """A listener in a process of its own."""

    def __init__(self, folder: Path, *options: str) -> None:
        self.out = folder / "traces"
        self._games: list[socket.socket] = []
        script = "from breadcrumb.cli import main; main()"
        self._process = subprocess.Popen(
            [sys.executable, "-u", "-c", script, "listen", *(() if "--port" in options else ("--port", "0")), *options],
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
        assert "Traceback" not in said, said
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


@pytest.fixture
def free_port() -> int:
    """A port on which nobody listens."""
    with socket.socket() as unused:
        unused.bind(("127.0.0.1", 0))
        port: int = unused.getsockname()[1]
        return port
