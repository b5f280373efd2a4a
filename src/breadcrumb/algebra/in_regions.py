"""How bodies lie to regions: how far from one, and how far inside."""

from collections.abc import Callable, Iterator
from itertools import product

import numpy as np

from breadcrumb.algebra.bodies import Bodies, FixedBody, Pieces, gaps_between
from breadcrumb.algebra.near_bodies import smallest_gaps
from breadcrumb.algebra.region import Combined, Region, Timed
from breadcrumb.algebra.regions import OF_ONE_PIECE, Polygon
from breadcrumb.errors import Misuse
from breadcrumb.geometry.convex import is_convex
from breadcrumb.geometry.polygons import Polygons
from breadcrumb.geometry.rounded_boxes import RoundedBoxes
from breadcrumb.model.session import Floats, Ints

_BLOCK = 1 << 14
"""How many bodies are looked at at a time."""
_SPOTS = 9
"""At how many spots along each side a body is looked at, where nothing else tells how it lies to a region."""
_ROUND = 24
"""At how many spots round it."""


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
    if isinstance(region, Timed):
        there = region.there[bodies.place.track.clock_index[indices]]
        return np.where(there, gaps_to(bodies, region.region, indices), np.inf)
    if isinstance(region, Combined) and region.how == "or":
        return np.minimum(*(gaps_to(bodies, one, indices) for one in (region.one, region.other)))
    if bodies.is_round and isinstance(region, OF_ONE_PIECE):
        return np.asarray(-region.depth(_places(bodies, indices)) - bodies.radius_at(indices))
    fixed = FixedBody.of(region)
    if fixed is not None:
        return _in_blocks(bodies, indices, lambda pieces, some: gaps_between(pieces, fixed.at(some)))

    def sampled(pieces: Pieces, some: Ints) -> Floats:
        when = bodies.place.track.clock_index[some]
        return np.asarray(-np.max([region.depth(list(spot), when) for spot in _spots(pieces, region.finest)], axis=0))

    return _in_blocks(bodies, indices, sampled)


def swept_gaps_to(bodies: Bodies, region: Region, indices: Ints) -> Floats:
    """Return how far bodies are from a region at the least during the steps that end at samples, if all go straight.

    Raises:
        Misuse: the region is of several pieces, of which each has to be asked by itself.
    """
    fixed = FixedBody.of(region)
    if fixed is None:
        raise Misuse(f"swept: expected a region of one piece, found {region}; ask of each of its pieces")
    gap = gaps_to(bodies, region, indices)
    moved = np.sqrt((bodies.step(indices) ** 2).sum(axis=0)) + bodies.turned_by(indices) * bodies.reach
    near = np.flatnonzero(gap <= moved)
    some = indices[near]
    gap[near] = smallest_gaps(bodies, fixed, some, some)
    return gap


def depths_within(bodies: Bodies, region: Region, indices: slice | Ints) -> Floats:
    """Return how far inside a region's border the whole of each body on some samples is; negative if a part is not."""
    if isinstance(region, Timed):
        there = region.there[bodies.place.track.clock_index[indices]]
        return np.where(there, depths_within(bodies, region.region, indices), -np.inf)
    if isinstance(region, Combined) and region.how != "or":
        mine = depths_within(bodies, region.one, indices)
        measure = depths_within if region.how == "and" else gaps_to
        return np.minimum(mine, measure(bodies, region.other, indices))
    is_one = isinstance(region, OF_ONE_PIECE)
    if bodies.is_round and is_one:
        return np.asarray(region.depth(_places(bodies, indices)) - bodies.radius_at(indices))
    bent = isinstance(region, Polygon) and not is_convex(np.array(region.corners))

    def within(pieces: Pieces, some: Ints) -> Floats:
        if bent or not is_one:
            when = bodies.place.track.clock_index[some]
            depth = np.min([region.depth(list(spot), when) for spot in _spots(pieces, region.finest)], axis=0)
        else:  # what holds the corners of a convex body then holds all of it
            depth = np.min([region.depth(list(spot)) - radius for spot, radius in _corners(pieces)], axis=0)
        if isinstance(region, Polygon) and bent:  # a corner that points inward may reach into a side
            for corner in region.corners:
                depth = np.minimum(depth, gaps_between(pieces, [_point(corner, len(some))]))
        return np.asarray(depth)

    return _in_blocks(bodies, indices, within)


def gaps_of(bodies: Bodies, others: Bodies, indices: Ints, theirs: Ints) -> Floats:
    """Return how far bodies on some samples are from others on theirs; negative where they overlap."""
    return gaps_between(bodies.at(indices), others.at(theirs))


def depths_within_bodies(bodies: Bodies, others: Bodies, indices: Ints, theirs: Ints) -> Floats:
    """Return how far inside the surface of other convex bodies the whole of each body is; negative if a part is not."""
    around = others.at(theirs)
    every = [
        -gaps_between([RoundedBoxes(spot, np.zeros((0, *spot.shape)), radius * 0.0)], around) - radius
        for spot, radius in _corners(bodies.at(indices))
    ]
    return np.asarray(np.min(every, axis=0))


def deepest_spot(bodies: Bodies, region: Region, index: int) -> Floats:
    """Return the spot of a body on a sample that is deepest in a region."""
    at = np.array([index])
    spots = np.hstack(list(_spots(bodies.at(at), region.finest)))
    depth = region.depth(list(spots), bodies.place.track.clock_index[at].repeat(spots.shape[1]))
    return np.asarray(spots[:, int(np.argmax(depth))])


def lowest_points(bodies: Bodies, axis: int, sign: float) -> Floats:
    """Return how low bodies reach along an axis on every sample; the sign is -1 if that axis points down."""

    def lowest(pieces: Pieces, some: Ints) -> Floats:
        every = [sign * spot[axis] - radius for spot, radius in _corners(pieces)]
        return np.asarray(sign * np.min(every, axis=0))

    return _in_blocks(bodies, np.arange(len(bodies.place)), lowest)


def _places(bodies: Bodies, indices: slice | Ints) -> list[Floats]:
    return [part[indices] for part in bodies.place.parts]


def _point(corner: tuple[float, float], count: int) -> RoundedBoxes:
    return RoundedBoxes(np.array(corner)[:, None].repeat(count, 1), np.zeros((0, 2, count)), np.zeros(count))


def _in_blocks(bodies: Bodies, at: slice | Ints, compute: Callable[[Pieces, Ints], Floats]) -> Floats:
    indices = np.arange(len(bodies.place))[at]
    result = np.empty(len(indices))
    for begin in range(0, len(indices), _BLOCK):
        some = indices[begin : begin + _BLOCK]
        result[begin : begin + _BLOCK] = compute(bodies.at(some), some)
    return result


def _corners(pieces: Pieces) -> Iterator[tuple[Floats, Floats]]:
    """Return the corners of bodies, and what they are rounded by there."""
    for piece in pieces:
        if isinstance(piece, Polygons):
            yield from ((corner, piece.radius) for corner in piece.corners)
        else:
            yield from ((spot, piece.radius) for spot in _grid(piece, np.array([-1.0, 1.0])))


def _spots(pieces: Pieces, finest: float) -> Iterator[Floats]:
    """Return spots all over bodies, those on what rounds them among them, two at least in what is as wide as this."""
    for piece in pieces:
        longest = 2 * float(piece.ball.radius.max(initial=0.0))
        shares = np.linspace(-1.0, 1.0, max(_SPOTS, int(np.ceil(2 * longest / finest)) + 1))
        if isinstance(piece, RoundedBoxes):
            for spot in _grid(piece, shares):
                yield spot
                if piece.radius.any():
                    yield from (spot + way[:, None] * piece.radius for way in _ways(len(spot)))
            continue
        for here, there in zip(piece.corners, np.roll(piece.corners, -1, axis=0), strict=True):
            yield from (here + (there - here) * (share + 1) / 2 for share in shares)
        yield piece.corners.mean(axis=0)


def _grid(boxes: RoundedBoxes, shares: Floats) -> Iterator[Floats]:
    for several in product(shares.tolist(), repeat=len(boxes.halves)):
        yield boxes.centre + sum((share * half for share, half in zip(several, boxes.halves, strict=True)), np.zeros(1))


def _ways(dimensions: int) -> Floats:
    """Return unit vectors all round."""
    turns = np.linspace(0, 2 * np.pi, _ROUND, endpoint=False)
    if dimensions == 2:
        return np.stack((np.cos(turns), np.sin(turns)), axis=1)
    height = np.linspace(-1, 1, _SPOTS)[:, None]
    flat = np.sqrt(1 - height**2)
    ways = np.stack(np.broadcast_arrays(flat * np.cos(turns), flat * np.sin(turns), height), axis=-1)
    return ways.reshape(-1, 3)
