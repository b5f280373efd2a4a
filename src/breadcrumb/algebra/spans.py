"""Spans: stretches of frames, each with its subject."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Literal, Self

import numpy as np

from breadcrumb.algebra.closing import next_end, of_length, pair_codes, rows_of
from breadcrumb.algebra.durations import Duration, TimeAxis, duration, elapsed, time_unit, window
from breadcrumb.algebra.exploring import frame_of_spans, pairs_of
from breadcrumb.algebra.kernels import runs
from breadcrumb.algebra.keys import NO_KEY, Key
from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.participants import Participants, Subject
from breadcrumb.algebra.stretches import any_inside, in_lifetimes, is_inside, weighted
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False, repr=False)
class Spans:
    """Stretches of recorded frames, from a first to a last clock index, both included; arrays of equal length.

    A span has the participants of what it was made of; a span of nobody holds for everyone.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> (small_trace().one("skiff").position.x > 1).spans()
        <position.x > 1: 1 span, frames 2 to 3>
    """

    session: Session
    label: str
    participants: Participants
    first: Ints
    last: Ints
    unknown: "Spans | None" = None
    """Where a missing value leaves open whether there is one; spans that are made of others do not know."""
    pairs: "Spans | None" = None
    """Of touches: those of each two objects, by the one on the other; spans that are made of others do not know."""
    key: Key = NO_KEY
    """What they were taken from."""
    unseen: str = ""
    """Why there are none, if they are made of a name that is not known."""

    @classmethod
    def of_lifetimes(
        cls, session: Session, label: str, lifetime: Ints, first: Ints, last: Ints, *, one: str = "", key: Key = NO_KEY
    ) -> Self:
        """Return spans of lifetimes, or of nobody where one is NOBODY."""
        who = Participants.of_lifetimes(session, first, lifetime, label, one)
        return cls(session, label, who, first, last, key=key)

    @classmethod
    def between(cls, starts: Moments, ends: Moments, *, match: Literal["subject", "pair"] = "subject") -> Self:
        """Return a span from each start to the next end that goes with it, or to the end of the trace.

        Both frames belong to it. An end on the frame of its start counts if it comes behind it.

        Args:
            starts: the moments at which spans begin; a span has the participants of its start.
            ends: the moments at which they end; an end of nobody ends them all.
            match: `"subject"` takes an end with the same lifetimes of all kinds that both have; `"pair"` takes one of
                the same two participants, whichever of them is `by`, so that two of one kind may meet.

        Raises:
            Misuse: nothing says which end goes with which start.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> Spans.between(trace.events("bell.rung"), trace.events("bell.rung")).lengths("frames").tolist()
            [nan]
        """
        if match not in ("subject", "pair"):
            raise Misuse(f"between: expected match='subject' or 'pair', found {match!r}")
        label = f"{starts.label} to {ends.label}"
        last = starts.session.end_of_episode(starts.clock_index)
        if match == "pair":
            following = next_end(starts, ends, pair_codes(starts.participants), pair_codes(ends.participants))
            last = np.minimum(last, following)
        else:
            for found in matches(starts.participants, ends.participants):
                some = starts.pick(rows_of(found.left_rows, starts.count))
                others = ends.pick(rows_of(found.right_rows, ends.count))
                following = next_end(some, others, found.left, found.right)
                last[found.left_rows] = np.minimum(last[found.left_rows], following)
        who, unseen = starts.participants, starts.why_unknown
        return cls(starts.session, label, who, starts.clock_index, last, key=starts.key, unseen=unseen)

    @classmethod
    def following(cls, moments: Moments, length: Duration, *, own_frame: bool = False) -> Self:
        """Return the frames that are at most a duration after each moment, without its own frame unless asked for.

        Example:
            >>> from breadcrumb.algebra.durations import frames
            >>> from breadcrumb.testing import small_trace
            >>> Spans.following(small_trace().events("bell.rung"), frames(5)).first.tolist()
            [3]
        """
        _, last = window(duration(length, "following")).clock_indices(moments.session.clock, moments.clock_index)
        first = moments.clock_index + (0 if own_frame else 1)
        last = np.minimum(last, moments.session.end_of_episode(moments.clock_index))
        there = first <= last
        label = f"{length} after {moments.label}" if length.value else f"the frame of {moments.label}"
        who = moments.participants.pick(np.flatnonzero(there))
        key, unseen = moments.key, moments.why_unknown
        return cls(moments.session, label, who, first[there], last[there], key=key, unseen=unseen)

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.first)

    @property
    def lifetime(self) -> Ints:
        """The lifetime of the subject of each, or NOBODY."""
        return self.participants.lifetime

    def with_name(self, label: str) -> Self:
        """Return the same spans under a name of your own, for messages."""
        return replace(self, label=label, participants=self.participants.with_label(label))

    def with_subject(self, subject: Subject) -> Self:
        """Return the same spans with another subject: `"by"`, `"on"`, or `"either"`, which is `by` if any."""
        return replace(self, participants=self.participants.with_chosen_subject(subject))

    def of(self, owner: Literal["parent"]) -> Self:
        """Return the same spans as those of the parents of their subjects; without those that have none."""
        if owner != "parent":
            raise Misuse(f"of: expected 'parent', found {owner!r}")
        label = f"{self.label} of the parent"
        moved = replace(self, label=label, participants=self.participants.of_parents(label), unknown=None, pairs=None)
        return moved.pick_rows(np.flatnonzero(moved.participants.subject != NOBODY))

    def without_subject(self) -> Self:
        """Return the frames that lie in any of the spans, as spans that hold for everyone.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").lifetimes.without_subject().starts().subjects
            ('',)
        """
        nobody = np.full(self.count, NOBODY)
        everyones = Spans.of_lifetimes(self.session, self.label, nobody, self.first, self.last, key=self.key)
        return replace(self, participants=everyones.participants).merged()

    def __repr__(self) -> str:
        if not self.count:
            return f"<{self.label}: no spans>"
        frames = self.session.clock.frames
        last = np.minimum(self.last, len(frames) - 1)
        return (
            f"<{self.label}: {counted(self.count, 'spans')}, frames {frames[self.first.min()]} to {frames[last.max()]}>"
        )

    def __len__(self) -> int:
        return self.count

    def __getitem__(self, index: int | slice) -> Self:
        """Return one of them, in the order in which they begin, -1 for the last; or some of them.

        Raises:
            IndexError: there are not so many.
        """
        if isinstance(index, slice):
            return self.pick(np.arange(self.count)[index])
        self.bounds(index)
        return self.pick(np.array([index]))

    def bounds(self, index: int) -> tuple[int, int, int]:
        """Return the lifetime, the first and the last clock index of one of them, in the order in which they begin.

        Raises:
            IndexError: there are not so many.
        """
        if not -self.count <= index < self.count:
            raise IndexError(f"{self.label}: there are {self.count} spans, and no span {index}")
        at = self.in_order[index]
        return int(self.lifetime[at]), int(self.first[at]), int(self.last[at])

    def __bool__(self) -> bool:
        raise Misuse(f"{self.label} has no truth value; write spans.count > 0")

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Spans):
            raise Misuse(
                f"{self.label} are spans, which do not compare with {other!r}; compare their count or lengths()"
            )
        return self._meaning() == other._meaning()

    __hash__ = None  # type: ignore[assignment]

    def __or__(self, other: "Spans") -> Self:
        label = f"{self.label} or {other.label}"
        return self._with(other.participants, other.first, other.last)._covered(label=label)

    def __and__(self, other: "Spans") -> Self:
        label = f"{self.label} and {other.label}"
        mine, yours = (other, self) if self._is_everyones else (self, other)  # what is of somebody stays so
        mine = mine.merged()
        return replace(self, participants=mine.participants, first=mine.first, last=mine.last)._with_weighted(
            mine._shared(yours), 1, least=2, label=label
        )

    def __sub__(self, other: "Spans") -> Self:
        mine = self.merged()
        if self.count and other.count and self._is_everyones and not other._is_everyones:
            raise Misuse(
                f"{self.label} - {other.label}: the first counts for everyone, and the second does not; "
                "take the union of all with .without_subject()"
            )
        yours = mine._shared(other, excuses=True)
        return mine._with_weighted(yours, -1, least=1, label=f"{self.label} without {other.label}")

    def pick(self, indices: Ints) -> Self:
        """Return some of the spans, by their indices in the order in which they begin."""
        return self.pick_rows(self.in_order[indices])

    @cached_property
    def in_order(self) -> Ints:
        """The indices of the spans in the order in which they begin."""
        return np.lexsort((self.participants.code, self.first))

    def merged(self) -> Self:
        """Return the same frames in the fewest spans."""
        return self._covered(label=self.label)

    def grown(self, by: Duration) -> Self:
        """Return the spans with both ends moved out by a duration, but not beyond the trace; merged where they meet."""
        by = duration(by, "grown")
        clock = self.session.clock
        axis = TimeAxis.of(clock, by.unit)
        first = np.maximum(
            axis.at_or_after(axis.values[self.first] - by.value), self.session.begin_of_episode(self.first)
        )
        last = np.minimum(window(by).clock_indices(clock, self.last)[1], self.session.end_of_episode(self.last))
        label = f"{self.label}, {by} longer at both ends"
        grown = replace(self, label=label, first=first, last=last, unknown=None, pairs=None)
        return grown.merged()

    def lengths(self, unit: str = "s") -> Floats:
        """Return how long each lasts, to the frame after it, in `"s"` or `"frames"`; NaN if nothing shows its end."""
        clock = self.session.clock
        ends = np.minimum(self.last + 1, clock.size - 1)
        lengths = elapsed(clock, self.first, ends, time_unit(unit, "lengths"))
        return np.where(self.last < self.session.end_of_episode(self.first), lengths, np.nan)

    def to_frame(self) -> "pd.DataFrame":
        """Return a table: id, lifetime, first, last, begin, end, frames and seconds; of pairs by and on too."""
        told = {"frames": self.lengths("frames"), "seconds": self.lengths(), **pairs_of(self.participants)}
        return frame_of_spans(self.session, self.lifetime, self.first, self.last, told)

    def lasting(self, *, at_least: Duration | None = None, at_most: Duration | None = None) -> Self:
        """Return the spans of a certain length; one that the trace cuts counts by its certain length.

        Args:
            at_least: the shortest.
            at_most: the longest; in frames if the other is.

        Example:
            >>> from breadcrumb import frames
            >>> from breadcrumb.testing import small_trace
            >>> boat = small_trace().one("skiff")
            >>> (boat.position.x == 1).spans().lasting(at_least=frames(2)).count
            0
        """
        kept, said = of_length(self.session, self.first, self.last, at_least, at_most)
        return replace(self.pick_rows(np.flatnonzero(kept)), label=f"{self.label} lasting {said}")

    def starts(self) -> Moments:
        """Return the moment at which each begins."""
        return self._ends_of("start", self.first)

    def ends(self) -> Moments:
        """Return the moment of the last frame of each."""
        return self._ends_of("end", self.last)

    def edges(self) -> tuple[Moments, Moments]:
        """Return the starts and the ends, in the order of the spans, so that they can be compared one by one."""
        everything = np.arange(self.count)
        return self._moments("start", self.first, everything), self._moments("end", self.last, everything)

    def covers(self, participants: Participants, clock_index: Ints, *, excuses: bool = False) -> Bools:
        """Return whether each row lies, on that clock index, in a span that goes with it.

        Raises:
            Misuse: nothing says which spans go with which rows.
        """
        inside = np.zeros(len(clock_index), np.bool_)
        size = self.session.clock.size + 1
        for match in matches(participants, self.participants, excuses=excuses):
            at = match.left * size + clock_index[match.left_rows]
            mine = match.right != NOBODY
            own = (match.right * size)[mine]
            first, last = own + self.first[match.right_rows][mine], own + self.last[match.right_rows][mine]
            inside[match.left_rows] |= (match.left != NOBODY) & is_inside(at, first, last)
        return inside

    def over(self, track: Track, *, excuses: bool = False) -> Bools:
        """Return which samples of a track lie in a span that goes with them.

        Raises:
            Misuse: nothing says which spans go with which samples.
        """
        if track.participants is not None:
            return self.covers(track.participants, track.clock_index, excuses=excuses)
        inside = np.zeros(track.size, np.bool_)
        for match in matches(track, self.participants, excuses=excuses):
            if match.by_time:
                inside |= any_inside(self.first[match.right_rows], self.last[match.right_rows], self.session)[
                    track.clock_index
                ]
                continue
            rows = rows_of(match.right_rows, self.count)[match.right != NOBODY]
            inside |= in_lifetimes(track, match.right[match.right != NOBODY], self.first[rows], self.last[rows])
        return inside

    @property
    def _is_everyones(self) -> bool:
        return not any(one.kinds or one.has_things for one in self.participants.origins)

    def each_of(self, track: Track) -> Self:
        """Return the spans that go with a track's lifetimes, each with its lifetime; one of everyone's once for each.

        Raises:
            Misuse: nothing says which spans go with which samples.
        """
        lifetimes, first = track.lifetime[track.starts], track.clock_index[track.starts]
        last = track.clock_index[np.hstack((track.starts[1:], track.size))[: len(track.starts)] - 1]
        every, found = np.arange(self.count), [np.zeros((0, 2), np.int64)]
        for match in matches(track, self.participants):
            rows = every[match.right_rows]
            if match.by_time:
                there = (first <= self.last[rows, None]) & (last >= self.first[rows, None])
                which, index = np.nonzero(there)
                found.append(np.stack([rows[which], lifetimes[index]], axis=1))
            else:
                mine = np.isin(match.right, lifetimes)
                found.append(np.stack([rows[mine], match.right[mine]], axis=1))
        spans, lifetime = np.concatenate(found).T
        return type(self).of_lifetimes(
            self.session, self.label, lifetime, self.first[spans], self.last[spans], key=self.key
        )

    def _shared(self, other: "Spans", *, excuses: bool = False) -> "Spans":
        """Return other spans with the participants of these, once for each of these whom they go with."""
        _, one_each = np.unique(self.participants.code, return_index=True)
        groups = self.participants.pick(one_each)
        rows, others = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
        for match in matches(groups, other.participants, excuses=excuses):
            order = np.argsort(match.right, kind="stable")
            begin, end = (np.searchsorted(match.right[order], match.left, side=side) for side in ("left", "right"))
            which, at = runs(begin, np.where(match.left == NOBODY, 0, end - begin))
            rows.append(rows_of(match.left_rows, groups.size)[which])
            others.append(rows_of(match.right_rows, other.count)[order[at]])
        mine, yours = np.concatenate(rows), np.concatenate(others)
        return Spans(other.session, other.label, groups.pick(mine), other.first[yours], other.last[yours]).merged()

    def _with(self, participants: Participants, first: Ints, last: Ints) -> Self:
        first, last = np.hstack((self.first, first)), np.hstack((self.last, last))
        who = self.participants.joined(participants)
        return replace(self, participants=who, first=first, last=last, unknown=None, pairs=None)

    def _with_weighted(self, other: "Spans", weight: int, *, least: int, label: str) -> Self:
        weights = np.repeat([1, weight], [self.count, other.count])
        return self._with(other.participants, other.first, other.last)._covered(weights, least=least, label=label)

    def _covered(self, weight: Ints | None = None, *, least: int = 1, label: str) -> Self:
        """Return the stretches on which the weights of the spans of the same participants make at least so much."""
        row, first, last = weighted(self.participants.code, self.first, self.last, weight, least)
        kept = replace(self.pick_rows(row), label=label, first=first, last=last)
        return replace(kept, participants=replace(kept.participants, clock_index=kept.first))

    def pick_rows(self, rows: Ints) -> Self:
        """Return some of the spans, by their rows in the arrays."""
        who = self.participants.pick(rows)
        return replace(self, participants=who, first=self.first[rows], last=self.last[rows], unknown=None, pairs=None)

    def _ends_of(self, what: str, clock_index: Ints) -> Moments:
        return self._moments(what, clock_index, np.lexsort((np.arange(self.count), clock_index)))

    def _moments(self, what: str, clock_index: Ints, order: Ints) -> Moments:
        label = f"{what} of {self.label}"
        who = self.participants
        who = replace(who, clock_index=clock_index, known=(who.by_lifetime, who.on_lifetime)).pick(order)
        nobody = np.full(self.count, NOBODY)
        key = self.key.then(f"{what}s")
        return Moments(self.session, label, clock_index[order], nobody, who.with_label(label), key=key)

    def _meaning(self) -> list[tuple[int, ...]]:
        return sorted(zip(self.lifetime.tolist(), self.first.tolist(), self.last.tolist(), strict=True))
