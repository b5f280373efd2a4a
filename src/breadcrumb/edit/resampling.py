"""A session as it would have been recorded at another frame rate, if the game had played alike."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from breadcrumb.errors import Misuse
from breadcrumb.model.facts import PAUSED, Fact
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Events, Ints, Lifetimes, Session
from breadcrumb.model.trace import TraceData

_ROUNDING = 1e-6
"""Seconds by which times may be apart because they are sums of steps."""
_MOST_FRAMES = 100_000_000


@dataclass(frozen=True, eq=False)
class Resampled:
    """A session at another frame rate: each of its frames has the state of the last recorded one at or before it."""

    data: TraceData
    """The session as it was recorded."""
    session: Session
    held: Ints
    """The clock index, in what was recorded, whose state each frame has."""
    _rows: dict[str, tuple[Ints, Ints]] = field(default_factory=dict)

    def columns(self, kind: str) -> Sequence[str]:
        """Return the names of a kind's columns."""
        return self.data.columns(kind)

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the lifetime and the clock index of each of a kind's samples."""
        rows, clock_index = self._samples(kind)
        return self.data.index(kind)[0][rows], clock_index

    def column(self, kind: str, name: str) -> ColumnData:
        """Return one column."""
        rows, _ = self._samples(kind)
        column = self.data.column(kind, name)
        valid = None if column.valid is None else column.valid[rows]
        return ColumnData(column.values[rows], valid, column.texts)

    def _samples(self, kind: str) -> tuple[Ints, Ints]:
        """Return which recorded sample each sample is, and its clock index."""
        if kind not in self._rows:
            self._rows[kind] = _samples(*self.data.index(kind), self.held, self.data.session.clock.size)
        return self._rows[kind]


def resampled(data: TraceData, rate: float) -> Resampled:
    """Return a session at so many frames a second.

    An event, and the end or the beginning of a lifetime, is on the first frame at or after it; none after the last one.

    Raises:
        Misuse: the rate is not positive, or there are no frames.
    """
    session = data.session
    if not session.clock.size:
        raise Misuse(f"{session.label} has no frame to resample")
    times, held, numbers = _grid(session, rate)
    due = np.searchsorted(times, session.clock.times - _ROUNDING)  # the first frame at or after each recorded one
    clock = _clock(session.clock, times, held, numbers)
    made = replace(
        session,
        about={**session.about, "resampled": f"to {rate:g} frames a second"},
        clock=clock,
        lifetimes=_lifetimes(session.lifetimes, due, held),
        events=_events(session.events, due, len(times)),
        parameters=tuple(
            replace(one, clock_index=min(int(due[min(one.clock_index, len(due) - 1)]), len(times) - 1))
            for one in session.parameters
        ),
        facts=tuple(_fact(one, session.clock, due, numbers) for one in session.facts),
    )
    return Resampled(data, made, held)


def _grid(session: Session, rate: float) -> tuple[NDArray[np.float64], Ints, Ints]:
    """Return the times of frames, what was recorded at or before each, and their numbers; none within a gap."""
    recorded = session.clock.times
    if not rate > 0 or (recorded[-1] - recorded[0]) * rate > _MOST_FRAMES:
        raise Misuse(f"expected a frame rate, such as 30 frames a second, found {rate!r}")
    many = int(np.floor((recorded[-1] - recorded[0]) * rate + _ROUNDING)) + 1
    times = recorded[0] + np.arange(many) / rate
    held = np.searchsorted(recorded, times + _ROUNDING, side="right") - 1
    after = np.append(session.gaps, len(recorded))  # the first recorded one behind each gap
    last = recorded[after[np.searchsorted(after, held, side="right")] - 1]
    kept = times <= last + _ROUNDING
    return times[kept], held[kept], np.flatnonzero(kept)


def _clock(clock: Clock, times: NDArray[np.float64], held: Ints, numbers: Ints) -> Clock:
    steps = None
    if clock.steps is not None:
        taken = np.append(0.0, np.nancumsum(clock.steps))[held + 1]
        steps = np.diff(taken, prepend=0.0)
    wall, scale = (None if one is None else one[held] for one in (clock.wall, clock.scale))
    return Clock(numbers, times, wall, steps, scale, None if clock.paused is None else clock.paused[held])


def _lifetimes(lifetimes: Lifetimes, due: Ints, held: Ints) -> Lifetimes:
    many = len(held)

    def on(clock_index: Ints) -> Ints:
        there = np.where(clock_index == NOBODY, many, due[clock_index])
        return np.where(there < many, there, NOBODY)

    sampled = lifetimes.first != NOBODY
    first = np.searchsorted(held, lifetimes.first)
    last = np.searchsorted(held, lifetimes.last, side="right") - 1
    seen = sampled & (first <= last) & (first < many)
    return replace(
        lifetimes,
        appear=on(lifetimes.appear),
        first=np.where(seen, first, NOBODY),
        last=np.where(seen, last, NOBODY),
        leave=on(lifetimes.leave),
    )


def _events(events: Events, due: Ints, many: int) -> Events:
    clock_index = due[events.clock_index]
    begins = np.searchsorted(clock_index, clock_index)
    return replace(
        events,
        clock_index=np.minimum(clock_index, many - 1),
        order=np.where(events.order == NOBODY, NOBODY, np.arange(len(clock_index)) - begins),
        late=events.late | (clock_index >= many),
    )


def _fact(fact: Fact, clock: Clock, due: Ints, numbers: Ints) -> Fact:
    """Return a fact with the frame of the new session, where it names one."""
    if fact.code != PAUSED:
        return fact
    at = min(int(np.searchsorted(clock.frames, int(fact.detail), side="right")), len(due) - 1)
    before = max(min(int(due[at]), len(numbers)) - 1, 0)
    return replace(fact, detail=str(int(numbers[before])))


def _samples(lifetime: Ints, clock_index: Ints, held: Ints, size: int) -> tuple[Ints, Ints]:
    """Return which sample is held on each frame of each lifetime, and these frames."""
    starts = np.flatnonzero(np.diff(lifetime, prepend=NOBODY)) if len(lifetime) else np.zeros(0, np.int64)
    ends = np.append(starts[1:], len(lifetime)) - 1 if len(starts) else starts
    begin = np.searchsorted(held, clock_index[starts])
    end = np.searchsorted(held, clock_index[ends], side="right")
    many = end - begin
    frames = np.arange(int(many.sum())) + np.repeat(begin - np.append(0, np.cumsum(many)[:-1]), many)
    key = lifetime * size + clock_index
    rows = np.searchsorted(key, np.repeat(lifetime[starts], many) * size + held[frames], side="right") - 1
    return rows, frames
