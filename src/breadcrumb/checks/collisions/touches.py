"""Touches of each two objects, and the contacts that tell of them."""

import numpy as np

from breadcrumb.algebra.closing import pair_codes
from breadcrumb.algebra.indexing import Index
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.participants import Origin, Participants
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.stretches import is_inside
from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import NOBODY, Bools, Ints


def stretches_of_pairs(track: Track, mine: Ints, other: Track, yours: Ints) -> Spans:
    """Return the stretches on which two touch, by the one on the other, from the samples on which they do."""
    by, on = track.lifetime[mine], other.lifetime[yours]
    order = np.lexsort((mine, on))
    mine, by, on = mine[order], by[order], on[order]
    goes_on = np.zeros(len(mine), np.bool_)
    goes_on[1:] = (on[1:] == on[:-1]) & (mine[1:] == mine[:-1] + 1) & ~track.first_of_lifetime[mine[1:]]
    begin, end = np.flatnonzero(~goes_on), np.flatnonzero(~np.hstack((goes_on[1:], False))[: len(mine)])
    in_order = np.argsort(mine[begin], kind="stable")
    begin, end = begin[in_order], end[in_order]
    session, first = track.session, track.clock_index[mine[begin]]
    label = f"touches of {track.whose} and {other.whose}"
    kinds = frozenset((one, another) for one in track.kinds for another in other.kinds)
    known = by[begin], on[begin]
    names = session.lifetimes.name
    named = tuple(np.where(one == NOBODY, NOBODY, names[one]) if len(names) else one for one in known)
    who = Participants(session, first, (named[0], named[1]), (Origin(label, kinds, "by"),), None, known)
    return Spans(session, label, who, first, track.clock_index[mine[end]])


def names_both(events: Moments, touches: Spans) -> Bools:
    """Return which events are by and on two objects of the kinds of which touches are known pair by pair."""
    if touches.pairs is None:
        return np.zeros(events.count, np.bool_)
    session = events.session
    kinds = np.append(session.lifetimes.kind, NOBODY)  # that of nobody stands last
    number = {kind: index for index, kind in enumerate(session.kinds)}
    told = np.zeros(events.count, np.bool_)
    by, on = (kinds[one] for one in (events.participants.by_lifetime, events.participants.on_lifetime))
    for mine, yours in touches.pairs.participants.origins[0].pairs:
        for one, another in ((mine, yours), (yours, mine)):
            told |= (by == number.get(one or "", NOBODY - 1)) & (on == number.get(another or "", NOBODY - 1))
    return told


def tell(pairs: Spans, first: Ints, last: Ints, events: Moments) -> Bools:
    """Return of which touches an event of the same two tells, from a first to a last clock index of each."""
    index = Index.of(events.session, pair_codes(events.participants), events.clock_index)
    return index.any_between(pair_codes(pairs.participants), first, last)


def are_told_of(events: Moments, pairs: Spans) -> Bools:
    """Return which events lie in a touch of their two."""
    size = events.session.clock.size + 1
    code = pair_codes(pairs.participants) * size
    at = pair_codes(events.participants) * size + events.clock_index
    return is_inside(at, code + pairs.first, code + pairs.last)


def follow_another(key: Ints, clock_index: Ints, touch: Ints, first: Ints, last: Ints, events: Moments) -> Bools:
    """Return which events follow another one of their key in one touch of it.

    Args:
        key: what tells the events apart.
        clock_index: when each is.
        touch: the keys of the touches.
        first: when each touch begins.
        last: when each ends.
        events: of which session they are.
    """
    index = Index.of(events.session, key, clock_index)
    begin, end = index.place(touch, first), index.place(touch, last, "right")
    inside = np.zeros(len(index.order) + 1, np.int64)  # how many touches each follows another event of
    np.add.at(inside, np.minimum(begin + 1, end), 1)
    np.add.at(inside, end, -1)
    again = np.zeros(len(key), np.bool_)
    again[index.order] = np.cumsum(inside)[:-1] > 0
    return again


def one_way_codes(participants: Participants) -> tuple[Ints, Ints]:
    """Return a number for the two participants of each row as by and on, and one for them the other way round."""
    by, on = participants.codes
    size = participants.session.lifetimes.size + len(participants.session.names) + 1
    return (by + 1) * size + on, (on + 1) * size + by
