"""Velocities after bounces off one wall, or off several at once."""

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.session import Bools, Floats, Ints

_SAME = 6
"""To how many digits two normals must be alike to be those of one wall."""
_PARALLEL = 1e-9


class Walls(NamedTuple):
    """What bounces are off; arrays of equal length, in the order of the contacts."""

    bounce: Ints
    """Of which bounce each is."""
    nth: Ints
    """Which of its bounce's walls each is, counted from 0."""
    normal: Floats
    """A unit vector each."""
    velocity: Floats
    """How fast each moves."""
    restitution: Floats
    """The share of the part along the normal that each leaves, turned round; a column."""


class Corner(NamedTuple):
    """What bounces are off: each wall once, and each as often as it was touched on another frame, or after another."""

    walls: Walls
    touched: Walls


def told_normals(contacts: Moments, key: str, parts: int) -> Floats:
    """Return the normals that contacts tell, of length 1.

    Raises:
        Misuse: a contact has no normal, or one with another number of parts than the velocity.
    """
    normals = contacts[key]
    if normals.ndim != 2 or normals.shape[1] not in (parts, 2) or np.isnan(normals).any():
        raise Misuse(
            f"bounces: expected a normal of {parts} numbers in the entry {key!r} of each {contacts.label}, "
            f"found {normals[0] if contacts.count else 'none'}"
        )
    flat = np.zeros((contacts.count, parts))
    flat[:, : normals.shape[1]] = normals
    return np.asarray(flat / np.linalg.norm(flat, axis=1, keepdims=True))


def told_restitutions(contacts: Moments, restitution: float | Mapping[str, float], key: str) -> Floats:
    """Return the restitution of each contact, as a column: the same of all, or that of the zone that it names.

    Raises:
        UnknownName: a contact is with a zone that is not among them.
    """
    if not isinstance(restitution, Mapping):
        return np.full((contacts.count, 1), float(restitution))
    zones = [None if zone is None else str(zone) for zone in contacts[key].tolist()]
    for zone in zones:
        if zone is None:
            raise Misuse(f"bounces: expected the name of a zone in the entry {key!r} of each {contacts.label}")
        if zone not in restitution:
            raise UnknownName("zone", zone, restitution, "restitution=")
    return np.array([[restitution[zone]] for zone in zones if zone is not None], np.float64)


def walls_of(contacts: Moments, bounce: Ints, normals: Floats, velocity: Floats, restitution: Floats) -> Corner:
    """Return the walls that contacts are with, given the bounce of each.

    Contacts with one normal and one restitution are with one wall.
    """
    leading = np.take_along_axis(normals, np.argmax(np.abs(normals), axis=1)[:, None], axis=1)
    alike = np.round(normals * np.sign(leading), _SAME) + 0.0  # of either sense, and without a zero of its own
    each: Floats = np.hstack((bounce[:, None], alike, restitution)).astype(np.float64)
    in_turn = np.hstack((bounce[:, None], _runs(each, contacts)[:, None]))
    return Corner(*(_once(rows, contacts, bounce, normals, velocity, restitution) for rows in (each, in_turn)))


def _runs(walls: Floats, contacts: Moments) -> Ints:
    """Return a number for each run of contacts on one frame, as they are told, that are with one wall."""
    order = np.lexsort((contacts.order, contacts.clock_index, walls[:, 0]))
    fresh = np.ones(len(order), np.bool_)
    fresh[1:] = (walls[order][1:] != walls[order][:-1]).any(axis=1) | (np.diff(contacts.clock_index[order]) != 0)
    run = np.empty(len(order), np.int64)
    run[order] = np.cumsum(fresh)
    return run


def _once(
    rows: Floats | Ints, contacts: Moments, bounce: Ints, normals: Floats, velocity: Floats, restitution: Floats
) -> Walls:
    """Return the walls of contacts, of those with equal rows the first one alone."""
    _, first = np.unique(rows, axis=0, return_index=True)
    kept = first[np.lexsort((first, contacts.clock_index[first], bounce[first]))]
    which = bounce[kept]
    starts = np.flatnonzero(np.hstack((True, which[1:] != which[:-1])))
    nth = np.arange(len(which)) - np.repeat(starts, np.diff(starts, append=len(which)))
    return Walls(which, nth, normals[kept], velocity[kept], restitution[kept])


def nearest_reflection(before: Floats, after: Floats, corner: Corner, friction: float) -> Floats:
    """Return, of the velocities that bounces may end with, those that are nearest to the ones that were found.

    Args:
        before: the velocity before each bounce, a row each.
        after: the velocity that was found after it.
        corner: what they are off.
        friction: the coefficient of friction, which slows down the part along a wall.
    """
    walls = corner.walls
    result, in_turn = (_off_each(before, several, friction) for several in corner)
    many, touched = (np.bincount(several.bounce, minlength=len(before)) for several in corner)
    again = (many > 1) & (touched > many)  # off one, another one, and the first one again
    again &= np.linalg.norm(in_turn - after, axis=1) < np.linalg.norm(result - after, axis=1)
    result[again] = in_turn[again]
    still = np.bincount(walls.bounce, np.abs(walls.velocity).sum(axis=1), len(before)) == 0
    two = np.flatnonzero((many == 2) & still)
    one, other = (_Wall.of(walls, np.isin(walls.bounce, two) & (walls.nth == nth)) for nth in (0, 1))
    for ends in _off_two(before[two], one, other, friction):
        nearer = np.linalg.norm(ends - after[two], axis=1) < np.linalg.norm(result[two] - after[two], axis=1)
        result[two[nearer]] = ends[nearer]
    return result


class _Wall(NamedTuple):
    """One wall of each bounce: its normal and its restitution."""

    normal: Floats
    restitution: Floats

    @classmethod
    def of(cls, walls: Walls, chosen: Bools) -> "_Wall":
        """Return some of the walls."""
        return cls(walls.normal[chosen], walls.restitution[chosen])


def _off_each(before: Floats, walls: Walls, friction: float) -> Floats:
    """Return velocities after reflection off one wall after the other, as told."""
    result = before.copy()
    for turn in range(int(walls.nth.max(initial=-1)) + 1):  # as many turns as the fullest corner has walls
        now = walls.nth == turn
        at = walls.bounce[now]
        own = walls.velocity[now]
        result[at] = own + _reflected(result[at] - own, _Wall.of(walls, now), friction)
    return result


def _reflected(velocity: Floats, wall: _Wall, friction: float) -> Floats:
    """Return velocities after reflection off a wall each.

    v' = v - (1 + e) (v . n) n for a unit normal n: the law of reflection with a coefficient of restitution e. Friction
    takes at most f (1 + e) |v . n| from the part along the wall, by Coulomb's law for an impulse.
    """
    normal, restitution = wall
    along = _along(velocity, normal)
    off = velocity - (1 + restitution) * along * normal
    if not friction:
        return np.asarray(off)
    beside = velocity - along * normal
    length = np.linalg.norm(beside, axis=1, keepdims=True)
    pressed = np.abs(along) > 0  # without pressure there is no friction, however rough it is
    lost = np.minimum(np.multiply(friction * (1 + restitution), np.abs(along), where=pressed, out=along * 0.0), length)
    return np.asarray(off - beside * lost / np.where(length > 0, length, 1.0))


def _off_two(velocity: Floats, one: _Wall, other: _Wall, friction: float) -> tuple[Floats, ...]:
    """Return what else velocities may be after two walls, besides off one after the other as told; NaN where not so."""
    off_one, off_other = (_reflected(velocity, wall, friction) for wall in (one, other))
    # at once: v' = v - (a n + b m), with a and b such that both parts along the normals turn round, each by its share
    n, m = one.normal, other.normal
    across = _along(n, m)
    mine, yours = (1 + one.restitution) * _along(velocity, n), (1 + other.restitution) * _along(velocity, m)
    apart = np.where(1 - across**2 > _PARALLEL, 1 - across**2, np.nan)
    at_once = velocity - ((mine - across * yours) * n + (yours - across * mine) * m) / apart
    return (
        _reflected(off_other, one, friction),
        at_once,
        np.where(_leaves(velocity, off_one, m), off_one, np.nan),
        np.where(_leaves(velocity, off_other, n), off_other, np.nan),
    )


def _leaves(before: Floats, after: Floats, normal: Floats) -> Bools:
    """Return which velocities lead away from a wall that they led to, or past it."""
    return np.asarray(_along(before, normal) * _along(after, normal) <= 0)


def _along(vectors: Floats, normal: Floats) -> Floats:
    return np.asarray(np.sum(vectors * normal, axis=1, keepdims=True))
