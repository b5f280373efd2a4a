"""Reading a journal, up to its last whole record."""

import json
import struct
from collections.abc import Iterator
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


class Seal(NamedTuple):
    """The end of a whole recording."""

    records: tuple[Record, ...]
    """What happened behind the last frame."""
    facts: tuple[FactRecord, ...]
    """All facts of the recording, with their counts."""


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


def read_journal(path: Path) -> Journal:
    """Read every whole record of a journal file; see `parse_journal`."""
    return parse_journal(path.read_bytes(), str(path))


def parse_journal(read: bytes, path: str) -> Journal:
    """Take apart every whole record of a journal that was read from this path.

    Raises:
        NotATrace: the file does not start as a journal does.
        TraceTooNew: its format is newer than this version of the library.
        TraceTooOld: its format is older than those that this version reads.
    """
    content = memoryview(read)
    if bytes(content[: len(MAGIC)]) != MAGIC:
        found = bytes(content[: len(MAGIC)])
        raise NotATrace(f"{path}: expected a journal that starts with {MAGIC!r}, found {found!r}; is it another file?")
    records = _Records(content)
    head = next(records, None)
    if head is None or bytes(head[:1]) != ABOUT:
        raise NotATrace(f"{path}: the recording was cut before its first record was written; there is nothing in it")
    about = _about(path, head)
    tables: dict[int, Table] = {}
    frames: list[JournalFrame] = []
    seal: Seal | None = None
    try:
        for body in records:
            if bytes(body[:1]) == FRAME:
                frames.append(_frame(body, tables))
            elif bytes(body[:1]) == SEAL:
                seal = _seal(body)
                break
    except (struct.error, LookupError, TypeError, ValueError) as error:
        raise NotATrace(
            f"{path}: the record that ends at byte {records.position} has a valid checksum but invalid content "
            f"({type(error).__name__}: {error}); this was not written by a recorder"
        ) from None
    return Journal(about, frames, seal, len(content) - records.position)


class _Records(Iterator[memoryview]):
    """The bodies of the whole records, until one is short or fails its checksum."""

    def __init__(self, content: memoryview) -> None:
        self._content = content
        self.position = len(MAGIC)

    def __next__(self) -> memoryview:
        start = self.position + RECORD.size
        if start > len(self._content):
            raise StopIteration
        length, expected = RECORD.unpack_from(self._content, self.position)
        body = self._content[start : start + length]
        if length == 0 or len(body) < length or checksum([body]) != expected:
            raise StopIteration
        self.position = start + length
        return body


def _about(path: str, body: memoryview) -> dict[str, Any]:
    head = json.loads(bytes(body[1:]))
    refuse_other_formats(path, head["format"], FORMAT_VERSION)
    about: dict[str, Any] = head["about"]
    return about


def _frame(body: memoryview, tables: dict[int, Table]) -> JournalFrame:
    number, t, words, count = FRAME_HEAD.unpack_from(body, 1)
    position = 1 + FRAME_HEAD.size
    records = _records(json.loads(bytes(body[position : position + words]))) if words else ()
    for record in records:
        if isinstance(record, TableRecord):
            tables[record.number] = Table(record.number, record.kind, columns_of(record))
    position += words
    blocks = []
    for _ in range(count):
        block, position = _block(body, position, tables)
        blocks.append(block)
    return JournalFrame(number, t, records, tuple(blocks))


def _seal(body: memoryview) -> Seal:
    said = json.loads(bytes(body[1:]))
    facts = tuple(record for record in _records(said["facts"]) if isinstance(record, FactRecord))
    return Seal(_records(said["records"]), facts)


def _records(content: list[Any]) -> tuple[Record, ...]:
    return tuple(map(record_of, content))


def _block(body: memoryview, position: int, tables: dict[int, Table]) -> tuple[Block, int]:
    number, holds, rows = BLOCK_HEAD.unpack_from(body, position)
    position += BLOCK_HEAD.size
    table = tables[number]
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
