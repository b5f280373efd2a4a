"""Readers: small compiled functions that fetch the recorded properties of many objects at once."""

import keyword
import struct
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from enum import Enum
from typing import Any, NamedTuple, TypeAlias, cast

from breadcrumb.errors import Misuse
from breadcrumb.journal.layout import MISSING, Column, ColumnType

Reader: TypeAlias = str | Callable[[Any], Any]
"""An attribute name, dotted if need be, or a function of the object."""

Readers: TypeAlias = Reader | tuple[Reader, ...]
"""One reader, or one for each part of a vector."""

PARENT = "parent"
"""The property that tells whom an object belongs to, if a reader of that is given."""
PARTS = "xyzw"
_MOST_VALUES_AT_ONCE = 30  # longer displays and argument lists make the compiler build a list first, at twice the cost


class Property(NamedTuple):
    """One property as it is fetched and stored."""

    name: str
    readers: Readers
    columns: tuple[Column, ...]
    is_known: bool = True
    """False until an object has a value, which decides what the property is; up to then it is a missing number."""

    def read(self, thing: Any) -> tuple[Any, ...]:
        """Fetch the property from one object, a value for each column."""
        value = fetch(self.readers, thing)
        return tuple(value) if len(self.columns) > 1 else (value,)


def check_readers(properties: Mapping[str, object]) -> None:
    """Refuse what cannot be a reader, before any frame is recorded.

    Raises:
        Misuse: names the property and says what a reader may be.
    """
    check_names(properties)
    for name, readers in properties.items():
        for reader in readers if isinstance(readers, tuple) else (readers,):
            if callable(reader) or (isinstance(reader, str) and _is_attribute(reader)):
                continue
            raise Misuse(
                f"property {name!r}: expected an attribute name such as 'x' or 'body.x', a tuple of them, or a "
                f"function of the object; found {reader!r}"
            )


def check_names(names: Iterable[object]) -> None:
    """Refuse what cannot be the name of a property: anything but a text that can be written to a file.

    Raises:
        Misuse: names the property.
    """
    for name in names:
        if not _is_writable(name):
            found = repr(name) if isinstance(name, str) else f"a {type(name).__name__}"
            raise Misuse(f"property: expected a text of one letter or more, without lone surrogates; found {found}")


def all_properties(
    listed: Mapping[str, Readers] | None, named: Mapping[str, Readers], parent: Reader | None = None
) -> dict[str, Readers]:
    """Return the properties that were given as a mapping and those that were given by keyword.

    Raises:
        Misuse: one was given twice.
    """
    check_names(listed or ())
    twice = {*(listed or {})} & {*named, *([PARENT] if parent is not None else [])}
    if twice:
        raise Misuse(f"property {min(twice)!r} is given twice; give it once")
    return {**(listed or {}), **named}


def _is_writable(name: object) -> bool:
    try:
        return isinstance(name, str) and name.encode() != b""
    except UnicodeEncodeError:
        return False


def fetch(readers: Readers, thing: Any) -> Any:
    """Read one property of one object in the plain way, for the first look and for what cannot be read in bulk."""
    if isinstance(readers, tuple):
        return tuple(fetch(reader, thing) for reader in readers)
    if callable(readers):
        return readers(thing)
    for name in readers.split("."):
        thing = getattr(thing, name)
    return thing


def look_at(name: str, readers: Readers, things: Sequence[Any]) -> Property:
    """Find out from the first object that has a value what the property is: a number, a flag, a text or a vector."""
    value, without = None, cast(Readers, _nothing)
    for thing in things:
        try:
            value = fetch(readers, thing)
        except Exception:  # the game's own code may raise anything; whoever reads it again counts it
            without = readers
            continue
        if value is not None:
            break
    size = len(readers) if isinstance(readers, tuple) else _parts_of(value)
    if size:
        return Property(name, readers, tuple(Column(name, part, "number") for part in PARTS[:size]))
    if value is None:
        return Property(name, without, (Column(name, "", "number"),), is_known=False)
    return Property(name, readers, (Column(name, "", _type_of(value)),))


def _nothing(thing: Any) -> float:
    return MISSING


def compile_read(
    numbers: Sequence[Property], codes: Sequence[Property], sometimes_none: Collection[str] = ()
) -> Callable[[Sequence[Any]], tuple[bytes, list[Any]]]:
    """Compile one function that reads all objects at once, each attribute once.

    It returns all numbers as float64, object by object, and all flags and texts in one flat list, object by object. Its
    loop is unrolled so that one call of `struct.pack` takes as many objects as fit into one argument list. Numbers that
    are None raise, but for those of the properties that are said to be None sometimes.
    """
    functions: dict[str, Any] = {"join": b"".join, "missing": MISSING}
    unpacking, values = _parts_of_all(numbers, functions, sometimes_none)
    _, others = _parts_of_all(codes, functions)
    together = 1 if unpacking else max(1, _MOST_VALUES_AT_ONCE // max(len(values), len(others), 1))
    for count in {1, together}:
        functions[f"pack{count}"] = struct.Struct(f"<{count * len(values)}d").pack

    def body(count: int) -> list[str]:
        lines = _each(unpacking, count)
        if values:
            lines.append(f"add(pack{count}({', '.join(_each(values, count))}))")
        if others:
            lines.append(f"codes += ({', '.join(_each(others, count))},)")
        return lines or ["pass"]

    head = ["def read(objects):", "    out = []", "    add = out.append", "    codes = []"]
    return _compile([*head, *_loops(together, body), "    return join(out), codes"], functions)


def _parts_of_all(
    properties: Sequence[Property], functions: dict[str, Any], sometimes_none: Collection[str] = ()
) -> tuple[list[str], list[str]]:
    """Return the statements that take vectors apart, and the expressions of all values; `@` stands for the object."""
    unpacking, values = [], []
    for at, prop in enumerate(properties):
        may_be_none = prop.name in sometimes_none
        if len(prop.columns) > 1 and not isinstance(prop.readers, tuple):
            names = [f"v{at}_{part}_@" for part in range(len(prop.columns))]
            whole = _expression(prop.readers, functions)
            instead = f"({'missing, ' * len(names)})"
            unpacking.append(f"{', '.join(names)} = {_or_else(instead, whole) if may_be_none else whole}")
            values += names
        else:
            for reader in prop.readers if isinstance(prop.readers, tuple) else (prop.readers,):
                value = _expression(reader, functions)
                values.append(_or_else("missing", value) if may_be_none else value)
    return unpacking, values


def _or_else(instead: str, expression: str) -> str:
    return f"({instead} if (value := {expression}) is None else value)"


def _each(lines: Sequence[str], count: int) -> list[str]:
    return [line.replace("@", str(n)) for n in range(count) for line in lines]


def _loops(together: int, body: Callable[[int], list[str]]) -> list[str]:
    """Return a loop that takes several objects at once, and one for the rest."""
    lines = []
    if together > 1:
        names = ", ".join(f"o{n}" for n in range(together))
        lines += [
            f"    whole = len(objects) // {together} * {together}",
            "    several = iter(objects[:whole])",
            f"    for {names} in zip({', '.join(['several'] * together)}):",
            *(f"        {line}" for line in body(together)),
            "    objects = objects[whole:]",
        ]
    return [*lines, "    for o0 in objects:", *(f"        {line}" for line in body(1))]


def _expression(reader: Reader, functions: dict[str, Any]) -> str:
    if isinstance(reader, str):
        return f"o@.{reader}"
    name = f"f{len(functions)}"
    functions[name] = reader
    return f"{name}(o@)"


def _compile(source: Sequence[str], functions: dict[str, Any]) -> Callable[[Sequence[Any]], Any]:
    namespace = dict(functions)
    text = "\n".join(source) + "\n"
    exec(compile(text, "<breadcrumb reader>", "exec"), namespace)  # the names in it were checked by check_readers
    read: Callable[[Sequence[Any]], Any] = namespace["read"]
    return read


def _is_attribute(text: str) -> bool:
    return all(name.isidentifier() and not keyword.iskeyword(name) for name in text.split("."))


def _parts_of(value: Any) -> int:
    """Return how many parts a vector has; 0 if the value is none."""
    if isinstance(value, str) or not hasattr(value, "__len__"):
        return 0
    return len(value) if 2 <= len(value) <= len(PARTS) else 0


def _type_of(value: Any) -> ColumnType:
    if isinstance(value, Enum):
        value = value.value
    if isinstance(value, str):
        return "text"
    return "flag" if type(value).__name__ in ("bool", "bool_") else "number"
