"""Lifetimes of two sessions, and the properties of objects that both have."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from breadcrumb.align.lifetimes import LifetimePairs, begins, ends
from breadcrumb.comparison.differences import Difference
from breadcrumb.model.columns import property_of
from breadcrumb.model.plurals import counted
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
    """Yield the lifetimes that are missing, extra, early, late, longer, shorter, or of another parent."""
    for session, numbers, words in ((reference, pairs.missing, "missing"), (candidate, pairs.extra, "extra")):
        for number in numbers.tolist():
            at = int(begins(session)[number])
            told = f"from frame {session.clock.frames[at]}"
            yield _of_lifetime(session, number, at, words, *((told, "none") if words == "missing" else ("none", told)))
    yield from _moved(reference, candidate, pairs, begins, "appears", "from")
    yield from _moved(reference, candidate, pairs, ends, "ends", "until")
    for mine, yours in zip(pairs.reference.tolist(), pairs.candidate.tolist(), strict=True):
        parents = _parent(reference, mine), _parent(candidate, yours)
        if parents[0] != parents[1]:
            at = int(begins(reference)[mine])
            yield _of_lifetime(reference, mine, at, "parent differs", *(one or "none" for one in parents))


def _moved(
    reference: Session,
    candidate: Session,
    pairs: LifetimePairs,
    where: Callable[[Session], Ints],
    verb: str,
    preposition: str,
) -> Iterator[Difference]:
    """Yield the lifetimes that begin, or end, on another frame."""
    mine, yours = where(reference)[pairs.reference], where(candidate)[pairs.candidate]
    first, second = reference.clock.frames[mine], candidate.clock.frames[yours]
    for row in np.flatnonzero(first != second).tolist():
        told = [int(frames[row]) for frames in (first, second)]
        late = told[1] - told[0]
        words = f"{verb} {counted(abs(late), 'frames')} {'late' if late > 0 else 'early'}"
        alone = reference if (late < 0) == (verb == "ends") else candidate
        number = int((pairs.reference if alone is reference else pairs.candidate)[row])
        # the first frame on which one has it and the other has not
        frame = min(told) + 1 if verb == "ends" else min(told)
        at = alone.clock.clock_index_at_or_after(frame)
        yield _of_lifetime(alone, number, at, words, *(f"{preposition} frame {frame}" for frame in told))


def _parent(session: Session, number: int) -> str:
    parent = int(session.lifetimes.parent[number])
    return "" if parent == NOBODY else session.names[parent]


def _of_lifetime(session: Session, number: int, at: int, words: str, mine: str, yours: str) -> Difference:
    lifetimes, at = session.lifetimes, min(at, session.clock.size - 1)
    parent = _parent(session, number)
    frame = int(session.clock.frames[at])
    return Difference(
        "lifetime", session.kinds[lifetimes.kind[number]], session.names[lifetimes.name[number]], frame,
        float(session.clock.times[at]), words, mine, yours, last=frame,
        others=(parent,) if parent else (),
    )  # fmt: skip


def property_differences(
    reference: TraceData,
    candidate: TraceData,
    pairs: LifetimePairs,
    tolerances: Mapping[str, float],
    is_ignored: Callable[..., bool],
) -> Iterator[tuple[int, list[Difference]]]:
    """Yield for each property of each kind how many values were compared, and a difference for each lifetime."""
    for kind in (kind for kind in reference.session.kinds if kind in candidate.session.kinds):
        samples = _shared(reference, candidate, kind, pairs)
        columns = [name for side in (reference, candidate) for name in side.columns(kind)]
        for name in dict.fromkeys(map(property_of, columns)):
            if is_ignored(kind, f"{kind}.{name}"):
                continue
            parts, others = (
                [one for one in side.columns(kind) if property_of(one) == name] for side in (reference, candidate)
            )
            if set(parts) != set(others):
                yield 0, [_of_other_parts(reference, kind, name, parts, others)]
                continue
            mine, yours = ([side.column(kind, one) for one in parts] for side in (reference, candidate))
            tol = tolerances.get(f"{kind}.{name}", tolerances.get(name, 0.0))
            apart, distance = _apart(mine, yours, samples, tol)
            found = _of_property(reference, candidate, kind, name, samples, apart, distance, mine, yours)
            yield len(samples.mine), list(found)


def _of_other_parts(
    reference: TraceData, kind: str, name: str, mine: Sequence[str], yours: Sequence[str]
) -> Difference:
    """Return the difference of a property that one session alone has, or has with other parts."""
    clock = reference.session.clock
    words = "missing" if not yours else "extra" if not mine else "has other parts"
    return Difference(
        "property", f"{kind}.{name}", "", int(clock.frames[0]), float(clock.times[0]), words,
        ", ".join(mine) or "none", ", ".join(yours) or "none", last=int(clock.frames[-1]),
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
