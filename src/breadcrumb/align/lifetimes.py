"""Which lifetimes of two sessions are of the same object."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import chain
from typing import NamedTuple

import numpy as np

from breadcrumb.align.matching import Moments, Pair, restarts_and_end
from breadcrumb.align.timing import Timing
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session


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
    late: Floats
    """By how many seconds a lifetime of the candidate is late if that is to be expected; 0 of all others."""
    appears_apart: Bools
    """Which pairs do not begin at the same time."""
    ends_apart: Bools
    """Which pairs do not end at the same time."""


def pair_lifetimes(timing: Timing) -> LifetimePairs:
    """Pair lifetimes of the same kind and id: those that begin at the same time, then in order within two seconds."""
    sides = timing.reference, timing.candidate
    first, second = (Moments(side, begins(side.session)) for side in sides)
    mine, yours = (_by_kind(side.session) for side in sides)
    pairs, excused = list[Pair](), (list[int](), list[int]())
    for kind in mine.keys() & yours.keys():
        matched = first.match(second, mine[kind], yours[kind], timing)
        left, rest = set(matched.missing), set(matched.extra)
        pairs += matched.pairs
        for side, given, those in ((0, mine, left), (1, yours, rest)):
            excused[side].extend({*chain(*given[kind].values())} - {pair[side] for pair in matched.pairs} - those)
        for name in mine[kind].keys() & yours[kind].keys():
            near = (
                [each for each in side[kind][name] if each in those] for side, those in ((mine, left), (yours, rest))
            )
            pairs += first.near_pairs(second, next(near), next(near))
    pairs.sort()
    one, other = (np.array(column, np.int64) for column in (zip(*pairs, strict=True) if pairs else ((), ())))
    late = _lateness(timing, one, other, begins)
    expected = _is_expected(timing, one, late)
    after = _lateness(timing, one, other, ends)
    ends_apart = after.is_apart & ~_is_expected(timing, one, after)
    if timing.by == "time":
        lasts_alike = np.abs(after.seconds - late.seconds) <= np.maximum(late.allowed, after.allowed)
        ends_apart &= ~lasts_alike & ~_is_cut(timing, after, late)
    return LifetimePairs(
        one, other, _left(sides[0].session, [*one, *excused[0]]), _left(sides[1].session, [*other, *excused[1]]),
        np.where(expected & (np.abs(late.seconds) > late.around), late.seconds, 0.0), late.is_apart & ~expected,
        ends_apart,
    )  # fmt: skip


class _Lateness(NamedTuple):
    """How late something of each pair is in the candidate."""

    seconds: Floats
    """In seconds, or in frames."""
    allowed: Floats
    around: Floats
    """How far around it values are compared."""
    at: Floats
    """Where it is in the reference."""

    @property
    def is_apart(self) -> Bools:
        """Which are not at the same time."""
        return np.asarray(np.abs(self.seconds) > self.allowed)


def _lateness(timing: Timing, one: Ints, other: Ints, where: Callable[[Session], Ints]) -> _Lateness:
    sides = ((timing.reference, one), (timing.candidate, other))
    index = [where(side.session)[numbers] for side, numbers in sides]
    at, slack, around = (
        [getattr(side, name)[each] for (side, _), each in zip(sides, index, strict=True)]
        for name in ("at", "slack", "around")
    )
    if timing.by == "time":  # what was there before the other session began, or after it ended, tells nothing
        at = [np.clip(one, *timing.shared) for one in at]
    return _Lateness(at[1] - at[0], np.maximum(*slack), np.maximum(*around), at[0])


def _is_cut(timing: Timing, after: _Lateness, late: _Lateness) -> Bools:
    """Tell which are cut by a restart, or the end, in one session, and would be in the other if they were as late."""
    cut = np.zeros(len(after.at), np.bool_)
    for side, at, other in (
        (timing.reference, after.at, after.at + after.seconds - late.seconds),
        (timing.candidate, after.at + after.seconds, after.at + late.seconds),
    ):
        ends = np.array(restarts_and_end(side))
        end = ends[np.minimum(np.searchsorted(ends, at), len(ends) - 1)]
        cut |= (at >= end - after.allowed) & (other >= end - after.allowed)
    return cut


def _is_expected(timing: Timing, one: Ints, late: _Lateness) -> Bools:
    """Tell which are as late as those of their kind before, as with a timer that begins anew on a frame each time."""
    if timing.by == "frame":
        return np.zeros(len(one), np.bool_)
    kind = timing.reference.session.lifetimes.kind[one]
    order = np.lexsort((late.at, kind))
    before = np.append(0.0, late.seconds[order][:-1])
    before[np.diff(kind[order], prepend=NOBODY) != 0] = 0.0
    expected = np.zeros(len(one), np.bool_)
    expected[order] = np.abs(late.seconds[order] - before) <= late.allowed[order]
    return expected


def _by_kind(session: Session) -> dict[str, dict[str, list[int]]]:
    """Return the lifetimes of each kind, in order of time, by their object."""
    found: dict[str, dict[str, list[int]]] = {}
    lifetimes = session.lifetimes
    for number in np.argsort(begins(session), kind="stable").tolist():
        kind, name = session.kinds[lifetimes.kind[number]], session.names[lifetimes.name[number]]
        found.setdefault(kind, {}).setdefault(name, []).append(number)
    return found


def begins(session: Session) -> Ints:
    """Return the clock index on which each lifetime begins: that of its first sample, or on which it appeared."""
    lifetimes = session.lifetimes
    return np.where(lifetimes.first != NOBODY, lifetimes.first, np.maximum(lifetimes.appear, 0))


def ends(session: Session) -> Ints:
    """Return the clock index on which each lifetime ends: that of its last sample, or on which it appeared."""
    return np.where(session.lifetimes.last != NOBODY, session.lifetimes.last, begins(session))


def _left(session: Session, taken: Sequence[int]) -> Ints:
    return np.setdiff1d(np.arange(session.lifetimes.size), np.array(taken, np.int64))
