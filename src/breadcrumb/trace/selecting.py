"""Which events are asked for by whom takes part in them, and which lifetimes by the id of an object."""

from collections.abc import Sequence

import numpy as np

from breadcrumb.algebra.participants import KindPair
from breadcrumb.errors import UnknownName
from breadcrumb.model.session import NOBODY, Ints, Session
from breadcrumb.trace.objects import Objects


def narrowed(
    session: Session, pairs: frozenset[KindPair], by: str | Objects | None, on: str | Objects | None
) -> frozenset[KindPair]:
    """Return those pairs of kinds that events by or on certain objects have."""
    kept = pairs
    for role, wanted in enumerate((by, on)):
        if wanted is not None:
            kind = wanted.key.kind if isinstance(wanted, Objects) else session.kind_of(wanted)
            kept = frozenset(pair for pair in kept if pair[role] == kind)
    return kept


def lifetimes_of(session: Session, id: str, where: str) -> tuple[str, Ints]:
    """Return the kind and the lifetimes of an object.

    Raises:
        UnknownName: there is none of this id.
    """
    name = session.names.index(id) if id in session.names else NOBODY
    lifetimes = np.flatnonzero(session.lifetimes.name == name)
    if not len(lifetimes):
        raise UnknownName("object", id, [session.names[index] for index in np.unique(session.lifetimes.name)], where)
    return session.kinds[session.lifetimes.kind[lifetimes[0]]], lifetimes


def with_parts(session: Session, owners: Sequence[int]) -> Sequence[int]:
    """Return owners and all parts of theirs, as indices into the session's names."""
    lifetimes = session.lifetimes
    while len(more := np.union1d(owners, lifetimes.name[np.isin(lifetimes.parent, owners)])) > len(owners):
        owners = more.tolist()
    return owners


def indices_of(session: Session, wanted: str | Objects) -> list[int]:
    """Return the indices into the session's names of what is named."""
    names = session.names
    ids = (wanted,) if isinstance(wanted, str) else wanted.ids
    return [names.index(id) if id in names else NOBODY - 1 for id in ids]


def called(whom: str | Objects) -> str:
    """Return what is named, in words."""
    if isinstance(whom, str):
        return whom
    return f"any {whom.key.kind}" if whom.is_group else whom.called


def one_of(whom: str | Objects | None) -> str:
    """Return the id of the one object or thing that is named, if one is."""
    if isinstance(whom, Objects):
        return "" if whom.is_group else next(iter(whom.ids), "")
    return whom or ""


def key_of(whom: str | Objects) -> str:
    """Return what is named, as a part of a key."""
    return whom if isinstance(whom, str) else whom.key.text
