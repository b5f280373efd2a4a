"""The journal's fixed parts: the numbers and structures that writer and reader share."""

import struct
import zlib
from collections.abc import Sequence
from typing import Final, Literal, NamedTuple, TypeAlias

MAGIC: Final = b"CRUMBS\r\n"
"""The first eight bytes; the line end shows a file that was mangled as text."""

FORMAT_VERSION: Final = 2
"""Raised whenever an older reader would misunderstand a newer file; older files are read as long as there are any.

1: every record's checksum covers all of it. 2: see `checksum`.
"""

FILE_NAME: Final = "journal.bin"
"""The journal's name inside the trace's folder."""

ABOUT_NAME: Final = "about.json"
"""The file that a trace's folder has instead, once it was opened."""

ABOUT: Final = b"A"
FRAME: Final = b"F"
SEAL: Final = b"S"

RECORD: Final = struct.Struct("<II")
FRAME_HEAD: Final = struct.Struct("<qdIH")
BLOCK_HEAD: Final = struct.Struct("<HBI")
CODES_HEAD: Final = struct.Struct("<H")

LARGE: Final = 1 << 16
"""Records above this size are written without copying their parts together."""

SAMPLED_ABOVE: Final = 1 << 10
"""Frames above this size are checksummed by samples."""

SAMPLED: Final = 127
"""Of these, every 127th byte is checksummed: a prime number, so that it meets all bytes of the numbers."""

HAS_LIVES: Final = 1
HAS_NUMBERS: Final = 2
HAS_CODES: Final = 4
BY_COLUMN: Final = 8
"""The numbers come column by column, as games that hold arrays have them, not row by row."""

MISSING_BITS: Final = 0x7FF8_6372_756D_6273
MISSING: Final[float] = struct.unpack("<d", struct.pack("<Q", MISSING_BITS))[0]
"""A value the game could not or did not give; told from a recorded NaN by its bits alone."""

MISSING_FLAG: Final = 2
MISSING_TEXT: Final = 0xFFFF_FFFF


def checksum(parts: Sequence[bytes | memoryview], size: int, version: int = FORMAT_VERSION) -> int:
    """Return the CRC-32 of a record's body, given in parts; of a large frame, that of samples.

    What a crash or a loss of power leaves behind a file's good part is whole pages that never arrived. Samples from
    every page find these at a fraction of the cost, which would else be half of what a frame of arrays costs the game.
    """
    total = 0
    if version == 1 or size <= SAMPLED_ABOVE or parts[0][:1] != FRAME:
        for part in parts:
            total = zlib.crc32(part, total)
        return total
    skipped = 0
    for part in parts:
        total = zlib.crc32(bytes(part[-skipped % SAMPLED :: SAMPLED]), total)
        skipped += len(part)
    return total


ColumnType: TypeAlias = Literal["number", "flag", "text"]


class Column(NamedTuple):
    """One scalar column of a table."""

    name: str
    """The property, with its part after a dot: `position.x`."""
    type: ColumnType
    """How its values are stored."""


class Table(NamedTuple):
    """The layout of the rows of some objects of one kind."""

    number: int
    """How blocks refer to it."""
    kind: str
    """The kind of the objects."""
    columns: tuple[Column, ...]
    """Numbers come first, in the order of the packed floats."""

    @property
    def numbers(self) -> tuple[Column, ...]:
        """The columns packed as floats."""
        return tuple(column for column in self.columns if column.type == "number")

    @property
    def codes(self) -> tuple[Column, ...]:
        """The flag and text columns, each stored whole."""
        return tuple(column for column in self.columns if column.type != "number")
