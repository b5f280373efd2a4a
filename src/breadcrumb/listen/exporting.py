"""From a trace back to frame lines."""

import math
from collections.abc import Iterator
from dataclasses import asdict
from typing import Any

import msgspec
import numpy as np

from breadcrumb.listen.lines import VERSION
from breadcrumb.model.columns import property_of
from breadcrumb.model.facts import EMPTY, IN_MEMORY
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Ints, Session
from breadcrumb.model.trace import TraceData

_FRAMES_AT_ONCE = 2048


def frame_lines(data: TraceData) -> Iterator[bytes]:
    """Yield a trace as frame lines, each with its line end; taken up again they make the same trace.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> next(iter(frame_lines(small_trace().data)))[:17]
        b'{"breadcrumb":2,"'
    """
    session = data.session
    about: dict[str, Any] = dict(session.about)
    declared = {
        "events": session.declared_events,
        "kinds": session.declared_kinds,
        "restarts": session.declared_restarts,
    }
    if any(declared.values()):
        about["declare"] = declared
    yield _line({"breadcrumb": VERSION, "about": about})
    states = [one for kind in session.kinds for one in _states_of(data, kind)]
    unsampled = _unsampled(session, data)
    for begin in range(0, session.clock.size, _FRAMES_AT_ONCE):
        told = _Told(begin, min(begin + _FRAMES_AT_ONCE, session.clock.size))
        _tell_clock(session.clock, told)
        _tell_lifetimes(session, told)
        _tell_unsampled(session, unsampled, told)
        for state in states:
            state.tell(session, told)
        _tell_events(session, told)
        for clock_index, frame in enumerate(told.lines, begin):
            number, time = int(session.clock.frames[clock_index]), float(session.clock.times[clock_index])
            yield _line({"frame": number, "t": time, **frame})
    if not session.is_cut:
        facts = [asdict(fact) for fact in session.facts if fact.code not in (EMPTY, IN_MEMORY)]
        yield _line({"end": True, **({"facts": facts} if facts else {})})


class _Told:
    """What some frames tell: as many as are made at once, so that memory does not grow with the session."""

    def __init__(self, begin: int, end: int) -> None:
        self.begin, self.end = begin, end
        self.lines: list[dict[str, Any]] = [{} for _ in range(end - begin)]

    def __getitem__(self, clock_index: int) -> dict[str, Any]:
        return self.lines[clock_index - self.begin]

    def among(self, clock_index: Ints) -> Ints:
        """Return the indices of what lies in these frames."""
        return np.flatnonzero((clock_index >= self.begin) & (clock_index < self.end))


def _tell_clock(clock: Clock, told: _Told) -> None:
    for name, values in (
        ("wall", clock.wall),
        ("steps", clock.steps),
        ("scale", clock.scale),
        ("paused", clock.paused),
    ):
        here = [] if values is None else values[told.begin : told.end].tolist()
        for line, value in zip(told.lines, here, strict=False):
            if value == value:  # NaN stands for what was not told
                line[name] = int(value) if name == "steps" else value


def _unsampled(session: Session, data: TraceData) -> list[tuple[int, Ints]]:
    """Return the lifetimes that have no sample on some frames on which they were there, with these frames."""
    begin, size = _begins(session), session.clock.size
    end = np.where(session.lifetimes.leave == NOBODY, size, session.lifetimes.leave)
    samples = np.zeros(session.lifetimes.size, np.int64)
    clock_indices: dict[int, Ints] = {}
    for kind in session.kinds:
        if data.columns(kind):
            lifetime, clock_index = data.index(kind)
            there, first, count = np.unique(lifetime, return_index=True, return_counts=True)
            samples[there] = count
            gaps = np.flatnonzero(count < (end - begin)[there])
            clock_indices |= {
                int(there[one]): clock_index[first[one] : first[one] + count[one]] for one in gaps.tolist()
            }
    found = []
    for short in np.flatnonzero(samples < end - begin).tolist():
        if not data.columns(session.kinds[session.lifetimes.kind[short]]):
            continue  # without properties, being there is all there is to know
        every = np.arange(begin[short], end[short])
        found.append((short, np.setdiff1d(every, clock_indices[short]) if short in clock_indices else every))
    return found


def _tell_unsampled(session: Session, unsampled: list[tuple[int, Ints]], told: _Told) -> None:
    for lifetime, frames in unsampled:
        first, last = np.searchsorted(frames, [told.begin, told.end])
        for at in frames[first:last].tolist():
            told[at].setdefault("unsampled", []).append(session.who(lifetime))


def _begins(session: Session) -> Ints:
    """Return the clock index on which each lifetime begins; the first one where it was there from the start."""
    return np.maximum(session.lifetimes.appear, 0)


def _tell_lifetimes(session: Session, told: _Told) -> None:
    lifetimes, begins = session.lifetimes, _begins(session)
    for lifetime in told.among(begins).tolist():
        one = {"id": session.who(lifetime), "kind": session.kinds[lifetimes.kind[lifetime]]}
        if lifetimes.parent[lifetime] != NOBODY:
            one["parent"] = session.names[lifetimes.parent[lifetime]]
        told[begins[lifetime]].setdefault("appear", []).append(one)
    for lifetime in told.among(lifetimes.leave).tolist():
        told[lifetimes.leave[lifetime]].setdefault("leave", []).append(session.who(lifetime))


class _State:
    """A property of a kind, told on the frames on which it is another one than on the sample before."""

    def __init__(self, data: TraceData, kind: str, name: str, columns: list[str]) -> None:
        self._name = name
        self._lifetime, self._clock_index = data.index(kind)
        self._parts = [data.column(kind, column) for column in columns]
        changed = _changed(self._lifetime, self._parts)
        self._order = changed[np.argsort(self._clock_index[changed], kind="stable")]
        self._at = 0
        on_each = np.bincount(self._clock_index[changed]) if len(changed) else np.zeros(1, np.int64)
        self._most_on_a_frame = int(on_each.max())

    def tell(self, session: Session, told: _Told) -> None:
        """Tell what changed on some frames, which follow those of the last call."""
        first = self._at
        here = self._clock_index[self._order[first : first + len(told.lines) * self._most_on_a_frame]]
        self._at = first + int(np.searchsorted(here, told.end))
        for index in self._order[first : self._at].tolist():
            values = [_plain(part, index) for part in self._parts]
            state = told[self._clock_index[index]].setdefault("state", {})
            mine = state.setdefault(session.who(int(self._lifetime[index])), {})
            mine[self._name] = values if len(values) > 1 else values[0]


def _states_of(data: TraceData, kind: str) -> Iterator[_State]:
    properties: dict[str, list[str]] = {}
    for column in data.columns(kind):
        properties.setdefault(property_of(column), []).append(column)
    for name, columns in sorted(properties.items()):  # so that a trace made of these lines gives them again
        yield _State(data, kind, name, columns)


def _changed(lifetime: Ints, parts: list[ColumnData]) -> Ints:
    """Return the indices at which a value is not, bit for bit, the one before it in the same lifetime."""
    changed = np.ones(len(lifetime), np.bool_)
    changed[1:] = lifetime[1:] != lifetime[:-1]
    for part in parts:
        bits = part.values.view(np.uint64) if part.values.dtype.kind == "f" else part.values
        changed[1:] |= bits[1:] != bits[:-1]
        if part.valid is not None:
            changed[1:] |= part.valid[1:] != part.valid[:-1]
    return np.flatnonzero(changed)


def _plain(column: ColumnData, index: int) -> Any:
    if column.valid is not None and not column.valid[index]:
        return None
    value = column.values[index].item()
    if column.texts is not None:
        return column.texts[value]
    if isinstance(value, float) and not math.isfinite(value):
        return "NaN" if math.isnan(value) else "Infinity" if value > 0 else "-Infinity"
    return value


def _tell_events(session: Session, told: _Told) -> None:
    events = session.events
    for index in told.among(events.clock_index).tolist():
        clock_index = int(events.clock_index[index])
        one: dict[str, Any] = {"name": events.kinds[events.kind[index]]}
        for key, who in (("by", events.by[index]), ("on", events.on[index])):
            if who != NOBODY:
                one[key] = session.names[who]
        if events.data[index]:
            one["data"] = dict(events.data[index])
        if events.late[index]:
            one["late"] = True
        told[clock_index].setdefault("events", []).append(one)
    for constant in (one for one in session.parameters if told.begin <= one.clock_index < told.end):
        one = {"name": constant.name, "value": constant.value, "unit": constant.unit}
        told[constant.clock_index].setdefault("parameters", []).append(one)


def _line(content: dict[str, Any]) -> bytes:
    return msgspec.json.encode(content) + b"\n"
