"""How what is given to commands is read."""

import re
from collections.abc import Callable, Iterable
from typing import Any, TypeVar

import click

Value = TypeVar("Value")


def by_name(given: Iterable[str], make: Callable[[str], Value], expected: str) -> dict[str, Value]:
    """Return the values of an option that is given as `NAME=VALUE`, by their names.

    Raises:
        click.BadParameter: one is something else.
    """
    found = {}
    for one in given:
        name, separator, value = one.partition("=")
        try:
            found[name.strip()] = make(value.strip())
        except ValueError:
            separator = ""
        if not separator:
            raise click.BadParameter(f"expected {expected}, found {one!r}")
    return found


class _When(click.ParamType):  # type: ignore[type-arg]
    """A frame, as its number, or a time in seconds, with an s behind it."""

    name = "FRAME|SECONDS"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> int | float:
        """Return the frame as a whole number, or the seconds."""
        found = re.fullmatch(r"(\d+)|(\d+(?:\.\d+)?) ?s", str(value).strip())
        if found is None:
            self.fail(f"expected a frame such as 111, or seconds such as 1.85s; found {value!r}", param, ctx)
        return int(found[1]) if found[1] else float(found[2])


WHEN = _When()
"""The type of options that name a frame or a time."""
