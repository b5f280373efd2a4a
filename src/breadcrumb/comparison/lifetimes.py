"""Lifetimes of two sessions: missing, extra, early, late, longer, shorter, or of another parent."""

from collections.abc import Callable, Iterator

import numpy as np

from breadcrumb.align.lifetimes import LifetimePairs, begins, ends
from breadcrumb.align.timing import Positions, Timing
from breadcrumb.comparison.differences import Difference
from breadcrumb.model.session import NOBODY, Bools, Ints, Session


def lifetime_differences(timing: Timing, pairs: LifetimePairs) -> Iterator[Difference]:
    """Yield the lifetimes that differ, those without a counterpart first."""
    for side, numbers, words in (
        (timing.reference, pairs.missing, "missing"),
        (timing.candidate, pairs.extra, "extra"),
    ):
        for number in numbers[_is_seen(timing, side, numbers)].tolist():
            at = int(begins(side.session)[number])
            since = f"from {timing.frame_words(side, at)}"
            both = (since, "none") if words == "missing" else ("none", since)
            yield _of_lifetime(timing, side, number, at, words, *both)
    yield from _moved(timing, pairs, pairs.appears_apart, begins, "appears", "from")
    yield from _moved(timing, pairs, pairs.ends_apart, ends, "ends", "until")
    sides = timing.reference.session, timing.candidate.session
    for mine, yours in zip(pairs.reference.tolist(), pairs.candidate.tolist(), strict=True):
        parents = _parent(sides[0], mine), _parent(sides[1], yours)
        if parents[0] != parents[1]:
            at = int(begins(sides[0])[mine])
            told = [one or "none" for one in parents]
            yield _of_lifetime(timing, timing.reference, mine, at, "parent differs", *told)


def _is_seen(timing: Timing, side: Positions, numbers: Ints) -> Bools:
    """Tell which lifetimes the other session should have: a shorter one than a step may lie between two frames."""
    if timing.by == "frame":
        return np.ones(len(numbers), np.bool_)
    other = timing.candidate if side is timing.reference else timing.reference
    first, last = (where(side.session)[numbers] for where in (begins, ends))
    lasted = side.at[np.minimum(last + 1, side.session.clock.size - 1)] - side.at[first]
    steps = other.slack[np.minimum(np.searchsorted(other.at, side.at[first]), other.session.clock.size - 1)]
    begin, end = timing.shared
    return np.asarray((lasted > steps) & (side.at[last] > begin) & (side.at[first] < end))


def _moved(
    timing: Timing, pairs: LifetimePairs, apart: Bools, where: Callable[[Session], Ints], verb: str, preposition: str
) -> Iterator[Difference]:
    """Yield the lifetimes that begin, or end, on another frame, or more than a step apart."""
    sides = timing.reference, timing.candidate
    at = [where(side.session)[numbers] for side, numbers in zip(sides, (pairs.reference, pairs.candidate), strict=True)]
    late = sides[1].at[at[1]] - sides[0].at[at[0]]
    for row in np.flatnonzero(apart).tolist():
        told = [timing.frame_words(side, int(index[row])) for side, index in zip(sides, at, strict=True)]
        # the session that alone has it, and the first frame on which that is so
        alone = 0 if (late[row] < 0) == (verb == "ends") else 1
        begin = int(at[alone][row])
        index = _after(sides[alone], sides[1 - alone], int(at[1 - alone][row])) if verb == "ends" else begin
        number = int((pairs.reference, pairs.candidate)[alone][row])
        words = f"{verb} {timing.amount(float(late[row]))}"
        yield _of_lifetime(timing, sides[alone], number, index, words, *(f"{preposition} {one}" for one in told))


def _after(side: Positions, other: Positions, clock_index: int) -> int:
    """Return the first clock index of one session that is after a clock index of the other."""
    index = int(np.searchsorted(side.at, other.at[clock_index], side="right"))
    return min(index, side.session.clock.size - 1)


def _parent(session: Session, number: int) -> str:
    parent = int(session.lifetimes.parent[number])
    return "" if parent == NOBODY else session.names[parent]


def _of_lifetime(
    timing: Timing, side: Positions, number: int, at: int, words: str, mine: str, yours: str
) -> Difference:
    session = side.session
    frame, time = timing.moment(side, min(at, session.clock.size - 1))
    parent = _parent(session, number)
    return Difference(
        "lifetime", session.kinds[session.lifetimes.kind[number]], session.who(number), frame, time, words, mine,
        yours, last=frame, others=(parent,) if parent else (),
    )  # fmt: skip
