"""Convex polygons in plan, round a radius: what has more corners than a box."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from breadcrumb.geometry.rounded_boxes import Ball, RoundedBoxes
from breadcrumb.model.session import Floats, Ints

_LONGEST = 1 << 13
"""How many pairs are computed at a time."""


@dataclass(frozen=True, eq=False)
class Polygons:
    """Convex polygons of one number of corners, a column each."""

    corners: Floats
    """Corners x 2 x polygons, in order; one of a circle, two of a capsule."""
    radius: Floats

    @classmethod
    def of(cls, boxes: RoundedBoxes) -> "Polygons":
        """Return the corners of rounded boxes in plan."""
        centre, halves = boxes.centre, boxes.halves
        if not len(halves):
            return cls(centre[None], boxes.radius)
        if len(halves) == 1:
            return cls(np.stack((centre - halves[0], centre + halves[0])), boxes.radius)
        upward = np.where((halves[:, 1] < 0) | ((halves[:, 1] == 0) & (halves[:, 0] < 0)), -1.0, 1.0)
        ways = halves * upward[:, None]
        order = np.argsort(np.arctan2(ways[:, 1], ways[:, 0]), axis=0)
        sides = 2 * np.take_along_axis(ways, order[:, None], axis=0)  # one after the other they go half way round
        half_round = np.cumsum(sides, axis=0) - sides.sum(axis=0) / 2
        return cls(centre + np.concatenate((half_round, -half_round)), boxes.radius)

    @property
    def ball(self) -> Ball:
        """A circle about each, from the middle of its corners to its farthest point."""
        middle = self.corners.mean(axis=0)
        return Ball(middle, np.sqrt(((self.corners - middle) ** 2).sum(axis=1)).max(axis=0) + self.radius)

    def take(self, indices: slice | Ints) -> "Polygons":
        """Return some of them."""
        return Polygons(self.corners[:, :, indices], self.radius[indices])


def gaps_of_polygons(one: Polygons, other: Polygons, motion: Floats | None = None) -> Floats:
    """Return how far each polygon is from the other one of its column, as `rounded_boxes.gaps` does."""
    size = one.corners.shape[2]
    result = np.empty(size)
    for begin in range(0, size, _LONGEST):
        block = slice(begin, begin + _LONGEST)
        moved = None if motion is None else motion[:, block]
        result[block] = _gaps(one.corners[:, :, block], other.corners[:, :, block], moved)
    return result - one.radius - other.radius


def _gaps(mine: Floats, yours: Floats, motion: Floats | None) -> Floats:
    sides = [*_sides(mine), *_sides(yours)]
    points, mine_sides = mine, _sides(mine)
    if motion is not None:
        before = mine - motion
        points = np.concatenate((mine, before))
        mine_sides = [*mine_sides, *_sides(before), *zip(before, mine, strict=True)]
        sides.append((before[0], mine[0]))
    deepest = np.full(mine.shape[2], -np.inf)
    for begin, end in sides:
        deepest = np.maximum(deepest, _apart_along(end - begin, points, yours))
    deepest = np.where(np.isinf(deepest), 0.0, deepest)  # two points have no side
    nearest = np.full(mine.shape[2], np.inf)
    outside = np.flatnonzero(~(deepest < 0))
    for corners, others in (
        (points, _sides(yours) or [(yours[0], yours[0])]),
        (yours, mine_sides or [(points[0], points[0])]),
    ):
        for corner in corners:
            for begin, end in others:
                far = _from_segment(corner[:, outside], begin[:, outside], end[:, outside])
                nearest[outside] = np.minimum(nearest[outside], far)
    return np.where(deepest < 0, deepest, nearest)


def _sides(corners: Floats) -> list[tuple[Floats, Floats]]:
    closed = [*corners, corners[0]] if len(corners) > 2 else list(corners)
    return list(pairwise(closed))


def _apart_along(side: Floats, mine: Floats, yours: Floats) -> Floats:
    """Return how far two sets of corners are apart across a side; nothing is told by one without length."""
    length = np.sqrt((side * side).sum(axis=0))
    normal = np.stack((-side[1], side[0])) / np.where(length > 0, length, 1.0)
    here, there = (normal * mine).sum(axis=1), (normal * yours).sum(axis=1)
    apart = np.maximum(there.min(axis=0) - here.max(axis=0), here.min(axis=0) - there.max(axis=0))
    return np.where(length > 0, apart, -np.inf)


def _from_segment(point: Floats, begin: Floats, end: Floats) -> Floats:
    way, offset = end - begin, point - begin
    square = (way * way).sum(axis=0)
    share = np.clip((offset * way).sum(axis=0) / np.where(square > 0, square, 1.0), 0.0, 1.0)
    return np.asarray(np.sqrt(((offset - share * way) ** 2).sum(axis=0)))
