"""Listening for games: each connection, pipe or file holds the frame lines of one session, which becomes a trace."""

import asyncio
import re
import shutil
import subprocess
import sys
from collections.abc import Callable, Coroutine, Mapping
from contextlib import aclosing, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from breadcrumb.journal.writing import MEBIBYTE
from breadcrumb.listen.limits import Limits
from breadcrumb.listen.lines import BadLine
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.listen.transports import FileWire, PipeWire, Refused, StreamWire, Transport, WebSocketWire
from breadcrumb.model.plurals import counted

_LONGEST_NAME = 60
_SECONDS_TO_FINISH, _SECONDS_TO_STOP = 1.0, 1.5
_MOST_CONNECTIONS = 512
_MOST_OPENING = 2
_OPEN = """
import sys
from breadcrumb.errors import TraceError
from breadcrumb.store.opening import open_data
try:
    open_data(sys.argv[1])
except TraceError as error:
    sys.exit(str(error))
"""
_ENOUGH_TO_TELL = 4  # the first bytes of a connection say whether it is a WebSocket


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
        traces: the traces that it has written, in the order of their ends.
        on_trace: called with each trace when it is complete; other games continue meanwhile. Traces that end because
            the listener stops are in `traces` only.
    """

    out: Path
    tell: Callable[[str], None]
    limits: Limits = field(default_factory=Limits)
    token: str = ""
    origins: frozenset[str] = frozenset()
    live: list[Live] = field(default_factory=list)
    problems: int = 0
    traces: list[Path] = field(default_factory=list)
    on_trace: Callable[[Path], Coroutine[Any, Any, None]] | None = None
    _tasks: set["asyncio.Task[None]"] = field(default_factory=set)
    _opening: asyncio.Semaphore = field(default_factory=lambda: asyncio.Semaphore(_MOST_OPENING))
    _stopping: bool = False
    _last_trouble: str = ""

    async def listen(self, host: str, port: int, started: Callable[[int], None], stop: asyncio.Event) -> None:
        """Listen for connections until told to stop; then every trace is closed.

        Args:
            host: the address of this machine to listen on.
            port: where; 0 takes any free one.
            started: called with the port once games can connect.
            stop: set to stop.
        """
        asyncio.get_running_loop().set_exception_handler(self._tell_of_trouble)
        server = await asyncio.start_server(self._connected, host, port)
        async with server:
            started(server.sockets[0].getsockname()[1])
            await stop.wait()
            server.close()
            await self._stop_all()

    def _tell_of_trouble(self, loop: asyncio.AbstractEventLoop, context: dict[str, Any]) -> None:
        """Say in a line what asyncio would log with a traceback for each connection, such as that no file is left."""
        words = f"{context.get('message')}: {context.get('exception')}"
        if words != self._last_trouble:
            self._last_trouble = words
            self.tell(words)

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
        self._stopping = True
        tasks = set(self._tasks)
        for task in tasks:
            task.cancel()
        if tasks:
            await asyncio.wait(tasks, timeout=_SECONDS_TO_STOP)

    async def _connected(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        task = asyncio.current_task()
        assert task is not None
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        if len(self._tasks) > _MOST_CONNECTIONS:
            writer.transport.abort()
            return
        deadline = asyncio.get_running_loop().time() + self.limits.first_line_seconds
        first = b""
        try:
            async with asyncio.timeout_at(deadline):
                while len(first) < _ENOUGH_TO_TELL and (more := await reader.read(_ENOUGH_TO_TELL - len(first))):
                    first += more
        except (OSError, TimeoutError):
            writer.transport.abort()
            return
        except asyncio.CancelledError:
            writer.transport.abort()
            raise
        if first.startswith(b"GET "):
            await self._record(WebSocketWire(reader, writer, first, self.origins), deadline)
        elif first:
            await self._record(StreamWire(reader, writer, first), deadline)
        else:
            writer.close()

    async def _record(self, transport: Transport, deadline: float | None = None) -> None:
        """Take one session from its first line to its end, however that comes; the first line has a deadline."""
        session, live = SessionWriter(self._place, self.token), Live()
        problem = ""
        try:
            async with asyncio.timeout_at(deadline) as first_line:
                await self._take_all(transport, session, live, lambda: first_line.reschedule(None))
        except TimeoutError:
            problem = f"expected a first line within {self.limits.first_line_seconds:g} s, found none"
        except (BadLine, Refused) as error:
            problem = str(error)
        except asyncio.CancelledError:
            problem = "" if session.path is None else "the listener was stopped"
        except OSError as error:
            problem = f"the connection broke: {error.strerror or error}"
        finally:
            if live in self.live:
                self.live.remove(live)
            with suppress(OSError):  # its frames are whole, and a trace without an end says so
                session.close()
            if session.path is None and not problem and not self._stopping:
                problem = "expected frame lines, found none"
            await self._end(session, transport, problem)

    async def _take_all(
        self, transport: Transport, session: SessionWriter, live: Live, begun: Callable[[], None]
    ) -> None:
        looked_at, most = -MEBIBYTE, self.limits.session_mib * MEBIBYTE
        async with aclosing(transport.lines()) as lines:
            async for line in lines:
                live.bytes += len(line) + 1
                if max(live.bytes, session.written) > most:
                    raise Refused(f"expected at most {self.limits.session_mib} MiB in a session, sent or written")
                if live.bytes + session.written - looked_at >= MEBIBYTE:
                    looked_at = live.bytes + session.written
                    self._look_at_the_disk()
                self._take(session, line)
                live.frames = session.frames
                if session.path is not None and live.name != session.path.name:
                    begun()
                    live.name = session.path.name
                    self.live.append(live)
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
        free = shutil.disk_usage(there).free // MEBIBYTE
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
        self.traces.append(session.path)
        if not self._stopping:
            await self._open(session.path)
            if self.on_trace is not None:
                await self.on_trace(session.path)

    async def _open(self, path: Path) -> None:
        """Turn a trace's journal into Parquet in a process of its own: the games of this one must not wait for it."""
        async with self._opening:
            try:
                process = await asyncio.create_subprocess_exec(
                    sys.executable, "-c", _OPEN, str(path), stdin=subprocess.DEVNULL, stderr=subprocess.PIPE
                )
            except OSError:
                return  # it is done when the trace is opened for the first time
            try:
                _, said = await process.communicate()
            except asyncio.CancelledError:
                with suppress(TimeoutError, asyncio.CancelledError):
                    async with asyncio.timeout(_SECONDS_TO_FINISH):
                        await process.wait()
                with suppress(ProcessLookupError):
                    process.kill()  # the journal is still there, and still the truth
                return
        if process.returncode:
            self.tell(
                f"{path.name} cannot be opened: {said.decode(errors='replace').strip() or 'its process was killed'}"
            )

    def _place(self, about: Mapping[str, Any]) -> Path:
        """Return a new folder in `out`, named after the session, whatever it calls itself.

        Raises:
            Refused: there are too many games already.
        """
        if len(self.live) >= self.limits.games:
            raise Refused(f"expected at most {self.limits.games} games at once; this one is refused")
        wanted = str(about.get("name") or about.get("game") or "session")
        name = re.sub(r"[^A-Za-z0-9_-]+", "-", wanted).strip("-")[:_LONGEST_NAME] or "session"
        numbers = iter(range(1, 1 << 30))
        return next(path for n in numbers if not (path := self.out / f"{name}-{n}.crumbs").exists())
