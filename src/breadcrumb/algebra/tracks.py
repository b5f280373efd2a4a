"""Tracks: which lifetime and which frame each value of a signal belongs to."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal, TypeAlias

import numpy as np

from breadcrumb.algebra import blocks
from breadcrumb.algebra.extremes import extremes_of
from breadcrumb.algebra.kernels import differences
from breadcrumb.algebra.on_demand import Held
from breadcrumb.algebra.participants import Participants
from breadcrumb.model.episodes import RowsByEpisode
from breadcrumb.model.freezing import read_only
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session

Side: TypeAlias = Literal["left", "right"]
"""Before what is equal, or behind it."""


@dataclass(frozen=True, eq=False, repr=False)
class Track:
    """Where samples come from; arrays of equal length."""

    session: Session
    lifetime: Ints
    """The lifetime of each sample; NOBODY where there is none."""
    clock_index: Ints
    """The clock index of each sample."""
    source: tuple[Ints, ...] | None = None
    """What the samples were picked at, if they were picked; then they come in its order and may repeat."""
    participants: Participants | None = None
    """Who takes part in the moments that the samples were picked at."""
    unseen: str = ""
    """Why there are no samples, if the kind was not seen; its properties are then not known either."""
    whose: str = "the signal"
    """Whose samples they are, for messages."""
    one: str = ""
    """The id of the object, if one was asked for and not a group."""

    @property
    def size(self) -> int:
        """The number of samples."""
        return len(self.clock_index)

    def name_at(self, indices: Ints) -> Ints:
        """Return of whom some samples are, as indices into the session's names."""
        if self.participants is not None:
            return self.participants.subject[indices]
        lifetime = self.lifetime[indices]
        names = self.session.lifetimes.name
        return np.where(lifetime == NOBODY, NOBODY, names[lifetime]) if len(names) else np.full(len(indices), NOBODY)

    def in_episode(self, number: int) -> Rows:
        """Return the samples in an episode, counted from 0."""
        return self._by_episode.of(number)

    @cached_property
    def _by_episode(self) -> RowsByEpisode:
        assert self.session.episodes is not None, "a session that is not divided has no episodes"
        return self.session.episodes.sorted_rows(self.clock_index)

    @property
    def frames(self) -> Ints:
        """The frame number of each sample."""
        frames = self.session.clock.frames[self.clock_index]
        read_only(frames)
        return frames

    @cached_property
    def times(self) -> Floats:
        """The game time of each sample, in seconds."""
        times = self.session.clock.times[self.clock_index]
        read_only(times)
        return times

    @cached_property
    def name(self) -> Ints:
        """Of whom each sample is, as an index into the session's names."""
        if self.participants is not None:
            return self.participants.subject
        return np.repeat(self.name_at(self.starts), np.diff(self.starts, append=self.size))

    @cached_property
    def starts(self) -> Ints:
        """The index of the first sample of each lifetime."""
        if not self.size:
            return np.zeros(0, np.int64)
        return np.flatnonzero(np.hstack((True, self.lifetime[1:] != self.lifetime[:-1])))

    @property
    def runs(self) -> Ints:
        """The indices where what is judged by itself begins: a lifetime, or any sample if they were picked."""
        return self.starts if self.source is None else np.arange(self.size)

    @cached_property
    def steps(self) -> Floats:
        """The time from the sample before to each one; 0 or less where there is none in the same lifetime."""
        if self.size and self._is_contiguous:  # then each is one of the clock's
            step: Floats = np.diff(self.session.clock.times, prepend=0.0)[self.clock_index]
        else:
            step = differences(self.times)
        step[self.starts] = 0.0
        if len(self.session.gaps):
            step[self.no_step] = 0.0
        return step

    @cached_property
    def shortest_and_longest_step(self) -> tuple[float, float]:
        """The shortest and the longest time between two samples of a lifetime, where there is one."""
        _, shortest, longest = extremes_of(self.steps, self.size, self.starts, self.steps > 0)
        return float(shortest.min(initial=np.inf)), float(longest.max(initial=0.0))

    @cached_property
    def first_of_lifetime(self) -> Bools:
        """Whether each sample is the first of its lifetime."""
        first = np.zeros(self.size, np.bool_)
        first[self.starts] = True
        return first

    @cached_property
    def no_step(self) -> Bools:
        """Whether no step ends at each sample: it is the first of its lifetime, or the first one behind a gap."""
        if not len(self.session.gaps):
            return self.first_of_lifetime
        behind = np.hstack((False, self.session.is_torn(self.clock_index[:-1], self.clock_index[1:])))[: self.size]
        return np.asarray(self.first_of_lifetime | behind)

    @cached_property
    def unbroken(self) -> bool:
        """Whether each lifetime has a sample on every frame from its first to its last, without a gap."""
        return not len(self.session.gaps) and self._is_contiguous

    @cached_property
    def _is_contiguous(self) -> bool:
        """Whether each lifetime has a sample on every recorded frame from its first to its last; lifetimes rise."""
        ends, lifetime = np.append(self.starts, self.size)[1:] - 1, self.lifetime[self.starts]
        rises = bool((lifetime[1:] > lifetime[:-1]).all())
        return rises and bool((self.clock_index[ends] - self.clock_index[self.starts] == ends - self.starts).all())

    @cached_property
    def key(self) -> Ints:
        """Lifetime and clock index in one rising number."""
        return self.keys(self.lifetime, self.clock_index)

    @cached_property
    def one_at_a_time(self) -> bool:
        """Whether no two samples share a frame."""
        if self.size > self.session.clock.size:
            return False
        return len(self.starts) < 2 or len(np.unique(self.clock_index)) == self.size

    @cached_property
    def names(self) -> Ints:
        """Who has samples here, as indices into the session's names, rising."""
        return np.unique(self.name_at(self.runs))

    @cached_property
    def kinds(self) -> tuple[str, ...]:
        """The kinds of the objects that have samples here."""
        lifetime = self.lifetime[self.starts]
        found = np.unique(self.session.lifetimes.kind[lifetime[lifetime != NOBODY]]).tolist()
        return tuple(self.session.kinds[kind] for kind in found)

    @cached_property
    def by_clock_index(self) -> tuple[Ints, Ints]:
        """The clock indices, rising, and the index of the sample on each."""
        order = np.argsort(self.clock_index, kind="stable")
        return self.clock_index[order], order

    def keys(self, lifetime: Ints, clock_index: Ints) -> Ints:
        """Return lifetimes and clock indices in one rising number each, comparable with `key`."""
        return lifetime * (self.session.clock.size + 1) + clock_index

    def find(self, lifetime: Ints, clock_index: Ints) -> Ints:
        """Return the index of the sample of each lifetime on each clock index, NOBODY where there is none."""
        if not self.size:
            return np.full(len(lifetime), NOBODY)
        index = np.minimum(self.place(lifetime, clock_index), self.size - 1)
        is_there = (self.lifetime[index] == lifetime) & (self.clock_index[index] == clock_index)
        return np.where(is_there, index, NOBODY)

    def place(self, lifetime: Ints, clock_index: Ints, side: Side = "left") -> Ints:
        """Return where the sample of each lifetime on each clock index is, or would be; as np.searchsorted does.

        Where no frame is left out it is counted from the start of the lifetime. That takes no look at the samples,
        while to make `key` and to search it takes several passes over them.
        """
        if self.source is not None or not self.size or not self._is_contiguous:
            return np.searchsorted(self.key, self.keys(lifetime, clock_index), side=side)
        starts = np.append(self.starts, self.size)
        known = self.lifetime[starts[:-1]]
        rank = np.searchsorted(known, lifetime)
        safe = np.minimum(rank, len(known) - 1)
        passed = clock_index - self.clock_index[starts[safe]] + (side == "right")
        many = np.where(known[safe] == lifetime, starts[safe + 1] - starts[safe], 0)
        placed: Ints = starts[rank] + np.clip(passed, 0, many)
        return placed

    def find_clock_index(self, clock_index: Ints) -> Ints:
        """Return the index of the one sample on each clock index, NOBODY where there is none."""
        indices = np.full(self.session.clock.size, NOBODY)
        indices[self.clock_index] = np.arange(self.size)
        return indices[clock_index]

    def at_or_after(self, clock_indices: Ints) -> Ints:
        """Return, for each sample, the first of its lifetime at or after another clock index, else its end.

        Where no frame was left out, that is as many samples on as clock indices; elsewhere it is looked for.

        Args:
            clock_indices: the other one for each clock index.
        """
        on = clock_indices - np.arange(len(clock_indices))
        index, last = np.empty(self.size, np.int64), np.append(self.starts, self.size)
        first, end = Held(self.starts, self.starts, self.size), Held(last[1:], self.starts, self.size)
        for block in blocks.slices(self.size):
            some = np.arange(block.start, block.stop) + on[self.clock_index[block]]
            np.clip(some, first[block], end[block], out=index[block])
        if self.size and not self._is_contiguous:
            wanted, inside = clock_indices[self.clock_index], np.minimum(index, self.size - 1)
            other = np.flatnonzero((self.clock_index[inside] != wanted) | (self.lifetime[inside] != self.lifetime))
            index[other] = np.clip(self.place(self.lifetime[other], wanted[other]), first[other], end[other])
        return index

    def take(self, indices: Rows) -> "Track":
        """Return the track of some of these samples."""
        source = None if self.source is None else tuple(column[indices] for column in self.source)
        return replace(
            self,
            lifetime=self.lifetime[indices],
            clock_index=self.clock_index[indices],
            source=source,
            participants=None if self.participants is None else self.participants.pick(indices),
        )

    def same_as(self, other: "Track") -> bool:
        """Tell whether samples of the two tracks belong together one by one."""
        if self is other:
            return True
        if self.source is not None and other.source is not None:
            return all(a is b or np.array_equal(a, b) for a, b in zip(self.source, other.source, strict=True))
        return (
            self.size == other.size
            and bool(np.array_equal(self.clock_index, other.clock_index))
            and bool(np.array_equal(self.lifetime, other.lifetime))
        )
