"""Cutting a stretch of frames out of a session: what is left is a session by itself."""

from dataclasses import replace
from functools import cached_property

import numpy as np

from breadcrumb.model.rows import Rows, rows_at
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Events, Ints, Lifetimes, Parameter, Session
from breadcrumb.model.trace import TraceData


class Part:
    """Some consecutive frames of a session, as trace data; columns are taken from it when they are asked for.

    Frames keep their numbers and times. A lifetime that had begun before has no appear moment here, and one that goes
    on behind has no leave moment.
    """

    def __init__(self, whole: TraceData, first: int, last: int) -> None:
        """Cut out the clock indices from a first to a last one, both included."""
        self._whole, self._first, self._last = whole, first, last
        self._kept: dict[str, Rows] = {}

    @cached_property
    def session(self) -> Session:
        """All that is known besides the states."""
        whole = self._whole.session
        first, last = self._first, self._last
        frames = whole.clock.frames
        return replace(
            whole,
            label=f"{whole.label}, frames {frames[first]} to {frames[last]}",
            clock=_cut_clock(whole.clock, slice(first, last + 1)),
            lifetimes=self._lifetimes,
            events=_cut_events(whole.events, first, last),
            parameters=_cut_parameters(whole.parameters, first, last),
        )

    def columns(self, kind: str) -> list[str]:
        """Return the names of a kind's columns."""
        return list(self._whole.columns(kind))

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the lifetime and the clock index of each of a kind's samples."""
        lifetime, clock_index = self._whole.index(kind)
        kept = self._rows(kind)
        return self._numbers[lifetime[kept]], clock_index[kept] - self._first

    def column(self, kind: str, name: str) -> ColumnData:
        """Return one column."""
        whole, kept = self._whole.column(kind, name), self._rows(kind)
        return replace(whole, values=whole.values[kept], valid=None if whole.valid is None else whole.valid[kept])

    def _rows(self, kind: str) -> Rows:
        if kind not in self._kept:
            _, clock_index = self._whole.index(kind)
            self._kept[kind] = rows_at(np.flatnonzero((clock_index >= self._first) & (clock_index <= self._last)))
        return self._kept[kind]

    @cached_property
    def _there(self) -> Ints:
        """The lifetimes of which something lies within these frames."""
        lifetimes = self._whole.session.lifetimes
        begin = np.where(lifetimes.first == NOBODY, lifetimes.appear, lifetimes.first)
        begin = np.where(lifetimes.appear == NOBODY, begin, np.minimum(begin, lifetimes.appear))
        end = np.where(lifetimes.leave == NOBODY, self._whole.session.clock.size, lifetimes.leave)
        return np.flatnonzero((begin <= self._last) & (end >= self._first))

    @cached_property
    def _numbers(self) -> Ints:
        """The new number of each lifetime."""
        numbers = np.full(self._whole.session.lifetimes.size, NOBODY)
        numbers[self._there] = np.arange(len(self._there))
        return numbers

    @cached_property
    def _lifetimes(self) -> Lifetimes:
        whole, there = self._whole.session, self._there
        size = self._last - self._first + 1
        first, last = np.full(len(there), size), np.full(len(there), NOBODY)
        for kind in whole.kinds:
            if self._whole.columns(kind):
                lifetime, clock_index = self.index(kind)
                np.minimum.at(first, lifetime, clock_index)
                np.maximum.at(last, lifetime, clock_index)
        return Lifetimes(
            whole.lifetimes.name[there],
            whole.lifetimes.kind[there],
            whole.lifetimes.parent[there],
            _within(whole.lifetimes.appear[there] - self._first, size),
            _within(first, size),
            last,
            _within(whole.lifetimes.leave[there] - self._first, size),
            numbered=whole.lifetimes.ordinal[there],
        )


def _within(clock_index: Ints, size: int) -> Ints:
    """Return clock indices, NOBODY for those that are outside."""
    return np.where((clock_index >= 0) & (clock_index < size), clock_index, NOBODY)


def _cut_clock(clock: Clock, clock_indices: slice) -> Clock:
    more = {
        name: values if values is None else values[clock_indices]
        for name, values in (("wall", clock.wall), ("steps", clock.steps), ("scale", clock.scale))
    }
    paused = None if clock.paused is None else clock.paused[clock_indices]
    return Clock(clock.frames[clock_indices], clock.times[clock_indices], paused=paused, **more)


def _cut_events(events: Events, first: int, last: int) -> Events:
    kept = slice(*np.searchsorted(events.clock_index, [first, last + 1]).tolist())
    return Events(
        events.clock_index[kept] - first, events.order[kept], events.kind[kept], events.kinds, events.by[kept],
        events.on[kept], events.data[kept], events.late[kept],
    )  # fmt: skip


def _cut_parameters(parameters: tuple[Parameter, ...], first: int, last: int) -> tuple[Parameter, ...]:
    """Return what parameters were: those set before count as set on the first frame."""
    before = {one.name: replace(one, clock_index=0) for one in parameters if one.clock_index <= first}
    return (
        *before.values(),
        *(replace(one, clock_index=one.clock_index - first) for one in parameters if first < one.clock_index <= last),
    )
