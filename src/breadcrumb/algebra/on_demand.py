"""Derived columns that are computed where they are looked at.

A check looks at each value once, or at those of a few moments; storing them all would take it longer than computing
them.
"""

from abc import ABC, abstractmethod
from collections.abc import Sequence

import numpy as np

from breadcrumb.algebra import blocks
from breadcrumb.algebra.kernels import squares
from breadcrumb.model.session import Floats, Ints

_ROUNDING = 1e-9
"""By how much equal steps may differ, as times of some hours are rounded."""


class OnDemand(ABC):
    """Values of which a slice, or some by their indices, are computed when they are asked for."""

    dtype = np.dtype(np.float64)

    @abstractmethod
    def __len__(self) -> int:
        """How many values there are."""

    @abstractmethod
    def __getitem__(self, at: slice | int | Ints) -> Floats:
        """Return some of the values."""

    def extremes(self, block: slice, cuts: Ints) -> tuple[Floats, Floats]:
        """Return the lowest and the highest value in each piece of a block."""
        some = self[block]
        return np.minimum.reduceat(some, cuts), np.maximum.reduceat(some, cuts)

    def __array__(self, dtype: object = None, copy: bool | None = None) -> Floats:
        """Return them all."""
        result = np.empty(len(self))
        for begin in range(0, len(self), blocks.COMPUTED):
            result[begin : begin + blocks.COMPUTED] = self[begin : begin + blocks.COMPUTED]
        return result


class Rates(OnDemand):
    """The changes of a number over the times of its steps."""

    def __init__(self, values: Floats, step: Floats) -> None:
        self._values, self._step = values, step

    def __len__(self) -> int:
        return len(self._step)

    def __getitem__(self, at: slice | int | Ints) -> Floats:
        """Return the rates of some steps; 0 where there is no time."""
        values, step = self._values, self._step[at]
        if isinstance(at, slice):
            begin, end, _ = at.indices(len(self))
            change = np.zeros(end - begin)
            first = max(begin, 1)
            np.subtract(values[first:end], values[first - 1 : end - 1], out=change[first - begin :])
        else:
            change = values[at] - values[np.maximum(np.asarray(at) - 1, 0)]
        return np.divide(change, step, out=np.zeros(np.shape(change)), where=step > 0)


class Lengths(OnDemand):
    """The lengths of vectors, or the sizes of numbers."""

    def __init__(self, parts: Sequence[Floats | OnDemand]) -> None:
        self._parts = parts

    def __len__(self) -> int:
        return len(self._parts[0])

    def __getitem__(self, at: slice | int | Ints) -> Floats:
        """Return some of the lengths."""
        some = [part[at] for part in self._parts]
        return np.asarray(np.abs(some[0]) if len(some) == 1 else np.sqrt(sum(one * one for one in some)))


class Speeds(OnDemand):
    """The speeds over the steps of a position."""

    def __init__(self, parts: Sequence[Floats], step: Floats, shortest: float, longest: float) -> None:
        self._parts, self._step = parts, step
        self._shortest, self._longest = shortest, longest
        self._room = np.zeros((2, 0))

    def __len__(self) -> int:
        return len(self._step)

    def __getitem__(self, at: slice | int | Ints) -> Floats:
        """Return the speeds of some steps; 0 where there is no time."""
        if isinstance(at, slice):
            begin, end, _ = at.indices(len(self))
            total = np.zeros(end - begin)
            squares(self._parts, max(begin, 1), end, total[not begin :])
        else:
            indices = np.asarray(at)
            before = np.maximum(indices - 1, 0)
            total = np.asarray(sum((part[indices] - part[before]) ** 2 for part in self._parts))
        time = np.asarray(self._step[at])
        total = np.sqrt(total, out=total)
        with np.errstate(divide="ignore", invalid="ignore"):
            np.divide(total, time, out=total)
        total[time <= 0] = 0.0
        return total

    def extremes(self, block: slice, cuts: Ints) -> tuple[Floats, Floats]:
        """Return the lowest and the highest speed in each piece of a block; they mean nothing where there is no time.

        Roots are taken of these alone, and nothing is computed in fresh memory, which would take longer than the sums.
        If all steps are the same but for rounding, so are the times that the extremes are divided by.
        """
        begin, end, _ = block.indices(len(self))
        if self._room.shape[1] < end - begin:
            self._room = np.zeros((2, end - begin))
        total, other = self._room[:, : end - begin]
        squares(self._parts, max(begin, 1), end, total[not begin :], other[not begin :])
        even = 0 < self._longest <= self._shortest * (1 + _ROUNDING)
        if not even:
            with np.errstate(divide="ignore", invalid="ignore"):
                np.divide(total, np.multiply(self._step[block], self._step[block], out=other), out=total)
        lowest, highest = np.sqrt(np.minimum.reduceat(total, cuts)), np.sqrt(np.maximum.reduceat(total, cuts))
        return (lowest / self._longest, highest / self._shortest) if even else (lowest, highest)
