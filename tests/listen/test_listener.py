import json
import os
import pty
import re
import select
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import suppress
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
HANDSHAKE = (
    b"GET / HTTP/1.1\r\nHost: localhost\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"
    b"Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\nSec-WebSocket-Version: 13\r\n\r\n"
)


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
    """A session that has just ended is whole although the listener is told to stop, and nothing is left half-made."""
    game = listening.connect()
    _send(game, HEADER, {"frame": 0, "t": 0.0}, *({"frame": n, "t": n / 60} for n in range(1, 2000)), {"end": True})
    assert _answer(game) == {"frames": 2000}
    assert "ends after 2000 frames" in listening.stop()
    assert open_trace(listening.out / "Lantern-Bay-1.crumbs").clock.size == 2000


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
    "the size of a session": (("--session-mib", "1"), "expected at most 1 MiB in a session, sent or written"),
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


STUBBORN = {
    "nothing": b"",
    "one byte": b"{",
    "three bytes": b'{"b',
    "half a first line": b'{"breadcrumb": 2, "about"',
    "half a handshake": b"GET / HTTP/1.1\r\nUpgrade: websocket\r\n",
}


def test_ctrl_c_ends_the_listener_whatever_games_wait_for(listening: Listening) -> None:
    """Games that sent a part of a line, or nothing, or ping and never read, do not keep it from ending within two seconds."""
    for said in STUBBORN.values():
        listening.connect().sendall(said)
    pinging = listening.connect()
    pinging.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1024)
    pinging.sendall(HANDSHAKE)
    pinging.setblocking(False)
    ping = b"\x89\xfd\0\0\0\0" + b"x" * 125
    with suppress(BlockingIOError):
        for _ in range(20_000):
            pinging.sendall(ping)
    begun = listening.connect()
    _send(begun, HEADER, {"frame": 0, "t": 0})
    time.sleep(0.3)
    before = time.monotonic()
    listening.stop()
    assert time.monotonic() - before < 4.0, "two seconds, and what Python itself takes to end on a busy machine"
    assert open_trace(listening.out / "Lantern-Bay-1.crumbs").clock.size == 1


def test_idle_games_do_not_lock_others_out(listen: Callable[..., Listening]) -> None:
    """Connections without a first line count for nothing: as many as the limit of games leave room for a game."""
    listening = listen("--games", "2")
    for _ in range(8):
        listening.connect()
    for _ in range(2):
        game = listening.connect()
        _send(game, HEADER, {"frame": 0, "t": 0}, {"end": True})
        assert _answer(game) == {"frames": 1}


def test_a_pipe_that_nobody_writes_into_does_not_stop_the_listener(tmp_path: Path) -> None:
    """A named pipe without a writer is waited for, ended by Ctrl-C, and taken once somebody writes."""
    os.mkfifo(tmp_path / "pipe")
    script = "from breadcrumb.cli import main; main()"
    command = [sys.executable, "-u", "-c", script, "listen", str(tmp_path / "pipe"), "--out", str(tmp_path / "out")]
    waiting = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    time.sleep(1.5)
    waiting.send_signal(signal.SIGINT)
    waiting.communicate(timeout=4)
    taking = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    (tmp_path / "pipe").write_bytes(
        b"".join(json.dumps(line).encode() + b"\n" for line in (HEADER, {"frame": 0, "t": 0}, {"end": True}))
    )
    said, _ = taking.communicate(timeout=PATIENCE)
    assert "ends after 1 frame" in said


MUCH = {
    "kinds": ([{"frame": 0, "t": 0, "appear": [{"id": f"a{n}", "kind": f"k{n}"} for n in range(5000)]}], "at most 4096 kinds"),
    "properties": (
        [
            {"frame": 0, "t": 0, "appear": [{"id": f"a{n}", "kind": "k"} for n in range(3000)]},
            {"frame": 1, "t": 0, "state": {f"a{n}": {f"p{n}": 1} for n in range(3000)}},
        ],
        "at most 2048 properties",
    ),
    "digits": ([{"frame": 0, "t": 0, "events": [{"name": "a", "data": {"n": 10**400}}]}], "that can be kept|out of range"),
    "written from little": (
        [
            {"frame": 0, "t": 0, "appear": [{"id": f"a{n}", "kind": "k"} for n in range(20_000)]},
            *({"frame": n, "t": n, "state": {"a1": {"x": n}}} for n in range(1, 60)),
        ],
        "at most 8 MiB in a session, sent or written",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", MUCH)
def test_little_input_has_no_large_effect(name: str, listen: Callable[..., Listening]) -> None:
    """Limits on kinds, properties and what is written are told to the game; the frames before are kept."""
    lines, words = MUCH[name]
    listening = listen("--session-mib", "8")
    game = listening.connect()
    _send(game, HEADER, *lines)
    assert re.search(words, _answer(game)["error"])


def test_a_session_of_no_line_is_no_session(listening: Listening) -> None:
    """A connection that sends an empty line and hangs up is answered with what is missing."""
    game = listening.connect()
    game.sendall(b"\n\n\n\n\n")
    game.shutdown(socket.SHUT_WR)
    assert _answer(game)["error"] == "expected frame lines, found none"
    assert "a session did not begin: expected frame lines, found none" in listening.stop()


def test_fields_in_a_line_where_they_mean_nothing_are_noted(listening: Listening) -> None:
    """An event in the first or the last line is not taken, and the trace says so."""
    game = listening.connect()
    events = {"events": [{"name": "bell.rung"}]}
    _send(game, {**HEADER, **events}, {"frame": 0, "t": 0}, {"end": True, **events})
    assert _answer(game) == {"frames": 1}
    notes = listening.trace("Lantern-Bay-1.crumbs").notes
    assert notes == tuple(
        f"the field 'events in the {which} line' is not known and was ignored, once" for which in ("first", "last")
    )
