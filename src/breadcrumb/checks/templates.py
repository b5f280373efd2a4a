"""Templates: how a rule is put into words, whatever came of it.

`{name}` stands for an argument, `{name:how}` for one told in a certain way (see `breadcrumb.checks.describing`).
`[text|other]` is the text if every argument in it was given, else the other one, which may be left out; `[name?text]`
is the text if that argument is true, `[!name?text]` if it is not.
"""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TypeAlias

_TOKEN = re.compile(r"\{(\w+)(?::(\w+))?\}|\[(?:(!?\w+)\?)?|\||\]")

Say: TypeAlias = Callable[[str, str], str]
"""Tells an argument, by its name, in a way."""
Ask: TypeAlias = Callable[[str], bool]
"""Answers a question about an argument, by its name."""


@dataclass(frozen=True, slots=True)
class Value:
    """An argument of the check."""

    name: str
    how: str


@dataclass(frozen=True, slots=True)
class Option:
    """Text that is there only sometimes."""

    asked: str
    """The argument that decides, with `!` before it if it must be false; empty if all in the text must be given."""
    text: "Template"
    other: "Template"


@dataclass(frozen=True, slots=True)
class Template:
    """A parsed template.

    Example:
        >>> rule = Template.of("{objects} keeps [a speed of {speed}|its first speed]")
        >>> rule.words(lambda name, how: {"objects": "the skiff", "speed": "3 m/s"}[name], lambda name: True, bool)
        'the skiff keeps a speed of 3 m/s'
    """

    pieces: tuple["str | Value | Option", ...]

    @classmethod
    def of(cls, source: str) -> "Template":
        """Parse a template."""
        template, end = _parse(source, 0)
        if end != len(source):
            raise ValueError(f"template {source!r}: unexpected {source[end]!r} at character {end}")
        return template

    def words(self, say: Say, is_given: Ask, is_true: Ask) -> str:
        """Return the text.

        Args:
            say: tells an argument in a way.
            is_given: tells whether an argument is another one than its default.
            is_true: tells whether an argument is true.
        """
        return "".join(self._pieces(say, is_given, is_true))

    @property
    def names(self) -> frozenset[str]:
        """The arguments that the template mentions."""
        found: set[str] = set()
        for piece in self.pieces:
            if isinstance(piece, Value):
                found.add(piece.name)
            elif isinstance(piece, Option):
                found |= {piece.asked.lstrip("!")} - {""} | piece.text.names | piece.other.names
        return frozenset(found)

    def _pieces(self, say: Say, is_given: Ask, is_true: Ask) -> Iterator[str]:
        for piece in self.pieces:
            if isinstance(piece, str):
                yield piece
            elif isinstance(piece, Value):
                yield say(piece.name, piece.how)
            else:
                chosen = piece.text if _applies(piece, is_given, is_true) else piece.other
                yield chosen.words(say, is_given, is_true)


def _applies(option: Option, is_given: Ask, is_true: Ask) -> bool:
    if not option.asked:
        return all(is_given(name) for name in option.text.names)
    return is_true(option.asked.lstrip("!")) is not option.asked.startswith("!")


def _parse(source: str, at: int) -> tuple[Template, int]:
    """Return the template from a place on, up to what ends it, and where that is."""
    pieces: list[str | Value | Option] = []
    while match := _TOKEN.search(source, at):
        if match.start() > at:
            pieces.append(source[at : match.start()])
        if match[0] in ("|", "]"):
            return Template(tuple(pieces)), match.start()
        at = match.end()
        if match[1]:
            pieces.append(Value(match[1], match[2] or ""))
            continue
        text, at = _parse(source, at)
        other, at = _parse(source, at + 1) if source[at : at + 1] == "|" else (Template(()), at)
        if source[at : at + 1] != "]":
            raise ValueError(f"template {source!r}: a bracket is never closed")
        pieces.append(Option(match[3] or "", text, other))
        at += 1
    rest = source[at:]
    return Template((*pieces, rest) if rest else tuple(pieces)), len(source)
