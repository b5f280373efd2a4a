import struct
import zlib
from pathlib import Path

import pytest

from breadcrumb.errors import NotATrace, TraceTooNew, TraceTooOld
from breadcrumb.journal.layout import BLOCK_HEAD, HAS_LIFETIMES, HAS_NUMBERS, MAGIC, RECORD, Column
from breadcrumb.journal.reading import Loss, read_journal
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
    """Return where the description ends, with the reserve behind it, and each record behind these."""
    ends, at = [], len(MAGIC)
    while at < len(content):
        at += RECORD.size + RECORD.unpack_from(content, at)[0]
        ends.append(at)
    return ends[1:]


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


def test_a_flipped_bit_anywhere_costs_the_frame_that_it_is_in(journal: Path) -> None:
    """Whatever byte of a journal changes, every other frame is read, and the loss is said."""
    whole = journal.read_bytes()
    ends = _ends(whole)
    for at in range(len(whole)):
        journal.write_bytes(whole[:at] + bytes([whole[at] ^ 4]) + whole[at + 1 :])
        read = read_journal(journal)
        hit = sum(end <= at for end in ends)  # 0: the description; then the frames; then the end
        survivors = [frame for frame in range(FRAMES) if frame != hit - 1]
        assert [frame.frame for frame in read.frames] == survivors
        assert [frame.records[0] for frame in read.frames] == [
            EventRecord("bell.rung", None, None, {"n": n}, late=False) for n in survivors
        ]
        assert [frame.frame for frame in read.frames if frame.after_loss] == [
            one for one in survivors[:1] if hit == 0
        ] + [hit for _ in (1,) if 0 < hit < FRAMES]
        if hit == 0:
            assert read.losses == (Loss(None, 0),)
        elif hit < FRAMES:
            assert read.losses == (Loss(None if hit == 1 else hit - 2, hit),)
        elif hit == FRAMES:
            assert read.losses == (Loss(FRAMES - 2, None),)
        else:
            assert read.seal is None


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
}


@pytest.mark.parametrize("name", BAD)
def test_what_is_no_journal_is_refused_with_a_reason(tmp_path: Path, name: str) -> None:
    """A file that was not written by a recorder, or by a newer one, is refused in words."""
    content, error, words = BAD[name]
    path = tmp_path / "journal.bin"
    path.write_bytes(content)
    with pytest.raises(error, match=words):
        read_journal(path)


def test_any_byte_that_changed_is_found_in_large_frames(tmp_path: Path) -> None:
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
            read = read_journal(path)
            assert [frame.frame for frame in read.frames] == [0, 2]
            assert read.losses == (Loss(0, 2),)


WRONG = {
    "an unknown type": b'[["wibble", 1]]',
    "a text for a number": b'[["leave", "3"]]',
    "a field too few": b'[["appear", 0, "heron", "skiff"]]',
    "a column that is none": b'[["table", 0, "barrel", [["x", "", 3]]]]',
    "nobody": b'[["alive", [0, "heron"]]]',
    "no JSON": b"[[nonsense",
    "deep brackets": b"[" * 100_000,
}


@pytest.mark.parametrize("name", WRONG)
def test_a_frame_whose_content_is_wrong_is_lost_alone(tmp_path: Path, name: str) -> None:
    """Each record has its fields, each of its type; a frame with another one under a right checksum is told as lost."""

    def frame(number: int, words: bytes) -> bytes:
        return _record(b"F" + struct.pack("<qdIH", number, 0.0, len(words), 0) + words)

    head = MAGIC + _record(b'A{"format": 3, "about": {}}')
    (tmp_path / "journal.bin").write_bytes(head + frame(0, b"") + frame(1, WRONG[name]) + frame(2, b""))
    read = read_journal(tmp_path / "journal.bin")
    assert [frame.frame for frame in read.frames] == [0, 2]
    assert read.losses == (Loss(0, 2),)
