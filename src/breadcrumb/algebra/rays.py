"""Where rays first meet shapes."""

from collections.abc import Sequence
from dataclasses import replace
from typing import TypeAlias

import numpy as np

from breadcrumb.algebra.bodies import Bodies
from breadcrumb.algebra.kernels import runs
from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.regions import Box, Capsule, Circle, Polygon, TurnedBox
from breadcrumb.algebra.samples import derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.geometry.rays import hits_of
from breadcrumb.model.session import Floats

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
    length = np.sqrt(sum(part * part for part in direction.parts))
    known = origin.usable & direction.usable & (length > 0)
    way = [part / np.where(length > 0, length, 1.0) for part in direction.parts]
    nearest = np.full(len(origin), np.inf)
    for target in shapes:
        nearest = np.minimum(nearest, _hit(origin, way, target))
    valid = known & np.isfinite(nearest) & (nearest <= at_most + np.max(origin.noise, initial=0.0))
    distance = np.where(valid, nearest, 0.0)
    hit: Signal = derived(
        origin, name=f"first hit from {origin.name}", parts=(distance,), valid=valid, known_noise=origin.noise
    )
    return hit


def ray_end(origin: Signal, direction: Signal, distance: Signal, otherwise: float) -> Signal:
    """Return where rays end: at their distance, or where that is missing after another one."""
    origin, direction = meet_tracks(origin, direction)
    unit = direction / direction.norm()
    far = np.where(distance.usable, distance.parts[0], otherwise)
    end: Signal = origin + replace(unit, parts=tuple(part * far for part in unit.parts), unit=origin.unit)
    return end


def _hit(origin: Signal, way: Sequence[Floats], shape: Target) -> Floats:
    if isinstance(shape, Bodies):
        return _hit_bodies(origin, way, shape)
    if isinstance(shape, tuple):
        centre, radius = shape
        here, there = meet_tracks(origin, centre)
        if len(here) != len(origin):
            raise Misuse(f"first_hit: {centre.name} is of a group; give each object's position separately")
        hit = _ball(here.parts, way, there.parts, radius)
        return np.where(there.usable, hit, np.inf)
    if shape.dimensions != len(origin.parts):
        raise Misuse(f"first_hit: {shape} has {shape.dimensions} dimensions and {origin.name} has {len(origin.parts)}")
    if isinstance(shape, Circle):
        return _ball(origin.parts, way, [np.asarray(part) for part in shape.centre], shape.radius)
    if isinstance(shape, Box):
        return _box(origin.parts, way, shape)
    if isinstance(shape, Polygon | TurnedBox):
        return _polygon(origin.parts, way, Polygon(tuple(shape.outlines()[0])))
    if isinstance(shape, Capsule) and shape.dimensions == 2:
        ends = [
            _ball(origin.parts, way, [np.asarray(x) for x in end], shape.radius) for end in (shape.start, shape.end)
        ]
        return np.minimum(np.minimum(*ends), _polygon(origin.parts, way, _between_ends(shape)))
    raise Misuse(f"first_hit: expected a region in plan, a Box, a Circle, or a position and a radius, found {shape!r}")


def _hit_bodies(origin: Signal, way: Sequence[Floats], bodies: Bodies) -> Floats:
    """Return where rays first meet any of the bodies that are there on their frames, but for the one they begin at."""
    seen = bodies.in_plan if len(origin.parts) == 2 else bodies
    nearest, track = np.full(len(origin), np.inf), seen.place.track
    if track.unseen or not track.size:
        return nearest
    if seen.dimensions != len(origin.parts):
        raise Misuse(f"first_hit: {bodies.shape} has {seen.dimensions} dimensions and {origin.name} has another number")
    rising, order = track.by_clock_index
    begin, end = (np.searchsorted(rising, origin.track.clock_index, side) for side in ("left", "right"))
    ray, at = runs(begin, end - begin)
    body = order[at]
    other = (track.lifetime[body] != origin.track.lifetime[ray]) & seen.place.usable[body]
    ray, body = ray[other], body[other]
    start, along = (np.stack([part[ray] for part in parts]) for parts in (origin.parts, way))
    hits = [hits_of(start, along, piece) for piece in seen.at(body)]
    np.minimum.at(nearest, ray, np.minimum.reduce(hits))
    return nearest


def _between_ends(capsule: Capsule) -> Polygon:
    """Return the box between the two ends of a capsule."""
    (x0, y0), (x1, y1) = capsule.start, capsule.end
    length = np.hypot(x1 - x0, y1 - y0) or 1.0
    u, v = (y0 - y1) / length * capsule.radius, (x1 - x0) / length * capsule.radius
    return Polygon(((x0 + u, y0 + v), (x1 + u, y1 + v), (x1 - u, y1 - v), (x0 - u, y0 - v)))


def _ball(origin: Sequence[Floats], way: Sequence[Floats], centre: Sequence[Floats], radius: float) -> Floats:
    """Solve |o + t w - c| = r for the smaller t that is not negative."""
    offset = [o - c for o, c in zip(origin, centre, strict=True)]
    half = sum(a * w for a, w in zip(offset, way, strict=True))
    outside = sum(a * a for a in offset) - radius**2
    root = np.sqrt(np.maximum(half * half - outside, 0.0))
    meets = (half * half >= outside) & (-half + root >= 0)
    return np.where(outside <= 0, 0.0, np.where(meets & (half < 0), -half - root, np.inf))


def _box(origin: Sequence[Floats], way: Sequence[Floats], box: Box) -> Floats:
    """Return where a ray enters all slabs of a box, if that is before it leaves one."""
    enter, leave = np.zeros(len(origin[0])), np.full(len(origin[0]), np.inf)
    with np.errstate(divide="ignore", invalid="ignore"):
        for o, w, low, high in zip(origin, way, box.low, box.high, strict=True):
            a, b = (low - o) / w, (high - o) / w
            beside = (w == 0) & ((o < low) | (o > high))
            enter = np.where(w == 0, enter, np.maximum(enter, np.minimum(a, b)))
            leave = np.where(w == 0, leave, np.minimum(leave, np.maximum(a, b)))
            leave = np.where(beside, -1.0, leave)
    return np.where(enter <= leave, enter, np.inf)


def _polygon(origin: Sequence[Floats], way: Sequence[Floats], polygon: Polygon) -> Floats:
    (x, y), (u, v) = origin, way
    nearest = np.where(polygon.depth(origin) >= 0, 0.0, np.inf)
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
