"""Restarts: the moments at which a game begins anew within a session."""

from dataclasses import dataclass

import numpy as np

from breadcrumb.algebra.durations import Duration, TimeAxis, duration, frames
from breadcrumb.algebra.keys import Key
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.participants import Participants
from breadcrumb.model.episodes import Episodes
from breadcrumb.model.session import NOBODY, Ints, Session
from breadcrumb.model.trace import TraceData

AT_ONCE = frames(0)
"""How long a restart takes, as a rule."""


@dataclass(frozen=True, eq=False)
class Anew:
    """When a session begins anew: a row for each restart."""

    clock_index: Ints
    order: Ints
    """The order of each within its frame; NOBODY if that is not known."""
    last: Ints
    """The last clock index on which each still puts things back."""

    @classmethod
    def declared(cls, session: Session) -> "Anew":
        """Return when the events happened that were declared as restarts."""
        events = session.events
        found = [events.indices_of(name) for name in session.declared_restarts]
        indices = np.sort(np.concatenate(found)) if found else np.zeros(0, np.int64)
        return cls(events.clock_index[indices], events.order[indices], events.clock_index[indices])

    @classmethod
    def at(cls, moments: Moments, over: Duration) -> "Anew":
        """Return when the moments are, each of which puts things back for so long."""
        axis = TimeAxis.of(moments.session.clock, duration(over, "over").unit)
        last = axis.at_or_before(axis.values[moments.clock_index] + over.value)
        return cls(moments.clock_index, moments.order, np.maximum(last, moments.clock_index))

    def within(self, first: int, last: int) -> "Anew":
        """Return those that reach into a part of the session, as rows of it."""
        mine = (self.last >= first) & (self.clock_index <= last)
        begun_before = self.clock_index[mine] < first
        return Anew(
            np.maximum(self.clock_index[mine] - first, 0),
            np.where(begun_before, NOBODY, self.order[mine]),
            np.minimum(self.last[mine], last) - first,
        )

    def divide(self, data: TraceData) -> TraceData:
        """Return the session, divided where it begins anew."""
        return Episodes.of(data, self.clock_index, self.order, self.last) or data

    def moments(self, session: Session) -> Moments:
        """Return them as moments of nobody; several on one frame are one."""
        clock_index, first = np.unique(self.clock_index, return_index=True)
        nobody, label = np.full(len(first), NOBODY), "a restart"
        who = Participants.of_lifetimes(session, clock_index, nobody, label)
        unseen = "" if len(first) else f"there is no restart in {session.label}"
        return Moments(
            session, label, clock_index, self.order[first], who, unseen=unseen, is_restart=True, key=Key("restarts")
        )
