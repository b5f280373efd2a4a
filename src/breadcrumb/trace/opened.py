"""An opened trace."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from breadcrumb.algebra.contacts import Contacts
from breadcrumb.algebra.durations import Duration
from breadcrumb.algebra.keys import Key
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.participants import Origin, Participants
from breadcrumb.algebra.spans import Spans
from breadcrumb.edit.resampling import resampled
from breadcrumb.errors import Misuse
from breadcrumb.model.columns import property_of
from breadcrumb.model.cutting import Part
from breadcrumb.model.facts import Fact
from breadcrumb.model.plurals import counted
from breadcrumb.model.trace import TraceData
from breadcrumb.store.opening import open_data
from breadcrumb.trace.clock import SessionClock
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.parameters import parameter_of
from breadcrumb.trace.reading import note_read
from breadcrumb.trace.recent import RecentObjects, of_id, of_kind
from breadcrumb.trace.restarting import AT_ONCE, Anew
from breadcrumb.trace.selecting import called, indices_of, key_of, narrowed, one_of, with_parts
from breadcrumb.trace.tables import table_of_samples
from breadcrumb.trace.vocabulary import Vocabulary, known_here, look_at, why_unseen

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Trace:
    """One recorded session; it never changes.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> trace.kinds, trace.event_names, trace.parameters, trace.label
        (('skiff',), ('bell.rung',), ('skiff.cap',), 'small')
    """

    data: TraceData
    given_restarts: Anew | None = None
    """The restarts that take the place of the declared ones."""
    is_divided: bool = True
    """Whether what lies between two restarts is taken by itself."""

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Trace):
            raise Misuse(f"{self.label} is a session, which does not compare with {other!r}; compare a signal of it")
        return self is other

    __hash__ = object.__hash__

    def __repr__(self) -> str:
        return f"<trace {self.label}: {counted(self.clock.size, 'frames')}>"

    @property
    def label(self) -> str:
        """The trace's name."""
        return self.data.session.label

    @property
    def about(self) -> Mapping[str, Any]:
        """Free metadata and the conventions of the world."""
        note_read(empty=not self.data.session.about)
        return self.data.session.about

    @property
    def clock(self) -> SessionClock:
        """Frame numbers, game times, and what was recorded with each frame, as signals."""
        note_read(empty=not self.data.session.clock.size)
        return SessionClock(self._divided.session)

    @cached_property
    def restarts(self) -> Moments:
        """The moments at which the game begins anew, one a frame; a check that is given them sees the whole session.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> events = [(0, "round.start"), (2, "round.start")]
            >>> trace = make_trace([{}] * 4, kinds={}, events=events, restarts=["round.start"])
            >>> trace.restarts.frames.tolist()
            [0, 2]
        """
        return self._anew.moments(self._divided.session)

    def with_restarts(self, moments: Moments, *, over: Duration = AT_ONCE) -> "Trace":
        """Return the same session, divided at other moments than the declared restarts, whoever takes part in them.

        Args:
            moments: the moments at which the game begins anew; between two of them it is judged by itself.
            over: for how long behind each of them things are still put back. Each frame of it is like the restart's.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> rung = small_trace().with_restarts(small_trace().events("bell.rung"))
            >>> rung.one("skiff").position.x.previous().usable.tolist()
            [False, True, False, True]
        """
        return Trace(self.data, Anew.at(moments, over))

    def without_restarts(self) -> "Trace":
        """Return the same session as one that goes on through its restarts.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().without_restarts().one("skiff").position.x.values.tolist()
            [0.0, 1.0, 2.0, 3.0]
        """
        return Trace(self.data, self.given_restarts, is_divided=False)

    def at_rate(self, rate: float) -> "Trace":
        """Return the session as if it had been recorded at another frame rate, and the game had played alike.

        Each frame has the state of the last recorded one at or before it; an event is on the first frame at or after
        it. Restarts are the declared ones. The rate is in frames a second.

        Raises:
            Misuse: the rate is not positive, or there are no frames.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().at_rate(5).one("skiff").position.x.values.tolist()
            [0.0, 2.0]
        """
        return Trace(resampled(self.data, rate))

    @cached_property
    def _divided(self) -> TraceData:
        """The session, divided by its restarts."""
        return self._anew.divide(self.data) if self.is_divided else self.data

    @cached_property
    def _anew(self) -> Anew:
        return self.given_restarts or Anew.declared(self.data.session)

    @property
    def notes(self) -> tuple[str, ...]:
        """What to know of the recording: that it was cut, or that something could not be read."""
        return tuple(fact.words for fact in self.facts)

    @property
    def facts(self) -> tuple[Fact, ...]:
        """What to know of the recording, as records: a code, what it is about, and how often."""
        note_read(empty=False)  # that there is none says something
        return self.data.session.facts

    @property
    def kinds(self) -> tuple[str, ...]:
        """The kinds of objects that were there."""
        note_read(empty=not self.data.session.kinds)
        return self.data.session.kinds

    @property
    def event_names(self) -> tuple[str, ...]:
        """The names of events that occurred."""
        note_read(empty=not self.data.session.events.kinds)
        return self.data.session.events.kinds

    @cached_property
    def vocabulary(self) -> Vocabulary:
        """The kinds and events that were seen or declared."""
        session = self.data.session
        return Vocabulary(
            frozenset((*session.kinds, *session.declared_kinds)),
            frozenset((*session.events.kinds, *session.declared_events)),
            frozenset(session.names),
            {event: frozenset(pairs) for event, pairs in session.participants.items()},
        )

    @property
    def contents(self) -> tuple[str, ...]:
        """Its kinds, their properties, and its events, in words: `kind skiff`, `skiff.speed`, `event bell.rung`."""
        named = [(kind, property_of(name)) for kind in self.kinds for name in self.data.columns(kind)]
        properties = dict.fromkeys(f"{kind}.{name}" for kind, name in named)
        return (*(f"kind {kind}" for kind in self.kinds), *properties, *(f"event {name}" for name in self.event_names))

    def all(self, kind: str) -> Objects:
        """Return all objects of a kind, as a group.

        A known kind of which there was none gives a group without objects, on which checks are untested.

        Raises:
            UnknownName: the kind is unknown and nearly the same as a known one.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().all("skiff").ids
            ('heron',)
        """
        look_at(f"kind {kind}")
        group = self._objects(Key(kind, kind), f"every {kind}", is_group=True)
        note_read(empty=not group.ids)
        return group

    def one(self, kind: str | None = None, *, id: str | None = None) -> Objects:
        """Return exactly one object: the only one of its kind, or the one with an id.

        Raises:
            UnknownName: there is no object with this id.
            Misuse: there is more than one object of the kind.
        """
        if id is not None:
            return self._one(id)
        if kind is None:
            raise Misuse("one: expected a kind, or id=...")
        look_at(f"kind {kind}")
        only = self._objects(Key(f"one({kind})", kind), f"the {kind}", is_group=False)
        note_read(empty=not only.ids)
        if len(only.ids) > 1:
            shown = ", ".join(only.ids[:8]) + (f" and {len(only.ids) - 8} more" if len(only.ids) > 8 else "")
            several = f"{self.label} has {len(only.ids)} objects of kind {kind!r}: {shown}"
            raise Misuse(f"{several}; name one with id=, or use all()")
        return only

    def events(
        self, name: str, *, by: str | Objects | None = None, on: str | Objects | None = None, parts: bool = False
    ) -> Moments:
        """Return the moments of all events of a name, or of those by or on certain objects.

        A known event that did not occur gives no moments, on which checks are untested. With `parts`, those by or on
        the parts of the objects are among them: whatever has one of them for a parent, and the parts of parts.

        Raises:
            UnknownName: the name is unknown and nearly the same as a known one.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().events("bell.rung").frames.tolist()
            [2]
        """
        session, here, events = self._divided.session, known_here(self.vocabulary), self.data.session.events
        look_at(f"event {name}")
        indices = events.indices_of(name)
        unseen = "" if len(indices) else why_unseen("event", name, here.events, self.label)
        is_known = name in here.events
        for wanted, who in ((by, events.by), (on, events.on)):
            if wanted is None:
                continue
            if isinstance(wanted, str) and wanted not in session.names:
                unseen = unseen or why_unseen("object", wanted, here.names, self.label)
                is_known &= wanted in here.names
            named = indices_of(session, wanted)
            indices = indices[np.isin(who[indices], with_parts(session, named) if parts else named)]
        note_read(empty=not len(indices))
        whom = {what: one for what, one in (("by", by), ("on", on)) if one is not None}
        label = " ".join((name, *(f"{what} {called(one)}" for what, one in whom.items())))
        pairs = here.participants(name)
        origin = Origin(label, pairs if parts else narrowed(session, pairs, by, on), one=one_of(by) or one_of(on))
        names = events.by[indices], events.on[indices]
        return Moments(
            session, label, events.clock_index[indices], events.order[indices],
            Participants(session, events.clock_index[indices], names, (origin,)),
            tuple(events.data[index] for index in indices.tolist()), unseen=unseen, is_known=is_known,
            key=Key(name + (f"({','.join(f'{what}={key_of(one)}' for what, one in whom.items())})" if whom else "")),
        )  # fmt: skip

    def contacts(self, begin: str, end: str, *, part: str = "") -> Contacts:
        """Return a span for each contact, from the event that begins it to the one that ends it, pair by pair.

        Args:
            begin: the name of the event that begins a contact.
            end: the name of the event that ends it, by and on the same two, whichever is by.
            part: the entry of their data that names which parts touch; without it, begins and ends are counted.

        Raises:
            UnknownName: a name is unknown and nearly the same as a known one.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> events = [(0, "hit", "a", "b"), (1, "hit", "a", "c"), (2, "parted", "b", "a")]
            >>> balls = {name: {"x": 0.0} for name in "abc"}
            >>> trace = make_trace([balls] * 4, kinds=dict.fromkeys("abc", "ball"), events=events)
            >>> trace.contacts("hit", "parted").lengths("frames").tolist()
            [3.0, nan]
        """
        return Contacts.told_by(self.events(begin), self.events(end), part)

    @property
    def parameters(self) -> tuple[str, ...]:
        """The names of the recorded parameters."""
        note_read(empty=not self.data.session.parameters)
        return tuple(dict.fromkeys(one.name for one in self.data.session.parameters))

    def parameter(self, name: str, *, at: Moments | None = None) -> Any:
        """Return the one value of a recorded parameter, or the values that it had at some moments.

        A number knows its name and its unit, so that a comparison of it can be judged.

        Args:
            name: the parameter.
            at: the moments; then it is a signal that is picked at them.

        Returns:
            A number, flag, text or tuple as it was recorded; with `at=` a signal.

        Raises:
            UnknownName: it was not recorded.
            Misuse: it changed in play, and no moments were given; or it was not recorded yet at one of them.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> trace.parameter("skiff.cap"), trace.parameter("skiff.cap", at=trace.events("bell.rung"))
            (<skiff.cap: 6>, <skiff.cap: number, 1 moment, frames 2 to 2>)
        """
        value = parameter_of(self.data.session, name, at)
        note_read(empty=False)
        return value

    def table(self, kind: str) -> "pd.DataFrame":
        """Return all samples of a kind as a table of pandas: id, lifetime, frame, t, and a column for each part.

        Lifetimes are counted from 1 for each id. Missing values are missing in pandas too.

        Raises:
            UnknownName: the kind is unknown and nearly the same as a known one.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().table("skiff")["position.x"].tolist()
            [0.0, 1.0, 2.0, 3.0]
        """
        self.all(kind)
        return table_of_samples(self.data, kind)

    def during(self, span: Spans) -> "Trace":
        """Return the trace of one span alone: a play, a round or a shift, to be checked like a session by itself.

        Frames keep their numbers. A lifetime that had begun before has no appear moment in it, and one that goes on
        behind has no leave moment, as in an excerpt.

        Raises:
            Misuse: it is none, or several; pick one with `spans[0]`.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> moving = (trace.one("skiff").position.x > 0).spans()
            >>> trace.during(moving[0]).one("skiff").position.x.values.tolist()
            [1.0, 2.0, 3.0]
        """
        if span.count != 1:
            raise Misuse(f"during: expected one span, and {span.label} has {span.count}; pick one, such as spans[0]")
        first, last = int(span.first[0]), int(span.last[0])
        given = None if self.given_restarts is None else self.given_restarts.within(first, last)
        return Trace(Part(self.data, first, last), given, self.is_divided)

    @cached_property
    def _recent(self) -> RecentObjects:
        return RecentObjects()

    def _objects(self, key: Key, called: str, *, is_group: bool) -> Objects:
        """Return all objects of a kind, under a key."""
        session = self._divided.session
        if key.kind not in session.kinds:
            unseen = why_unseen("kind", key.kind, known_here(self.vocabulary).kinds, self.label)
            return Objects(self._divided, key.kind, np.zeros(0, np.int64), called, unseen, key, is_group=is_group)
        return self._recent.get(key.text, lambda: of_kind(self._divided, key, called, is_group=is_group))

    def _one(self, id: str) -> Objects:
        found = self._recent.get(f"id {id}", lambda: of_id(self._divided, id, self.label))
        look_at(f"kind {found.key.kind}")
        note_read(empty=False)
        return found


def open_trace(path: str | Path) -> Trace:
    """Open a recorded session.

    Args:
        path: the folder `NAME.crumbs`. On the first opening it is turned into Parquet; one that was cut opens too.

    Raises:
        TraceError: there is no trace at this path, a part of it is missing or damaged, or it is of a newer version.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> small_trace()  # as open_trace("small.crumbs") gives it
        <trace small: 4 frames>
    """
    trace = Trace(open_data(path))
    _ = trace.data.session  # what cannot be read is found out here, not in the middle of a check
    return trace
