"""Where rays first meet shapes."""

from collections.abc import Sequence
from dataclasses import replace
from functools import partial, reduce
from typing import Any, NamedTuple, TypeAlias

import numpy as np

from breadcrumb.algebra.blocks import slices
from breadcrumb.algebra.bodies import Bodies, FixedBody
from breadcrumb.algebra.kernels import lengths, runs
from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.on_demand import Computed
from breadcrumb.algebra.operations import refuse_other_spaces
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.regions import Polygon
from breadcrumb.algebra.samples import both, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.geometry.rays import hits_of
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints

Target: TypeAlias = Region | Bodies | tuple[Signal, float]
"""A region that stands still, bodies, or the position of one object and its radius."""


def first_hit(origin: Signal, direction: Signal, shapes: Sequence[Target], *, at_most: float = np.inf) -> Signal:
    """Return how far along its direction a ray first meets one of the shapes; missing where it meets none.

    A ray that begins inside a shape meets it at a distance of 0.

    Args:
        origin: where each ray begins, a position of two or three parts.
        direction: where it points, a vector of any length, of the same objects.
        shapes: regions, bodies, or positions of one object each with a radius.
        at_most: how far it goes at the most.

    Returns:
        A signal of distances on the track of the origin, in its unit.

    Raises:
        Misuse: a shape has another number of dimensions than the origin, or is none.
    """
    if origin.track.unseen:
        return origin
    origin, direction = meet_tracks(origin, direction)
    for one in shapes:
        _refuse_other(origin, one)
    regions = [one for one in shapes if not isinstance(one, Bodies | tuple)]
    nearest, points = np.empty(len(origin)), np.empty(len(origin), np.bool_)
    for block in slices(len(origin)):
        start, way, points[block] = _rays(origin, direction, block)
        with np.errstate(invalid="ignore"):  # what begins at no place meets nothing
            hits = [hits_of_region(start, way, one) for one in regions]
        nearest[block] = reduce(np.minimum, hits, np.full(start.shape[1], np.inf))
    others = [one for one in shapes if isinstance(one, Bodies | tuple)]
    every_way = list(_rays(origin, direction, slice(0, len(origin)))[1]) if others else []
    for other in others:
        nearest = np.minimum(nearest, _hit(origin, every_way, other))
    valid = origin.usable & direction.usable & points & np.isfinite(nearest)
    valid &= nearest <= at_most + np.asarray(origin.noise)
    distance = np.where(valid, nearest, 0.0)
    hit: Signal = derived(
        origin, name=f"first hit from {origin.name}", parts=(distance,), valid=valid, known_noise=origin.noise_over
    )
    return hit


def _rays(origin: Signal, direction: Signal, rows: slice) -> tuple[Floats, Floats, Bools]:
    """Return where rays begin, unit vectors along them, and which of them point anywhere."""
    start, way = (np.stack([part[rows] for part in one.parts]) for one in (origin, direction))
    length = lengths(list(way))
    points = np.isfinite(length) & (length > 0)
    way[:, ~points] = 0.0
    way /= np.where(points, length, 1.0)
    return start, way, points


def ray_end(origin: Signal, direction: Signal, distance: Signal, otherwise: float) -> Signal:
    """Return where rays end: at their distance, or where that is missing after another one."""
    origin, direction = meet_tracks(origin, direction)
    unit = direction / direction.norm(stored=False)
    usable, far = distance.usable, distance.parts[0]

    def end_of(begin: Floats, along: Floats, rows: Rows) -> Floats:
        return np.asarray(begin[rows] + along[rows] * np.where(usable[rows], far[rows], otherwise))

    ends: Any = (Computed(partial(end_of, *one), len(origin)) for one in zip(origin.parts, unit.parts, strict=True))
    kind: Signal = origin.take(slice(0, 0)) + replace(unit.take(slice(0, 0)), unit=origin.unit)
    return replace(
        kind, track=origin.track, parts=tuple(ends), valid=both(origin.valid, unit.valid),
        known_noise=lambda rows: origin.noise_over(rows) + unit.noise_over(rows),
    )  # fmt: skip


def _refuse_other(origin: Signal, shape: Target) -> None:
    """Refuse a shape that a ray cannot meet: of another space, or with another number of dimensions."""
    place = shape.place if isinstance(shape, Bodies) else shape[0] if isinstance(shape, tuple) else None
    refuse_other_spaces(f"a ray from {origin.title}", origin, place)
    if not isinstance(shape, Bodies | tuple) and shape.dimensions != len(origin.parts):
        raise Misuse(f"first_hit: {shape} has {shape.dimensions} dimensions and {origin.name} has {len(origin.parts)}")


def _hit(origin: Signal, way: Sequence[Floats], shape: Bodies | tuple[Signal, float]) -> Floats:
    if isinstance(shape, Bodies):
        return _hit_bodies(origin, way, shape)
    centre, radius = shape
    here, there = meet_tracks(origin, centre)
    if len(here) != len(origin):
        raise Misuse(f"first_hit: {centre.name} is of a group; give each object's position separately")
    hit = _ball(here.parts, way, there.parts, radius)
    return np.where(there.usable, hit, np.inf)


def hits_of_region(start: Floats, way: Floats, region: Region) -> Floats:
    """Return how far along its way each ray first meets a region.

    Raises:
        Misuse: the region is put together from others.
    """
    if isinstance(region, Polygon):
        return _polygon(start, way, region)
    fixed = FixedBody.of(region)
    if fixed is None:
        raise Misuse(f"expected a region of one piece, found {region}; give its pieces one by one")
    result = np.empty(start.shape[1])
    for block in slices(len(result)):
        hits = [hits_of(start[:, block], way[:, block], piece) for piece in fixed.pieces]  # one body for all of them
        result[block] = reduce(np.minimum, hits)
    return result


def _hit_bodies(origin: Signal, way: Sequence[Floats], bodies: Bodies) -> Floats:
    """Return where rays first meet any of the bodies that are there on their frames, but for the one they begin at."""
    if bodies.place.track.unseen:
        return np.full(len(origin), np.inf)
    track = origin.track
    return first_bodies(np.stack(origin.parts), np.stack(list(way)), track.clock_index, track.lifetime, bodies).distance


class Met(NamedTuple):
    """What rays first meet; arrays of equal length."""

    distance: Floats
    """Infinity of one that meets nothing."""
    body: Ints
    """The index of the sample of the body, or NOBODY."""


def first_bodies(start: Floats, way: Floats, clock_index: Ints, own: Ints, bodies: Bodies) -> Met:
    """Return which of the bodies that are there on its frame each ray first meets.

    Args:
        start: where the rays begin, a row for each dimension.
        way: unit vectors along them.
        clock_index: when each is.
        own: the lifetime that each is of, which it does not meet.
        bodies: what may be met.

    Raises:
        Misuse: the bodies have another number of dimensions.
    """
    seen = bodies.in_plan if len(start) == 2 else bodies
    track, count = seen.place.track, start.shape[1]
    if track.size and seen.dimensions != len(start):
        raise Misuse(f"a ray of {len(start)} dimensions cannot meet {bodies.shape}, which has {seen.dimensions}")
    rising, order = track.by_clock_index
    begin, end = (np.searchsorted(rising, clock_index, side) for side in ("left", "right"))
    ray, at = runs(begin, end - begin)
    body = order[at]
    other = (track.lifetime[body] != own[ray]) & seen.place.usable[body]
    ray, body = ray[other], body[other]
    met = Met(np.full(count, np.inf), np.full(count, NOBODY))
    if not len(ray):
        return met
    far = reduce(np.minimum, [hits_of(start[:, ray], way[:, ray], piece) for piece in seen.at(body)])
    nearest = np.lexsort((-far, ray))  # the nearest one of each ray comes last, and stays
    met.distance[ray[nearest]] = far[nearest]
    met.body[ray[nearest]] = np.where(np.isfinite(far[nearest]), body[nearest], NOBODY)
    return met


def _ball(origin: Sequence[Floats], way: Sequence[Floats], centre: Sequence[Floats], radius: float) -> Floats:
    """Solve |o + t w - c| = r for the smaller t that is not negative."""
    offset = [o - c for o, c in zip(origin, centre, strict=True)]
    half = sum(a * w for a, w in zip(offset, way, strict=True))
    outside = sum(a * a for a in offset) - radius**2
    root = np.sqrt(np.maximum(half * half - outside, 0.0))
    meets = (half * half >= outside) & (-half + root >= 0)
    return np.where(outside <= 0, 0.0, np.where(meets & (half < 0), -half - root, np.inf))


def _polygon(origin: Floats, way: Floats, polygon: Polygon) -> Floats:
    (x, y), (u, v) = origin, way
    nearest = np.where(polygon.depth(list(origin)) >= 0, 0.0, np.inf)
    corners = polygon.corners
    with np.errstate(divide="ignore", invalid="ignore"):
        for (x0, y0), (x1, y1) in zip(corners, (*corners[1:], corners[0]), strict=True):
            dx, dy = x1 - x0, y1 - y0
            across = u * dy - v * dx
            along = ((x0 - x) * dy - (y0 - y) * dx) / across
            share = ((x0 - x) * v - (y0 - y) * u) / across
            meets = (across != 0) & (along >= 0) & (share >= 0) & (share <= 1)
            nearest = np.where(meets, np.minimum(nearest, along), nearest)
    return np.asarray(nearest)
