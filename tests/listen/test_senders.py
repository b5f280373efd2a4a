"""The senders that games paste in: what they send, and what becomes of it when something goes wrong."""

import importlib.util
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from breadcrumb import Trace, open_trace
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.reading import read_journal
from breadcrumb.testing import assert_sent, script_as_json, sender_script

Listening = Any
Play = Callable[..., dict[str, Any]]

HERE = Path(__file__).parent
CLIENTS = HERE.parents[1] / "clients"
NODE = shutil.which("node")
needs_node = pytest.mark.skipif(NODE is None and "BREADCRUMB_CI" not in os.environ, reason="Node is not installed")


@pytest.fixture(scope="session")
def sender() -> Any:
    """The sender for games in Python, loaded from its file as a game would that pasted it in."""
    spec = importlib.util.spec_from_file_location("breadcrumb_sender", CLIENTS / "python" / "breadcrumb_sender.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def _in_python(sender: Any, port: int, fallback: Path) -> dict[str, Any]:
    """Give the sender for Python the calls of the script."""
    session: Any = None
    for call, args in sender_script():
        if call == "open":
            session = sender.open_session(args["about"], fallback, port=port)
        elif call == "state":
            session.state(args["id"], args["properties"])
        else:
            getattr(session, call)(**args)
    return {"lost": session.lost, "problem": session.problem}


def _in_javascript(port: int, fallback: Path) -> dict[str, Any]:
    """Give the sender for JavaScript the calls of the script, in Node."""
    path = CLIENTS / "javascript" / "breadcrumb-sender.js"
    command = [str(NODE), str(HERE / "drive.js"), str(path), str(port), str(fallback)]
    done = subprocess.run(command, input=script_as_json(), capture_output=True, text=True, timeout=60, check=True)
    said: dict[str, Any] = json.loads(done.stdout)
    return said


@pytest.fixture(params=["python", pytest.param("javascript", marks=needs_node)])
def play(request: pytest.FixtureRequest, sender: Any) -> Play:
    """Play the script that every sender must send the same, through the sender for a language."""
    return (lambda *where: _in_python(sender, *where)) if request.param == "python" else _in_javascript


def _converted(path: Path) -> Trace:
    script = "from breadcrumb.cli import main; main()"
    target = path.with_suffix(".crumbs")
    subprocess.run([sys.executable, "-c", script, "convert", path.name, target.name], cwd=path.parent, check=True)
    return open_trace(target)


def test_every_value_of_the_script_arrives(play: Play, listening: Listening, tmp_path: Path) -> None:
    """Over a connection the script becomes the trace that it means, bit for bit, and no file is written."""
    assert play(listening.port, tmp_path / "fallback.jsonl") == {"lost": 0, "problem": ""}
    assert_sent(listening.trace("Lantern-Bay-1.crumbs"))
    assert not (tmp_path / "fallback.jsonl").exists()


def test_with_nobody_listening_the_session_is_in_the_file(play: Play, free_port: int, tmp_path: Path) -> None:
    """The fallback file holds the same session, bit for bit."""
    said = play(free_port, tmp_path / "night.jsonl")
    assert said["lost"] == 0
    assert_sent(_converted(tmp_path / "night.jsonl"))


def test_a_sender_that_can_write_nowhere_counts_what_is_lost(play: Play, free_port: int, tmp_path: Path) -> None:
    """Neither a listener nor a file: the game still runs, and what was lost is counted and said."""
    said = play(free_port, tmp_path / "no" / "such" / "folder.jsonl")
    assert said["lost"] >= 1
    assert said["problem"]


def _wait_for(journal: Path, frames: int) -> None:
    """Wait until a listener has written so many frames; a slow machine takes its time."""
    for _ in range(600):
        if journal.exists() and len(read_journal(journal).frames) >= frames:
            return
        time.sleep(0.05)
    raise AssertionError(f"{journal} never had {frames} frames")


def test_a_listener_that_vanishes_does_not_disturb_the_game(listening: Listening, sender: Any, tmp_path: Path) -> None:
    """The game goes on, and the rest goes into the file as a whole session, in which everything is told again."""
    session = sender.open_session({"game": "Pasted"}, tmp_path / "rest.jsonl", port=listening.port)
    session.appear("heron", "skiff")
    session.appear("spark", "flare", parent="heron")
    session.state("heron", lit=True, at=[1, 2])
    for frame in range(50):
        if frame == 12:
            _wait_for(listening.out / "Pasted-1.crumbs" / FILE_NAME, frames=12)
            listening.kill()
        if frame == 20:
            session.leave("spark")
        session.state("heron", n=frame)
        session.event("tick")
        session.frame(frame, t=frame / 60)
        time.sleep(0.01)
    session.close()
    early, rest = open_trace(listening.out / "Pasted-1.crumbs"), _converted(tmp_path / "rest.jsonl")
    assert early.data.session.is_cut
    assert rest.clock.frames.tolist() == list(range(int(rest.clock.frames[0]), 50))
    assert 0 < int(rest.clock.frames[0]) - int(early.clock.frames[-1]) <= 3
    heron = rest.one("skiff")
    assert heron.n.values.tolist() == rest.clock.frames.tolist() == rest.events("tick").frames.tolist()
    assert heron.at.values.tolist() == [[1, 2]] * rest.clock.size
    assert heron.lit.values.all()
    assert rest.one("flare").leaves.frames.tolist() == [20]


def test_a_listener_that_says_no_is_heard(listening: Listening, sender: Any, tmp_path: Path) -> None:
    """A session that the listener refuses goes on in the file, and what it said is kept."""
    session = sender.open_session({"declare": 3}, tmp_path / "a.jsonl", port=listening.port)
    for frame in range(3):
        session.frame(frame, t=frame)
        time.sleep(0.3)
    session.close()
    assert "expected lists of texts under events, kinds and restarts" in session.problem
    assert '"frame": 2' in (tmp_path / "a.jsonl").read_text()


def test_a_flood_is_counted_and_what_changed_is_told_later(sender: Any, tmp_path: Path) -> None:
    """While the other side takes nothing, frames that find no room are lost; the next one tells all that changed."""
    with socket.socket() as server:
        server.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 16)  # stays as it is: what is full remains full
        server.bind(("127.0.0.1", 0))
        server.listen()
        sender.MOST_WAITING = 1 << 20
        session = sender.open_session({"game": "Flood"}, tmp_path / "no.jsonl", port=server.getsockname()[1])
        game, _ = server.accept()
        session.appear("heron", "skiff")
        for frame in range(400):
            if frame == 395:
                session.leave("heron")
                session.appear("heron", "skiff")
            session.state("heron", n=frame, text="x" * 50_000)
            session.frame(frame, t=frame)
        lost = session.lost
        assert 0 < lost < 400
        taken: list[bytes] = []
        draining = threading.Thread(target=_drain, args=(game, taken))
        draining.start()
        time.sleep(0.2)
        session.state("heron", n=400.0)
        session.frame(400, t=400)
        session.close()
        draining.join(10)
    sender.MOST_WAITING = 64 << 20
    (tmp_path / "flood.jsonl").write_bytes(b"".join(taken))
    trace = _converted(tmp_path / "flood.jsonl")
    assert trace.clock.size == 401 - lost
    assert trace.notes == (f"the game could not send {lost} frames",)
    heron = trace.one("skiff")
    assert heron.n.values.tolist() == trace.clock.frames.tolist()
    again = trace.clock.frames[trace.clock.frames >= 395][:1].tolist()
    lifetimes, frames = trace.data.session.lifetimes, trace.clock.frames
    assert frames[lifetimes.appear[1:]].tolist() == frames[lifetimes.leave[:-1]].tolist() == again
    assert heron.appears.count == heron.leaves.count == 0  # when that was, was lost


def _drain(game: socket.socket, taken: list[bytes]) -> None:
    while chunk := game.recv(1 << 20):
        taken.append(chunk)
    game.close()


@pytest.mark.parametrize("name", ["data", "a stranger", "no text"])
def test_whatever_the_game_hands_over_nothing_is_raised(name: str, sender: Any, free_port: int, tmp_path: Path) -> None:
    """A call that cannot be meant is counted and said, and the frames are whole without it."""
    session = sender.open_session({"game": "Odd"}, tmp_path / "odd.jsonl", port=free_port)
    session.appear("heron", "skiff")
    session.state("heron", at=np.array([1.0, 2.0]), n=np.float64(3.5), name="lone \ud800 half")
    session.frame(0, t=0)
    if name == "data":
        session.event("bell", data={"what": object()})
    elif name == "a stranger":
        session.state("tern", x=1)
    else:
        session.leave(["no", "text"])
    session.frame(1, t=1)
    session.close()
    trace = _converted(tmp_path / "odd.jsonl")
    assert session.lost == 1
    assert trace.notes == ("the game could not send 1 frame",)
    assert trace.one("skiff").at.values.tolist() == [[1, 2], [1, 2]]


GAME = """
import sys
sys.path.insert(0, sys.argv[1])
from breadcrumb_sender import open_session
session = open_session({"game": "Killed"}, "killed.jsonl", port=int(sys.argv[2]))
session.appear("heron", "skiff")
frame = 0
while True:
    session.state("heron", n=frame)
    session.frame(frame, t=frame / 60)
    print(frame, flush=True)
    frame += 1
"""


@pytest.mark.parametrize("number", range(5))
def test_a_game_that_is_killed_has_sent_every_frame(
    number: int, listening: Listening, free_port: int, tmp_path: Path
) -> None:
    """Whenever the game dies, each frame that it ended is in the trace, or in the file if nobody listened."""
    port = listening.port if number % 2 == 0 else free_port
    command = [sys.executable, "-c", GAME, str(CLIENTS / "python"), str(port)]
    with subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.PIPE, text=True) as game:
        assert game.stdout is not None
        game.stdout.readline()
        time.sleep(0.03 * number)
        game.send_signal(signal.SIGKILL)
        said = [line for line in game.stdout.read().split("\n")[:-1] if line]
    last = int(said[-1]) if said else 0
    trace = listening.trace("Killed-1.crumbs") if number % 2 == 0 else _converted(tmp_path / "killed.jsonl")
    assert int(trace.clock.frames[-1]) >= last
    assert trace.one("skiff").n.values.tolist() == list(range(trace.clock.size))
    assert trace.data.session.is_cut


@needs_node
@pytest.mark.parametrize("language", ["python", "javascript"])
def test_the_token_stays_out_of_the_fallback_file(language: str, sender: Any, free_port: int, tmp_path: Path) -> None:
    """What only a listener may know is not written to a file, and a host that can be none does not raise."""
    path = tmp_path / "lines.jsonl"
    if language == "python":
        for host in ("127.0.0.1", "x..y"):
            session = sender.open_session({}, path, host=host, port=free_port, token="hush-hush")
            session.frame(0, t=0.0)
            session.close()
    else:
        module = json.dumps(str(CLIENTS / "javascript" / "breadcrumb-sender.js"))
        options = json.dumps({"fallback": str(path), "port": free_port, "token": "hush-hush"})
        script = f"const s = require({module}).openSession({{}}, {options}); s.frame(0, 0); s.close()"
        subprocess.run([str(NODE), "-e", script], check=True, timeout=30)
    assert json.loads(path.read_text().splitlines()[0]) == {"breadcrumb": 2, "about": {}}
    assert "hush" not in path.read_text()
