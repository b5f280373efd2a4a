"""Where rays first meet shapes."""

from collections.abc import Sequence
from dataclasses import replace
from functools import partial, reduce
from typing import Any, NamedTuple, TypeAlias

import numpy as np

from breadcrumb.algebra.blocks import slices
from breadcrumb.algebra.bodies import Bodies, FixedBody, unknown_on
from breadcrumb.algebra.durations import are_finite
from breadcrumb.algebra.kernels import lengths, runs
from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.on_demand import Computed
from breadcrumb.algebra.operations import refuse_other_spaces
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.regions import Polygon
from breadcrumb.algebra.samples import both, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.geometry.polygons import Polygons
from breadcrumb.geometry.rays import Rays, hits_of, rays_near
from breadcrumb.geometry.rounded_boxes import Ball, RoundedBoxes
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints

Target: TypeAlias = Region | Bodies | tuple[Signal, float]
"""A region that stands still, bodies, or the position of one object and its radius."""


class FirstHit(NamedTuple):
    """What is known of the first hits of rays."""

    distance: Signal
    """How far along its direction each ray meets something; missing where it meets nothing, or that is not known."""
    known: Bools
    """Which of the rays were recorded, and all that they may meet; those that point nowhere are known to."""


def first_hit(origin: Signal, direction: Signal, shapes: Sequence[Target], *, at_most: float = np.inf) -> FirstHit:
    """Return how far along its direction a ray first meets one of the shapes.

    A ray that begins inside a shape meets it at a distance of 0.

    Args:
        origin: where each ray begins, a position of two or three parts.
        direction: where it points, a vector of any length, of the same objects.
        shapes: regions, bodies, or positions of one object each with a radius.
        at_most: how far it goes at the most.

    Returns:
        Distances on the track of the origin, in its unit.

    Raises:
        Misuse: a shape has another number of dimensions than the origin, or is none; a length is no number.
    """
    if not float(at_most) >= 0:
        raise Misuse(f"first_hit: expected at_most as a length from 0 up, found {at_most}")
    if origin.track.unseen:
        return FirstHit(origin, np.zeros(0, np.bool_))
    origin, direction = meet_tracks(origin, direction)
    for one in shapes:
        _refuse_other(origin, one)
    regions = [one for one in shapes if not isinstance(one, Bodies | tuple)]
    nearest, points = np.empty(len(origin)), np.empty(len(origin), np.bool_)
    for block in slices(len(origin)):
        rays, points[block] = _rays(origin, direction, block)
        hits = [hits_of_region(rays, one) for one in regions]
        nearest[block] = reduce(np.minimum, hits) if hits else np.inf
    others = [one for one in shapes if isinstance(one, Bodies | tuple)]
    if others:
        every_ray, _ = _rays(origin, direction, slice(0, len(origin)))
        nearest = reduce(np.minimum, [_hit(origin, every_ray, one) for one in others], nearest)
    known = origin.usable & direction.usable
    for other in others:
        known &= ~_unknown_on(other)[origin.track.clock_index]
    valid = known & points & np.isfinite(nearest)
    valid &= nearest <= at_most + np.asarray(origin.noise)
    nearest[~valid] = 0.0
    distance: Signal = derived(
        origin, name=f"first hit from {origin.name}", parts=(nearest,), valid=valid, known_noise=origin.noise_over
    )
    return FirstHit(distance, known)


def _rays(origin: Signal, direction: Signal, rows: slice) -> tuple[Rays, Bools]:
    """Return some of the rays from an origin, and which of them point anywhere."""
    start, way = ([part[rows] for part in one.parts] for one in (origin, direction))
    length = lengths(way)
    points = (length > 0) & (length < np.inf)
    with np.errstate(divide="ignore", invalid="ignore"):  # what points nowhere is told beside
        return Rays(start, [part / length for part in way]), points


def ray_end(origin: Signal, direction: Signal, distance: Signal, otherwise: float) -> Signal:
    """Return where rays end: at their distance, or where that is missing after another one."""
    origin, direction = meet_tracks(origin, direction)
    unit = direction / direction.norm(stored=False)
    usable, known = distance.usable, distance.parts[0]

    def far_of(rows: Rows) -> Floats:
        some = np.array(known[rows])
        some[~usable[rows]] = otherwise
        return some

    far = Computed(far_of, len(origin))  # of a block it is kept for the next part

    def end_of(begin: Floats, along: Floats, rows: Rows) -> Floats:
        way = along[rows] * far[rows]
        way += begin[rows]
        return way

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
    if isinstance(shape, tuple) and not (are_finite(shape[1]) and shape[1] > 0):
        raise Misuse(f"first_hit: expected a radius longer than 0 beside {shape[0].title}, found {shape[1]!r}")
    if not isinstance(shape, Bodies | tuple) and shape.dimensions != len(origin.parts):
        raise Misuse(f"first_hit: {shape} has {shape.dimensions} dimensions and {origin.name} has {len(origin.parts)}")


def _unknown_on(shape: Bodies | tuple[Signal, float]) -> Bools:
    """Return on which clock indices a shape is there, and where is not known."""
    if isinstance(shape, Bodies):
        return shape.unknown_on
    centre = shape[0]
    return unknown_on(centre.track, centre.usable & reduce(np.logical_and, map(np.isfinite, centre.parts)))


def _hit(origin: Signal, rays: Rays, shape: Bodies | tuple[Signal, float]) -> Floats:
    if isinstance(shape, Bodies):
        return _hit_bodies(origin, rays, shape)
    centre, radius = shape
    here, there = meet_tracks(origin, centre)
    if len(here) != len(origin):
        raise Misuse(f"first_hit: {centre.name} is of a group; give each object's position separately")
    place = np.stack(there.parts)
    balls = RoundedBoxes(place, np.zeros((0, *place.shape)), np.full(len(there), float(radius)))
    return np.where(there.usable, hits_of(rays, balls), np.inf)


def hits_of_region(rays: Rays, region: Region) -> Floats:
    """Return how far along its way each ray first meets a region.

    Raises:
        Misuse: the region is put together from others.
    """
    if isinstance(region, Polygon):
        return _polygon(rays, region)
    fixed = FixedBody.of(region)
    if fixed is None:
        raise Misuse(f"expected a region of one piece, found {region}; give its pieces one by one")
    return reduce(np.minimum, [hits_of(rays, piece) for piece in fixed.pieces])  # one body for all of them


def _hit_bodies(origin: Signal, rays: Rays, bodies: Bodies) -> Floats:
    """Return where rays first meet any of the bodies that are there on their frames, but for the one they begin at."""
    if bodies.place.track.unseen:
        return np.full(len(origin), np.inf)
    return first_bodies(rays, origin.track.clock_index, origin.track.lifetime, bodies).distance


class Met(NamedTuple):
    """What rays first meet; arrays of equal length."""

    distance: Floats
    """Infinity of one that meets nothing."""
    body: Ints
    """The index of the sample of the body, or NOBODY."""


def first_bodies(rays: Rays, clock_index: Ints, own: Ints, bodies: Bodies) -> Met:
    """Return which of the bodies that are there on its frame each ray first meets.

    Args:
        rays: the rays.
        clock_index: when each is.
        own: the lifetime that each is of, which it does not meet.
        bodies: what may be met.

    Raises:
        Misuse: the bodies have another number of dimensions.
    """
    dimensions, count = len(rays.start), rays.count
    seen = bodies.in_plan if dimensions == 2 else bodies
    track = seen.place.track
    if track.size and seen.dimensions != dimensions:
        raise Misuse(f"a ray of {dimensions} dimensions cannot meet {bodies.shape}, which has {seen.dimensions}")
    rising, order = track.by_clock_index
    begin, end = (np.searchsorted(rising, clock_index, side) for side in ("left", "right"))
    ray, at = runs(begin, end - begin)
    body = order[at]
    other = (track.lifetime[body] != own[ray]) & seen.place.usable[body]
    ray, body = _near(rays, ray[other], seen, body[other])
    met = Met(np.full(count, np.inf), np.full(count, NOBODY))
    if not len(ray):
        return met
    far = reduce(np.minimum, [hits_of(rays.take(ray), piece) for piece in seen.at(body)])
    nearest = np.lexsort((-far, ray))  # the nearest one of each ray comes last, and stays
    met.distance[ray[nearest]] = far[nearest]
    met.body[ray[nearest]] = np.where(np.isfinite(far[nearest]), body[nearest], NOBODY)
    return met


def _near(rays: Rays, ray: Ints, bodies: Bodies, body: Ints) -> tuple[Ints, Ints]:
    """Return those of the pairs of a ray and a body of which the ray may come as near as the body reaches."""
    reach = np.array([bodies.reach])
    near = [np.zeros(0, np.int64)]
    for block in slices(len(ray)):
        place = np.stack([part[body[block]] for part in bodies.place.parts])
        near.append(block.start + rays_near(rays.take(ray[block]), Ball(place, reach)))
    kept = np.concatenate(near)
    return ray[kept], body[kept]


def _polygon(rays: Rays, polygon: Polygon) -> Floats:
    corners = np.array(polygon.corners, np.float64)
    result = np.full(rays.count, np.inf)
    near = rays_near(rays, Polygons(corners[:, :, None], np.zeros(1)).ball)
    some = rays.take(near)
    (x, y), (u, v) = some.start, some.way
    nearest = np.where(polygon.depth([x, y]) >= 0, 0.0, np.inf)
    with np.errstate(divide="ignore", invalid="ignore"):
        for (x0, y0), (x1, y1) in zip(corners, np.roll(corners, -1, axis=0), strict=True):
            dx, dy = x1 - x0, y1 - y0
            across = u * dy - v * dx
            along = ((x0 - x) * dy - (y0 - y) * dx) / across
            share = ((x0 - x) * v - (y0 - y) * u) / across
            meets = (across != 0) & (along >= 0) & (share >= 0) & (share <= 1)
            nearest = np.where(meets, np.minimum(nearest, along), nearest)
    result[near] = nearest
    return result
