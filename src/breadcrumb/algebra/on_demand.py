"""Derived columns that are computed where they are looked at.

A check looks at each value once, or at those of a few moments; storing them all would take it longer than computing
them. To whatever else is done with one, it is the array of all its values.
"""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from functools import cached_property
from typing import Any

import numpy as np
from numpy.lib.mixins import NDArrayOperatorsMixin
from numpy.typing import NDArray

from breadcrumb.algebra import blocks
from breadcrumb.algebra.kernels import quotients, squares
from breadcrumb.model.session import Bools, Floats, Ints

_ROUNDING = 1e-9
"""By how much equal steps may differ, as times of some hours are rounded."""


class OnDemand(NDArrayOperatorsMixin, ABC):
    """Values of which some are computed when they are asked for: a slice, or by their indices."""

    dtype = np.dtype(np.float64)

    @abstractmethod
    def __len__(self) -> int:
        """How many values there are."""

    @abstractmethod
    def _between(self, begin: int, end: int) -> Floats:
        """Return the values from an index up to another one."""

    @abstractmethod
    def _at(self, indices: Ints) -> Floats:
        """Return the values at indices, none of which is negative."""

    def __getitem__(self, at: slice | int | Ints | Bools) -> Floats:
        """Return some of the values."""
        if isinstance(at, slice):
            begin, end, step = at.indices(len(self))
            if step != 1:
                return self._at(np.arange(begin, end, step))
            return self._between(begin, end) if begin < end else np.zeros(0)
        some = np.asarray(at)
        if some.dtype == np.bool_:
            return self._at(np.flatnonzero(some))
        indices = np.where(some < 0, some + len(self), some).ravel()
        return self._at(indices).reshape(some.shape)

    def extremes(self, block: slice, cuts: Ints) -> tuple[Floats, Floats]:
        """Return the lowest and the highest value in each piece of a block."""
        some = self[block]
        return np.minimum.reduceat(some, cuts), np.maximum.reduceat(some, cuts)

    @cached_property
    def whole(self) -> Floats:
        """All values."""
        result = np.empty(len(self))
        for block in blocks.slices(len(self)):
            result[block] = self[block]
        return result

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> NDArray[Any]:
        """Return all values."""
        return np.array(self.whole, dtype) if copy else np.asarray(self.whole, dtype)

    def __array_ufunc__(self, function: np.ufunc, method: str, *inputs: Any, **options: Any) -> Any:
        """Apply a function of NumPy to all values."""
        plain = [one.whole if isinstance(one, OnDemand) else one for one in inputs]
        return getattr(function, method)(*plain, **options)

    def __getattr__(self, name: str) -> Any:
        """Return what the array of all values has."""
        if name.startswith("_"):
            raise AttributeError(name)
        return getattr(self.whole, name)


class Rates(OnDemand):
    """The changes of a number over the times of its steps; 0 where there is no time."""

    def __init__(self, values: Floats, step: Floats) -> None:
        self._values, self._step = values, step

    def __len__(self) -> int:
        return len(self._step)

    def _between(self, begin: int, end: int) -> Floats:
        change = np.zeros(end - begin)
        first = max(begin, 1)
        np.subtract(self._values[first:end], self._values[first - 1 : end - 1], out=change[first - begin :])
        return quotients(change, self._step[begin:end])

    def _at(self, indices: Ints) -> Floats:
        change = self._values[indices] - self._values[np.maximum(indices - 1, 0)]
        return quotients(change, self._step[indices])


class Lengths(OnDemand):
    """The lengths of vectors, or the sizes of numbers."""

    def __init__(self, parts: Sequence[Floats | OnDemand]) -> None:
        self._parts = parts

    def __len__(self) -> int:
        return len(self._parts[0])

    def _between(self, begin: int, end: int) -> Floats:
        return self._of([part[begin:end] for part in self._parts])

    def _at(self, indices: Ints) -> Floats:
        return self._of([part[indices] for part in self._parts])

    def _of(self, parts: Sequence[Floats]) -> Floats:
        return np.asarray(np.abs(parts[0]) if len(parts) == 1 else np.sqrt(sum(one * one for one in parts)))


class Speeds(OnDemand):
    """The speeds over the steps of a position; 0 where there is no time."""

    def __init__(self, parts: Sequence[Floats], step: Floats, shortest: float, longest: float) -> None:
        self._parts, self._step = parts, step
        self._shortest, self._longest = shortest, longest
        self._room = np.zeros((2, 0))

    def __len__(self) -> int:
        return len(self._step)

    def _between(self, begin: int, end: int) -> Floats:
        total = np.zeros(end - begin)
        squares(self._parts, max(begin, 1), end, total[not begin :])
        return quotients(np.sqrt(total, out=total), self._step[begin:end])

    def _at(self, indices: Ints) -> Floats:
        before = np.maximum(indices - 1, 0)
        total = np.asarray(sum((part[indices] - part[before]) ** 2 for part in self._parts))
        return quotients(np.sqrt(total, out=total), self._step[indices])

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
