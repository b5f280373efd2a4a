import struct
import zlib
from pathlib import Path

import pytest

from breadcrumb.errors import NotATrace, TraceTooNew, TraceTooOld
from breadcrumb.journal.layout import BLOCK_HEAD, HAS_LIFETIMES, HAS_NUMBERS, MAGIC, RECORD, Column
from breadcrumb.journal.reading import read_journal
from breadcrumb.journal.records import EventRecord, TableRecord
from breadcrumb.journal.writing import JournalWriter

FRAMES = 5


@pytest.fixture
def journal(tmp_path: Path) -> Path:
    """A sealed journal of five frames."""
    path = tmp_path / "journal.bin"
    writer = JournalWriter(str(path), {"game": "Lantern Bay"})
    for frame in range(FRAMES):
        writer.write_frame(frame, frame / 60, [EventRecord("bell.rung", None, None, {"n": frame}, late=False)], [])
    writer.seal()
    return path


def _ends(content: bytes) -> list[int]:
    """Return where each record ends."""
    ends, at = [], len(MAGIC)
    while at < len(content):
        at += RECORD.size + RECORD.unpack_from(content, at)[0]
        ends.append(at)
    return ends


def test_a_cut_anywhere_loses_only_the_frame_that_was_cut(journal: Path) -> None:
    """Whatever byte a journal ends at, every frame written whole before it is read."""
    content = journal.read_bytes()
    ends = _ends(content)
    for cut in range(ends[0], len(content)):
        journal.write_bytes(content[:cut])
        read = read_journal(journal)
        assert len(read.frames) == min(sum(end <= cut for end in ends[1:]), FRAMES)
        assert read.seal is None
        assert [frame.records for frame in read.frames] == [
            (EventRecord("bell.rung", None, None, {"n": n}, late=False),) for n in range(len(read.frames))
        ]


def test_a_flipped_bit_ends_the_journal_before_the_damaged_frame(journal: Path) -> None:
    """A record whose checksum is wrong is not used, nor is what follows it."""
    content = bytearray(journal.read_bytes())
    content[_ends(bytes(content))[2] + RECORD.size + 3] ^= 4
    journal.write_bytes(content)
    read = read_journal(journal)
    assert len(read.frames) == 2
    assert read.lost_bytes > 0


def _record(body: bytes) -> bytes:
    return RECORD.pack(len(body), zlib.crc32(body)) + body


BAD = {
    "another file": (b"PNG and so on", NotATrace, "starts with"),
    "empty": (b"", NotATrace, "starts with"),
    "cut in its first record": (MAGIC + b"\x09", NotATrace, "nothing in it"),
    "newer": (
        MAGIC + _record(b'A{"format": 99, "about": {}}'),
        TraceTooNew,
        "format 99.*reads format 3; install a newer",
    ),
    "older": (
        MAGIC + _record(b'A{"format": 2, "about": {}}'),
        TraceTooOld,
        "format 2.*reads format 3; record the session again",
    ),
    "lies": (
        MAGIC
        + _record(b'A{"format": 3, "about": {}}')
        + _record(b"F" + struct.pack("<qdIH", 0, 0.0, 9, 0) + b"[[nonsense"),
        NotATrace,
        "valid checksum but invalid content",
    ),
    "short block": (
        MAGIC
        + _record(b'A{"format": 3, "about": {}}')
        + _record(b"F" + struct.pack("<qdIH", 0, 0.0, 0, 1) + b"\0\0\1"),
        NotATrace,
        "valid checksum but invalid content",
    ),
}


@pytest.mark.parametrize("name", BAD)
def test_what_is_no_journal_is_refused_with_a_reason(tmp_path: Path, name: str) -> None:
    """A file that was not written by a recorder, or by a newer one, is refused in words."""
    content, error, words = BAD[name]
    path = tmp_path / "journal.bin"
    path.write_bytes(content)
    with pytest.raises(error, match=words):
        read_journal(path)


def test_any_byte_that_changed_ends_a_journal_of_large_frames(tmp_path: Path) -> None:
    """Every byte of a large frame is checksummed: one flipped bit in it is found, and so is a page of zeros."""
    path, rows = tmp_path / "journal.bin", 20_000
    writer = JournalWriter(str(path), {})
    for frame in range(3):
        notes = [TableRecord(0, "barrel", [Column("x", "", "number")])] if frame == 0 else []
        block = [BLOCK_HEAD.pack(0, HAS_LIFETIMES | HAS_NUMBERS, rows), b"\1\0\0\0" * rows, b"\1" * 8 * rows]
        writer.write_frame(frame, frame / 60, notes, [block])
    writer.seal()
    whole = path.read_bytes()
    assert len(read_journal(path).frames) == 3
    for page in (60, 70, 80, 90, 100, 110):
        flipped = bytes([whole[4096 * page + 7] ^ 1])
        for damaged, size in ((bytes(4096), 4096), (flipped, 1)):
            at = 4096 * page + (7 if size == 1 else 0)
            path.write_bytes(whole[:at] + damaged + whole[at + size :])
            assert len(read_journal(path).frames) == 1


UNTYPED = {
    "an unknown type": '["wibble", 1]',
    "a text for a number": '["leave", "3"]',
    "a field too few": '["appear", 0, "heron", "skiff"]',
    "a column that is none": '["table", 0, "barrel", [["x", "", 3]]]',
}


@pytest.mark.parametrize("name", UNTYPED)
def test_a_record_of_another_type_is_refused(tmp_path: Path, name: str) -> None:
    """Each record has its fields, each of its type; anything else under a right checksum was not written by a recorder."""
    words = f"[{UNTYPED[name]}]".encode()
    frame = b"F" + struct.pack("<qdIH", 0, 0.0, len(words), 0) + words
    (tmp_path / "journal.bin").write_bytes(MAGIC + _record(b'A{"format": 3, "about": {}}') + _record(frame))
    with pytest.raises(NotATrace, match="valid checksum but invalid content"):
        read_journal(tmp_path / "journal.bin")
