"""Angles without the jumps of a full turn."""

from typing import NamedTuple

import numpy as np

from breadcrumb.algebra import blocks
from breadcrumb.model.session import Bools, Floats, Ints


def unwrapped(values: Floats, starts: Ints, full: float, usable: Bools | None = None) -> tuple[Floats, float]:
    """Return angles without the jumps of a full turn, and the longest step as a share of one.

    Each run begins with its own first value. Half a turn or more in one step cannot be told from less the other way
    round. What has no value, or one that is no finite number, is as if it were not there.

    Args:
        values: the angles.
        starts: the index of the first one of each run.
        full: a full turn in their unit.
        usable: which of them have a value; None if all have.
    """
    if usable is None:
        laps, longest = _laps(values, starts, full)
        if np.isfinite(longest):
            return _with_laps(values, laps, full), longest
        usable = np.ones(len(values), np.bool_)
    indices = np.flatnonzero(usable & np.isfinite(values))
    known = values[indices]
    run = np.searchsorted(starts, indices, side="right")
    begins = np.flatnonzero(np.diff(run, prepend=0))
    laps, longest = _laps(known, begins, full)
    result = np.array(values, np.float64)
    result[indices] = _with_laps(known, laps, full)
    return result, longest


class _Laps(NamedTuple):
    """How many full turns have to be added, from which index on; the first is 0."""

    indices: Ints
    turns: Floats


def _laps(values: Floats, starts: Ints, full: float) -> tuple[_Laps, float]:
    """Return the laps, which begin anew at each start, and the longest step as a share of a turn."""
    size = len(values)
    room, over = np.empty(min(blocks.COMPUTED, size)), np.empty(min(blocks.COMPUTED, size), np.bool_)
    mine = np.searchsorted(starts, _edges(size)).tolist()
    indices, laps, longest = [starts], [np.zeros(len(starts))], [0.0]
    for number, begin in enumerate(range(0, size, blocks.COMPUTED)):
        end, first = min(begin + blocks.COMPUTED, size), max(begin, 1)
        step = room[: end - begin]
        np.subtract(values[first:end], values[first - 1 : end - 1], out=step[first - begin :])
        step[starts[mine[number] : mine[number + 1]] - begin] = 0.0
        np.abs(step, out=step)
        far = np.flatnonzero(np.greater(step, full / 2, out=over[: end - begin]))
        if len(far):
            change = values[begin + far] - values[begin + far - 1]
            whole = np.rint(change / full)
            with np.errstate(invalid="ignore"):
                step[far] = np.abs(change - whole * full)
            indices.append(begin + far)
            laps.append(-whole)
        longest.append(float(step.max()))
    index = np.concatenate(indices)
    order = np.argsort(index, kind="stable")
    index, total = index[order], np.cumsum(np.concatenate(laps)[order])
    run = np.searchsorted(index, starts)
    total -= np.repeat(total[run], np.diff(np.append(run, len(index))))
    return _Laps(index, total), float(np.max(longest)) / full


def _with_laps(values: Floats, laps: _Laps, full: float) -> Floats:
    size = len(values)
    result = np.empty(size)
    added = laps.turns * full
    ends = np.append(laps.indices, size)
    later = np.searchsorted(laps.indices, _edges(size), side="right").tolist()
    for number, begin in enumerate(range(0, size, blocks.COMPUTED)):
        end = min(begin + blocks.COMPUTED, size)
        some = slice(later[number] - 1, later[number + 1])
        held = np.diff(np.clip(ends[some.start : some.stop + 1], begin, end))
        np.add(values[begin:end], np.repeat(added[some], held), out=result[begin:end])
    return result


def _edges(size: int) -> Ints:
    """Return where each block begins, and an end beyond the last one."""
    return np.arange(0, size + blocks.COMPUTED, blocks.COMPUTED)
