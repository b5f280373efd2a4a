"""Contacts: each from the event that begins it to the one that ends it, pair by pair."""

from dataclasses import dataclass
from typing import Self

import numpy as np

from breadcrumb.algebra.closing import pair_codes
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints


@dataclass(frozen=True, eq=False, repr=False)
class Contacts(Spans):
    """Spans of contacts; one that has several parts touching lasts until none does.

    Its length is NaN if nothing shows its end; a participant that leaves ends it.
    """

    repeated: Moments | None = None
    """The begins of pairs that were in contact already: with another part, or told again."""
    unbegun: Moments | None = None
    """The ends of pairs that were in no contact."""

    @classmethod
    def told_by(cls, begins: Moments, ends: Moments, part: str = "") -> Self:
        """Return the contacts that events tell.

        Args:
            begins: the events that begin one.
            ends: the events that end one, by and on the same two, whichever is by.
            part: the entry of their data that names which parts touch; then each part has contacts of its own.

        Raises:
            Misuse: an event lacks that entry.
        """
        session, count = begins.session, begins.count
        told = _Told.of(begins, ends, part)
        opens, repeated = (told.rows[mask & (told.way > 0)] for mask in (told.before == 0, told.before > 0))
        unbegun = told.rows[(told.way < 0) & (told.before == 0)] - count
        ended = np.flatnonzero((told.way < 0) & (told.before > 0) & (told.depth == 0))
        begun = np.flatnonzero((told.way > 0) & (told.before == 0))
        found = np.searchsorted(ended, begun)
        close = ended[np.minimum(found, max(len(ended) - 1, 0))] if len(ended) else np.zeros(len(begun), np.int64)
        closed = (found < len(ended)) & (told.group[close] == told.group[begun])
        last = np.where(closed, told.clock_index[close], session.end_of_episode(told.clock_index[begun]))
        who = begins.participants.pick(opens)
        for lifetime in (who.by_lifetime, who.on_lifetime):
            leave = np.append(session.lifetimes.leave, NOBODY)[lifetime]
            last = np.where(~closed & (lifetime != NOBODY) & (leave != NOBODY), np.minimum(last, leave - 1), last)
        order = np.argsort(opens, kind="stable")
        return cls(
            session, f"{begins.label} to {ends.label}", who.pick(order), begins.clock_index[opens][order],
            np.maximum(last, begins.clock_index[opens])[order], key=begins.key, unseen=begins.why_unknown,
            repeated=begins.pick(np.sort(repeated)), unbegun=ends.pick(np.sort(unbegun)),
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Told:
    """Begins and ends, pair by pair in the order in which they were told; arrays of equal length."""

    rows: Ints
    """Which event each is: first all begins are counted, then all ends."""
    group: Ints
    clock_index: Ints
    way: Ints
    """1 for a start, -1 for an end."""
    before: Ints
    """How many contacts of the pair were under way."""
    depth: Ints
    """How many are from then on."""

    @classmethod
    def of(cls, begins: Moments, ends: Moments, part: str) -> "_Told":
        both = (begins, ends)
        way = np.repeat([1, -1], [one.count for one in both])
        clock_index, order = (np.concatenate([getattr(one, what) for one in both]) for what in ("clock_index", "order"))
        keys = [np.concatenate([pair_codes(one.participants) for one in both]), begins.session.episode_of(clock_index)]
        if part:
            keys.append(np.unique([_part_of(one, part) for each in both for one in each.data], return_inverse=True)[1])
        rows = np.lexsort((-way, order, clock_index, *keys))
        way, clock_index = way[rows], clock_index[rows]
        begin = np.ones(len(rows), np.bool_)
        begin[1:] = np.logical_or.reduce([key[rows][1:] != key[rows][:-1] for key in keys])
        group = np.cumsum(begin) - 1
        starts = np.flatnonzero(begin)
        total = np.cumsum(way)
        total = total - (total - way)[starts][group] if len(rows) else total
        apart = 2 * (len(rows) + 1)  # so that no group's sums reach down to those of the next one
        lowest = np.minimum.accumulate(total - group * apart) + group * apart if len(rows) else total
        depth = total - np.minimum(lowest, 0)
        before = np.where(begin, 0, np.hstack((0, depth[:-1]))[: len(rows)])
        return cls(rows, group, clock_index, way, before, depth)


def _part_of(data: object, part: str) -> str:
    if not hasattr(data, "get") or data.get(part) is None:
        raise Misuse(f"contacts: expected the entry {part!r} in the data of each event, found {data!r}")
    return str(data.get(part))
