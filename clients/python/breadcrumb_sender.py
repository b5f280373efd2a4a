"""Send frame lines from a Python game that cannot install anything: one file, the standard library alone.

Paste it into the game and call it once a frame:

    session = open_session({"game": "Lantern Bay"}, "night.jsonl")
    session.appear("heron", "skiff")
    session.state("heron", position=[0.0, 0.0], lit=True)
    session.event("bell.rung", by="heron")
    session.frame(0, t=0.0)
    session.close()

Lines are sent by a thread to `breadcrumb listen`; if nobody listens, or stops to, they go into the file, whose session
`breadcrumb convert` turns into a trace. No call raises into the game or waits for the network: what cannot be sent is
counted in `session.lost`.
"""

import json
import math
import queue
import socket
import threading
from pathlib import Path

HOST, PORT = "127.0.0.1", 4747
MOST_WAITING = 10_000
SECONDS_TO_CONNECT = 1.0
SECONDS_TO_CLOSE = 10.0


def open_session(about, fallback, host=HOST, port=PORT):
    """Begin a session: what is known of it, and the file that its lines go into when nobody listens."""
    return Session(about, fallback, host, port)


class Session:
    """One session of a game."""

    def __init__(self, about, fallback, host, port):
        self.lost = 0
        self._about, self._fallback, self._address = about, fallback, (host, port)
        self._lines = queue.Queue(MOST_WAITING)
        self._alive, self._known = {}, {}
        self._now = {}
        self._begins = True
        self._sender = threading.Thread(target=self._send_all, name="breadcrumb-sender", daemon=True)
        self._sender.start()

    def appear(self, id, kind, parent=None):
        """Say that an object is there from this frame on."""
        one = {"id": id, "kind": kind}
        self._alive[id] = one if parent is None else {**one, "parent": parent}
        self._known[id] = {}
        self._now.setdefault("appear", []).append(self._alive[id])

    def leave(self, id):
        """Say that an object is gone on this frame."""
        self._alive.pop(id, None)
        self._known.pop(id, None)
        self._now.setdefault("leave", []).append(id)
        self._now.get("state", {}).pop(id, None)

    def state(self, id, **properties):
        """Say what changed of an object."""
        self._known.setdefault(id, {}).update(properties)
        self._now.setdefault("state", {}).setdefault(id, {}).update(properties)

    def event(self, name, by=None, on=None, data=None):
        """Say that something happened."""
        one = {"name": name, "by": by, "on": on, "data": data}
        self._now.setdefault("events", []).append({key: value for key, value in one.items() if value is not None})

    def frame(self, number, t):
        """End a frame."""
        now, self._now = self._now, {}
        if self._begins:  # the first frame, or the first after a failure: all that is there has to be told
            self._begins = False
            self._put({"breadcrumb": 1, "about": self._about})
            now = {"appear": list(self._alive.values()), "state": self._known, "events": now.get("events", [])}
        self._put({"frame": number, "t": t, **now})

    def close(self):
        """End the session, and wait a while until all is sent."""
        self._put({"end": True})
        self._put(None)
        self._sender.join(SECONDS_TO_CLOSE)

    def _put(self, line):
        try:
            self._lines.put_nowait(None if line is None else json.dumps(_plain(line), allow_nan=False).encode() + b"\n")
        except (TypeError, ValueError, RecursionError, queue.Full):
            self.lost += 1
            self._begins = self._begins or line is not None  # what was lost may have been a change

    def _send_all(self):
        """Send lines until the session ends; after a failure go on in the file, with the next line that begins anew."""
        out = self._connect()
        waits = False
        while (line := self._lines.get()) is not None:
            waits = waits and not line.startswith(b'{"breadcrumb"')
            try:
                if waits:
                    raise OSError("not begun anew yet")
                _write_all(out, line)
            except OSError:
                self.lost += 1
                if not waits:
                    out.close()
                    out, waits, self._begins = self._open_file(), True, True
        out.close()

    def _connect(self):
        try:
            connection = socket.create_connection(self._address, SECONDS_TO_CONNECT)
            connection.settimeout(None)
            out = connection.makefile("wb", buffering=0)
            connection.close()  # the file keeps it open
            return out
        except OSError:
            return self._open_file()

    def _open_file(self):
        try:
            return Path(self._fallback).open("wb", buffering=0)
        except OSError:
            return _Nowhere()


class _Nowhere:
    """Where lines go that no one can take."""

    def write(self, line):
        raise OSError("nobody listens, and the file cannot be written")

    def close(self):
        pass


def _write_all(out, line):
    """Write a line; without a buffer, so that closing has nothing left to fail at."""
    while line:
        line = line[out.write(line) :]


def _plain(value):
    """Return a value with numbers that JSON cannot hold by their names."""
    if isinstance(value, dict):
        return {str(key): _plain(one) for key, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [_plain(one) for one in value]
    if isinstance(value, float) and not math.isfinite(value):
        return "NaN" if math.isnan(value) else "Infinity" if value > 0 else "-Infinity"
    return value
