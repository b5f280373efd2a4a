"""From a trace back to frame lines."""

import math
from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np

from breadcrumb.listen.lines import VERSION
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Ints, Session
from breadcrumb.model.trace import TraceData


def frame_lines(data: TraceData) -> Iterator[bytes]:
    """Yield a trace as frame lines, each with its line end; taken up again they make the same trace.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> next(iter(frame_lines(small_trace().data)))[:17]
        b'{"breadcrumb":1,"'
    """
    session = data.session
    about: dict[str, Any] = dict(session.about)
    declared = {"events": session.declared_events, "kinds": session.declared_kinds}
    if any(declared.values()):
        about["declare"] = declared
    yield _line({"breadcrumb": VERSION, "about": about})
    told: list[dict[str, Any]] = [{} for _ in range(session.clock.size)]
    _tell_clock(session.clock, told)
    _tell_lives(session, told)
    _tell_unsampled(session, data, told)
    _tell_states(data, told)
    _tell_events(session, told)
    for row, frame in enumerate(told):
        yield _line({"frame": int(session.clock.frames[row]), "t": float(session.clock.times[row]), **frame})
    if not session.is_cut:
        yield _line({"end": True})


def _tell_clock(clock: Clock, told: list[dict[str, Any]]) -> None:
    for name, values in (
        ("wall", clock.wall),
        ("steps", clock.steps),
        ("scale", clock.scale),
        ("paused", clock.paused),
    ):
        for row, value in enumerate([] if values is None else values.tolist()):
            if value == value:  # NaN stands for what was not told
                told[row][name] = int(value) if name == "steps" else value


def _tell_unsampled(session: Session, data: TraceData, told: list[dict[str, Any]]) -> None:
    """Tell of every life the frames on which it was there and has no sample."""
    begin, size = _begins(session), session.clock.size
    end = np.where(session.lives.leave == NOBODY, size, session.lives.leave)
    samples = np.zeros(session.lives.size, np.int64)
    rows: dict[int, Ints] = {}
    for kind in session.kinds:
        if data.columns(kind):
            life, row = data.index(kind)
            there, first, count = np.unique(life, return_index=True, return_counts=True)
            samples[there] = count
            gaps = np.flatnonzero(count < (end - begin)[there])
            rows |= {int(there[one]): row[first[one] : first[one] + count[one]] for one in gaps.tolist()}
    for short in np.flatnonzero(samples < end - begin).tolist():
        if not data.columns(session.kinds[session.lives.kind[short]]):
            continue  # without properties, being there is all there is to know
        every = np.arange(begin[short], end[short])
        for at in np.setdiff1d(every, rows[short]).tolist() if short in rows else every.tolist():
            told[at].setdefault("unsampled", []).append(session.who(short))


def _begins(session: Session) -> Ints:
    """Return the row on which each life is first there; one that nobody saw appear was there from the start."""
    return np.maximum(session.lives.appear, 0)


def _tell_lives(session: Session, told: list[dict[str, Any]]) -> None:
    lives = session.lives
    begins = _begins(session) if session.clock.size else np.full(lives.size, NOBODY)
    for life in range(lives.size):
        one = {"id": session.who(life), "kind": session.kinds[lives.kind[life]]}
        if lives.parent[life] != NOBODY:
            one["parent"] = session.names[lives.parent[life]]
        if begins[life] != NOBODY:
            told[begins[life]].setdefault("appear", []).append(one)
        if lives.leave[life] != NOBODY:
            told[lives.leave[life]].setdefault("leave", []).append(one["id"])


def _tell_states(data: TraceData, told: list[dict[str, Any]]) -> None:
    """Tell each property on the frames on which it is another one than on the sample before."""
    session = data.session
    for kind in session.kinds:
        properties: dict[str, list[str]] = {}
        for column in data.columns(kind):
            properties.setdefault(column.split(".")[0], []).append(column)
        for name, columns in sorted(properties.items()):  # so that a trace made of these lines gives them again
            life, row = data.index(kind)
            parts = [data.column(kind, column) for column in columns]
            for place in _changed(life, parts):
                values = [_plain(part, place) for part in parts]
                state = told[row[place]].setdefault("state", {}).setdefault(session.who(int(life[place])), {})
                state[name] = values if len(values) > 1 else values[0]


def _changed(life: Ints, parts: list[ColumnData]) -> list[int]:
    """Return the places at which a value is not, bit for bit, the one before it in the same life."""
    changed = np.ones(len(life), np.bool_)
    changed[1:] = life[1:] != life[:-1]
    for part in parts:
        bits = part.values.view(np.uint64) if part.values.dtype.kind == "f" else part.values
        changed[1:] |= bits[1:] != bits[:-1]
        if part.valid is not None:
            changed[1:] |= part.valid[1:] != part.valid[:-1]
    places: list[int] = np.flatnonzero(changed).tolist()
    return places


def _plain(column: ColumnData, place: int) -> Any:
    if column.valid is not None and not column.valid[place]:
        return None
    value = column.values[place].item()
    if column.texts is not None:
        return column.texts[value]
    if isinstance(value, float) and not math.isfinite(value):
        return "NaN" if math.isnan(value) else "Infinity" if value > 0 else "-Infinity"
    return value


def _tell_events(session: Session, told: list[dict[str, Any]]) -> None:
    events = session.events
    for place, row in enumerate(events.row.tolist()):
        one: dict[str, Any] = {"name": events.kinds[events.kind[place]]}
        for key, who in (("by", events.by[place]), ("on", events.on[place])):
            if who != NOBODY:
                one[key] = session.names[who]
        if events.data[place]:
            one["data"] = dict(events.data[place])
        if events.late[place]:
            one["late"] = True
        told[row].setdefault("events", []).append(one)
    for constant in session.parameters:
        one = {"name": constant.name, "value": constant.value, "unit": constant.unit}
        told[constant.row].setdefault("parameters", []).append(one)


def _line(content: dict[str, Any]) -> bytes:
    return msgspec.json.encode(content) + b"\n"
