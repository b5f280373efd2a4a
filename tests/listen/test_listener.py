import json
import os
import pty
import select
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, cast

import pytest
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from breadcrumb import open_trace

Cli = Callable[..., "subprocess.CompletedProcess[str]"]

Listening = Any
"""What conftest.py defines under this name."""

HEADER = {"breadcrumb": 1, "about": {"game": "Lantern Bay"}}
PATIENCE = 20.0


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


def test_ctrl_c_while_a_trace_is_converted_lets_it_be_finished(listening: Listening) -> None:
    """A session that has just ended is turned into Parquet although the listener is told to stop, without a traceback."""
    game = listening.connect()
    _send(game, HEADER, {"frame": 0, "t": 0.0}, *({"frame": n, "t": n / 60} for n in range(1, 2000)), {"end": True})
    assert _answer(game) == {"frames": 2000}
    assert "ends after 2000 frames" in listening.stop()
    assert not (listening.out / "Lantern-Bay-1.crumbs" / "journal.bin").exists()


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
    assert "breaks off after 1 frame" in said
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
    assert "breaks off after 1 frame: line 3: expected a number above 0" in bad.stdout
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


def test_on_a_terminal_the_sessions_that_go_on_are_shown(tmp_path: Path) -> None:
    """Below the lines stands each session with the frames that it has so far."""
    (tmp_path / "live.jsonl").write_text(json.dumps(HEADER) + '\n{"frame": 0, "t": 0}\n')
    shown, terminal = pty.openpty()
    command = [sys.executable, "-c", "from breadcrumb.cli import main; main()", "listen", "live.jsonl"]
    with subprocess.Popen(command, cwd=tmp_path, stdout=terminal, stderr=terminal) as following:
        os.close(terminal)
        said = b""
        while b"Lantern-Bay-1.crumbs: 1 frame so far, 0.0 MB" not in said:
            assert select.select([shown], [], [], PATIENCE)[0], said
            said += os.read(shown, 4096)
        following.send_signal(signal.SIGINT)
        assert following.wait(PATIENCE) == 2
    os.close(shown)
    assert b"Lantern-Bay-1.crumbs begins" in said


def test_a_file_that_is_followed_keeps_what_it_told_when_the_listener_is_stopped(tmp_path: Path) -> None:
    """Ctrl-C closes the trace of a file that has no end yet."""
    (tmp_path / "live.jsonl").write_text(json.dumps(HEADER) + '\n{"frame": 0, "t": 0}\n{"frame": 1, ')
    command = [sys.executable, "-u", "-c", "from breadcrumb.cli import main; main()", "listen", "live.jsonl"]
    with subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.PIPE, text=True) as following:
        assert following.stdout is not None
        assert following.stdout.readline() == "Lantern-Bay-1.crumbs begins\n"
        following.send_signal(signal.SIGINT)
        assert "breaks off after 1 frame: the listener was stopped" in following.stdout.read()
    assert open_trace(tmp_path / "traces" / "Lantern-Bay-1.crumbs").data.session.is_cut
