"""Groups of differences: what follows from what, so that a page of differences has one cause at its head."""

import math
from bisect import bisect_left
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from operator import itemgetter

from breadcrumb.comparison.differences import RANK, Difference, Group
from breadcrumb.model.session import NOBODY, Session

LINKED_FOR = 1.0
"""For how many seconds an event between two objects may carry a difference from one to the other."""


@dataclass(slots=True)
class _Open:
    """A group that is being made."""

    first: Difference
    followed: list[Difference] = field(default_factory=list)


@dataclass(slots=True)
class Grouping:
    """Puts differences under the earliest one that they may follow from.

    Args:
        sessions: both sessions, for their events.
        room: how many seconds apart things may begin that begin at the same time.
    """

    sessions: Sequence[Session]
    room: float = 0.0
    _by_object: dict[str, tuple[float, _Open]] = field(default_factory=dict)
    _by_symptom: dict[tuple[str, str], _Open] = field(default_factory=dict)
    _by_place: list[tuple[float, _Open]] = field(default_factory=list)
    """The groups that began at each place, or have an event or a lifetime that differs there; rising."""
    _links: dict[str, list[tuple[float, str]]] = field(default_factory=dict)
    _busy: Counter[str] = field(default_factory=Counter)
    """How many events link each object with other recorded objects: what acts on others is more often the cause."""
    _recorded: set[str] = field(default_factory=set)

    def groups(self, differences: Iterable[Difference]) -> tuple[Group, ...]:
        """Return all differences in groups, in order of time."""
        for session in self.sessions:
            self._note(session)
        for links in self._links.values():
            links.sort()
        made: list[_Open] = []
        for one in sorted(differences, key=self._order):
            found = self._cause(one)
            if found is None:
                found = _Open(one)
                made.append(found)
            else:
                found.followed.append(one)
            self._by_symptom.setdefault(one.symptom, found)
            if one is found.first or one.what != "property":
                self._by_place.append((self._place(one), found))
            for name in self._whose(one):
                self._by_object.setdefault(name, (one.time, found))
        return tuple(Group(one.first, tuple(one.followed)) for one in made)

    def _note(self, session: Session) -> None:
        """Note who is recorded, and which events link whom."""
        events, names, lifetimes = session.events, session.names, session.lifetimes
        self._recorded |= {names[number] for number in set(lifetimes.name.tolist())}
        both = (events.by != NOBODY) & (events.on != NOBODY)
        times = session.clock.times[events.clock_index]
        for by, on, time in zip(events.by[both].tolist(), events.on[both].tolist(), times[both].tolist(), strict=True):
            for mine, other in ((names[by], names[on]), (names[on], names[by])):
                self._links.setdefault(mine, []).append((time, other))
                if other in self._recorded:
                    self._busy[mine] += 1

    def _order(self, one: Difference) -> tuple[int, int, int, str, str]:
        return one.frame, RANK[one.what], -self._busy[one.object], one.object, one.name

    def _place(self, one: Difference) -> float:
        """Return where a difference begins: on which frame, or when, if things may begin a bit apart."""
        return one.time if self.room else float(one.frame)

    def _whose(self, one: Difference) -> set[str]:
        """Return the recorded objects that a difference is of."""
        whose = {one.object, *(one.others if one.what == "event" else ())}
        return whose & self._recorded

    def _cause(self, one: Difference) -> _Open | None:
        """Return the earliest group that a difference may follow from."""
        found = [self._by_object[name][1] for name in self._whose(one) if name in self._by_object]
        found += [
            self._by_object[other][1]
            for name in (one.object, *one.others)
            for other in self._linked(name, one.time)
            if other in self._by_object and self._by_object[other][0] <= one.time
        ]
        found += [self._by_object[other][1] for other in one.others if other in self._by_object]
        if self._whose(one):
            first = bisect_left(self._by_place, self._place(one) - self.room, key=itemgetter(0))
            found += [group for _, group in self._by_place[first : first + 1]]
        if one.symptom in self._by_symptom:
            found.append(self._by_symptom[one.symptom])
        return min(found, key=lambda group: group.first.frame, default=None)

    def _linked(self, name: str, time: float) -> set[str]:
        """Return whom events linked to an object, shortly before a time."""
        links = self._links.get(name, [])
        first, last = (
            bisect_left(links, at, key=itemgetter(0)) for at in (time - LINKED_FOR, math.nextafter(time, math.inf))
        )
        return {other for _, other in links[first:last]}
