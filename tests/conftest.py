"""What tests share: recorded traces, and running the command as a user would."""

import contextlib
import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from hypothesis import settings

from breadcrumb import Trace, open_trace
from breadcrumb.demo.play import play as play_bay
from breadcrumb.demo.script import read_script
from commands import Commands

settings.register_profile("ci", deadline=None, derandomize=True, max_examples=60)
settings.load_profile("ci")

ROOT = Path(__file__).parents[1]
TIMEOUT = 120  # s
Cli = Callable[..., "subprocess.CompletedProcess[str]"]


@pytest.fixture(scope="session")
def examples() -> Path:
    """Where the examples are."""
    return ROOT / "examples"


@pytest.fixture(scope="session")
def play() -> Callable[..., Path]:
    """Play Lantern Bay into a trace."""

    def run(path: Path, *faults: str, script: Path | None = None, **more: Any) -> Path:
        return play_bay(path, faults, script=None if script is None else read_script(script), **more)

    return run


@pytest.fixture(scope="session")
def bay(tmp_path_factory: pytest.TempPathFactory, play: Callable[..., Path]) -> Callable[..., Path]:
    """Play Lantern Bay with these faults, seed, rate and length; each is played once a test run."""
    # processes that test side by side share the folder above their own
    shared = tmp_path_factory.getbasetemp()
    folder = (shared.parent if "PYTEST_XDIST_WORKER" in os.environ else shared) / "bay"
    folder.mkdir(exist_ok=True)

    def get(*faults: str, **more: Any) -> Path:
        more = {"seed": 7, "rate": "60", **more}
        name = "-".join([*faults, *map(str, more.values())]).replace(":", "-")
        path = folder / f"{name}.crumbs"
        if not path.exists():
            made = tmp_path_factory.mktemp("played") / path.name
            open_trace(play(made, *faults, **more))  # opened once, so that it is not turned into files twice
            with contextlib.suppress(OSError):  # another process was quicker
                made.rename(path)
        return path

    return get


@pytest.fixture(scope="session")
def correct(bay: Callable[..., Path]) -> Trace:
    """A session of the correct build."""
    return open_trace(bay())


@pytest.fixture(scope="session")
def commands() -> Iterator[Commands]:
    """What forks a process for each command, so that none has to load the libraries anew."""
    server = Commands()
    yield server
    server.close()


@pytest.fixture
def cli(tmp_path: Path, commands: Commands) -> Cli:
    """Run the command as a process, in an empty folder; given anything of its own, such as an input, as a fresh one."""

    def run(*words: str | Path, **more: Any) -> "subprocess.CompletedProcess[str]":
        if not more:
            return commands.run(list(map(str, words)), tmp_path, TIMEOUT)
        command = [sys.executable, "-c", "from breadcrumb.cli import main; main(prog_name='breadcrumb')"]
        options = {"cwd": tmp_path, "timeout": TIMEOUT, "capture_output": True, **more}
        return subprocess.run([*command, *map(str, words)], check=False, text=True, **options)

    return run


@pytest.fixture(scope="session")
def constraints() -> Callable[[Any], Any]:
    """What a JSON Schema demands, without its annotations: each release of the generator writes those differently."""
    return _constraints


def _constraints(schema: Any) -> Any:
    if isinstance(schema, list):
        return [_constraints(part) for part in schema]
    if not isinstance(schema, dict):
        return schema
    named = {"properties", "$defs"}
    return {
        key: {name: _constraints(one) for name, one in part.items()} if key in named else _constraints(part)
        for key, part in schema.items()
        if key not in {"title", "description", "default"}
    }


@pytest.fixture(scope="session")
def departure() -> Callable[[Trace, Trace], tuple[int, set[str]] | None]:
    """Find the first frame on which the states or events of twin sessions differ, and of which objects."""
    return find_departure


def find_departure(one: Trace, other: Trace) -> tuple[int, set[str]] | None:
    """Return the first frame on which two sessions differ, and the ids of what differs there."""
    found: list[tuple[int, set[str]]] = []
    for kind in dict.fromkeys((*one.kinds, *other.kinds)):
        found += _parting(*(_states(trace, kind) for trace in (one, other)))
    for name in dict.fromkeys((*one.event_names, *other.event_names)):
        found += _parting(*(_events(trace, name) for trace in (one, other)))
    if not found:
        parameters = (trace.data.session.parameters for trace in (one, other))
        return None if len(set(map(repr, parameters))) == 1 else (0, set())
    frame = min(at for at, _ in found)
    return frame, set().union(*(names for at, names in found if at == frame))


def _parting(mine: pd.DataFrame, yours: pd.DataFrame) -> list[tuple[int, set[str]]]:
    """Return the first frame, and the ids in its rows, of those rows that one table has and the other has not."""
    apart = pd.concat([mine, yours]).drop_duplicates(keep=False)
    if not len(apart):
        return []
    first = apart[apart["frame"] == apart["frame"].min()]
    return [(int(first["frame"].iloc[0]), {name for column in ("by", "on") for name in first[column] if name})]


def _states(trace: Trace, kind: str) -> pd.DataFrame:
    if kind not in trace.kinds:
        return pd.DataFrame({"frame": [], "by": [], "on": []})
    table = trace.table(kind).drop(columns=["lifetime", "t"]).rename(columns={"id": "by"})
    return table.assign(by=table["by"].astype(str), on="")


def _events(trace: Trace, name: str) -> pd.DataFrame:
    moments = trace.events(name)
    table = pd.DataFrame(
        {"frame": moments.frames, "by": moments.with_subject("by").subjects, "on": moments.with_subject("on").subjects}
    )
    table["data"] = [repr(one) for one in moments.data]
    return table.assign(count=table.groupby(["frame", "by", "on", "data"]).cumcount())


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
        self.port = int(re.findall(r":(\d+)", self.lines_until(":")[-1])[0])

    def lines_until(self, words: str) -> list[str]:
        """Return the next lines that it says, up to one with these words; it is ended if it does not say them."""
        assert self._process.stdout is not None
        said: list[str] = []
        watch = threading.Timer(PATIENCE, self._process.kill)
        watch.start()
        for line in self._process.stdout:
            said.append(line)
            if words in line:
                watch.cancel()
                return said
        raise AssertionError(f"{words!r} was never said: {''.join(said)}")

    def connect(self) -> socket.socket:
        """Connect as a game does."""
        game = socket.create_connection(("127.0.0.1", self.port), PATIENCE)
        self._games.append(game)
        return game

    def stop(self, code: int = 0) -> str:
        """Press Ctrl-C; return what was said since the last line that was read."""
        if self._process.poll() is None:
            self._process.send_signal(signal.SIGINT)
        said, _ = self._process.communicate(timeout=PATIENCE)
        assert self._process.returncode == code, said
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
        made, journal = self.out / name / "about.json", self.out / name / "journal.bin"
        while (journal.exists() or not made.exists()) and time.monotonic() < deadline:
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
