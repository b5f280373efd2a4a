"""The records that frames of a journal hold: what happened, each of a type with its own fields."""

from typing import Any, NamedTuple, TypeAlias

from breadcrumb.journal.layout import Column


class TableRecord(NamedTuple):
    """A new layout of the samples of one kind; blocks refer to it by its number."""

    number: int
    kind: str
    columns: list[Any]
    """Each as property, part and type."""


class AppearRecord(NamedTuple):
    """A lifetime begins; lifetimes are numbered from 0 in this order."""

    lifetime: int
    id: str
    kind: str
    seen: bool
    """Whether it was seen to appear, and was not there before the recording looked."""


class ParentRecord(NamedTuple):
    """The object that a lifetime belonged to when it began."""

    lifetime: int
    parent: str


class LeaveRecord(NamedTuple):
    """A lifetime has ended: this is the first frame without it."""

    lifetime: int


class TextRecord(NamedTuple):
    """A text that columns of texts refer to by its code; codes are given from 0 in this order."""

    code: int
    text: str


class AliveRecord(NamedTuple):
    """Who is there, told again now and then: after damaged frames a reader goes on from here."""

    lifetimes: list[Any]
    """The number, id and kind of the first one, then those of the next one, and so on."""


class EventRecord(NamedTuple):
    """An event."""

    name: str
    by: str | None
    on: str | None
    data: dict[str, Any] | None
    late: bool
    """Whether it came after the last frame."""


class ParameterRecord(NamedTuple):
    """A tuning constant of the game, or its new value."""

    name: str
    value: float | str | bool | None
    unit: str


class DeclareRecord(NamedTuple):
    """Events and kinds that may occur."""

    events: list[Any]
    kinds: list[Any]


class RestartsRecord(NamedTuple):
    """Events at which the game begins anew."""

    events: list[Any]


class ShapeRecord(NamedTuple):
    """What body the objects of a kind have."""

    kind: str
    shape: dict[str, Any]


class ClockRecord(NamedTuple):
    """What the game said of its own clock on this frame."""

    wall: float | None
    steps: int | None
    scale: float | None
    paused: bool | None


class FactRecord(NamedTuple):
    """Something to know of the recording, such as a value that could not be read."""

    code: str
    """What it is; `docs/journal.md` lists the codes."""
    kind: str
    """The kind of object that it is about, or an empty text."""
    property: str
    """The property or event that it is about, or an empty text."""
    detail: str
    times: int
    """How often it happened so far."""


Record: TypeAlias = (
    TableRecord
    | AppearRecord
    | ParentRecord
    | LeaveRecord
    | TextRecord
    | AliveRecord
    | EventRecord
    | ParameterRecord
    | DeclareRecord
    | RestartsRecord
    | ShapeRecord
    | ClockRecord
    | FactRecord
)

NAMES: dict[type, str] = {
    TableRecord: "table",
    AppearRecord: "appear",
    ParentRecord: "parent",
    LeaveRecord: "leave",
    TextRecord: "text",
    AliveRecord: "alive",
    EventRecord: "event",
    ParameterRecord: "parameter",
    DeclareRecord: "declare",
    RestartsRecord: "restarts",
    ShapeRecord: "shape",
    ClockRecord: "clock",
    FactRecord: "fact",
}
_TYPES: dict[str, Any] = {name: kind for kind, name in NAMES.items()}
_NUMBER, _NONE = (int, float), type(None)
_FIELDS: dict[str, tuple[Any, ...]] = {
    "table": (int, str, list),
    "appear": (int, str, str, bool),
    "parent": (int, str),
    "leave": (int,),
    "text": (int, str),
    "alive": (list,),
    "event": (str, (str, _NONE), (str, _NONE), (dict, _NONE), bool),
    "parameter": (str, (*_NUMBER, str, bool, list, dict, _NONE), str),
    "declare": (list, list),
    "restarts": (list,),
    "shape": (str, dict),
    "clock": ((*_NUMBER, _NONE), (*_NUMBER, _NONE), (*_NUMBER, _NONE), (bool, *_NUMBER, _NONE)),
    "fact": (str, str, str, str, int),
}


def plain(record: Record) -> list[Any]:
    """Return a record as it stands in a journal: a list of its type and its fields."""
    return [NAMES[type(record)], *record]


def record_of(content: Any) -> Record:
    """Return the record that a list in a journal means.

    Raises:
        ValueError: its type is unknown, or a field is of another type.

    Example:
        >>> record_of(["leave", 3])
        LeaveRecord(lifetime=3)
    """
    name, *fields = content
    expected = _FIELDS.get(name)
    if expected is None:
        raise ValueError(f"a record of the unknown type {name!r}")
    if len(fields) != len(expected) or not all(map(isinstance, fields, expected)):
        raise ValueError(f"a record {name} with the fields {fields!r}")
    if name == "alive" and not _are_alive(fields[0]):
        raise ValueError(f"a record {name} with the fields {fields!r}")
    record: Record = _TYPES[name](*fields)
    return record


def _are_alive(told: list[Any]) -> bool:
    return len(told) % 3 == 0 and list(map(type, told)) == [int, str, str] * (len(told) // 3)


def columns_of(record: TableRecord) -> tuple[Column, ...]:
    """Return the columns of a table.

    Raises:
        ValueError: they are something else.
    """
    columns = tuple(Column(*column) for column in record.columns)
    if not all(isinstance(part, str) for column in columns for part in column):
        raise ValueError(f"a table with the columns {record.columns!r}")
    return columns
