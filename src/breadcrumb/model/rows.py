"""Rows of columns: those that follow each other are a view, which takes neither time nor memory to copy."""

from typing import TypeAlias

import numpy as np

from breadcrumb.model.session import Ints

Rows: TypeAlias = Ints | slice


def rows_at(indices: Ints) -> Rows:
    """Return indices as a slice if each is the next one after that before it, else as they are.

    Example:
        >>> rows_at(np.array([3, 4, 5])), rows_at(np.array([3, 5, 4, 6])).tolist(), rows_at(np.array([-1, 0])).tolist()
        (slice(3, 6, None), [3, 5, 4, 6], [-1, 0])
    """
    many = len(indices)
    if not many or indices[0] < 0 or indices[-1] - indices[0] != many - 1 or (np.diff(indices) != 1).any():
        return indices
    return slice(int(indices[0]), int(indices[0]) + many)


def rows_of(rows: Rows, some: Rows) -> Rows:
    """Return some of the rows of a column, as rows of that column.

    Example:
        >>> rows_of(slice(3, 9), slice(1, 3)), rows_of(slice(3, 9), np.array([0, 5])).tolist()
        (slice(4, 6, None), [3, 8])
        >>> rows_of(np.array([7, 2, 4]), slice(1, None)).tolist()
        [2, 4]
    """
    if not isinstance(rows, slice):
        return np.asarray(rows[some])
    if rows == slice(None):
        return some
    if isinstance(some, slice):
        taken = range(rows.start, rows.stop)[some]
        return slice(taken.start, taken.stop)
    return np.asarray(rows.start + some)


def rows_before(rows: Rows, by: int) -> Rows:
    """Return the rows so many rows before; the first ones of a column, which have none, as they are.

    Example:
        >>> rows_before(slice(3, 6), 2), rows_before(slice(1, 4), 2).tolist()
        (slice(1, 4, None), [1, 0, 1])
    """
    if isinstance(rows, slice) and rows.start is not None and rows.start >= by:
        return slice(rows.start - by, rows.stop - by)
    indices = indices_of(rows)
    return np.where(indices < by, indices, indices - by)


def indices_of(rows: Rows) -> Ints:
    """Return rows as indices.

    Example:
        >>> indices_of(slice(3, 6)).tolist()
        [3, 4, 5]
    """
    return np.arange(rows.start, rows.stop) if isinstance(rows, slice) else rows


def ranges(begins: Ints, lengths: Ints) -> Ints:
    """Return numbers that rise by one from each begin, one range after the other.

    Example:
        >>> ranges(np.array([7, 2]), np.array([2, 3])).tolist()
        [7, 8, 2, 3, 4]
    """
    before = np.cumsum(lengths) - lengths
    return np.repeat(begins - before, lengths) + np.arange(lengths.sum())


def rows_between(begins: Ints, ends: Ints) -> Rows:
    """Return the rows of some ranges, as a slice if each begins where the one before it ends.

    Example:
        >>> rows_between(np.array([2, 5]), np.array([5, 9])), rows_between(np.array([2, 7]), np.array([4, 8])).tolist()
        (slice(2, 9, None), [2, 3, 7])
    """
    if len(begins) and (begins[1:] == ends[:-1]).all():
        return slice(int(begins[0]), int(ends[-1]))
    return ranges(begins, ends - begins)
