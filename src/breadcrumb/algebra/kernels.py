"""Derived columns, computed in blocks that fit the cache: whole-array steps would spend their time on fresh memory."""

from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra import blocks
from breadcrumb.algebra.durations import SAME_TIME
from breadcrumb.model.session import Floats, Ints

_EIGHT_FLAGS: Final = np.dtype("<u8")
_EIGHT: Final = _EIGHT_FLAGS.itemsize


def value_runs(values: NDArray[Any]) -> tuple[Ints, Ints]:
    """Return where runs of equal values begin, and how long each is; of a value that is no number each is by itself."""
    begins = np.flatnonzero(values[1:] != values[:-1]) + 1
    begins = np.concatenate([np.zeros(min(len(values), 1), np.int64), begins])
    return begins, np.diff(begins, append=len(values))


def differences(values: Floats) -> Floats:
    """Return each value less the one before; 0 for the first."""
    result = np.zeros(len(values))
    np.subtract(values[1:], values[:-1], out=result[1:])
    return result


def steps(parts: Sequence[Floats]) -> Floats:
    """Return the length of the step that ends at each index; 0 for the first."""
    result = np.zeros(len(parts[0]))
    for block in blocks.slices(len(result)):
        begin = max(block.start, 1)  # the first has no step
        some = result[begin : block.stop]
        squares(parts, begin, block.stop, some)
        np.sqrt(some, out=some)
    return result


def squares(parts: Sequence[Floats], begin: int, end: int, out: Floats, other: Floats | None = None) -> None:
    """Compute the squared lengths of the steps that end at some indices, with room for one more part."""
    other = np.empty_like(out) if other is None else other
    for number, part in enumerate(parts):
        change = other if number else out
        np.subtract(part[begin:end], part[begin - 1 : end - 1], out=change)
        np.multiply(change, change, out=change)
        if number:
            out += change


def lengths(parts: Sequence[Floats]) -> Floats:
    """Return the lengths of vectors."""
    result = np.empty(len(parts[0]))
    for block in blocks.slices(len(result)):
        total = np.square(parts[0][block])
        for part in parts[1:]:
            some = part[block]
            total += some * some
        np.sqrt(total, out=result[block])
    return result


def quotients(changes: Floats, step: Floats) -> Floats:
    """Return changes over their times, in place; 0 where there is no time."""
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        for block in blocks.slices(len(changes)):
            time, some = step[block], changes[block]
            np.divide(some, time, out=some)
            some[np.flatnonzero(~(time > 0))] = 0.0  # a masked division would take three times as long
    return changes


def turning_indices(values: NDArray[Any]) -> Ints:
    """Return the indices of values that are other than the one before."""
    if values.dtype != np.bool_:
        return np.flatnonzero(values[1:] != values[:-1]) + 1
    flags = np.ascontiguousarray(values)  # compared by eights with what is one further on: few eights differ
    eights = flags[: len(flags) // _EIGHT * _EIGHT].view(_EIGHT_FLAGS)
    rest = max(len(eights) - 1, 0) * _EIGHT
    differ = np.flatnonzero(eights[:-1] != flags[1 : 1 + rest].view(_EIGHT_FLAGS))
    further = eights[differ] >> 8 | eights[differ + 1] << 8 * (_EIGHT - 1)
    changes = (eights[differ] ^ further).view(np.bool_)
    which, index = np.divmod(np.flatnonzero(changes), _EIGHT)
    last = np.flatnonzero(flags[rest + 1 :] != flags[rest:-1]) + rest
    indices: Ints = np.hstack((differ[which] * _EIGHT + index, last)) + 1
    return indices


def order_of(values: Ints, limit: int) -> Ints:
    """Return the stable order of whole numbers from 0 up to a limit; a low limit makes it several times faster."""
    small = values.astype(np.min_scalar_type(limit))
    return np.asarray(np.argsort(small, kind="stable"), np.int64)


def runs(begin: Ints, count: Ints) -> tuple[Ints, Ints]:
    """Return runs of rising numbers, each from its own beginning, and beside each number which run it is of."""
    which = np.repeat(np.arange(len(count)), count)
    return which, np.arange(len(which)) + (begin - np.cumsum(count) + count)[which]


def interpolated(times: Floats, known: Floats, values: Floats) -> Floats:
    """Return values at times, straight between those that are known; at a known time just that one.

    Times that differ by rounding alone are the same: across a step, no value lies in between.
    """
    found: Floats = np.interp(times, known, values)
    at = np.clip(np.searchsorted(known, times), 1, max(len(known) - 1, 1))
    for index in (at - 1, np.minimum(at, len(known) - 1)):
        same = np.abs(known[index] - times) <= SAME_TIME
        found[same] = values[index[same]]
    return found
