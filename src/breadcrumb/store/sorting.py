"""Putting rows in order, and tables of one kind together."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.model.session import ColumnData, Ints


def by_lifetime_and_frame(lifetime: Ints, clock_index: Ints) -> Ints:
    """Return the order that sorts samples by lifetime, then by clock index; a table's rows are in the clock's order."""
    if (clock_index[1:] >= clock_index[:-1]).all():
        highest = int(lifetime.max(initial=0))
        narrow = lifetime.astype(np.uint16) if highest < 2**16 else lifetime  # a stable sort of 16 bits is a radix sort
        return np.argsort(narrow, kind="stable")
    return np.lexsort((clock_index, lifetime))


def merge_columns(columns: Sequence[ColumnData | None], sizes: Sequence[int], order: Ints) -> ColumnData:
    """Put the parts of one column, each with so many rows, behind each other and in order; a part may be absent."""
    there = [column for column in columns if column is not None]
    model = next((column for column in there if column.valid is None or column.valid.any()), there[0])
    values, valid = [], []
    for column, size in zip(columns, sizes, strict=True):
        fits = column is not None and column.values.dtype == model.values.dtype
        part = column if column is not None and fits else _missing(model.values.dtype, size)
        values.append(part.values)
        valid.append(np.ones(size, np.bool_) if part.valid is None else part.valid)
    every = np.concatenate(valid)[order]
    return ColumnData(np.concatenate(values)[order], None if every.all() else every, model.texts)


def _missing(dtype: np.dtype[Any], size: int) -> ColumnData:
    values: NDArray[Any] = np.zeros(size, dtype)
    return ColumnData(values, np.zeros(size, np.bool_))
