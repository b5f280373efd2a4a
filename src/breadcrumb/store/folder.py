"""The folder of open formats that a trace is kept in."""

import hashlib
import json
import urllib.parse
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from functools import cached_property
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from breadcrumb.errors import NotATrace, TraceError, refuse_other_formats
from breadcrumb.journal.layout import ABOUT_NAME
from breadcrumb.model.facts import Fact
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Events, Ints, Lifetimes, Parameter, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.store.arrow import (
    column_array,
    column_data,
    flag_array,
    float_array,
    int_array,
    ints,
)
from breadcrumb.store.damage import refusing_damage
from breadcrumb.store.event_data import EventData, plain
from breadcrumb.store.locations import Location
from breadcrumb.store.recent import RecentColumns
from breadcrumb.store.tables import events_table, lifetimes_table, parameters_table
from breadcrumb.store.working import WorkingCopy

FORMAT_VERSION = 2
ABOUT = ABOUT_NAME
STATES = "states"
_ROW_GROUP = 1 << 18
_MOST_ROWS = 1 << 27
"""How many samples of a kind are read: a column of as many numbers takes a GB."""
_SMALL = 1 << 20
"""How many values a table may have to be read as a whole."""
_LARGEST_ABOUT = 16 << 20
_LONGEST_NAME = 150
_TOLD = ("wall", "steps", "scale", "paused")
"""What frames may have beside their number and time."""


def write_folder(data: TraceData, folder: Path) -> None:
    """Write a trace as Parquet files and `about.json` into a folder that is empty or not there, and read it all back.

    Raises:
        TraceError: what was read back is not what was written.
    """
    session = data.session
    folder.mkdir(exist_ok=True)
    _write(folder / "frames.parquet", _frames_table(session.clock))
    _write(folder / "lifetimes.parquet", lifetimes_table(session))
    _write(folder / "events.parquet", events_table(session))
    _write(folder / "parameters.parquet", parameters_table(session))
    (folder / STATES).mkdir()
    states = {kind: list(data.columns(kind)) for kind in session.kinds if data.columns(kind)}
    for kind in states:
        _write_kind(data, kind, folder / STATES / _file_name(kind))
    about = {
        "format": FORMAT_VERSION,
        "about": dict(session.about),
        "declared": {
            "events": session.declared_events,
            "kinds": session.declared_kinds,
            "restarts": session.declared_restarts,
        },
        "facts": [asdict(fact) for fact in session.facts],
        "participants": session.participants,
        "states": states,
    }
    (folder / ABOUT).write_text(json.dumps(about, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")


class _Version(msgspec.Struct):
    format: int


class Declared(msgspec.Struct):
    """What a recording declared."""

    events: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    restarts: tuple[str, ...] = ()


class About(msgspec.Struct):
    """What `about.json` says."""

    format: int
    about: dict[str, Any]
    declared: Declared
    facts: tuple[Fact, ...]
    participants: dict[str, tuple[tuple[str | None, str | None], ...]]
    states: dict[str, tuple[str, ...]]
    """The columns of each kind that has any."""


class FolderTrace:
    """A trace of open formats in some place; columns are read when they are asked for, and kept while there is room."""

    def __init__(self, location: Location) -> None:
        self._location = location
        self._recent = RecentColumns()
        self._whole: dict[str, Any] = {}
        """Small tables, which are read at once: opening a file for each of a thousand columns would take seconds."""
        self._about = _read_about(location)

    @cached_property
    def session(self) -> Session:
        """All that is known besides the states."""
        with refusing_damage(self._location.where):
            return self._read_session()

    def _read_session(self) -> Session:
        frames = self._read("frames.parquet")
        clock = _read_clock(frames)
        indices = _Indices(clock)
        lifetimes = _read_lifetimes(self._read("lifetimes.parquet"), indices)
        events = _read_events(self._read("events.parquet"), indices, self._location.path("events.parquet"))
        parameters = self._read("parameters.parquet").to_pylist()
        return Session(
            label=self._location.label,
            about=self._about.about,
            clock=clock,
            lifetimes=lifetimes,
            events=events,
            names=tuple(indices.names),
            kinds=tuple(indices.kinds),
            parameters=tuple(
                Parameter(one["name"], clock.clock_index_at_or_after(one["frame"]), plain(one["value"]), one["unit"])
                for one in parameters
            ),
            declared_events=self._about.declared.events,
            declared_kinds=self._about.declared.kinds,
            declared_restarts=self._about.declared.restarts,
            facts=self._about.facts,
            participants=self._about.participants,
        )

    def columns(self, kind: str) -> Sequence[str]:
        """Return the names of a kind's columns."""
        return self._about.states.get(kind, ())

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the lifetime and the clock index of each of a kind's samples."""
        if not self.columns(kind):
            return np.zeros(0, np.int64), np.zeros(0, np.int64)
        lifetime = self._kept(kind, "lifetime", lambda column: ColumnData(_read_lifetime(column, self.session)))
        clock_index = self._kept(kind, "frame", lambda column: ColumnData(_read_clock_index(column, self.session)))
        return lifetime.values, clock_index.values

    def column(self, kind: str, name: str) -> ColumnData:
        """Return one column."""
        return self._kept(kind, name, column_data)

    def _kept(self, kind: str, name: str, make: Callable[[Any], ColumnData]) -> ColumnData:
        """Return what is made of a column, from the working copy if it is there."""
        column = self._recent.get(kind, name)
        if column is None:
            column = self._read_column(kind, name, make)
            self._recent.put(kind, name, column)
        return column

    def _read_column(self, kind: str, name: str, make: Callable[[Any], ColumnData]) -> ColumnData:
        file = f"{STATES}/{_file_name(kind)}"
        folder = None if file in self._whole else self._location.folder  # a small file has no working copy
        copy = WorkingCopy(folder / file) if folder is not None else None
        column = copy.load(name) if copy is not None else None
        if column is None:
            table = self._read(file, [name])
            if name not in table.column_names:
                raise TraceError(f"{self._location.path(file)}: expected a column {name!r}, found none")
            with refusing_damage(self._location.path(file)):
                column = make(table[name])
            if copy is not None and copy.keep(name, column):
                column = copy.load(name) or column  # mapped, so that the memory can be given up
        return column

    def _read(self, name: str, columns: list[str] | None = None) -> Any:
        if name in self._whole:
            return self._whole[name]
        with refusing_damage(self._location.path(name)), self._location.open(name) as file:
            # read_table would load pandas, which takes longer; threads still at it when a command ends can abort it
            table = pq.ParquetFile(file, page_checksum_verification=True)
            if table.metadata.num_rows > _MOST_ROWS:
                raise ValueError(f"expected at most {_MOST_ROWS} rows, found {table.metadata.num_rows}")
            if columns is None or table.metadata.num_rows * table.metadata.num_columns > _SMALL:
                return table.read(columns=columns, use_threads=False)
            self._whole[name] = table.read(use_threads=False)
            return self._whole[name]


def _file_name(kind: str) -> str:
    """Return a file name that no kind's name can lead out of the folder."""
    name = urllib.parse.quote(kind, safe=" ").replace(".", "%2E")
    if len(name) > _LONGEST_NAME:  # more than file systems take
        name = f"{name[:_LONGEST_NAME]}-{hashlib.sha256(kind.encode()).hexdigest()}"
    return f"{name}.parquet"


def _read_about(location: Location) -> About:
    path = location.path(ABOUT)
    with refusing_damage(path), location.open(ABOUT) as file:
        content = file.read(_LARGEST_ABOUT + 1)
    try:
        if len(content) > _LARGEST_ABOUT:
            raise ValueError(f"more than {_LARGEST_ABOUT} bytes")
        version = msgspec.json.decode(content, type=_Version).format
        if version == FORMAT_VERSION:
            return msgspec.json.decode(content, type=About)
    except (ValueError, RecursionError) as error:
        raise NotATrace(f"{path}: expected the description of a trace, found something else ({error})") from None
    refuse_other_formats(path, version, FORMAT_VERSION)
    raise AssertionError("the format is another one")


def _write(path: Path, columns: Mapping[str, Any]) -> None:
    table = pa.table(dict(columns))
    whole = [name for name in columns if pa.types.is_integer(table.schema.field(name).type)]
    numbers = [name for name in columns if pa.types.is_floating(table.schema.field(name).type)]
    encodings = dict.fromkeys(whole, "DELTA_BINARY_PACKED") | dict.fromkeys(numbers, "BYTE_STREAM_SPLIT")
    texts = [
        name for name in columns if name not in encodings and not pa.types.is_boolean(table.schema.field(name).type)
    ]
    with path.open("wb") as file:  # Arrow by itself opens no path that is not UTF-8
        pq.write_table(
            table,
            file,
            compression="zstd",
            use_dictionary=texts,
            column_encoding=encodings or None,
            row_group_size=_ROW_GROUP,
            write_page_checksum=True,
        )
    with path.open("rb") as file:
        rows = pq.read_metadata(file).num_rows
    if rows != table.num_rows:
        raise TraceError(f"{path}: wrote {table.num_rows} rows and read back another number; is the disk full?")


def _write_kind(data: TraceData, kind: str, path: Path) -> None:
    lifetime, clock_index = data.index(kind)
    columns = {name: data.column(kind, name) for name in data.columns(kind)}
    _write(
        path,
        {
            "lifetime": int_array(lifetime),
            "frame": int_array(data.session.clock.frames[clock_index]),
            **{name: column_array(column) for name, column in columns.items()},
        },
    )
    expected = {"lifetime": _checksum(lifetime)} | {
        name: _checksum(column.values)
        for name, column in columns.items()
        if column.valid is None and column.texts is None  # what stands in place of a missing value is nobody's business
    }
    with path.open("rb") as file, pq.ParquetFile(file) as written:
        for name, due in expected.items():
            found = 0
            for batch in written.iter_batches(batch_size=_ROW_GROUP, columns=[name], use_threads=False):
                back = batch.column(0)
                found = _checksum(ints(back, NOBODY) if name == "lifetime" else column_data(back).values, found)
            if found != due:
                raise TraceError(f"{path}: what was read back is not what was written; is the disk failing?")


def _checksum(values: Any, before: int = 0) -> int:
    return zlib.crc32(np.ascontiguousarray(values).view(np.uint8).data, before) if len(values) else before


def _frames_table(clock: Clock) -> dict[str, Any]:
    told = {"wall": clock.wall, "steps": clock.steps, "scale": clock.scale}
    table = {"frame": int_array(clock.frames), "t": float_array(clock.times)}
    table |= {name: float_array(values, ~np.isnan(values)) for name, values in told.items() if values is not None}
    return table if clock.paused is None else {**table, "paused": flag_array(clock.paused)}


def _read_clock(table: Any) -> Clock:
    told = {name: column_data(table[name]).values for name in _TOLD if name in table.column_names}
    frames, times = ints(table["frame"], NOBODY), column_data(table["t"]).values
    if (np.diff(frames) <= 0).any() or (frames < 0).any() or not np.isfinite(times).all() or (np.diff(times) < 0).any():
        raise ValueError("frames that do not rise, or times that fall")
    return Clock(frames, times, **told)


def _read_lifetime(column: Any, session: Session) -> Ints:
    lifetime = ints(column, NOBODY)
    if len(lifetime) and not (lifetime.min() >= 0 and lifetime.max() < session.lifetimes.size):
        raise ValueError("a sample of a lifetime that the trace does not have")
    if (np.diff(lifetime) < 0).any():
        raise ValueError("samples that are not sorted by their lifetimes")
    return lifetime


def _read_clock_index(column: Any, session: Session) -> Ints:
    frame, frames = ints(column, NOBODY), session.clock.frames
    clock_index = np.searchsorted(frames, frame)
    if len(clock_index) and (clock_index.max() >= session.clock.size or (frames[clock_index] != frame).any()):
        raise ValueError("a sample on a frame that the trace does not have")
    return clock_index


class _Indices:
    """The indices of texts in the session's lists, as they are met."""

    def __init__(self, clock: Clock) -> None:
        self.clock = clock
        self.names: dict[str, int] = {}
        self.kinds: dict[str, int] = {}

    def clock_indices(self, column: Any) -> Ints:
        """Return the clock indices of a column of frame numbers."""
        frames = ints(column, NOBODY)
        found = np.minimum(np.searchsorted(self.clock.frames, frames), max(self.clock.size - 1, 0))
        known = frames == NOBODY if not self.clock.size else (frames == NOBODY) | (self.clock.frames[found] == frames)
        if not known.all() and self.clock.size:
            raise ValueError(f"frame {frames[~known][0]}, which the trace does not have")
        return np.where(frames == NOBODY, NOBODY, found)

    def of(self, column: Any, known: dict[str, int]) -> Ints:
        """Return the indices of a column of texts, adding those not met before."""
        data = column_data(column)
        texts = data.texts or ()
        used = np.unique(data.values if data.valid is None else data.values[data.valid])
        place = np.full(len(texts) + 1, NOBODY)
        for code in used:
            place[code] = known.setdefault(texts[code], len(known))
        return place[data.values] if data.valid is None else np.where(data.valid, place[data.values], NOBODY)


def _read_lifetimes(table: Any, indices: _Indices) -> Lifetimes:
    name, kind = indices.of(table["id"], indices.names), indices.of(table["kind"], indices.kinds)
    if (name == NOBODY).any() or (kind == NOBODY).any():
        raise ValueError("a lifetime without an id or a kind")
    return Lifetimes(
        name=name,
        kind=kind,
        parent=indices.of(table["parent"], indices.names),
        appear=indices.clock_indices(table["appear_frame"]),
        first=indices.clock_indices(table["first_frame"]),
        last=indices.clock_indices(table["last_frame"]),
        leave=indices.clock_indices(table["leave_frame"]),
    )


def _read_events(table: Any, indices: _Indices, where: Path | str) -> Events:
    kinds: dict[str, int] = {}
    clock_index, kind = indices.clock_indices(table["frame"]), indices.of(table["name"], kinds)
    if (kind == NOBODY).any() or (np.diff(clock_index) < 0).any():
        raise ValueError("an event without a name, or events that are not in the order of frames")
    return Events(
        clock_index=clock_index,
        order=ints(table["order"], NOBODY),
        kind=kind,
        kinds=tuple(kinds),
        by=indices.of(table["by"], indices.names),
        on=indices.of(table["on"], indices.names),
        data=EventData(table["data"].to_pylist(), where),
        late=column_data(table["late"]).values,
    )
