"""How things of different objects are brought together: the one rule, for checks and for the algebra.

The first line that applies decides how the rows of two sides go together:

1. one side has no participant in any row: by time, so that it counts for everyone;
2. both have participants of a shared kind: row by row, if their lifetimes of all shared kinds are the same; where one
   side has no objects, if they name the same thing;
3. one side is one object, one named thing, or of a kind of which there are never two at a time: by time, but never to
   excuse;
4. anything else is an error.
"""

from collections.abc import Iterator
from contextvars import ContextVar
from dataclasses import dataclass
from typing import NamedTuple, TypeAlias

import numpy as np

from breadcrumb.algebra.participants import Origin, Participants
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import NOBODY, Ints, Session

_noted: ContextVar[list[str] | None] = ContextVar("breadcrumb matches", default=None)

Rows: TypeAlias = Ints | slice
_SHOWN = 3
_TIME = "by time"


class noting_matches:  # noqa: N801 - it is used like the functions of contextlib
    """A context that gathers in words what was matched where there was a choice; a class, as each check enters one."""

    __slots__ = ("_notes", "_token")

    def __enter__(self) -> list[str]:
        self._notes: list[str] = []
        self._token = _noted.set(self._notes)
        return self._notes

    def __exit__(self, *error: object) -> None:
        _noted.reset(self._token)
        outer = _noted.get()
        if outer is not None:
            outer += self._notes


def is_noting() -> bool:
    """Tell whether what is matched is being noted, as within a check."""
    return _noted.get() is not None


class Match(NamedTuple):
    """How some rows of the one side go with some of the other: those of the same key, unless that is NOBODY."""

    left_rows: Rows
    right_rows: Rows
    left: Ints
    right: Ints
    way: str
    """What they go together by, in words; by time, all keys are 0 and each goes with all of the other side."""
    kinds: tuple[str, ...] = ()
    """The kinds of which the lifetimes are the same, if they go together by kinds."""

    @property
    def by_time(self) -> bool:
        """Whether each goes with all of the other side."""
        return self.way == _TIME


def matches(left: Participants | Track, right: Participants | Track, *, excuses: bool = False) -> Iterator[Match]:
    """Yield how the rows of two sides go together, for each two of their sources.

    Args:
        left: what is judged or looked at.
        right: what it is brought together with.
        excuses: whether the right side takes something out of what is judged; then it must be plain whose it is.

    Raises:
        Misuse: nothing says which rows go together.
    """
    for mine in _sides(left):
        for yours in _sides(right):
            if mine.size and yours.size:
                yield _matched(mine, yours, excuses)


class Pairing(NamedTuple):
    """The rows of two lots that may go together, each with their keys: those of one key do."""

    left: Ints
    left_keys: Ints
    right: Ints
    right_keys: Ints
    kinds: tuple[str, ...]
    """The kinds by which they go together."""


def pair_rows(left: Participants, right: Participants) -> Pairing:
    """Return which rows of two lots go together.

    Raises:
        Misuse: nothing says which rows go together, or the sources of joined rows go together in different ways.
    """
    found = list(matches(left, right))
    if not found:  # one of them is empty; the rows of the other go with nothing, but by subject with one another
        mine, yours = left.subject_code + 1, right.subject_code + 1
        return Pairing(np.arange(left.size), mine, np.arange(right.size), yours, ())
    if len({match.way for match in found}) > 1:
        raise Misuse(
            f"{_label(left)} and {_label(right)} go together in different ways, "
            f"{' and '.join(sorted({match.way for match in found}))}; judge each of them by itself, or use "
            ".without_subject()"
        )
    mine, yours = found[0].left, found[0].right
    if len(found) > 1:
        mine, yours = np.full(left.size, NOBODY), np.full(right.size, NOBODY)
        for match in found:
            mine[match.left_rows], yours[match.right_rows] = match.left, match.right
    return Pairing(*_kept(mine), *_kept(yours), found[0].kinds)


def _kept(keys: Ints) -> tuple[Ints, Ints]:
    """Return the rows that have a key, and the keys."""
    rows = np.flatnonzero(keys != NOBODY)
    return (rows, keys) if len(rows) == len(keys) else (rows, keys[rows])


def owner_of(rows: Participants, of: Participants | Track) -> Ints:
    """Return the lifetime that each row is about, of the objects that the other side is about.

    Raises:
        Misuse: the rows are about nobody of these.
    """
    result = np.full(rows.size, NOBODY)
    for match in matches(rows, of):
        if match.by_time:
            label = rows.origins[0].label
            raise Misuse(f"expected moments of the objects themselves, and {label} counts for everyone; name a subject")
        result[match.left_rows] = match.left
    return result


def _label(rows: Participants) -> str:
    return " or ".join(one.label for one in rows.origins)


@dataclass(frozen=True)
class _Side:
    """The rows of one source, as the rule sees them."""

    session: Session
    rows: Rows
    size: int
    origin: Origin
    participants: Participants | None
    """Who takes part in all rows, of whatever source."""
    track: Track | None
    """The samples, if they are a signal's."""

    @property
    def label(self) -> str:
        return self.origin.label

    @property
    def is_nobodys(self) -> bool:
        """Whether no row has a participant.

        Raises:
            Misuse: some rows have none, and others have.
        """
        if self.participants is None:
            return not self.origin.kinds
        named = [self.participants.names[role][self.rows] != NOBODY for role in self.origin.roles]
        owned = np.logical_or.reduce(named) if named else np.zeros(self.size, np.bool_)
        if owned.all():
            return False
        if owned.any():
            without = self.size - int(owned.sum())
            raise Misuse(
                f"{without} of {self.size} {self.label} have no participant, and the others have; select some of them "
                "with where(), or let all count for everyone with .without_subject()"
            )
        if self.origin.subject in ("by", "on") and any(
            (names[self.rows] != NOBODY).any() for names in self.participants.names
        ):
            raise Misuse(
                f"{self.label} have nobody as {self.origin.subject!r}; name another subject, or let them count for "
                "everyone with .without_subject()"
            )
        return True

    def keys(self, kinds: tuple[str, ...]) -> Ints:
        """Return a key for each row: its lifetimes of some kinds, NOBODY if it lacks one."""
        if self.track is not None:
            return self.track.lifetime
        assert self.participants is not None
        if len(kinds) == 1 and self.origin.pairs == {(kinds[0], None)}:
            return self.participants.by_lifetime[self.rows]
        size = self.session.lifetimes.size + 1
        result = np.zeros(self.size, np.int64)
        for kind in kinds:
            number = self.session.kinds.index(kind) if kind in self.session.kinds else NOBODY
            lifetime = np.maximum.reduce(self._lifetimes_of(number))
            result = np.where((result == NOBODY) | (lifetime == NOBODY), NOBODY, result * size + lifetime)
        return result

    def things(self) -> Ints:
        """Return the name of the named thing of each row, NOBODY if it names none."""
        result = np.full(self.size, NOBODY)
        if self.participants is not None:
            for role in reversed(self.origin.roles):
                name = self.participants.names[role][self.rows]
                named = (self.participants.lifetimes_of(role)[self.rows] == NOBODY) & (name != NOBODY)
                result = np.where(named, name, result)
        return result

    def has_twice(self, kind: str) -> bool:
        """Whether both participants of a row are of one kind."""
        if kind not in self.origin.twice or kind not in self.session.kinds:
            return False
        by, on = self._lifetimes_of(self.session.kinds.index(kind))
        return bool(((by != NOBODY) & (on != NOBODY)).any())

    def _lifetimes_of(self, kind: int) -> list[Ints]:
        """Return, for each participant that counts, its lifetime if it is of a kind, else NOBODY."""
        assert self.participants is not None
        kinds = self.session.lifetimes.kind
        every = [self.participants.lifetimes_of(role)[self.rows] for role in self.origin.roles]
        if not len(kinds):
            return every
        return [np.where((one != NOBODY) & (kinds[one] == kind), one, NOBODY) for one in every]


def _sides(of: Participants | Track) -> Iterator[_Side]:
    if isinstance(of, Track) and of.participants is not None:
        of = of.participants
    if isinstance(of, Track):
        kinds = frozenset((kind, None) for kind in of.kinds)
        origin = Origin(of.whose, kinds, one=of.one)
        yield _Side(of.session, slice(None), of.size, origin, None, of)
        return
    for index, origin in enumerate(of.origins):
        rows = of.rows_of(index)
        size = of.size if isinstance(rows, slice) else len(rows)
        yield _Side(of.session, rows, size, origin, of, None)


def _matched(mine: _Side, yours: _Side, excuses: bool) -> Match:
    shared = tuple(sorted(mine.origin.kinds & yours.origin.kinds))
    if mine.is_nobodys or yours.is_nobodys:
        return _by_time(mine, yours)
    if shared and not _are_two(mine, yours, shared):
        for one in (mine, yours):
            if twice := [kind for kind in shared if one.has_twice(kind)]:
                raise Misuse(
                    f"{one.label} has two of kind {' and '.join(twice)}, one as by and one as on; name the one "
                    "that is meant with .with_subject('by') or .with_subject('on'), or take both with .for_both()"
                )
        match = Match(
            mine.rows, yours.rows, mine.keys(shared), yours.keys(shared), f"by {' and '.join(shared)}", shared
        )
        if len(shared) > 1:
            note(f"{yours.label} {match.way}")
        for one, keys in ((mine, match.left), (yours, match.right)):
            if one.track is None and (lost := int(np.count_nonzero(keys == NOBODY))):
                note(f"{lost} of {one.size} {one.label} with nothing: {' or '.join(shared)} takes no part in them")
        return match
    if not shared and not (mine.origin.kinds and yours.origin.kinds):
        left, right = mine.things(), yours.things()
        if np.isin(left[left != NOBODY], right).any():
            return Match(mine.rows, yours.rows, left, right, "by name")
    if not (_is_single(mine) or _is_single(yours)):
        raise Misuse(
            f"{mine.label} ({_whose(mine)}) and {yours.label} ({_whose(yours)}): nothing says which go together; name "
            "another participant with .with_subject('by') or .with_subject('on'), let one count for everyone with "
            ".without_subject(), judge one object at a time, or pair groups with .of('parent')"
        )
    if excuses:
        raise Misuse(
            f"{yours.label} ({_whose(yours)}) would excuse {mine.label} ({_whose(mine)}), which has no participant in "
            "common with it; if it is to count for everyone, use .without_subject()"
        )
    note(f"{yours.label} {_TIME}")
    return _by_time(mine, yours)


def keys_of(participants: Participants, kind: str) -> Ints:
    """Return, for rows of one source or several, the lifetime of one kind that takes part, or NOBODY."""
    result = np.full(participants.size, NOBODY)
    for side in _sides(participants):
        result[side.rows] = side.keys((kind,))
    return result


def note(words: str) -> None:
    """Add to what is told of a verdict about what was matched."""
    notes = _noted.get()
    if notes is not None:
        notes.append(words)


def _by_time(mine: _Side, yours: _Side) -> Match:
    return Match(mine.rows, yours.rows, np.zeros(mine.size, np.int64), np.zeros(yours.size, np.int64), _TIME)


def _are_two(mine: _Side, yours: _Side, shared: tuple[str, ...]) -> bool:
    """Tell whether each is about one named object of a kind that they share, and not about the same one."""
    one, other = mine.origin.one, yours.origin.one
    if not one or not other or one == other:
        return False
    kind = mine.session.kind_of(one)
    return kind in shared and kind == yours.session.kind_of(other)


def _is_single(side: _Side) -> bool:
    origin = side.origin
    if origin.one or (side.track is not None and side.track.one_at_a_time):
        return True
    if origin.kinds and not origin.has_things and origin.kinds <= side.session.lone_kinds:
        return True
    names = side.things()
    return not side.origin.kinds and len(names) > 0 and bool((names == names[0]).all())


def _whose(side: _Side) -> str:
    """Return whose rows they are, in words."""
    if side.origin.one:
        return side.origin.one
    names = np.unique(side.things())
    things = [side.session.names[name] for name in names[names != NOBODY][:_SHOWN].tolist()]
    return " and ".join([*(f"any {kind}" for kind in sorted(side.origin.kinds)), *things]) or counted(side.size, "rows")
