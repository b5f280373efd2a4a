"""The objects of one kind that are there, row by row, and what of them goes into a frame."""

import math
import struct
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeAlias

from breadcrumb.journal.layout import (
    BLOCK_HEAD,
    BY_COLUMN,
    CODES_HEAD,
    HAS_CODES,
    HAS_LIFETIMES,
    HAS_NUMBERS,
    MISSING,
    MISSING_FLAG,
    MISSING_TEXT,
    Column,
    ColumnType,
)
from breadcrumb.journal.writing import Block

PARTS = "xyzw"
_MOST_COLUMNS = 2048
NAMED_NUMBERS = {"NaN": math.nan, "Infinity": math.inf, "-Infinity": -math.inf}
_MISSING: dict[ColumnType, float | int] = {"number": MISSING, "flag": MISSING_FLAG, "text": MISSING_TEXT}


_Name: TypeAlias = tuple[str, str]
"""A property, and the part of it; an empty text if it has none."""


class Unfit(ValueError):
    """A value that does not fit; the message says what was expected and what was found."""


@dataclass(slots=True)
class _Cells:
    """The values of one column, a row an object: numbers, flags, or the codes of texts."""

    type: ColumnType
    values: list[Any]
    is_known: bool = True
    """False as long as nothing but missing values were told, so that the next one decides the type."""


@dataclass(slots=True)
class Kind:
    """All objects of one kind that are there.

    Attributes:
        name: the kind.
        text_code: gives the code of a text.
    """

    name: str
    text_code: Callable[[str], int]
    rows: dict[str, int] = field(default_factory=dict)
    """The row of each object, by its id."""
    _lifetimes: list[int] = field(default_factory=list)
    _ids: list[str] = field(default_factory=list)
    _cells: dict[_Name, _Cells] = field(default_factory=dict)
    _sizes: dict[str, int] = field(default_factory=dict)
    """How many parts each property has that is a vector."""
    _table: int | None = None
    _stale: int | None = None
    """A former table, whose rows must be taken back."""
    _changed: bool = False

    def add(self, id: str, lifetime: int) -> None:
        """Add an object, of which nothing is known."""
        self.rows[id] = len(self._lifetimes)
        self._lifetimes.append(lifetime)
        self._ids.append(id)
        for cells in self._cells.values():
            cells.values.append(_MISSING[cells.type])
        self._changed = True

    def remove(self, id: str) -> int:
        """Remove an object; return its lifetime. The last row takes its place: the order of rows has no meaning."""
        row = self.rows.pop(id)
        lifetime, last = self._lifetimes[row], self._ids[-1]
        for values in (self._lifetimes, self._ids, *(cells.values for cells in self._cells.values())):
            values[row] = values[-1]  # type: ignore[index]
            values.pop()  # type: ignore[attr-defined]
        if last != id:
            self.rows[last] = row
        self._changed = True
        return lifetime

    def set(self, rows: Sequence[int], prop: str, values: Sequence[Any]) -> None:
        """Set one property of some objects; its first value in the session decides what it is.

        Raises:
            Unfit: a value is not of the sort that the property has.
        """
        self._changed = True
        first = next((value for value in values if value is not None), None)
        if first is None:
            self._set_missing(rows, prop)
        elif isinstance(first, list):
            self._set_vectors(rows, prop, len(first), values)
        elif prop in self._sizes:
            raise Unfit(f"expected {self._sizes[prop]} numbers, as before, found {first!r}, of another number of parts")
        else:
            self._set_column(rows, (prop, ""), self._type_of(prop, first), values)

    def retell(self) -> None:
        """Let the next frame say everything again, and not only what changed."""
        self._changed = True

    def blocks(self, new_table: Callable[[str, list[Column]], int], unsampled: Collection[str]) -> Iterator[Block]:
        """Yield what goes into this frame; objects that are unsampled have no row in it."""
        if not self._changed and not unsampled:
            return
        self._changed = bool(unsampled)
        if self._stale is not None:
            yield [BLOCK_HEAD.pack(self._stale, HAS_LIFETIMES, 0)]
            self._stale = None
        numbers = {name: cells for name, cells in self._cells.items() if cells.type == "number"}
        codes = {name: cells for name, cells in self._cells.items() if cells.type != "number"}
        if self._table is None:
            columns = [Column(*name, cells.type) for name, cells in (*numbers.items(), *codes.items())]
            self._table = new_table(self.name, columns)
        kept = [row for id, row in self.rows.items() if id not in unsampled] if unsampled else None
        holds, parts = HAS_LIFETIMES | BY_COLUMN, [_packed("I", self._lifetimes, kept)]
        if numbers:
            holds |= HAS_NUMBERS
            parts += [_packed("d", cells.values, kept) for cells in numbers.values()]
        if codes:
            holds |= HAS_CODES
            parts.append(CODES_HEAD.pack(len(codes)))
            for index, cells in enumerate(codes.values()):
                parts += [CODES_HEAD.pack(index), _packed("B" if cells.type == "flag" else "I", cells.values, kept)]
        yield [BLOCK_HEAD.pack(self._table, holds, len(self._lifetimes) if kept is None else len(kept)), *parts]

    def _set_missing(self, rows: Sequence[int], prop: str) -> None:
        parts = PARTS[: self._sizes[prop]] if prop in self._sizes else ("",)
        for name in ((prop, part) for part in parts):
            cells = self._cells.get(name) or self._new_column(name, "number", is_known=False)
            for row in rows:
                cells.values[row] = _MISSING[cells.type]

    def _set_vectors(self, rows: Sequence[int], prop: str, size: int, values: Sequence[Any]) -> None:
        if not 2 <= size <= len(PARTS):
            raise Unfit(f"expected two to four numbers, found {size}")
        single = self._cells.get((prop, ""))
        if single is not None and single.is_known:
            raise Unfit(f"expected a {single.type}, as before, found another number of parts")
        if single is not None:
            del self._cells[prop, ""]
        size = self._sizes.setdefault(prop, size)
        nothing = [None] * size
        vectors = [nothing if value is None else value for value in values]
        unfit = next((one for one in vectors if not isinstance(one, list) or len(one) != size), None)
        if unfit is not None:
            raise Unfit(f"expected {size} numbers, as before, found {unfit!r}")
        for part, column in zip(PARTS, zip(*vectors, strict=True), strict=False):
            self._set_column(rows, (prop, part), "number", column)

    def _type_of(self, prop: str, first: Any) -> ColumnType:
        known = self._cells.get((prop, ""))
        if isinstance(first, str) and first in NAMED_NUMBERS and (known is None or known.type == "number"):
            return "number"
        return "flag" if isinstance(first, bool) else "text" if isinstance(first, str) else "number"

    def _set_column(self, rows: Sequence[int], name: _Name, type: ColumnType, values: Sequence[Any]) -> None:
        cells = self._cells.get(name)
        if cells is None or not cells.is_known:
            cells = self._new_column(name, type)
        elif cells.type != type:
            raise Unfit(f"expected a {cells.type}, as before, found a {type}")
        stored = self._stored(type, values)
        for row, value in zip(rows, stored, strict=True):
            cells.values[row] = value

    def _stored(self, sort: ColumnType, values: Sequence[Any]) -> list[Any]:
        if sort == "number" and set(map(type, values)) == {float}:
            return list(values)
        return [_MISSING[sort] if value is None else _STORE[sort](self, value) for value in values]

    def _number(self, value: Any) -> float:
        number = NAMED_NUMBERS.get(value) if isinstance(value, str) else value
        if not isinstance(number, float):
            raise Unfit(f"expected a number, NaN, Infinity or -Infinity, found {value!r}")
        return number

    def _flag(self, value: Any) -> int:
        if not isinstance(value, bool):
            raise Unfit(f"expected a flag, as before, found {value!r}")
        return int(value)

    def _text(self, value: Any) -> int:
        if not isinstance(value, str):
            raise Unfit(f"expected a text, as before, found {value!r}")
        return self.text_code(value)

    def _new_column(self, name: _Name, type: ColumnType, *, is_known: bool = True) -> _Cells:
        if len(self._cells) >= _MOST_COLUMNS:
            raise Unfit(f"expected at most {_MOST_COLUMNS} properties and parts of a {self.name}, found one more")
        cells = self._cells[name] = _Cells(type, [_MISSING[type]] * len(self._lifetimes), is_known)
        if self._table is not None:
            self._stale, self._table = self._table, None
        return cells


_STORE: dict[ColumnType, Callable[[Kind, Any], float | int]] = {
    "number": Kind._number,
    "flag": Kind._flag,
    "text": Kind._text,
}


def _packed(code: str, values: list[Any], kept: list[int] | None) -> bytes:
    some = values if kept is None else [values[row] for row in kept]
    return bytes(some) if code == "B" else struct.pack(f"<{len(some)}{code}", *some)
