"""Where rays first meet bodies."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import reduce

import numpy as np

from breadcrumb.geometry.polygons import Polygons
from breadcrumb.geometry.rounded_boxes import Ball, RoundedBoxes
from breadcrumb.model.session import Floats, Ints

_LONGEST = 1 << 15
"""How many rays are computed at a time, so that what is in between fits the cache."""
_ROUNDING = 1e-9
"""By how much squares of distances may be off, relative to them."""


@dataclass(frozen=True, eq=False)
class Rays:
    """Rays, a column each."""

    start: Sequence[Floats]
    """Where they begin, a row for each dimension."""
    way: Sequence[Floats]
    """Unit vectors along them."""

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.start[0])

    def take(self, indices: slice | Ints) -> "Rays":
        """Return some of them."""
        return Rays([part[indices] for part in self.start], [part[indices] for part in self.way])


def hits_of(rays: Rays, body: RoundedBoxes | Polygons) -> Floats:
    """Return how far along its way each ray meets the body of its column: 0 if it begins in it, infinity if it misses.

    Most rays pass a body at a distance: only those that meet a ball about it are looked at further.

    Args:
        rays: the rays.
        body: the bodies; a single one is met by all rays.
    """
    result = np.full(rays.count, np.inf)
    is_one = len(body.radius) == 1
    for begin in range(0, rays.count, _LONGEST):
        block = slice(begin, begin + _LONGEST)
        cast, met = rays.take(block), body if is_one else body.take(block)
        near = rays_near(cast, met.ball)
        if len(near):
            some = cast.take(near)
            result[begin + near] = _hits(np.stack(some.start), np.stack(some.way), met if is_one else met.take(near))
    return result


def rays_near(rays: Rays, ball: Ball) -> Ints:
    """Return the indices of rays that meet the ball of their column, and of some that pass it closely.

    Args:
        rays: the rays.
        ball: the balls; a single one is met by all rays.
    """
    with np.errstate(invalid="ignore", over="ignore"):  # what begins at no place, or points nowhere, comes near nothing
        offset = [start - middle for start, middle in zip(rays.start, ball.centre, strict=True)]
        toward, away = _product(offset, rays.way), _product(offset, offset)
        away *= 1 - _ROUNDING
        away -= ball.radius * ball.radius
        is_near = away <= 0
        ahead = toward < 0
        toward *= toward
    return np.flatnonzero(is_near | ahead & (toward >= away))


def _product(one: Sequence[Floats], other: Sequence[Floats]) -> Floats:
    """Return the inner products of vectors."""
    total = one[0] * other[0]
    for mine, yours in zip(one[1:], other[1:], strict=True):
        total += mine * yours
    return total


def _hits(start: Floats, way: Floats, body: RoundedBoxes | Polygons) -> Floats:
    """Return what `hits_of` does, with no look at whether rays come near."""
    if isinstance(body, Polygons):
        return _through_corners(start, way, body.corners)
    offset = start - body.centre
    count, size = len(body.halves), len(start)
    if not count:
        return _ball(offset, way, body.radius)
    if count > size:  # a box of three sides, seen in plan
        return _through_corners(start, way, Polygons.of(body).corners)
    if count == 1:
        ends = [_ball(offset - sign * body.halves[0], way, body.radius) for sign in (-1, 1)]
        return reduce(np.minimum, [*ends, _tube(offset, way, body.halves[0], body.radius)])
    axes, lengths = _frames(body.halves)
    return _slabs((axes * offset).sum(axis=1), (axes * way).sum(axis=1), lengths)


def _frames(halves: Floats) -> tuple[Floats, Floats]:
    """Return unit vectors along the sides of boxes, and half of how long these are.

    A side of no length points nowhere by itself: it runs across all the others.
    """
    lengths = np.sqrt((halves**2).sum(axis=1))
    axes = halves / np.where(lengths > 0, lengths, 1.0)[:, None]
    flat = np.flatnonzero((lengths == 0).any(axis=0))
    if len(flat):
        order = np.argsort(-lengths[:, flat], axis=0)  # columns of no length come last, so that the others stay
        sides = np.take_along_axis(axes[:, :, flat], order[:, None], axis=0)
        axes[:, :, flat] = np.linalg.qr(sides.T).Q.T
        lengths[:, flat] = np.take_along_axis(lengths[:, flat], order, axis=0)
    return axes, lengths


def _ball(offset: Floats, way: Floats, radius: Floats) -> Floats:
    """Solve |o + t w| = r for the smaller t that is not negative."""
    half = (offset * way).sum(axis=0)
    outside = (offset * offset).sum(axis=0) - radius**2
    root = np.sqrt(np.maximum(half * half - outside, 0.0))
    meets = (half * half >= outside) & (half < 0)
    return np.where(outside <= 0, 0.0, np.where(meets, -half - root, np.inf))


def _tube(offset: Floats, way: Floats, half: Floats, radius: Floats) -> Floats:
    """Return where rays meet the side of a tube about a line that reaches half to each end."""
    length = np.sqrt((half * half).sum(axis=0))
    along = half / np.where(length > 0, length, 1.0)
    place, pace = (offset * along).sum(axis=0), (way * along).sum(axis=0)
    across, move = offset - place * along, way - pace * along
    square = (move * move).sum(axis=0)
    mixed, outside = (across * move).sum(axis=0), (across * across).sum(axis=0) - radius**2
    root = mixed**2 - square * outside
    with np.errstate(divide="ignore", invalid="ignore"):
        far = np.where(outside <= 0, 0.0, (-mixed - np.sqrt(np.maximum(root, 0.0))) / square)
    inside = np.abs(place + far * pace) <= length
    return np.where(inside & (far >= 0) & ((root >= 0) & (square > 0) | (outside <= 0)), far, np.inf)


def _slabs(place: Floats, pace: Floats, half: Floats) -> Floats:
    """Return where rays enter all slabs of a box in its own axes, if that is before they leave one."""
    enter, leave = np.zeros(place.shape[1]), np.full(place.shape[1], np.inf)
    with np.errstate(divide="ignore", invalid="ignore"):
        for o, w, far in zip(place, pace, half, strict=True):
            # beside a slab that it goes along both are infinite, of one sign; on its border one is no number, and
            # limits nothing
            a, b = (-far - o) / w, (far - o) / w
            np.fmax(enter, np.minimum(a, b), out=enter)
            np.fmin(leave, np.maximum(a, b), out=leave)
    is_known = ~(np.isnan(place) | np.isnan(pace)).any(axis=0)
    return np.where((enter <= leave) & is_known, enter, np.inf)


def _through_corners(start: Floats, way: Floats, corners: Floats) -> Floats:
    """Return where rays enter all half planes of a convex polygon, if that is before they leave one."""
    sides = np.roll(corners, -1, axis=0) - corners
    area = (
        corners[:, 0] * np.roll(corners[:, 1], -1, axis=0) - np.roll(corners[:, 0], -1, axis=0) * corners[:, 1]
    ).sum(axis=0)
    normals = np.stack((sides[:, 1], -sides[:, 0]), axis=1) * np.sign(area)  # outward
    height = (normals * (start - corners)).sum(axis=1)
    pace = (normals * way).sum(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        far = -height / pace
    enter = np.maximum(np.where(pace < 0, far, -np.inf).max(axis=0), 0.0)
    leave = np.where(pace > 0, far, np.inf).min(axis=0)
    beside = ((pace == 0) & (height > 0)).any(axis=0)
    return np.where((enter <= leave) & ~beside, enter, np.inf)
