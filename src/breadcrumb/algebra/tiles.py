"""Tiled levels as regions: which tile a position is in is one look-up."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.region import Combinable, Outline, counter_clockwise, refuse_unless_finite
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Floats, Ints

_SIDE, _UPRIGHT, _CORNER, _SOLID = 1, 2, 4, 8
"""What a quarter of a tile knows: whether the tile beside it is of the other sort, or the one above or below, or only
the one across its corner; and whether it is solid itself."""
_BLOCK = 1 << 15
"""How many positions are looked up at a time."""


@dataclass(frozen=True, eq=False)
class Tiles(Combinable):
    """The solid tiles of a level, as a region; what lies beyond the level is not solid.

    How far a place is from the border of what is solid is told up to half a tile; what is farther is told as that.

    Args:
        rows: the level's rows of tiles from the top, as texts with a letter a tile, or an array.
        size: the side of a tile, or its width and height.
        solid: the letters, or the values in an array, of which a solid tile may have any.
        origin: where the level's corner is at which the first row begins.
        up: whether the second axis points up, so that each row lies lower along it than the one before.

    Raises:
        Misuse: rows differ in length, or a side is not longer than 0.

    Example:
        >>> level = Tiles(["....", ".##.", "####"], 2.0, origin=(0, 6))
        >>> level.depth([np.array([1.0, 3.0, 3.0]), np.array([5.0, 5.0, 3.0])]).tolist()
        [-1.0, -1.0, 1.0]
    """

    rows: Sequence[str] | NDArray[Any]
    size: float | tuple[float, float]
    solid: str | Collection[Any] = "#"
    origin: tuple[float, float] = (0.0, 0.0)
    up: bool = True

    def __post_init__(self) -> None:
        widths = {len(row) for row in self.rows}
        if len(widths) != 1 or not min(widths):
            raise Misuse(f"Tiles: expected rows of one length, found {sorted(widths) or 'none'}")
        if min(self._sides) <= 0:
            raise Misuse(f"Tiles: expected sides longer than 0, found {self.size}")
        refuse_unless_finite("Tiles", *self._sides, *self.origin)

    def __str__(self) -> str:
        down, across = self.grid.shape
        return f"the {int(self.grid.sum())} solid tiles of {across} x {down}"

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""
        return 2

    @cached_property
    def grid(self) -> Bools:
        """Whether each tile is solid: a row for each row of the level, from the top."""
        if isinstance(self.rows, np.ndarray):
            wanted = np.isin(self.rows, list(self.solid)) if self.rows.dtype.kind != "b" else self.rows
            return np.asarray(wanted)
        return np.array([[letter in self.solid for letter in row] for row in self.rows])

    @property
    def finest(self) -> float:
        """The shorter side of a tile."""
        return min(self._sides)

    def part_at(self, point: Sequence[float]) -> str:
        """Return which solid tile a point is in, in words; empty if it is in none."""
        row, column = self.tile_at(*point)
        down, across = self.grid.shape
        there = 0 <= row < down and 0 <= column < across and self.grid[row, column]
        return f"the tile in row {row}, column {column}" if there else ""

    def tile_at(self, x: float, y: float) -> tuple[int, int]:
        """Return the row and the column of the tile that a place is in, counted from 0, also beyond the level.

        Args:
            x: the place along the first axis, in the unit of positions.
            y: along the second one.

        Example:
            >>> Tiles(["..", ".#"], size=16.0, up=False).tile_at(20.0, 20.0)
            (1, 1)
        """
        across, down = self._quarters(np.array([x]), np.array([y]))
        return int(np.floor(down[0] / 2)) - 1, int(np.floor(across[0] / 2)) - 1

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far each point is inside what is solid, at most half a tile; negative outside."""
        x, y = (np.asarray(part, np.float64) for part in parts)
        result = np.empty(len(x))
        for begin in range(0, len(x), _BLOCK):
            block = slice(begin, begin + _BLOCK)
            result[block] = self._depth(x[block], y[block])
        return result

    def outlines(self) -> list[Outline]:
        """Return the corners of each run of solid tiles in a row."""
        width, height = self._sides
        padded = np.pad(self.grid, ((0, 0), (1, 1))).astype(np.int8)
        row, begin = np.nonzero(np.diff(padded, axis=1) == 1)
        _, end = np.nonzero(np.diff(padded, axis=1) == -1)
        sign = -1.0 if self.up else 1.0
        left, right = self.origin[0] + begin * width, self.origin[0] + end * width
        top, bottom = (self.origin[1] + sign * (row + edge) * height for edge in (0, 1))
        return [
            counter_clockwise([(a, c), (b, c), (b, d), (a, d)])
            for a, b, c, d in zip(left.tolist(), right.tolist(), top.tolist(), bottom.tolist(), strict=True)
        ]

    @property
    def _sides(self) -> tuple[float, float]:
        return self.size if isinstance(self.size, tuple) else (self.size, self.size)

    def _quarters(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Return how many halves of a tile places are to the right of the known quarters' corner, and below it."""
        width, height = self._sides
        return (x - self.origin[0]) * (2 / width) + 2, (y - self.origin[1]) * ((-2 if self.up else 2) / height) + 2

    def _depth(self, x: Floats, y: Floats) -> Floats:
        across, down = self._quarters(x, y)
        rows, columns = self._known.shape
        if not (across.min() >= 0 and across.max() < columns and down.min() >= 0 and down.max() < rows):
            inside = (across >= 0) & (across < columns) & (down >= 0) & (down < rows)  # a NaN never is
            across, down = np.where(inside, across, 0.0), np.where(inside, down, 0.0)
        known = self._known.ravel().take(down.astype(np.int64) * columns + across.astype(np.int64))
        width, height = self._sides
        beside, above = _to_border(across, width), _to_border(down, height)
        least = np.full(len(x), min(width, height) / 2)
        np.minimum(least, beside, out=least, where=(known & _SIDE) != 0)
        np.minimum(least, above, out=least, where=(known & _UPRIGHT) != 0)
        corner = np.flatnonzero(known & _CORNER)
        least[corner] = np.minimum(least[corner], np.hypot(beside[corner], above[corner]))
        np.negative(least, out=least, where=(known & _SOLID) == 0)
        least[~np.isfinite(x + y)] = np.nan
        return least

    @cached_property
    def _known(self) -> NDArray[np.uint8]:
        """What each quarter of a tile knows, with one tile that is not solid all round the level."""
        solid = np.pad(self.grid, 2).repeat(2, axis=0).repeat(2, axis=1)
        down, across = (np.arange(size) + np.where(np.arange(size) % 2, 1, -1) for size in solid.shape)
        down, across = (np.clip(one, 0, size - 1) for one, size in zip((down, across), solid.shape, strict=True))
        beside, above = solid[:, across] != solid, solid[down] != solid
        corner = (solid[down][:, across] != solid) & ~beside & ~above
        known = solid * _SOLID + beside * _SIDE + above * _UPRIGHT + corner * _CORNER
        return np.asarray(known[2:-2, 2:-2], np.uint8)


def _to_border(quarters: Floats, side: float) -> Floats:
    """Return how far places are from the nearer border of their tile along an axis, given in halves of a tile."""
    nearer = np.rint(quarters * 0.5)
    nearer *= -2.0
    nearer += quarters
    np.abs(nearer, out=nearer)
    nearer *= side / 2
    return nearer
