"""Spans: stretches of frames, each with its subject."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Self

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, duration, elapsed, window
from breadcrumb.algebra.keys import NO_KEY, Key
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session


@dataclass(frozen=True, eq=False)
class Spans:
    """Stretches of recorded frames, from a first to a last clock index, both included; arrays of equal length.

    A span whose lifetime is NOBODY belongs to the session and holds for everyone.
    """

    session: Session
    label: str
    lifetime: Ints
    first: Ints
    last: Ints
    unknown: "Spans | None" = None
    """Where a missing value leaves open whether there is one; spans that are made of others do not know."""
    key: Key = NO_KEY
    """What they were taken from."""

    @classmethod
    def between(cls, starts: Moments, ends: Moments) -> Self:
        """Return a span from each start to the next end of the same subject or of nobody, or to the end of the trace.

        Both frames belong to it. An end on the frame of its start counts if it comes behind it.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> Spans.between(trace.events("bell.rung"), trace.events("bell.rung")).lengths("frames").tolist()
            [nan]
        """
        label = f"{starts.label} to {ends.label}"
        everyones = ends.pick(np.flatnonzero(ends.subject == NOBODY))
        last = np.minimum(
            _next_clock_index(starts, starts.subject, ends), _next_clock_index(starts, everyones.subject[:1], everyones)
        )
        return cls(starts.session, label, starts.lifetime, starts.clock_index, last, key=starts.key)

    @classmethod
    def following(cls, moments: Moments, length: Duration, *, own_frame: bool = False) -> Self:
        """Return the frames that are at most a duration after each moment, without its own frame unless asked for.

        Example:
            >>> from breadcrumb.algebra.durations import frames
            >>> from breadcrumb.testing import small_trace
            >>> Spans.following(small_trace().events("bell.rung"), frames(5)).first.tolist()
            [3]
        """
        clock = moments.session.clock
        _, last = window(duration(length, "following")).clock_indices(clock, moments.clock_index)
        first, last = moments.clock_index + (0 if own_frame else 1), np.minimum(last, clock.size - 1)
        there = first <= last
        label = f"{length} after {moments.label}"
        return cls(moments.session, label, moments.lifetime[there], first[there], last[there], key=moments.key)

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.first)

    def with_name(self, label: str) -> Self:
        """Return the same spans under a name of your own, for messages."""
        return replace(self, label=label)

    def __len__(self) -> int:
        return self.count

    def __getitem__(self, index: int) -> Self:
        """Return one of them, in the order in which they begin; -1 is the last.

        Raises:
            IndexError: there are not so many.
        """
        self.bounds(index)
        return self.pick(np.array([index]))

    def bounds(self, index: int) -> tuple[int, int, int]:
        """Return the lifetime, the first and the last clock index of one of them, in the order in which they begin.

        Raises:
            IndexError: there are not so many.
        """
        if not -self.count <= index < self.count:
            raise IndexError(f"{self.label}: there are {self.count} spans, and no span {index}")
        at = self._by_beginning[index]
        return int(self.lifetime[at]), int(self.first[at]), int(self.last[at])

    def __bool__(self) -> bool:
        raise Misuse(f"{self.label} has no truth value; write spans.count > 0")

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Spans):
            return NotImplemented
        return self._meaning() == other._meaning()

    __hash__ = None  # type: ignore[assignment]

    def __or__(self, other: "Spans") -> Self:
        return self._covered_by((self, 1), (other, 1), least=1, label=f"{self.label} or {other.label}")

    def __and__(self, other: "Spans") -> Self:
        both = (self.merged(), 1), (self._shared(other, "&").merged(), 1)
        return self._covered_by(*both, least=2, label=f"{self.label} and {other.label}")

    def __sub__(self, other: "Spans") -> Self:
        both = (self.merged(), 1), (self._shared(other, "-").merged(), -1)
        return self._covered_by(*both, least=1, label=f"{self.label} without {other.label}")

    def pick(self, indices: Ints) -> Self:
        """Return some of the spans, by their indices in the order in which they begin."""
        order = self._by_beginning[indices]
        return replace(
            self, lifetime=self.lifetime[order], first=self.first[order], last=self.last[order], unknown=None
        )

    @cached_property
    def _by_beginning(self) -> Ints:
        return np.lexsort((self.lifetime, self.first))

    def merged(self) -> Self:
        """Return the same frames in the fewest spans."""
        return self._covered_by((self, 1), least=1, label=self.label)

    def grown(self, by: Duration) -> Self:
        """Return the spans with both ends moved out by a duration, but not beyond the trace; merged where they meet."""
        by = duration(by, "grown")
        clock = self.session.clock
        _, last = window(by).clock_indices(clock, self.last)
        axis = clock.frames if by.unit == "frames" else clock.times
        first = np.searchsorted(axis, axis[self.first] - by.value - (0 if by.unit == "frames" else SAME_TIME))
        label = f"{self.label}, {by} longer at both ends"
        grown = replace(self, label=label, first=first, last=np.minimum(last, clock.size - 1), unknown=None)
        return grown.merged()

    def lengths(self, unit: str = "s") -> Floats:
        """Return how long each lasts, to the frame after it, in `"s"` or `"frames"`; NaN if the trace ends in it."""
        clock = self.session.clock
        after = np.minimum(self.last + 1, clock.size - 1)
        lengths = elapsed(clock, self.first, after, unit)
        return np.where(self.last + 1 < clock.size, lengths, np.nan)

    def starts(self) -> Moments:
        """Return the moment at which each begins."""
        return self._ends_of("start", self.first)

    def ends(self) -> Moments:
        """Return the moment of the last frame of each."""
        return self._ends_of("end", self.last)

    def edges(self) -> tuple[Moments, Moments]:
        """Return the starts and the ends, in the order of the spans, so that they can be compared one by one."""
        nobody = np.full(self.count, NOBODY)
        names = self.session.lifetimes.name
        by = np.where(self.lifetime == NOBODY, NOBODY, names[self.lifetime] if len(names) else NOBODY)
        start, end = (
            Moments(
                self.session,
                f"{what} of {self.label}",
                clock_index,
                nobody,
                by,
                nobody,
                known_lifetime=self.lifetime,
                key=self.key.then(f"{what}s"),
            )
            for what, clock_index in (("start", self.first), ("end", self.last))
        )
        return start, end

    def covers(self, lifetime: Ints, clock_index: Ints) -> Bools:
        """Return whether each lifetime is in one of its spans, or in one without a subject, on that clock index."""
        everyone = self.lifetime == NOBODY
        size = self.session.clock.size + 1
        inside = _inside(clock_index, self.first[everyone], self.last[everyone])
        owned = ~everyone
        if owned.any():
            own = self.lifetime[owned] * size
            inside |= _inside(lifetime * size + clock_index, own + self.first[owned], own + self.last[owned])
        return inside

    def over(self, track: Track) -> Bools:
        """Return which samples of a track lie in a span of their lifetime, or in one without a subject."""
        if track.source is not None:
            return self.covers(track.lifetime, track.clock_index)
        size = self.session.clock.size
        everyone = self.lifetime == NOBODY
        inside = np.zeros(track.size, np.bool_)
        if everyone.any():
            begun = np.bincount(self.first[everyone], minlength=size + 1)
            over = np.bincount(self.last[everyone] + 1, minlength=size + 1)
            inside = (np.cumsum(begun - over) > 0)[track.clock_index]
        owned = self.pick(np.flatnonzero(~everyone[self._by_beginning])).merged()
        begin = np.searchsorted(track.key, track.keys(owned.lifetime, owned.first))
        end = np.searchsorted(track.key, track.keys(owned.lifetime, owned.last), side="right")
        lengths = np.diff(np.hstack((0, np.stack([begin, end], axis=1).ravel(), track.size)))
        return np.asarray(inside | np.repeat(np.arange(len(lengths)) % 2 == 1, lengths))

    def _shared(self, other: "Spans", sign: str) -> "Spans":
        """Return other spans in which those without a subject are given to each lifetime that has spans here."""
        mine = np.unique(self.lifetime[self.lifetime != NOBODY])
        everyone, owned = other.lifetime == NOBODY, other.lifetime != NOBODY
        if owned.any() and (self.lifetime == NOBODY).any():
            raise Misuse(f"{self.label} {sign} {other.label}: the first has no subjects, the second has")
        count = int(everyone.sum())
        return Spans(
            other.session,
            other.label,
            np.hstack((other.lifetime, np.repeat(mine, count))),
            np.hstack((other.first, np.tile(other.first[everyone], len(mine)))),
            np.hstack((other.last, np.tile(other.last[everyone], len(mine)))),
        )

    def _covered_by(self, *several: tuple["Spans", int], least: int, label: str) -> Self:
        """Return the stretches of each lifetime on which the weights of spans that lie there make at least so much."""
        lifetime = np.concatenate([np.hstack((one.lifetime, one.lifetime)) for one, _ in several])
        clock_index = np.concatenate([np.hstack((one.first, one.last + 1)) for one, _ in several])
        step = np.concatenate([np.repeat([weight, -weight], one.count) for one, weight in several])
        if not len(clock_index):
            return replace(self, label=label, lifetime=lifetime, first=clock_index, last=clock_index, unknown=None)
        order = np.lexsort((clock_index, lifetime))
        lifetime, clock_index, step = lifetime[order], clock_index[order], step[order]
        edge = np.flatnonzero(
            np.hstack((True, (lifetime[1:] != lifetime[:-1]) | (clock_index[1:] != clock_index[:-1])))
        )
        on = np.add.reduceat(step, edge).cumsum() >= least
        before = np.hstack((False, on[:-1]))
        begin, end = edge[on & ~before], edge[before & ~on]
        first, last = clock_index[begin], clock_index[end] - 1
        return replace(self, label=label, lifetime=lifetime[begin], first=first, last=last, unknown=None)

    def _ends_of(self, what: str, clock_index: Ints) -> Moments:
        names = self.session.lifetimes.name
        by = np.where(self.lifetime == NOBODY, NOBODY, names[self.lifetime] if len(names) else NOBODY)
        order = np.lexsort((np.arange(self.count), clock_index))
        nobody = np.full(self.count, NOBODY)
        label = f"{what} of {self.label}"
        return Moments(
            self.session, label, clock_index[order], nobody, by[order], nobody, known_lifetime=self.lifetime[order],
            key=self.key.then(f"{what}s"),
        )  # fmt: skip

    def _meaning(self) -> list[tuple[int, ...]]:
        return sorted(zip(self.lifetime.tolist(), self.first.tolist(), self.last.tolist(), strict=True))


def _next_clock_index(starts: Moments, subject: Ints, ends: Moments) -> Ints:
    """Return the clock index of a subject's first end after each start; the last clock index where there is none."""
    beyond = np.full(starts.count, starts.session.clock.size - 1)
    if not ends.count:
        return beyond
    clock_indices = starts.session.clock.size + 1
    high = int(max(ends.order.max(initial=0), starts.order.max(initial=0))) + 2
    at_start = (subject * clock_indices + starts.clock_index) * high + starts.order
    at_end = (ends.subject * clock_indices + ends.clock_index) * high + ends.order
    order = np.argsort(at_end, kind="stable")
    index = np.searchsorted(at_end[order], at_start, side="right")
    close = order[np.minimum(index, ends.count - 1)]
    fits = (index < ends.count) & (ends.subject[close] == subject)
    return np.where(fits, ends.clock_index[close], beyond)


def _inside(index: Ints, first: Ints, last: Ints) -> Bools:
    """Return whether each index lies in one of the stretches, which may overlap and come in any order."""
    if not len(first):
        return np.zeros(len(index), np.bool_)
    started = np.searchsorted(np.sort(first), index, side="right")
    ended = np.searchsorted(np.sort(last), index, side="left")
    inside: Bools = started > ended
    return inside
