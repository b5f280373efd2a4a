"""Values of a property at another frame rate: within what the finer session has from the frame before to that after."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.rounding import usual_of
from breadcrumb.algebra.samples import FULL_TURNS
from breadcrumb.algebra.unwrapping import unwrapped
from breadcrumb.align.samples import SampleWindows
from breadcrumb.align.timing import Timing
from breadcrumb.comparison.values import Apart, Told, codes, in_unit, number_words, numbers, text_of, valid
from breadcrumb.comparison.values import value_words as words_of_value
from breadcrumb.model.session import Bools, ColumnData, Floats, Ints
from breadcrumb.model.trace import TraceData

Numbers: TypeAlias = Ints | Floats
_ROUNDING, _OFF_IF_UNEVEN = 1e-9, 0.02
"""The share of its range that a number may be off: by rounding, and where uneven steps decide something on a frame."""
_LASTS = 3
"""On how many frames in a row values must be apart, for each step within which they are compared."""
_STATES = 32
"""Up to which range whole numbers are states rather than measured."""


@dataclass(frozen=True, eq=False)
class _Range:
    """The range of a number within each window."""

    low: Floats
    high: Floats
    value: Floats
    """The number of the coarser session, in the same turn."""
    moved: Floats | None = None
    """How far it moves in the window; None of a state."""
    is_among: Bools | None = None
    """Which states the finer session has in the window; None of what is measured."""


def within_a_step(
    reference: TraceData,
    candidate: TraceData,
    kind: str,
    parts: Sequence[str],
    windows: SampleWindows,
    timing: Timing,
    unit: str,
    tol: float,
) -> Apart:
    """Compare each value of the coarser session with the values of the finer around it."""
    coarse, fine = (candidate, reference) if timing.is_candidate_coarser else (reference, candidate)
    slow, fast = ([side.column(kind, one) for one in parts] for side in (coarse, fine))
    apart, squares = np.zeros(len(windows.pair), np.bool_), np.zeros(len(windows.pair))
    full = FULL_TURNS.get(unit) if len(parts) == 1 else None
    starts = _starts(fine.index(kind)[0])
    ranges, span = list[_Range](), 0.0
    for one, other in zip(slow, fast, strict=True):
        if one.texts is not None or other.texts is not None:
            apart |= ~_is_among(codes(one, windows.coarser), codes(other, _all(other)), windows)
            squares[:] = np.nan
        else:
            here, there = valid(one, windows.coarser), _is_met(valid(other, _all(other)), windows)
            ranges.append(_range(one, other, windows, full, starts))
            off = _outside(ranges[-1])
            apart |= here & there & ~(off == 0)
            squares += np.where(here & there, off, 0.0) ** 2
            span = max(span, _span(numbers(other, _all(other))))
        unlike = _is_otherwise(valid(one, windows.coarser), valid(other, _all(other)), windows)
        apart |= unlike
        squares[unlike] = np.nan
    distance = np.sqrt(squares)
    apart &= ~(distance <= max(tol, span * (_OFF_IF_UNEVEN if timing.is_uneven else _ROUNDING)))
    ways = [one.moved for one in ranges if one.moved is not None]
    if ways:
        moved = np.sqrt(np.sum([way**2 for way in ways], axis=0))
        apart &= ~_is_held(apart & ~(distance <= moved), slow, fast, windows)
    apart &= _lasts(apart, windows.pair, _LASTS * timing.steps)
    told, texts = _telling(slow, fast, windows, ranges, timing)
    side = timing.candidate if timing.is_candidate_coarser else timing.reference
    clock_index = coarse.index(kind)[1][windows.coarser]
    return Apart(side, clock_index, windows.pair, np.flatnonzero(apart), distance, told, texts, is_within=True)


def _span(values: Floats) -> float:
    """Return the range of a number over the session; enormous values are no measure for others."""
    known = usual_of(values[np.isfinite(values)])
    return float(np.ptp(known)) if len(known) else 0.0


def _lasts(apart: Bools, pair: Ints, many: int) -> Bools:
    """Tell which values are apart on so many frames in a row: before, the finer may have been so between its frames."""
    if not len(apart):
        return apart
    begins = np.flatnonzero(np.append(True, (apart[1:] != apart[:-1]) | (pair[1:] != pair[:-1])))
    lengths = np.diff(np.append(begins, len(apart)))
    return apart & np.repeat(lengths >= many, lengths)


def _is_held(apart: Bools, slow: list[ColumnData], fast: list[ColumnData], windows: SampleWindows) -> Bools:
    """Tell which values are what they were when they were last set, while the finer session has not set its own since.

    What a frame captures of something that moves, such as its last place, stays apart by its way since the last frame.
    """
    if not len(apart):
        return apart
    begin = _run_starts([column.values[windows.coarser] for column in slow], windows.pair)
    since = _run_starts([column.values for column in fast], np.zeros(len(fast[0].values)))
    is_kept = np.bincount(begin, minlength=len(begin))[begin] > 1
    return np.asarray(is_kept & ~apart[begin] & (since[windows.end - 1] < windows.end[begin]))


def _run_starts(columns: Sequence[NDArray[Any]], pair: NDArray[Any]) -> Ints:
    """Return for each sample the first one of those in a row that have its value."""
    changes = np.append(True, pair[1:] != pair[:-1])
    for values in columns:
        changes[1:] |= values[1:] != values[:-1]
    return np.maximum.accumulate(np.where(changes, np.arange(len(pair)), 0))


def _all(column: ColumnData) -> Ints:
    return np.arange(len(column.values))


def _starts(lifetime: Ints) -> Ints:
    """Return the first sample of each lifetime."""
    return np.flatnonzero(np.diff(lifetime, prepend=-1)) if len(lifetime) else np.zeros(0, np.int64)


def _bounds(windows: SampleWindows) -> Ints:
    return np.stack([windows.first, windows.end], axis=1).ravel()


def _reduced(function: np.ufunc, values: np.ndarray, windows: SampleWindows) -> np.ndarray:
    """Return what a function makes of the values of each window."""
    if not len(windows.first):
        return values[:0]
    return np.asarray(function.reduceat(np.append(values, values[-1:]), _bounds(windows))[::2])


def _range(one: ColumnData, other: ColumnData, windows: SampleWindows, full: float | None, starts: Ints) -> _Range:
    """Return the range of a number; between two frames it may go a step's way farther than on them."""
    value, values = numbers(one, windows.coarser), numbers(other, _all(other))
    known = valid(other, _all(other)) & ~np.isnan(values)
    if full is not None:
        values, _ = unwrapped(values, starts, full, known)
    values = np.where(known, values, np.nan)
    low, high = _reduced(np.fmin, values, windows), _reduced(np.fmax, values, windows)
    if full is not None:
        with np.errstate(invalid="ignore"):
            value = value + full * np.round(((low + high) / 2 - value) / full)
    if _is_state(values):
        return _Range(low, high, value, is_among=_is_among(value, values, windows))
    way = _way(values)
    inner = SampleWindows(windows.coarser, windows.first, np.maximum(windows.end - 1, windows.first + 1), windows.pair)
    has_way = windows.end - windows.first > 1
    room = np.where(has_way, _reduced(np.maximum, way, inner), 0.0)
    moved = np.where(has_way, _reduced(np.add, way, inner), 0.0)
    return _Range(low - room, high + room, value, moved)


def _way(values: Floats) -> Floats:
    """Return how far something moves from each sample to the next; a single jump is no movement."""
    with np.errstate(invalid="ignore"):
        steps = np.abs(np.diff(values, append=np.nan))
    steps[~np.isfinite(steps)] = 0.0
    beside = np.maximum(np.append(0.0, steps[:-1]), np.append(steps[1:], 0.0))
    return np.asarray(np.minimum(steps, beside))


def _is_state(values: Floats) -> bool:
    """Tell whether these are flags, pictures or small counts, which have nothing in between."""
    known = values[np.isfinite(values)]
    return bool(np.array_equal(known, np.rint(known)) and (known.max(initial=0) - known.min(initial=0)) <= _STATES)


def _outside(found: _Range) -> Floats:
    """Return how far each value is outside its range; NaN if one of both is no number."""
    with np.errstate(invalid="ignore"):
        off = np.maximum(np.maximum(found.low - found.value, found.value - found.high), 0.0)
    off[(found.value == found.low) | (found.value == found.high)] = 0.0
    if found.is_among is not None:
        nearest = np.fmin(np.abs(found.value - found.low), np.abs(found.value - found.high))
        off = np.where(found.is_among, 0.0, nearest)
    return np.asarray(off)


def _is_met(flags: Bools, windows: SampleWindows) -> Bools:
    """Tell in which windows a flag is true at least once."""
    return np.asarray(_reduced(np.logical_or, flags, windows), np.bool_)


def _is_otherwise(one: Bools, other: Bools, windows: SampleWindows) -> Bools:
    """Tell where the coarser has a value and the finer has none in the window, or the other way round."""
    return np.asarray(np.where(one, ~_is_met(other, windows), ~_is_met(~other, windows)), np.bool_)


def _is_among(one: Numbers, other: Numbers, windows: SampleWindows) -> Bools:
    """Tell which texts, or states, of the coarser session the finer has in its window."""
    low, high = _reduced(np.minimum, other, windows), _reduced(np.maximum, other, windows)
    found = np.asarray((one == low) | (one == high), np.bool_)
    mixed = np.flatnonzero(~found & (low != high))
    sizes = (windows.end - windows.first)[mixed]
    if not len(mixed):
        return found
    begins = np.cumsum(sizes) - sizes
    flat = np.repeat(windows.first[mixed] - begins, sizes) + np.arange(int(sizes.sum()))
    found[mixed] = np.logical_or.reduceat(other[flat] == np.repeat(one[mixed], sizes), begins)
    return found


def _telling(
    slow: list[ColumnData], fast: list[ColumnData], windows: SampleWindows, ranges: list[_Range], timing: Timing
) -> tuple[Callable[[int, str], Told], Callable[[int], tuple[str, ...]]]:
    """Return what says the values of both sessions, and what says their texts."""

    def told(row: int, unit: str) -> Told:
        first, end = int(windows.first[row]), int(windows.end[row])
        value = words_of_value(slow, int(windows.coarser[row]), unit)
        if len(ranges) < len(fast) or any(one.values.dtype == np.bool_ for one in fast):
            around = dict.fromkeys(words_of_value(fast, index, unit) for index in range(first, end))
            known = " or ".join(around)
        else:
            known = in_unit([_range_words(float(one.low[row]), float(one.high[row])) for one in ranges], unit)
        return (known, value) if timing.is_candidate_coarser else (value, known)

    def texts(row: int) -> tuple[str, ...]:
        if slow[0].texts is None or fast[0].texts is None:
            return ()
        around = (text_of(fast[0], index) for index in range(int(windows.first[row]), int(windows.end[row])))
        return tuple(dict.fromkeys((text_of(slow[0], int(windows.coarser[row])), *around)))

    return told, texts


def _range_words(low: float, high: float) -> str:
    if np.isnan(low):
        return "missing"
    return number_words(low) if low == high else f"{number_words(low)} to {number_words(high)}"
