"""What is in a trace, as plain data: the terminal shows it, and machines read it."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from itertools import groupby
from typing import Any, TypeAlias

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import UnknownName
from breadcrumb.model.facts import Fact
from breadcrumb.model.session import ERROR, NOBODY, Ints, Session
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.words import RECORDED_DIGITS, number

Plain: TypeAlias = "float | bool | str | list[float | None] | None"
"""A value as JSON has it; what is missing is None."""


@dataclass(frozen=True)
class Instant:
    """A frame and its game time in seconds."""

    frame: int
    time: float

    def __str__(self) -> str:
        return f"{self.frame} ({self.time:.3f} s)"


@dataclass(frozen=True)
class PropertyFacts:
    """One property of a kind or of an object, over all its lifetimes; numbers of vectors are lists, one per part."""

    name: str
    unit: str
    type: str
    samples: int
    missing: int
    changes: list[int]
    """How often each part is another one than on the sample before, in one lifetime."""
    least: Plain = None
    most: Plain = None
    mean: Plain = None
    """The mean; of a flag, the share on which it is true."""
    first: Plain = None
    last: Plain = None
    texts: list[str] = field(default_factory=list)
    """The distinct texts of a text."""
    not_finite: int = 0


@dataclass(frozen=True)
class KindFacts:
    """The objects of one kind."""

    kind: str
    objects: list[str]
    lifetimes: int
    properties: list[PropertyFacts]
    shape: str = ""
    """What body they have, in words; empty if none was declared."""


@dataclass(frozen=True)
class EventFacts:
    """All events of one name, or all errors of one message."""

    name: str
    times: int
    first: Instant | None = None
    last: Instant | None = None
    by: list[str] = field(default_factory=list)
    gaps: list[float] = field(default_factory=list)
    """The shortest, the median and the longest gap between two of them, in seconds."""


@dataclass(frozen=True)
class ParameterFacts:
    """A tuning constant, and how often it changed."""

    name: str
    value: float | str | bool
    unit: str
    changed: int


@dataclass(frozen=True)
class LifetimeFacts:
    """One lifetime of an object."""

    lifetime: int
    appears: Instant | None
    first: Instant | None
    last: Instant | None
    leaves: Instant | None
    parent: str


@dataclass(frozen=True)
class ObjectFacts:
    """All about one object."""

    id: str
    kind: str
    lifetimes: list[LifetimeFacts]
    properties: list[PropertyFacts]
    events: list[EventFacts]


@dataclass(frozen=True)
class TraceFacts:
    """All about a session."""

    trace: str
    about: Mapping[str, Any]
    notes: tuple[str, ...]
    """What to know of the recording, in words."""
    facts: tuple[Fact, ...]
    """The same as records."""
    frames: int
    first: Instant | None
    last: Instant | None
    steps: list[float]
    """The shortest, the median and the longest time from frame to frame, in seconds."""
    gaps: int
    restarts: list[Instant]
    """The frames on which the game begins anew."""
    kinds: list[KindFacts]
    events: list[EventFacts]
    errors: list[EventFacts]
    parameters: list[ParameterFacts]


def facts_of(trace: Trace) -> TraceFacts:
    """Return what is in a trace."""
    session = trace.data.session
    clock = session.clock
    steps = np.diff(clock.times)
    ends = [_instant(session, 0), _instant(session, clock.size - 1)] if clock.size else [None, None]
    return TraceFacts(
        trace=session.label,
        about=dict(session.about),
        notes=trace.notes,
        facts=session.facts,
        frames=clock.size,
        first=ends[0],
        last=ends[1],
        steps=_spread(steps[steps > 0]),
        gaps=int(np.count_nonzero(np.diff(clock.frames) > 1)),
        restarts=[at for one in trace.restarts.clock_index.tolist() if (at := _instant(session, one)) is not None],
        kinds=[_kind_facts(trace.all(kind)) for kind in sorted_by_sight(session)],
        events=[event_facts(trace, name) for name in (*session.events.kinds, *_never_seen(session))],
        errors=_error_facts(trace),
        parameters=_parameter_facts(session),
    )


def object_facts(trace: Trace, id: str) -> ObjectFacts:
    """Return all about one object.

    Raises:
        UnknownName: there is none with this id.
    """
    one, session = trace.one(id=id), trace.data.session
    lifetimes = session.lifetimes
    mine = np.flatnonzero(lifetimes.name == session.names.index(id)).tolist()
    names = [name for name in session.events.kinds if (trace.events(name, by=id) | trace.events(name, on=id)).count]
    return ObjectFacts(
        id,
        one.key.kind,
        [_lifetime_facts(session, lifetime) for lifetime in mine],
        [property_facts(one.signal(name)) for name in one.properties],
        [_moment_facts(name, trace.events(name, by=id) | trace.events(name, on=id)) for name in names],
    )


def event_facts(trace: Trace, name: str) -> EventFacts:
    """Return all about the events of one name.

    Raises:
        UnknownName: it was neither seen nor declared.
    """
    known = trace.vocabulary.events
    if name not in known:
        raise UnknownName("event", name, known, trace.data.session.label)
    return _moment_facts(name, trace.events(name))


def property_facts(signal: Signal) -> PropertyFacts:
    """Return all about a signal: its range, its ends, and how often it changes."""
    track, usable = signal.track, signal.usable
    goes_on = ~track.first_of_lifetime[1:] & usable[1:] & usable[:-1]
    changes = [int(np.count_nonzero((part[1:] != part[:-1]) & goes_on)) for part in signal.parts]
    there = np.flatnonzero(usable)
    kind = (
        "text" if signal.texts is not None else "flag" if signal.is_flag else "vector" if len(changes) > 1 else "number"
    )
    known: dict[str, Any] = {}
    if len(there):
        known = {"first": plain_at(signal, int(there[0])), "last": plain_at(signal, int(there[-1]))}
    if signal.texts is not None:
        known["texts"] = [signal.texts[code] for code in np.unique(signal.parts[0][there]).tolist()]
    elif signal.is_flag and len(there):
        known["mean"] = float(signal.parts[0][there].mean())
    elif len(there):
        known |= _range(signal, there)
    return PropertyFacts(signal.name, signal.unit, kind, track.size, track.size - len(there), changes, **known)


def plain_at(signal: Signal, index: int) -> Plain:
    """Return the value of one sample."""
    if not signal.usable[index]:
        return None
    if signal.texts is not None:
        return signal.texts[int(signal.parts[0][index])]
    if signal.is_flag:
        return bool(signal.parts[0][index])
    parts: list[float | None] = [float(part[index]) for part in signal.parts]
    return parts if len(parts) > 1 else parts[0]


def told(value: Plain) -> str:
    """Return a value in words."""
    if value is None:
        return "missing"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list):
        return f"({', '.join(number(part, RECORDED_DIGITS) for part in value)})"
    return repr(value) if isinstance(value, str) else number(value, RECORDED_DIGITS)


def data_words(data: Mapping[str, Any]) -> str:
    """Return what else is known of an event in words."""
    return "  ".join(f"{key}={_brief(value)}" for key, value in data.items())


def _brief(value: Any) -> str:
    if isinstance(value, list | tuple):
        return f"({', '.join(map(_brief, value))})"
    if isinstance(value, bool):
        return told(value)
    return number(value, RECORDED_DIGITS) if isinstance(value, int | float) else str(value)


def plain(facts: Any) -> Any:
    """Return facts as JSON has them; NaN and infinities become texts."""
    if hasattr(facts, "__dataclass_fields__"):
        return plain(asdict(facts))
    if isinstance(facts, Mapping):
        return {str(key): plain(value) for key, value in facts.items()}
    if isinstance(facts, list | tuple):
        return [plain(value) for value in facts]
    if isinstance(facts, float) and not np.isfinite(facts):
        return str(facts)
    return facts if isinstance(facts, str | int | float | bool | None) else str(facts)


def sorted_by_sight(session: Session) -> list[str]:
    """Return the kinds in the order in which they were seen, and behind them those that were only declared."""
    return [*session.kinds, *sorted(set(session.declared_kinds) - set(session.kinds))]


def _lifetime_facts(session: Session, lifetime: int) -> LifetimeFacts:
    lifetimes = session.lifetimes
    clock_indices = (lifetimes.appear, lifetimes.first, lifetimes.last, lifetimes.leave)
    appears, first, last, leaves = (_instant(session, int(clock_index[lifetime])) for clock_index in clock_indices)
    parent = "" if lifetimes.parent[lifetime] == NOBODY else session.names[lifetimes.parent[lifetime]]
    return LifetimeFacts(int(lifetimes.ordinal[lifetime]), appears, first, last, leaves, parent)


def _kind_facts(group: Objects) -> KindFacts:
    return KindFacts(
        group.key.kind,
        list(group.ids),
        len(group.lifetimes.lifetime),
        [property_facts(group.signal(name)) for name in group.properties],
        str(group.shape or ""),
    )


def _range(signal: Signal, there: Ints) -> dict[str, Any]:
    parts = [part[there] for part in signal.parts]
    finite = np.logical_and.reduce([np.isfinite(part) for part in parts])
    if not finite.any():
        return {"not_finite": len(there)}
    parts = [part[finite] for part in parts] if not finite.all() else parts
    found: dict[str, Any] = {"not_finite": len(there) - int(finite.sum())}
    for name, of in (("least", np.min), ("most", np.max), ("mean", np.mean)):
        each = [float(of(part)) for part in parts]
        found[name] = each if len(each) > 1 else each[0]
    return found


def _moment_facts(name: str, moments: Moments) -> EventFacts:
    if not moments.count:
        return EventFacts(name, 0)
    session, by = moments.session, moments.by[moments.by != NOBODY]
    return EventFacts(
        name,
        moments.count,
        _instant(session, int(moments.clock_index[0])),
        _instant(session, int(moments.clock_index[-1])),
        [session.names[index] for index in np.unique(by).tolist()],
        _spread(np.diff(moments.times)),
    )


def _error_facts(trace: Trace) -> list[EventFacts]:
    """Return the errors, each message once, with its count."""
    if ERROR not in trace.event_names:
        return []
    errors = trace.events(ERROR)
    messages = np.array([str(one.get("message", "")) for one in errors.data], object)
    return [
        _moment_facts(message, errors.pick(np.flatnonzero(messages == message)))
        for message in dict.fromkeys(messages.tolist())
    ]


def _parameter_facts(session: Session) -> list[ParameterFacts]:
    return [
        ParameterFacts(name, values[-1].value, values[-1].unit, len(values) - 1)
        for name, several in groupby(sorted(session.parameters, key=lambda one: one.name), key=lambda one: one.name)
        for values in [list(several)]
    ]


def _never_seen(session: Session) -> list[str]:
    return sorted(set(session.declared_events) - set(session.events.kinds))


def _spread(values: Any) -> list[float]:
    return [float(values.min()), float(np.median(values)), float(values.max())] if len(values) else []


def _instant(session: Session, clock_index: int) -> Instant | None:
    return (
        None
        if clock_index == NOBODY
        else Instant(int(session.clock.frames[clock_index]), float(session.clock.times[clock_index]))
    )
