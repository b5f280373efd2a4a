"""Spans: stretches of frames, each with its subject."""

from dataclasses import dataclass
from functools import cached_property
from typing import Self

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, duration, elapsed, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session


@dataclass(frozen=True, eq=False)
class Spans:
    """Stretches of recorded frames, from a first to a last row, both included; arrays of equal length.

    A span whose life is NOBODY belongs to the session and holds for everyone.
    """

    session: Session
    label: str
    life: Ints
    first: Ints
    last: Ints
    unknown: "Spans | None" = None
    """Where a missing value leaves open whether there is one; spans that are made of others do not know."""

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
        last = np.minimum(_next_row(starts, starts.subject, ends), _next_row(starts, everyones.subject[:1], everyones))
        return cls(starts.session, label, starts.life, starts.row, last)

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
        _, last = window(duration(length, "following")).rows(clock, moments.row)
        first, last = moments.row + (0 if own_frame else 1), np.minimum(last, clock.size - 1)
        there = first <= last
        label = f"{length} after {moments.label}"
        return cls(moments.session, label, moments.life[there], first[there], last[there])

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.first)

    def __len__(self) -> int:
        return self.count

    def __getitem__(self, place: int) -> Self:
        """Return one of them, in the order in which they begin; -1 is the last.

        Raises:
            IndexError: there are not so many.
        """
        if not -self.count <= place < self.count:
            raise IndexError(f"{self.label}: there are {self.count} spans, and no span {place}")
        return self.pick(np.array([place]))

    def __bool__(self) -> bool:
        raise Misuse(f"whether {self.label} is no one truth; write spans.count > 0")

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Spans):
            return NotImplemented
        return self._meaning() == other._meaning()

    __hash__ = None  # type: ignore[assignment]

    def __or__(self, other: "Spans") -> Self:
        return self._covered_by((self, 1), (other, 1), least=1)

    def __and__(self, other: "Spans") -> Self:
        return self._covered_by((self.merged(), 1), (self._shared(other, "&").merged(), 1), least=2)

    def __sub__(self, other: "Spans") -> Self:
        return self._covered_by((self.merged(), 1), (self._shared(other, "-").merged(), -1), least=1)

    def pick(self, places: Ints) -> Self:
        """Return some of the spans, by their places in the order in which they begin."""
        order = self._by_beginning[places]
        return type(self)(self.session, self.label, self.life[order], self.first[order], self.last[order])

    @cached_property
    def _by_beginning(self) -> Ints:
        return np.lexsort((self.life, self.first))

    def merged(self) -> Self:
        """Return the same frames in the fewest spans."""
        return self._covered_by((self, 1), least=1)

    def grown(self, by: Duration) -> Self:
        """Return the spans with both ends moved out by a duration, but not beyond the trace; merged where they meet."""
        by = duration(by, "grown")
        clock = self.session.clock
        _, last = window(by).rows(clock, self.last)
        axis = clock.frames if by.unit == "frames" else clock.times
        first = np.searchsorted(axis, axis[self.first] - by.value - (0 if by.unit == "frames" else SAME_TIME))
        grown = type(self)(self.session, self.label, self.life, first, np.minimum(last, clock.size - 1))
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
        names = self.session.lives.name
        by = np.where(self.life == NOBODY, NOBODY, names[self.life] if len(names) else NOBODY)
        start, end = (
            Moments(self.session, f"{what} of {self.label}", row, nobody, by, nobody, known_life=self.life)
            for what, row in (("start", self.first), ("end", self.last))
        )
        return start, end

    def covers(self, life: Ints, row: Ints) -> Bools:
        """Return whether each life is, on that row, in one of its spans or in one of nobody in particular."""
        everyone = self.life == NOBODY
        size = self.session.clock.size + 1
        inside = _inside(row, self.first[everyone], self.last[everyone])
        owned = ~everyone
        if owned.any():
            own = self.life[owned] * size
            inside |= _inside(life * size + row, own + self.first[owned], own + self.last[owned])
        return inside

    def over(self, track: Track) -> Bools:
        """Return which samples of a track lie in a span of their life, or in one of nobody in particular."""
        if track.source is not None:
            return self.covers(track.life, track.row)
        size = self.session.clock.size
        everyone = self.life == NOBODY
        inside = np.zeros(track.size, np.bool_)
        if everyone.any():
            begun = np.bincount(self.first[everyone], minlength=size + 1)
            over = np.bincount(self.last[everyone] + 1, minlength=size + 1)
            inside = (np.cumsum(begun - over) > 0)[track.row]
        owned = self.pick(np.flatnonzero(~everyone[self._by_beginning])).merged()
        begin = np.searchsorted(track.key, track.keys(owned.life, owned.first))
        end = np.searchsorted(track.key, track.keys(owned.life, owned.last), side="right")
        lengths = np.diff(np.r_[0, np.stack([begin, end], axis=1).ravel(), track.size])
        return np.asarray(inside | np.repeat(np.arange(len(lengths)) % 2 == 1, lengths))

    def _shared(self, other: "Spans", sign: str) -> "Spans":
        """Return other spans in which those of nobody in particular are given to each life that has spans here."""
        mine = np.unique(self.life[self.life != NOBODY])
        everyone, owned = other.life == NOBODY, other.life != NOBODY
        if owned.any() and (self.life == NOBODY).any():
            raise Misuse(
                f"{self.label} {sign} {other.label}: the first is of nobody in particular, the second of objects"
            )
        count = int(everyone.sum())
        return Spans(
            other.session,
            other.label,
            np.r_[other.life, np.repeat(mine, count)],
            np.r_[other.first, np.tile(other.first[everyone], len(mine))],
            np.r_[other.last, np.tile(other.last[everyone], len(mine))],
        )

    def _covered_by(self, *several: tuple["Spans", int], least: int) -> Self:
        """Return the stretches of each life on which the weights of spans that lie there make at least so much."""
        life = np.concatenate([np.r_[one.life, one.life] for one, _ in several])
        row = np.concatenate([np.r_[one.first, one.last + 1] for one, _ in several])
        step = np.concatenate([np.repeat([weight, -weight], one.count) for one, weight in several])
        if not len(row):
            return type(self)(self.session, self.label, life, row, row)
        order = np.lexsort((row, life))
        life, row, step = life[order], row[order], step[order]
        edge = np.flatnonzero(np.r_[True, (life[1:] != life[:-1]) | (row[1:] != row[:-1])])
        on = np.add.reduceat(step, edge).cumsum() >= least
        before = np.r_[False, on[:-1]]
        begin, end = edge[on & ~before], edge[before & ~on]
        return type(self)(self.session, self.label, life[begin], row[begin], row[end] - 1)

    def _ends_of(self, what: str, row: Ints) -> Moments:
        names = self.session.lives.name
        by = np.where(self.life == NOBODY, NOBODY, names[self.life] if len(names) else NOBODY)
        order = np.lexsort((np.arange(self.count), row))
        nobody = np.full(self.count, NOBODY)
        label = f"{what} of {self.label}"
        return Moments(self.session, label, row[order], nobody, by[order], nobody, known_life=self.life[order])

    def _meaning(self) -> list[tuple[int, ...]]:
        return sorted(zip(self.life.tolist(), self.first.tolist(), self.last.tolist(), strict=True))


def _next_row(starts: Moments, subject: Ints, ends: Moments) -> Ints:
    """Return the row of the first end of a subject behind each start; the last row where there is none."""
    beyond = np.full(starts.count, starts.session.clock.size - 1)
    if not ends.count:
        return beyond
    rows = starts.session.clock.size + 1
    high = int(max(ends.order.max(initial=0), starts.order.max(initial=0))) + 2
    at_start = (subject * rows + starts.row) * high + starts.order
    at_end = (ends.subject * rows + ends.row) * high + ends.order
    order = np.argsort(at_end, kind="stable")
    place = np.searchsorted(at_end[order], at_start, side="right")
    close = order[np.minimum(place, ends.count - 1)]
    fits = (place < ends.count) & (ends.subject[close] == subject)
    return np.where(fits, ends.row[close], beyond)


def _inside(place: Ints, first: Ints, last: Ints) -> Bools:
    """Return whether each place lies in one of the stretches, which may overlap and come in any order."""
    if not len(first):
        return np.zeros(len(place), np.bool_)
    started = np.searchsorted(np.sort(first), place, side="right")
    ended = np.searchsorted(np.sort(last), place, side="left")
    inside: Bools = started > ended
    return inside
