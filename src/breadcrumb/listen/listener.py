"""Listening for games: each connection, pipe or file holds the frame lines of one session, which becomes a trace."""

import asyncio
import re
import shutil
from collections.abc import Callable, Coroutine, Mapping
from contextlib import aclosing, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from breadcrumb.errors import TraceError
from breadcrumb.listen.lines import BadLine
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.listen.transports import FileWire, PipeWire, Refused, StreamWire, Transport, WebSocketWire
from breadcrumb.model.plurals import counted
from breadcrumb.store.opening import open_data

_LONGEST_NAME = 60
_MEBIBYTE = 1 << 20
_ENOUGH_TO_TELL = 4  # the first bytes of a connection say whether it is a WebSocket


@dataclass(frozen=True, slots=True)
class Limits:
    """What lines and games may not exceed."""

    games: int = 64
    """How many games at once."""
    session_mib: int = 4096
    """How many MiB one session may send."""
    free_mib: int = 512
    """How many MiB must stay free on the disk."""


@dataclass(slots=True)
class Live:
    """A session that is being taken."""

    name: str = "a connection"
    frames: int = 0
    bytes: int = 0


@dataclass(slots=True)
class Listener:
    """Takes the sessions of several games at once.

    Attributes:
        out: the folder that traces go to.
        tell: called with a line of words whenever a session begins or ends.
        limits: what is refused.
        token: the secret that every session must present in its first line; none if it is empty.
        origins: web pages, by where they come from, that are heard besides those of this machine.
        live: the sessions that are being taken now.
        problems: how many sessions ended otherwise than with their last line.
    """

    out: Path
    tell: Callable[[str], None]
    limits: Limits = field(default_factory=Limits)
    token: str = ""
    origins: frozenset[str] = frozenset()
    live: list[Live] = field(default_factory=list)
    problems: int = 0
    _tasks: set["asyncio.Task[None]"] = field(default_factory=set)

    async def listen(self, host: str, port: int, started: Callable[[int], None], stop: asyncio.Event) -> None:
        """Listen for connections until told to stop; then every trace is closed.

        Args:
            host: the address of this machine to listen on.
            port: where; 0 takes any free one.
            started: called with the port once games can connect.
            stop: set to stop.
        """
        server = await asyncio.start_server(self._connected, host, port)
        async with server:
            started(server.sockets[0].getsockname()[1])
            await stop.wait()
            server.close()
            await self._stop_all()

    async def take_sources(self, sources: list[Path | int], stop: asyncio.Event) -> None:
        """Take the sessions of files that are being written, and of pipes by their number, until all end."""
        for source in sources:
            self._begin(self._record(PipeWire(source) if isinstance(source, int) else FileWire(source)))
        stopped = asyncio.create_task(stop.wait())
        waiting: set[asyncio.Task[Any]] = {stopped, *self._tasks}
        while len(waiting) > 1 and not stopped.done():
            _, waiting = await asyncio.wait(waiting, return_when=asyncio.FIRST_COMPLETED)
        stopped.cancel()
        await self._stop_all()

    def _begin(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _stop_all(self) -> None:
        for task in self._tasks:
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)

    async def _connected(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        task = asyncio.current_task()
        assert task is not None
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        first = b""
        with suppress(OSError, asyncio.CancelledError):
            while len(first) < _ENOUGH_TO_TELL and (more := await reader.read(_ENOUGH_TO_TELL - len(first))):
                first += more
        if first.startswith(b"GET "):
            await self._record(WebSocketWire(reader, writer, first, self.origins))
        elif first:
            await self._record(StreamWire(reader, writer, first))
        else:
            writer.close()

    async def _record(self, transport: Transport) -> None:
        """Take one session from its first line to its end, however that comes."""
        session, live = SessionWriter(self._place, self.token), Live()
        problem = ""
        self.live.append(live)
        try:
            if len(self.live) > self.limits.games:
                raise Refused(f"expected at most {self.limits.games} games at once; this one is refused")
            await self._take_all(transport, session, live)
        except (BadLine, Refused) as error:
            problem = str(error)
        except asyncio.CancelledError:
            problem = "" if session.path is None else "the listener was stopped"
        except OSError as error:
            problem = f"the connection broke: {error.strerror or error}"
        finally:
            self.live.remove(live)
            with suppress(OSError):  # its frames are whole, and a trace without an end says so
                session.close()
            await self._end(session, transport, problem)

    async def _take_all(self, transport: Transport, session: SessionWriter, live: Live) -> None:
        looked_at = -_MEBIBYTE
        async with aclosing(transport.lines()) as lines:
            async for line in lines:
                live.bytes += len(line) + 1
                if live.bytes > self.limits.session_mib * _MEBIBYTE:
                    raise Refused(f"expected at most {self.limits.session_mib} MiB in a session, found more")
                if live.bytes - looked_at >= _MEBIBYTE:
                    looked_at = live.bytes
                    self._look_at_the_disk()
                self._take(session, line)
                live.frames = session.frames
                if session.path is not None and live.name != session.path.name:
                    live.name = session.path.name
                    self.tell(f"{live.name} begins")
                if session.ended:
                    return
        if session.path is not None:
            raise Refused("the game closed the connection before its last line")

    def _take(self, session: SessionWriter, line: bytes) -> None:
        try:
            session.take(line)
        except OSError as error:
            raise Refused(f"its trace cannot be written in {self.out}: {error.strerror or error}") from None

    def _look_at_the_disk(self) -> None:
        there = next(path for path in (self.out, *self.out.absolute().parents) if path.exists())
        free = shutil.disk_usage(there).free // _MEBIBYTE
        if free < self.limits.free_mib:
            raise Refused(f"expected {self.limits.free_mib} MiB free on the disk of {self.out}, found {free}")

    async def _end(self, session: SessionWriter, transport: Transport, problem: str) -> None:
        """Tell the game and the tester how the session ended, and turn its journal into Parquet."""
        answer = {"error": problem} if problem else {"frames": session.frames}
        with suppress(OSError, asyncio.CancelledError):  # the game is gone already, or the listener is stopped
            await transport.answer(msgspec.json.encode(answer))
        if session.path is None:
            if problem:
                self.problems += 1
                self.tell(f"a session did not begin: {problem}")
            return
        name, end = session.path.name, "ends" if session.ended else "breaks off"
        self.problems += not session.ended
        self.tell(f"{name} {end} after {counted(session.frames, 'frames')}" + (f": {problem}" if problem else ""))
        converting = asyncio.create_task(asyncio.to_thread(open_data, session.path))
        try:
            with suppress(asyncio.CancelledError):  # the listener is stopped: what was begun is finished
                await asyncio.shield(converting)
            await converting
        except TraceError as error:
            self.tell(f"{name} cannot be opened: {error}")

    def _place(self, about: Mapping[str, Any]) -> Path:
        """Return a new folder in `out`, named after the session, whatever it calls itself."""
        wanted = str(about.get("name") or about.get("game") or "session")
        name = re.sub(r"[^A-Za-z0-9_-]+", "-", wanted).strip("-")[:_LONGEST_NAME] or "session"
        numbers = iter(range(1, 1 << 30))
        return next(path for n in numbers if not (path := self.out / f"{name}-{n}.crumbs").exists())
