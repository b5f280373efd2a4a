import importlib.util
import json
import math
import re
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, cast

import pytest
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from breadcrumb import Trace, open_trace

Cli = Callable[..., "subprocess.CompletedProcess[str]"]

HEADER = {"breadcrumb": 1, "about": {"game": "Lantern Bay"}}
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


@pytest.fixture(scope="session")
def sender() -> Any:
    """The sender for games in Python, loaded from its file as a game would that pasted it in."""
    path = Path(__file__).parents[2] / "clients" / "python" / "breadcrumb_sender.py"
    spec = importlib.util.spec_from_file_location("breadcrumb_sender", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def _send(game: socket.socket, *lines: Any) -> None:
    game.sendall(b"".join(json.dumps(line).encode() + b"\n" for line in lines))


def _answer(game: socket.socket) -> Any:
    with game.makefile("rb") as lines:
        return json.loads(lines.readline() or b"null")


def test_several_games_at_once_each_become_a_trace(listening: Listening) -> None:
    """Lines of two games in turns make two traces, which are closed and turned into Parquet when the games end."""
    games = [listening.connect() for _ in range(2)]
    for frame in range(5):
        for number, game in enumerate(games):
            if frame == 0:
                _send(game, HEADER)
            appear = {"appear": [{"id": "heron", "kind": "skiff"}]} if frame == 0 else {}
            _send(game, {"frame": frame, "t": frame / 60, "state": {"heron": {"x": number * 10 + frame}}, **appear})
    for game in games:
        _send(game, {"end": True})
        assert _answer(game) == {"frames": 5}
    found = [listening.trace(f"Lantern-Bay-{n}.crumbs").one("skiff").x.values.tolist() for n in (1, 2)]
    assert sorted(found) == [[0, 1, 2, 3, 4], [10, 11, 12, 13, 14]]
    said = listening.stop()
    assert said.count(" begins") == 2
    assert said.count("ends after 5 frames") == 2


def test_a_game_that_drops_its_connection_leaves_a_trace_that_says_so(listening: Listening) -> None:
    """What came before the connection broke is kept, and the trace is marked as cut."""
    game = listening.connect()
    _send(game, HEADER, {"frame": 0, "t": 0.0}, {"frame": 1, "t": 0.1})
    game.sendall(b'{"frame": 2, "t"')
    game.close()
    trace = listening.trace("Lantern-Bay-1.crumbs")
    assert trace.clock.frames.tolist() == [0, 1]
    assert trace.data.session.is_cut


def test_ctrl_c_closes_every_trace(listening: Listening) -> None:
    """Games that still send when the listener is stopped have whole traces of what they sent."""
    game = listening.connect()
    _send(game, HEADER, {"frame": 0, "t": 0.0})
    deadline = time.monotonic() + PATIENCE
    while not list(listening.out.glob("*.crumbs")) and time.monotonic() < deadline:
        time.sleep(0.02)
    said = listening.stop()
    assert "breaks off after 1 frames" in said
    assert "Traceback" not in said
    assert open_trace(listening.out / "Lantern-Bay-1.crumbs").clock.size == 1


NAMES = {
    "../../etc": "etc-1.crumbs",
    "a/b": "a-b-1.crumbs",
    "": "session-1.crumbs",
    "..": "session-1.crumbs",
    "x" * 500: "x" * 60 + "-1.crumbs",
}


@pytest.mark.parametrize("name", NAMES)
def test_no_name_leads_out_of_the_folder(name: str, listening: Listening, tmp_path: Path) -> None:
    """Whatever a game calls itself, its trace is a folder in the output folder."""
    game = listening.connect()
    _send(game, {"breadcrumb": 1, "about": {"name": name}}, {"frame": 0, "t": 0}, {"end": True})
    assert _answer(game) == {"frames": 1}
    assert listening.trace(NAMES[name]).clock.size == 1
    assert [path.name for path in tmp_path.iterdir()] == ["traces"]


def test_a_bad_line_is_answered_and_others_go_on(listening: Listening) -> None:
    """The game is told line and problem, its frames so far are kept, and another game is not disturbed."""
    good, bad = listening.connect(), listening.connect()
    _send(good, HEADER, {"frame": 0, "t": 0})
    _send(bad, HEADER, {"frame": 0, "t": 0}, {"frame": 0, "t": 0})
    assert _answer(bad) == {"error": "line 3: expected a number above 0, as frame numbers rise; found 0, at frame"}
    _send(good, {"frame": 1, "t": 1}, {"end": True})
    assert _answer(good) == {"frames": 2}
    flood = listening.connect()
    flood.settimeout(PATIENCE)
    try:
        flood.sendall(b"x" * (17 << 20))
        assert "at most" in _answer(flood)["error"]
    except OSError:
        pass  # the listener hung up on the flood before all of it was sent


def test_a_websocket_is_heard_on_the_same_port(listening: Listening) -> None:
    """Messages of one line or several make a trace, the answer comes as a message, and local pages are heard."""
    for origin in (None, "http://localhost:8080", "file://"):
        with connect(f"ws://127.0.0.1:{listening.port}", origin=cast(Any, origin)) as game:
            game.send(json.dumps(HEADER) + '\n{"frame": 0, "t": 0}\n{"frame": 1, "t": 0.1}')
            game.send(['{"frame": 2, ', '"t": 0.2}'])
            game.send(b'{"end": true}')
            assert json.loads(game.recv(timeout=PATIENCE)) == {"frames": 3}
    assert listening.trace("Lantern-Bay-3.crumbs").clock.frames.tolist() == [0, 1, 2]


def test_a_page_from_elsewhere_is_not_heard_unasked(listen: Callable[..., Listening]) -> None:
    """A web page that the user happens to visit cannot write traces; one that was allowed can."""
    listening = listen("--allow-origin", "https://harbour.example")
    url = f"ws://127.0.0.1:{listening.port}"
    for origin in ("https://elsewhere.example", "http://localhost.elsewhere.example", "null"):
        with pytest.raises(InvalidStatus, match="403"):
            connect(url, origin=cast(Any, origin))
    with connect(url, origin=cast(Any, "https://harbour.example")) as game:
        game.send(json.dumps(HEADER) + '\n{"end": true}')
        assert json.loads(game.recv(timeout=PATIENCE)) == {"frames": 0}
    post = listening.connect()
    post.sendall(b"POST / HTTP/1.1\r\nHost: x\r\n\r\n")
    assert "expected one JSON object" in _answer(post)["error"]
    assert sorted(path.name for path in listening.out.iterdir()) == ["Lantern-Bay-1.crumbs"]


def test_other_machines_need_a_token(listen: Callable[..., Listening], cli: Cli) -> None:
    """Listening beyond the loopback address needs a token; a session that does not tell it makes no trace."""
    refused = cli("listen", "--host", "0.0.0.0", "--port", "0")
    assert (refused.returncode, "set a token" in refused.stderr) == (2, True)
    listening = listen("--host", "0.0.0.0", "--token", "lantern")
    for header, answer in (
        (HEADER, {"error": "line 1: expected the token that this listener was started with, found none, at token"}),
        ({**HEADER, "token": "lamp"}, {"error": "line 1: expected the token that this listener was started with, found another one, at token"}),
        ({**HEADER, "token": "lantern"}, {"frames": 0}),
    ):  # fmt: skip
        game = listening.connect()
        _send(game, header, {"end": True})
        assert _answer(game) == answer
    assert listening.trace("Lantern-Bay-1.crumbs").about == {"game": "Lantern Bay"}
    assert len(list(listening.out.iterdir())) == 1


LIMITS: dict[str, tuple[tuple[str, ...], str]] = {
    "games": (("--games", "1"), "expected at most 1 games at once; this one is refused"),
    "the size of a session": (("--session-mib", "1"), "expected at most 1 MiB in a session, found more"),
    "the disk": (("--free-mib", "99999999"), "MiB free on the disk of traces, found "),
}


@pytest.mark.parametrize("name", LIMITS)
def test_limits_are_kept_and_said(name: str, listen: Callable[..., Listening]) -> None:
    """What goes beyond a limit is refused in words, to the game and to the tester; what came before is kept."""
    options, words = LIMITS[name]
    listening = listen(*options)
    first, second = listening.connect(), listening.connect()
    _send(first, HEADER, {"frame": 0, "t": 0})
    if name == "games":
        while not listening.out.is_dir() or not list(listening.out.iterdir()):
            time.sleep(0.02)
        _send(second, HEADER)
        assert words in _answer(second)["error"]
        _send(first, {"end": True})
    elif name == "the size of a session":
        _send(first, {"frame": 1, "t": 1, "mood": "x" * (1 << 20)})
    answer = _answer(first)
    assert answer == {"frames": 1} if name == "games" else words in answer["error"]
    assert words in listening.stop()


def test_a_folder_that_cannot_be_written_is_said_and_others_go_on(listening: Listening) -> None:
    """A session whose trace cannot be made or written is refused in words, and the next one is taken again."""
    listening.out.rmdir()
    listening.out.write_text("in the way")
    game = listening.connect()
    _send(game, HEADER)
    assert "its trace cannot be written in traces" in _answer(game)["error"]
    listening.out.unlink()
    again = listening.connect()
    _send(again, HEADER, {"frame": 0, "t": 0}, {"end": True})
    assert _answer(again) == {"frames": 1}


def test_the_standard_input_and_files_are_taken_too(cli: Cli, tmp_path: Path) -> None:
    """A pipe and a file become traces; a file without an end is followed until it has one."""
    lines = [json.dumps(line) + "\n" for line in (HEADER, {"frame": 0, "t": 0}, {"frame": 1, "t": 1}, {"end": True})]
    piped = cli("listen", "-", input="".join(lines))
    assert (piped.returncode, piped.stdout) == (
        0,
        "Lantern-Bay-1.crumbs begins\nLantern-Bay-1.crumbs ends after 2 frames\n",
    )
    (tmp_path / "bad.jsonl").write_text(lines[0] + lines[1] * 2)
    bad = cli("listen", "bad.jsonl")
    assert bad.returncode == 2
    assert "breaks off after 1 frames: line 3: expected a number above 0" in bad.stdout
    script = "from breadcrumb.cli import main; main()"
    command = [sys.executable, "-u", "-c", script, "listen", "live.jsonl"]
    with subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.PIPE, text=True) as following:
        assert following.stdout is not None
        assert following.stdout.readline() == "waiting for live.jsonl, which is not there yet\n"
        with (tmp_path / "live.jsonl").open("w") as file:
            for line in lines:
                for half in (line[:5], line[5:]):
                    file.write(half)
                    file.flush()
                    time.sleep(0.12)
        assert following.wait(PATIENCE) == 0
    assert open_trace(tmp_path / "traces" / "Lantern-Bay-3.crumbs").clock.frames.tolist() == [0, 1]


def test_a_file_that_is_followed_keeps_what_it_told_when_the_listener_is_stopped(tmp_path: Path) -> None:
    """Ctrl-C closes the trace of a file that has no end yet."""
    (tmp_path / "live.jsonl").write_text(json.dumps(HEADER) + '\n{"frame": 0, "t": 0}\n{"frame": 1, ')
    command = [sys.executable, "-u", "-c", "from breadcrumb.cli import main; main()", "listen", "live.jsonl"]
    with subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.PIPE, text=True) as following:
        assert following.stdout is not None
        assert following.stdout.readline() == "Lantern-Bay-1.crumbs begins\n"
        following.send_signal(signal.SIGINT)
        assert "breaks off after 1 frames: the listener was stopped" in following.stdout.read()
    assert open_trace(tmp_path / "traces" / "Lantern-Bay-1.crumbs").data.session.is_cut


def _play(
    sender: Any,
    fallback: Path,
    port: int,
    frames: int = 50,
    *,
    pause: float = 0.0,
    during: Callable[[int], None] | None = None,
) -> Any:
    """Play a small session through the sender."""
    session = sender.open_session({"game": "Pasted"}, str(fallback), port=port)
    session.appear("heron", "skiff")
    for frame in range(frames):
        if frame == 10:
            session.appear("spark", "flare", parent="heron")
        if frame == 20:
            session.leave("spark")
        session.state("heron", at=(frame * 0.1, math.inf if frame == 5 else 1.0), lit=frame % 2 == 0, name="h")
        session.event("tick", by="heron", data={"n": frame})
        if during is not None:
            during(frame)
        session.frame(frame, t=frame / 60)
        time.sleep(pause)
    session.close()
    return session


def _check(trace: Trace) -> None:
    heron = trace.one("skiff")
    assert heron.at.x.values.tolist() == [frame * 0.1 for frame in range(50)]
    assert heron.at.y.values.tolist() == [math.inf if frame == 5 else 1.0 for frame in range(50)]
    assert heron.lit.values.tolist() == [frame % 2 == 0 for frame in range(50)]
    assert trace.events("tick")["n"].tolist() == list(range(50))
    spark = trace.one("flare")
    assert (spark.appears.frames.tolist(), spark.leaves.frames.tolist()) == ([10], [20])


def test_the_python_sender_reaches_the_listener(listening: Listening, sender: Any, tmp_path: Path) -> None:
    """What a game says through the sender is in the trace, value for value, and no file is written."""
    session = _play(sender, tmp_path / "fallback.jsonl", listening.port)
    _check(listening.trace("Pasted-1.crumbs"))
    assert session.lost == 0
    assert not (tmp_path / "fallback.jsonl").exists()


def test_the_python_sender_falls_back_to_a_file(sender: Any, tmp_path: Path) -> None:
    """With nobody listening the session is in the file, and becomes the same trace."""
    with socket.socket() as unused:
        unused.bind(("127.0.0.1", 0))
        port = unused.getsockname()[1]
    assert _play(sender, tmp_path / "night.jsonl", port).lost == 0
    script = "from breadcrumb.cli import main; main()"
    subprocess.run([sys.executable, "-c", script, "convert", "night.jsonl", "night.crumbs"], cwd=tmp_path, check=True)
    _check(open_trace(tmp_path / "night.crumbs"))


def test_a_listener_that_vanishes_does_not_disturb_the_game(listening: Listening, sender: Any, tmp_path: Path) -> None:
    """The game goes on, the rest goes into the file as a whole session, and what was lost is counted."""

    def vanish(frame: int) -> None:
        if frame == 12:
            listening.kill()

    session = _play(sender, tmp_path / "rest.jsonl", listening.port, pause=0.01, during=vanish)
    assert 0 < session.lost < 20
    script = "from breadcrumb.cli import main; main()"
    subprocess.run([sys.executable, "-c", script, "convert", "rest.jsonl", "rest.crumbs"], cwd=tmp_path, check=True)
    rest = open_trace(tmp_path / "rest.crumbs")
    assert rest.clock.frames.tolist() == list(range(int(rest.clock.frames[0]), 50))
    assert rest.one("skiff").at.x.values[-1] == 49 * 0.1
    early = open_trace(listening.out / "Pasted-1.crumbs")
    assert early.data.session.is_cut
    assert int(early.clock.frames[-1]) < int(rest.clock.frames[0])


def test_a_sender_that_can_write_nowhere_counts_what_is_lost(sender: Any, tmp_path: Path) -> None:
    """Neither a listener nor a file: the game still runs, and every line is counted as lost."""
    session = _play(sender, tmp_path / "no" / "such" / "folder.jsonl", port=9)
    assert session.lost >= 50
