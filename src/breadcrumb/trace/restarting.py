"""Restarts: the moments at which a game begins anew within a session."""

from typing import TypeAlias

import numpy as np

from breadcrumb.algebra.keys import Key
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.participants import Participants
from breadcrumb.model.session import NOBODY, Ints, Session

Rows: TypeAlias = tuple[Ints, Ints]
"""A clock index and an order within the frame for each."""


def declared_restarts(session: Session) -> Rows:
    """Return when the events happened that were declared as restarts."""
    events = session.events
    found = [events.indices_of(name) for name in session.declared_restarts]
    indices = np.sort(np.concatenate(found)) if found else np.zeros(0, np.int64)
    return events.clock_index[indices], events.order[indices]


def restart_moments(session: Session, rows: Rows) -> Moments:
    """Return restarts as moments of nobody; several on one frame are one."""
    clock_index, first = np.unique(rows[0], return_index=True)
    nobody, label = np.full(len(first), NOBODY), "a restart"
    who = Participants.of_lifetimes(session, clock_index, nobody, label)
    unseen = "" if len(first) else f"there is no restart in {session.label}"
    return Moments(
        session, label, clock_index, rows[1][first], who, unseen=unseen, is_restart=True, key=Key("restarts")
    )
