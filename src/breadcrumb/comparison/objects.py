"""Lifetimes of two sessions, and the properties of objects that both have."""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from breadcrumb.align.lifetimes import LifetimePairs
from breadcrumb.comparison.differences import Difference
from breadcrumb.model.columns import property_of
from breadcrumb.model.session import NOBODY, Bools, ColumnData, Floats, Ints, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.verdicts.words import amount


class _Samples(NamedTuple):
    """The samples of a kind that both sessions have."""

    mine: Ints
    yours: Ints
    """Their indices in each."""
    pair: Ints
    """The pair of lifetimes that each is of."""
    clock_index: Ints
    """The clock index in the reference."""


def lifetime_differences(reference: Session, candidate: Session, pairs: LifetimePairs) -> Iterator[Difference]:
    """Yield the lifetimes that are missing, extra, early, late, longer or shorter."""
    for session, numbers, words in ((reference, pairs.missing, "missing"), (candidate, pairs.extra, "extra")):
        for number in numbers.tolist():
            at = int(session.lifetimes.first[number])
            told = f"from frame {session.clock.frames[at]}"
            yield _of_lifetime(session, number, at, words, *((told, "none") if words == "missing" else ("none", told)))
    for mine, yours in zip(pairs.reference.tolist(), pairs.candidate.tolist(), strict=True):
        one, other = ((side.lifetimes, side.clock.frames) for side in (reference, candidate))
        begins = [int(frames[lives.first[n]]) for (lives, frames), n in ((one, mine), (other, yours))]
        if begins[0] != begins[1]:
            words = _later(begins[1] - begins[0], "appears")
            early = reference if begins[0] < begins[1] else candidate
            number = mine if early is reference else yours
            at = int(early.lifetimes.first[number])
            yield _of_lifetime(early, number, at, words, *(f"from frame {frame}" for frame in begins))
        ends = [int(frames[lives.last[n]]) for (lives, frames), n in ((one, mine), (other, yours))]
        if ends[0] != ends[1]:
            longer, number = (reference, mine) if ends[0] > ends[1] else (candidate, yours)
            at = int(np.searchsorted(longer.clock.frames, min(ends), side="right"))
            words = _later(ends[1] - ends[0], "ends")
            yield _of_lifetime(longer, number, at, words, *(f"until frame {frame}" for frame in ends))


def _later(frames: int, verb: str) -> str:
    return f"{verb} {abs(frames)} frame{'' if abs(frames) == 1 else 's'} {'late' if frames > 0 else 'early'}"


def _of_lifetime(session: Session, number: int, at: int, words: str, mine: str, yours: str) -> Difference:
    lifetimes, at = session.lifetimes, min(at, session.clock.size - 1)
    parent = int(lifetimes.parent[number])
    frame = int(session.clock.frames[at])
    return Difference(
        "lifetime", session.kinds[lifetimes.kind[number]], session.names[lifetimes.name[number]], frame,
        float(session.clock.times[at]), words, mine, yours, last=frame,
        others=(session.names[parent],) if parent != NOBODY else (),
    )  # fmt: skip


def property_differences(
    reference: TraceData, candidate: TraceData, pairs: LifetimePairs, tolerances: dict[str, float]
) -> Iterator[tuple[int, list[Difference]]]:
    """Yield for each property of each kind how many values were compared, and a difference for each lifetime."""
    for kind in (kind for kind in reference.session.kinds if kind in candidate.session.kinds):
        yield 0, list(_only_in_one(reference, candidate, kind))
        samples = _shared(reference, candidate, kind, pairs)
        columns = [name for name in reference.columns(kind) if name in candidate.columns(kind)]
        for name in dict.fromkeys(map(property_of, columns)):
            parts = [one for one in columns if property_of(one) == name]
            mine, yours = ([side.column(kind, one) for one in parts] for side in (reference, candidate))
            tol = tolerances.get(f"{kind}.{name}", tolerances.get(name, 0.0))
            apart, distance = _apart(mine, yours, samples, tol)
            found = _of_property(reference, candidate, kind, name, samples, apart, distance, mine, yours)
            yield len(samples.mine), list(found)


def _only_in_one(reference: TraceData, candidate: TraceData, kind: str) -> Iterator[Difference]:
    """Yield the properties that one session alone has."""
    mine, yours = ({property_of(one) for one in side.columns(kind)} for side in (reference, candidate))
    clock = reference.session.clock
    for name in sorted(mine ^ yours):
        words, told = ("missing", ("recorded", "none")) if name in mine else ("extra", ("none", "recorded"))
        yield Difference(
            "property", f"{kind}.{name}", "", int(clock.frames[0]), float(clock.times[0]), words, *told,
            last=int(clock.frames[-1]),
        )  # fmt: skip


def _shared(reference: TraceData, candidate: TraceData, kind: str, pairs: LifetimePairs) -> _Samples:
    keys = []
    for side, numbers in ((reference, pairs.reference), (candidate, pairs.candidate)):
        lifetime, clock_index = side.index(kind)
        pair_of = np.full(side.session.lifetimes.size, NOBODY)
        pair_of[numbers] = np.arange(len(numbers))
        frames = side.session.clock.frames[clock_index]
        keys.append((pair_of[lifetime], frames, clock_index))
    span = int(max((frames.max(initial=0) for _, frames, _ in keys), default=0)) + 1
    mine, yours = (
        np.where(pair == NOBODY, -1 - side, pair * span + frames) for side, (pair, frames, _) in enumerate(keys)
    )
    _, one, other = np.intersect1d(mine, yours, return_indices=True)
    return _Samples(one, other, keys[0][0][one], keys[0][2][one])


def _apart(mine: list[ColumnData], yours: list[ColumnData], at: _Samples, tol: float) -> tuple[Bools, Floats]:
    """Return which samples differ, and by how much; NaN where that is no number."""
    apart, squares = np.zeros(len(at.mine), np.bool_), np.zeros(len(at.mine))
    for one, other in zip(mine, yours, strict=True):
        there, here = (_valid(column, index) for column, index in ((one, at.mine), (other, at.yours)))
        apart |= there != here
        squares[there != here] = np.nan  # a value that one has alone is within no tolerance
        if one.texts is not None or other.texts is not None:
            apart |= there & here & (_texts(one, at.mine) != _texts(other, at.yours))
            squares[:] = np.nan
            continue
        first, second = one.values[at.mine].astype(np.float64), other.values[at.yours].astype(np.float64)
        unequal = there & here & (first != second) & ~(np.isnan(first) & np.isnan(second))
        with np.errstate(invalid="ignore"):
            squares += np.where(unequal, (first - second) ** 2, 0.0)
        apart |= unequal
    distance = np.sqrt(squares)
    return apart & ~(distance <= tol) if tol else apart, distance


def _valid(column: ColumnData, index: Ints) -> Bools:
    return np.ones(len(index), np.bool_) if column.valid is None else column.valid[index]


def _texts(column: ColumnData, index: Ints) -> Ints:
    """Return texts as numbers that are the same in both sessions."""
    if column.texts is None:
        return column.values[index].astype(np.int64)
    known = np.array([hash(text) for text in column.texts] or [0], np.int64)
    return known[np.where(_valid(column, index), column.values[index], 0).astype(np.int64)]


def _of_property(
    reference: TraceData, candidate: TraceData, kind: str, name: str, at: _Samples, apart: Bools, distance: Floats,
    mine: list[ColumnData], yours: list[ColumnData],
) -> Iterator[Difference]:  # fmt: skip
    where = np.flatnonzero(apart)
    if not len(where):
        return
    session = reference.session
    unit, lifetimes = session.unit_of(kind, name), session.lifetimes
    numbers, begins, counts = np.unique(at.pair[where], return_index=True, return_counts=True)
    for _, begin, count in zip(numbers.tolist(), begins.tolist(), counts.tolist(), strict=True):
        rows = where[begin : begin + count]
        first, clock_index = int(rows[0]), int(at.clock_index[rows[0]])
        lifetime = int(reference.index(kind)[0][at.mine[first]])
        told = [_value(columns, int(index[first]), unit) for columns, index in ((mine, at.mine), (yours, at.yours))]
        off = float(distance[first])
        largest = float(np.nanmax(distance[rows])) if np.isfinite(distance[rows]).any() else None
        yield Difference(
            "property", f"{kind}.{name}", session.names[lifetimes.name[lifetime]],
            int(session.clock.frames[clock_index]), float(session.clock.times[clock_index]),
            _how(mine, off, unit), told[0], told[1], count, int(session.clock.frames[at.clock_index[rows[-1]]]),
            largest, unit, _named(mine, yours, at, first, session),
        )  # fmt: skip


def _how(columns: list[ColumnData], off: float, unit: str) -> str:
    """Return how a value differs; flags and texts by no amount."""
    is_number = columns[0].texts is None and columns[0].values.dtype != np.bool_
    return f"{amount(off, unit)} off" if is_number and np.isfinite(off) and off > 0 else "differs"


def _named(
    mine: list[ColumnData], yours: list[ColumnData], at: _Samples, row: int, session: Session
) -> tuple[str, ...]:
    """Return the ids that texts hold."""
    pairs = ((mine[0], at.mine), (yours[0], at.yours))
    texts = (_text(column, int(index[row])) for column, index in pairs if column.texts is not None)
    return tuple(text for text in texts if text in session.names)


def _text(column: ColumnData, index: int) -> str:
    assert column.texts is not None
    return column.texts[int(column.values[index])] if _valid(column, np.array([index]))[0] else ""


def _value(columns: list[ColumnData], index: int, unit: str) -> str:
    parts = []
    for column in columns:
        if not _valid(column, np.array([index]))[0]:
            return "missing"
        value = column.values[index]
        parts.append(repr(_text(column, index)) if column.texts is not None else _number(value))
    return f"{parts[0] if len(parts) == 1 else '(' + ', '.join(parts) + ')'} {unit}".strip()


def _number(value: object) -> str:
    if isinstance(value, np.bool_):
        return str(bool(value)).lower()
    return f"{float(value):.6g}"  # type: ignore[arg-type]
