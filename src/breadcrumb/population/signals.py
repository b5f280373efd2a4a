"""What the objects of a kind have on each frame: what was recorded, and what follows from it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.angles import Compass, compass_of, plan_axes
from breadcrumb.algebra.rounding import usual_size
from breadcrumb.algebra.samples import FULL_TURNS
from breadcrumb.algebra.unwrapping import unwrapped
from breadcrumb.errors import Misuse
from breadcrumb.model.columns import property_and_part
from breadcrumb.model.session import ANGLES, ColumnData, Floats, Ints, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.population.stretches import Stretches

STATES = 32
"""How many values a property of states has at most."""
_SIZES = (2, 3)
_PLAN = 2
"""How many parts a place has in plan."""
_HEADINGS = ANGLES[:1] + ANGLES[3:]
"""The angles that turn about the up axis."""
MISSING, _EMPTY = "missing", "an empty text"


@dataclass(frozen=True, eq=False)
class Signal:
    """A value for each sample of a kind."""

    prop: str
    part: str
    unit: str
    values: NDArray[Any]
    """Numbers, NaN where there is none; or indices into `texts`."""
    texts: tuple[str, ...] | None = None
    is_numeric: bool = False
    """Whether its texts are numbers, which have texts only as long as they are few."""
    is_derived: bool = False
    """Whether it follows from others, so that its rate says nothing more."""
    is_direction: bool = False
    """Whether it is a direction, in degrees from the x axis."""

    @property
    def is_recorded(self) -> bool:
        """Whether it is a value as it was recorded; states that are numbers are told as numbers."""
        return not (self.is_derived or self.is_numeric or self.part.endswith("presence"))

    @property
    def label(self) -> str:
        """What it is called: `position x`."""
        return f"{self.prop} {self.part}".strip()


def signals_of(data: TraceData, kind: str, stretches: Stretches) -> list[Signal]:
    """Return the signals of a kind."""
    session = data.session
    columns: dict[str, dict[str, ColumnData]] = {}
    for name in data.columns(kind):
        prop, part = property_and_part(name)
        columns.setdefault(prop, {})[part] = data.column(kind, name)
    found = list[Signal]()
    for prop, parts in columns.items():
        unit = session.unit_of(kind, prop)
        found += _recorded(session, stretches, prop, parts, unit)
    found += list(_directions(session, stretches, found))
    found += list(_differences(found))
    return found


def _recorded(
    session: Session, stretches: Stretches, prop: str, parts: dict[str, ColumnData], unit: str
) -> Iterator[Signal]:
    numeric = list[Floats]()
    for part, column in parts.items():
        yield Signal(prop, f"{part} presence".strip(), "", *_presence(column))
        if column.texts is not None:
            yield Signal(prop, part, "", *_texts(session, stretches, column))
            continue
        if column.values.dtype == np.bool_:
            yield Signal(prop, part, "", *_with_missing(column, column.values.astype(np.int64), ("false", "true")))
            continue
        if (states := _states(column)) is not None:
            yield Signal(prop, part, "", *states, is_numeric=True)
        full = FULL_TURNS.get(unit) if len(parts) == 1 else None
        numeric.append(_numbers(column, stretches, full))
        yield Signal(prop, part, unit, numeric[-1])
    if len(numeric) in _SIZES and len(numeric) == len(parts):
        yield Signal(prop, "size", unit, np.sqrt(np.sum(np.square(numeric), axis=0)), is_derived=True)


def _presence(column: ColumnData) -> tuple[Ints, tuple[str, ...]]:
    """Return whether there is a value, and a number."""
    codes = np.zeros(len(column.values), np.int64)
    if np.issubdtype(column.values.dtype, np.floating):
        codes[np.isnan(column.values)] = 1
        codes[np.isinf(column.values)] = 2
    if column.valid is not None:
        codes[~column.valid] = 3
    return codes, ("there", "no number", "infinite", MISSING)


def _with_missing(column: ColumnData, codes: Ints, texts: tuple[str, ...]) -> tuple[Ints, tuple[str, ...]]:
    if column.valid is None or column.valid.all():
        return codes, texts
    return np.where(column.valid, codes, len(texts)), (*texts, MISSING)


def _texts(session: Session, stretches: Stretches, column: ColumnData) -> tuple[Ints, tuple[str, ...]]:
    """Return texts; the id of an object as its kind, and whether it is there on this frame."""
    assert column.texts is not None
    known = {name: number for number, name in enumerate(session.names)}
    lifetimes = session.lifetimes
    kinds = dict(zip(lifetimes.name.tolist(), lifetimes.kind.tolist(), strict=True))
    codes = column.values.astype(np.int64)
    used = np.unique(codes).tolist()  # the table of texts is that of the session
    result = codes.copy()
    renamed = dict[str, int]()
    for code in used:
        text = column.texts[code]
        number = known.get(text)
        mine = np.flatnonzero(codes == code)
        if number is None or number not in kinds:
            result[mine] = renamed.setdefault((text or _EMPTY) if len(used) <= STATES else "a text", len(renamed))
            continue
        kind = session.kinds[kinds[number]]
        spans = np.flatnonzero(lifetimes.name == number)
        at = stretches.clock_index[mine]
        there = np.zeros(len(mine), np.bool_)
        for span in spans.tolist():
            there |= (at >= lifetimes.first[span]) & (at <= lifetimes.last[span])
        alive, gone = (renamed.setdefault(word, len(renamed)) for word in (f"a {kind}", f"a {kind} that is gone"))
        result[mine] = np.where(there, alive, gone)
    return _with_missing(column, result, tuple(renamed))


def _states(column: ColumnData) -> tuple[Ints, tuple[str, ...]] | None:
    """Return numbers that are states, as indices into their texts; None of what is measured."""
    known = column.values if column.valid is None else column.values[column.valid]
    with np.errstate(invalid="ignore"):
        if not np.array_equal(known, np.rint(known)):
            return None
    distinct = np.unique(known)
    if len(distinct) > STATES or not np.isfinite(distinct.astype(np.float64)).all():
        return None
    codes = np.minimum(np.searchsorted(distinct, column.values), max(len(distinct) - 1, 0))
    return _with_missing(column, codes, tuple(f"{float(one):g}" for one in distinct))


def _numbers(column: ColumnData, stretches: Stretches, full: float | None = None) -> Floats:
    """Return numbers; NaN of what is missing or infinite; angles without their jumps."""
    values = column.values.astype(np.float64)
    if column.valid is not None:
        values[~column.valid] = np.nan
    values[~np.isfinite(values)] = np.nan
    if full is not None and len(values):
        values, _ = unwrapped(values, np.flatnonzero(stretches.is_first), full, ~np.isnan(values))
    return values


def _directions(session: Session, stretches: Stretches, found: Sequence[Signal]) -> Iterator[Signal]:
    """Yield where things face, move and are told to go, in the plane; and how far two of these are apart."""
    numbers = {(one.prop, one.part): one.values for one in found if one.texts is None}
    made = list[Signal]()
    for prop, part in numbers:
        if part == "x" and (prop, "y") in numbers:
            x, y = numbers[prop, "x"], numbers[prop, "y"]
            if prop == "position":
                moved = [np.where(stretches.is_first, np.nan, np.diff(one, prepend=np.nan)) for one in (x, y)]
                made.append(_direction("movement", *moved))
            else:
                made.append(_direction(prop, x, y))
        elif not part and prop in _HEADINGS and (compass := _compass(session)) is not None:
            made.append(_direction(prop, *compass.vector(numbers[prop, part])))
    yield from made
    for one, other in combinations(made, 2):
        yield Signal(f"{one.prop} against {other.prop}", "", "deg", between(one.values, other.values), is_derived=True)


def _compass(session: Session) -> Compass | None:
    """Return how angles become directions of x and y; None if the session does not tell."""
    try:
        return compass_of(session, _PLAN) if plan_axes(session, _PLAN) == (0, 1) else None
    except Misuse:
        return None


def _direction(prop: str, x: Floats, y: Floats) -> Signal:
    with np.errstate(invalid="ignore"):
        values = np.where(np.hypot(x, y) > 1e-9, np.degrees(np.arctan2(y, x)), np.nan)
    return Signal(prop, "direction", "deg", values, is_derived=True, is_direction=True)


def between(one: Floats, other: Floats) -> Floats:
    """Return how far two directions are apart, in degrees from 0 to 180; rounding apart."""
    with np.errstate(invalid="ignore"):
        off = np.abs((one - other + 180.0) % 360.0 - 180.0)
    return np.where(off < 1e-4, 0.0, off)


def _differences(found: Sequence[Signal]) -> Iterator[Signal]:
    """Yield how far apart two numbers of the same unit are, part by part."""
    numbers = [one for one in found if one.texts is None and one.unit and not one.is_derived and one.part != "size"]
    for one, other in combinations(numbers, 2):
        if one.unit == other.unit and one.part == other.part:
            off = one.values - other.values
            size = 1e-9 * max(usual_size(one.values), 1e-6)
            values = np.where(np.abs(off) < size, 0.0, off)
            yield Signal(f"{one.prop} less {other.prop}", one.part, one.unit, values, is_derived=True)
