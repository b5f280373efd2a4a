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


def indices_of(rows: Rows) -> Ints:
    """Return rows as indices.

    Example:
        >>> indices_of(slice(3, 6)).tolist()
        [3, 4, 5]
    """
    return np.arange(rows.start, rows.stop) if isinstance(rows, slice) else rows
