"""A trace held in memory, and how one is made from a journal."""

from array import array
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from breadcrumb.journal.reading import Journal, JournalFrame, JournalReader
from breadcrumb.journal.records import (
    AliveRecord,
    AppearRecord,
    ClockRecord,
    DeclareRecord,
    EventRecord,
    FactRecord,
    LeaveRecord,
    ParameterRecord,
    ParentRecord,
    Record,
    RestartsRecord,
    ShapeRecord,
    TextRecord,
)
from breadcrumb.model.facts import Fact
from breadcrumb.model.session import (
    NOBODY,
    Clock,
    ColumnData,
    Events,
    Floats,
    Ints,
    Lifetimes,
    Parameter,
    Session,
)
from breadcrumb.store.rows import KindTable, Rows
from breadcrumb.store.sorting import by_lifetime_and_frame, merge_columns


@dataclass(frozen=True, eq=False)
class MemoryTrace:
    """A trace whose columns are all in memory."""

    session: Session
    tables: Mapping[str, KindTable]

    def columns(self, kind: str) -> Sequence[str]:
        """Return the names of a kind's columns."""
        return tuple(self.tables[kind].columns) if kind in self.tables else ()

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the lifetime and the clock index of each of a kind's samples."""
        if kind not in self.tables:
            return np.zeros(0, np.int64), np.zeros(0, np.int64)
        table = self.tables[kind]
        return table.lifetime, table.clock_index

    def column(self, kind: str, name: str) -> ColumnData:
        """Return one column."""
        return self.tables[kind].columns[name]


def trace_from_journal(journal: Journal | JournalReader, label: str, facts: Iterable[Fact] = ()) -> MemoryTrace:
    """Gather a journal's frames into columns sorted by lifetime and frame.

    The one loop over frames takes the frames apart; all values are moved by NumPy.
    """
    told = _Gathered()
    tables: dict[int, Rows] = {}
    frames, times = array("q"), array("d")
    for clock_index, frame in enumerate(journal.frames):
        frames.append(frame.frame)
        times.append(frame.t)
        if frame.after_loss:
            told.lost(clock_index)
        if frame.records:
            told.read(frame.records, clock_index)
        _read_blocks(frame, clock_index, tables)
    last = max(0, len(frames) - 1)
    if journal.seal is not None:
        told.read(journal.seal.records, last)
    texts = dict(sorted(told.texts.items()))
    numbers = np.array(sorted(told.started), np.int64)
    parts: dict[str, list[KindTable]] = {}
    for number in list(tables):
        rows = tables.pop(number)  # so that what it gathered is given up as soon as its columns are made
        rows.close(len(frames))
        if rows:
            parts.setdefault(rows.kind, []).append(rows.finish(texts, numbers))
    by_kind = {kind: _together(some) for kind, some in parts.items()}
    clock = told.clock(np.array(frames, np.int64), np.array(times, np.float64))
    recorded = told.facts if journal.seal is None else map(_fact_of, journal.seal.facts)
    lifetimes, events = told.lifetimes(by_kind), told.events()
    kinds = tuple(told.kinds)
    return MemoryTrace(
        Session(
            label=label,
            about=told.about(journal.about),
            clock=clock,
            lifetimes=lifetimes,
            events=events,
            names=tuple(told.names),
            kinds=kinds,
            parameters=tuple(told.parameters),
            declared_events=tuple(dict.fromkeys(told.declared_events)),
            declared_kinds=tuple(dict.fromkeys(told.declared_kinds)),
            declared_restarts=tuple(dict.fromkeys(told.declared_restarts)),
            facts=(*facts, *recorded),
            participants=participants_of(events, lifetimes, kinds),
        ),
        by_kind,
    )


def _read_blocks(frame: JournalFrame, clock_index: int, tables: dict[int, Rows]) -> None:
    if frame.after_loss:
        for rows in tables.values():
            rows.lose(clock_index)
    for block in frame.blocks:
        table = block.table
        if table.number not in tables:
            tables[table.number] = Rows(table.kind, table.numbers, table.codes)
        tables[table.number].update(block, clock_index)


def _together(tables: list[KindTable]) -> KindTable:
    """Merge the tables of one kind; a column that one of them lacks is missing there."""
    if len(tables) == 1:
        return tables[0]
    lifetime = np.concatenate([table.lifetime for table in tables])
    clock_index = np.concatenate([table.clock_index for table in tables])
    order = by_lifetime_and_frame(lifetime, clock_index)
    sizes = [len(table.lifetime) for table in tables]
    names = dict.fromkeys(name for table in tables for name in table.columns)
    columns = {name: merge_columns([table.columns.get(name) for table in tables], sizes, order) for name in names}
    vectors = {name.partition(".")[0] for name in names if "." in name}
    for name in vectors & columns.keys():  # told only as missing, before it was known to be a vector
        del columns[name]
    return KindTable(lifetime[order], clock_index[order], columns)


@dataclass
class _Gathered:
    """What the records of all frames say, gathered."""

    names: dict[str, int] = field(default_factory=dict)
    kinds: dict[str, int] = field(default_factory=dict)
    texts: dict[int, str] = field(default_factory=dict)
    started: dict[int, list[int]] = field(default_factory=dict)
    """What is known of each lifetime, by its number: name, kind, parent, and on which frames it appeared and left."""
    parameters: list[Parameter] = field(default_factory=list)
    declared_events: list[str] = field(default_factory=list)
    declared_kinds: list[str] = field(default_factory=list)
    declared_restarts: list[str] = field(default_factory=list)
    shapes: dict[str, Any] = field(default_factory=dict)
    facts: list[Fact] = field(default_factory=list)
    _clock: dict[int, ClockRecord] = field(default_factory=dict)
    _lost_at: int = NOBODY
    _events: list[tuple[int, int, str, int, int, Mapping[str, Any], bool]] = field(default_factory=list)

    def _declare(self, record: DeclareRecord | RestartsRecord | ShapeRecord) -> None:
        match record:
            case RestartsRecord():
                self.declared_restarts += record.events
            case ShapeRecord():
                self.shapes[record.kind] = record.shape
            case DeclareRecord():
                self.declared_events += record.events
                self.declared_kinds += record.kinds

    def read(self, records: Iterable[Record], clock_index: int) -> None:
        """Take over the records of one frame."""
        for record in records:
            match record:
                case EventRecord():
                    self._event(record, clock_index)
                case AppearRecord():
                    appear = clock_index if record.seen else NOBODY
                    self._start(record.lifetime, record.id, record.kind, appear)
                case ParentRecord() if record.lifetime in self.started:
                    self.started[record.lifetime][2] = self._name(record.parent)
                case LeaveRecord() if record.lifetime in self.started:
                    self.started[record.lifetime][-1] = clock_index
                case TextRecord():
                    self.texts[record.code] = record.text
                case AliveRecord() if self._lost_at != NOBODY:
                    self._find_alive(record)
                case ClockRecord():
                    self._clock[clock_index] = record
                case ParameterRecord():
                    self.parameters.append(Parameter(record.name, clock_index, record.value, record.unit))
                case DeclareRecord() | RestartsRecord() | ShapeRecord():
                    self._declare(record)
                case FactRecord():
                    self.facts.append(_fact_of(record))

    def about(self, begun_with: Mapping[str, Any]) -> dict[str, Any]:
        """Return what is known of the session, with the shapes that were declared while it was recorded."""
        told = begun_with.get("shapes")
        shapes = {**(told if isinstance(told, Mapping) else {}), **self.shapes}
        return {**begun_with, **({"shapes": shapes} if shapes else {})}

    def lost(self, clock_index: int) -> None:
        """Note that something is lost before a frame: who appeared or left there is not known yet."""
        self._lost_at = clock_index if self._lost_at == NOBODY else self._lost_at

    def _start(self, lifetime: int, id: str, kind: str, appear: int) -> None:
        self.started.setdefault(lifetime, [self._name(id), self._kind(kind), NOBODY, appear, NOBODY])

    def _find_alive(self, record: AliveRecord) -> None:
        """Find out behind a loss who is there: whoever is not, and was not seen to leave, left in what is lost."""
        told = record.lifetimes
        alive = {number: (id, kind) for number, id, kind in zip(told[::3], told[1::3], told[2::3], strict=True)}
        for lifetime, told in self.started.items():
            if told[-1] == NOBODY and lifetime not in alive:
                told[-1] = self._lost_at
        for lifetime, (id, kind) in alive.items():
            self._start(lifetime, id, kind, NOBODY)
        self._lost_at = NOBODY

    def clock(self, frames: Ints, times: Floats) -> Clock:
        """Return the clock, with whatever else was told of the frames."""
        told = np.full((len(frames), 4), np.nan)
        for clock_index, values in self._clock.items():
            told[clock_index] = [np.nan if value is None else float(value) for value in values]
        wall, steps, scale, paused = (None if np.isnan(one).all() else one for one in told.T.copy())
        return Clock(frames, times, wall, steps, scale, None if paused is None else paused == 1)

    def _event(self, record: EventRecord, clock_index: int) -> None:
        order = self._events[-1][1] + 1 if self._events and self._events[-1][0] == clock_index else 0
        by, on = self._name(record.by), self._name(record.on)
        self._events.append((clock_index, order, record.name, by, on, record.data or {}, record.late))

    def events(self) -> Events:
        """Return all events as arrays."""
        kinds = dict.fromkeys(event[2] for event in self._events)
        indices = {name: index for index, name in enumerate(kinds)}
        return Events(
            clock_index=_ints(event[0] for event in self._events),
            order=_ints(event[1] for event in self._events),
            kind=_ints(indices[event[2]] for event in self._events),
            kinds=tuple(kinds),
            by=_ints(event[3] for event in self._events),
            on=_ints(event[4] for event in self._events),
            data=tuple(event[5] for event in self._events),
            late=np.array([event[6] for event in self._events], np.bool_),
        )

    def lifetimes(self, tables: Mapping[str, KindTable]) -> Lifetimes:
        """Return all lifetimes as arrays, with the rows of their first and last samples."""
        told = [self.started[number] for number in sorted(self.started)]
        columns = np.array(told, np.int64).reshape(len(told), 5)
        first = np.full(len(columns), NOBODY)
        last = np.full(len(columns), NOBODY)
        for table in tables.values():
            starts = np.flatnonzero(np.hstack((True, table.lifetime[1:] != table.lifetime[:-1])))
            ends = np.hstack((starts[1:], len(table.lifetime))) - 1
            first[table.lifetime[starts]] = table.clock_index[starts]
            last[table.lifetime[ends]] = table.clock_index[ends]
        name, kind, parent, appear, leave = columns.T.copy()
        return Lifetimes(name, kind, parent, appear, first, last, leave)

    def _name(self, name: str | None) -> int:
        return NOBODY if name is None else self.names.setdefault(name, len(self.names))

    def _kind(self, kind: str) -> int:
        return self.kinds.setdefault(kind, len(self.kinds))


def participants_of(
    events: Events, lifetimes: Lifetimes, kinds: Sequence[str]
) -> dict[str, tuple[tuple[str | None, str | None], ...]]:
    """Return which kinds take part in each event, as pairs of by and on; see `Session.participants`."""
    size = int(max(events.by.max(initial=NOBODY), events.on.max(initial=NOBODY), lifetimes.name.max(initial=NOBODY)))
    kind_of = np.full(size + 2, len(kinds))  # of a named thing that is no object
    kind_of[lifetimes.name] = lifetimes.kind
    kind_of[NOBODY] = NOBODY
    triples = np.unique(np.stack([events.kind, kind_of[events.by], kind_of[events.on]], axis=1), axis=0)
    told = [*kinds, "", None]
    found: dict[str, list[tuple[str | None, str | None]]] = {}
    for event, by, on in triples.tolist():
        found.setdefault(events.kinds[event], []).append((told[by], told[on]))
    return {name: tuple(pairs) for name, pairs in found.items()}


def _fact_of(record: FactRecord) -> Fact:
    return Fact(*record)


def _ints(values: Iterable[int]) -> Ints:
    return np.fromiter(values, np.int64)
