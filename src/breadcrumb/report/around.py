"""What happened around a frame, and what everything was like on one, as plain data."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints, Session
from breadcrumb.report.facts import Plain, data_words, plain_at, told
from breadcrumb.trace.opened import Trace

INPUT = "input."
"""What the names of inputs begin with."""
_SELDOM = 0.2
"""A number that changes on more of the frames than this share moves; its changes are not told one by one."""


@dataclass(frozen=True)
class Line:
    """One thing that happened."""

    frame: int
    time: float
    what: str
    """`input`, `event`, `change`, `appears` or `leaves`."""
    object: str
    words: str
    on: str = ""
    """Whom it was done to."""
    times: int = 1
    """How often, on that frame."""


@dataclass(frozen=True)
class Held:
    """The value of a property of an object on some frames, one after the other; None where it is missing."""

    kind: str
    object: str
    property: str
    unit: str
    values: list[Plain]


@dataclass(frozen=True)
class Occurrence:
    """One event, and how many seconds after the one before it came."""

    frame: int
    time: float
    gap: float | None
    by: str
    on: str
    data: dict[str, Any]


def timeline(trace: Trace, first: int, last: int, only: str | None = None) -> list[Line]:
    """Return inputs, events, changes of states, and lives that begin or end, between two rows of the clock.

    If an object is named, only what is by it, on it or of it.
    """
    lines = [*_events(trace.data.session, first, last), *_lives(trace.data.session, first, last)]
    for signal in _signals(trace, only):
        lines += _changes(signal, first, last)
    lines = [line for line in lines if only in (None, line.object, line.on)]
    order = {"appears": 0, "input": 1, "event": 2, "change": 3, "leaves": 4}
    return sorted(lines, key=lambda line: (line.frame, order[line.what]))


def values_at(trace: Trace, rows: list[int], only: str | None = None, *, only_changed: bool = False) -> list[Held]:
    """Return what everything, or one object, was like on some rows of the clock; or only what is not alike on all."""
    found = []
    kinds = trace.data.session.kinds
    for signal in _signals(trace, only):
        places = [np.flatnonzero(signal.track.row == row) for row in rows]
        lives = np.unique(np.concatenate([signal.track.life[some] for some in places])).tolist()
        at = [dict(zip(signal.track.life[some].tolist(), some.tolist(), strict=True)) for some in places]
        for life in lives:
            values = [plain_at(signal, some[life]) if life in some else None for some in at]
            if not only_changed or any(value != values[0] for value in values[1:]):
                kind, who = kinds[trace.data.session.lives.kind[life]], trace.data.session.who(life)
                found.append(Held(kind, who, signal.name, signal.unit, values))
    return sorted(found, key=lambda held: (kinds.index(held.kind), held.object))


def before_and_after(trace: Trace, row: int, only: str | None = None) -> list[Held]:
    """Return what is not the same on the row before, on a row, and on the one after.

    Of those that took part in an event on the row it is every property, of all others what is a flag or a text.
    """
    session = trace.data.session
    events = session.events
    here = events.row == row
    involved = {session.names[place] for place in np.r_[events.by[here], events.on[here]].tolist() if place != NOBODY}
    rows = [max(row - 1, 0), row, min(row + 1, session.clock.size - 1)]
    return [
        held
        for held in values_at(trace, rows, only, only_changed=True)
        if only is not None or held.object in involved or any(isinstance(value, bool | str) for value in held.values)
    ]


def occurrences(trace: Trace, name: str) -> list[Occurrence]:
    """Return each event of a name, with the seconds since the one before."""
    moments = trace.events(name)
    names = [*trace.data.session.names, ""]
    gaps = [None, *np.diff(moments.times).tolist()]
    whole = zip(
        moments.frames.tolist(),
        moments.times.tolist(),
        gaps,
        moments.by.tolist(),
        moments.on.tolist(),
        moments.data,
        strict=True,
    )
    return [Occurrence(frame, time, gap, names[by], names[on], dict(data)) for frame, time, gap, by, on, data in whole]


def row_of(trace: Trace, when: float) -> int:
    """Return the row of the clock of a frame, if it is a whole number, or of the last frame not after so many seconds.

    Raises:
        Misuse: there is no such frame.
    """
    clock, label = trace.data.session.clock, trace.data.session.label
    if not clock.size:
        raise Misuse(f"{label} has no frame at all")
    axis, asked = (clock.frames, f"frame {when}") if isinstance(when, int) else (clock.times, f"{when:g} s")
    row = int(np.searchsorted(axis, when, side="right")) - 1
    if row >= 0 and when <= axis[-1] and (axis[row] == when or not isinstance(when, int)):
        return row
    near = f"; the one before it is {clock.frames[row]}" if 0 <= row < clock.size - 1 else ""
    raise Misuse(
        f"{label} has nothing at {asked}{near}; it goes from frame {clock.frames[0]} ({clock.times[0]:.3f} s) to "
        f"{clock.frames[-1]} ({clock.times[-1]:.3f} s)"
    )


def _signals(trace: Trace, only: str | None) -> Iterator[Signal]:
    for group in (trace.all(kind) for kind in trace.kinds) if only is None else [trace.one(id=only)]:
        for name in group.properties:
            yield group.signal(name)


def _events(session: Session, first: int, last: int) -> Iterator[Line]:
    """Tell of events; those of one name, by and on the same, are told once for each frame."""
    events, clock = session.events, session.clock
    told: dict[tuple[int, int, int, int], list[int]] = {}
    for place in np.flatnonzero((events.row >= first) & (events.row <= last)).tolist():
        key = int(events.row[place]), int(events.kind[place]), int(events.by[place]), int(events.on[place])
        told.setdefault(key, []).append(place)
    for (row, kind, by, on), places in told.items():
        name, data = events.kinds[kind], events.data[places[0]]
        who, whom = ("" if one == NOBODY else session.names[one] for one in (by, on))
        words = [name, *([f"on {whom}"] if whom else []), *([data_words(data)] if data else [])]
        what = "input" if name.startswith(INPUT) else "event"
        yield Line(int(clock.frames[row]), float(clock.times[row]), what, who, "  ".join(words), whom, len(places))


def _lives(session: Session, first: int, last: int) -> Iterator[Line]:
    clock, lives = session.clock, session.lives
    for what, rows in (("appears", lives.appear), ("leaves", lives.leave)):
        for life in np.flatnonzero((rows >= first) & (rows <= last)).tolist():
            row = int(rows[life])
            kind = session.kinds[lives.kind[life]]
            yield Line(int(clock.frames[row]), float(clock.times[row]), what, session.who(life), kind)


def _changes(signal: Signal, first: int, last: int) -> Iterator[Line]:
    track, clock = signal.track, signal.track.session.clock
    places = np.flatnonzero((track.row >= first) & (track.row <= last) & ~track.first_of_life)
    places = places[_differs(signal, places)]
    if signal.texts is None and not signal.is_flag:
        lives, counts = np.unique(track.life[places], return_counts=True)
        places = places[np.isin(track.life[places], lives[counts <= max(1, _SELDOM * (last - first))])]
    for place in places.tolist():
        row, who = int(track.row[place]), track.session.who(int(track.life[place]))
        before, after = (told(plain_at(signal, at)) for at in (place - 1, place))
        words = f"{signal.name}: {before} -> {after} {signal.unit}".rstrip()
        yield Line(int(clock.frames[row]), float(clock.times[row]), "change", who, words)


def _differs(signal: Signal, places: Ints) -> Ints:
    """Return which samples are other than the one before; missing and there are two things."""
    usable = signal.usable
    both = usable[places] & usable[places - 1]
    parts = np.logical_or.reduce([part[places] != part[places - 1] for part in signal.parts])
    return np.flatnonzero((parts & both) | (usable[places] != usable[places - 1]))
