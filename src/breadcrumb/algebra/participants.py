"""Participants: who takes part in each moment or span, and of which kinds those of one source may be."""

from collections.abc import Collection
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Final, Literal, Protocol, Self, TypeAlias, get_args
from weakref import WeakKeyDictionary

import numpy as np

from breadcrumb.algebra.indexing import Index
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Ints, Session

Subject = Literal["either", "by", "on"]
KindPair: TypeAlias = tuple[str | None, str | None]
"""The kinds of by and on: an empty text for a named thing that is no object, None for nobody."""

_ROLES: Final = {"either": (0, 1), "by": (0,), "on": (1,), "nobody": ()}


@dataclass(frozen=True, slots=True)
class Origin:
    """One source of moments or spans: an event, a lifetime, a flag. Joined moments have several."""

    label: str
    pairs: frozenset[KindPair] = frozenset()
    """The kinds of participants that this source has in any session of the run."""
    subject: Literal["either", "by", "on", "nobody"] = "either"
    """Which of the two participants is meant; `nobody` if it counts for everyone."""
    one: str = ""
    """The id of the one object or named thing that it is about, if it is about one."""
    told: Literal["", "on"] = ""
    """Which of the two is told of, if it is not the subject: that by which the rows were matched."""

    @property
    def shown(self) -> Literal["either", "by", "on", "nobody"]:
        """Which participant is told of."""
        return self.told or self.subject

    @property
    def roles(self) -> tuple[int, ...]:
        """The participants that count: 0 for by, 1 for on."""
        return _ROLES[self.subject]

    @property
    def kinds(self) -> frozenset[str]:
        """The kinds of objects among the participants that count."""
        return frozenset(kind for pair in self.pairs for kind in (pair[role] for role in self.roles) if kind)

    @property
    def has_things(self) -> bool:
        """Whether named things that are no objects are among the participants that count."""
        return any(pair[role] == "" for pair in self.pairs for role in self.roles)

    @property
    def twice(self) -> frozenset[str]:
        """The kinds of which both participants of a row may be."""
        return frozenset(by for by, on in self.pairs if by and by == on and len(self.roles) > 1)

    def meant_by(self, kinds: Collection[str]) -> "Origin":
        """Return the same source, told of on if on is of these kinds and by never is."""
        by, on = ({pair[role] for pair in self.pairs} & set(kinds) for role in (0, 1))
        return replace(self, told="on") if self.subject == "either" and on and not by else self

    def like(self, other: "Origin") -> bool:
        """Tell whether another source has the same participants."""
        return (self.pairs, self.subject, self.one) == (other.pairs, other.subject, other.one)


@dataclass(frozen=True, eq=False, repr=False)
class Participants:
    """Who takes part in each of some rows; arrays of equal length.

    A participant is a lifetime of an object, a named thing that is no object, or nobody.
    """

    session: Session
    clock_index: Ints
    """When each row is: it tells which lifetime of an id is meant that is used again."""
    names: tuple[Ints, Ints]
    """By whom and on whom, as indices into the session's names, or NOBODY."""
    origins: tuple[Origin, ...]
    origin: Ints | None = None
    """Which of the origins each row is of; None if there is one."""
    known: tuple[Ints | None, Ints | None] = field(default=(None, None))
    """The lifetimes where the source says them."""

    @classmethod
    def of_lifetimes(cls, session: Session, clock_index: Ints, lifetime: Ints, label: str, one: str = "") -> Self:
        """Return participants that are lifetimes of objects; where that is NOBODY, nobody takes part."""
        names, kinds = session.lifetimes.name, session.lifetimes.kind
        owned = lifetime != NOBODY
        name = np.where(owned, names[lifetime], NOBODY) if len(names) else np.full(len(lifetime), NOBODY)
        found: frozenset[KindPair] = frozenset(
            (session.kinds[kind], None) for kind in np.flatnonzero(np.bincount(kinds[lifetime[owned]])).tolist()
        )
        nobody = np.full(len(lifetime), NOBODY)
        return cls(session, clock_index, (name, nobody), (Origin(label, found, one=one),), None, (lifetime, nobody))

    @property
    def size(self) -> int:
        """How many rows there are."""
        return len(self.clock_index)

    @cached_property
    def by_lifetime(self) -> Ints:
        """The lifetime of by."""
        return self._lifetimes(0)

    @cached_property
    def on_lifetime(self) -> Ints:
        """The lifetime of on."""
        return self._lifetimes(1)

    def lifetimes_of(self, role: int) -> Ints:
        """Return the lifetimes of by (0) or on (1)."""
        return self.on_lifetime if role else self.by_lifetime

    @cached_property
    def subject(self) -> Ints:
        """Of whom each row is, as an index into the session's names: by, else on, unless the source says which."""
        return self._chosen(*self.names)

    @cached_property
    def lifetime(self) -> Ints:
        """The lifetime of the subject of each row, or NOBODY."""
        return self._of_subject()

    @cached_property
    def subject_code(self) -> Ints:
        """A number for the subject of each row: its lifetime, or one beyond these for a named thing."""
        return self._chosen(*self.codes)

    @property
    def sole(self) -> Origin | None:
        """The origin, if there is one alone."""
        return self.origins[0] if len(self.origins) == 1 else None

    @cached_property
    def code(self) -> Ints:
        """A number for each row; rows of one origin with the same participants have the same one."""
        by, on = self.codes
        if self.origin is None and (on == NOBODY).all():
            return by
        origin = np.zeros(self.size, np.int64) if self.origin is None else self.origin
        _, code = np.unique(np.stack([origin, by, on], axis=1), axis=0, return_inverse=True)
        return np.asarray(code.ravel(), np.int64)

    @cached_property
    def codes(self) -> tuple[Ints, Ints]:
        """A number for each participant: its lifetime, or one beyond these for a named thing; NOBODY for nobody."""
        beyond = self.session.lifetimes.size
        by, on = (
            np.where((lifetime == NOBODY) & (name != NOBODY), beyond + name, lifetime)
            for lifetime, name in ((self.lifetimes_of(role), self.names[role]) for role in (0, 1))
        )
        return by, on

    def rows_of(self, origin: int) -> Ints | slice:
        """Return the rows of one origin."""
        return slice(None) if self.origin is None else np.flatnonzero(self.origin == origin)

    def pick(self, indices: Ints | slice) -> Self:
        """Return some of the rows, by their indices."""
        return replace(
            self,
            clock_index=self.clock_index[indices],
            names=(self.names[0][indices], self.names[1][indices]),
            origin=None if self.origin is None else self.origin[indices],
            known=(_picked(self.known[0], indices), _picked(self.known[1], indices)),
        )

    def joined(self, other: "Participants") -> Self:
        """Return the rows of both; each keeps its own origin."""
        origins, places = list(self.origins), []
        for one in other.origins:
            at = next((index for index, known in enumerate(origins) if known.like(one)), len(origins))
            places.append(at)
            if at == len(origins):
                origins.append(one)
        mine = np.zeros(self.size, np.int64) if self.origin is None else self.origin
        yours = np.zeros(other.size, np.int64) if other.origin is None else other.origin
        return replace(
            self,
            clock_index=np.hstack((self.clock_index, other.clock_index)),
            names=(np.hstack((self.names[0], other.names[0])), np.hstack((self.names[1], other.names[1]))),
            origins=tuple(origins),
            origin=np.hstack((mine, np.array(places)[yours])) if len(origins) > 1 else None,
            known=(
                np.hstack((self.by_lifetime, other.by_lifetime)),
                np.hstack((self.on_lifetime, other.on_lifetime)),
            ),
        )

    def with_subject(self, subject: Literal["either", "by", "on", "nobody"]) -> Self:
        """Return the same rows, of which another participant is meant."""
        return replace(self, origins=tuple(replace(one, subject=subject, told="") for one in self.origins))

    def with_chosen_subject(self, subject: Subject) -> Self:
        """Return the same rows, of which the participant is meant that a user chose.

        Raises:
            Misuse: it is neither of them.
        """
        if subject not in get_args(Subject):
            raise Misuse(f"with_subject: expected 'by', 'on' or 'either', found {subject!r}")
        return self.with_subject(subject)

    def meant_by(self, kinds: Collection[str]) -> Self:
        """Return the same rows, told of the participant of one of these kinds, by which they are matched."""
        origins = tuple(one.meant_by(kinds) for one in self.origins)
        return self if origins == self.origins else replace(self, origins=origins)

    def with_label(self, label: str) -> Self:
        """Return the same rows under another name, for messages."""
        return replace(self, origins=tuple(replace(one, label=label) for one in self.origins))

    def swapped(self) -> Self:
        """Return the same rows with by and on the other way round."""
        origins = tuple(replace(one, pairs=frozenset((on, by) for by, on in one.pairs)) for one in self.origins)
        return replace(self, names=self.names[::-1], known=self.known[::-1], origins=origins)

    def of_parents(self, label: str) -> Self:
        """Return the same rows, of which the parent of the subject is meant; of nobody where it has none."""
        lifetime, parents = self.lifetime, self.session.lifetimes.parent
        parent = np.where(lifetime == NOBODY, NOBODY, parents[lifetime]) if len(parents) else lifetime
        owner = lifetimes_at(self.session, parent, self.clock_index)
        return self.of_lifetimes(self.session, self.clock_index, owner, label)

    def _chosen(self, by: Ints, on: Ints) -> Ints:
        """Return of two columns, for each row, that of the participant that is meant."""
        result = np.full(self.size, NOBODY)
        for index, origin in enumerate(self.origins):
            rows = self.rows_of(index)
            if origin.shown == "either":
                result[rows] = np.where(self.names[0][rows] == NOBODY, on[rows], by[rows])
            elif origin.shown != "nobody":
                result[rows] = (by if origin.shown == "by" else on)[rows]
        return result

    def _of_subject(self) -> Ints:
        if (origin := self.sole) is not None and origin.shown in ("by", "on"):
            return self.lifetimes_of(int(origin.shown == "on"))
        if (self.names[1] == NOBODY).all() and all(one.shown == "either" for one in self.origins):
            return self.by_lifetime
        return self._chosen(self.by_lifetime, self.on_lifetime)

    def _lifetimes(self, role: int) -> Ints:
        known, name = self.known[role], self.names[role]
        if known is not None:
            return known
        return lifetimes_at(self.session, name, self.clock_index)


_BEGINS: WeakKeyDictionary[Session, Index] = WeakKeyDictionary()
"""The beginnings of the lifetimes of each session, which nearly every check looks up."""


def lifetimes_at(session: Session, name: Ints, clock_index: Ints) -> Ints:
    """Return which lifetime of a name is meant on each clock index; NOBODY if it is no object's.

    It is the last one that had begun, even if it is gone by then; else the first one to come.
    """
    begins = _BEGINS.get(session)
    if begins is None:
        lifetimes = session.lifetimes
        begin = np.where(lifetimes.appear == NOBODY, lifetimes.first, lifetimes.appear)
        begins = _BEGINS[session] = Index.of(session, lifetimes.name, begin)
    last = begins.last_until(name, clock_index)
    return np.where(last == NOBODY, begins.first_from(name, clock_index), last)


def _picked(column: Ints | None, indices: Ints | slice) -> Ints | None:
    return None if column is None else column[indices]


class Lifetimes(Protocol):
    """Lifetimes, and from which to which clock index each lasts: spans."""

    @property
    def lifetime(self) -> Ints:
        """The lifetime of each."""

    @property
    def first(self) -> Ints:
        """The first clock index of each."""

    @property
    def last(self) -> Ints:
        """The last clock index of each."""


class Stretches(Protocol):
    """What can say whether a lifetime is inside it on a clock index: spans."""

    def covers(self, participants: Participants, clock_index: Ints, *, excuses: bool = False) -> Bools:
        """Return whether each row is, on that clock index, inside."""
