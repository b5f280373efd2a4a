"""Cutting a stretch of frames out of a session: what is left is a session by itself."""

from dataclasses import replace
from functools import cached_property

import numpy as np

from breadcrumb.model.session import NOBODY, Clock, ColumnData, Events, Ints, Lives, Parameter, Session
from breadcrumb.model.trace import TraceData


class Part:
    """Some consecutive frames of a session, as trace data; columns are taken from it when they are asked for.

    Frames keep their numbers and times. A life that had begun before has no appear moment here, and one that goes on
    behind has no leave moment.
    """

    def __init__(self, whole: TraceData, first: int, last: int) -> None:
        """Cut out the rows of the clock from a first to a last one, both included."""
        self._whole, self._first, self._last = whole, first, last
        self._kept: dict[str, Ints] = {}

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
            lives=self._lives,
            events=_cut_events(whole.events, first, last),
            parameters=_cut_parameters(whole.parameters, first, last),
        )

    def columns(self, kind: str) -> list[str]:
        """Return the names of a kind's columns."""
        return list(self._whole.columns(kind))

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the life and the row of each of a kind's samples."""
        life, row = self._whole.index(kind)
        kept = self._places(kind)
        return self._numbers[life[kept]], row[kept] - self._first

    def column(self, kind: str, name: str) -> ColumnData:
        """Return one column."""
        whole, kept = self._whole.column(kind, name), self._places(kind)
        return replace(whole, values=whole.values[kept], valid=None if whole.valid is None else whole.valid[kept])

    def _places(self, kind: str) -> Ints:
        if kind not in self._kept:
            _, row = self._whole.index(kind)
            self._kept[kind] = np.flatnonzero((row >= self._first) & (row <= self._last))
        return self._kept[kind]

    @cached_property
    def _there(self) -> Ints:
        """The lives of which something lies within these frames."""
        lives = self._whole.session.lives
        begin = np.where(lives.first == NOBODY, lives.appear, lives.first)
        begin = np.where(lives.appear == NOBODY, begin, np.minimum(begin, lives.appear))
        end = np.where(lives.leave == NOBODY, self._whole.session.clock.size, lives.leave)
        return np.flatnonzero((begin <= self._last) & (end >= self._first))

    @cached_property
    def _numbers(self) -> Ints:
        """The new number of each life."""
        numbers = np.full(self._whole.session.lives.size, NOBODY)
        numbers[self._there] = np.arange(len(self._there))
        return numbers

    @cached_property
    def _lives(self) -> Lives:
        whole, there = self._whole.session, self._there
        size = self._last - self._first + 1
        first, last = np.full(len(there), size), np.full(len(there), NOBODY)
        for kind in whole.kinds:
            if self._whole.columns(kind):
                life, row = self.index(kind)
                np.minimum.at(first, life, row)
                np.maximum.at(last, life, row)
        return Lives(
            whole.lives.name[there],
            whole.lives.kind[there],
            whole.lives.parent[there],
            _within(whole.lives.appear[there] - self._first, size),
            _within(first, size),
            last,
            _within(whole.lives.leave[there] - self._first, size),
        )


def _within(row: Ints, size: int) -> Ints:
    """Return rows, NOBODY for those that are outside."""
    return np.where((row >= 0) & (row < size), row, NOBODY)


def _cut_clock(clock: Clock, rows: slice) -> Clock:
    more = {
        name: values if values is None else values[rows]
        for name, values in (("wall", clock.wall), ("steps", clock.steps), ("scale", clock.scale))
    }
    paused = None if clock.paused is None else clock.paused[rows]
    return Clock(clock.frames[rows], clock.times[rows], paused=paused, **more)


def _cut_events(events: Events, first: int, last: int) -> Events:
    kept = np.flatnonzero((events.row >= first) & (events.row <= last))
    data = tuple(events.data[place] for place in kept.tolist())
    return Events(
        events.row[kept] - first, events.order[kept], events.kind[kept], events.kinds, events.by[kept], events.on[kept],
        data, events.late[kept],
    )  # fmt: skip


def _cut_parameters(parameters: tuple[Parameter, ...], first: int, last: int) -> tuple[Parameter, ...]:
    """Return what parameters were: those set before count as set on the first frame."""
    before = {one.name: replace(one, row=0) for one in parameters if one.row <= first}
    return (*before.values(), *(replace(one, row=one.row - first) for one in parameters if first < one.row <= last))
