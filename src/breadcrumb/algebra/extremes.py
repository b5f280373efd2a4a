"""The lowest and the highest value in each piece of a column: they can settle a rule about limits by themselves."""

from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra import blocks
from breadcrumb.algebra.blocks import Block, Pieces
from breadcrumb.model.session import Bools, Floats, Ints


class Computed(Protocol):
    """Values that are computed where they are looked at."""

    def extremes(self, block: slice, cuts: Ints) -> tuple[Floats, Floats]:
        """Return the lowest and the highest value in each piece of a block."""


class Extremes(NamedTuple):
    """The lowest and the highest value in each piece; infinity and minus infinity where none is known."""

    pieces: Pieces
    lowest: Floats
    highest: Floats

    @property
    def are_finite(self) -> bool:
        """Whether each piece has a value, and none that is no number or infinite."""
        return bool(np.isfinite(self.lowest).all() and np.isfinite(self.highest).all())


def extremes_of(values: NDArray[np.float64] | Computed, size: int, starts: Ints, valid: Bools | None) -> Extremes:
    """Return the extremes of a column, from one look at it."""
    length = blocks.STORED if isinstance(values, np.ndarray) else blocks.COMPUTED
    pieces = Pieces.of(size, starts, valid, length)
    lowest, highest = np.empty(len(pieces.begins)), np.empty(len(pieces.begins))
    for block in pieces.blocks():
        finer = _around(block) if len(block.unknown) else block.cuts
        if isinstance(values, np.ndarray):
            some = values[block.at]
            low, high = np.minimum.reduceat(some, finer), np.maximum.reduceat(some, finer)
        else:
            low, high = values.extremes(block.at, finer)
        if len(block.unknown):
            gone, own = np.searchsorted(finer, block.unknown), np.searchsorted(finer, block.cuts)
            low[gone], high[gone] = np.inf, -np.inf
            low, high = np.minimum.reduceat(low, own), np.maximum.reduceat(high, own)
        lowest[block.pieces], highest[block.pieces] = low, high
    return Extremes(pieces, lowest, highest)


def _around(block: Block) -> Ints:
    """Return where the pieces of a block begin if each unknown value is one by itself."""
    size = block.at.stop - block.at.start
    bounds = np.sort(np.concatenate([block.cuts, block.unknown, block.unknown + 1, [size]]))
    return np.asarray(bounds[:-1][bounds[1:] != bounds[:-1]])
