"""Cutting the few seconds around one occasion out of a trace."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from breadcrumb.algebra.angles import plan_labels
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.model.session import NOBODY, Floats, Ints, Session
from breadcrumb.verdicts.evidence import Excerpt, Mark, Number, Stay

_SECONDS_AROUND = 2.0
_MOST_SAMPLES = 600
_MOST_MARKS = 60
_MOST_STAYS = 12


Limit: TypeAlias = Callable[[Ints], Floats]
"""Gives what is allowed on some samples, by their places."""


def level(value: float | Floats) -> Limit:
    """Return a limit that is the same for all samples, or an array with one for each."""
    if isinstance(value, np.ndarray):
        return value.__getitem__
    return lambda places: np.full(len(places), value)


@dataclass(frozen=True, eq=False)
class Picture:
    """What a figure of an occasion needs: the judged signal, what was allowed, and where things were."""

    signal: Signal | None = None
    low: "Limit | None" = None
    """The lowest allowed value of the signal."""
    high: "Limit | None" = None
    """The highest allowed value of the signal."""
    position: Signal | None = None
    """Where the object was; for a path in plan."""
    region: Region | None = None
    belongs_inside: bool = True
    """Whether the region is where the object belongs, or where it does not."""
    lives: Spans | None = None
    """The lives that the rule is about."""
    measure: Limit | None = None
    """What is drawn of a vector: gives a number for some samples, by their places."""
    measured: str = "distance from the expected"
    """What that is called."""


def excerpt_at(session: Session, picture: Picture, life: int, name: int, row: int, broken: Ints) -> Excerpt:
    """Return the excerpt about an occasion of a life, or of an object without one, on a row of the clock."""
    clock = session.clock
    first, last = np.searchsorted(clock.times, [clock.times[row] - _SECONDS_AROUND, clock.times[row] + _SECONDS_AROUND])
    last = min(int(last), clock.size - 1)
    first, last = max(int(first), row - _MOST_SAMPLES // 2), min(last, row + _MOST_SAMPLES // 2 - 1)
    signal, position = picture.signal, picture.position
    measure = picture.measure
    places = _places(signal, life, first, last) if signal is not None else np.zeros(0, np.int64)
    steps = _places(position, life, first, last) if position is not None else np.zeros(0, np.int64)
    drawn = signal is not None and (measure is not None or _has_a_course(signal))
    rows = signal.track.row[places] if signal is not None and drawn else clock_rows(position, steps)
    path, path_rows = _path(position, steps)
    near = broken[(broken >= first) & (broken <= last)]
    return Excerpt(
        object="" if name == NOBODY else session.names[name],
        frame=int(clock.frames[row]),
        begin=float(clock.times[first]),
        end=float(clock.times[last]),
        name=picture.measured if measure is not None else signal.name if signal is not None and drawn else "",
        unit=signal.unit if signal is not None else "",
        frames=tuple(clock.frames[rows].tolist()),
        times=tuple(clock.times[rows].tolist()),
        values=_numbers(_drawn(signal, measure, places) if signal is not None and drawn else None),
        low=_numbers(None if picture.low is None or not drawn else picture.low(places)),
        high=_numbers(None if picture.high is None or not drawn else picture.high(places)),
        broken=tuple(np.unique(clock.frames[near]).tolist()),
        path=path,
        path_frames=tuple(clock.frames[path_rows].tolist()),
        path_axes=None if position is None or not path else plan_labels(position),
        outline=tuple(picture.region.outline()) if picture.region is not None else (),
        belongs_inside=picture.belongs_inside,
        marks=_marks(session, name, first, last, row),
        stays=_stays(session, picture.lives, first, last),
    )


def _drawn(signal: Signal, measure: Limit | None, places: Ints) -> Floats:
    """Return the values that are drawn of some samples."""
    if measure is None:
        return np.asarray(signal.take(places).values)
    return np.where(signal.usable[places], measure(places), np.nan)


def _has_a_course(signal: Signal) -> bool:
    """Tell whether a signal can be drawn: numbers can, and flags on consecutive samples; a lone yes or no cannot."""
    lone = signal.is_flag and signal.track.source is not None
    return len(signal.parts) == 1 and signal.texts is None and not lone


def clock_rows(position: Signal | None, steps: Ints) -> Ints:
    """Return the rows of the clock of some samples."""
    return np.zeros(0, np.int64) if position is None else position.track.row[steps]


def _places(signal: Signal, life: int, first: int, last: int) -> Ints:
    """Return the places of a life's samples between two rows; of all samples there, if it is nobody's."""
    track = signal.track
    if life != NOBODY and track.source is None:  # then its samples lie together, in the order of the clock
        begin, end = np.searchsorted(track.life, [life, life + 1])
        near = np.searchsorted(track.row[begin:end], [first, last + 1]) + begin
        return np.arange(near[0], min(near[1], near[0] + _MOST_SAMPLES))
    mine = (track.row >= first) & (track.row <= last)
    if life != NOBODY:
        mine &= track.life == life
    return np.flatnonzero(mine)[:_MOST_SAMPLES]


def _path(position: Signal | None, steps: Ints) -> tuple[tuple[tuple[float, float], ...], Ints]:
    """Return the points of a path in plan, and their rows of the clock."""
    if position is None or not len(steps):
        return (), steps
    x, y = (part[steps] for part in position.plan.parts)
    there = position.usable[steps] & np.isfinite(x) & np.isfinite(y)
    return tuple(zip(x[there].tolist(), y[there].tolist(), strict=True)), position.track.row[steps][there]


def _numbers(values: Floats | None) -> tuple[Number, ...]:
    if values is None:
        return ()
    numbers = values.astype(np.float64)
    known = numbers.astype(object)
    known[~np.isfinite(numbers)] = None
    return tuple(known)


def _marks(session: Session, name: int, first: int, last: int, row: int) -> tuple[Mark, ...]:
    """Return the sorts of events on each frame between two rows; if too many, this object's and the nearest ones."""
    events, clock = session.events, session.clock
    near = np.flatnonzero((events.row >= first) & (events.row <= last))
    if not len(near):
        return ()
    subject = np.where(events.by == NOBODY, events.on, events.by)
    sorts = np.stack([events.row[near], events.kind[near], subject[near]], axis=1)
    _, lead, count = np.unique(sorts, axis=0, return_index=True, return_counts=True)
    order = np.argsort(lead)
    places, count = near[lead[order]], count[order]
    if len(places) > _MOST_MARKS:
        others = (events.by[places] != name) & (events.on[places] != name)
        kept = np.sort(np.lexsort((np.abs(events.row[places] - row), others))[:_MOST_MARKS])
        places, count = places[kept], count[kept]
    return tuple(
        Mark(
            int(clock.frames[events.row[place]]),
            float(clock.times[events.row[place]]),
            events.kinds[events.kind[place]],
            "" if subject[place] == NOBODY else session.names[subject[place]],
            many,
        )
        for place, many in zip(places.tolist(), count.tolist(), strict=True)
    )


def _stays(session: Session, lives: Spans | None, first: int, last: int) -> tuple[Stay, ...]:
    if lives is None:
        return ()
    near = np.flatnonzero((lives.first <= last) & (lives.last >= first))[:_MOST_STAYS]
    times = session.clock.times
    return tuple(
        Stay(
            session.who(int(lives.life[place])),
            float(times[max(first, int(lives.first[place]))]),
            float(times[min(last, int(lives.last[place]))]),
        )
        for place in near.tolist()
    )
