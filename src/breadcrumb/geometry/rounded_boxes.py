"""Rounded boxes: circles, spheres, capsules and boxes, turned any way, as one form.

A body is all points no farther than a radius from a box, which is given by its middle and half of each of its sides:
none of a circle or a sphere, one of a capsule, two or three of a box. How far two of them are apart is how far the
origin is from their Minkowski difference: the box of the sides of both, round a radius. A straight motion adds its own
half to these sides: what the difference then covers is all that happens during the step.
"""

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from breadcrumb.model.session import Floats

_LONGEST = 1 << 14
"""How many pairs are computed at a time, so that what is in between fits the cache."""
_PARALLEL = 1e-12
"""Which sine, relative to the lengths, is that of two parallel sides."""


@dataclass(frozen=True, eq=False)
class RoundedBoxes:
    """Bodies of one form, a column each."""

    centre: Floats
    """The middle of each: a row for each of two or three dimensions."""
    halves: Floats
    """Half of each side as a vector: sides x dimensions x bodies."""
    radius: Floats

    @property
    def reach(self) -> Floats:
        """How far the farthest point of each is from its middle, at the most."""
        lengths: Floats = np.sqrt((self.halves**2).sum(axis=1)).sum(axis=0) + self.radius
        return lengths

    def take(self, indices: "slice | np.ndarray[tuple[int, ...], np.dtype[np.int64]]") -> "RoundedBoxes":
        """Return some of them."""
        return RoundedBoxes(self.centre[:, indices], self.halves[:, :, indices], self.radius[indices])


def gaps(one: RoundedBoxes, other: RoundedBoxes, motion: Floats | None = None) -> Floats:
    """Return how far each body is from the other one of its column; negative by how far one must move to part them.

    Args:
        one: bodies at the end of a step, or where they stand.
        other: as many others, in the same space.
        motion: how each one has moved during a step, less how the other one did; then the gap is the smallest one
            during the step, if both move straight.
    """
    size = one.centre.shape[1]
    result = np.empty(size)
    for begin in range(0, size, _LONGEST):
        block = slice(begin, begin + _LONGEST)
        mine, yours = one.take(block), other.take(block)
        sides = [*mine.halves, *yours.halves]
        offset = mine.centre - yours.centre
        if motion is not None:
            half = motion[:, block] / 2
            sides.append(half)
            offset = offset - half
        result[block] = _from_origin(offset, sides) - mine.radius - yours.radius
    return result


def _from_origin(offset: Floats, sides: list[Floats]) -> Floats:
    """Return how far the origin is from boxes about offsets; negative inside, by the way to the nearest face."""
    if not sides:
        return np.asarray(np.sqrt((offset * offset).sum(axis=0)))
    every = np.stack(sides)
    straight = (np.count_nonzero(every, axis=1) <= 1).all(axis=0)
    turned = np.flatnonzero(~straight)
    if not len(turned):
        return _along_axes(offset, every)
    in_general = _in_plane if len(offset) == 2 else _in_space
    if len(turned) == len(straight):
        return in_general(offset, every)
    result = _along_axes(offset, every)
    result[turned] = in_general(offset[:, turned], every[:, :, turned])
    return result


def _along_axes(offset: Floats, every: Floats) -> Floats:
    """Look at boxes all of whose sides run along an axis: ten times as fast as looking at each pair of faces."""
    beyond = np.abs(offset) - np.abs(every).sum(axis=0)
    outside = np.maximum(beyond, 0.0)
    inside = (beyond < 0).all(axis=0)
    return np.asarray(np.where(inside, beyond.max(axis=0), np.sqrt((outside * outside).sum(axis=0))))


def _in_plane(offset: Floats, every: Floats) -> Floats:
    """Look at each pair of opposite edges: the nearest point lies on one that faces the origin."""
    deepest = np.full(offset.shape[1], -np.inf)
    nearest = np.full(offset.shape[1], np.inf)
    lengths = np.sqrt((every * every).sum(axis=1))
    for side, length in zip(every, lengths, strict=True):
        along = side / np.where(length > 0, length, 1.0)
        normal = np.stack((-along[1], along[0]))
        spread = normal[0] * every[:, 0] + normal[1] * every[:, 1]
        spread[np.abs(spread) <= _PARALLEL * lengths] = 0.0
        height = (normal * offset).sum(axis=0)
        apart = np.where(length > 0, np.abs(height) - np.abs(spread).sum(axis=0), -np.inf)
        deepest = np.maximum(deepest, apart)
        facing = apart >= 0
        if not facing.any():
            continue
        shift = (np.sign(spread)[:, None] * every).sum(axis=0)
        middle = ((offset - np.sign(height) * shift) * along).sum(axis=0)
        run = np.where(spread == 0, np.abs((every * along).sum(axis=1)), 0.0).sum(axis=0)
        beside = np.maximum(np.abs(middle) - run, 0.0)
        nearest = np.where(facing, np.minimum(nearest, np.hypot(apart, beside)), nearest)
    point = np.sqrt((offset * offset).sum(axis=0))  # of a body that has no side on this column
    deepest = np.where((lengths > 0).any(axis=0), deepest, point)
    return np.where(deepest < 0, deepest, np.minimum(nearest, point))


def _in_space(offset: Floats, every: Floats) -> Floats:
    """Look at each pair of opposite faces: the nearest point lies on one that faces the origin."""
    deepest = np.full(offset.shape[1], -np.inf)
    nearest = np.full(offset.shape[1], np.inf)
    lengths = np.sqrt((every * every).sum(axis=1))
    for first, second in combinations(range(len(every)), 2):
        normal = np.cross(every[first], every[second], axis=0)
        size = np.sqrt((normal * normal).sum(axis=0))
        flat = size > _PARALLEL * lengths[first] * lengths[second]
        normal = normal / np.where(flat, size, 1.0)
        spread = (normal * every).sum(axis=1)
        spread[np.abs(spread) <= _PARALLEL * lengths] = 0.0
        height = (normal * offset).sum(axis=0)
        apart = np.where(flat, np.abs(height) - np.abs(spread).sum(axis=0), -np.inf)
        deepest = np.maximum(deepest, apart)
        facing = np.flatnonzero(apart >= 0)
        if not len(facing):
            continue
        shift = (np.sign(spread)[:, None] * every).sum(axis=0)
        middle = (offset - np.sign(height) * shift)[:, facing]
        u = every[first][:, facing] / lengths[first][facing]
        v = np.cross(normal[:, facing], u, axis=0)
        level = np.where((spread == 0)[:, None], every, 0.0)[:, :, facing]
        beside = _in_plane(_onto(middle, u, v), np.stack([_onto(one, u, v) for one in level]))
        far = np.hypot(apart[facing], np.maximum(beside, 0.0))
        nearest[facing] = np.minimum(nearest[facing], far)
    line = ~np.isfinite(deepest)  # all sides are parallel: a line, or a point
    if line.any():
        nearest[line] = _from_line(offset[:, line], every[:, :, line], lengths[:, line])
        deepest[line] = 0.0
    return np.where(deepest < 0, deepest, nearest)


def _onto(vector: Floats, u: Floats, v: Floats) -> Floats:
    """Return the two coordinates of vectors along two directions."""
    return np.stack(((vector * u).sum(axis=0), (vector * v).sum(axis=0)))


def _from_line(offset: Floats, every: Floats, lengths: Floats) -> Floats:
    """Return how far the origin is from lines about offsets, whose sides all point the same way."""
    longest = np.argmax(lengths, axis=0)
    columns = np.arange(offset.shape[1])
    side = every[longest, :, columns].T
    length = lengths[longest, columns]
    along = side / np.where(length > 0, length, 1.0)
    run = np.abs((every * along).sum(axis=1)).sum(axis=0)
    middle = (offset * along).sum(axis=0)
    square = np.maximum((offset * offset).sum(axis=0) - middle**2, 0.0)
    return np.asarray(np.sqrt(square + np.maximum(np.abs(middle) - run, 0.0) ** 2))
