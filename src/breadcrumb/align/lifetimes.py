"""Which lifetimes of two sessions are of the same object."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from breadcrumb.model.session import NOBODY, Ints, Session

WITHIN = 2.0
"""How many seconds apart the beginnings of a lifetime may be."""
Whose: TypeAlias = tuple[str, str]
"""The kind and the id of an object."""


@dataclass(frozen=True)
class LifetimePairs:
    """Lifetimes of two sessions that belong together, and those that have no counterpart."""

    reference: Ints
    candidate: Ints
    """The lifetimes that belong together; arrays of equal length."""
    missing: Ints
    """Lifetimes of the reference without a counterpart."""
    extra: Ints
    """Lifetimes of the candidate without a counterpart."""


def pair_lifetimes(reference: Session, candidate: Session) -> LifetimePairs:
    """Pair lifetimes of the same kind and id: those that begin at the same time, then in order within two seconds."""
    mine, yours = _by_object(reference), _by_object(candidate)
    pairs: list[tuple[int, int]] = []
    for whose in mine.keys() | yours.keys():
        pairs += _paired(mine.get(whose, []), yours.get(whose, []), reference, candidate)
    pairs.sort()
    one, other = (np.array(column, np.int64) for column in (zip(*pairs, strict=True) if pairs else ((), ())))
    return LifetimePairs(one, other, _left(reference, one), _left(candidate, other))


def _by_object(session: Session) -> dict[Whose, list[int]]:
    """Return the lifetimes, in order, by their object."""
    found: dict[Whose, list[int]] = {}
    lifetimes = session.lifetimes
    for number in range(lifetimes.size):
        whose = session.kinds[lifetimes.kind[number]], session.names[lifetimes.name[number]]
        found.setdefault(whose, []).append(number)
    return found


def _paired(mine: list[int], yours: list[int], reference: Session, candidate: Session) -> Iterator[tuple[int, int]]:
    first, second = (side.clock.times[begins(side)] for side in (reference, candidate))
    at = {(round(float(second[number]), 6)): number for number in yours}
    left: list[int] = []
    taken: set[int] = set()
    for number in mine:
        same = at.get(round(float(first[number]), 6))
        if same is None:
            left.append(number)
        else:
            taken.add(same)
            yield number, same
    rest = [number for number in yours if number not in taken]
    for number in left:
        near = next((other for other in rest if abs(float(second[other] - first[number])) <= WITHIN), None)
        if near is not None:
            rest.remove(near)
            yield number, near


def begins(session: Session) -> Ints:
    """Return the clock index on which each lifetime begins: that of its first sample, or on which it appeared."""
    lifetimes = session.lifetimes
    return np.where(lifetimes.first != NOBODY, lifetimes.first, np.maximum(lifetimes.appear, 0))


def ends(session: Session) -> Ints:
    """Return the clock index on which each lifetime ends: that of its last sample, or on which it appeared."""
    return np.where(session.lifetimes.last != NOBODY, session.lifetimes.last, begins(session))


def _left(session: Session, taken: Ints) -> Ints:
    return np.setdiff1d(np.arange(session.lifetimes.size), taken)
