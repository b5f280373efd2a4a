"""Reading a journal, up to its last whole record."""

import json
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

from breadcrumb.errors import NotATrace, TraceTooNew
from breadcrumb.journal.layout import (
    ABOUT,
    BLOCK_HEAD,
    BY_COLUMN,
    CODES_HEAD,
    FORMAT_VERSION,
    FRAME,
    FRAME_HEAD,
    HAS_CODES,
    HAS_LIVES,
    HAS_NUMBERS,
    MAGIC,
    RECORD,
    SEAL,
    Column,
    Table,
    checksum,
)


class Block(NamedTuple):
    """What one frame says about one table; a part that is None is as on the frame before."""

    table: Table
    rows: int
    lives: memoryview | None
    numbers: memoryview | None
    by_column: bool
    codes: dict[str, memoryview]


class JournalFrame(NamedTuple):
    """One recorded frame."""

    frame: int
    t: float
    notes: list[Any]
    blocks: tuple[Block, ...]


class Journal(NamedTuple):
    """A journal read into memory."""

    about: dict[str, Any]
    """What the recorder was told about the session."""
    frames: list[JournalFrame]
    """Every whole frame."""
    seal: dict[str, Any] | None
    """What the recorder said at its end; None if the recording was cut after the last frame."""
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
    """
    content = memoryview(read)
    if bytes(content[: len(MAGIC)]) != MAGIC:
        found = bytes(content[: len(MAGIC)])
        raise NotATrace(f"{path}: expected a journal that starts with {MAGIC!r}, found {found!r}; is it another file?")
    records = _Records(content)
    head = next(records, None)
    if head is None or bytes(head[:1]) != ABOUT:
        raise NotATrace(f"{path}: the recording was cut before its first record was written; there is nothing in it")
    records.version, about = _about(path, head)
    tables: dict[int, Table] = {}
    frames: list[JournalFrame] = []
    seal: dict[str, Any] | None = None
    try:
        for body in records:
            if bytes(body[:1]) == FRAME:
                frames.append(_frame(body, tables))
            elif bytes(body[:1]) == SEAL:
                seal = json.loads(bytes(body[1:]))
                break
    except (struct.error, LookupError, TypeError, ValueError) as error:
        raise NotATrace(
            f"{path}: the record that ends at byte {records.position} has a right checksum but no right content "
            f"({type(error).__name__}: {error}); this was not written by a recorder"
        ) from None
    return Journal(about, frames, seal, len(content) - records.position)


class _Records(Iterator[memoryview]):
    """The bodies of the whole records, until one is short or fails its checksum."""

    def __init__(self, content: memoryview) -> None:
        self._content = content
        self.position = len(MAGIC)
        self.version = FORMAT_VERSION

    def __next__(self) -> memoryview:
        start = self.position + RECORD.size
        if start > len(self._content):
            raise StopIteration
        length, expected = RECORD.unpack_from(self._content, self.position)
        body = self._content[start : start + length]
        if length == 0 or len(body) < length or checksum([body], length, self.version) != expected:
            raise StopIteration
        self.position = start + length
        return body


def _about(path: str, body: memoryview) -> tuple[int, dict[str, Any]]:
    head = json.loads(bytes(body[1:]))
    if head["format"] > FORMAT_VERSION:
        raise TraceTooNew(
            f"{path}: written in format {head['format']}, and this version of breadcrumb reads up to {FORMAT_VERSION}; "
            "install a newer breadcrumb"
        )
    return head["format"], head["about"]


def _frame(body: memoryview, tables: dict[int, Table]) -> JournalFrame:
    number, t, words, count = FRAME_HEAD.unpack_from(body, 1)
    position = 1 + FRAME_HEAD.size
    notes: list[Any] = json.loads(bytes(body[position : position + words])) if words else []
    for note in notes:
        if note[0] == "table":
            columns = tuple(Column(name, type) for name, type in note[3])
            tables[note[1]] = Table(note[1], note[2], columns)
    position += words
    blocks = []
    for _ in range(count):
        block, position = _block(body, position, tables)
        blocks.append(block)
    return JournalFrame(number, t, notes, tuple(blocks))


def _block(body: memoryview, position: int, tables: dict[int, Table]) -> tuple[Block, int]:
    number, holds, rows = BLOCK_HEAD.unpack_from(body, position)
    position += BLOCK_HEAD.size
    table = tables[number]
    lives = numbers = None
    if holds & HAS_LIVES:
        lives, position = _take(body, position, 4 * rows)
    if holds & HAS_NUMBERS:
        numbers, position = _take(body, position, 8 * rows * len(table.numbers))
    codes = {}
    if holds & HAS_CODES:
        (changed,) = CODES_HEAD.unpack_from(body, position)
        position += CODES_HEAD.size
        for _ in range(changed):
            (place,) = CODES_HEAD.unpack_from(body, position)
            column = table.codes[place]
            width = 1 if column.type == "flag" else 4
            codes[column.name], position = _take(body, position + CODES_HEAD.size, width * rows)
    return Block(table, rows, lives, numbers, bool(holds & BY_COLUMN), codes), position


def _take(body: memoryview, position: int, size: int) -> tuple[memoryview, int]:
    part = body[position : position + size]
    if len(part) < size:
        raise ValueError(f"expected {size} bytes at byte {position} of the record, found {len(part)}")
    return part, position + size
