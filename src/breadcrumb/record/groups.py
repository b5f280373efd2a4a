"""Groups: the objects of one kind that are read in the same way, and what of them goes into a frame."""

import contextlib
import operator
import struct
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, NamedTuple, Protocol

from breadcrumb.journal.layout import (
    BLOCK_HEAD,
    CODES_HEAD,
    HAS_CODES,
    HAS_LIVES,
    HAS_NUMBERS,
    MISSING,
    MISSING_FLAG,
    MISSING_TEXT,
    Column,
)
from breadcrumb.record.readers import Property, Reader, Readers, compile_read, fetch, look_at


class Book(Protocol):
    """What a group asks of its recorder."""

    notes: list[Any]
    """The notes of the frame in hand."""

    def new_life(self, kind: str, thing: Any, id_reader: Reader | None) -> tuple[int, str]:
        """Begin a life: its number and the id of its object."""

    def end_life(self, life: int, name: str) -> None:
        """End a life."""

    def new_table(self) -> int:
        """Give the next free table number."""

    def text_code(self, text: str) -> int:
        """Give the code of a text, noting it when it is new."""

    def trouble(self, sort: str, words: str) -> None:
        """Count something that could not be recorded, and say the first of its sort."""


class Member(NamedTuple):
    """An object that is alive now; held, so that its address cannot be given to another."""

    thing: Any
    life: int
    name: str


class Watched(Protocol):
    """What a recorder asks of the objects that it watches."""

    @property
    def members(self) -> dict[int, Member]:
        """The objects that are alive, by their address."""

    @property
    def gone(self) -> dict[int, Member]:
        """The objects that left on this frame, by their address."""

    def block(self) -> list[bytes]:
        """Read this frame's objects; return the packed block in parts, none if nothing changed."""

    def unsampled(self) -> list[bytes]:
        """Return the block that says that no object was read on this frame; their lives go on."""


class Group:
    """All objects that one call of `watch_each` yields, or that calls of `watch` with equal readers named."""

    def __init__(
        self,
        book: Book,
        kind: str,
        source: Callable[[], Iterable[Any]],
        id_reader: Reader | None,
        wanted: dict[str, Readers],
    ) -> None:
        self._book, self._kind, self._source, self._id_reader = book, kind, source, id_reader
        self._wanted = wanted
        self._things: list[Any] = []
        self._plain = True
        self.members: dict[int, Member] = {}
        self.gone: dict[int, Member] = {}
        self._table: int | None = None
        self._numbers: tuple[Property, ...] = ()
        self._columns: list[_CodeColumn] = []
        self._read: Callable[[Sequence[Any]], tuple[bytes, list[Any]]] = lambda things: (b"", [])
        self._lives = self._packed = b""
        self._codes: list[Any] | None = None

    def block(self) -> list[bytes]:
        """Read this frame's objects; return the packed block in parts, none if nothing changed."""
        things = list(self._source())
        if self.gone:
            self.gone = {}
        # identity is what counts; where no object has an `==` of its own, comparing the lists is the quicker way to it
        moved = things != self._things if self._plain else not _same_objects(things, self._things)
        if moved:
            things = self._meet(things)
        if self._table is None:
            if not things:
                return []
            self._lay_out(things)
        return self._pack(things, moved)

    def unsampled(self) -> list[bytes]:
        """Return the block that says that no object was read on this frame; their lives go on."""
        self._things = []
        return [] if self._table is None else [BLOCK_HEAD.pack(self._table, HAS_LIVES, 0)]

    def _meet(self, things: list[Any]) -> list[Any]:
        """Begin and end lives so that the members are these objects; drop an object that is listed twice."""
        now: dict[int, Any] = {id(thing): thing for thing in things}
        if len(now) < len(things):
            self._book.trouble(f"{self._kind} listed twice", "an object is listed twice on one frame; recorded once")
            things = list(now.values())
        for address in [address for address in self.members if address not in now]:
            member = self.gone[address] = self.members.pop(address)
            self._book.end_life(member.life, member.name)
        for address, thing in now.items():
            if address not in self.members:
                self.members[address] = Member(thing, *self._book.new_life(self._kind, thing, self._id_reader))
        self._things = things
        self._plain = all(_equal_of(thing) is _equal_of(_ANY) for thing in things)
        self._lives = struct.pack(f"<{len(things)}I", *[self.members[id(thing)].life for thing in things])
        return things

    def _lay_out(self, things: list[Any]) -> None:
        """Settle the columns at the first sight of an object, and compile what reads them."""
        properties = [look_at(name, readers, things) for name, readers in self._wanted.items()]
        self._numbers = tuple(prop for prop in properties if prop.columns[0].type == "number")
        codes = [prop for prop in properties if prop.columns[0].type != "number"]
        self._columns = [_CodeColumn(prop, self._kind, self._book) for prop in codes]
        self._read = compile_read(self._numbers, codes)
        self._table = self._book.new_table()
        columns: list[Column] = [column for prop in (*self._numbers, *codes) for column in prop.columns]
        self._book.notes.append(["table", self._table, self._kind, columns])

    def _pack(self, things: list[Any], moved: bool) -> list[bytes]:
        codes: list[Any] | None
        try:
            numbers, codes = self._read(things)
        except Exception:  # the game's own code may raise anything; look again, value by value
            numbers, codes = b"".join(self._numbers_one_by_one(things)), None
        holds, parts = 0, [b""]
        if moved:
            holds = HAS_LIVES
            parts.append(self._lives)
        if numbers != self._packed or (moved and numbers):
            holds |= HAS_NUMBERS
            parts.append(numbers)
            self._packed = numbers
        changed = self._changed_codes(things, codes, moved)
        if changed:
            holds |= HAS_CODES
            parts.append(changed)
        if not holds:
            return []
        parts[0] = BLOCK_HEAD.pack(self._table, holds, len(things))
        return parts

    def _changed_codes(self, things: list[Any], codes: list[Any] | None, moved: bool) -> bytes:
        """Return the packed flag and text columns that changed, behind their number; empty if none did.

        What was read of them is None if reading failed; then each is read again by itself.
        """
        if codes is not None and codes == self._codes and not moved:
            return b""
        width = len(self._columns)
        columns = [None if codes is None else codes[place::width] for place in range(width)]
        self._codes = codes
        packed = [column.changed(things, values, moved) for column, values in zip(self._columns, columns, strict=True)]
        changed = [CODES_HEAD.pack(place) + one for place, one in enumerate(packed) if one is not None]
        return b"".join((CODES_HEAD.pack(len(changed)), *changed)) if changed else b""

    def _numbers_one_by_one(self, things: list[Any]) -> Iterator[bytes]:
        for thing in things:
            for prop in self._numbers:
                try:
                    values = [MISSING if value is None else float(value) for value in prop.read(thing)]
                    if len(values) != len(prop.columns):
                        raise ValueError(f"expected {len(prop.columns)} values, found {len(values)}")
                except Exception as error:  # as above; this value is missing and counted
                    if not _reads_none(prop, thing):
                        self._book.trouble(*_cannot_read(self._kind, prop.name, error))
                    values = [MISSING] * len(prop.columns)
                yield struct.pack(f"<{len(values)}d", *values)


class _CodeColumn:
    """A flag or text column, packed only on the frames on which it changes."""

    def __init__(self, prop: Property, kind: str, book: Book) -> None:
        self._prop, self._kind, self._book = prop, kind, book
        self.column = prop.columns[0]
        self._last: list[int] = []
        self._codes: dict[Any, int] = {True: 1, False: 0} if self.column.type == "flag" else {}

    def changed(self, things: list[Any], values: list[Any] | None, moved: bool) -> bytes | None:
        """Return the packed column, or None if it is as on the frame before; the values are None if reading failed."""
        codes = None
        if values is not None:
            with contextlib.suppress(KeyError, TypeError):  # an unseen text, a missing value, or something else
                codes = [self._codes[value] for value in values]
        if codes is None:
            codes = [self._code(thing) for thing in things]
        if codes == self._last and not moved:
            return None
        self._last = codes
        return bytes(codes) if self.column.type == "flag" else struct.pack(f"<{len(codes)}I", *codes)

    def _code(self, thing: Any) -> int:
        missing = MISSING_FLAG if self.column.type == "flag" else MISSING_TEXT
        try:
            value = fetch(self._prop.readers, thing)
            if value is None:
                return missing
            if self.column.type == "flag":
                return int(bool(value))
            if not isinstance(value, str):
                raise TypeError(f"expected a text, found {value!r}")
        except Exception as error:  # the game's own code; this value is missing and counted
            self._book.trouble(*_cannot_read(self._kind, self._prop.name, error))
            return missing
        code = self._codes[value] = self._book.text_code(value)
        return code


_ANY = object()


def _equal_of(thing: Any) -> Any:
    return type(thing).__eq__


def _same_objects(some: list[Any], others: list[Any]) -> bool:
    return len(some) == len(others) and all(map(operator.is_, some, others))


def _reads_none(prop: Property, thing: Any) -> bool:
    """Tell whether the whole property is None, which says itself that there is no value."""
    try:
        return fetch(prop.readers, thing) is None
    except Exception:  # asked only about what has already failed
        return False


def _cannot_read(kind: str, name: str, error: Exception) -> tuple[str, str]:
    return f"{kind}.{name} unreadable ({type(error).__name__})", f"recorded as missing: {error}"
