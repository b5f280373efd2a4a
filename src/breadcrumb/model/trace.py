"""The protocol behind a trace: where signals get their columns from."""

from collections.abc import Sequence
from typing import Protocol

from breadcrumb.model.session import ColumnData, Ints, Session


class TraceData(Protocol):
    """A recorded session whose columns can be asked for one at a time."""

    @property
    def session(self) -> Session:
        """All that is known besides the states."""

    def columns(self, kind: str) -> Sequence[str]:
        """Return the names of a kind's columns, such as `position.x`."""

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the lifetime and the clock index of each of a kind's samples, sorted by lifetime and clock_index."""

    def column(self, kind: str, name: str) -> ColumnData:
        """Return one column, in the order of `index`."""
