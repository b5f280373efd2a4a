"""Send frame lines from a Python game that cannot install anything: one file, the standard library alone.

Paste it into the game and call it once a frame:

    session = open_session({"game": "Lantern Bay"}, "night.jsonl")
    session.appear("heron", "skiff")
    session.state("heron", position=[0.0, 0.0], lit=True)
    session.event("bell.rung", by="heron")
    session.frame(0, t=0.0)
    session.close()

Lines go to `breadcrumb listen`; if nobody listens, or stops to, they go into the file, as a session that begins anew,
and `breadcrumb convert` turns it into a trace. No call raises into the game or waits for the network: the system takes
each line at once, so that nothing is lost when the game is killed, and what it cannot take waits in memory. A frame
for which there is no space is counted in `session.lost`; what it would have told is told by the next one.
"""

import functools
import json
import math
import socket
from pathlib import Path

HOST, PORT = "127.0.0.1", 26937
MOST_WAITING = 64 << 20  # bytes
SECONDS_TO_CONNECT = 1.0
SECONDS_TO_CLOSE = 10.0


def open_session(about, fallback, host=HOST, port=PORT, token=None):
    """Begin a session: what is known of it, and the file that its lines go into when nobody listens."""
    return Session(about, fallback, host, port, token)


def _never_raises(call):
    """Count what goes wrong in a call instead of letting the game meet it."""

    @functools.wraps(call)
    def safely(self, *args, **named):
        try:
            return call(self, *args, **named)
        except Exception as error:  # whatever the game hands over: it plays on
            self.lost += 1
            self.problem = f"{type(error).__name__}: {error}"
            return None

    return safely


class Session:
    """One session of a game.

    `lost` counts the calls and frames that could not be sent, and `problem` says what was last wrong.
    """

    def __init__(self, about, fallback, host, port, token):
        self.lost, self.problem = 0, ""
        header = {"breadcrumb": 2, "about": about, "token": token}
        self._header = {key: value for key, value in header.items() if value is not None}
        self._fallback = fallback
        self._lifetimes = 0
        self._alive, self._known = {}, {}  # by id: the lifetime's number and what appears; the properties as last told
        self._told = {}  # by id: the number of the lifetime that the other side knows
        self._appeared, self._left, self._changed, self._events = [], [], {}, []
        try:
            self._out = _Connection(host, port)
        except (OSError, ValueError) as error:  # a host may have a name that no host can have
            self._fall_back(error)
        self._begins, self._gap = True, False

    @_never_raises
    def appear(self, id, kind, parent=None):
        """Say that an object is there from this frame on."""
        one = {"id": id, "kind": kind}
        self._lifetimes += 1
        self._alive[id] = self._lifetimes, one if parent is None else {**one, "parent": parent}
        self._known[id] = {}
        self._appeared.append(self._alive[id][1])

    @_never_raises
    def leave(self, id):
        """Say that an object is gone on this frame."""
        del self._alive[id], self._known[id]
        self._changed.pop(id, None)
        self._left.append(id)

    @_never_raises
    def state(self, id, properties=None, /, **named):
        """Say what changed of an object: its properties as a mapping by any name, or by keyword."""
        plain = {_text(name): _plain(value) for name, value in {**(properties or {}), **named}.items()}
        self._known[id].update(plain)
        self._changed.setdefault(id, {}).update(plain)

    @_never_raises
    def event(self, name, by=None, on=None, data=None):
        """Say that something happened."""
        one = {"name": name, "by": by, "on": on, "data": _plain(data)}
        self._events.append({key: value for key, value in one.items() if value is not None})

    @_never_raises
    def frame(self, number, t):
        """End a frame."""
        try:
            for _ in ("where the session is", "in the file, if that is gone"):
                try:
                    self._out.write(self._lines(number, t))
                    self._told = {id: lifetime for id, (lifetime, _) in self._alive.items()}
                    self._begins = self._gap = False
                    return
                except _NoRoom:
                    break
                except OSError as error:
                    self._fall_back(error)
            self.lost += 1
            self._gap = True
        except Exception:
            self._gap = True  # what was in this frame has to be told by the next one
            raise
        finally:
            self._appeared, self._left, self._changed, self._events = [], [], {}, []

    @_never_raises
    def close(self):
        """End the session, and wait a while until all is sent."""
        self._out.write(_line({"end": True, "lost": self.lost} if self.lost else {"end": True}))
        self._out.close()

    def _lines(self, number, t):
        """Return this frame's line; behind a gap it tells all that the other side does not know."""
        told = {"appear": self._appeared, "leave": self._left, "state": self._changed}
        if self._begins:
            self._told = {}
        if self._gap:
            lifetimes = {id: lifetime for id, (lifetime, _) in self._alive.items()}
            told = {
                "appear": [one for id, (lifetime, one) in self._alive.items() if self._told.get(id) != lifetime],
                "leave": [id for id, lifetime in self._told.items() if lifetimes.get(id) != lifetime],
                "state": self._known,
            }
        told = {name: what for name, what in {**told, "events": self._events}.items() if what}
        header = self._header if isinstance(self._out, _Connection) else {**self._header, "token": None}
        header = {key: value for key, value in header.items() if value is not None}  # the token is no file's business
        return (_line(header) if self._begins else b"") + _line({"frame": number, "t": t, **told})

    def _fall_back(self, error):
        """Go on in the file; if it cannot be written either, nowhere."""
        self.problem = f"{type(error).__name__}: {error}"
        try:
            self._out = _File(self._fallback)
        except (OSError, TypeError):
            self._out = _Nowhere()
        self._begins = self._gap = True


class _NoRoom(Exception):
    """So much waits to be sent that nothing more is taken."""


class _Connection:
    """A connection to a listener, which the game never waits for."""

    def __init__(self, host, port):
        self._socket = socket.create_connection((host, port), SECONDS_TO_CONNECT)
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket.setblocking(False)
        self._waiting = bytearray()

    def write(self, lines):
        """Give lines to the system; what it cannot take now waits for the next call."""
        try:
            self._take(lines)
        except OSError:  # the listener is gone
            self._socket.close()
            raise

    def _take(self, lines):
        try:
            answer = self._socket.recv(4096)
        except BlockingIOError:
            pass
        else:
            raise OSError(answer.decode("utf-8", "replace").strip() or "the listener closed the connection")
        self._flush()
        if len(self._waiting) + len(lines) > MOST_WAITING:
            raise _NoRoom
        self._waiting += lines
        self._flush()

    def _flush(self):
        try:
            while self._waiting:
                del self._waiting[: self._socket.send(self._waiting)]
        except BlockingIOError:
            pass

    def close(self):
        """Wait until all is sent, and until the listener has it."""
        self._socket.settimeout(SECONDS_TO_CLOSE)
        try:
            self._socket.sendall(self._waiting)
            self._socket.shutdown(socket.SHUT_WR)
            while self._socket.recv(4096):
                pass
        finally:
            self._socket.close()


class _File:
    """A file that the lines go into, each handed to the system at once."""

    def __init__(self, path):
        self._file = Path(path).open("wb", buffering=0)  # noqa: SIM115 - open as long as the session

    def write(self, lines):
        while lines:
            lines = lines[self._file.write(lines) :]

    def close(self):
        self._file.close()


class _Nowhere:
    """Where lines go that no one can take."""

    def write(self, lines):
        raise _NoRoom

    def close(self):
        pass


def _line(content):
    return json.dumps(content, allow_nan=False).encode() + b"\n"


def _text(text):
    """Return a text that UTF-8 can hold."""
    return text if text.isascii() else text.encode("utf-8", "replace").decode()


def _plain(value):
    """Return a copy of a value, with numbers that JSON cannot hold by their names."""
    if isinstance(value, float) and not math.isfinite(value):
        return "NaN" if math.isnan(value) else "Infinity" if value > 0 else "-Infinity"
    if isinstance(value, str):
        return _text(value)
    if value is None or isinstance(value, (bool, int, float)):
        return value
    if isinstance(value, dict):
        return {str(key): _plain(one) for key, one in value.items()}
    if hasattr(value, "tolist"):
        return _plain(value.tolist())
    return [_plain(one) for one in value]
