"""Cutting the few seconds around one occasion out of a trace."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import NamedTuple, TypeAlias

import numpy as np

from breadcrumb.algebra.angles import has_plan, plan_labels
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.model.session import NOBODY, Floats, Ints, Session
from breadcrumb.verdicts.evidence import Excerpt, Mark, Number, OperandExcerpt, Stay
from breadcrumb.verdicts.words import RECORDED_DIGITS

_MOST_MARKS = 60
_MOST_STAYS = 12


class _Kept(NamedTuple):
    """How much of a trace an excerpt holds."""

    seconds: float
    """On each side of the occasion."""
    samples: int
    """At most."""


_USUAL = _Kept(2.0, 600)
_kept: ContextVar[_Kept] = ContextVar("how much of a trace an excerpt holds", default=_USUAL)


@contextmanager
def excerpts_of(seconds: float, samples: int) -> Iterator[None]:
    """Let excerpts that are cut within hold so many seconds on each side of the occasion, and so many samples."""
    token = _kept.set(_Kept(seconds, samples))
    try:
        yield
    finally:
        _kept.reset(token)


Limit: TypeAlias = Callable[[Ints], Floats]
"""Gives what is allowed on some samples, by their indices."""


def level(value: float | Floats) -> Limit:
    """Return a limit that is the same for all samples, or an array with one for each."""
    if isinstance(value, np.ndarray):
        return value.__getitem__
    return lambda indices: np.full(len(indices), value)


@dataclass(frozen=True, eq=False)
class Course:
    """An operand of a condition, on the same samples, with the limits that it has by itself."""

    samples: Samples
    low: "Limit | None" = None
    high: "Limit | None" = None


@dataclass(frozen=True, eq=False)
class PlotSource:
    """What a figure of an occasion needs: the judged signal, what was allowed, and where things were."""

    signal: Samples | None = None
    low: "Limit | None" = None
    """The lowest allowed value of the signal."""
    high: "Limit | None" = None
    """The highest allowed value of the signal."""
    position: Signal | None = None
    """Where the object was; for a path in plan."""
    region: Region | None = None
    belongs_inside: bool = True
    """Whether the region is where the object belongs, or where it does not."""
    lifetimes: Spans | None = None
    """The lifetimes that the rule is about."""
    measure: Limit | None = None
    """What is drawn of a vector: gives a number for some samples, by their indices."""
    measured: str = "distance from the expected"
    """What that is called."""
    courses: tuple[Course, ...] = ()
    """The operands of a condition."""


def excerpt_at(session: Session, plot: PlotSource, lifetime: int, name: int, clock_index: int, broken: Ints) -> Excerpt:
    """Return the excerpt about an occasion of a lifetime, or of an object without one, on a clock index."""
    clock = session.clock
    seconds, most = _kept.get()
    first, last = np.searchsorted(clock.times, [clock.times[clock_index] - seconds, clock.times[clock_index] + seconds])
    last = min(int(last), clock.size - 1)
    first, last = max(int(first), clock_index - most // 2), min(last, clock_index + most // 2 - 1)
    signal, position = plot.signal, plot.position
    measure = plot.measure
    indices = _indices(signal, lifetime, first, last, most) if signal is not None else np.zeros(0, np.int64)
    steps = _indices(position, lifetime, first, last, most) if position is not None else np.zeros(0, np.int64)
    drawn = signal is not None and (measure is not None or bool(plot.courses) or _has_a_course(signal))
    clock_indices = (
        signal.track.clock_index[indices] if signal is not None and drawn else clock_indices_of(position, steps)
    )
    path, path_indices = _path(position, steps)
    near = broken[(broken >= first) & (broken <= last)]
    return Excerpt(
        object="" if name == NOBODY else session.names[name],
        frame=int(clock.frames[clock_index]),
        begin=float(clock.times[first]),
        end=float(clock.times[last]),
        name=plot.measured if measure is not None else str(signal.name) if signal is not None and drawn else "",
        unit=signal.unit if signal is not None else "",
        frames=tuple(clock.frames[clock_indices].tolist()),
        times=tuple(clock.times[clock_indices].tolist()),
        values=_numbers(_drawn(signal, measure, indices) if signal is not None and drawn else None),
        low=_numbers(None if plot.low is None or not drawn else plot.low(indices)),
        high=_numbers(None if plot.high is None or not drawn else plot.high(indices)),
        broken=tuple(np.unique(clock.frames[near]).tolist()),
        path=path,
        path_frames=tuple(clock.frames[path_indices].tolist()),
        path_axes=None if position is None or not path else plan_labels(position),
        outlines=tuple(map(tuple, plot.region.outlines())) if plot.region is not None else (),
        belongs_inside=plot.belongs_inside,
        marks=_marks(session, name, first, last, clock_index),
        stays=_stays(session, plot.lifetimes, first, last),
        operands=tuple(_operand(course, indices) for course in plot.courses),
    )


def _operand(course: Course, indices: Ints) -> OperandExcerpt:
    """Return an operand on some samples."""
    samples = course.samples
    low, high = (() if limit is None else _numbers(limit(indices)) for limit in (course.low, course.high))
    return OperandExcerpt(str(samples.name), samples.unit, _values(samples, indices), low, high)


def _values(samples: Samples, indices: Ints) -> tuple[Number | str, ...]:
    known = samples.usable_at(indices)
    if samples.texts is not None:
        codes = samples.parts[0][indices].tolist()
        return tuple(repr(samples.texts[code]) if there else None for code, there in zip(codes, known, strict=True))
    if samples.is_flag:
        flags = samples.parts[0][indices].tolist()
        return tuple(("false", "true")[flag] if there else None for flag, there in zip(flags, known, strict=True))
    if len(samples.parts) == 1:
        return _numbers(np.where(known, samples.parts[0][indices].astype(np.float64), np.nan))
    rows = np.stack([part[indices] for part in samples.parts], axis=1).tolist()
    texts = (f"({', '.join(f'{value:.{RECORDED_DIGITS}g}' for value in row)})" for row in rows)
    return tuple(text if there else None for text, there in zip(texts, known, strict=True))


def _drawn(signal: Samples, measure: Limit | None, indices: Ints) -> Floats:
    """Return the values that are drawn of some samples."""
    if measure is None:
        return np.where(signal.usable_at(indices), signal.parts[0][indices].astype(np.float64), np.nan)
    return np.where(signal.usable_at(indices), measure(indices), np.nan)


def _has_a_course(signal: Samples) -> bool:
    """Tell whether a signal can be drawn: numbers can, and flags on consecutive samples; a lone yes or no cannot."""
    lone = signal.is_flag and signal.track.source is not None
    return len(signal.parts) == 1 and signal.texts is None and not lone


def clock_indices_of(position: Signal | None, steps: Ints) -> Ints:
    """Return the clock indices of some samples."""
    return np.zeros(0, np.int64) if position is None else position.track.clock_index[steps]


def _indices(signal: Samples, lifetime: int, first: int, last: int, most: int) -> Ints:
    """Return the indices of a lifetime's samples between two clock indices; of all samples there, if it is nobody's."""
    track = signal.track
    if lifetime != NOBODY and track.source is None:  # then its samples lie together, in the order of the clock
        begin, end = np.searchsorted(track.lifetime, [lifetime, lifetime + 1])
        near = np.searchsorted(track.clock_index[begin:end], [first, last + 1]) + begin
        return np.arange(near[0], min(near[1], near[0] + most))
    mine = (track.clock_index >= first) & (track.clock_index <= last)
    if lifetime != NOBODY:
        mine &= track.lifetime == lifetime
    return np.flatnonzero(mine)[:most]


def _path(position: Signal | None, steps: Ints) -> tuple[tuple[tuple[float, float], ...], Ints]:
    """Return the points of a path in plan, and their clock indices; none where nothing says which way is up."""
    if position is None or not len(steps) or not has_plan(position):
        return (), steps[:0]
    x, y = (part[steps] for part in position.plan.parts)
    there = position.usable[steps] & np.isfinite(x) & np.isfinite(y)
    return tuple(zip(x[there].tolist(), y[there].tolist(), strict=True)), position.track.clock_index[steps][there]


def _numbers(values: Floats | None) -> tuple[Number, ...]:
    if values is None:
        return ()
    numbers = values.astype(np.float64)
    known = numbers.astype(object)
    known[~np.isfinite(numbers)] = None
    return tuple(known)


def _marks(session: Session, name: int, first: int, last: int, clock_index: int) -> tuple[Mark, ...]:
    """Return the events on each frame between two clock indices; if too many, this object's and the nearest ones."""
    events, clock = session.events, session.clock
    near = slice(*np.searchsorted(events.clock_index, [first, last + 1]).tolist())
    if near.start == near.stop:
        return ()
    by, on = events.by[near], events.on[near]
    subjects = np.where(by == NOBODY, on, by)
    sorts = (events.clock_index[near] * len(events.kinds) + events.kind[near]) * (len(session.names) + 1) + subjects + 1
    _, lead, count = np.unique(sorts, return_index=True, return_counts=True)
    order = np.argsort(lead)
    indices, count = near.start + lead[order], count[order]
    if len(indices) > _MOST_MARKS:
        others = (events.by[indices] != name) & (events.on[indices] != name)
        kept = np.sort(np.lexsort((np.abs(events.clock_index[indices] - clock_index), others))[:_MOST_MARKS])
        indices, count = indices[kept], count[kept]
    return tuple(
        Mark(
            int(clock.frames[events.clock_index[index]]),
            float(clock.times[events.clock_index[index]]),
            events.kinds[events.kind[index]],
            "" if subject == NOBODY else session.names[subject],
            many,
        )
        for index, subject, many in zip(
            indices.tolist(), subjects[indices - near.start].tolist(), count.tolist(), strict=True
        )
    )


def _stays(session: Session, lifetimes: Spans | None, first: int, last: int) -> tuple[Stay, ...]:
    if lifetimes is None:
        return ()
    near = np.flatnonzero((lifetimes.first <= last) & (lifetimes.last >= first))[:_MOST_STAYS]
    times = session.clock.times
    begins = times[np.maximum(lifetimes.first[near], first)].tolist()
    ends = times[np.minimum(lifetimes.last[near], last)].tolist()
    return tuple(map(Stay, map(session.who, lifetimes.lifetime[near].tolist()), begins, ends))
