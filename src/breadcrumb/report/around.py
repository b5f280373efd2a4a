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
    """Return inputs, events, changes of states, and lifetimes that begin or end, between two clock indices.

    If an object is named, only what is by it, on it or of it.
    """
    lines = [*_events(trace.data.session, first, last), *_lifetimes(trace.data.session, first, last)]
    for signal in _signals(trace, only):
        lines += _changes(signal, first, last)
    lines = [line for line in lines if only in (None, line.object, line.on)]
    order = {"restart": 0, "appears": 0, "input": 1, "event": 2, "change": 3, "leaves": 4}
    return sorted(lines, key=lambda line: (line.frame, order[line.what]))


def values_at(
    trace: Trace, clock_indices: list[int], only: str | None = None, *, only_changed: bool = False
) -> list[Held]:
    """Return what everything, or one object, was like on some clock indices; or only what is not alike on all."""
    found = []
    kinds = trace.data.session.kinds
    for signal in _signals(trace, only):
        indices = [np.flatnonzero(signal.track.clock_index == clock_index) for clock_index in clock_indices]
        lifetimes = np.unique(np.concatenate([signal.track.lifetime[some] for some in indices])).tolist()
        at = [dict(zip(signal.track.lifetime[some].tolist(), some.tolist(), strict=True)) for some in indices]
        for lifetime in lifetimes:
            values = [plain_at(signal, some[lifetime]) if lifetime in some else None for some in at]
            if not only_changed or any(value != values[0] for value in values[1:]):
                kind, who = kinds[trace.data.session.lifetimes.kind[lifetime]], trace.data.session.who(lifetime)
                found.append(Held(kind, who, signal.name, signal.unit, values))
    return sorted(found, key=lambda held: (kinds.index(held.kind), held.object))


def before_and_after(trace: Trace, clock_index: int, only: str | None = None) -> list[Held]:
    """Return what is not the same on the clock index before, on a clock index, and on the one after.

    Of those that took part in an event on the clock index it is every property, of all others what is a flag or a text.
    """
    session = trace.data.session
    events = session.events
    here = events.clock_index == clock_index
    involved = {
        session.names[index] for index in (*events.by[here].tolist(), *events.on[here].tolist()) if index != NOBODY
    }
    clock_indices = [max(clock_index - 1, 0), clock_index, min(clock_index + 1, session.clock.size - 1)]
    return [
        held
        for held in values_at(trace, clock_indices, only, only_changed=True)
        if only is not None or held.object in involved or any(isinstance(value, bool | str) for value in held.values)
    ]


def occurrences(trace: Trace, name: str) -> list[Occurrence]:
    """Return each event of a name, with the seconds since the one before."""
    moments = trace.events(name)
    names = [*trace.data.session.names, ""]
    gaps = [None, *np.diff(moments.times).tolist()][: moments.count]
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
    """Return the clock index of a frame, if it is a whole number, or of the last frame not after so many seconds.

    Raises:
        Misuse: there is no such frame.
    """
    clock, label = trace.data.session.clock, trace.data.session.label
    if not clock.size:
        raise Misuse(f"{label} has no frames")
    axis, asked = (clock.frames, f"frame {when}") if isinstance(when, int) else (clock.times, f"{when:g} s")
    clock_index = int(np.searchsorted(axis, when, side="right")) - 1
    if clock_index >= 0 and when <= axis[-1] and (axis[clock_index] == when or not isinstance(when, int)):
        return clock_index
    near = f"; the one before it is {clock.frames[clock_index]}" if 0 <= clock_index < clock.size - 1 else ""
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
    for index in np.flatnonzero((events.clock_index >= first) & (events.clock_index <= last)).tolist():
        key = int(events.clock_index[index]), int(events.kind[index]), int(events.by[index]), int(events.on[index])
        told.setdefault(key, []).append(index)
    for (clock_index, kind, by, on), indices in told.items():
        name, data = events.kinds[kind], events.data[indices[0]]
        who, whom = ("" if one == NOBODY else session.names[one] for one in (by, on))
        words = [name, *([f"on {whom}"] if whom else []), *([data_words(data)] if data else [])]
        what = "restart" if name in session.declared_restarts else "input" if name.startswith(INPUT) else "event"
        yield Line(
            int(clock.frames[clock_index]),
            float(clock.times[clock_index]),
            what,
            who,
            "  ".join(words),
            whom,
            len(indices),
        )


def _lifetimes(session: Session, first: int, last: int) -> Iterator[Line]:
    clock, lifetimes = session.clock, session.lifetimes
    for what, clock_indices in (("appears", lifetimes.appear), ("leaves", lifetimes.leave)):
        for lifetime in np.flatnonzero((clock_indices >= first) & (clock_indices <= last)).tolist():
            clock_index = int(clock_indices[lifetime])
            kind = session.kinds[lifetimes.kind[lifetime]]
            yield Line(
                int(clock.frames[clock_index]), float(clock.times[clock_index]), what, session.who(lifetime), kind
            )


def _changes(signal: Signal, first: int, last: int) -> Iterator[Line]:
    track, clock = signal.track, signal.track.session.clock
    indices = np.flatnonzero((track.clock_index >= first) & (track.clock_index <= last) & ~track.first_of_lifetime)
    indices = indices[_differs(signal, indices)]
    if signal.texts is None and not signal.is_flag:
        lifetimes, counts = np.unique(track.lifetime[indices], return_counts=True)
        indices = indices[np.isin(track.lifetime[indices], lifetimes[counts <= max(1, _SELDOM * (last - first))])]
    for index in indices.tolist():
        clock_index, who = int(track.clock_index[index]), track.session.who(int(track.lifetime[index]))
        before, after = (told(plain_at(signal, at)) for at in (index - 1, index))
        words = f"{signal.name}: {before} -> {after} {signal.unit}".rstrip()
        yield Line(int(clock.frames[clock_index]), float(clock.times[clock_index]), "change", who, words)


def _differs(signal: Signal, indices: Ints) -> Ints:
    """Return which samples are other than the one before; missing and there are two things."""
    usable = signal.usable
    both = usable[indices] & usable[indices - 1]
    parts = np.logical_or.reduce([part[indices] != part[indices - 1] for part in signal.parts])
    return np.flatnonzero((parts & both) | (usable[indices] != usable[indices - 1]))
