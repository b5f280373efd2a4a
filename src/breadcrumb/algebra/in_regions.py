"""How bodies lie to regions: how far from one, and how far inside."""

from collections.abc import Callable, Iterator
from itertools import product

import numpy as np

from breadcrumb.algebra.bodies import Bodies, FixedBody, Pieces, gaps_between
from breadcrumb.algebra.regions import Polygon, Region
from breadcrumb.errors import Misuse
from breadcrumb.geometry.convex import is_convex
from breadcrumb.geometry.polygons import Polygons
from breadcrumb.geometry.rounded_boxes import RoundedBoxes
from breadcrumb.model.session import Floats, Ints

_BLOCK = 1 << 14
"""How many bodies are looked at at a time."""
_SPOTS = 9
"""At how many spots along each side a body is looked at, where nothing else tells how it lies to a region."""


def seen_with(bodies: Bodies, region: Region) -> Bodies:
    """Return bodies with as many dimensions as a region has, in plan if that has two.

    Raises:
        Misuse: the region has more dimensions than the bodies.
    """
    seen = bodies.in_plan if region.dimensions == 2 else bodies
    if region.dimensions != seen.dimensions and not seen.place.track.unseen:
        raise Misuse(f"{region} has {region.dimensions} dimensions and {bodies.position.title} has {seen.dimensions}")
    return seen


def gaps_to(bodies: Bodies, region: Region, indices: slice | Ints) -> Floats:
    """Return how far bodies on some samples are from a region; negative where they overlap it."""
    places = [part[indices] for part in bodies.place.parts]
    if bodies.is_round:
        return np.asarray(-region.depth(places) - bodies.radius_at(indices))
    fixed = FixedBody.of(region)
    if fixed is not None:
        return _in_blocks(
            bodies, indices, lambda pieces, count: gaps_between(pieces, fixed.at(np.zeros(count, np.int64)))
        )

    def sampled(pieces: Pieces, count: int) -> Floats:
        return np.asarray(-np.max([region.depth(list(spot)) + radius for spot, radius in _spots(pieces)], axis=0))

    return _in_blocks(bodies, indices, sampled)


def depths_within(bodies: Bodies, region: Region, indices: slice | Ints) -> Floats:
    """Return how far inside a region's border the whole of each body on some samples is; negative if a part is not."""
    places = [part[indices] for part in bodies.place.parts]
    if bodies.is_round:
        return np.asarray(region.depth(places) - bodies.radius_at(indices))
    fixed = FixedBody.of(region)
    bent = isinstance(region, Polygon) and not is_convex(np.array(region.corners))
    only_corners = fixed is not None and not bent  # what holds the corners of a convex body then holds all of it

    def within(pieces: Pieces, count: int) -> Floats:
        spots = _corners(pieces) if only_corners else _spots(pieces)
        depth = np.min([region.depth(list(spot)) - radius for spot, radius in spots], axis=0)
        if isinstance(region, Polygon) and bent:  # a corner that points inward may reach into a side
            for corner in region.corners:
                point = RoundedBoxes(
                    np.array(corner)[:, None].repeat(count, 1), np.zeros((0, 2, count)), np.zeros(count)
                )
                depth = np.minimum(depth, gaps_between(pieces, [point]))
        return np.asarray(depth)

    return _in_blocks(bodies, indices, within)


def lowest_points(bodies: Bodies, axis: int, sign: float) -> Floats:
    """Return how low bodies reach along an axis on every sample; the sign is -1 if that axis points down."""

    def lowest(pieces: Pieces, count: int) -> Floats:
        every = [sign * spot[axis] - radius for spot, radius in _corners(pieces)]
        return np.asarray(sign * np.min(every, axis=0))

    return _in_blocks(bodies, np.arange(len(bodies.place)), lowest)


def _in_blocks(bodies: Bodies, at: slice | Ints, compute: Callable[[Pieces, int], Floats]) -> Floats:
    indices = np.arange(len(bodies.place))[at]
    result = np.empty(len(indices))
    for begin in range(0, len(indices), _BLOCK):
        some = indices[begin : begin + _BLOCK]
        result[begin : begin + _BLOCK] = compute(bodies.at(some), len(some))
    return result


def _corners(pieces: Pieces) -> Iterator[tuple[Floats, Floats]]:
    """Return the corners of bodies, and what they are rounded by there."""
    for piece in pieces:
        if isinstance(piece, Polygons):
            yield from ((corner, piece.radius) for corner in piece.corners)
        else:
            yield from _grid(piece, np.array([-1.0, 1.0]))


def _spots(pieces: Pieces) -> Iterator[tuple[Floats, Floats]]:
    """Return spots all over bodies, and what they are rounded by there."""
    shares = np.linspace(-1.0, 1.0, _SPOTS)
    for piece in pieces:
        if isinstance(piece, RoundedBoxes):
            yield from _grid(piece, shares)
            continue
        for here, there in zip(piece.corners, np.roll(piece.corners, -1, axis=0), strict=True):
            yield from ((here + (there - here) * (share + 1) / 2, piece.radius) for share in shares)
        yield piece.corners.mean(axis=0), piece.radius


def _grid(boxes: RoundedBoxes, shares: Floats) -> Iterator[tuple[Floats, Floats]]:
    for several in product(shares.tolist(), repeat=len(boxes.halves)):
        moved = sum((share * half for share, half in zip(several, boxes.halves, strict=True)), np.zeros(1))
        yield boxes.centre + moved, boxes.radius
