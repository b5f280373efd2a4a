"""Causes whose windows never overlap: then each effect belongs to one cause at the most, and arrays can tell which."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.durations import SAME_TIME, Window, elapsed
from breadcrumb.algebra.kernels import order_of
from breadcrumb.algebra.moments import Moments
from breadcrumb.model.session import Bools, Clock, Floats, Ints
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.words import amount


class _Ordered(NamedTuple):
    """Moments label by label, and in each in the order in which they happened."""

    moments: Moments
    order: Ints
    """The place of each among the moments."""
    row: Ints
    key: Ints
    """Label and row in one rising number; `size` apart from label to label."""

    @classmethod
    def of(cls, moments: Moments, label: Ints, size: int) -> "_Ordered":
        """Order moments by label."""
        lowest = label.min(initial=0)
        order = order_of(label - lowest, int(label.max(initial=0) - lowest))
        row = moments.row[order]
        many = np.bincount(label - lowest)
        return cls(moments, order, row, np.repeat((np.arange(len(many)) + lowest) * size, many) + row)


class _Dealt(NamedTuple):
    """Causes in order, and which effects, in order too, each of them has."""

    cause: _Ordered
    effect: _Ordered
    first: Ints
    last: Ints
    at_cause: Ints
    """The place of the first effect at or behind each cause."""
    begin: Ints
    """The place of the first effect at or behind the begin of each cause's window."""
    effects: Ints
    """How many effects each cause has."""
    keys: Ints
    """Those of the effects, and two beyond any."""

    @classmethod
    def of(cls, cause: Moments, effect: Moments, of_cause: Ints, of_effect: Ints, due: Window) -> "_Dealt | None":
        """Deal the effects out; None if windows of one label overlap, or a frame holds a cause and an effect of one."""
        clock = cause.session.clock
        causes = _Ordered.of(cause, of_cause, clock.size + 1)
        effects = _Ordered.of(effect, of_effect, clock.size + 1)
        first, last = due.rows(clock, causes.row)
        key = causes.key
        until = key + (last - causes.row)
        if (np.maximum(until, key)[:-1] >= key[1:]).any():
            return None
        beyond = np.iinfo(np.int64).max
        keys = np.concatenate([effects.key, [beyond, beyond]])
        at_cause = begin = np.searchsorted(effects.key, key)
        if (keys[at_cause] == key).any():
            return None
        if due.earliest.value:
            begin = np.searchsorted(effects.key, key + (first - causes.row))
        count = (keys[begin] <= until).astype(np.int64)
        if (keys[begin + 1] <= until).any():
            end = np.searchsorted(effects.key, until, side="right")
            count = np.maximum(end - begin, 0)
        return cls(causes, effects, first, last, at_cause, begin, count, keys)

    @property
    def early(self) -> Bools:
        """Which causes have an effect before their window, and none in it."""
        early: Bools = (self.at_cause < self.begin) & (self.effects == 0)
        return early

    @property
    def decided(self) -> Bools:
        """Which causes' windows lie within the trace, and in no gap of it; what came too early is decided anyway."""
        within: Bools = (self.last < self.cause.moments.session.clock.size) & (self.last >= self.first)
        return self.early | within

    def rows_at(self, effect: Ints, cause: Ints | slice = slice(None)) -> Ints:
        """Return the row of an effect of each of some causes; beyond the clock if it is none of the same label."""
        own = self.cause.key[cause] - self.cause.row[cause]
        return np.minimum(self.keys[effect] - own, self.cause.moments.session.clock.size)

    def late(self, lost: Ints) -> Ints:
        """Return the row of the first effect behind some causes' windows; beyond the clock if a cause comes first."""
        following = np.append(self.cause.key[1:], self.keys[-1])[lost]
        first = self.begin[lost]
        return np.where(self.keys[first] < following, self.rows_at(first, lost), self.cause.moments.session.clock.size)


def judge_apart(cause: Moments, effect: Moments, of_cause: Ints, of_effect: Ints, due: Window) -> Case | None:
    """Return the case of one effect for each cause; None if windows of one label overlap, or a frame holds both.

    Where a cause and an effect of one label share a frame, the order within it decides, and this is not for arrays.
    """
    dealt = _Dealt.of(cause, effect, of_cause, of_effect, due)
    if dealt is None:
        return None
    row, clock = dealt.cause.row, cause.session.clock
    had, early, decided = dealt.effects > 0, dealt.early, dealt.decided
    came = dealt.rows_at(dealt.begin)
    slack = np.maximum(_room(clock, row, np.where(had, came, row), due), 0.0)
    when = np.where(had, came, np.minimum(dealt.last, clock.size - 1))
    lost = np.flatnonzero(decided & ~had)
    slack[lost] = _lack(dealt, lost, due)
    too_soon = np.flatnonzero(early)
    when[too_soon] = dealt.rows_at(dealt.at_cause[too_soon], too_soon)
    more = np.maximum(dealt.effects - 1, 0)
    surplus = np.repeat(dealt.begin + 1, more) + np.arange(int(more.sum())) - np.repeat(np.cumsum(more) - more, more)
    kept = np.flatnonzero(decided)
    causes, effects = dealt.cause.order[kept], dealt.effect.order[surplus]

    def phrase(place: int) -> Phrase:
        if place >= len(kept):
            return Phrase(f"one more {effect.label}", f"1 for each {cause.label}", "comes once too often")
        at = int(kept[place])
        if early[at]:
            return too_early(cause, effect, int(row[at]), int(when[at]), due)[1]
        late = int(dealt.late(np.array([at]))[0])
        return too_late(cause, effect, int(row[at]), late if late < clock.size else None, 0, due)[1]

    return Case(
        cause.session, _joined(when[kept], effect.row[effects]), _joined(cause.life[causes], effect.life[effects]),
        _joined(cause.subject[causes], effect.subject[effects]), _joined(slack[kept], np.full(len(surplus), -1.0)),
        phrase, of="causes", unit=due.latest.unit, exact=due.exact,
        allowed=due.latest.value - due.earliest.value or None, undecided=cause.count - len(kept), unseen=cause.unseen,
        picture=Picture(),
    )  # fmt: skip


def _joined(first: NDArray[Any], second: NDArray[Any]) -> NDArray[Any]:
    return np.concatenate([first, second]) if len(second) else first


def _room(clock: Clock, row: Ints, came: Ints, due: Window) -> Floats:
    """Return how long after each effect, and before it, it would have been too late or too early."""
    took = elapsed(clock, row, came, due.latest.unit)
    more = due.tol.value if due.tol is not None and due.tol.unit == due.latest.unit else 0.0
    room = due.latest.value + more - took
    return np.minimum(room, took - due.earliest.value + more) if due.earliest.value else room


def _lack(dealt: _Dealt, lost: Ints, due: Window) -> Floats:
    """Return by how much the effects of some causes came too early or too late; all of the window if none came."""
    clock, row = dealt.cause.moments.session.clock, dealt.cause.row[lost]
    before, behind = dealt.rows_at(dealt.at_cause[lost], lost), dealt.late(lost)
    came = behind < clock.size
    late = due.latest.value - elapsed(clock, row, np.where(came, behind, row), due.latest.unit)
    soon = elapsed(clock, row, np.minimum(before, clock.size - 1), due.latest.unit) - due.earliest.value
    lack = np.where(dealt.early[lost], soon, np.where(came, late, -due.latest.value))
    return np.minimum(lack, -SAME_TIME)


def too_early(cause: Moments, effect: Moments, row: int, early: int, due: Window) -> tuple[float, Phrase]:
    """Return by how much an effect on a row came too early after a cause on a row, and the words of the breach."""
    clock, unit = cause.session.clock, due.latest.unit
    took = float(elapsed(clock, np.array([row]), np.array([early]), unit)[0])
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
