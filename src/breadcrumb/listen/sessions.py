"""From frame lines to a journal: what is known of each object, and what of it goes into a frame."""

import hmac
import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.records import ClockRecord, DeclareRecord, EventRecord, ParameterRecord, RestartsRecord
from breadcrumb.journal.state import STANDING_EVERY, RecordingState
from breadcrumb.journal.writing import JournalWriter
from breadcrumb.listen.kinds import Kind, Unfit
from breadcrumb.listen.lines import FIRST, LAST, VERSION, Appear, BadLine, Columns, Decoder, Happening, Line
from breadcrumb.model.facts import LOST_FRAMES, UNKNOWN_FIELD
from breadcrumb.record.conventions import wrong_convention
from breadcrumb.record.plain import plain_data

_PARENT = "parent"
_MOST_KINDS = 4096
MOST_SAMPLES = 1 << 27
"""How many samples a session may have, one for each object and frame: more would not fit into memory when opened."""


class SessionWriter:
    """Writes the frame lines of one session into a trace's journal.

    Args:
        place: given what is known of the session, says which folder to make for its trace.
        token: the secret that the first line must present; none if it is empty.

    Example:
        >>> import tempfile
        >>> from breadcrumb.trace.opened import open_trace
        >>> path = Path(tempfile.mkdtemp()) / "it.crumbs"
        >>> writer = SessionWriter(lambda about: path)
        >>> for line in (
        ...     b'{"breadcrumb": 2, "about": {"game": "Lantern Bay"}}',
        ...     b'{"frame": 0, "t": 0, "appear": [{"id": "heron", "kind": "skiff"}], "state": {"heron": {"x": 1}}}',
        ...     b'{"frame": 1, "t": 0.1}',
        ...     b'{"end": true}',
        ... ):
        ...     writer.take(line)
        >>> writer.close()
        >>> open_trace(path).one("skiff").x.values.tolist()
        [1.0, 1.0]
    """

    def __init__(self, place: Callable[[Mapping[str, Any]], Path], token: str = "") -> None:
        self._place, self._token = place, token
        self.path: Path | None = None
        self._decoder = Decoder()
        self._journal: JournalWriter | None = None
        self._kinds: dict[str, Kind] = {}
        self._who: dict[str, Kind] = {}
        self._state = RecordingState()
        self._number = 0
        self._frame, self._t = -1, -math.inf
        self._samples = 0
        self._until_standing = STANDING_EVERY
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
            raise self._bad("expected nothing after the line that ends the session, found another line")
        decoded = self._decoder.decode(self._number, line)
        if self._journal is None:
            self._begin(decoded)
            self._decoder.count_misplaced(line, "first", FIRST)
        elif decoded.end:
            self.ended = True
            self._decoder.count_misplaced(line, "last", LAST)
            self._take_facts(decoded)
        else:
            self._take_frame(decoded, self._journal)

    @property
    def written(self) -> int:
        """How many bytes the trace has so far."""
        return 0 if self._journal is None else self._journal.size

    def close(self) -> None:
        """Seal the trace if the session ended; a session that broke off leaves a trace that says so."""
        if self._journal is None:
            return
        for name, count in self._decoder.unknown.items():
            self._state.fact(UNKNOWN_FIELD, property=name, count=count)
        journal, self._journal = self._journal, None
        if self.ended:
            journal.seal(facts=self._state.facts)
        else:
            journal.abandon()

    # Lines

    def _begin(self, line: Line) -> None:
        if line.breadcrumb is None:
            raise self._bad('expected a first line such as {"breadcrumb": 2, "about": {...}}, found another one')
        if not 1 <= line.breadcrumb <= VERSION:
            raise self._bad(f"expected frame lines of version 1 to {VERSION}, found {line.breadcrumb}, at breadcrumb")
        if self._token and not hmac.compare_digest((line.token or "").encode(), self._token.encode()):
            found = "none" if line.token is None else "another one"
            raise self._bad(f"expected the token that this listener was started with, found {found}, at token")
        self._decoder.version = line.breadcrumb
        about = dict(line.about or {})
        if problem := wrong_convention(about):
            raise self._bad(f"{problem}, in about")
        declare = about.pop("declare", None)
        if declare is not None:
            self._declare(declare)
        self.path = self._place(about)
        self.path.mkdir(parents=True)
        self._journal = JournalWriter(str(self.path / FILE_NAME), about)

    def _declare(self, declare: Any) -> None:
        names = ("events", "kinds", "restarts")
        lists = [declare.get(name, []) if isinstance(declare, dict) else None for name in names]
        if not all(isinstance(one, list) and all(isinstance(name, str) for name in one) for one in lists):
            raise self._bad("expected lists of texts under events, kinds and restarts, at about.declare")
        events, kinds, restarts = (one or [] for one in lists)
        self._state.records.append(DeclareRecord([*events, *(one for one in restarts if one not in events)], kinds))
        if restarts:
            self._state.records.append(RestartsRecord(restarts))

    def _take_frame(self, line: Line, journal: JournalWriter) -> None:
        if line.frame is None or line.t is None:
            raise self._bad("expected frame and t, or end, found neither")
        if line.frame <= self._frame:
            raise self._bad(
                f"expected a number above {self._frame}, as frame numbers rise; found {line.frame}, at frame"
            )
        if not math.isfinite(line.t) or line.t < self._t:
            raise self._bad(f"expected {self._t} or later, as time never falls; found {line.t}, at t")
        before, after = self._sort_leaves(line)
        self._leave(before)
        for one in line.appear:
            self._appear(one, seen=self._frame >= 0 or one.id in after)
        self._take_states(line)
        self._leave(after)
        records = self._state.records
        records += [ParameterRecord(one.name, one.value, one.unit) for one in line.parameters]
        records += [self._event(one) for one in line.events]
        clock = [line.wall, line.steps, line.scale, line.paused]
        if any(told is not None for told in clock):
            records.append(ClockRecord(*clock))  # type: ignore[arg-type]
        unsampled = self._unsampled(line)
        self._until_standing -= 1
        if self._until_standing <= 0:
            records += self._state.standing()
            self._until_standing = STANDING_EVERY
            for kind in self._kinds.values():
                kind.retell()
        blocks = [
            block for kind in self._kinds.values() for block in kind.blocks(self._state.new_table, unsampled[kind.name])
        ]
        self._samples += len(self._who)
        if self._samples > MOST_SAMPLES:
            raise self._bad(f"expected at most {MOST_SAMPLES} samples in a session, found more: cut it into several")
        journal.write_frame(line.frame, line.t, self._state.take(), blocks)
        self._frame, self._t = line.frame, line.t
        self.frames += 1

    def _event(self, one: Happening) -> EventRecord:
        try:
            return EventRecord(one.name, one.by, one.on, None if one.data is None else plain_data(one.data), one.late)
        except (OverflowError, ValueError, RecursionError) as error:
            raise self._bad(
                f"expected data that can be kept, found some that cannot ({error}), at events.data"
            ) from None

    def _sort_leaves(self, line: Line) -> tuple[list[str], list[str]]:
        """Return who leaves before others appear, and who appears on this frame only to leave on it."""
        appearing = {one.id for one in line.appear}
        if len(set(line.leave)) < len(line.leave):
            raise self._bad("expected each id once, found one twice, at leave")
        for id in line.leave:
            if id not in self._who and id not in appearing:
                raise self._bad(f"expected the id of an object that is there, found {id!r}, at leave")
        return [id for id in line.leave if id in self._who], [id for id in line.leave if id not in self._who]

    # Objects

    def _appear(self, one: Appear, *, seen: bool) -> None:
        if one.id in self._who:
            raise self._bad(f"expected an id that is not there yet, found {one.id!r}, at appear; let it leave first")
        if one.kind not in self._kinds:
            if len(self._kinds) == _MOST_KINDS:
                raise self._bad(f"expected at most {_MOST_KINDS} kinds in a session, found one more, at appear")
            self._kinds[one.kind] = Kind(one.kind, self._state.text_code)
        kind = self._who[one.id] = self._kinds[one.kind]
        kind.add(one.id, self._state.appears(one.id, one.kind, seen=seen, parent=one.parent))
        if one.parent is not None:
            self._set(kind, _PARENT, [one.id], [one.parent])

    def _leave(self, ids: Iterable[str]) -> None:
        for id in ids:
            self._who.pop(id).remove(id)
            self._state.leaves(id)

    def _take_states(self, line: Line) -> None:
        """Set what changed, one property at a time of all objects of a kind that tell the same ones."""
        told: dict[tuple[str, tuple[str, ...]], tuple[list[str], list[Iterable[Any]]]] = {}
        for id, properties in line.state.items():
            kind = self._who.get(id)
            if kind is None:
                raise self._bad(f"expected the id of an object that appeared, found {id!r}, at state")
            key = kind.name, tuple(properties)
            if key not in told:
                told[key] = [], []
            told[key][0].append(id)
            told[key][1].append(properties.values())
        for (name, props), (ids, rows) in told.items():
            for prop, values in zip(props, zip(*rows, strict=True), strict=True):
                self._set(self._kinds[name], prop, ids, values)
        for name, columns in line.columns.items():
            self._take_columns(name, columns)

    def _take_columns(self, name: str, columns: Columns) -> None:
        ids = columns.ids
        for id in ids:
            if id not in self._who or self._who[id].name != name:
                raise self._bad(f"expected the id of a {name} that appeared, found {id!r}, at columns.{name}.ids")
        for prop, values in columns.values.items():
            if len(values) != len(ids):
                where = f"columns.{name}.values.{prop}"
                raise self._bad(f"expected {len(ids)} values, one for each id, found {len(values)}, at {where}")
            if values:
                self._set(self._kinds[name], prop, ids, values)

    def _set(self, kind: Kind, prop: str, ids: Sequence[str], values: Sequence[Any]) -> None:
        where = f"state.{ids[0]}.{prop}"
        if not prop:
            raise self._bad(f"expected the name of a property, found an empty text, at {where}")
        try:
            kind.set([kind.rows[id] for id in ids], prop, values)
        except Unfit:  # find out whose value it is
            for id, value in zip(ids, values, strict=True):
                try:
                    kind.set([kind.rows[id]], prop, [value])
                except Unfit as unfit:
                    raise self._bad(f"{unfit}, at state.{id}.{prop}") from None
            raise

    def _unsampled(self, line: Line) -> dict[str, set[str]]:
        """Return, for each kind, the objects that were not looked at."""
        unsampled: dict[str, set[str]] = {name: set() for name in self._kinds}
        for name in line.unsampled:
            if name in self._who:
                unsampled[self._who[name].name].add(name)
            elif name in self._kinds:
                unsampled[name].update(self._kinds[name].rows)
            else:
                raise self._bad(f"expected an object or kind that appeared, found {name!r}, at unsampled")
        return unsampled

    def _take_facts(self, line: Line) -> None:
        if line.lost:
            self._state.fact(LOST_FRAMES, count=line.lost)
        for one in line.facts:
            self._state.fact(one.code, kind=one.kind, property=one.property, detail=one.detail, count=one.count)

    def _bad(self, problem: str) -> BadLine:
        return BadLine(self._number, problem)
