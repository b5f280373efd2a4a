"""Rounded boxes: circles, spheres, capsules and boxes, turned any way, as one form.

A body is all points no farther than a radius from a box, which is given by its middle and half of each of its sides:
none of a circle or a sphere, one of a capsule, two or three of a box. How far two of them are apart is how far the
origin is from their Minkowski difference: the box of the sides of both, round a radius. A straight motion adds its own
half to these sides: what the difference then covers is all that happens during the step.
"""

from dataclasses import dataclass
from itertools import combinations
from typing import NamedTuple

import numpy as np

from breadcrumb.model.session import Bools, Floats

_LONGEST = 1 << 14
"""How many pairs are computed at a time, so that what is in between fits the cache."""
_PARALLEL = 1e-12
"""Which sine, relative to the lengths, is that of two parallel sides."""


class Ball(NamedTuple):
    """What is not farther from a centre than a radius; a circle in plan."""

    centre: Floats
    """A row for each dimension, a column each."""
    radius: Floats


@dataclass(frozen=True, eq=False)
class RoundedBoxes:
    """Bodies of one form, a column each."""

    centre: Floats
    """The middle of each: a row for each of two or three dimensions."""
    halves: Floats
    """Half of each side as a vector: sides x dimensions x bodies."""
    radius: Floats

    @property
    def ball(self) -> Ball:
        """A ball about each, from its middle to its farthest point at the least."""
        return Ball(self.centre, np.sqrt((self.halves**2).sum(axis=1)).sum(axis=0) + self.radius)

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
        sides = [mine.halves, yours.halves]
        offset = mine.centre - yours.centre
        if motion is not None:
            half = motion[:, block] / 2
            sides.append(half[None])
            offset = offset - half
        result[block] = _from_origin(offset, np.concatenate(sides)) - mine.radius - yours.radius
    return result


def _from_origin(offset: Floats, every: Floats) -> Floats:
    """Return how far the origin is from boxes about offsets; negative inside, by the way to the nearest face.

    A box that stands upright on one of the axes is looked at along that axis and in the plane across it, which takes a
    tenth of the time of one that is turned any way.
    """
    if not len(every):
        return np.asarray(np.sqrt((offset * offset).sum(axis=0)))
    for axis in range(len(offset)):
        upright = _stands_upright(every, axis)
        if upright.all():
            return _along_and_across(offset, every, axis)
        if upright.any():
            result = np.empty(len(upright))
            result[upright] = _along_and_across(offset[:, upright], every[:, :, upright], axis)
            result[~upright] = _from_origin(offset[:, ~upright], every[:, :, ~upright])
            return result
    return _in_plane(offset, every) if len(offset) == 2 else _in_space(offset, every)


def _along_and_across(offset: Floats, every: Floats, axis: int) -> Floats:
    """Return how far the origin is from boxes that stand upright on an axis."""
    along = np.abs(offset[axis]) - np.abs(every[:, axis]).sum(axis=0)
    if len(offset) == 1:
        return np.asarray(along)
    across = _from_origin(np.delete(offset, axis, 0), np.delete(every, axis, 1))
    deepest = np.maximum(along, across)
    outside = np.sqrt(np.maximum(along, 0.0) ** 2 + np.maximum(across, 0.0) ** 2)
    return np.asarray(np.where(deepest < 0, deepest, outside))


def _stands_upright(every: Floats, axis: int) -> Bools:
    """Return of which boxes each side runs along an axis or across it."""
    turned = every != 0
    return np.asarray(~(turned[:, axis] & np.delete(turned, axis, 1).any(axis=1)).any(axis=0))


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
