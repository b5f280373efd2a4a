"""Where frame lines come from: a connection, a WebSocket, a pipe, or a file that is being written."""

import asyncio
import os
import stat
import threading
from collections.abc import AsyncGenerator
from pathlib import Path
from typing import Protocol

from websockets.exceptions import WebSocketException
from websockets.frames import Frame as Part
from websockets.frames import Opcode
from websockets.http11 import Request
from websockets.server import ServerProtocol

from breadcrumb.listen.lines import LONGEST_LINE

_CHUNK = 1 << 16
_CARRY_TEXT = (Opcode.TEXT, Opcode.BINARY, Opcode.CONT)
_LOOK_AGAIN_SECONDS = 0.1
_MOST_WAITING = 64  # chunks that were read from a pipe and not yet taken


_SECONDS_TO_READ = 10.0
"""How long a game may leave what it is sent unread, before the listener hangs up."""


class Refused(Exception):
    """What a source sends is not taken; the message says why."""


class Transport(Protocol):
    """A source of lines that can be answered."""

    def lines(self) -> AsyncGenerator[bytes, None]:
        """Yield one line after the other, until there are no more."""

    async def answer(self, words: bytes) -> None:
        """Tell the game how its session ended, if it can be told, and hang up."""


class StreamWire:
    """A connection on which lines come as they are."""

    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, read: bytes) -> None:
        self._reader, self._writer, self._read = reader, writer, read

    async def lines(self) -> AsyncGenerator[bytes, None]:
        """Yield one line after the other, until the game hangs up."""
        async for line in _split(self._chunks()):
            yield line

    async def _chunks(self) -> AsyncGenerator[bytes, None]:
        yield self._read
        while chunk := await self._reader.read(_CHUNK):
            yield chunk

    async def answer(self, words: bytes) -> None:
        """Tell the game how its session ended, and hang up."""
        self._writer.write(words + b"\n")
        await _drained(self._writer)
        self._writer.close()


class WebSocketWire:
    """A connection that begins as a WebSocket does: each message holds one line or several.

    Args:
        reader: what the game sends.
        writer: what it is sent.
        read: what was read of it already.
        origins: web pages, by where they come from, that are heard besides those of this machine.
    """

    def __init__(
        self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, read: bytes, origins: frozenset[str]
    ) -> None:
        self._reader, self._writer, self._origins = reader, writer, origins
        self._protocol = ServerProtocol(max_size=LONGEST_LINE)
        self._protocol.receive_data(read)

    async def lines(self) -> AsyncGenerator[bytes, None]:
        """Yield the lines of one message after the other, until the game hangs up.

        Raises:
            Refused: the page is none of this machine, or what comes is no WebSocket.
        """
        message = b""
        while True:
            for event in self._protocol.events_received():
                if isinstance(event, Request):
                    self._shake_hands(event)
                elif isinstance(event, Part) and event.opcode in _CARRY_TEXT:
                    message += event.data
                    if event.fin:
                        for line in message.split(b"\n"):
                            yield line
                        message = b""
            await self._flush()
            if self._protocol.close_expected():
                problem = self._protocol.handshake_exc or self._protocol.parser_exc
                if problem is not None:
                    raise Refused(f"expected a WebSocket, found something else ({problem})")
                return
            chunk = await self._reader.read(_CHUNK)
            if chunk:
                self._protocol.receive_data(chunk)
            else:
                self._protocol.receive_eof()
                return

    async def answer(self, words: bytes) -> None:
        """Tell the game how its session ended, and hang up."""
        try:
            self._protocol.send_text(words)
            self._protocol.send_close(1000)
        except WebSocketException:
            pass  # the handshake failed, or the game has said goodbye already
        await self._flush()
        self._writer.close()

    def _shake_hands(self, request: Request) -> None:
        origin = request.headers.get("Origin")
        if origin is None or origin in self._origins or _is_of_this_machine(origin):
            response = self._protocol.accept(request)
        else:
            response = self._protocol.reject(403, f"Pages from {origin} are not accepted; see --allow-origin.\n")
        self._protocol.send_response(response)

    async def _flush(self) -> None:
        for data in self._protocol.data_to_send():
            if data:
                self._writer.write(data)
        await _drained(self._writer)


class PipeWire:
    """A pipe, such as the standard input; read in a thread, so that whatever the pipe is, nothing waits for it."""

    def __init__(self, number: int) -> None:
        self._number = number

    async def lines(self) -> AsyncGenerator[bytes, None]:
        """Yield one line after the other, until the pipe is closed."""
        chunks: asyncio.Queue[bytes] = asyncio.Queue(_MOST_WAITING)
        loop = asyncio.get_running_loop()

        def read() -> None:
            chunk = b"anything"
            while chunk:
                chunk = os.read(self._number, _CHUNK)
                asyncio.run_coroutine_threadsafe(chunks.put(chunk), loop).result()

        threading.Thread(target=read, name="breadcrumb-pipe", daemon=True).start()

        async def taken() -> AsyncGenerator[bytes, None]:
            while chunk := await chunks.get():
                yield chunk

        async for line in _split(taken()):
            yield line

    async def answer(self, words: bytes) -> None:
        """Do nothing: a pipe goes one way."""


async def _drained(writer: asyncio.StreamWriter) -> None:
    """Wait until the game has read enough of what it is sent.

    Raises:
        Refused: it does not read.
    """
    try:
        async with asyncio.timeout(_SECONDS_TO_READ):
            await writer.drain()
    except TimeoutError:
        writer.transport.abort()
        raise Refused(f"the game did not read what it was sent for {_SECONDS_TO_READ:g} s") from None


class FileWire:
    """A file that a game writes; followed until the session ends, also if it is not there yet."""

    def __init__(self, path: Path) -> None:
        self._path = path

    async def lines(self) -> AsyncGenerator[bytes, None]:
        """Yield one line after the other as they are written; a line that is not whole yet is waited for.

        Raises:
            Refused: the file became shorter.
        """
        async for line in _split(self._chunks()):
            yield line

    async def _chunks(self) -> AsyncGenerator[bytes, None]:
        while not self._path.exists():
            await asyncio.sleep(_LOOK_AGAIN_SECONDS)
        taken = 0
        number = os.open(self._path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
        is_file = stat.S_ISREG(os.fstat(number).st_mode)
        with os.fdopen(number, "rb", buffering=0) as file:
            while True:
                chunk = file.read(_CHUNK)  # of a pipe that has a writer, None says that there is nothing yet
                taken += len(chunk or b"")
                if chunk:
                    yield chunk
                    await asyncio.sleep(0)
                elif not is_file and taken and chunk == b"":
                    return  # whoever wrote into the pipe has closed it
                elif is_file and os.fstat(number).st_size < taken:
                    raise Refused("the file became shorter while it was followed; let each session have its own")
                else:
                    await asyncio.sleep(_LOOK_AGAIN_SECONDS)

    async def answer(self, words: bytes) -> None:
        """Do nothing: nobody reads an answer."""


async def _split(chunks: AsyncGenerator[bytes, None]) -> AsyncGenerator[bytes, None]:
    """Yield the lines that chunks hold, each without its end; one that never ends is an error."""
    parts: list[bytes] = []
    waiting = 0
    async for chunk in chunks:
        *whole, rest = chunk.split(b"\n")
        for line in whole:
            yield b"".join((*parts, line))
            parts, waiting = [], 0
        parts.append(rest)
        waiting += len(rest)
        if waiting > LONGEST_LINE:
            raise Refused(f"expected lines of at most {LONGEST_LINE} bytes, found a longer one")
    if waiting:
        yield b"".join(parts)


def _is_of_this_machine(origin: str) -> bool:
    scheme, _, rest = origin.partition("://")
    host = rest.partition("/")[0]
    name = host if host.startswith("[") else host.partition(":")[0]
    return scheme == "file" or name in ("localhost", "127.0.0.1") or name.startswith("[::1]")
