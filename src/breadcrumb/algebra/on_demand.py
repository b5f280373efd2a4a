"""Derived columns that are computed where they are looked at.

A check looks at each value once, or at those of a few moments; storing them all would take it longer than computing
them. To whatever else is done with one, it is the array of all its values.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from functools import cached_property
from typing import Any

import numpy as np
from numpy.lib.mixins import NDArrayOperatorsMixin
from numpy.typing import NDArray

from breadcrumb.algebra import blocks
from breadcrumb.algebra.kernels import quotients, squares
from breadcrumb.model.rows import Rows, rows_before
from breadcrumb.model.session import Bools, Floats, Ints

_ROUNDING = 1e-9
"""By how much equal steps may differ, as times of some hours are rounded."""


class OnDemand(NDArrayOperatorsMixin, ABC):
    """Values of which some are computed when they are asked for: a slice, or by their indices."""

    dtype: np.dtype[Any] = np.dtype(np.float64)
    ndim = 1
    is_free = False
    """Whether to read a value takes no longer than if it were stored."""

    @abstractmethod
    def __len__(self) -> int:
        """How many values there are."""

    @property
    def strides(self) -> tuple[int]:
        """How far apart values are, as arrays tell it."""
        return (self.dtype.itemsize,)

    @property
    def shape(self) -> tuple[int]:
        """How many values there are, as arrays tell it."""
        return (len(self),)

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
            return self._block(begin, end) if begin < end else np.zeros(0, self.dtype)
        some = np.asarray(at)
        if some.dtype == np.bool_:
            return self._at(np.flatnonzero(some))
        indices = np.where(some < 0, some + len(self), some).ravel()
        return self._at(indices).reshape(some.shape)

    def _block(self, begin: int, end: int) -> NDArray[Any]:
        """Return the values of a block; the last two are kept, since one formula may read a column several times."""
        found = self._recent.get((begin, end))
        if found is None:
            found = self._between(begin, end)
            found.flags.writeable = False
            if len(self._recent) > 1:
                self._recent.pop(next(iter(self._recent)), None)
            self._recent[begin, end] = found
        return found

    @cached_property
    def _recent(self) -> dict[tuple[int, int], NDArray[Any]]:
        return {}

    def extremes(self, block: slice, cuts: Ints) -> tuple[Floats, Floats]:
        """Return the lowest and the highest value in each piece of a block."""
        some = self[block]
        return np.minimum.reduceat(some, cuts), np.maximum.reduceat(some, cuts)

    @cached_property
    def whole(self) -> NDArray[Any]:
        """All values."""
        result: NDArray[Any] = np.empty(len(self), self.dtype)
        for block in blocks.slices(len(self)):
            result[block] = self[block]
        result.flags.writeable = False  # whoever asks again is given the same array
        return result

    def min(self, initial: float = np.inf) -> float:
        """Return the lowest value and no more than another one, without keeping any."""
        return float(np.min([initial, *(self[block].min() for block in blocks.slices(len(self)))]))

    def max(self, initial: float = -np.inf) -> float:
        """Return the highest value and no less than another one, without keeping any."""
        return float(np.max([initial, *(self[block].max() for block in blocks.slices(len(self)))]))

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


class Earlier(OnDemand):
    """The values so many samples earlier; the first ones, which have none, as they are."""

    def __init__(self, values: NDArray[Any], by: int) -> None:
        self._values, self._by, self.dtype = values, by, values.dtype
        self.is_free = isinstance(values, np.ndarray)

    def __len__(self) -> int:
        return len(self._values)

    def _between(self, begin: int, end: int) -> NDArray[Any]:
        return self._values[rows_before(slice(begin, end), self._by)]

    def _at(self, indices: Ints) -> NDArray[Any]:
        return self._values[rows_before(indices, self._by)]


class Held(OnDemand):
    """One value for each of several runs, on all of its samples."""

    is_free = True

    def __init__(self, values: NDArray[Any], starts: Ints, size: int) -> None:
        self._values, self._edges, self.dtype = values, np.append(starts, size), values.dtype

    def __len__(self) -> int:
        return int(self._edges[-1])

    def _between(self, begin: int, end: int) -> NDArray[Any]:
        first, last = np.searchsorted(self._edges, (begin + 1, end)) - (1, 0)
        if last == first + 1:
            return np.broadcast_to(self._values[first], end - begin)
        edges = self._edges[first : last + 1].copy()
        edges[0], edges[-1] = begin, end
        return np.repeat(self._values[first:last], edges[1:] - edges[:-1])

    def _at(self, indices: Ints) -> NDArray[Any]:
        return self._values[np.searchsorted(self._edges, indices, side="right") - 1]


class OfFrame(OnDemand):
    """The value of each sample's frame, given those of all frames."""

    def __init__(self, values: NDArray[Any], clock_index: Ints) -> None:
        self._values, self._clock_index, self.dtype = values, clock_index, values.dtype
        self.is_free = len(values) <= blocks.STORED  # then they stay in the cache

    def __len__(self) -> int:
        return len(self._clock_index)

    def _between(self, begin: int, end: int) -> NDArray[Any]:
        return self._values[self._clock_index[begin:end]]

    def _at(self, indices: Ints) -> NDArray[Any]:
        return self._values[self._clock_index[indices]]


class Computed(OnDemand):
    """What a function of the rows gives."""

    def __init__(self, compute: Callable[[Rows], NDArray[Any]], size: int, dtype: Any = np.float64) -> None:
        self._compute, self._size, self.dtype = compute, size, np.dtype(dtype)

    def __len__(self) -> int:
        return self._size

    def _between(self, begin: int, end: int) -> NDArray[Any]:
        return self._compute(slice(begin, end))

    def _at(self, indices: Ints) -> NDArray[Any]:
        return self._compute(indices)


class Rates(OnDemand):
    """The changes of a number over the times of its steps; 0 where there is no time."""

    def __init__(self, values: Floats, step: Floats) -> None:
        self._values, self._step = values, step

    def __len__(self) -> int:
        return len(self._step)

    def _between(self, begin: int, end: int) -> Floats:
        change = np.zeros(end - begin)
        some = self._values[max(begin - 1, 0) : end]
        np.subtract(some[1:], some[:-1], out=change[not begin :])
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


def with_before(values: NDArray[Any], rows: Rows) -> tuple[NDArray[Any], NDArray[Any]]:
    """Return some values, and those on the samples before them: of a slice, both from one look."""
    if isinstance(rows, slice) and rows.start:
        some = values[rows.start - 1 : rows.stop]
        return some[1:], some[:-1]
    return values[rows], values[rows_before(rows, 1)]


def composed(compute: Callable[..., Any], columns: Sequence[Any], *, may_wait: bool) -> Any:
    """Return what a function makes of columns, value by value, and of plain values that are the same for all.

    The results are stored, unless they may wait, and it takes no longer to compute them than to read them.
    """

    def of(part: Callable[[Any], Any]) -> NDArray[Any]:
        with np.errstate(all="ignore"):  # what comes of a missing or infinite value is missing or infinite
            return np.asarray(compute(*(part(one) if np.ndim(one) else one for one in columns)))

    if not may_wait or not any(isinstance(one, OnDemand) and one.is_free for one in columns):
        return of(lambda one: one)
    size = max(len(one) for one in columns if np.ndim(one))
    return Computed(lambda rows: of(lambda one: one[rows]), size, of(lambda one: one[:0]).dtype)
