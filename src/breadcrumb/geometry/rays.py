"""Where rays first meet bodies."""

from functools import reduce

import numpy as np

from breadcrumb.geometry.polygons import Polygons
from breadcrumb.geometry.rounded_boxes import RoundedBoxes
from breadcrumb.model.session import Floats


def hits_of(start: Floats, way: Floats, body: RoundedBoxes | Polygons) -> Floats:
    """Return how far along its way each ray meets the body of its column: 0 if it begins in it, infinity if it misses.

    Args:
        start: where the rays begin, a row for each dimension.
        way: unit vectors along them.
        body: the bodies; a single one is met by all rays.
    """
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
    lengths = np.sqrt((body.halves**2).sum(axis=1))
    axes = body.halves / np.where(lengths > 0, lengths, 1.0)[:, None]
    return _slabs((axes * offset).sum(axis=1), (axes * way).sum(axis=1), lengths)


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
