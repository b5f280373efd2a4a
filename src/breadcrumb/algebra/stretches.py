"""Which clock indices, and which samples, lie in some stretches of frames."""

import numpy as np

from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import Bools, Ints, Session


def any_inside(first: Ints, last: Ints, session: Session) -> Bools:
    """Return which clock indices lie in any of some stretches."""
    size = session.clock.size
    begun = np.bincount(first, minlength=size + 1) - np.bincount(last + 1, minlength=size + 1)
    inside: Bools = np.cumsum(begun)[:size] > 0
    return inside


def in_lifetimes(track: Track, lifetime: Ints, first: Ints, last: Ints) -> Bools:
    """Return which samples lie in any of some stretches of their own lifetime."""
    order = np.lexsort((first, lifetime))
    lifetime, first, last = lifetime[order], first[order], last[order]
    begin = np.searchsorted(track.key, track.keys(lifetime, first))
    end = np.searchsorted(track.key, track.keys(lifetime, last), side="right")
    step = np.bincount(begin, minlength=track.size + 1) - np.bincount(end, minlength=track.size + 1)
    inside: Bools = np.cumsum(step)[: track.size] > 0
    return inside


def is_inside(index: Ints, first: Ints, last: Ints) -> Bools:
    """Return whether each index lies in one of the stretches, which may overlap and come in any order."""
    if not len(first):
        return np.zeros(len(index), np.bool_)
    started = np.searchsorted(np.sort(first), index, side="right")
    ended = np.searchsorted(np.sort(last), index, side="left")
    inside: Bools = started > ended
    return inside
