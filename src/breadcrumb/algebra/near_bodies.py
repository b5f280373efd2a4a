"""Which bodies are near which, frame by frame, also between two frames."""

from dataclasses import replace

import numpy as np

from breadcrumb.algebra.bodies import Bodies, FixedBody, Pieces, gaps_between
from breadcrumb.algebra.pairs import Pairs, meets_one, near_pairs
from breadcrumb.geometry.rounded_boxes import RoundedBoxes
from breadcrumb.model.session import Floats, Ints

NO_PAIRS = Pairs(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0))
_TURNED = 0.1
"""By what share of the smallest extent a corner may move while the turn of a body is taken as one."""


def near_bodies(first: Bodies, second: Bodies, within: float, *, swept: bool = False) -> Pairs:
    """Return all pairs of bodies on one frame that are no farther apart than this, surface to surface.

    The distance of a pair is negative where the two overlap, by how far one must move to part them. With `swept`, it is
    the smallest one during the step that ends there: both move straight, and turn at a constant rate.
    """
    if first.place.track.unseen or second.place.track.unseen:
        return NO_PAIRS
    reach = first.reach + second.reach + within
    mine, yours, distance = near_pairs(first.place, second.place, reach, swept=swept)
    gap = _gaps(first, second, Pairs(mine, yours, distance), swept=swept)
    close = gap <= within
    return Pairs(mine[close], yours[close], gap[close])


def touches_one(first: Bodies, second: Bodies, within: float, *, swept: bool = False) -> Pairs:
    """Return the same where there is only ever one of the second; rounding may have moved the two apart."""
    if first.place.track.unseen:
        return NO_PAIRS
    near = meets_one(first.place, second.place, swept=swept)
    noise = np.broadcast_to(near.noise, len(near))
    mine = np.flatnonzero(near.usable & (near.parts[0] <= first.reach + second.reach + within + noise))
    yours = second.place.track.find_clock_index(first.place.track.clock_index[mine])
    gap = _gaps(first, second, Pairs(mine, yours, near.parts[0][mine]), swept=swept)
    close = gap <= within + noise[mine]
    return Pairs(mine[close], yours[close], gap[close])


def _gaps(first: Bodies, second: Bodies, pairs: Pairs, *, swept: bool) -> Floats:
    """Return how far the bodies of pairs are apart, given how far their positions are."""
    mine, yours, distance = pairs
    if not len(mine):
        return distance
    if first.is_round and second.is_round:
        return np.asarray(distance - first.radius_at(mine) - second.radius_at(yours))
    if not swept:
        return gaps_between(first.at(mine), second.at(yours))
    return smallest_gaps(first, second, mine, yours)


def smallest_gaps(first: Bodies, second: Bodies | FixedBody, mine: Ints, yours: Ints) -> Floats:
    """Return the smallest gaps during the steps that end at samples, in as many parts as the turns need."""
    stepped = first.has_step[mine]
    if isinstance(second, Bodies):
        stepped = stepped & second.has_step[yours]
    motion = first.step(mine) - second.step(yours)
    motion[:, ~stepped] = 0.0
    turn = first.turned_by(mine) * first.reach + second.turned_by(yours) * second.reach
    most = _TURNED * min(first.smallest, second.smallest) or np.inf
    count = np.where(stepped, np.maximum(np.ceil(turn / most), 1.0), 1.0)
    gap = np.full(len(mine), np.inf)
    for number in range(int(count.max(initial=0.0))):
        some = np.flatnonzero(count > number)
        back = 1.0 - (number + 1.0) / count[some]
        pieces = first.at(mine[some], back), second.at(yours[some], back)
        gap[some] = np.minimum(gap[some], gaps_between(*pieces, motion[:, some] / count[some]))
    return gap


def ways_apart(bodies: Bodies, other: Bodies | FixedBody, mine: Ints, yours: Ints) -> Floats:
    """Return which way each body gets away from the other one fastest, as vectors of any length."""
    pieces, others = bodies.at(mine), other.at(yours)
    small = _SMALL * max(bodies.reach, 1.0)
    ways = []
    for axis in range(bodies.dimensions):
        move = np.zeros((bodies.dimensions, 1))
        move[axis] = small
        ways.append(gaps_between(_moved(pieces, move), others) - gaps_between(_moved(pieces, -move), others))
    return np.stack(ways)


_SMALL = 1e-6
"""How far bodies are moved to see which way leads away, as a share of their reach."""


def _moved(pieces: Pieces, by: Floats) -> Pieces:
    return [
        replace(one, centre=one.centre + by)
        if isinstance(one, RoundedBoxes)
        else replace(one, corners=one.corners + by)
        for one in pieces
    ]
