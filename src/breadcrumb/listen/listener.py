"""Listening for games: each connection sends the frame lines of one session, which becomes a trace of its own."""

import asyncio
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from breadcrumb.errors import TraceError
from breadcrumb.listen.lines import LONGEST_LINE, BadLine
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.store.opening import open_data

HOST = "127.0.0.1"
"""Only games on this machine are heard."""

_LONGEST_NAME = 60


@dataclass(frozen=True, slots=True)
class Limits:
    """What a flood of lines or games may not exceed."""

    sessions: int = 64
    """How many games at once."""
    session_bytes: int = 4 << 30
    """How many bytes one session may send."""


@dataclass(slots=True)
class Listener:
    """Takes the sessions of several games at once.

    Attributes:
        out: the folder that traces go to.
        tell: called with a line of words whenever a session begins or ends.
        limits: what is refused.
    """

    out: Path
    tell: Callable[[str], None]
    limits: Limits = field(default_factory=Limits)
    _sessions: int = 0
    _tasks: set["asyncio.Task[None]"] = field(default_factory=set)

    async def listen(self, port: int, started: Callable[[int], None], stop: asyncio.Event) -> None:
        """Listen until told to stop; then every trace is closed.

        Args:
            port: where; 0 takes any free one.
            started: called with the port once games can connect.
            stop: set to stop.
        """
        server = await asyncio.start_server(self._connected, HOST, port, limit=LONGEST_LINE)
        async with server:
            started(server.sockets[0].getsockname()[1])
            await stop.wait()
            server.close()
            for task in self._tasks:
                task.cancel()
            await asyncio.gather(*self._tasks, return_exceptions=True)

    async def _connected(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        task = asyncio.current_task()
        assert task is not None
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        session = SessionWriter(self._place)
        problem = ""
        self._sessions += 1
        try:
            if self._sessions > self.limits.sessions:
                problem = f"expected at most {self.limits.sessions} games at once; this one is refused"
            else:
                await self._take_all(reader, session)
        except BadLine as error:
            problem = str(error)
        except asyncio.CancelledError:
            problem = "the listener was stopped"
        except (OSError, asyncio.IncompleteReadError) as error:
            problem = f"the connection broke: {error}"
        finally:
            self._sessions -= 1
            session.close()
            await self._say_goodbye(session, writer, problem)

    async def _take_all(self, reader: asyncio.StreamReader, session: SessionWriter) -> None:
        taken = number = 0
        while not session.ended:
            number += 1
            try:
                line = await reader.readline()
            except ValueError:  # what asyncio raises for a line beyond its limit
                raise BadLine(number, f"expected at most {LONGEST_LINE} bytes, found more") from None
            if not line:
                return
            taken += len(line)
            if taken > self.limits.session_bytes:
                raise BadLine(number, f"expected at most {self.limits.session_bytes} bytes in a session, found more")
            begins = session.path is None
            session.take(line)
            if begins and session.path is not None:
                self.tell(f"{session.path.name} begins")

    async def _say_goodbye(self, session: SessionWriter, writer: asyncio.StreamWriter, problem: str) -> None:
        """Tell the game and the tester how the session ended, and turn its journal into Parquet."""
        name = session.path.name if session.path is not None else "a connection"
        try:
            writer.write(msgspec.json.encode({"error": problem} if problem else {"frames": session.frames}) + b"\n")
            await writer.drain()
            writer.close()
        except OSError:
            pass  # the game is gone already
        end = "ends" if session.ended else "breaks off"
        self.tell(f"{name} {end} after {session.frames} frames" + (f": {problem}" if problem else ""))
        if session.path is not None:
            try:
                await asyncio.shield(asyncio.to_thread(open_data, session.path))
            except TraceError as error:
                self.tell(f"{name} cannot be opened: {error}")

    def _place(self, about: Mapping[str, Any]) -> Path:
        """Return a new folder in `out`, named after the session, whatever it calls itself."""
        wanted = str(about.get("name") or about.get("game") or "session")
        name = re.sub(r"[^A-Za-z0-9_-]+", "-", wanted).strip("-")[:_LONGEST_NAME] or "session"
        numbers = iter(range(1, 1 << 30))
        return next(path for n in numbers if not (path := self.out / f"{name}-{n}.crumbs").exists())
