"""The types that frame lines are decoded into, and the decoder."""

from collections import Counter
from typing import Annotated, Any, TypeAlias

import msgspec

from breadcrumb.errors import BreadcrumbError

VERSION = 2
"""The version of frame lines that this library writes; it reads 1 as well."""

_HIGHEST_FRAME = 2**53

LONGEST_LINE = 16 * 1024 * 1024
"""The most bytes that one line may have."""

Number: TypeAlias = float | str | None
"""A number, null where it is missing, or the name of one that JSON cannot hold: NaN, Infinity, -Infinity."""

Value: TypeAlias = bool | float | str | list[Number] | None
"""A number, a flag, a text, a vector of two to four numbers, or null where it is missing."""


class BadLine(BreadcrumbError, ValueError):
    """A frame line that cannot be understood.

    Attributes:
        line: its number, counted from 1.
    """

    def __init__(self, line: int, problem: str) -> None:
        self.line = line
        super().__init__(f"line {line}: {problem}")


class Appear(msgspec.Struct, frozen=True):
    """An object begins to be there."""

    id: str
    kind: str
    parent: str | None = None


class Happening(msgspec.Struct, frozen=True):
    """An event."""

    name: str
    by: str | None = None
    on: str | None = None
    data: dict[str, Any] | None = None
    late: bool = False
    """Whether it came after the last frame."""


class Constant(msgspec.Struct, frozen=True):
    """A parameter of the game, or its new value."""

    name: str
    value: float | str | bool
    unit: str = ""


class Columns(msgspec.Struct, frozen=True):
    """Changed properties of many objects of a kind: an array for each, in the order of the ids."""

    ids: list[str]
    values: dict[str, list[Value]]


class EndFact(msgspec.Struct, frozen=True):
    """Something to know of the recording that the lines are of."""

    code: str
    kind: str = ""
    property: str = ""
    detail: str = ""
    count: int = 1


class Line(msgspec.Struct, frozen=True):
    """Any line; which one it is, is told by what it holds."""

    breadcrumb: int | None = None
    """First line: the version of frame lines."""
    token: str | None = None
    """First line: what the listener wants to be told before it takes a session."""
    about: dict[str, Any] | None = None
    """First line: what is known of the session; `declare` in it lists the `events` and `kinds` that may
    occur, and the `restarts`."""
    frame: Annotated[int, msgspec.Meta(ge=0, le=_HIGHEST_FRAME)] | None = None
    """Frame: its number; numbers rise."""
    t: float | None = None
    """Frame: game time in seconds; it never falls."""
    wall: float | None = None
    """Frame: seconds by a real clock."""
    steps: Annotated[int, msgspec.Meta(ge=0, le=_HIGHEST_FRAME)] | None = None
    """Frame: how many steps of fixed length the game took."""
    scale: float | None = None
    """Frame: how fast game time runs against real time."""
    paused: bool | None = None
    """Frame: whether the game is paused."""
    appear: list[Appear] = []
    leave: list[str] = []
    """Frame: the ids of objects that are gone."""
    state: dict[str, dict[str, Value]] = {}
    """Frame: the changed properties of objects, by id."""
    columns: dict[str, Columns] = {}
    """Frame: changed properties of many objects, by kind."""
    unsampled: list[str] = []
    """Frame: ids or kinds of objects that are there but were not looked at; they have no sample on this frame."""
    events: list[Happening] = []
    parameters: list[Constant] = []
    end: bool | None = None
    """Last line."""
    lost: Annotated[int, msgspec.Meta(ge=0)] = 0
    """Last line: how many frames the game could not send."""
    facts: list[EndFact] = []
    """Last line: what else is to be known of the recording."""


class FirstVersionLine(msgspec.Struct, frozen=True):
    """What version 1 has in another form than a line of today."""

    columns: dict[str, dict[str, list[Value]]] = {}
    """By kind, an array for each property, and the objects' ids in one named `ids`."""


class Decoder:
    """Decodes lines, and counts the fields that it does not know."""

    def __init__(self) -> None:
        self.version = VERSION
        """That of the lines; the first one tells it."""
        self._tolerant = msgspec.json.Decoder(Line)
        self._first_version = msgspec.json.Decoder(FirstVersionLine)
        self._fields = msgspec.json.Decoder(dict[str, msgspec.Raw])
        self._lists = msgspec.json.Decoder(list[dict[str, msgspec.Raw]])
        self.unknown: Counter[str] = Counter()

    def decode(self, number: int, line: bytes) -> Line:
        """Return a line, decoded.

        Raises:
            BadLine: it is too long, no JSON, or a field is not what it must be; the message names the field.
        """
        if len(line) > LONGEST_LINE:
            raise BadLine(number, f"expected at most {LONGEST_LINE} bytes, found {len(line)}")
        try:
            fields = self._fields.decode(line)
            decoded = self._decoded(line, fields)
            self._count_unknown(fields)
        except msgspec.ValidationError as error:
            raise BadLine(number, str(error).replace("`", "").replace(" - at $.", ", at ")) from None
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
            raise BadLine(number, f"expected one JSON object, found something else ({error})") from None
        return decoded

    def _decoded(self, line: bytes, fields: dict[str, msgspec.Raw]) -> Line:
        if self.version == VERSION or "columns" not in fields:
            return self._tolerant.decode(line)
        rest = {name: raw for name, raw in fields.items() if name != "columns"}
        told = self._first_version.decode(line).columns
        columns = {kind: _columns_of_the_first_version(kind, arrays) for kind, arrays in told.items()}
        return msgspec.structs.replace(self._tolerant.decode(msgspec.json.encode(rest)), columns=columns)

    def count_misplaced(self, line: bytes, kind: str, known: frozenset[str]) -> None:
        """Count the fields of a line that mean nothing in a line of its kind."""
        fields = self._fields.decode(line)
        self.unknown.update(f"{name} in the {kind} line" for name in fields.keys() & _KNOWN - known)

    def _count_unknown(self, fields: dict[str, msgspec.Raw]) -> None:
        self.unknown.update(fields.keys() - _KNOWN)
        for name, known in _KNOWN_WITHIN.items():
            if name in fields:
                self.unknown.update(
                    f"{name}.{field}" for one in self._lists.decode(fields[name]) for field in one.keys() - known
                )


def _columns_of_the_first_version(kind: str, arrays: dict[str, list[Value]]) -> Columns:
    ids = arrays.get("ids")
    if ids is None or not all(isinstance(id, str) for id in ids):
        found = "none" if ids is None else f"{ids!r}"
        raise msgspec.ValidationError(
            f"expected the ids of the objects as texts, found {found} - at $.columns.{kind}.ids"
        )
    values = {name: array for name, array in arrays.items() if name != "ids"}
    return Columns([str(id) for id in ids], values)


FIRST = frozenset(("breadcrumb", "token", "about"))
"""What the first line may hold."""
LAST = frozenset(("end", "lost", "facts"))
"""What the last line may hold."""
_KNOWN = frozenset(Line.__struct_fields__)
_KNOWN_WITHIN = {
    "appear": frozenset(Appear.__struct_fields__),
    "events": frozenset(Happening.__struct_fields__),
    "parameters": frozenset(Constant.__struct_fields__),
}


def schema() -> dict[str, Any]:
    """Return the JSON Schema of a frame line.

    Example:
        >>> sorted(schema()["$defs"])
        ['Appear', 'Columns', 'Constant', 'EndFact', 'Happening', 'Line']
    """
    return msgspec.json.schema(Line)
