"""Reading a journal, up to its last whole record."""

import json
import math
import re
import struct
from collections.abc import Iterator
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
    SEAL,
    Table,
    checksum,
)
from breadcrumb.journal.records import FactRecord, Record, TableRecord, columns_of, record_of

_FIRST_BYTE = re.compile(b"[AFS]")
_LENGTH = struct.Struct("<I")
_CHECKED_AT_MOST = 16
"""How many times its size may be read while records are looked for, so that a hostile file takes no longer."""


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


def parse_journal(read: bytes | mmap, path: str) -> Journal:
    """Take apart every whole record of a journal that was read from this path.

    Raises:
        NotATrace: the file does not start as a journal does.
        TraceTooNew: its format is newer than this version of the library.
        TraceTooOld: its format is older than those that this version reads.
    """
    content = memoryview(read)
    found = bytes(content[: len(MAGIC)])
    records = Records(content, len(MAGIC))
    head = next(records, None)
    if found != MAGIC and (head is None or bytes(head[:1]) != ABOUT):
        raise NotATrace(f"{path}: expected a journal that starts with {MAGIC!r}, found {found!r}; is it another file?")
    if head is None:
        raise NotATrace(f"{path}: the recording was cut before its first record was written; there is nothing in it")
    parsing = _Parsing()
    if found != MAGIC or bytes(head[:1]) != ABOUT:
        parsing.lose()
    about = {}
    if bytes(head[:1]) == ABOUT:
        about = _about(path, head)
    else:
        parsing.take(head)
    for body in records:
        if records.skipped:
            parsing.lose()
        parsing.take(body)
        if parsing.seal is not None:
            break
    return Journal(about, parsing.frames, parsing.seal, len(content) - records.position, parsing.losses)


class _Parsing:
    """What was taken apart so far; a record whose content is invalid is lost like one whose checksum is."""

    def __init__(self) -> None:
        self.frames: list[JournalFrame] = []
        self.seal: Seal | None = None
        self._tables: dict[int, Table] = {}
        self._lost_after: list[int | None] = []
        self._losses: list[Loss] = []
        self._loses = False

    def lose(self) -> None:
        """Note that something is lost behind the last record."""
        self._loses = True

    def take(self, body: memoryview) -> None:
        """Take apart one more record."""
        try:
            if bytes(body[:1]) == FRAME:
                self._frame(_frame(body, self._tables))
            elif bytes(body[:1]) == SEAL:
                self.seal = _seal(body)
        except (struct.error, LookupError, TypeError, ValueError, RecursionError):
            self._loses = True

    def _frame(self, frame: JournalFrame) -> None:
        last = self.frames[-1] if self.frames else None
        if not math.isfinite(frame.t) or (last is not None and not (frame.frame > last.frame and frame.t >= last.t)):
            raise ValueError(f"frame {frame.frame} at {frame.t} s does not come after the frame before it")
        if self._loses or (frame.after_loss and not self._losses):
            self._losses.append(Loss(None if last is None else last.frame, frame.frame))
            frame, self._loses = frame._replace(after_loss=True), False
        self.frames.append(frame)

    @property
    def losses(self) -> tuple[Loss, ...]:
        """All that is damaged."""
        end = [Loss(self.frames[-1].frame if self.frames else None, None)] if self._loses else []
        return (*self._losses, *end)


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
        if length == 0 or len(body) < length or checksum([body]) != expected:
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
        table = tables.get(BLOCK_HEAD.unpack_from(body, position)[0])
        if table is None:  # its layout is lost: how long this block is cannot be told, nor where the next one begins
            return JournalFrame(number, t, records, tuple(blocks), after_loss=True)
        block, position = _block(body, position, table)
        blocks.append(block)
    return JournalFrame(number, t, records, tuple(blocks))


def _seal(body: memoryview) -> Seal:
    said = json.loads(bytes(body[1:]))
    facts = tuple(record for record in _records(said["facts"]) if isinstance(record, FactRecord))
    return Seal(_records(said["records"]), facts)


def _records(content: list[Any]) -> tuple[Record, ...]:
    return tuple(map(record_of, content))


def _block(body: memoryview, position: int, table: Table) -> tuple[Block, int]:
    _, holds, rows = BLOCK_HEAD.unpack_from(body, position)
    position += BLOCK_HEAD.size
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
