"""Spans: stretches of frames, each with its subject."""

from dataclasses import dataclass
from typing import Self

import numpy as np

from breadcrumb.algebra.durations import Duration, duration, elapsed, window
from breadcrumb.algebra.moments import Moments
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

    @classmethod
    def between(cls, starts: Moments, ends: Moments) -> Self:
        """Return a span from each start to the next end of the same subject, or to the end of the trace.

        Both frames belong to it. An end on the frame of its start counts if it comes behind it.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> Spans.between(trace.events("bell.rung"), trace.events("bell.rung")).lengths("frames").tolist()
            [nan]
        """
        label = f"{starts.label} to {ends.label}"
        subjects = starts.session.clock.size + 1
        high = int(max(ends.order.max(initial=0), starts.order.max(initial=0))) + 2
        at_start = (starts.subject * subjects + starts.row) * high + starts.order
        at_end = (ends.subject * subjects + ends.row) * high + ends.order
        order = np.argsort(at_end, kind="stable")
        place = np.searchsorted(at_end[order], at_start, side="right")
        found = np.minimum(place, ends.count - 1)
        close = order[found] if ends.count else found
        fits = (place < ends.count) & (ends.subject[close] == starts.subject) if ends.count else place < 0
        last = np.where(fits, ends.row[close] if ends.count else 0, starts.session.clock.size - 1)
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

    def __bool__(self) -> bool:
        raise Misuse(f"whether {self.label} is no one truth; write spans.count > 0")

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Spans):
            return NotImplemented
        return self._meaning() == other._meaning()

    __hash__ = None  # type: ignore[assignment]

    def __or__(self, other: "Spans") -> Self:
        return self._combined(other, 1)

    def __and__(self, other: "Spans") -> Self:
        return self._combined(other, 2)

    def __sub__(self, other: "Spans") -> Self:
        mine, yours = self.merged(), other.merged()
        return self._from_coverage(_edges(mine, yours, -1), 1)

    def merged(self) -> Self:
        """Return the same frames in the fewest spans."""
        return self._from_coverage(_edges(self), 1)

    def grown(self, by: Duration) -> Self:
        """Return the spans with both ends moved out by a duration, but not beyond the trace; merged where they meet."""
        by = duration(by, "grown")
        clock = self.session.clock
        _, last = window(by).rows(clock, self.last)
        axis = clock.frames if by.unit == "frames" else clock.times
        first = np.searchsorted(axis, axis[self.first] - by.value - (0 if by.unit == "frames" else 1e-6))
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

    def _combined(self, other: "Spans", least: int) -> Self:
        return self._from_coverage(_edges(self.merged(), other.merged()), least)

    def _from_coverage(self, edges: tuple[Ints, Ints, Ints], least: int) -> Self:
        """Return the stretches on which at least so many spans of a life lie, given where spans begin and end."""
        life, row, step = edges
        order = np.lexsort((row, life))
        life, row, step = life[order], row[order], step[order]
        where, first = np.unique(np.stack([life, row], axis=1), axis=0, return_index=True)
        if not len(row):
            return type(self)(self.session, self.label, life, row, row)
        depth = np.add.reduceat(step, first).cumsum()
        on = depth >= least
        begin = on & ~np.r_[False, on[:-1]]
        end = np.r_[False, on[:-1]] & ~on
        return type(self)(self.session, self.label, where[begin, 0], where[begin, 1], where[end, 1] - 1)

    def _ends_of(self, what: str, row: Ints) -> Moments:
        names = self.session.lives.name
        by = np.where(self.life == NOBODY, NOBODY, names[self.life] if len(names) else NOBODY)
        order = np.lexsort((np.arange(self.count), row))
        nobody = np.full(self.count, NOBODY)
        label = f"{what} of {self.label}"
        return Moments(self.session, label, row[order], nobody, by[order], nobody, known_life=self.life[order])

    def _meaning(self) -> list[tuple[int, ...]]:
        return sorted(zip(self.life.tolist(), self.first.tolist(), self.last.tolist(), strict=True))


def _edges(spans: Spans, others: Spans | None = None, sign: int = 1) -> tuple[Ints, Ints, Ints]:
    every = [(spans, 1)] if others is None else [(spans, 1), (others, sign)]
    life = np.concatenate([one.life for one, _ in every for _ in "12"])
    row = np.concatenate([part for one, _ in every for part in (one.first, one.last + 1)])
    step = np.concatenate([np.full(one.count, way * sign) for one, sign in every for way in (1, -1)])
    return life, row, step


def _inside(place: Ints, first: Ints, last: Ints) -> Bools:
    """Return whether each place lies in one of the stretches, which may overlap and come in any order."""
    if not len(first):
        return np.zeros(len(place), np.bool_)
    started = np.searchsorted(np.sort(first), place, side="right")
    ended = np.searchsorted(np.sort(last), place, side="left")
    inside: Bools = started > ended
    return inside
