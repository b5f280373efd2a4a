"""Reading a journal, up to its last whole record."""

import json
import math
import re
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from mmap import mmap
from pathlib import Path
from typing import Any, NamedTuple

from breadcrumb.errors import NotATrace, refuse_other_formats
from breadcrumb.journal.layout import (
    ABOUT,
    BLOCK_HEAD,
    BY_COLUMN,
    CODES_HEAD,
    FORMAT_VERSION,
    FRAME,
    FRAME_HEAD,
    HAS_CODES,
    HAS_LIFETIMES,
    HAS_NUMBERS,
    MAGIC,
    RECORD,
    RESERVE,
    SEAL,
    Column,
    checksum,
)
from breadcrumb.journal.records import FactRecord, Record, TableRecord, columns_of, record_of

_FIRST_BYTE = re.compile(b"[AFRS]")
_LENGTH = struct.Struct("<I")
_CHECKED_AT_MOST = 16
"""How many times its size may be read while records are looked for, so that a hostile file takes no longer."""


@dataclass(frozen=True)
class Table:
    """The layout of the rows of some objects of one kind."""

    number: int
    """How blocks refer to it."""
    kind: str
    """The kind of the objects."""
    columns: tuple[Column, ...]
    """Numbers come first, in the order of the packed floats."""

    @cached_property
    def numbers(self) -> tuple[Column, ...]:
        """The columns packed as floats."""
        return tuple(column for column in self.columns if column.type == "number")

    @cached_property
    def codes(self) -> tuple[Column, ...]:
        """The flag and text columns, each stored whole."""
        return tuple(column for column in self.columns if column.type != "number")


class Block(NamedTuple):
    """What one frame says about one table; a part is None if it is as on the frame before."""

    table: Table
    rows: int
    lifetimes: memoryview | None
    numbers: memoryview | None
    by_column: bool
    codes: dict[int, memoryview]
    """The columns of flags and texts that changed, by their index among these."""


class JournalFrame(NamedTuple):
    """One recorded frame."""

    frame: int
    t: float
    records: tuple[Record, ...]
    """What happened, in order."""
    blocks: tuple[Block, ...]
    after_loss: bool = False
    """Whether something is lost right before it, so that only what it says itself is known."""


class Seal(NamedTuple):
    """The end of a whole recording."""

    records: tuple[Record, ...]
    """What happened behind the last frame."""
    facts: tuple[FactRecord, ...]
    """All facts of the recording, with their counts."""


class Loss(NamedTuple):
    """A damaged part of a journal: whole records lie behind it."""

    after: int | None
    """The last frame before it; None if there is none."""
    before: int | None
    """The first frame behind it; None if there is none."""


class Journal(NamedTuple):
    """A journal read into memory."""

    about: dict[str, Any]
    """What the recorder was told about the session."""
    frames: list[JournalFrame]
    """Every whole frame."""
    seal: Seal | None
    """What was said at its end; None if the recording was cut after the last frame."""
    lost_bytes: int
    """Bytes behind the last whole record."""
    losses: tuple[Loss, ...] = ()
    """What is damaged."""


def read_journal(path: Path) -> Journal:
    """Read every whole record of a journal file; see `parse_journal`."""
    return parse_journal(path.read_bytes(), str(path))


def parse_journal(read: bytes, path: str) -> Journal:
    """Take apart every whole record of a journal that was read from this path; see `JournalReader`."""
    reader = JournalReader(read, path)
    frames = list(reader.frames)
    return Journal(reader.about, frames, reader.seal, reader.lost_bytes, reader.losses)


class JournalReader:
    """Takes a journal apart frame by frame, so that a long one need not be held as a whole.

    A record whose content is invalid is lost like one whose checksum is.

    Attributes:
        about: what the recorder was told about the session.
        seal: what was said at its end; None as long as `frames` was not read to its end, or if there is none.

    Raises:
        NotATrace: the file does not start as a journal does.
        TraceTooNew: its format is newer than this version of the library.
        TraceTooOld: its format is older than those that this version reads.
    """

    def __init__(self, read: bytes | mmap, path: str) -> None:
        self._content = memoryview(read)
        found = bytes(self._content[: len(MAGIC)])
        self._records = Records(self._content, len(MAGIC))
        self._head = next(self._records, None)
        begins = self._head is not None and bytes(self._head[:1]) == ABOUT
        if found != MAGIC and not begins:
            expected = f"expected a journal that starts with {MAGIC!r}"
            raise NotATrace(f"{path}: {expected}, found {found!r}; is it another file?")
        if self._head is None:
            raise NotATrace(
                f"{path}: the recording was cut before its first record was written; there is nothing in it"
            )
        self.about: dict[str, Any] = _about(path, self._head) if begins else {}
        self.seal: Seal | None = None
        self._reserve: Seal | None = None
        """What was written into the reserve, if the seal did not fit."""
        self.last: JournalFrame | None = None
        """The last frame so far."""
        self._tables: dict[int, Table] = {}
        self._losses: list[Loss] = []
        self._loses = found != MAGIC or not begins

    @property
    def frames(self) -> Iterator[JournalFrame]:
        """Every whole frame, once."""
        if self._head is not None and bytes(self._head[:1]) != ABOUT:
            frame = self._frame_of(self._head)
            if frame is not None:
                yield frame
        for body in self._records:
            self._loses |= self._records.skipped > 0
            frame = self._frame_of(body)
            if frame is not None:
                yield frame
            elif self.seal is not None:
                return
        self.seal = self._reserve

    @property
    def lost_bytes(self) -> int:
        """The bytes behind the last whole record."""
        return len(self._content) - self._records.position

    @property
    def losses(self) -> tuple[Loss, ...]:
        """All that is damaged."""
        return (*self._losses, *([Loss(self._last_number, None)] if self._loses else []))

    @property
    def _last_number(self) -> int | None:
        return None if self.last is None else self.last.frame

    def _frame_of(self, body: memoryview) -> JournalFrame | None:
        """Take apart one more record; return the frame, if it is one."""
        try:
            sort = bytes(body[:1])
            if sort == FRAME:
                return self._in_order(_frame(body, self._tables))
            if sort == SEAL:
                self.seal = _seal(body)
            elif sort == RESERVE:
                self._reserve = _seal(body) if bytes(body[1:]).strip() else None
        except (struct.error, LookupError, TypeError, ValueError, RecursionError):
            self._loses = True
        return None

    def _in_order(self, frame: JournalFrame) -> JournalFrame:
        last = self.last
        if not math.isfinite(frame.t) or (last is not None and not (frame.frame > last.frame and frame.t >= last.t)):
            raise ValueError(f"frame {frame.frame} at {frame.t} s does not come after the frame before it")
        if self._loses or (frame.after_loss and not self._losses):
            self._losses.append(Loss(self._last_number, frame.frame))
            frame, self._loses = frame._replace(after_loss=True), False
        self.last = frame
        return frame


class Records(Iterator[memoryview]):
    """The bodies of the whole records; behind damaged bytes it goes on with the next record whose checksum is right.

    Attributes:
        position: where the last whole record ends.
        skipped: how many damaged bytes were passed over to get to the last record.
    """

    def __init__(self, content: memoryview, position: int) -> None:
        self._content, self.position, self.skipped = content, position, 0
        self._budget = _CHECKED_AT_MOST * len(content)

    def __next__(self) -> memoryview:
        begin = self.position
        body = self._body_at(begin)
        if body is None:
            begin, body = self._next_whole(begin)
        self.skipped = begin - self.position
        self.position = begin + RECORD.size + len(body)
        return body

    def _body_at(self, position: int) -> memoryview | None:
        start = position + RECORD.size
        if start > len(self._content):
            return None
        length, expected = RECORD.unpack_from(self._content, position)
        body = self._content[start : start + length]
        if length == 0 or len(body) < length or checksum((body,)) != expected:
            return None
        return body

    def _next_whole(self, position: int) -> tuple[int, memoryview]:
        """Look for a record by its first byte and its checksum.

        Raises:
            StopIteration: there is none.
        """
        for match in _FIRST_BYTE.finditer(self._content, position + RECORD.size + 1):
            begin = match.start() - RECORD.size
            (length,) = _LENGTH.unpack_from(self._content, begin)
            if not 0 < length <= len(self._content) - match.start():
                continue
            self._budget -= length
            if self._budget < 0:
                break
            body = self._body_at(begin)
            if body is not None:
                return begin, body
        raise StopIteration


def _about(path: str, body: memoryview) -> dict[str, Any]:
    head = json.loads(bytes(body[1:]))
    refuse_other_formats(path, head["format"], FORMAT_VERSION)
    about: dict[str, Any] = dict(head["about"])
    return about


def _frame(body: memoryview, tables: dict[int, Table]) -> JournalFrame:
    number, t, words, count = FRAME_HEAD.unpack_from(body, 1)
    position = 1 + FRAME_HEAD.size
    records = _records(json.loads(bytes(body[position : position + words]))) if words else ()
    for record in records:
        if isinstance(record, TableRecord):
            tables[record.number] = Table(record.number, record.kind, columns_of(record))
    position += words
    blocks: list[Block] = []
    for _ in range(count):
        table_number, holds, rows = BLOCK_HEAD.unpack_from(body, position)
        table = tables.get(table_number)
        if table is None:  # its layout is lost: how long this block is cannot be told, nor where the next one begins
            return JournalFrame(number, t, records, tuple(blocks), after_loss=True)
        block, position = _block(body, position + BLOCK_HEAD.size, table, holds, rows)
        blocks.append(block)
    return JournalFrame(number, t, records, tuple(blocks))


def _seal(body: memoryview) -> Seal:
    said = json.loads(bytes(body[1:]))
    facts = tuple(record for record in _records(said["facts"]) if isinstance(record, FactRecord))
    return Seal(_records(said["records"]), facts)


def _records(content: list[Any]) -> tuple[Record, ...]:
    return tuple(map(record_of, content))


def _block(body: memoryview, position: int, table: Table, holds: int, rows: int) -> tuple[Block, int]:
    """Take apart what stands behind a block's head; return it, and where the next one begins."""
    lifetimes = numbers = None
    if holds & HAS_LIFETIMES:
        lifetimes, position = _take(body, position, 4 * rows)
    if holds & HAS_NUMBERS:
        numbers, position = _take(body, position, 8 * rows * len(table.numbers))
    codes: dict[int, memoryview] = {}
    if holds & HAS_CODES:
        (changed,) = CODES_HEAD.unpack_from(body, position)
        position += CODES_HEAD.size
        for _ in range(changed):
            (index,) = CODES_HEAD.unpack_from(body, position)
            column = table.codes[index]
            width = 1 if column.type == "flag" else 4
            codes[index], position = _take(body, position + CODES_HEAD.size, width * rows)
    return Block(table, rows, lifetimes, numbers, bool(holds & BY_COLUMN), codes), position


def _take(body: memoryview, position: int, size: int) -> tuple[memoryview, int]:
    part = body[position : position + size]
    if len(part) < size:
        raise ValueError(f"expected {size} bytes at byte {position} of the record, found {len(part)}")
    return part, position + size
