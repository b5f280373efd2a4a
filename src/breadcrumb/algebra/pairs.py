"""Which objects are near which, frame by frame, without comparing each with each."""

from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Floats, Ints


class Pairs(NamedTuple):
    """Samples of two groups on the same frame; arrays of equal length."""

    mine: Ints
    """The places of the samples in the first group."""
    yours: Ints
    """The places of the samples in the second group."""
    distance: Floats


def near_pairs(first: Signal, second: Signal, reach: float, *, swept: bool = False) -> Pairs:
    """Return all pairs of positions on one frame that are no farther apart than a reach, centre to centre.

    Both groups are sorted along the first axis on each frame, and only what lies within reach along it is compared: a
    sweep. No object is paired with itself. With `swept`, the distance is the smallest one during the step that ends
    there, if both move straight; then what is sorted is widened by the longest step.

    Raises:
        Misuse: the positions have different numbers of parts.
    """
    if len(first.parts) != len(second.parts) and not (first.track.unseen or second.track.unseen):
        raise Misuse(f"{first.name} has {len(first.parts)} parts and {second.name} has {len(second.parts)}")
    mine, yours = np.flatnonzero(first.usable), np.flatnonzero(second.usable)
    wide = reach + (_longest_step(first) + _longest_step(second) if swept else 0.0)
    yours, low, high = _window(first, mine, second, yours, wide)
    count = high - low
    a = np.repeat(mine, count)
    b = yours[np.arange(len(a)) - np.repeat(np.cumsum(count) - count, count) + np.repeat(low, count)]
    other = first.track.life[a] != second.track.life[b]
    a, b = a[other], b[other]
    distance = _closest(first, second, a, b) if swept else _apart(first, second, a, b)
    close = distance <= reach
    return Pairs(a[close], b[close], distance[close])


def meets_one(first: Signal, second: Signal, *, swept: bool = False) -> Signal:
    """Return the distance of each of a group to one object, on the group's track; missing where that one is not."""
    if not swept:
        return first.distance_to(second)
    mine, yours = meet_tracks(first, second)
    places = np.arange(len(mine))
    result = mine.distance_to(yours)
    near = _closest(mine, yours, places, places) if len(mine) else result.parts[0]
    return type(result)(result.track, result.name, (near,), result.valid, result.unit, None, result.owner, result.noise)


def _window(first: Signal, mine: Ints, second: Signal, yours: Ints, wide: float) -> tuple[Ints, Ints, Ints]:
    """Sort the second group, and return where those within reach of each of the first along an axis begin and end.

    Row and place along the axis become one rising number: the axis is shrunk into the room between two rows.
    """
    if not len(mine) or not len(yours):
        return yours, np.zeros(len(mine), np.int64), np.zeros(len(mine), np.int64)
    x, other = first.parts[0][mine], second.parts[0][yours]
    low, high = min(x.min(), other.min()) - 2 * wide, max(x.max(), other.max()) + 2 * wide
    scale = 1.0 / (high - low + 1.0)
    keys = second.track.row[yours] + (other - low) * scale
    order = np.argsort(keys)
    keys, yours = keys[order], yours[order]
    slip = 1e-9  # rounding; what is let in too much is measured anyway
    own = first.track.row[mine] + (x - low) * scale
    begin = np.searchsorted(keys, own - wide * scale - slip)
    end = np.searchsorted(keys, own + wide * scale + slip, side="right")
    return yours, begin, end


def _apart(first: Signal, second: Signal, a: Ints, b: Ints) -> Floats:
    squares = [(p[a] - q[b]) ** 2 for p, q in zip(first.parts, second.parts, strict=True)]
    return np.asarray(np.sqrt(np.sum(squares, axis=0)))


def _closest(first: Signal, second: Signal, a: Ints, b: Ints) -> Floats:
    """Return the smallest distance during the steps that end at two samples: that of the origin to a segment."""
    ends = np.stack([p[a] - q[b] for p, q in zip(first.parts, second.parts, strict=True)])
    stepped = _has_step(first)[a] & _has_step(second)[b]
    before = np.stack([
        p[np.maximum(a - 1, 0)] - q[np.maximum(b - 1, 0)] for p, q in zip(first.parts, second.parts, strict=True)
    ])  # fmt: skip
    begin = np.where(stepped, before, ends)
    way = ends - begin
    length = (way * way).sum(axis=0)
    share = np.clip(-(begin * way).sum(axis=0) / np.where(length > 0, length, 1.0), 0.0, 1.0)
    return np.asarray(np.sqrt(((begin + share * way) ** 2).sum(axis=0)))


def _has_step(signal: Signal) -> Bools:
    known = signal.usable & ~signal.track.first_of_life
    known[1:] &= signal.usable[:-1]
    return known


def _longest_step(signal: Signal) -> float:
    known = _has_step(signal)
    if not known.any():
        return 0.0
    squares = sum(np.r_[0.0, np.diff(part)] ** 2 for part in signal.parts)
    return float(np.sqrt(np.max(squares[known])))
