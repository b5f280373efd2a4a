"""The types that frame lines are decoded into, and the decoder."""

from collections import Counter
from typing import Annotated, Any, TypeAlias

import msgspec

from breadcrumb.errors import BreadcrumbError

VERSION = 1
"""The version of frame lines that this library reads and writes."""

_HIGHEST_FRAME = 2**53

LONGEST_LINE = 16 * 1024 * 1024
"""The most bytes that one line may have."""

Number: TypeAlias = int | float | str | None
"""A number, null where it is missing, or the name of one that JSON cannot hold: NaN, Infinity, -Infinity."""

Value: TypeAlias = bool | int | float | str | list[Number] | None
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


class Line(msgspec.Struct, frozen=True):
    """Any line; which one it is, is told by what it holds."""

    breadcrumb: int | None = None
    """First line: the version of frame lines."""
    about: dict[str, Any] | None = None
    """First line: what is known of the session; `declare` in it lists the `events` and `kinds` that may occur."""
    frame: Annotated[int, msgspec.Meta(ge=0, le=_HIGHEST_FRAME)] | None = None
    """Frame: its number; numbers rise."""
    t: float | None = None
    """Frame: game time in seconds; it never falls."""
    appear: list[Appear] = []
    leave: list[str] = []
    """Frame: the ids of objects that are gone."""
    state: dict[str, dict[str, Value]] = {}
    """Frame: the changed properties of objects, by id."""
    events: list[Happening] = []
    parameters: list[Constant] = []
    end: bool | None = None
    """Last line."""


class Decoder:
    """Decodes lines, and counts the fields that it does not know."""

    def __init__(self) -> None:
        self._tolerant = msgspec.json.Decoder(Line)
        self._known = set(Line.__struct_fields__)
        self.unknown: Counter[str] = Counter()

    def decode(self, number: int, line: bytes) -> Line:
        """Return a line, decoded.

        Raises:
            BadLine: it is too long, no JSON, or a field is not what it must be; the message names the field.
        """
        if len(line) > LONGEST_LINE:
            raise BadLine(number, f"expected at most {LONGEST_LINE} bytes, found {len(line)}")
        try:
            decoded = self._tolerant.decode(line)
            self._count_unknown(line)
        except msgspec.ValidationError as error:
            raise BadLine(number, str(error).replace("`", "").replace(" - at $.", ", at ")) from None
        except (msgspec.DecodeError, UnicodeDecodeError) as error:
            raise BadLine(number, f"expected one JSON object, found something else ({error})") from None
        return decoded

    def _count_unknown(self, line: bytes) -> None:
        for name in msgspec.json.decode(line, type=dict[str, msgspec.Raw]):
            if name not in self._known:
                self.unknown[name] += 1


def schema() -> dict[str, Any]:
    """Return the JSON Schema of a frame line.

    Example:
        >>> sorted(schema()["$defs"])
        ['Appear', 'Constant', 'Happening', 'Line']
    """
    return msgspec.json.schema(Line)
