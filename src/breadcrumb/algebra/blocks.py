"""Columns cut into blocks that fit the cache: whole-array steps would spend their time on fresh memory."""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from breadcrumb.model.session import Bools, Ints

STORED = 1 << 16
"""How many values make a block if they are only looked at."""
COMPUTED = 1 << 15
"""How many, if what is computed needs room beside them."""


def slices(size: int) -> Iterator[slice]:
    """Return the blocks of a column of so many values that are computed."""
    for begin in range(0, size, COMPUTED):
        yield slice(begin, min(begin + COMPUTED, size))


class Block(NamedTuple):
    """What is in a block of a column."""

    at: slice
    """Its values."""
    pieces: slice
    """Which pieces it holds."""
    cuts: Ints
    """Where these begin, from the start of the block."""
    unknown: Ints
    """What has no value, from the start of the block."""


class Pieces(NamedTuple):
    """A column cut into pieces, none of which reaches over two runs or two blocks."""

    begins: Ints
    edges: list[int]
    """Where the blocks begin, and the end."""
    first: list[int]
    """The first piece of each block, and how many there are."""
    unknown: Ints
    """What has no value."""
    length: int
    """How long a block is."""

    @classmethod
    def of(cls, size: int, starts: Ints, valid: Bools | None, length: int) -> "Pieces":
        """Cut a column of so many values at the starts of its runs and at the edges of blocks of a length."""
        edges = np.append(np.arange(0, size, length), size)
        begins = np.unique(np.concatenate([starts, edges[:-1]]))
        unknown = np.flatnonzero(~valid) if valid is not None else np.zeros(0, np.int64)
        return cls(begins, edges.tolist(), np.searchsorted(begins, edges).tolist(), unknown, length)

    def blocks(self) -> Iterator[Block]:
        """Return the blocks, in order."""
        return map(self.block, range(len(self.edges) - 1))

    def block(self, number: int) -> Block:
        """Return one block."""
        at = slice(*self.edges[number : number + 2])
        pieces = slice(*self.first[number : number + 2])
        low, high = np.searchsorted(self.unknown, (at.start, at.stop)) if len(self.unknown) else (0, 0)
        return Block(at, pieces, self.begins[pieces] - at.start, self.unknown[low:high] - at.start)
