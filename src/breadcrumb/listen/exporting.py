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


def frame_lines(data: TraceData) -> Iterator[bytes]:
    """Yield a trace as frame lines, each with its line end; taken up again they make the same trace.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> next(iter(frame_lines(small_trace().data)))[:17]
        b'{"breadcrumb":2,"'
    """
    session = data.session
    about: dict[str, Any] = dict(session.about)
    declared = {"events": session.declared_events, "kinds": session.declared_kinds}
    if any(declared.values()):
        about["declare"] = declared
    yield _line({"breadcrumb": VERSION, "about": about})
    told: list[dict[str, Any]] = [{} for _ in range(session.clock.size)]
    _tell_clock(session.clock, told)
    _tell_lifetimes(session, told)
    _tell_unsampled(session, data, told)
    _tell_states(data, told)
    _tell_events(session, told)
    for clock_index, frame in enumerate(told):
        yield _line(
            {"frame": int(session.clock.frames[clock_index]), "t": float(session.clock.times[clock_index]), **frame}
        )
    if not session.is_cut:
        facts = [asdict(fact) for fact in session.facts if fact.code not in (EMPTY, IN_MEMORY)]
        yield _line({"end": True, **({"facts": facts} if facts else {})})


def _tell_clock(clock: Clock, told: list[dict[str, Any]]) -> None:
    for name, values in (
        ("wall", clock.wall),
        ("steps", clock.steps),
        ("scale", clock.scale),
        ("paused", clock.paused),
    ):
        for clock_index, value in enumerate([] if values is None else values.tolist()):
            if value == value:  # NaN stands for what was not told
                told[clock_index][name] = int(value) if name == "steps" else value


def _tell_unsampled(session: Session, data: TraceData, told: list[dict[str, Any]]) -> None:
    """Tell of every lifetime the frames on which it was there and has no sample."""
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
    for short in np.flatnonzero(samples < end - begin).tolist():
        if not data.columns(session.kinds[session.lifetimes.kind[short]]):
            continue  # without properties, being there is all there is to know
        every = np.arange(begin[short], end[short])
        for at in np.setdiff1d(every, clock_indices[short]).tolist() if short in clock_indices else every.tolist():
            told[at].setdefault("unsampled", []).append(session.who(short))


def _begins(session: Session) -> Ints:
    """Return the clock index on which each lifetime begins; the first one where it was there from the start."""
    return np.maximum(session.lifetimes.appear, 0)


def _tell_lifetimes(session: Session, told: list[dict[str, Any]]) -> None:
    lifetimes = session.lifetimes
    begins = _begins(session) if session.clock.size else np.full(lifetimes.size, NOBODY)
    for lifetime in range(lifetimes.size):
        one = {"id": session.who(lifetime), "kind": session.kinds[lifetimes.kind[lifetime]]}
        if lifetimes.parent[lifetime] != NOBODY:
            one["parent"] = session.names[lifetimes.parent[lifetime]]
        if begins[lifetime] != NOBODY:
            told[begins[lifetime]].setdefault("appear", []).append(one)
        if lifetimes.leave[lifetime] != NOBODY:
            told[lifetimes.leave[lifetime]].setdefault("leave", []).append(one["id"])


def _tell_states(data: TraceData, told: list[dict[str, Any]]) -> None:
    """Tell each property on the frames on which it is another one than on the sample before."""
    session = data.session
    for kind in session.kinds:
        properties: dict[str, list[str]] = {}
        for column in data.columns(kind):
            properties.setdefault(property_of(column), []).append(column)
        for name, columns in sorted(properties.items()):  # so that a trace made of these lines gives them again
            lifetime, clock_index = data.index(kind)
            parts = [data.column(kind, column) for column in columns]
            for index in _changed(lifetime, parts):
                values = [_plain(part, index) for part in parts]
                state = (
                    told[clock_index[index]].setdefault("state", {}).setdefault(session.who(int(lifetime[index])), {})
                )
                state[name] = values if len(values) > 1 else values[0]


def _changed(lifetime: Ints, parts: list[ColumnData]) -> list[int]:
    """Return the indices at which a value is not, bit for bit, the one before it in the same lifetime."""
    changed = np.ones(len(lifetime), np.bool_)
    changed[1:] = lifetime[1:] != lifetime[:-1]
    for part in parts:
        bits = part.values.view(np.uint64) if part.values.dtype.kind == "f" else part.values
        changed[1:] |= bits[1:] != bits[:-1]
        if part.valid is not None:
            changed[1:] |= part.valid[1:] != part.valid[:-1]
    indices: list[int] = np.flatnonzero(changed).tolist()
    return indices


def _plain(column: ColumnData, index: int) -> Any:
    if column.valid is not None and not column.valid[index]:
        return None
    value = column.values[index].item()
    if column.texts is not None:
        return column.texts[value]
    if isinstance(value, float) and not math.isfinite(value):
        return "NaN" if math.isnan(value) else "Infinity" if value > 0 else "-Infinity"
    return value


def _tell_events(session: Session, told: list[dict[str, Any]]) -> None:
    events = session.events
    for index, clock_index in enumerate(events.clock_index.tolist()):
        one: dict[str, Any] = {"name": events.kinds[events.kind[index]]}
        for key, who in (("by", events.by[index]), ("on", events.on[index])):
            if who != NOBODY:
                one[key] = session.names[who]
        if events.data[index]:
            one["data"] = dict(events.data[index])
        if events.late[index]:
            one["late"] = True
        told[clock_index].setdefault("events", []).append(one)
    for constant in session.parameters:
        one = {"name": constant.name, "value": constant.value, "unit": constant.unit}
        told[constant.clock_index].setdefault("parameters", []).append(one)


def _line(content: dict[str, Any]) -> bytes:
    return msgspec.json.encode(content) + b"\n"
