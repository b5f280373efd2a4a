"""The samples of a journal's tables: gathered frame after frame, then sorted and split into columns."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from breadcrumb.journal.layout import MISSING_BITS, MISSING_FLAG, Column
from breadcrumb.journal.reading import Block
from breadcrumb.model.columns import column_name
from breadcrumb.model.session import Bools, ColumnData, Ints
from breadcrumb.store.sorting import by_lifetime_and_frame


@dataclass(frozen=True, eq=False)
class KindTable:
    """The samples of all objects of one kind, sorted by lifetime and clock_index."""

    lifetime: Ints
    clock_index: Ints
    columns: Mapping[str, ColumnData]


class Rows:
    """The rows of one journal table, frame after frame, before they are sorted."""

    def __init__(self, kind: str, numbers: Sequence[Column], codes: Sequence[Column]) -> None:
        self.kind, self._number_columns, self._code_columns = kind, numbers, codes
        self.counts: list[int] = []
        self._frame_rows: list[int] = []
        self._lifetimes: list[Any] = []
        self._numbers: list[Any] = []
        self._codes: list[list[Any]] = [[] for _ in codes]
        self._now: dict[str, Any] = {}
        self._codes_now: list[Any] = [None] * len(codes)
        self._size = 0

    def forget(self) -> None:
        """Forget what holds now: something is lost, and only a block that says everything is to be trusted."""
        self._now, self._codes_now, self._size = {}, [None] * len(self._code_columns), 0

    def update(self, block: Block) -> None:
        """Take over what a block says; without the lifetimes that it goes with, it says nothing."""
        if block.lifetimes is not None:
            former, codes = self._now.get("lifetimes"), self._codes_now
            self.forget()
            self._size = block.rows
            self._now["lifetimes"] = _unless_same(former, block.lifetimes, "<u4")
        elif block.rows != self._size:
            self.forget()
            return
        else:
            codes = self._codes_now
        if block.numbers is not None:
            numbers, width = np.frombuffer(block.numbers, "<f8"), len(self._number_columns)
            by_row = (block.rows, width)
            self._now["numbers"] = numbers.reshape(by_row[::-1]).T if block.by_column else numbers.reshape(by_row)
        for index, told in block.codes.items():
            dtype = "<u1" if self._code_columns[index].type == "flag" else "<u4"
            self._codes_now[index] = _unless_same(codes[index], told, dtype)

    def sample(self, clock_index: int) -> None:
        """Add what holds now as the rows of a frame."""
        lifetimes = self._now.get("lifetimes")
        if lifetimes is None or not self._size or not self._is_complete:
            return
        self.counts.append(len(lifetimes))
        self._frame_rows.append(clock_index)
        self._lifetimes.append(lifetimes)
        if self._number_columns:
            self._numbers.append(self._now["numbers"])
        for codes, now in zip(self._codes, self._codes_now, strict=True):
            codes.append(now)

    @property
    def _is_complete(self) -> bool:
        """Whether every column has values for the lifetimes that are there now."""
        return (not self._number_columns or "numbers" in self._now) and all(one is not None for one in self._codes_now)

    def finish(self, texts: Mapping[int, str], lifetimes: Ints) -> KindTable:
        """Sort the rows by lifetime and frame, and split them into columns.

        Args:
            texts: by their codes, rising.
            lifetimes: the numbers of the lifetimes that are known, rising; rows of others are left out.
        """
        lifetime = np.concatenate(self._lifetimes)
        clock_index = np.repeat(np.array(self._frame_rows, np.int64), self.counts)
        order = by_lifetime_and_frame(lifetime, clock_index)
        lifetime, clock_index = lifetime[order], clock_index[order]
        usable = _usable(lifetime, clock_index, lifetimes)
        if not usable.all():
            order, lifetime, clock_index = order[usable], lifetime[usable], clock_index[usable]
        text_codes, told = np.array(list(texts), np.int64), tuple(texts.values()) or ("",)
        columns: dict[str, ColumnData] = {}
        for index, column in enumerate(self._number_columns):
            values = np.concatenate([numbers[:, index] for numbers in self._numbers])[order]
            valid = values.view(np.uint64) != MISSING_BITS
            columns[_name(column)] = ColumnData(values, None if valid.all() else valid)
        self._numbers.clear()  # hundreds of thousands of small arrays, of which nothing is needed any more
        for column, parts in zip(self._code_columns, self._codes, strict=True):
            codes = np.concatenate(parts)[order]
            parts.clear()
            if column.type == "flag":
                valid = codes < MISSING_FLAG
                columns[_name(column)] = ColumnData(codes == 1, None if valid.all() else valid)
            else:
                valid = _among(codes, text_codes)  # neither missing nor lost
                codes[~valid] = 0
                indices = _positions(codes, text_codes)
                indices[~valid] = 0
                columns[_name(column)] = ColumnData(indices, None if valid.all() else valid, told)
        del order  # as large as a column
        return KindTable(_positions(lifetime, lifetimes), clock_index, columns)


def _is_in_full(known: Ints) -> bool:
    """Tell whether numbers that rise from 0 leave none out."""
    return bool(len(known)) and int(known[-1]) == len(known) - 1


def _among(numbers: Ints, known: Ints) -> Bools:
    """Return which numbers are known; without the copies that NumPy makes for it, if none is left out."""
    return numbers < len(known) if _is_in_full(known) else np.isin(numbers, known)


def _positions(numbers: Ints, known: Ints) -> Ints:
    """Return where known numbers stand among all that are."""
    return numbers.astype(np.int64) if _is_in_full(known) else np.searchsorted(known, numbers)


def _unless_same(now: Any, told: memoryview, dtype: str) -> Any:
    """Return what is told as an array; the one that is there already if it says the same: an hour has very many."""
    if now is not None and len(now) * now.itemsize == len(told) and now.data.cast("B") == told:
        return now
    return np.frombuffer(told, dtype)


def _usable(lifetime: Ints, clock_index: Ints, known: Ints) -> Bools:
    """Return which sorted rows are of known lifetimes, and the first ones of theirs on a frame."""
    usable = _among(lifetime, known)
    usable[1:] &= (lifetime[1:] != lifetime[:-1]) | (clock_index[1:] != clock_index[:-1])
    return usable


def _name(column: Column) -> str:
    return column_name(column.property, column.part)
