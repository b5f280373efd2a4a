"""Which objects are near which, frame by frame, without comparing each with each."""

from collections.abc import Sequence
from dataclasses import replace
from functools import reduce
from typing import NamedTuple

import numpy as np

from breadcrumb.algebra import blocks
from breadcrumb.algebra.kernels import runs
from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints

_BLOCK = 16
"""How many clock indices one box may hold."""
_LONGEST_BOX = 8.0
"""How many times the reach a box may be long."""

_ROUNDING = 1e-9
"""By what share more is looked at than may be near."""


class Pairs(NamedTuple):
    """Samples of two groups on the same frame; arrays of equal length."""

    mine: Ints
    """The indices of the samples in the first group."""
    yours: Ints
    """The indices of the samples in the second group."""
    distance: Floats


def near_pairs(first: Signal, second: Signal, reach: float, *, swept: bool = False) -> Pairs:
    """Return all pairs of positions on one frame that are no farther apart than a reach, centre to centre.

    The samples of a few frames of one lifetime make a box. Boxes are sorted along the first axis, which leaves those
    within reach along it to be compared, and only what lies in boxes that are near is measured. What is there alone is
    compared with each of the others, in a tenth of the time. No object is paired with itself. With `swept`, the
    distance is the smallest one during the step that ends there, if both move straight; then what counts as near is
    widened by the longest step.

    Raises:
        Misuse: the positions have different numbers of parts.
    """
    if len(first.parts) != len(second.parts) and not (first.track.unseen or second.track.unseen):
        raise Misuse(f"{first.name} has {len(first.parts)} parts and {second.name} has {len(second.parts)}")
    wide = reach + (_longest_step(first) + _longest_step(second) if swept else 0.0)
    if second.track.one_at_a_time:
        a, b = _near_one(first, second, wide)
    elif first.track.one_at_a_time:
        b, a = _near_one(second, first, wide)
    else:
        mine, yours = _boxes(first, wide), _boxes(second, wide)
        a, b = _on_one_clock_index(mine, yours, *_near_boxes(mine, yours, wide))
    distance = _closest(first, second, a, b) if swept else _apart(first, second, a, b)
    close = distance <= reach
    return Pairs(a[close], b[close], distance[close])


def meets_one(first: Signal, second: Signal, *, swept: bool = False) -> Signal:
    """Return the distance of each of a group to one object, on the group's track; missing where that one is not."""
    if not swept:
        distance: Signal = first.distance_to(second)
        return distance
    mine, yours = meet_tracks(first, second)
    indices = np.arange(len(mine))
    result = mine.distance_to(yours)
    near = _closest(mine, yours, indices, indices) if len(mine) else result.parts[0]
    swept_distance: Signal = replace(result, parts=(near,), known_noise=result.noise_over)
    return swept_distance


def _near_one(group: Signal, one: Signal, wide: float) -> tuple[Ints, Ints]:
    """Return the indices of the samples that may be near what is there alone on their frame, and of its samples."""
    track, found = group.track, [(np.zeros(0, np.int64),) * 2]
    if not one.track.size:
        return found[0]
    there = one.track.find_clock_index(np.arange(track.session.clock.size))
    for block in blocks.slices(track.size):
        other = there[track.clock_index[block]]
        near = (other != NOBODY) & (track.lifetime[block] != one.track.lifetime[other])
        for mine, its in zip(group.parts, one.parts, strict=True):
            with np.errstate(invalid="ignore"):
                apart = np.abs(mine[block] - its[other])
            near &= (apart <= wide * (1 + _ROUNDING)) & (apart < np.inf)
        rows = np.flatnonzero(near)
        found.append((rows + block.start, other[rows]))
    a, b = (np.concatenate(each) for each in zip(*found, strict=True))
    known = group.usable_at(a) & one.usable_at(b)
    return a[known], b[known]


class _Boxes(NamedTuple):
    """The boxes of the samples of one lifetime on consecutive clock indices of one block; arrays of equal length."""

    lifetime: Ints
    start: Ints
    """The index of the first sample."""
    clock_index: Ints
    """The clock index of the first sample."""
    size: Ints
    """How many clock indices it holds."""
    low: tuple[Floats, ...]
    high: tuple[Floats, ...]


def _boxes(signal: Signal, wide: float) -> _Boxes:
    """Return boxes around the samples that have a value; a long box would let in too much, and is cut into samples."""
    known = signal.usable & reduce(np.logical_and, [np.isfinite(part) for part in signal.parts])
    indices = np.flatnonzero(known)
    lifetime, clock_index = signal.track.lifetime[indices], signal.track.clock_index[indices]
    begins = np.ones(len(indices), np.bool_)
    begins[1:] = (
        (lifetime[1:] != lifetime[:-1]) | (clock_index[1:] != clock_index[:-1] + 1) | (clock_index[1:] % _BLOCK == 0)
    )
    parts = [part[indices] for part in signal.parts]
    made = _boxes_from(np.flatnonzero(begins), indices, lifetime, clock_index, parts)
    long = np.logical_or.reduce(
        [high - low > _LONGEST_BOX * wide for low, high in zip(made.low, made.high, strict=True)]
    )
    if not long.any():
        return made
    return _boxes_from(np.flatnonzero(begins | np.repeat(long, made.size)), indices, lifetime, clock_index, parts)


def _boxes_from(cuts: Ints, indices: Ints, lifetime: Ints, clock_index: Ints, parts: Sequence[Floats]) -> _Boxes:
    low, high = (
        tuple(edge.reduceat(part, cuts) if len(cuts) else np.zeros(0) for part in parts)
        for edge in (np.minimum, np.maximum)
    )
    return _Boxes(lifetime[cuts], indices[cuts], clock_index[cuts], np.diff(cuts, append=len(indices)), low, high)


def _near_boxes(mine: _Boxes, yours: _Boxes, wide: float) -> tuple[Ints, Ints]:
    """Return the pairs of boxes of one block that are no farther apart than this along each axis.

    Block and index along the first axis become one rising number: the axis is shrunk into the gap between two blocks.
    """
    if not len(mine.clock_index) or not len(yours.clock_index):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    start = min(mine.low[0].min(), yours.low[0].min())
    longest = float((yours.high[0] - yours.low[0]).max())
    margin = wide + longest
    scale = 1.0 / (max(mine.high[0].max(), yours.high[0].max()) - start + 4 * margin + 1.0)
    keys = yours.clock_index // _BLOCK + (yours.low[0] - start + 2 * margin) * scale
    order = np.argsort(keys)
    keys = keys[order]
    block = mine.clock_index // _BLOCK
    slip = 1e-9  # rounding; what is let in too much is measured anyway
    begin = np.searchsorted(keys, block + (mine.low[0] - start + margin) * scale - slip)
    end = np.searchsorted(keys, block + (mine.high[0] - start + 2 * margin + wide) * scale + slip, side="right")
    one, at = runs(begin, np.maximum(end - begin, 0))
    other = order[at]
    near = mine.lifetime[one] != yours.lifetime[other]
    for axis in range(len(mine.low)):
        near &= mine.low[axis][one] - wide <= yours.high[axis][other]
        near &= yours.low[axis][other] - wide <= mine.high[axis][one]
    return one[near], other[near]


def _on_one_clock_index(mine: _Boxes, yours: _Boxes, one: Ints, other: Ints) -> tuple[Ints, Ints]:
    """Return the indices of the samples of two boxes that are on the same clock_index."""
    begin = np.maximum(mine.clock_index[one], yours.clock_index[other])
    end = np.minimum(mine.clock_index[one] + mine.size[one], yours.clock_index[other] + yours.size[other])
    pair, clock_index = runs(begin, np.maximum(end - begin, 0))
    return (mine.start - mine.clock_index)[one][pair] + clock_index, (yours.start - yours.clock_index)[other][
        pair
    ] + clock_index


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
    known = signal.usable & ~signal.track.first_of_lifetime
    known[1:] &= signal.usable[:-1]
    return known


def _longest_step(signal: Signal) -> float:
    known = _has_step(signal)
    if not known.any():
        return 0.0
    steps = reduce(np.hypot, [np.hstack((0.0, np.diff(part))) for part in signal.parts])
    return float(np.max(steps[known]))
