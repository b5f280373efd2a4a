"""Causes whose windows never overlap: then each effect belongs to one cause at the most, and arrays can tell which."""

from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Window, elapsed
from breadcrumb.algebra.kernels import order_of
from breadcrumb.algebra.moments import Moments
from breadcrumb.model.session import Bools, Floats, Ints
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.words import amount


class _Dealt(NamedTuple):
    """The causes in the order of label and row, and which effects, in that order too, each of them has."""

    cause: Moments
    effect: Moments
    label: Ints
    first: Ints
    last: Ints
    of_effect: Ints
    at_cause: Ints
    """The place of the first effect at or behind each cause."""
    begin: Ints
    end: Ints
    """Where the effects in a cause's window begin and end."""

    @classmethod
    def of(cls, cause: Moments, effect: Moments, of_cause: Ints, of_effect: Ints, due: Window) -> "_Dealt | None":
        """Deal the effects out; None if windows of one label overlap, or a frame holds a cause and an effect of one."""
        clock = cause.session.clock
        size = clock.size + 1
        cause, label = _sorted(cause, of_cause)
        effect, of_effect = _sorted(effect, of_effect)
        first, last = due.rows(clock, cause.row)
        same = label[1:] == label[:-1]
        if (same & (np.maximum(last, cause.row)[:-1] >= cause.row[1:])).any():
            return None
        keys, own = of_effect * size + effect.row, label * size
        asked = own + cause.row
        at_cause = np.searchsorted(keys, asked)
        if effect.count and (keys[np.minimum(at_cause, effect.count - 1)] == asked).any():
            return None
        at_once = np.array_equal(first, cause.row)
        begin = at_cause if at_once else np.searchsorted(keys, own + first)
        end = np.searchsorted(keys, own + np.minimum(last, clock.size), side="right")
        return cls(cause, effect, label, first, last, of_effect, at_cause, begin, np.maximum(begin, end))

    @property
    def effects(self) -> Ints:
        """How many effects each cause has."""
        return self.end - self.begin

    @property
    def early(self) -> Bools:
        """Which causes have an effect before their window, and none in it."""
        early: Bools = (self.at_cause < self.begin) & (self.end == self.begin)
        return early

    @property
    def decided(self) -> Bools:
        """Which causes' windows lie within the trace, and in no gap of it; what came too early is decided anyway."""
        within: Bools = (self.last < self.cause.session.clock.size) & (self.last >= self.first)
        return self.early | within

    def row_of(self, place: Ints) -> Ints:
        """Return the rows of effects by their places; 0 behind the last one."""
        rows: Ints = np.r_[self.effect.row, 0]
        return rows[np.minimum(place, self.effect.count)]

    def late(self, at: int) -> int | None:
        """Return the row of the first effect behind a cause's window, if there is one."""
        place = int(self.end[at])
        there = place < self.effect.count and self.of_effect[place] == self.label[at]
        return int(self.effect.row[place]) if there else None


def judge_apart(cause: Moments, effect: Moments, of_cause: Ints, of_effect: Ints, due: Window) -> Case | None:
    """Return the case of one effect for each cause; None if windows of one label overlap, or a frame holds both.

    Where a cause and an effect of one label share a frame, the order within it decides, and this is not for arrays.
    """
    dealt = _Dealt.of(cause, effect, of_cause, of_effect, due)
    if dealt is None:
        return None
    cause, effect, count = dealt.cause, dealt.effect, dealt.effects

    def words(at: int) -> tuple[float, Phrase]:
        row = int(cause.row[at])
        if dealt.early[at]:
            return too_early(cause, effect, row, int(dealt.at_cause[at]), due)
        return too_late(cause, effect, row, dealt.late(at), 0, due)

    slack = np.where(count > 0, np.maximum(_room(dealt, due), 0.0), 0.0)
    for at in np.flatnonzero(dealt.decided & (count == 0)).tolist():  # only what is broken is looked at one by one
        slack[at] = words(at)[0]
    more = np.maximum(count - 1, 0)
    surplus = np.repeat(dealt.begin + 1, more) + np.arange(int(more.sum())) - np.repeat(np.cumsum(more) - more, more)
    missed = np.where(dealt.early, dealt.row_of(dealt.at_cause), np.minimum(dealt.last, cause.session.clock.size - 1))
    when = np.where(count > 0, dealt.row_of(dealt.begin), missed)
    kept = np.flatnonzero(dealt.decided)

    def phrase(place: int) -> Phrase:
        if place < len(kept):
            return words(int(kept[place]))[1]
        return Phrase(f"one more {effect.label}", f"1 for each {cause.label}", "comes once too often")

    return Case(
        cause.session, np.r_[when[kept], effect.row[surplus]], np.r_[cause.life[kept], effect.life[surplus]],
        np.r_[cause.subject[kept], effect.subject[surplus]], np.r_[slack[kept], np.full(len(surplus), -1.0)], phrase,
        of="causes", unit=due.latest.unit, exact=due.exact, allowed=due.latest.value - due.earliest.value or None,
        undecided=cause.count - len(kept), unseen=cause.unseen, picture=Picture(),
    )  # fmt: skip


def _sorted(moments: Moments, label: Ints) -> tuple[Moments, Ints]:
    """Return moments label by label; those of one label stay in the order in which they happened."""
    lowest = label.min(initial=0)
    order = order_of(label - lowest, int(label.max(initial=0) - lowest))
    return moments.pick(order), label[order]


def _room(dealt: _Dealt, due: Window) -> Floats:
    """Return how long after each cause's effect, and before it, it would have been too late or too early."""
    row, clock = dealt.cause.row, dealt.cause.session.clock
    took = elapsed(clock, row, np.where(dealt.effects > 0, dealt.row_of(dealt.begin), row), due.latest.unit)
    more = due.tol.value if due.tol is not None and due.tol.unit == due.latest.unit else 0.0
    room = due.latest.value + more - took
    return np.minimum(room, took - due.earliest.value + more) if due.earliest.value else room


def too_early(cause: Moments, effect: Moments, row: int, early: int, due: Window) -> tuple[float, Phrase]:
    """Return by how much an effect came too early after a cause on a row, and the words of the breach."""
    clock, unit = cause.session.clock, due.latest.unit
    took = float(elapsed(clock, np.array([row]), effect.row[[early]], unit)[0])
    start = f"{cause.label} on frame {clock.frames[row]}"
    words = Phrase(amount(took, unit), str(due), f"{effect.label} comes too early after {start}")
    return min(took - due.earliest.value, -SAME_TIME), words


def too_late(
    cause: Moments, effect: Moments, row: int, late: int | None, had: int, due: Window
) -> tuple[float, Phrase]:
    """Return by how much an effect came too late after a cause on a row, if it came at all, and the words."""
    clock, unit = cause.session.clock, due.latest.unit
    found, slack = f"{had} of them" if had else "none", -due.latest.value
    if late is not None:
        took = float(elapsed(clock, np.array([row]), np.array([late]), unit)[0])
        found, slack = amount(took, unit), due.latest.value - took
    words = f"no {effect.label} in time after {cause.label} on frame {clock.frames[row]}"
    return min(slack, -SAME_TIME), Phrase(found, str(due), words)
