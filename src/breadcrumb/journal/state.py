"""The state of a recording: which numbers lifetimes, tables and texts have, and the records of the current frame.

Whatever writes a journal, the recorder in a game or the listener for games elsewhere, goes through this.
"""

from collections.abc import Sequence
from typing import Any

from breadcrumb.journal.layout import Column
from breadcrumb.journal.records import (
    AliveRecord,
    AppearRecord,
    FactRecord,
    LeaveRecord,
    ParentRecord,
    Record,
    TableRecord,
    TextRecord,
)

STANDING_EVERY = 300
"""After so many frames everything is told again, so that little is lost behind a damaged part of the journal."""


class RecordingState:
    """Gives out the numbers that a journal refers to, and gathers the records of the current frame.

    Wherever an interrupt strikes, what is noted stays consistent: a record is there before what refers to it.

    Attributes:
        records: what happened since the last frame, in order.
        alive: the number of the lifetime of each id that is there.
    """

    def __init__(self) -> None:
        self.records: list[Record] = []
        self.alive: dict[str, int] = {}
        self._facts: dict[tuple[str, str, str, str], int] = {}
        self._texts: dict[str, int] = {}
        self._kinds: dict[int, str] = {}
        self._tables: dict[int, TableRecord] = {}
        self._numbers: dict[str, int] = {}

    def appears(self, id: str, kind: str, *, seen: bool, parent: str | None = None) -> int:
        """Begin a lifetime; return its number."""
        number = self._number("lifetime")
        self.records.append(AppearRecord(number, id, kind, seen))
        self.alive[id] = number
        self._kinds[number] = kind
        if parent is not None:
            self.belongs(number, parent)
        return number

    def belongs(self, lifetime: int, parent: str) -> None:
        """Note the object that a lifetime belongs to."""
        self.records.append(ParentRecord(lifetime, parent))

    def leaves(self, id: str) -> int:
        """End the lifetime of an id; return its number."""
        number = self.alive[id]
        self.records.append(LeaveRecord(number))
        del self.alive[id]
        self._kinds.pop(number, None)
        return number

    def new_table(self, kind: str, columns: Sequence[Column]) -> int:
        """Begin a table of these columns; return its number."""
        number = self._number("table")
        self._tables[number] = TableRecord(number, kind, list(columns))
        self.records.append(self._tables[number])
        return number

    def text_code(self, text: str) -> int:
        """Return the code of a text, noting it when it is new."""
        if text not in self._texts:
            code = self._number("text")
            self.records.append(TextRecord(code, text))
            self._texts[text] = code
        return self._texts[text]

    def fact(self, code: str, *, kind: str = "", property: str = "", detail: str = "", count: int = 1) -> bool:
        """Count something to know of the recording; return whether it is the first of its sort."""
        key = code, kind, property, detail
        first = key not in self._facts
        self._facts[key] = self._facts.get(key, 0) + count
        if first:
            self.records.append(FactRecord(*key, count))
        return first

    @property
    def facts(self) -> list[FactRecord]:
        """All facts so far, with their counts."""
        return [FactRecord(*key, count) for key, count in self._facts.items()]

    def take(self) -> list[Record]:
        """Return the records of the current frame, and begin the next one."""
        records, self.records = self.records, []
        return records

    def standing(self) -> list[Record]:
        """Return what a reader must know to go on behind damaged frames: the layouts, and who is there."""
        alive: list[Any] = []  # one flat list: thousands of small ones would set off the garbage collector
        for id, number in self.alive.items():
            alive += number, id, self._kinds[number]
        return [*self._tables.values(), AliveRecord(alive)]

    def told(self, records: list[Record], count: int) -> None:
        """Drop the first records of the current frame: they are written. A second call does nothing."""
        if records and self.records is records:
            self.records = records[count:]

    def restart(self, standing: Sequence[Record]) -> None:
        """Begin anew for another journal: numbers from 0, and the records that still stand."""
        self.records = list(standing)
        self.alive = {}
        self._facts = {}
        self._texts, self._kinds, self._tables, self._numbers = {}, {}, {}, {}

    def _number(self, what: str) -> int:
        """Return a number that was never given out: an interrupt may leave one unused, but none used twice."""
        number = self._numbers.get(what, 0)
        self._numbers[what] = number + 1
        return number
