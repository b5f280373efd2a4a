"""Causes whose windows never overlap: then each effect belongs to at most one cause, and arrays can tell which."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.durations import SAME_TIME, Window, elapsed
from breadcrumb.algebra.kernels import order_of
from breadcrumb.algebra.moments import Moments
from breadcrumb.model.session import Bools, Clock, Floats, Ints
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.words import amount


class _Ordered(NamedTuple):
    """Moments label by label, and in each in the order in which they happened."""

    moments: Moments
    order: Ints
    """The index of each among the moments."""
    clock_index: Ints
    key: Ints
    """Label and clock index in one rising number; `size` apart from label to label."""

    @classmethod
    def of(cls, moments: Moments, label: Ints, size: int) -> "_Ordered":
        """Order moments by label."""
        lowest = label.min(initial=0)
        order = order_of(label - lowest, int(label.max(initial=0) - lowest))
        clock_index = moments.clock_index[order]
        many = np.bincount(label - lowest)
        return cls(moments, order, clock_index, np.repeat((np.arange(len(many)) + lowest) * size, many) + clock_index)


class _Dealt(NamedTuple):
    """Causes in order, and which effects, in order too, each of them has."""

    cause: _Ordered
    effect: _Ordered
    first: Ints
    last: Ints
    at_cause: Ints
    """The index of the first effect at or behind each cause."""
    begin: Ints
    """The index of the first effect at or behind the start of each cause's window."""
    effects: Ints
    """How many effects each cause has."""
    keys: Ints
    """Those of the effects, and two beyond any."""
    decided: Bools
    """Which causes' windows were recorded in full."""

    @classmethod
    def of(cls, cause: Moments, effect: Moments, of_cause: Ints, of_effect: Ints, due: Window) -> "_Dealt | None":
        """Deal the effects out; None if windows of one label overlap, or a frame holds a cause and an effect of one."""
        clock = cause.session.clock
        causes = _Ordered.of(cause, of_cause, clock.size + 1)
        effects = _Ordered.of(effect, of_effect, clock.size + 1)
        first, last = due.clock_indices(clock, causes.clock_index)
        key = causes.key
        until = key + (last - causes.clock_index)
        if (np.maximum(until, key)[:-1] >= key[1:]).any():
            return None
        beyond = np.iinfo(np.int64).max
        keys = np.concatenate([effects.key, [beyond, beyond]])
        at_cause = begin = np.searchsorted(effects.key, key)
        if (keys[at_cause] == key).any():
            return None
        if due.earliest.value:
            begin = np.searchsorted(effects.key, key + (first - causes.clock_index))
        count = (keys[begin] <= until).astype(np.int64)
        if (keys[begin + 1] <= until).any():
            end = np.searchsorted(effects.key, until, side="right")
            count = np.maximum(end - begin, 0)
        decided = ~hidden_of(cause, effect, due)[causes.order]
        return cls(causes, effects, first, last, at_cause, begin, count, keys, decided)

    @property
    def early(self) -> Bools:
        """Which causes have an effect before their window, and none in it."""
        early: Bools = (self.at_cause < self.begin) & (self.effects == 0)
        return early

    def clock_indices_at(self, effect: Ints, cause: Ints | slice = slice(None)) -> Ints:
        """Return the clock index of each cause's effect; beyond the clock if none has the same label."""
        own = self.cause.key[cause] - self.cause.clock_index[cause]
        return np.minimum(self.keys[effect] - own, self.cause.moments.session.clock.size)

    def late(self, lost: Ints) -> Ints:
        """Return the clock index of the first effect after each window; beyond the clock if a cause comes first."""
        following = np.append(self.cause.key[1:], self.keys[-1])[lost]
        first = self.begin[lost]
        return np.where(
            self.keys[first] < following, self.clock_indices_at(first, lost), self.cause.moments.session.clock.size
        )


def hidden_of(cause: Moments, effect: Moments, due: Window) -> Bools:
    """Return of which causes' windows a part was not recorded.

    Where seeing an effect takes the frame before, it may have come unseen on the first frame, or on one behind a gap;
    a cause that was seen so behind a gap may have come earlier.
    """
    session, clock_index = cause.session, cause.clock_index
    hidden = due.hidden(session, clock_index)
    if cause.from_steps:
        hidden |= np.isin(clock_index, session.gaps)
    if effect.from_steps and not due.earliest.value:
        hidden |= np.isin(clock_index, session.gaps) | (clock_index == 0)
    return np.asarray(hidden)


def judge_apart(cause: Moments, effect: Moments, of_cause: Ints, of_effect: Ints, due: Window) -> Evaluation | None:
    """Return the evaluation of one effect for each cause; None if windows of one label overlap, or a frame holds both.

    Where a cause and an effect of one label share a frame, the order within it decides, and this is not for arrays.
    """
    dealt = _Dealt.of(cause, effect, of_cause, of_effect, due)
    if dealt is None:
        return None
    clock_index, clock = dealt.cause.clock_index, cause.session.clock
    had, early, decided = dealt.effects > 0, dealt.early, dealt.decided
    came = dealt.clock_indices_at(dealt.begin)
    margin = spare_of(clock, clock_index, np.where(had, came, clock_index), due)
    when = np.where(had, came, np.minimum(dealt.last, clock.size - 1))
    lost = np.flatnonzero(decided & ~had)
    margin[lost] = _lack(dealt, lost, due)
    too_soon = np.flatnonzero(early)
    when[too_soon] = dealt.clock_indices_at(dealt.at_cause[too_soon], too_soon)
    more = np.maximum(dealt.effects - 1, 0)
    surplus = np.repeat(dealt.begin + 1, more) + np.arange(int(more.sum())) - np.repeat(np.cumsum(more) - more, more)
    surplus = surplus[~cause.session.at_restart(effect.clock_index[dealt.effect.order[surplus]])]
    kept = np.flatnonzero(decided)
    causes, effects = dealt.cause.order[kept], dealt.effect.order[surplus]

    def phrase(index: int) -> Phrase:
        if index >= len(kept):
            return once_too_often(cause, effect, 1)
        at = int(kept[index])
        if early[at]:
            return too_early(cause, effect, int(clock_index[at]), int(when[at]), due)
        late = int(dealt.late(np.array([at]))[0])
        return too_late(cause, effect, int(clock_index[at]), late if late < clock.size else None, 0, due)

    return Evaluation(
        cause.session, _joined(when[kept], effect.clock_index[effects]),
        _joined(cause.lifetime[causes], effect.lifetime[effects]),
        _joined(cause.subject[causes], effect.subject[effects]), _joined(margin[kept], np.full(len(surplus), -1.0)),
        phrase, of="causes", unit=due.latest.unit, exact=due.exact,
        allowed=due.latest.value - due.earliest.value or None, undecided=cause.count - len(kept), unseen=cause.unseen,
        plot=PlotSource(),
    )  # fmt: skip


def _joined(first: NDArray[Any], second: NDArray[Any]) -> NDArray[Any]:
    return np.concatenate([first, second]) if len(second) else first


def spare_of(clock: Clock, clock_index: Ints, came: Ints, due: Window) -> Floats:
    """Return how long after each effect, and before it, it would have been too late or too early."""
    took = elapsed(clock, clock_index, came, due.latest.unit)
    spare = due.longest - took
    if due.earliest.value:
        spare = np.minimum(spare, took - due.earliest.value + (due.longest - due.latest.value))
    return np.asarray(np.maximum(spare, 0.0))


def _lack(dealt: _Dealt, lost: Ints, due: Window) -> Floats:
    """Return by how much the effects of some causes came too early or too late; all of the window if none came."""
    clock, clock_index = dealt.cause.moments.session.clock, dealt.cause.clock_index[lost]
    before, behind = dealt.clock_indices_at(dealt.at_cause[lost], lost), dealt.late(lost)
    came = behind < clock.size
    late = due.latest.value - elapsed(clock, clock_index, np.where(came, behind, clock_index), due.latest.unit)
    soon = elapsed(clock, clock_index, np.minimum(before, clock.size - 1), due.latest.unit) - due.earliest.value
    lack = np.where(dealt.early[lost], soon, np.where(came, late, -due.latest.value))
    return np.minimum(lack, -SAME_TIME)


def once_too_often(cause: Moments, effect: Moments, times: int) -> Phrase:
    """Return the words of an effect without a cause of its own."""
    return Phrase(
        f"one more {effect.label}",
        f"{times} for each {cause.label}",
        f"{effect.label} happens once too often; only=False would allow it",
    )


def waited(cause: Moments, clock_index: int, came: int, due: Window) -> float:
    """Return how long after a cause an effect came, both on a clock index, in the unit of a window."""
    return float(elapsed(cause.session.clock, np.array([clock_index]), np.array([came]), due.latest.unit)[0])


def too_early(cause: Moments, effect: Moments, clock_index: int, early: int, due: Window) -> Phrase:
    """Return the words of a breach: an effect came too early after a cause, both on a clock index."""
    length, unit = waited(cause, clock_index, early, due), due.latest.unit
    start = f"{cause.label} on frame {cause.session.clock.frames[clock_index]}"
    early_by = amount(due.earliest.value - length, unit)
    return Phrase(amount(length, unit), str(due), f"{effect.label} comes {early_by} too early after {start}")


def too_late(cause: Moments, effect: Moments, clock_index: int, late: int | None, had: int, due: Window) -> Phrase:
    """Return the words of a breach: an effect came too late after a cause on a clock index, or not at all."""
    found, words = f"{had} of them" if had else "none", f"{effect.label} is missing"
    if late is not None:
        length, unit = waited(cause, clock_index, late, due), due.latest.unit
        found, words = amount(length, unit), f"{effect.label} comes {amount(length - due.latest.value, unit)} too late"
    start = f"after {cause.label} on frame {cause.session.clock.frames[clock_index]}"
    return Phrase(found, str(due), f"{words} {start}")
