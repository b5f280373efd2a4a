"""From frame lines to a journal: what is known of each object, and what of it goes into a frame."""

import math
import struct
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from breadcrumb.journal.layout import (
    BLOCK_HEAD,
    CODES_HEAD,
    FILE_NAME,
    HAS_CODES,
    HAS_LIVES,
    HAS_NUMBERS,
    MISSING,
    MISSING_FLAG,
    MISSING_TEXT,
    Column,
    ColumnType,
)
from breadcrumb.journal.writing import JournalWriter
from breadcrumb.listen.lines import VERSION, Appear, BadLine, Decoder, Line, Value

_PARTS = "xyzw"
_NAMED_NUMBERS = {"NaN": math.nan, "Infinity": math.inf, "-Infinity": -math.inf}


@dataclass(slots=True)
class _Thing:
    """An object that is alive, with what is known of it."""

    life: int
    kind: str
    values: dict[str, float | int] = field(default_factory=dict)
    """The value of each column: a number, a flag, or the code of a text."""


@dataclass(slots=True)
class _Kind:
    """All objects of one kind, and the columns seen so far."""

    columns: dict[str, ColumnType] = field(default_factory=dict)
    things: dict[str, _Thing] = field(default_factory=dict)
    table: int | None = None
    """The table that holds these columns; None until it is noted."""
    stale: int | None = None
    """A former table, whose rows must be taken back."""
    changed: bool = False


class SessionWriter:
    """Writes the frame lines of one session into a trace's journal.

    Args:
        place: given what is known of the session, says which folder to make for its trace.

    Example:
        >>> import tempfile
        >>> from breadcrumb.trace.opened import open_trace
        >>> path = Path(tempfile.mkdtemp()) / "it.crumbs"
        >>> writer = SessionWriter(lambda about: path)
        >>> for line in (
        ...     b'{"breadcrumb": 1, "about": {"game": "Lantern Bay"}}',
        ...     b'{"frame": 0, "t": 0, "appear": [{"id": "heron", "kind": "skiff"}], "state": {"heron": {"x": 1}}}',
        ...     b'{"frame": 1, "t": 0.1}',
        ...     b'{"end": true}',
        ... ):
        ...     writer.take(line)
        >>> writer.close()
        >>> open_trace(path).one("skiff").x.values.tolist()
        [1.0, 1.0]
    """

    def __init__(self, place: Callable[[Mapping[str, Any]], Path]) -> None:
        self._place = place
        self.path: Path | None = None
        self._decoder = Decoder()
        self._journal: JournalWriter | None = None
        self._kinds: dict[str, _Kind] = {}
        self._who: dict[str, _Thing] = {}
        self._texts: dict[str, int] = {}
        self._notes: list[Any] = []
        self._lives = self._tables = self._number = 0
        self._frame, self._t = -1, -math.inf
        self.frames = 0
        self.ended = False

    def take(self, line: bytes) -> None:
        """Take the next line; empty ones are passed over.

        Raises:
            BadLine: it cannot be understood, or comes where it may not. The frames before it are kept.
        """
        self._number += 1
        if not line.strip():
            return
        if self.ended:
            raise self._bad("expected nothing behind the line that ends the session, found another line")
        decoded = self._decoder.decode(self._number, line)
        if self._journal is None:
            self._begin(decoded)
        elif decoded.end:
            self.ended = True
        else:
            self._take_frame(decoded, self._journal)

    def close(self) -> None:
        """Seal the trace if the session ended; a session that broke off leaves a trace that says so."""
        if self._journal is None:
            return
        unknown = {f"field {name!r} is not known and was passed over": n for name, n in self._decoder.unknown.items()}
        if self.ended:
            self._journal.seal(troubles=unknown, late=[])
        else:
            self._journal.abandon()
        self._journal = None

    # Lines

    def _begin(self, line: Line) -> None:
        if line.breadcrumb is None:
            raise self._bad('expected a first line such as {"breadcrumb": 1, "about": {...}}, found another one')
        if not 1 <= line.breadcrumb <= VERSION:
            raise self._bad(f"expected frame lines of version 1 to {VERSION}, found {line.breadcrumb}, at breadcrumb")
        about = dict(line.about or {})
        declare = about.pop("declare", None)
        if declare is not None:
            lists = [declare.get(name, []) if isinstance(declare, dict) else None for name in ("events", "kinds")]
            if not all(isinstance(names, list) and all(isinstance(name, str) for name in names) for names in lists):
                raise self._bad("expected lists of texts under events and kinds, at about.declare")
            self._notes.append(["declare", *lists])
        self.path = self._place(about)
        self.path.mkdir(parents=True)
        self._journal = JournalWriter(str(self.path / FILE_NAME), about)

    def _take_frame(self, line: Line, journal: JournalWriter) -> None:
        if line.frame is None or line.t is None:
            raise self._bad("expected frame and t, or end, found neither")
        if line.frame <= self._frame:
            raise self._bad(
                f"expected a number above {self._frame}, as frame numbers rise; found {line.frame}, at frame"
            )
        if not math.isfinite(line.t) or line.t < self._t:
            raise self._bad(f"expected {self._t} or later, as time never falls; found {line.t}, at t")
        seen = self._frame >= 0
        before, after = self._sort_leaves(line)
        self._leave(before)
        for one in line.appear:
            self._appear(one, seen=seen)
        for id, properties in line.state.items():
            self._update(id, properties)
        self._leave(after)
        self._notes += [["parameter", one.name, one.value, one.unit] for one in line.parameters]
        self._notes += [["event", one.name, one.by, one.on, one.data, one.late] for one in line.events]
        blocks = [block for name, kind in self._kinds.items() for block in self._blocks(name, kind)]
        notes, self._notes = self._notes, []
        journal.write_frame(line.frame, line.t, notes, blocks)
        self._frame, self._t = line.frame, line.t
        self.frames += 1

    def _sort_leaves(self, line: Line) -> tuple[list[str], list[str]]:
        """Return who leaves before others appear, and who appears on this frame only to leave on it."""
        appearing = {one.id for one in line.appear}
        for id in line.leave:
            if id not in self._who and id not in appearing:
                raise self._bad(f"expected the id of an object that is there, found {id!r}, at leave")
        return [id for id in line.leave if id in self._who], [id for id in line.leave if id not in self._who]

    # Objects

    def _appear(self, one: Appear, *, seen: bool) -> None:
        if one.id in self._who:
            raise self._bad(f"expected an id that is not there yet, found {one.id!r}, at appear; let it leave first")
        thing = _Thing(self._lives, one.kind)
        self._lives += 1
        kind = self._kinds.setdefault(one.kind, _Kind())
        kind.things[one.id] = self._who[one.id] = thing
        kind.changed = True
        self._notes.append(["appear", thing.life, one.id, one.kind, one.parent, seen])

    def _leave(self, ids: Iterable[str]) -> None:
        for id in ids:
            thing = self._who.pop(id)
            kind = self._kinds[thing.kind]
            del kind.things[id]
            kind.changed = True
            self._notes.append(["leave", thing.life])

    def _update(self, id: str, properties: dict[str, Value]) -> None:
        thing = self._who.get(id)
        if thing is None:
            raise self._bad(f"expected the id of an object that appeared, found {id!r}, at state")
        kind = self._kinds[thing.kind]
        kind.changed = True
        for name, value in properties.items():
            where = f"state.{id}.{name}"
            if not name.isidentifier() or name in ("life", "frame"):
                raise self._bad(f"expected a name of letters and digits other than life and frame, at {where}")
            self._set(kind, thing, name, value, where)

    def _set(self, kind: _Kind, thing: _Thing, name: str, value: Value, where: str) -> None:
        if value is None:
            for column, sort in kind.columns.items():
                if column.split(".")[0] == name:
                    thing.values[column] = _missing(sort)
        elif isinstance(value, list):
            if not 2 <= len(value) <= len(_PARTS):
                raise self._bad(f"expected two to four numbers, found {len(value)}, at {where}")
            for part, one in zip(_PARTS, value, strict=False):
                self._set_column(kind, thing, f"{name}.{part}", one, where, "number")
        else:
            self._set_column(kind, thing, name, value, where, self._sort_of(value, kind.columns.get(name)))

    def _sort_of(self, value: float | str, known: ColumnType | None) -> ColumnType:
        if isinstance(value, bool):
            return "flag"
        if isinstance(value, str) and not (known == "number" and value in _NAMED_NUMBERS):
            return "text"
        return "number"

    def _set_column(self, kind: _Kind, thing: _Thing, column: str, value: Any, where: str, type: ColumnType) -> None:
        known = kind.columns.get(column)
        if known is None:
            clash = next((other for other in kind.columns if other.split(".")[0] == column.split(".")[0]), column)
            if ("." in clash) != ("." in column):
                raise self._bad(f"expected the same sort of value as before, found another number of parts, at {where}")
            kind.columns[column] = type
            kind.stale, kind.table = kind.table if kind.table is not None else kind.stale, None
        elif known != type:
            raise self._bad(f"expected a {known}, as before, found a {type}, at {where}")
        thing.values[column] = self._stored(value, type, where)

    def _stored(self, value: Any, type: ColumnType, where: str) -> float | int:
        if value is None:
            return _missing(type)
        if type == "flag":
            return int(value)
        if type == "number":
            if isinstance(value, str):
                if value not in _NAMED_NUMBERS:
                    raise self._bad(f"expected a number, NaN, Infinity or -Infinity, found {value!r}, at {where}")
                return _NAMED_NUMBERS[value]
            try:
                return float(value)
            except OverflowError:
                raise self._bad(f"expected a number that fits 64 bits, found a larger one, at {where}") from None
        if value not in self._texts:
            self._texts[value] = len(self._texts)
            self._notes.append(["text", self._texts[value], value])
        return self._texts[value]

    # Blocks

    def _blocks(self, name: str, kind: _Kind) -> Iterable[list[bytes]]:
        if not kind.changed:
            return
        kind.changed = False
        if kind.stale is not None:
            yield [BLOCK_HEAD.pack(kind.stale, HAS_LIVES, 0)]
            kind.stale = None
        numbers = [column for column, type in kind.columns.items() if type == "number"]
        codes = [(column, type) for column, type in kind.columns.items() if type != "number"]
        if kind.table is None:
            kind.table, self._tables = self._tables, self._tables + 1
            columns = [Column(column, "number") for column in numbers] + [Column(*one) for one in codes]
            self._notes.append(["table", kind.table, name, columns])
        things = list(kind.things.values())
        parts = [struct.pack(f"<{len(things)}I", *[thing.life for thing in things])]
        holds = HAS_LIVES
        if numbers:
            holds |= HAS_NUMBERS
            values = [thing.values.get(column, MISSING) for thing in things for column in numbers]
            parts.append(struct.pack(f"<{len(values)}d", *values))
        if codes:
            holds |= HAS_CODES
            parts.append(CODES_HEAD.pack(len(codes)))
            for place, (column, type) in enumerate(codes):
                stored = [int(thing.values.get(column, _missing(type))) for thing in things]
                parts.append(CODES_HEAD.pack(place))
                parts.append(bytes(stored) if type == "flag" else struct.pack(f"<{len(stored)}I", *stored))
        yield [BLOCK_HEAD.pack(kind.table, holds, len(things)), *parts]

    def _bad(self, problem: str) -> BadLine:
        return BadLine(self._number, problem)


def _missing(type: ColumnType) -> float | int:
    if type == "number":
        return float(MISSING)
    return MISSING_FLAG if type == "flag" else MISSING_TEXT
