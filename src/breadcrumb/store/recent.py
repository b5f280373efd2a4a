"""Columns that were read last, as many as a given memory holds."""

from collections import OrderedDict

import numpy as np

from breadcrumb.model.session import ColumnData

_MOST_BYTES = 128 << 20
"""What the columns of one trace may take: more than all of a session of ten minutes of Lantern Bay."""


class RecentColumns:
    """The columns of a trace that were read last; those that are mapped from files take no memory of it."""

    def __init__(self) -> None:
        self._columns: OrderedDict[tuple[str, str], ColumnData] = OrderedDict()
        self._bytes = 0

    def get(self, kind: str, name: str) -> ColumnData | None:
        """Return a column if it is still here."""
        column = self._columns.get((kind, name))
        if column is not None:
            self._columns.move_to_end((kind, name))
        return column

    def put(self, kind: str, name: str, column: ColumnData) -> None:
        """Keep a column, and give up those that were not asked for the longest where they take too much."""
        self._columns[kind, name] = column
        self._bytes += _bytes_of(column)
        while self._bytes > _MOST_BYTES and len(self._columns) > 1:
            _, oldest = self._columns.popitem(last=False)
            self._bytes -= _bytes_of(oldest)


def _bytes_of(column: ColumnData) -> int:
    arrays = [one for one in (column.values, column.valid) if one is not None]
    return sum(one.nbytes for one in arrays if not isinstance(one.base, np.memmap))
