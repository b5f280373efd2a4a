"""Values of a property on the same frames of two sessions."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from breadcrumb.algebra.samples import FULL_TURNS
from breadcrumb.align.samples import SamplePairs
from breadcrumb.align.timing import Positions
from breadcrumb.model.session import Bools, ColumnData, Floats, Ints
from breadcrumb.model.trace import TraceData

Told: TypeAlias = tuple[str, str]
_MISSING = -1
"""Stands for a text that is missing; as a hash of Python's, no text has it."""
_ROUNDING = 1e-12
"""The share of a turn that one more turn may change by rounding."""


@dataclass(frozen=True, eq=False)
class Apart:
    """Which values of a property are apart, and by how much."""

    side: Positions
    """The session whose frames these are."""
    clock_index: Ints
    """When each value is; all arrays have one value for each pair of samples that was compared."""
    pair: Ints
    """The pair of lifetimes that it is of."""
    rows: Ints
    """Which of them are apart."""
    distance: Floats
    """By how much; NaN where that is no number."""
    told: Callable[[int, str], Told]
    """Says the values of both sessions, given a row and the unit."""
    texts: Callable[[int], tuple[str, ...]]
    """Says the texts of both, if they are texts."""
    is_within: bool = False
    """Whether the values were compared with what the other session has within a step."""

    @property
    def compared(self) -> int:
        """How many values were compared."""
        return len(self.pair)

    def words(self, off: float, amount: str) -> str:
        """Say how a value differs; flags, texts and what is missing by no amount."""
        if not np.isfinite(off) or off <= 0:
            return "differs"
        return f"{amount} {'outside' if self.is_within else 'off'}"


def on_frames(
    reference: TraceData,
    candidate: TraceData,
    kind: str,
    parts: Sequence[str],
    at: SamplePairs,
    positions: Positions,
    unit: str,
    tol: float,
) -> Apart:
    """Compare the values of a property, which has these columns, on each frame."""
    mine, yours = ([side.column(kind, one) for one in parts] for side in (reference, candidate))
    apart, distance = _distances(_differing(mine, yours, at), at, FULL_TURNS.get(unit) if len(parts) == 1 else None)
    if tol:
        apart &= ~(distance <= tol)

    def told(row: int, unit: str) -> Told:
        sides = (mine, at.reference), (yours, at.candidate)
        first, second = (value_words(columns, int(index[row]), unit) for columns, index in sides)
        return first, second

    def texts(row: int) -> tuple[str, ...]:
        both = ((mine[0], at.reference), (yours[0], at.candidate))
        return tuple(text_of(column, int(index[row])) for column, index in both if column.texts is not None)

    return Apart(positions, at.clock_index, at.pair, np.flatnonzero(apart), distance, told, texts)


def _distances(
    columns: Sequence[tuple[ColumnData, ColumnData]], at: SamplePairs, full: float | None
) -> tuple[Bools, Floats]:
    """Return which values differ in some of their columns, and by how much; NaN where that is no number."""
    apart = np.zeros(len(at.pair), np.bool_)
    if not columns:
        return apart, np.broadcast_to(0.0, len(at.pair))
    squares = np.zeros(len(at.pair))
    for one, other in columns:
        there, here = (valid(column, index) for column, index in ((one, at.reference), (other, at.candidate)))
        apart |= there != here
        squares[there != here] = np.nan  # a value that one has alone is within no tolerance
        if one.texts is not None or other.texts is not None:
            apart |= there & here & (codes(one, at.reference) != codes(other, at.candidate))
            squares[:] = np.nan
            continue
        off = _distance(numbers(one, at.reference), numbers(other, at.candidate), full)
        off[~(there & here)] = 0.0
        apart |= off != 0
        is_flag = bool(np.bool_ in (one.values.dtype, other.values.dtype))
        squares += np.where(off != 0, np.nan, 0.0) if is_flag else off**2
    return apart, np.sqrt(squares)


def _differing(
    mine: Sequence[ColumnData], yours: Sequence[ColumnData], at: SamplePairs
) -> list[tuple[ColumnData, ColumnData]]:
    """Return the columns of which some value may differ, beside each other."""
    pairs = zip(mine, yours, strict=True)
    return [pair for pair in pairs if not (at.is_whole and _is_same(*pair))]


def _is_same(one: ColumnData, other: ColumnData) -> bool:
    """Tell whether two columns are the same bit for bit, which takes a tenth of the time of their distances."""
    if (one.texts, one.values.dtype, one.valid is None) != (other.texts, other.values.dtype, other.valid is None):
        return False
    if one.valid is not None and other.valid is not None and not np.array_equal(one.valid, other.valid):
        return False
    bits = f"u{one.values.dtype.itemsize}"
    return bool(np.array_equal(one.values.view(bits), other.values.view(bits)))


def _distance(one: Floats, other: Floats, full: float | None) -> Floats:
    """Return how far apart numbers are: NaN is none from itself, and infinitely far from a number."""
    with np.errstate(invalid="ignore"):
        off = np.abs(one - other)
    off[(one == other) | (np.isnan(one) & np.isnan(other))] = 0.0
    if full is None or not off.any():
        return off
    # one and the same direction, if none of them counts turns
    is_direction = (np.abs(one) <= full) & (np.abs(other) <= full)
    other_way = np.abs(full - off)
    other_way[other_way < full * _ROUNDING] = 0.0
    return np.where(is_direction, np.minimum(off, other_way), off)


def valid(column: ColumnData, index: Ints) -> Bools:
    """Tell which values were recorded."""
    return np.ones(len(index), np.bool_) if column.valid is None else column.valid[index]


def numbers(column: ColumnData, index: Ints) -> Floats:
    """Return values as numbers; flags as 0 and 1."""
    return np.asarray(column.values[index], np.float64)


def codes(column: ColumnData, index: Ints) -> Ints:
    """Return texts as numbers that are the same in both sessions; one that is missing is like another such."""
    there = valid(column, index)
    known = np.array([hash(text) for text in column.texts or ()] or [_MISSING], np.int64)
    values = column.values[index].astype(np.int64)
    return np.where(there, values if column.texts is None else known[np.where(there, values, 0)], _MISSING)


def text_of(column: ColumnData, index: int) -> str:
    """Return a text; an empty one if none was recorded."""
    assert column.texts is not None
    return column.texts[int(column.values[index])] if valid(column, np.array([index]))[0] else ""


def value_words(columns: Sequence[ColumnData], index: int, unit: str) -> str:
    """Return a value, of one or several parts, with its unit."""
    parts = []
    for column in columns:
        if not valid(column, np.array([index]))[0]:
            return "missing"
        parts.append(repr(text_of(column, index)) if column.texts is not None else number_words(column.values[index]))
    return in_unit(parts, unit)


def in_unit(parts: Sequence[str], unit: str) -> str:
    """Return a value of one or several parts with its unit."""
    return f"{parts[0] if len(parts) == 1 else '(' + ', '.join(parts) + ')'} {unit}".strip()


def number_words(value: object) -> str:
    """Return a number or a flag."""
    if isinstance(value, np.bool_):
        return str(bool(value)).lower()
    return f"{float(value):.6g}"  # type: ignore[arg-type]
