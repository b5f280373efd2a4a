"""The state of a recorder: names of objects, what was told once and still holds, and what went wrong."""

from collections import Counter
from collections.abc import Collection
from enum import Enum
from types import CodeType, FrameType
from typing import Any, Protocol

from breadcrumb.errors import BreadcrumbError, Misuse
from breadcrumb.journal.records import AppearRecord, DeclareRecord, ParameterRecord, Record, RestartsRecord, ShapeRecord
from breadcrumb.journal.state import RecordingState
from breadcrumb.record.plain import plain_text, words_of
from breadcrumb.record.readers import Reader, fetch
from breadcrumb.record.shapes import Shape


class Crowd(Protocol):
    """Objects among which the recorder looks for one that an event or a child names."""

    def name_of(self, thing: Any) -> str | None:
        """Return the id of an object that is there, or left on this frame; None if it is not one of these."""


class RecorderState(RecordingState):
    """Names lifetimes, keeps what holds in later parts of the recording too, and counts what could not be recorded.

    Args:
        strict: raise what would only be counted.
    """

    def __init__(self, strict: bool) -> None:
        super().__init__()
        self._strict = strict
        self.crowds: list[Crowd] = []
        self.began = False
        """Whether a frame was recorded, so that what is new from now on was seen to appear."""
        self._standing: dict[tuple[str, ...], Record] = {}
        self._sights: Counter[str] = Counter()

    def begins(
        self, kind: str, thing: Any, id_reader: Reader | None, *, made: bool = False, parent: str | None = None
    ) -> tuple[int, str]:
        """Begin a lifetime under the name that the reader gives, else a numbered one; return its number and name."""
        self._sights[kind] += 1
        name = f"{kind}-{self._sights[kind]}"
        if id_reader is not None:
            try:
                name = plain_text(fetch(id_reader, thing)) or name
            except Exception as error:  # the game's own code may raise anything; the object is recorded all the same
                words = f"recorded as {name}: {words_of(error)}"
                self.trouble("id-unreadable", words, kind=kind, detail=type(error).__name__)
        if name in self.alive:
            double = next(f"{name}~{n}" for n in range(2, len(self.alive) + 3) if f"{name}~{n}" not in self.alive)
            words = f"two objects have the id {name} at the same time; one is recorded as {double}"
            self.trouble("id-twice", words, kind=kind, detail=name)
            name = double
        return self.appears(name, kind, seen=made or self.began, parent=parent), name

    def stands(self, key: tuple[str, ...], record: Record) -> None:
        """Note what holds until it is noted again, in later parts of the recording too."""
        self._standing[key] = record
        self.records.append(record)

    def has_shape(self, kind: str, shape: Shape | None) -> None:
        """Note what body the objects of a kind have, if it is told.

        Raises:
            Misuse: they have another one already.
        """
        if shape is None:
            return
        record = ShapeRecord(kind, shape.as_data())
        if self._standing.setdefault(("shape", kind), record) != record:
            raise Misuse(f"shape: expected one for all of the kind {kind}, found {shape} and another one before")
        self.records.append(record)

    def name_of(self, thing: Any) -> str | None:
        """Return the id of a watched object; a text, a whole number or a member of an enumeration is an id already."""
        if thing is None:
            return None
        if isinstance(thing, str | int | Enum):
            return plain_text(thing)
        for crowd in self.crowds:
            name = crowd.name_of(thing)
            if name is not None:
                return name
        words = f"an object of type {type(thing).__name__} is not watched; give its id as text"
        self.trouble("unwatched-named", words, detail=type(thing).__name__)
        return None

    def recover(self, named: Collection[str]) -> None:
        """Put in order what an interrupted frame left: objects that no group holds are gone, or never were there."""
        for id in [id for id in self.alive if id not in named]:
            number = self.alive[id]
            pending = [one for one in self.records if isinstance(one, AppearRecord) and one.lifetime == number]
            if pending:
                self.records = [one for one in self.records if getattr(one, "lifetime", None) != number]
                del self.alive[id]
            else:
                self.leaves(id)

    def trouble(self, code: str, words: str, *, kind: str = "", property: str = "", detail: str = "") -> None:
        """Count something that could not be recorded, and log the first of its sort."""
        what = ".".join(part for part in (kind, property) if part)
        said = f"{code}{f' {what}' if what else ''}{f' ({detail})' if detail else ''}: {words}"
        first = self.fact(code, kind=kind, property=property, detail=detail)
        if self._strict:
            raise BreadcrumbError(said)
        if first:
            self.warn(said)

    def warn(self, words: str) -> None:
        """Log something."""
        import logging  # here: a game that gives no trouble does not pay for it

        logging.getLogger("breadcrumb.record").warning("%s", words)

    def next_part(self) -> None:
        """Begin anew for another part of the recording: numbers from 0, and the records that still stand."""
        self.restart(list(self._standing.values()))
        self.began = False

    def left_over(self) -> list[Record]:
        """Return what was noted since the last frame; before the first one, lifetimes have no frame to belong to."""
        return [
            one
            for one in self.records
            if self.began or isinstance(one, ParameterRecord | DeclareRecord | RestartsRecord | ShapeRecord)
        ]


def is_under_way(code: CodeType, recorder: object, call: FrameType | None) -> bool:
    """Tell whether a call of a recorder's method, by its code, is further up; one that was interrupted is not."""
    while call is not None and not (call.f_code is code and call.f_locals.get("self") is recorder):
        call = call.f_back
    return call is not None
