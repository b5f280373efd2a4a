"""Whether two traces say the same, value for value."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.model.session import NOBODY, Clock, ColumnData, Ints, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.trace.opened import Trace


def differences(one: Trace, other: Trace) -> tuple[str, ...]:
    """Return in words where two traces differ; none if they are the same bit for bit in every value.

    Labels and notes are not compared, nor is the order of columns.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> differences(small_trace(), small_trace())
        ()
    """
    return tuple(_differences(one.data, other.data))


def _differences(one: TraceData, other: TraceData) -> Iterator[str]:
    mine, yours = one.session, other.session
    for what, first, second in (
        ("what is known of the session", dict(mine.about), dict(yours.about)),
        (
            "the declared names",
            *(
                {"events": {*s.declared_events}, "kinds": {*s.declared_kinds}, "restarts": {*s.declared_restarts}}
                for s in (mine, yours)
            ),
        ),
        ("the clock", _clock(mine.clock), _clock(yours.clock)),
        ("the lifetimes", _lifetimes(mine), _lifetimes(yours)),
        ("the events", _events(mine), _events(yours)),
        ("the parameters", mine.parameters, yours.parameters),
        ("whether the recording was cut", mine.is_cut, yours.is_cut),
        ("the kinds that have samples", _kinds(one), _kinds(other)),
    ):
        if first != second:
            yield f"{what}: {_first_difference(first, second)}"
    for kind in sorted(_kinds(one).keys() & _kinds(other).keys()):
        if not all(map(np.array_equal, one.index(kind), other.index(kind))):
            yield f"the samples of {kind} are of other lifetimes or frames"
            continue
        for name in sorted({*one.columns(kind)} & {*other.columns(kind)}):
            yield from _column(f"{kind} {name}", one.column(kind, name), other.column(kind, name))


def _column(name: str, one: ColumnData, other: ColumnData) -> Iterator[str]:
    if (one.texts is None, one.values.dtype) != (other.texts is None, other.values.dtype):
        yield f"{name}: {one.values.dtype} and {other.values.dtype}"
        return
    there, here = (np.ones(len(c.values), np.bool_) if c.valid is None else c.valid for c in (one, other))
    same = there == here
    both = there & here
    same[both] &= _same_bits(_read(one)[both], _read(other)[both])
    if not same.all():
        index = int(np.argmin(same))
        first, second = (_read(c)[index] if ok[index] else None for c, ok in ((one, there), (other, here)))
        yield f"{name}, sample {index}: {first!r} and {second!r}; {int((~same).sum())} of {len(same)} differ"


def _read(column: ColumnData) -> NDArray[Any]:
    return column.values if column.texts is None else np.array(column.texts, object)[column.values]


def _same_bits(one: NDArray[Any], other: NDArray[Any]) -> NDArray[np.bool_]:
    if one.dtype.kind != "f":
        return np.asarray(one == other, np.bool_)
    same: NDArray[np.bool_] = (one.view(np.uint64) == other.view(np.uint64)) | (np.isnan(one) & np.isnan(other))
    return same


def _kinds(data: TraceData) -> dict[str, set[str]]:
    return {kind: {*data.columns(kind)} for kind in data.session.kinds if data.columns(kind)}


def _clock(clock: Clock) -> list[Any]:
    told = (clock.times, clock.wall, clock.steps, clock.scale, clock.paused)
    return [clock.frames.tolist(), *(None if one is None else [repr(value) for value in one.tolist()] for one in told)]


def _lifetimes(session: Session) -> list[Any]:
    lifetimes, names = session.lifetimes, [*session.names, None]
    rows = zip(
        *(one.tolist() for one in (lifetimes.appear, lifetimes.first, lifetimes.last, lifetimes.leave)), strict=True
    )
    whose = zip(
        _texts(lifetimes.name, names),
        _texts(lifetimes.kind, session.kinds),
        _texts(lifetimes.parent, names),
        strict=True,
    )
    return [*zip(whose, rows, strict=True)]


def _events(session: Session) -> list[Any]:
    events, names = session.events, [*session.names, None]
    who = zip(_texts(events.by, names), _texts(events.on, names), map(dict, events.data), strict=True)
    when = zip(events.clock_index.tolist(), events.order.tolist(), events.late.tolist(), strict=True)
    return [*zip(when, _texts(events.kind, events.kinds), who, strict=True)]


def _texts(indices: Ints, texts: Any) -> list[Any]:
    return [texts[index] if index != NOBODY else None for index in indices.tolist()]


def _first_difference(first: Any, second: Any) -> str:
    if isinstance(first, list) and isinstance(second, list) and len(first) == len(second):
        index = next(index for index, pair in enumerate(zip(first, second, strict=True)) if pair[0] != pair[1])
        return f"number {index}: {first[index]!r} and {second[index]!r}"
    return f"{first!r} and {second!r}"
