"""The journal's fixed parts: the numbers and structures that writer and reader share."""

import struct
import zlib
from collections.abc import Sequence
from typing import Final, Literal, NamedTuple, TypeAlias

MAGIC: Final = b"CRUMBS\r\n"
"""The first eight bytes; the line end shows a file that was mangled as text."""

FORMAT_VERSION: Final = 3
"""The version that is written and read; a journal of another one is refused with a message."""

FILE_NAME: Final = "journal.bin"
"""The journal's name inside the trace's folder."""

ABOUT_NAME: Final = "about.json"
"""The file that a trace's folder has instead, once it was opened."""

ABOUT: Final = b"A"
FRAME: Final = b"F"
RESERVE: Final = b"R"
SEAL: Final = b"S"

RESERVE_SIZE: Final = 1024
"""Bytes kept at the start of a journal: if the disk is full, the seal takes their place."""

RECORD: Final = struct.Struct("<II")
FRAME_HEAD: Final = struct.Struct("<qdIH")
BLOCK_HEAD: Final = struct.Struct("<HBI")
CODES_HEAD: Final = struct.Struct("<H")

LARGE: Final = 1 << 16
"""Records above this size are written without copying their parts together."""

HAS_LIFETIMES: Final = 1
HAS_NUMBERS: Final = 2
HAS_CODES: Final = 4
BY_COLUMN: Final = 8
"""The numbers come column by column, as games that hold arrays have them, not row by row."""

MISSING_BITS: Final = 0x7FF8_6372_756D_6273
MISSING: Final[float] = struct.unpack("<d", struct.pack("<Q", MISSING_BITS))[0]
"""A value the game could not or did not give; told from a recorded NaN by its bits alone."""

MISSING_FLAG: Final = 2
MISSING_TEXT: Final = 0xFFFF_FFFF


def checksum(parts: Sequence[bytes | memoryview]) -> int:
    """Return the CRC-32 of a record's body, given in parts: of every byte of it."""
    total = 0
    for part in parts:
        total = zlib.crc32(part, total)
    return total


ColumnType: TypeAlias = Literal["number", "flag", "text"]


class Column(NamedTuple):
    """One scalar column of a table."""

    property: str
    """The property; it may have any name."""
    part: str
    """Which part of a vector, `x` to `w`; an empty text if it is none."""
    type: ColumnType
    """How its values are stored."""
