"""Causes that are served in the order in which they came: arrays can tell which effect goes to which."""

from typing import Any, NamedTuple, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.durations import SAME_TIME, Window, elapsed
from breadcrumb.algebra.kernels import order_of, runs
from breadcrumb.algebra.moments import Moments
from breadcrumb.model.session import NOBODY, Bools, Clock, Floats, Ints
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


_Went: TypeAlias = tuple[Ints, Ints, Ints, tuple[Ints, Ints]]
"""The effect that each cause took, that which came too early, the surplus, and for which causes that was in time."""


class _Dealt(NamedTuple):
    """Causes in order, and which effects, in order too, went to which of them."""

    cause: _Ordered
    effect: _Ordered
    keys: Ints
    """Those of the effects, and two beyond any."""
    last: Ints
    """The last clock index on which an effect of each cause is in time."""
    until: Ints
    """The key of that."""
    took: Ints
    """The effect of each cause, or NOBODY."""
    early: Ints
    """The first effect between each cause and its window that was in time for no other one, or NOBODY."""
    surplus: Ints
    """The effects in time that no cause took."""
    in_time: tuple[Ints, Ints]
    """From which cause on, and up to which one, each of these was in time."""

    @classmethod
    def of(cls, causes: _Ordered, effects: _Ordered, due: Window, *, only: bool) -> "_Dealt | None":
        """Deal the effects out; None if the order within a frame decides, or if an effect goes to several causes."""
        first, last = due.clock_indices(causes.moments.session.clock, causes.clock_index)
        key, until = causes.key, causes.key + (last - causes.clock_index)
        keys = np.append(effects.key, [np.iinfo(np.int64).max] * 2)
        at_cause = begin = np.searchsorted(effects.key, key)
        if (keys[at_cause] == key).any() and _precedes_its_frame(causes, effects):
            return None
        start = key + (first - causes.clock_index)
        if due.earliest.value:
            begin = np.searchsorted(effects.key, start)
        known = causes, effects, keys, last, until
        if (np.maximum(until, key)[:-1] < key[1:]).all():
            return cls(*known, *_of_their_own(keys, at_cause, begin, until, only=only))
        if effects.moments.is_shared or (until[1:] < until[:-1]).any():
            return None
        return cls(*known, *_in_turn(effects.key, at_cause, begin, start, until, only=only))

    def clock_indices_at(self, effect: Ints, cause: Ints | slice = slice(None)) -> Ints:
        """Return the clock index of each cause's effect; beyond the clock if none has the same label."""
        own = self.cause.key[cause] - self.cause.clock_index[cause]
        return np.minimum(self.keys[effect] - own, self.cause.moments.session.clock.size)

    def late(self, lost: Ints) -> Ints:
        """Return the clock index of the first effect after each window; beyond the clock if a cause comes first."""
        following = np.append(self.cause.key[1:], self.keys[-1])[lost]
        first = np.searchsorted(self.effect.key, self.until[lost], side="right")
        return np.where(
            self.keys[first] < following, self.clock_indices_at(first, lost), self.cause.moments.session.clock.size
        )


def _precedes_its_frame(causes: _Ordered, effects: _Ordered) -> bool:
    """Tell whether an effect certainly comes before a cause of its label and frame."""
    at = np.searchsorted(causes.key, effects.key, side="right") - 1
    same = np.flatnonzero(np.append(causes.key, NOBODY)[at] == effects.key)
    mine, yours = (one.moments.order[one.order[rows]] for one, rows in ((effects, same), (causes, at[same])))
    return bool(((mine != NOBODY) & (mine < yours)).any())


def _of_their_own(keys: Ints, at_cause: Ints, begin: Ints, until: Ints, *, only: bool) -> _Went:
    """Return what went to which of causes whose windows never overlap: whatever is in one is its cause's own."""
    took = np.where(keys[begin] <= until, begin, NOBODY)
    early = np.where((at_cause < begin) & (took == NOBODY), at_cause, NOBODY)
    surplus = owner = np.zeros(0, np.int64)
    if only and (keys[begin + 1] <= until).any():
        end = np.searchsorted(keys, until, side="right")
        owner, surplus = runs(begin + 1, np.maximum(end - begin - 1, 0))
    return took, early, surplus, (owner, owner + 1)


def _in_turn(effects: Ints, at_cause: Ints, begin: Ints, start: Ints, until: Ints, *, only: bool) -> _Went:
    """Return the same where several causes may wait: the oldest one is served first."""
    low, high = np.searchsorted(until, effects), np.searchsorted(start, effects, side="right")
    surplus = np.zeros(0, np.int64)
    if only:
        served = _served(low, high)
        took = np.full(len(until), NOBODY)
        took[served[served != NOBODY]] = np.flatnonzero(served != NOBODY)
        surplus = np.flatnonzero((low < high) & (served == NOBODY))
    else:
        took = np.where(np.append(effects, np.iinfo(np.int64).max)[begin] <= until, begin, NOBODY)
    idle = np.append(np.flatnonzero(low >= high), len(effects))
    early = idle[np.searchsorted(idle, at_cause)]
    early = np.where((early < begin) & (took == NOBODY), early, NOBODY)
    return took, early, surplus, (low[surplus], high[surplus])


def _served(low: Ints, high: Ints) -> Ints:
    """Return which cause takes each effect, or NOBODY: the oldest one from `low` up to `high` that has none yet.

    Both rise, so that those that have theirs are always the first ones.
    """
    served, place = [], 0
    for first, end in zip(low.tolist(), high.tolist(), strict=True):
        place = max(place, first)
        served.append(place if place < end else NOBODY)
        place += place < end
    return np.array(served, np.int64)


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


def judge_queued(
    cause: Moments, effect: Moments, of_cause: Ints, of_effect: Ints, due: Window, asked: Bools, *, only: bool
) -> Evaluation | None:
    """Return the evaluation of one effect for each cause; None if arrays cannot tell which goes to which.

    Args:
        cause: the causes.
        effect: the effects.
        of_cause: the label of each cause.
        of_effect: the label of each effect.
        due: when an effect is due.
        asked: which causes are judged.
        only: whether each takes an effect of its own.
    """
    size, clock = cause.session.clock.size + 1, cause.session.clock
    dealt = _Dealt.of(_Ordered.of(cause, of_cause, size), _Ordered.of(effect, of_effect, size), due, only=only)
    if dealt is None:
        return None
    clock_index, order = dealt.cause.clock_index, dealt.cause.order
    decided, asked = ~hidden_of(cause, effect, due)[order], asked[order]
    had = dealt.took != NOBODY
    came = np.where(had, dealt.clock_indices_at(dealt.took), clock_index)
    margin = spare_of(clock, clock_index, came, due)
    when = np.where(had, came, np.minimum(dealt.last, clock.size - 1))
    lost = np.flatnonzero(decided & ~had)
    margin[lost] = _lack(dealt, lost, due)
    too_soon = np.flatnonzero(dealt.early != NOBODY)
    when[too_soon] = dealt.clock_indices_at(dealt.early[too_soon], too_soon)
    many = np.hstack((0, np.cumsum(asked)))
    surplus = dealt.effect.order[dealt.surplus[many[dealt.in_time[1]] > many[dealt.in_time[0]]]]
    surplus = surplus[~cause.session.at_restart(effect.clock_index[surplus])]
    kept = np.flatnonzero(decided & asked)
    causes = order[kept]

    def phrase(index: int) -> Phrase:
        if index >= len(kept):
            return once_too_often(cause, effect, 1)
        at = int(kept[index])
        if dealt.early[at] != NOBODY:
            return too_early(cause, effect, int(clock_index[at]), int(when[at]), due)
        late = int(dealt.late(np.array([at]))[0])
        return too_late(cause, effect, int(clock_index[at]), late if late < clock.size else None, 0, due)

    return Evaluation(
        cause.session, _joined(when[kept], effect.clock_index[surplus]),
        _joined(cause.lifetime[causes], effect.lifetime[surplus]),
        _joined(cause.subject[causes], effect.subject[surplus]), _joined(margin[kept], np.full(len(surplus), -1.0)),
        phrase, of="causes", unit=due.latest.unit, exact=due.exact,
        allowed=due.latest.value - due.earliest.value or None, undecided=int(asked.sum()) - len(kept),
        unseen=cause.unseen, plot=PlotSource(),
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
    clock, clock_index, early = dealt.cause.moments.session.clock, dealt.cause.clock_index[lost], dealt.early[lost]
    before, behind = dealt.clock_indices_at(early, lost), dealt.late(lost)
    came = behind < clock.size
    late = due.latest.value - elapsed(clock, clock_index, np.where(came, behind, clock_index), due.latest.unit)
    soon = elapsed(clock, clock_index, np.minimum(before, clock.size - 1), due.latest.unit) - due.earliest.value
    lack = np.where(early != NOBODY, soon, np.where(came, late, -due.latest.value))
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
