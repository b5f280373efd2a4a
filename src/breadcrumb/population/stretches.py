"""Samples of a kind in stretches: of one lifetime, without a gap or a restart."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from breadcrumb.model.session import Bools, Floats, Ints, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.population.sorts import Side

_ROUNDING = 1e-9
"""The share of its size that a value may be off by rounding."""


@dataclass(frozen=True, eq=False)
class Stretches:
    """The samples of a kind, and where their stretches begin."""

    session: Session
    lifetime: Ints
    clock_index: Ints

    @classmethod
    def of(cls, data: TraceData, kind: str) -> "Stretches":
        """Return the stretches of a kind."""
        return cls(data.session, *data.index(kind))

    @cached_property
    def is_first(self) -> Bools:
        """Which samples are the first of a stretch."""
        clock, lifetime = self.clock_index, self.lifetime
        first = np.ones(len(clock), np.bool_)
        first[1:] = (lifetime[1:] != lifetime[:-1]) | (clock[1:] != clock[:-1] + 1)
        bounds = np.concatenate([self.session.gaps, restarts(self.session)])
        return first | np.isin(clock, bounds)

    @cached_property
    def times(self) -> Floats:
        """When each sample is."""
        return self.session.clock.times[self.clock_index]

    @cached_property
    def steps(self) -> Floats:
        """Seconds from the sample before; NaN of the first one of a stretch, and if no time went by."""
        steps = np.diff(self.times, prepend=np.nan)
        steps[self.is_first | (steps <= 0)] = np.nan
        return steps

    @property
    def who(self) -> Ints:
        """Whose each sample is."""
        return self.session.lifetimes.name[self.lifetime]

    def runs(self, changes: Bools) -> "Runs":
        """Return runs of samples: one starts with each stretch, and wherever `changes` says so."""
        begins = np.flatnonzero(changes | self.is_first)
        ends = np.append(begins[1:], len(changes)) - 1 if len(begins) else begins
        return Runs(self, begins, ends)


@dataclass(frozen=True, eq=False)
class Runs:
    """Runs of samples."""

    stretches: Stretches
    begins: Ints
    ends: Ints
    """The last sample of each."""

    @cached_property
    def is_whole(self) -> Bools:
        """Which begin and end within a stretch, so that it is known how long they last."""
        first = np.append(self.stretches.is_first, True)
        whole: Bools = ~first[self.begins] & ~first[self.ends + 1]
        return whole

    def extremes(self, values: Floats, side: Side) -> Ints:
        """Return the first sample of each run that has its highest or lowest value, but for rounding."""
        function = np.fmax if side == "highest" else np.fmin
        found = np.repeat(function.reduceat(values, self.begins), np.diff(np.append(self.begins, len(values))))
        with np.errstate(invalid="ignore"):
            is_there = np.abs(values - found) <= _ROUNDING * np.abs(found)
        first = np.minimum.reduceat(np.where(is_there, np.arange(len(values)), len(values)), self.begins)
        return np.where(first < len(values), first, self.begins)

    @property
    def seconds(self) -> Floats:
        """How long those last that are whole: until the first sample of the next."""
        times = self.stretches.times
        return times[self.ends[self.is_whole] + 1] - times[self.begins[self.is_whole]]


def restarts(session: Session) -> Ints:
    """Return the clock indices on which a session begins anew."""
    events = session.events
    found = [events.clock_index[events.indices_of(name)] for name in session.declared_restarts]
    return np.unique(np.concatenate([*found, np.zeros(0, np.int64)]))
