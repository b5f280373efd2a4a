"""A trace held in memory, and how one is made from a journal."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from breadcrumb.journal.layout import MISSING_BITS, MISSING_FLAG, MISSING_TEXT, Column
from breadcrumb.journal.reading import Block, Journal, JournalFrame
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Events, Floats, Ints, Lives, Parameter, Session
from breadcrumb.store.sorting import by_life_and_row, merge_columns


@dataclass(frozen=True, eq=False)
class KindTable:
    """The samples of all objects of one kind, sorted by life and row."""

    life: Ints
    row: Ints
    columns: Mapping[str, ColumnData]


@dataclass(frozen=True, eq=False)
class MemoryTrace:
    """A trace whose columns are all in memory."""

    session: Session
    tables: Mapping[str, KindTable]

    def columns(self, kind: str) -> Sequence[str]:
        """Return the names of a kind's columns."""
        return tuple(self.tables[kind].columns) if kind in self.tables else ()

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the life and the row of the clock of each of a kind's samples."""
        table = self.tables[kind]
        return table.life, table.row

    def column(self, kind: str, name: str) -> ColumnData:
        """Return one column."""
        return self.tables[kind].columns[name]


def trace_from_journal(journal: Journal, label: str, notes: Iterable[str] = ()) -> MemoryTrace:
    """Gather a journal's frames into columns sorted by life and frame.

    The one loop over frames takes the frames apart; all values are moved by NumPy.
    """
    told = _Notes()
    tables: dict[int, _Rows] = {}
    for row, frame in enumerate(journal.frames):
        told.read(frame.notes, row)
        _read_blocks(frame, row, tables)
    last = max(0, len(journal.frames) - 1)
    told.read((journal.seal or {}).get("notes", ()), last)
    for late in (journal.seal or {}).get("late", ()):
        told.event(late, last, late=True)
    texts = tuple(told.texts)
    parts: dict[str, list[KindTable]] = {}
    for rows in tables.values():
        if rows.counts:
            parts.setdefault(rows.kind, []).append(rows.finish(texts))
    by_kind = {kind: _together(some) for kind, some in parts.items()}
    clock = told.clock(
        np.array([frame.frame for frame in journal.frames], np.int64),
        np.array([frame.t for frame in journal.frames], np.float64),
    )
    troubles = {**told.troubles, **(journal.seal or {}).get("troubles", {})}
    return MemoryTrace(
        Session(
            label=label,
            about=journal.about,
            clock=clock,
            lives=told.lives(by_kind),
            events=told.events(),
            names=tuple(told.names),
            kinds=tuple(told.kinds),
            parameters=tuple(told.parameters),
            declared_events=tuple(dict.fromkeys(told.declared_events)),
            declared_kinds=tuple(dict.fromkeys(told.declared_kinds)),
            notes=(*notes, *(f"while recording: {sort}, {_times(count)}" for sort, count in troubles.items())),
        ),
        by_kind,
    )


class _Rows:
    """The rows of one journal table, frame after frame, before they are sorted."""

    def __init__(self, kind: str, numbers: Sequence[Column], codes: Sequence[Column]) -> None:
        self.kind, self._number_columns, self._code_columns = kind, numbers, codes
        self.counts: list[int] = []
        self._frame_rows: list[int] = []
        self._lives: list[Any] = []
        self._numbers: list[Any] = []
        self._codes: dict[str, list[Any]] = {column.name: [] for column in codes}
        self._now: dict[str, Any] = {}

    def update(self, block: Block) -> None:
        """Take over what a block says."""
        if block.lives is not None:
            self._now["lives"] = np.frombuffer(block.lives, "<u4")
        if block.numbers is not None:
            numbers, width = np.frombuffer(block.numbers, "<f8"), len(self._number_columns)
            by_row = (block.rows, width)
            self._now["numbers"] = numbers.reshape(by_row[::-1]).T if block.by_column else numbers.reshape(by_row)
        for column in self._code_columns:
            if column.name in block.codes:
                kind = "<u1" if column.type == "flag" else "<u4"
                self._now[column.name] = np.frombuffer(block.codes[column.name], kind)

    def sample(self, row: int) -> None:
        """Add what holds now as the rows of a frame."""
        lives = self._now.get("lives")
        if lives is None or not len(lives):
            return
        self.counts.append(len(lives))
        self._frame_rows.append(row)
        self._lives.append(lives)
        if self._number_columns:
            self._numbers.append(self._now["numbers"])
        for name, codes in self._codes.items():
            codes.append(self._now[name])

    def finish(self, texts: tuple[str, ...]) -> KindTable:
        """Sort the rows by life and frame, and split them into columns."""
        life = np.concatenate(self._lives).astype(np.int64)
        row = np.repeat(np.array(self._frame_rows, np.int64), self.counts)
        order = by_life_and_row(life, row)
        columns: dict[str, ColumnData] = {}
        if self._number_columns:
            numbers = np.concatenate(self._numbers)
            for place, column in enumerate(self._number_columns):
                values = np.ascontiguousarray(numbers[order, place])
                valid = values.view(np.uint64) != MISSING_BITS
                columns[column.name] = ColumnData(values, None if valid.all() else valid)
        for column in self._code_columns:
            codes = np.concatenate(self._codes[column.name])[order]
            if column.type == "flag":
                valid = codes != MISSING_FLAG
                columns[column.name] = ColumnData(codes == 1, None if valid.all() else valid)
            else:
                valid = codes != MISSING_TEXT
                places = np.where(valid, codes, 0).astype(np.int64)
                columns[column.name] = ColumnData(places, None if valid.all() else valid, texts or ("",))
        return KindTable(life[order], row[order], columns)


def _read_blocks(frame: JournalFrame, row: int, tables: dict[int, _Rows]) -> None:
    for block in frame.blocks:
        table = block.table
        if table.number not in tables:
            tables[table.number] = _Rows(table.kind, table.numbers, table.codes)
        tables[table.number].update(block)
    for rows in tables.values():
        rows.sample(row)


def _together(tables: list[KindTable]) -> KindTable:
    """Merge the tables of one kind; a column that one of them lacks is missing there."""
    if len(tables) == 1:
        return tables[0]
    life = np.concatenate([table.life for table in tables])
    row = np.concatenate([table.row for table in tables])
    order = by_life_and_row(life, row)
    sizes = [len(table.life) for table in tables]
    names = dict.fromkeys(name for table in tables for name in table.columns)
    columns = {name: merge_columns([table.columns.get(name) for table in tables], sizes, order) for name in names}
    vectors = {name.rpartition(".")[0] for name in names}
    for name in vectors & columns.keys():  # told only as missing, before it was known to be a vector
        del columns[name]
    return KindTable(life[order], row[order], columns)


@dataclass
class _Notes:
    """What the notes of all frames say, gathered."""

    names: dict[str, int] = field(default_factory=dict)
    kinds: dict[str, int] = field(default_factory=dict)
    texts: list[str] = field(default_factory=list)
    parameters: list[Parameter] = field(default_factory=list)
    declared_events: list[str] = field(default_factory=list)
    declared_kinds: list[str] = field(default_factory=list)
    troubles: dict[str, int] = field(default_factory=dict)
    _clock: dict[int, Sequence[Any]] = field(default_factory=dict)
    _lives: list[list[int]] = field(default_factory=list)
    _events: list[tuple[int, int, str, int, int, Mapping[str, Any], bool]] = field(default_factory=list)

    def read(self, notes: Sequence[Any], row: int) -> None:
        """Take over the notes of one frame."""
        for what, *rest in notes:
            if what == "appear":
                _, name, kind, parent, seen = rest
                appear = row if seen else NOBODY
                self._lives.append([self._name(name), self._kind(kind), self._name(parent), appear, NOBODY])
            elif what == "leave":
                self._lives[rest[0]][-1] = row
            elif what == "text":
                self.texts.append(rest[1])
            elif what == "event":
                self.event(rest[:4], row, late=bool(rest[4]))
            elif what == "parameter":
                self.parameters.append(Parameter(rest[0], row, rest[1], rest[2]))
            elif what == "declare":
                self.declared_events += rest[0]
                self.declared_kinds += rest[1]
            elif what == "clock":
                self._clock[row] = rest
            elif what == "trouble":
                self.troubles[rest[0]] = 1

    def clock(self, frames: Ints, times: Floats) -> Clock:
        """Return the clock, with whatever else was told of the frames."""
        told = np.full((len(frames), 4), np.nan)
        for row, values in self._clock.items():
            told[row] = [np.nan if value is None else float(value) for value in values]
        wall, steps, scale, paused = (None if np.isnan(one).all() else one for one in told.T.copy())
        return Clock(frames, times, wall, steps, scale, None if paused is None else paused == 1)

    def event(self, note: Sequence[Any], row: int, *, late: bool) -> None:
        """Take over one event."""
        name, by, on, data = note
        order = self._events[-1][1] + 1 if self._events and self._events[-1][0] == row else 0
        self._events.append((row, order, name, self._name(by), self._name(on), data or {}, late))

    def events(self) -> Events:
        """Return all events as arrays."""
        kinds = dict.fromkeys(event[2] for event in self._events)
        places = {name: place for place, name in enumerate(kinds)}
        return Events(
            row=_ints(event[0] for event in self._events),
            order=_ints(event[1] for event in self._events),
            kind=_ints(places[event[2]] for event in self._events),
            kinds=tuple(kinds),
            by=_ints(event[3] for event in self._events),
            on=_ints(event[4] for event in self._events),
            data=tuple(event[5] for event in self._events),
            late=np.array([event[6] for event in self._events], np.bool_),
        )

    def lives(self, tables: Mapping[str, KindTable]) -> Lives:
        """Return all lives as arrays, with the rows of their first and last samples."""
        columns = np.array(self._lives, np.int64).reshape(len(self._lives), 5)
        first = np.full(len(columns), NOBODY)
        last = np.full(len(columns), NOBODY)
        for table in tables.values():
            starts = np.flatnonzero(np.r_[True, table.life[1:] != table.life[:-1]])
            ends = np.r_[starts[1:], len(table.life)] - 1
            first[table.life[starts]] = table.row[starts]
            last[table.life[ends]] = table.row[ends]
        name, kind, parent, appear, leave = columns.T.copy()
        return Lives(name, kind, parent, appear, first, last, leave)

    def _name(self, name: str | None) -> int:
        return NOBODY if name is None else self.names.setdefault(name, len(self.names))

    def _kind(self, kind: str) -> int:
        return self.kinds.setdefault(kind, len(self.kinds))


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count} times"


def _ints(values: Iterable[int]) -> Ints:
    return np.fromiter(values, np.int64)
