"""Which change of a value belongs to which moments: that on their frame, else that on the frame behind it."""

from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.along import last_known, last_known_indices, told_at, without_gap_changes
from breadcrumb.algebra.arithmetic import Operand
from breadcrumb.algebra.durations import frames
from breadcrumb.algebra.meeting import at_indices, indices_at
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.verdicts.comparing import Scope, judge_near
from breadcrumb.verdicts.verdict import Verdict


@dataclass(frozen=True)
class Steps:
    """How a value changes from sample to sample; one of no more than rounding and a tolerance is none."""

    signal: Signal
    tol: float = 0.0

    def before(self, indices: Ints) -> Ints:
        """Return the sample of the last known value before each of these; NOBODY over a gap, which hides why."""
        track = self.signal.track
        if self.signal.valid is None:
            return np.where((indices == NOBODY) | track.no_step[indices], NOBODY, indices - 1)
        before = last_known_indices(self.signal)[indices]
        torn = track.session.is_torn(track.clock_index[before], track.clock_index[indices])
        return np.where((indices == NOBODY) | torn, NOBODY, before)

    def told(self, indices: Ints) -> tuple[Bools, Bools]:
        """Return whether each of these samples has another value than the one before, and whether that is known."""
        before = self.before(indices)
        now, then = self.signal.take(indices), self.signal.take(np.maximum(before, 0))
        known = now.usable & (before != NOBODY)
        if self.signal.parts[0].dtype.kind != "f":
            return known & (now.parts[0] != then.parts[0]), known
        change = now - replace(then, track=now.track)
        return known & ~(np.abs(change.parts[0]) <= np.asarray(change.noise) + self.tol), known


class Dealt(NamedTuple):
    """Which changes belong to which causes."""

    sample: Ints
    """The index of the sample whose change belongs to each; NOBODY if that was not recorded."""
    exempt: Bools
    """Which samples may have changed because of a cause."""


@dataclass(frozen=True)
class Causes:
    """The moments that a value changes at; those of one object on one frame act together."""

    signal: Signal
    all: Moments
    at: Moments
    """The first of each that act together."""
    index: Ints
    """The index of the sample on the frame of each."""
    which: Ints
    """Which of these each moment is among; NOBODY if its object has no sample then."""

    @classmethod
    def of(cls, signal: Signal, at: Moments) -> "Causes":
        """Gather the moments of each sample.

        Raises:
            Misuse: nothing says whose moments they are.
        """
        found = indices_at(signal.track, at, 0)
        known = np.flatnonzero(found != NOBODY)
        index, first, group = np.unique(found[known], return_index=True, return_inverse=True)
        which = np.full(at.count, NOBODY)
        which[known] = group
        return cls(signal, at, at.pick(known[first]), index, which)

    @property
    def count(self) -> Ints:
        """How many moments act together."""
        return np.bincount(self.which[self.which != NOBODY], minlength=len(self.index))

    @property
    def lost(self) -> int:
        """How many moments have no sample on their frame."""
        return int(np.count_nonzero(self.which == NOBODY))

    def total(self, amount: Operand) -> Signal | Floats:
        """Return the sum of an amount over the moments that act together.

        Raises:
            Misuse: it is neither a number nor one value for each moment.
        """
        if not isinstance(amount, Signal):
            values = np.asarray(amount, np.float64)
            if values.shape not in ((), self.which.shape):
                raise Misuse(
                    f"expected a number, or one of {len(self.which)} values for each moment; found {values.shape}"
                )
            return self._sum(np.broadcast_to(values, self.which.shape))
        if len(amount) != len(self.which) or amount.track.source is None:
            raise Misuse(f"{amount.name}: expected a value picked at the same moments, found {len(amount)} values")
        values = self._sum(np.where(amount.usable, amount.parts[0], np.nan))
        first = np.full(len(self.index), NOBODY)
        first[self.which[::-1]] = np.arange(len(self.which))[::-1]
        picked = amount.take(first)
        return replace(picked, parts=(values,), valid=~np.isnan(values))

    def dealt(self, steps: "Steps", due: Bools) -> "Dealt":
        """Deal the changes of a value to the causes.

        A script may act on the frame behind its cause. Once one of consecutive causes does, those behind it do too.

        Args:
            steps: how the value changes.
            due: which causes must have a change at all.
        """
        track, index = self.signal.track, self.index
        begins = np.ones(len(index), np.bool_)
        begins[1:] = (np.diff(index) > 1) | track.first_of_lifetime[index[1:]]
        places = np.arange(len(index))
        begin = np.maximum.accumulate(np.where(begins, places, 0)) if len(index) else places
        changed, known = steps.told(index)
        still = np.where(due & known & ~changed, places, NOBODY)
        late = np.maximum.accumulate(still) >= begin if len(index) else begins
        following = np.minimum(index + 1, max(track.size - 1, 0))
        there = (index + 1 < track.size) & ~track.first_of_lifetime[following]
        found = np.where(late, np.where(there, following, NOBODY), index)
        exempt = np.zeros(track.size, np.bool_)
        lost = indices_at(track, self.all.pick(np.flatnonzero(self.which == NOBODY)), 1, frames(0))
        exempt[np.hstack((found[found != NOBODY], following[~known & there], lost[lost != NOBODY]))] = True
        return Dealt(found, exempt)

    def picked(self, signal: Signal, dealt: Ints) -> Signal:
        """Return a signal's values at the changes, told on the frames of the causes."""
        return told_at(at_indices(signal, self.at, dealt), self.at)

    def _sum(self, values: NDArray[Any]) -> Floats:
        known = self.which != NOBODY
        total: Floats = np.bincount(self.which[known], values[known], minlength=len(self.index)).astype(np.float64)
        return total


def no_other_change(signal: Signal, exempt: Bools, tol: float = 0.0) -> Verdict:
    """Judge that a value changes on no other samples than these."""
    scope = Scope(None, None, 1, exempt)
    return judge_near(without_gap_changes(signal, tol), last_known(signal), tol=tol, scope=scope, verb="changes")
