"""Which clock indices, and which samples, lie in some stretches of frames."""

import numpy as np

from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import Bools, Ints, Session


def any_inside(first: Ints, last: Ints, session: Session) -> Bools:
    """Return which clock indices lie in any of some stretches."""
    return _any(first, last + 1, session.clock.size)


def _any(begin: Ints, end: Ints, size: int) -> Bools:
    """Return which indices below a size lie in any of some stretches, given the index behind the last one of each."""
    bounds = np.concatenate(((0,), begin, end, (size,)))
    step = np.repeat((0, 1, -1, 0), (1, len(begin), len(end), 1))
    order = np.argsort(bounds, kind="stable")
    bounds = np.minimum(bounds[order], size)
    inside: Bools = np.repeat(np.cumsum(step[order])[:-1] > 0, bounds[1:] - bounds[:-1])
    return inside


def in_lifetimes(track: Track, lifetime: Ints, first: Ints, last: Ints) -> Bools:
    """Return which samples lie in any of some stretches of their own lifetime."""
    order = np.lexsort((first, lifetime))
    lifetime, first, last = lifetime[order], first[order], last[order]
    begin, end = track.place(lifetime, first), track.place(lifetime, last, "right")
    return _any(begin, end, track.size)


def is_inside(index: Ints, first: Ints, last: Ints) -> Bools:
    """Return whether each index lies in one of the stretches, which may overlap and come in any order."""
    if not len(first):
        return np.zeros(len(index), np.bool_)
    started = np.searchsorted(np.sort(first), index, side="right")
    ended = np.searchsorted(np.sort(last), index, side="left")
    inside: Bools = started > ended
    return inside


def weighted(code: Ints, first: Ints, last: Ints, weight: Ints | None, least: int) -> tuple[Ints, Ints, Ints]:
    """Return where the weights of all stretches of one code make at least so much; without weights, each has 1.

    Returns:
        The row of the stretch with which each of these begins, its first and its last clock index.
    """
    if weight is None and least == 1:
        order = np.lexsort((first, code))
        same = code[order][1:] == code[order][:-1]
        if not (
            same & (first[order][1:] <= last[order][:-1] + 1)
        ).any():  # none meets another one: there is no more to it
            return order, first[order], last[order]
    row = np.tile(np.arange(len(first)), 2)
    clock_index = np.hstack((first, last + 1))
    step = np.repeat([1, -1], len(first)) if weight is None else np.hstack((weight, -weight))
    order = np.lexsort((clock_index, code[row]))
    row, clock_index, step = row[order], clock_index[order], step[order]
    fresh = (code[row][1:] != code[row][:-1]) | (clock_index[1:] != clock_index[:-1])
    edge = np.flatnonzero(np.hstack((True, fresh))[: len(row)])
    on = np.add.reduceat(step, edge).cumsum() >= least if len(edge) else np.zeros(0, np.bool_)
    before = np.hstack((False, on[:-1]))[: len(on)]
    begin, end = edge[on & ~before], edge[before & ~on]
    return row[begin], clock_index[begin], clock_index[end] - 1
