"""Episodes: what a game does between two restarts, each as a session of its own."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from breadcrumb.model.cutting import Part
from breadcrumb.model.rows import Rows, indices_of, rows_at
from breadcrumb.model.session import NOBODY, Bools, ColumnData, Ints, Lifetimes, Session
from breadcrumb.model.trace import TraceData


class RowsByEpisode(NamedTuple):
    """Rows by the episode that they are in, so that many episodes cost no more than one."""

    order: Ints | None
    """Their indices, sorted by episode; None if they are in the order of episodes, as those of a single object are."""
    bounds: Ints

    @classmethod
    def sorted(cls, episode: Ints, many: int) -> "RowsByEpisode":
        """Return rows, given the episode of each and how many episodes there are."""
        order = None if (episode[1:] >= episode[:-1]).all() else np.argsort(episode, kind="stable")
        return cls(order, np.searchsorted(episode if order is None else episode[order], np.arange(many + 1)))

    def of(self, episode: int) -> Rows:
        """Return the rows of an episode, counted from 0."""
        bounds = slice(*self.bounds[episode : episode + 2].tolist())
        return bounds if self.order is None else rows_at(self.order[bounds])


@dataclass(frozen=True, eq=False)
class Episodes:
    """A session divided by its restarts, as trace data in which no lifetime spans a restart.

    Each lifetime that lasts from one episode into the next is divided into one for each, which have no end and no begin
    there. All clock indices are those of the whole session. While a restart still puts things back, each frame is a
    part by itself.
    """

    whole: TraceData
    """The session as it was recorded."""
    begins: Ints
    """The clock index on which each part begins, rising from 0."""
    orders: Ints
    """The order, within its frame, of the restart that begins each part; NOBODY if that is not known."""
    numbers: Ints
    """Which episode each part is of, counted from 0."""

    @classmethod
    def of(cls, whole: TraceData, clock_index: Ints, order: Ints, last: Ints) -> "Episodes | None":
        """Divide a session at restarts; None if it has no part behind the first frame.

        Args:
            whole: the session.
            clock_index: when each restart is.
            order: its order within its frame; NOBODY if that is not known.
            last: the last clock index on which it still puts things back.
        """
        lengths = last - clock_index + 1
        within = np.arange(lengths.sum()) - np.repeat(np.cumsum(lengths) - lengths, lengths)
        every = np.repeat(clock_index, lengths) + within
        orders = np.where(within == 0, np.repeat(order, lengths), NOBODY)
        by_frame = np.lexsort((within, every))  # a restart before what another one still puts back
        begins, first = np.unique(every[by_frame], return_index=True)
        behind = begins > 0
        if not behind.any():
            return None
        begins, orders = begins[behind], orders[by_frame][first][behind]
        restarts = np.unique(clock_index[clock_index > 0])
        numbers = np.searchsorted(restarts, begins, side="right")
        return cls(whole, np.hstack((0, begins)), np.hstack((NOBODY, orders)), np.hstack((0, numbers)))

    @property
    def count(self) -> int:
        """The number of parts."""
        return len(self.begins)

    @property
    def ends(self) -> Ints:
        """The last clock index of each part."""
        return np.hstack((self.begins[1:], self.whole.session.clock.size)) - 1

    @cached_property
    def restarts(self) -> Ints:
        """The clock index on which each episode but the first one begins."""
        return self.begins[np.searchsorted(self.numbers, np.arange(1, self.numbers[-1] + 1))]

    def of_clock(self, clock_index: Ints) -> Ints:
        """Return in which part each clock index is, counted from 0."""
        return np.searchsorted(self.begins, clock_index, side="right") - 1

    def sorted_rows(self, clock_index: Ints) -> "RowsByEpisode":
        """Return rows on these clock indices, sorted by episode."""
        return RowsByEpisode.sorted(self.of_clock(clock_index), self.count)

    def samples_of(self, kind: str) -> "RowsByEpisode":
        """Return the indices of a kind's samples, sorted by episode."""
        if kind not in self._sorted:
            self._sorted[kind] = self.sorted_rows(self.whole.index(kind)[1])
        return self._sorted[kind]

    @cached_property
    def _sorted(self) -> "dict[str, RowsByEpisode]":
        return {}

    @cached_property
    def session(self) -> Session:
        """All that is known besides the states."""
        return replace(self.whole.session, lifetimes=self._lifetimes, episodes=self)

    def columns(self, kind: str) -> Sequence[str]:
        """Return the names of a kind's columns."""
        return self.whole.columns(kind)

    def index(self, kind: str) -> tuple[Ints, Ints]:
        """Return the lifetime and the clock index of each of a kind's samples."""
        lifetime, clock_index = self.whole.index(kind)
        first_number, first_episode = self._first_of
        return first_number[lifetime] + self.of_clock(clock_index) - first_episode[lifetime], clock_index

    def column(self, kind: str, name: str) -> ColumnData:
        """Return one column."""
        return self.whole.column(kind, name)

    @cached_property
    def parts(self) -> "tuple[Episode, ...]":
        """Each episode by itself."""
        bounds = zip(self.begins.tolist(), self.ends.tolist(), strict=True)
        return tuple(Episode(self, number, first, last) for number, (first, last) in enumerate(bounds))

    @cached_property
    def original(self) -> Ints:
        """Of which lifetime of the whole session each one is a part."""
        return np.repeat(np.arange(self.whole.session.lifetimes.size), self._many)

    @cached_property
    def _between(self) -> tuple[Ints, Ints]:
        """In which episode each lifetime of the whole session begins, and in which it ends."""
        lifetimes = self.whole.session.lifetimes
        begin = np.where(lifetimes.appear == NOBODY, lifetimes.first, lifetimes.appear)
        begin = np.where(begin == NOBODY, np.maximum(lifetimes.leave, 0), begin)
        return self.of_clock(begin), self.of_clock(np.maximum(lifetimes.last, begin))

    @property
    def _many(self) -> Ints:
        begin, end = self._between
        return end - begin + 1

    @property
    def _first_of(self) -> tuple[Ints, Ints]:
        """The number of the first part of each lifetime of the whole session, and in which episode that is."""
        return np.cumsum(self._many) - self._many, self._between[0]

    @cached_property
    def of_lifetime(self) -> Ints:
        """In which episode each lifetime is."""
        first_number, first_episode = self._first_of
        return np.arange(len(self.original)) + (first_episode - first_number)[self.original]

    @cached_property
    def lifetimes_of(self) -> RowsByEpisode:
        """The lifetimes, sorted by episode."""
        return RowsByEpisode.sorted(self.of_lifetime, self.count)

    @cached_property
    def _lifetimes(self) -> Lifetimes:
        whole, of, episode = self.whole.session.lifetimes, self.original, self.of_lifetime
        sampled = (whole.first[of] != NOBODY) & (whole.first[of] <= self.ends[episode])
        sampled &= whole.last[of] >= self.begins[episode]

        def inside(clock_index: Ints) -> Bools:
            return np.asarray((clock_index != NOBODY) & (self.of_clock(clock_index) == episode))

        appear, leave = whole.appear[of], whole.leave[of]
        return Lifetimes(
            whole.name[of], whole.kind[of], whole.parent[of],
            np.where(inside(appear), appear, NOBODY),
            np.where(sampled, np.maximum(whole.first[of], self.begins[episode]), NOBODY),
            np.where(sampled, np.minimum(whole.last[of], self.ends[episode]), NOBODY),
            np.where(inside(leave), leave, NOBODY),
            numbered=whole.ordinal[of],
        )  # fmt: skip


class Episode(Part):
    """One episode: a session before whose first frame there is nothing, unless it is the first one."""

    def __init__(self, episodes: Episodes, number: int, first: int, last: int) -> None:
        """Cut out an episode, counted from 0."""
        super().__init__(episodes, first, last)
        self._episodes = episodes
        self.number, self.first, self.last, self.order = number, first, last, int(episodes.orders[number])
        self.is_last = number == episodes.count - 1

    @cached_property
    def session(self) -> Session:
        """All that is known besides the states."""
        return replace(super().session, episodes=None, is_fresh=self.number > 0)

    @cached_property
    def _there(self) -> Ints:
        return indices_of(self._episodes.lifetimes_of.of(self.number))

    @cached_property
    def _lifetimes(self) -> Lifetimes:
        whole, there = self._episodes.session.lifetimes, self._there

        def here(clock_index: Ints) -> Ints:
            return np.where(clock_index[there] == NOBODY, NOBODY, clock_index[there] - self.first)

        return Lifetimes(
            whole.name[there], whole.kind[there], whole.parent[there], here(whole.appear), here(whole.first),
            here(whole.last), here(whole.leave), numbered=whole.ordinal[there],
        )  # fmt: skip

    def _rows(self, kind: str) -> Rows:
        return self._episodes.samples_of(kind).of(self.number)

    def lifetimes(self, lifetime: Ints) -> Ints:
        """Return the numbers that lifetimes of the divided session have here; NOBODY for what is not here."""
        numbers = np.append(self._numbers, NOBODY)
        return numbers[lifetime]
