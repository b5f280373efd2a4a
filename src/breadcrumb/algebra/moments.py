"""Moments: instants, each with its subject and its data."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Literal, Self

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.durations import Duration, duration, time_unit
from breadcrumb.algebra.keys import NO_KEY, Key
from breadcrumb.algebra.participants import Lifetimes, Participants, Stretches, Subject
from breadcrumb.algebra.samples import Samples, Sort
from breadcrumb.algebra.shifting import intervals, shifted
from breadcrumb.algebra.tables import array_of, frame_of_moments
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import NOBODY, Floats, Ints, Session

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Moments:
    """Instants in the order in which they happened; arrays of equal length.

    Moments come from events (`trace.events`), from lifetimes (`objects.appears`, `objects.leaves`) and from flags
    (`signal.rises()`). Their *subject* is `by`, else `on`; `with_subject("on")` changes it.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> rung = small_trace().events("bell.rung")
        >>> rung.count, rung.frames.tolist(), rung.subjects, rung["loudness"].tolist()
        (1, [2], ('heron',), [3.0])
    """

    session: Session
    label: str
    """What happened, for messages."""
    clock_index: Ints
    """The clock index."""
    order: Ints
    """The index within the frame, or NOBODY."""
    participants: Participants
    """Who did it, and whom it was done to."""
    data: Sequence[Mapping[str, Any]] = ()
    """What else is known of each; empty if nothing is known of any."""
    unseen: str = ""
    """Why there are none, if the name was not seen."""
    is_shared: bool = False
    """Whether one of them may be what several causes on one frame lead to, as an object appears or leaves but once."""
    from_steps: bool = False
    """Whether seeing one takes the frame before: none is seen on the first frame, or on the first one behind a gap."""
    is_restart: bool = False
    """Whether these are restarts: who asks about them sees the whole session."""
    is_known: bool = True
    """Whether the name was seen or declared."""
    key: Key = NO_KEY
    """What they were taken from."""

    @classmethod
    def of_lifetimes(
        cls, session: Session, label: str, clock_index: Ints, lifetime: Ints, *, one: str = "", **more: Any
    ) -> Self:
        """Return moments of lifetimes, or of nobody where one is NOBODY, without an order within the frame."""
        who = Participants.of_lifetimes(session, clock_index, lifetime, label, one)
        return cls(session, label, clock_index, np.full(len(clock_index), NOBODY), who, **more)

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.clock_index)

    def __len__(self) -> int:
        return self.count

    def __repr__(self) -> str:
        if not self.count:
            return f"<{self.label}: {self.unseen or 'no moments'}>"
        frames = self.frames
        return f"<{self.label}: {counted(self.count, 'moments')}, frames {frames.min()} to {frames.max()}>"

    def __bool__(self) -> bool:
        raise Misuse(f"{self.label} has no truth value; write moments.count > 0")

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Moments):
            raise Misuse(
                f"{self.label} are moments, which do not compare with {other!r}; compare their count or frames"
            )
        return self._meaning() == other._meaning()

    __hash__ = None  # type: ignore[assignment]

    @property
    def why_unknown(self) -> str:
        """Why there are none, if nothing says that there could be any; else an empty text."""
        return "" if self.is_known else self.unseen

    @property
    def frames(self) -> Ints:
        """The frame number of each."""
        return self.session.clock.frames[self.clock_index]

    @property
    def times(self) -> Floats:
        """The game time of each, in seconds."""
        return self.session.clock.times[self.clock_index]

    @property
    def episodes(self) -> Ints:
        """In which episode each is, counted from 1: a restart begins another one."""
        return self.session.episode_of(self.clock_index) + 1

    @property
    def episode_times(self) -> Floats:
        """How long after the start of its episode each is, in seconds."""
        return self.session.time_of_episode(self.clock_index)

    @property
    def by(self) -> Ints:
        """Who did it, as an index into the session's names, or NOBODY."""
        return self.participants.names[0]

    @property
    def on(self) -> Ints:
        """Whom it was done to, as an index into the session's names, or NOBODY."""
        return self.participants.names[1]

    @property
    def subject(self) -> Ints:
        """Of whom each is, as an index into the session's names, or NOBODY."""
        return self.participants.subject

    @property
    def subjects(self) -> tuple[str, ...]:
        """The id of the subject of each; empty where there is none."""
        return tuple("" if index == NOBODY else self.session.names[index] for index in self.subject.tolist())

    @property
    def lifetime(self) -> Ints:
        """The lifetime of the subject of each, or NOBODY; of an id that is used again, the last one that had begun."""
        return self.participants.lifetime

    @property
    def rows(self) -> tuple[Ints, ...]:
        """What tells these moments from others."""
        return self.clock_index, self.order, self.by, self.on

    def __getitem__(self, key: str) -> NDArray[Any]:
        """Return one entry of the data of each, as an array; a moment without it is missing (None or NaN).

        Raises:
            UnknownName: no moment has such an entry.
        """
        if not isinstance(key, str):
            raise Misuse(f"expected the name of an entry of the data, found {key!r}; for one moment use .where(...)")
        values = [one.get(key) for one in self.data]
        if self.count and all(value is None for value in values):
            raise UnknownName("entry", key, {name for one in self.data for name in one}, f"the data of {self.label}")
        return array_of(values, self.count)

    def to_frame(self) -> "pd.DataFrame":
        """Return the moments as a table of pandas: frame, t, order, by, on, and `data.key` for each entry of data.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().events("bell.rung").to_frame()[["frame", "by", "data.loudness"]].values.tolist()
            [[2, 'heron', 3]]
        """
        columns: dict[str, Any] = {"frame": self.frames, "t": self.times}
        table: pd.DataFrame = frame_of_moments(columns, self.order, (self.by, self.on), self.session.names, self.data)
        return table

    def with_subject(self, subject: Subject) -> Self:
        """Return the same moments with another subject: `"by"`, `"on"`, or `"either"`, which is `by` if any."""
        return replace(self, participants=self.participants.with_chosen_subject(subject))

    def without_subject(self) -> Self:
        """Return the same moments as ones that count for everyone.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().events("bell.rung").without_subject().subjects
            ('',)
        """
        return replace(self, participants=self.participants.with_subject("nobody"))

    def of(self, owner: Literal["parent"]) -> Self:
        """Return the same moments as those of the parents of their subjects; without those that have none.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().events("bell.rung").of("parent").count
            0
        """
        if owner != "parent":
            raise Misuse(f"of: expected 'parent', found {owner!r}")
        label = f"{self.label} of the parent"
        moved = replace(self, label=label, participants=self.participants.of_parents(label))
        return moved.pick(np.flatnonzero(moved.subject != NOBODY))

    def for_both(self) -> Self:
        """Return each moment twice, once for each of its two participants as the subject.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> balls = {"red": {"x": 0.0}, "blue": {"x": 1.0}}
            >>> trace = make_trace([balls], kinds={"red": "ball", "blue": "ball"}, events=[(0, "hit", "red", "blue")])
            >>> trace.events("hit").for_both().subjects
            ('red', 'blue')
        """
        as_on = replace(self, participants=self.participants.swapped())
        both = self.with_subject("by") | as_on.with_subject("by")
        return replace(both.pick(np.flatnonzero(both.by != NOBODY)), label=self.label)

    def with_name(self, label: str) -> Self:
        """Return the same moments under a name of your own, for messages."""
        return replace(self, label=label, participants=self.participants.with_label(label))

    def where(self, condition: Callable[[Mapping[str, Any]], bool] | NDArray[Any] | Samples) -> Self:
        """Return those moments for which something is so; what is missing counts as not so.

        Args:
            condition: a flag that was picked at the moments, as `signal.at(moments)` does; a function of their data,
                which has `by`, `on`, `frame` and `time` too unless it has entries of these names; or an array of flags.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> rung = trace.events("bell.rung")
            >>> (
            ...     rung.where(trace.one("skiff").position.x.at(rung) > 1).count,
            ...     rung.where(lambda one: one["frame"] > 5).count,
            ... )
            (1, 0)
        """
        if isinstance(condition, Samples):
            said, keep = f"where {condition.name}", np.zeros(self.count, np.bool_)
            if not condition.track.unseen:  # of what was not seen, nothing is so
                self._refuse_other_moments(condition)
                keep = condition.parts[0] & condition.usable
        elif callable(condition):
            keep = np.array([bool(condition(one)) for one in self._one_by_one()], np.bool_)
            name = getattr(condition, "__name__", "<lambda>")
            said = "where a condition holds" if name == "<lambda>" else f"where {name}"
        else:
            keep, said = np.asarray(condition), "where selected"
        if keep.dtype != np.bool_ or keep.shape != (self.count,):
            raise Misuse(
                f"where: expected {self.count} flags, one for each of {self.label}; found {keep.dtype}{keep.shape}"
            )
        return self.pick(np.flatnonzero(keep)).with_name(f"{self.label} {said}")

    def _refuse_other_moments(self, flag: Samples) -> None:
        source = flag.track.source or ()
        here = bool(source) and all(map(np.array_equal, source, self.rows))
        if flag.sort is not Sort.FLAG or not here:
            raise Misuse(
                f"where: expected a flag that was picked at {self.label}, with .at(moments), found {flag.title}, "
                f"which is {flag.sort.words}" + ("" if here else " that was not picked at them")
            )

    def _one_by_one(self) -> Iterator[Mapping[str, Any]]:
        """Yield the data of each moment, with who, whom and when."""
        names = (*self.session.names, None)
        told = zip(self.by.tolist(), self.on.tolist(), self.frames.tolist(), self.times.tolist(), strict=True)
        for index, (by, on, frame, time) in enumerate(told):
            data = self.data[index] if self.data else {}
            yield {"by": names[by], "on": names[on], "frame": frame, "time": time, **data}

    def with_data(self, **values: NDArray[Any]) -> Self:
        """Return the same moments with more entries in their data, each given as an array with a row for each moment.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> rung = trace.events("bell.rung")
            >>> rung.with_data(place=trace.one("skiff").position.at(rung).values).data
            ({'loudness': 3, 'place': [2.0, 0.0, 0.0]},)
        """
        for key, array in values.items():
            if len(array) != self.count:
                raise Misuse(
                    f"with_data: expected {self.count} values of {key}, one for each {self.label}; found {len(array)}"
                )
        rows = zip(*(array.tolist() for array in values.values()), strict=True)
        more = (dict(zip(values, row, strict=True)) for row in rows)
        old = self.data or ({},) * self.count
        return replace(self, data=tuple({**one, **new} for one, new in zip(old, more, strict=True)))

    def for_each(self, lifetimes: Lifetimes) -> Self:
        """Return each moment once for every one of these lifetimes that is there on its frame, as the subject.

        Args:
            lifetimes: the lifetimes, as `trace.all("crew").lifetimes` gives them.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> trace.events("bell.rung").for_each(trace.all("skiff").lifetimes).subjects
            ('heron',)
        """
        there = (lifetimes.first <= self.clock_index[:, None]) & (lifetimes.last >= self.clock_index[:, None])
        moment, index = np.nonzero(there)
        lifetime = lifetimes.lifetime[index]
        kept = self.pick(moment)
        each = Participants.of_lifetimes(self.session, kept.clock_index, lifetime, self.label)
        return replace(kept, participants=each)

    def once_per_frame(self) -> Self:
        """Return the first moment of each subject on each frame."""
        pairs = np.stack([self.subject, self.clock_index], axis=1)
        _, first = np.unique(pairs, axis=0, return_index=True)
        return self.pick(np.sort(first))

    def during(self, spans: Stretches) -> Self:
        """Return those moments that lie in spans of their participants, or in spans of nobody."""
        return self.pick(np.flatnonzero(spans.covers(self.participants, self.clock_index)))

    def outside(self, spans: Stretches) -> Self:
        """Return those moments that do not lie in spans of their participants, nor in spans of nobody."""
        return self.pick(np.flatnonzero(~spans.covers(self.participants, self.clock_index, excuses=True)))

    def shift(self, by: Duration) -> Self:
        """Return the same moments later: each on the first recorded frame that is at least a duration behind it.

        Left out are those of which the subject is gone by then, and those that a restart, a gap in the recording or the
        end of the trace comes before.

        Example:
            >>> from breadcrumb import frames
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().events("bell.rung").shift(frames(1)).frames.tolist()
            [3]
        """
        by = duration(by, "shift")
        if not by.value:
            return self
        later = shifted(self.session, self.clock_index, self.lifetime, by)
        kept = self.pick(np.flatnonzero(later != NOBODY))
        moved = replace(kept, clock_index=later[later != NOBODY], order=np.full(kept.count, NOBODY))
        return moved.with_name(f"{by} after {self.label}")

    def intervals(self, unit: str = "s") -> Floats:
        """Return how long each moment is after the one before it of the same subject, in seconds or in frames.

        It is NaN for the first one of each subject, and where a restart or a gap in the recording lies in between.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> trace = make_trace([{}] * 6, kinds={}, events=[(1, "tick"), (3, "tick"), (5, "tick")])
            >>> trace.events("tick").intervals("frames").tolist()
            [nan, 2.0, 2.0]
        """
        order = np.lexsort((self.order, self.clock_index, self.lifetime, self.subject))
        groups = self.subject[order], self.lifetime[order]
        passed = np.empty(self.count)
        passed[order] = intervals(self.session, self.clock_index[order], groups, time_unit(unit, "intervals"))
        return passed

    def pick(self, indices: Ints) -> Self:
        """Return some of the moments, by their indices."""
        return replace(
            self,
            clock_index=self.clock_index[indices],
            order=self.order[indices],
            participants=self.participants.pick(indices),
            data=tuple(self.data[index] for index in indices.tolist()) if self.data else (),
        )

    def __or__(self, other: "Moments") -> Self:
        """Return the moments of both, in the order in which they happened, each with its own participants."""
        clock_index, order = np.hstack((self.clock_index, other.clock_index)), np.hstack((self.order, other.order))
        told = [one.data or ({},) * one.count for one in (self, other)] if self.data or other.data else [(), ()]
        joined = replace(
            self,
            label=f"{self.label} or {other.label}",
            clock_index=clock_index,
            order=order,
            participants=self.participants.joined(other.participants),
            data=(*told[0], *told[1]),
            unseen=self.unseen and other.unseen,
            is_shared=self.is_shared and other.is_shared,
            from_steps=self.from_steps or other.from_steps,
        )
        return joined.pick(np.lexsort((order, clock_index)))

    def _meaning(self) -> tuple[Any, ...]:
        return self.clock_index.tolist(), self.order.tolist(), self.subject.tolist(), [dict(one) for one in self.data]
