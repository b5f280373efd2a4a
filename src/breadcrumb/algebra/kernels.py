"""Derived columns, computed in blocks that fit the cache: whole-array steps would spend their time on fresh memory."""

from collections.abc import Iterator, Sequence

import numpy as np

from breadcrumb.model.session import Bools, Floats, Ints

_BLOCK = 1 << 15


_EVEN = 4.0
"""How many times the shortest step the longest one may be for one bound on rounding to serve all."""


def even_step(step: Floats) -> float | Floats:
    """Return the shortest step if steps are about even, else all of them, with 1 where there is none."""
    shortest = float(np.min(step, where=step > 0, initial=np.inf))
    return shortest if not len(step) or step.max() <= _EVEN * shortest else np.where(step > 0, step, 1.0)


def differences(values: Floats) -> Floats:
    """Return each value less the one before; 0 for the first."""
    result = np.zeros(len(values))
    np.subtract(values[1:], values[:-1], out=result[1:])
    return result


class Speeds:
    """The speeds over the steps of a position, computed where they are looked at.

    A check looks at each of them once; storing them all would take it longer than computing them.
    """

    dtype = np.dtype(np.float64)

    def __init__(self, parts: Sequence[Floats], step: Floats) -> None:
        self._parts, self._step = parts, step

    def __len__(self) -> int:
        return len(self._step)

    def __getitem__(self, at: "slice | int | Ints") -> Floats:
        """Return the speeds of some steps; 0 where there is no time."""
        if isinstance(at, slice):
            begin, end, _ = at.indices(len(self))
            total = _squares(self._parts, begin, end) if begin else np.r_[0.0, _squares(self._parts, 1, end)][:end]
        else:
            places = np.asarray(at)
            before = np.maximum(places - 1, 0)
            total = np.asarray(sum((part[places] - part[before]) ** 2 for part in self._parts))
        time = np.asarray(self._step[at])
        total = np.sqrt(total, out=total)
        with np.errstate(divide="ignore", invalid="ignore"):
            np.divide(total, time, out=total)
        total[time <= 0] = 0.0
        return total

    def __array__(self, dtype: object = None, copy: bool | None = None) -> Floats:
        """Return them all."""
        result = np.empty(len(self))
        for begin, end in _blocks(len(self), 0):
            result[begin:end] = self[begin:end]
        return result


def steps(parts: Sequence[Floats]) -> Floats:
    """Return the length of the step that ends at each place; 0 for the first."""
    result = np.zeros(len(parts[0]))
    for begin, end in _blocks(len(result), 1):
        np.sqrt(_squares(parts, begin, end), out=result[begin:end])
    return result


def _squares(parts: Sequence[Floats], begin: int, end: int) -> Floats:
    """Return the squared lengths of the steps that end at some places."""
    total = parts[0][begin:end] - parts[0][begin - 1 : end - 1]
    np.multiply(total, total, out=total)
    for part in parts[1:]:
        change = part[begin:end] - part[begin - 1 : end - 1]
        total += np.multiply(change, change, out=change)
    return total


def lengths(parts: Sequence[Floats]) -> Floats:
    """Return the lengths of vectors."""
    result = np.empty(len(parts[0]))
    for begin, end in _blocks(len(result), 0):
        total = np.square(parts[0][begin:end])
        for part in parts[1:]:
            some = part[begin:end]
            total += some * some
        np.sqrt(total, out=result[begin:end])
    return result


def quotients(changes: Floats, step: Floats) -> Floats:
    """Return changes over their times, in place; 0 where there is no time."""
    for begin, end in _blocks(len(changes), 0):
        time = step[begin:end]
        some = changes[begin:end]
        if time.min() > 0:
            np.divide(some, time, out=some)
        else:
            some[...] = np.divide(some, time, out=np.zeros(end - begin), where=time > 0)
    return changes


def unwrapped(values: Floats, starts: Ints, full: float) -> tuple[Floats, float]:
    """Return angles without the jumps of a full turn, and the longest step as a share of one.

    Each run begins with its own first value. The laps so far are a running sum, which each start takes back to 0.
    """
    result = np.empty(len(values))
    longest = 0.0
    laps_before = 0.0
    for begin, end in _blocks(len(values), 0):
        some = values[begin:end]
        laps = np.empty(end - begin)
        laps[0] = some[0] - (values[begin - 1] if begin else some[0])
        np.subtract(some[1:], some[:-1], out=laps[1:])
        laps *= -1.0 / full
        whole = np.rint(laps)
        mine = starts[np.searchsorted(starts, begin) : np.searchsorted(starts, end)] - begin
        np.subtract(laps, whole, out=laps)
        laps[mine] = 0.0
        longest = max(longest, float(laps.max()), -float(laps.min()))
        laps = whole
        if len(mine):
            laps[mine] = 0.0
            runs = np.add.reduceat(laps, np.r_[0, mine[mine > 0]])
            runs[0] += laps_before
            carried = np.r_[laps_before, runs] if mine[0] == 0 else runs
            laps[mine] = -carried[: len(mine)]
        if laps.any() or laps_before:
            np.cumsum(laps, out=laps)
            laps += laps_before
            laps_before = float(laps[-1])
            np.multiply(laps, full, out=laps)
            np.add(some, laps, out=result[begin:end])
        else:
            result[begin:end] = some
    return result, longest


def turning_places(flags: Bools) -> Ints:
    """Return the places of flags that are other than the one before."""
    return np.flatnonzero(flags[1:] != flags[:-1]) + 1


def _blocks(size: int, first: int) -> Iterator[tuple[int, int]]:
    for begin in range(first, size, _BLOCK):
        yield begin, min(begin + _BLOCK, size)
