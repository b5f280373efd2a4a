"""Where spans end: which end goes with which start, and how long what lies between lasts."""

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, duration, elapsed
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.participants import Participants
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Ints, Session


def next_end(starts: Moments, ends: Moments, at_start: Ints, at_end: Ints) -> Ints:
    """Return the clock index of the first end of its key after each start; the last clock index where there is none."""
    beyond = np.full(starts.count, starts.session.clock.size - 1)
    if not ends.count:
        return beyond
    clock_indices = starts.session.clock.size + 1
    high = int(max(ends.order.max(initial=0), starts.order.max(initial=0))) + 2
    wanted = (at_start * clock_indices + starts.clock_index) * high + starts.order
    found = (at_end * clock_indices + ends.clock_index) * high + ends.order
    order = np.argsort(found, kind="stable")
    index = np.searchsorted(found[order], wanted, side="right")
    close = order[np.minimum(index, ends.count - 1)]
    fits = (index < ends.count) & (at_end[close] == at_start) & (at_start != NOBODY)
    return np.where(fits, ends.clock_index[close], beyond)


def pair_codes(participants: Participants) -> Ints:
    """Return a number for the two participants of each row, whichever is by."""
    session = participants.session
    by, on = participants.codes
    size = session.lifetimes.size + len(session.names) + 1
    return np.asarray((np.minimum(by, on) + 1) * size + np.maximum(by, on))


def of_length(
    session: Session, first: Ints, last: Ints, at_least: Duration | None, at_most: Duration | None
) -> tuple[Bools, str]:
    """Return which spans last so long, and the limits in words; of one that never ended only the shortest counts.

    Raises:
        Misuse: there is no limit, or it is no duration.
    """
    if at_least is None and at_most is None:
        raise Misuse("lasting: expected at_least= or at_most=, such as at_least=seconds(0.5)")
    kept, said = np.ones(len(first), np.bool_), []
    clock = session.clock
    ended, after = last < session.end_of_episode(first), np.minimum(last + 1, clock.size - 1)
    for limit, word in ((at_least, "at least"), (at_most, "at most")):
        if limit is None:
            continue
        by = duration(limit, f"lasting({word.replace(' ', '_')}=)")
        lasts = elapsed(clock, first, after, by.unit)
        slack = SAME_TIME if by.unit == "s" else 0.0
        kept &= lasts >= by.value - slack if word == "at least" else ended & (lasts <= by.value + slack)
        said.append(f"{word} {by}")
    return kept, " and ".join(said)


def rows_of(rows: Ints | slice, count: int) -> Ints:
    """Return rows of so many as indices."""
    return np.arange(count)[rows] if isinstance(rows, slice) else rows
