"""Which kinds and events are known: seen, declared, or known from another trace of the same run."""

from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import NamedTuple

from breadcrumb.algebra.participants import KindPair
from breadcrumb.errors import UnknownName, is_typing_error


@dataclass(frozen=True)
class Vocabulary:
    """The kinds, events, objects and named things that a check may name."""

    kinds: frozenset[str] = frozenset()
    events: frozenset[str] = frozenset()
    names: frozenset[str] = frozenset()
    """The ids of objects, and whatever else events name."""
    participants: Mapping[str, frozenset[KindPair]] = field(default_factory=dict)
    """Which kinds take part in each event."""

    def __or__(self, other: "Vocabulary") -> "Vocabulary":
        nothing: frozenset[KindPair] = frozenset()
        participants = {
            event: self.participants.get(event, nothing) | other.participants.get(event, nothing)
            for event in (*self.participants, *other.participants)
        }
        return Vocabulary(self.kinds | other.kinds, self.events | other.events, self.names | other.names, participants)


@dataclass(frozen=True)
class Run:
    """What a run of checks knows, and what was asked for although nothing in it knows the name."""

    vocabulary: Vocabulary
    unknown: set[str]
    looked_at: set[str]


_run: ContextVar[Run | None] = ContextVar("breadcrumb run", default=None)


@contextmanager
def knowing(vocabulary: Vocabulary) -> Iterator[Run]:
    """Let names known in any trace of a run be known in all of them, in this context.

    Yields:
        What goes on in it: `unknown`, the names that were asked for and that no trace of the run knows, and
        `looked_at`, the kinds, properties and events that were asked for, all in words.
    """
    run = Run(vocabulary, set(), set())
    token = _run.set(run)
    try:
        yield run
    finally:
        _run.reset(token)


class Known(NamedTuple):
    """What is known in a trace and in the run that it belongs to; a part of it is united when it is asked for."""

    own: Vocabulary
    run: Vocabulary

    @property
    def kinds(self) -> frozenset[str]:
        """The kinds of objects."""
        return self.own.kinds | self.run.kinds

    @property
    def events(self) -> frozenset[str]:
        """The names of events."""
        return self.own.events | self.run.events

    @property
    def names(self) -> frozenset[str]:
        """The ids of objects, and whatever else events name."""
        return self.own.names | self.run.names

    def participants(self, event: str) -> frozenset[KindPair]:
        """Return which kinds take part in an event."""
        nothing: frozenset[KindPair] = frozenset()
        return self.own.participants.get(event, nothing) | self.run.participants.get(event, nothing)


def known_here(own: Vocabulary) -> Known:
    """Return what is known in a trace and in the run that it belongs to."""
    run = _run.get()
    return Known(own, Vocabulary() if run is None else run.vocabulary)


def look_at(what: str) -> None:
    """Note that a check of the run asked for something: `kind skiff`, `skiff.speed`, `event bell.rung`."""
    run = _run.get()
    if run is not None:
        run.looked_at.add(what)


def why_unseen(what: str, name: str, known: Iterable[str], where: str) -> str:
    """Return why nothing of this name is there, as the reason of an untested verdict.

    Raises:
        UnknownName: the name is most likely a typing error.
    """
    names = set(known)
    if name in names:
        return f"no {what} {name!r} in this session"
    if any(is_typing_error(name, other) for other in names):
        raise UnknownName(what, name, names, where)
    run = _run.get()
    if run is not None:
        run.unknown.add(f"{what} {name!r}")
    return f"{what} {name!r} was not seen in this session, nor declared"
