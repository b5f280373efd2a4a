"""Writing a journal: each record reaches the kernel in one call, and the disk within a second."""

import contextlib
import errno
import json
import os
import threading
from collections.abc import Callable, Sequence
from typing import Any, TypeAlias

from breadcrumb.journal.layout import (
    ABOUT,
    FORMAT_VERSION,
    FRAME,
    FRAME_HEAD,
    LARGE,
    MAGIC,
    RECORD,
    RESERVE,
    RESERVE_SIZE,
    SEAL,
    checksum,
)
from breadcrumb.journal.lock import lock_file
from breadcrumb.journal.processes import generation
from breadcrumb.journal.records import FactRecord, Record, plain

MEBIBYTE = 1 << 20
_SYNC_SECONDS = 1.0
_MOST_PARTS = 1024  # what every system takes in one call
_CLOSED = -1
_WRITING = os.O_WRONLY | getattr(os, "O_BINARY", 0)
_writev: Callable[[int, list[bytes]], int] | None = getattr(os, "writev", None)
_sync: Callable[[int], None] = getattr(os, "fdatasync", os.fsync)


Block: TypeAlias = list[bytes]
"""A packed block in parts, so that large ones need not be copied together before they are written."""


class JournalWriter:
    """An open journal.

    Example:
        >>> import tempfile
        >>> from pathlib import Path
        >>> from breadcrumb.journal.reading import read_journal
        >>> from breadcrumb.journal.records import AppearRecord
        >>> path = Path(tempfile.mkdtemp()) / "journal.bin"
        >>> writer = JournalWriter(str(path), {"game": "Lantern Bay"})
        >>> writer.write_frame(0, 0.0, [AppearRecord(0, "heron", "skiff", seen=True)], [])
        >>> writer.seal()
        >>> read_journal(path).frames[0].records
        (AppearRecord(lifetime=0, id='heron', kind='skiff', seen=True),)
    """

    def __init__(self, path: str, about: dict[str, Any], most_mib: float | None = None) -> None:
        self._path, self._most_mib = path, most_mib
        self._file = os.open(path, os.O_CREAT | os.O_EXCL | os.O_APPEND | _WRITING, 0o644)
        lock_file(self._file)
        self._frames = 0
        self._process = generation()
        self._closing = threading.Event()
        _write_all(self._file, MAGIC)
        self._size = self._due = len(MAGIC)
        self._write([ABOUT + _json({"format": FORMAT_VERSION, "about": about})])
        self._reserve = self._size
        self._write([RESERVE.ljust(RESERVE_SIZE)])
        self._syncer = threading.Thread(target=self._sync_now_and_then, name="breadcrumb-sync", daemon=True)
        self._syncer.start()

    def write_frame(self, frame: int, t: float, records: Sequence[Record], blocks: list[Block]) -> None:
        """Append one frame in one write; `blocks` holds the packed blocks of the tables that changed, each in parts.

        Raises:
            OSError: the disk is full or gone, or the journal as large as it may be. What was half written is taken
                back; nothing more can be recorded.
            ValueError: the journal is closed, or is another process's.
        """
        words = _json(list(map(plain, records))) if records else b""
        parts = [FRAME + FRAME_HEAD.pack(frame, t, len(words), len(blocks)) + words]
        for block in blocks:
            parts += block
        if self._most_mib is not None and self._size + sum(map(len, parts)) > self._most_mib * MEBIBYTE:
            raise OSError(errno.EFBIG, f"the limit of {self._most_mib:g} MiB is reached")
        self._write(parts)
        self._frames += 1

    def seal(self, records: Sequence[Record] = (), facts: Sequence[FactRecord] = ()) -> None:
        """Mark the journal as complete, and close it.

        On a full disk the last fact alone is kept, which says why the recording stopped.

        Args:
            records: what happened behind the last frame.
            facts: all facts of the recording, with their counts.

        Raises:
            OSError: not all of it could be written.
        """
        try:
            try:
                self._write([SEAL + self._end(records, facts)])
            except OSError:
                self._write_into_reserve(RESERVE + self._end((), facts[-1:]))
                raise
            finally:
                os.fsync(self._file)
        finally:
            self.abandon()

    def abandon(self) -> None:
        """Close the journal without the mark of completeness: the trace will say that it was cut."""
        if self._file < 0:
            return
        if self._is_ours:  # a process that was forked off has no thread to wait for
            self._closing.set()
            self._syncer.join()
        file, self._file = self._file, _CLOSED
        os.close(file)

    def settle(self) -> int:
        """Return how many bytes are written, after an interrupt: a record that is not whole is taken back."""
        actual = os.fstat(self._file).st_size
        if actual == self._due:
            self._size = self._due
        elif actual > self._size:
            os.ftruncate(self._file, self._size)
        self._due = self._size
        return self._size

    @property
    def size(self) -> int:
        """How many bytes are written."""
        return self._size

    @property
    def _is_ours(self) -> bool:
        return generation() == self._process

    def _write(self, parts: Block) -> None:
        if self._file < 0 or not self._is_ours:
            raise ValueError("the journal is closed" if self._file < 0 else "the journal is another process's")
        size = sum(map(len, parts))
        self._due = self._size + RECORD.size + size
        record = [RECORD.pack(size, checksum(parts)), *parts]
        try:
            if size > LARGE and _writev is not None and len(record) <= _MOST_PARTS:
                written = _writev(self._file, record)
            else:  # copying the parts together is quicker than handing them over one by one
                written = os.write(self._file, b"".join(record))
            if written < RECORD.size + size:
                _write_all(self._file, b"".join(record), written)
        except OSError:
            os.ftruncate(self._file, self._size)
            raise
        self._size = self._due

    def _end(self, records: Sequence[Record], facts: Sequence[FactRecord]) -> bytes:
        return _json({"frames": self._frames, "records": list(map(plain, records)), "facts": list(map(plain, facts))})

    def _write_into_reserve(self, body: bytes) -> None:
        """Overwrite the reserve, which takes no more space; a file that is appended to is opened anew for it."""
        if len(body) > RESERVE_SIZE:
            return
        body = body.ljust(RESERVE_SIZE)
        file = os.open(self._path, _WRITING)
        try:
            os.lseek(file, self._reserve, os.SEEK_SET)
            _write_all(file, RECORD.pack(len(body), checksum([body])) + body)
            os.fsync(file)
        finally:
            os.close(file)

    def _sync_now_and_then(self) -> None:
        while not self._closing.wait(_SYNC_SECONDS):
            with contextlib.suppress(OSError):  # the writing side meets the same error and reports it
                _sync(self._file)


def _write_all(file: int, content: bytes, written: int = 0) -> None:
    """Write what is not written yet: only a nearly full disk takes less than it is given."""
    while written < len(content):
        written += os.write(file, content[written:])


def _json(value: Any) -> bytes:
    return json.dumps(value, ensure_ascii=False, separators=(",", ":")).encode()
