"""Tracks: which life and which frame each value of a signal belongs to."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from breadcrumb.algebra.extremes import extremes_of
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session


@dataclass(frozen=True, eq=False)
class Track:
    """Where samples come from; arrays of equal length."""

    session: Session
    life: Ints
    """The life of each sample; NOBODY where there is none."""
    row: Ints
    """The row of the clock of each sample."""
    source: object = None
    """What the samples were picked at, if they were picked; then they come in its order and may repeat."""
    subject: Ints | None = None
    """Of whom each sample is, as a place in the session's names, where that is not the owner of the life."""

    unseen: str = ""
    """Why there are no samples, if the kind was not seen; its properties are then not known either."""

    @property
    def size(self) -> int:
        """The number of samples."""
        return len(self.row)

    def name_at(self, places: Ints) -> Ints:
        """Return of whom some samples are, as places in the session's names."""
        if self.subject is not None:
            return self.subject[places]
        life = self.life[places]
        names = self.session.lives.name
        return np.where(life == NOBODY, NOBODY, names[life]) if len(names) else np.full(len(places), NOBODY)

    @property
    def frames(self) -> Ints:
        """The frame number of each sample."""
        return self.session.clock.frames[self.row]

    @cached_property
    def times(self) -> Floats:
        """The game time of each sample, in seconds."""
        return self.session.clock.times[self.row]

    @cached_property
    def name(self) -> Ints:
        """Of whom each sample is, as a place in the session's names."""
        return self.subject if self.subject is not None else self.name_at(np.arange(self.size))

    @cached_property
    def starts(self) -> Ints:
        """The place of the first sample of each life."""
        if not self.size:
            return np.zeros(0, np.int64)
        return np.flatnonzero(np.r_[True, self.life[1:] != self.life[:-1]])

    @property
    def runs(self) -> Ints:
        """The places where what is judged by itself begins: a life, or any sample if they were picked."""
        return self.starts if self.source is None else np.arange(self.size)

    @cached_property
    def steps(self) -> Floats:
        """The time from the sample before to each one; 0 or less where there is none in the same life."""
        step = np.zeros(self.size)
        np.subtract(self.times[1:], self.times[:-1], out=step[1:])
        step[self.starts] = 0.0
        return step

    @cached_property
    def shortest_and_longest_step(self) -> tuple[float, float]:
        """The shortest and the longest time between two samples of a life, where there is one."""
        _, shortest, longest = extremes_of(self.steps, self.size, self.starts, self.steps > 0)
        return float(shortest.min(initial=np.inf)), float(longest.max(initial=0.0))

    @cached_property
    def first_of_life(self) -> Bools:
        """Whether each sample is the first of its life."""
        first = np.zeros(self.size, np.bool_)
        first[self.starts] = True
        return first

    @cached_property
    def key(self) -> Ints:
        """Life and row in one rising number."""
        return self.keys(self.life, self.row)

    @cached_property
    def one_at_a_time(self) -> bool:
        """Whether no two samples share a frame."""
        return len(self.starts) < 2 or len(np.unique(self.row)) == self.size

    @cached_property
    def names(self) -> Ints:
        """Who has samples here, as places in the session's names, rising."""
        return np.unique(self.name_at(self.runs))

    @cached_property
    def by_row(self) -> tuple[Ints, Ints]:
        """The rows, rising, and the place of the sample on each."""
        order = np.argsort(self.row, kind="stable")
        return self.row[order], order

    def keys(self, life: Ints, row: Ints) -> Ints:
        """Return lives and rows in one rising number each, comparable with `key`."""
        return life * (self.session.clock.size + 1) + row

    def find(self, life: Ints, row: Ints) -> Ints:
        """Return the place of the sample of each life on each row, NOBODY where there is none."""
        return _found(self.key, self.keys(life, row))

    def find_row(self, row: Ints) -> Ints:
        """Return the place of the one sample on each row, NOBODY where there is none."""
        places = np.full(self.session.clock.size, NOBODY)
        places[self.row] = np.arange(self.size)
        return places[row]

    def at_or_after(self, row: Ints) -> Ints:
        """Return, for each sample, the place of the first one at or after another row, in its life or a later one.

        Where no frame was left out, that is as many places on as rows; elsewhere it is looked for.
        """
        place = np.arange(self.size) + (row - self.row)
        inside = np.clip(place, 0, max(self.size - 1, 0))
        other = np.flatnonzero((place != inside) | (self.row[inside] != row) | (self.life[inside] != self.life))
        place[other] = np.searchsorted(self.key, self.keys(self.life[other], row[other]))
        return place

    def take(self, places: Ints) -> "Track":
        """Return the track of some of these samples."""
        subject = None if self.subject is None else self.subject[places]
        return Track(self.session, self.life[places], self.row[places], self.source, subject, self.unseen)

    def same_as(self, other: "Track") -> bool:
        """Tell whether samples of the two tracks belong together one by one."""
        if self is other or (self.source is not None and self.source is other.source and self.size == other.size):
            return True
        return (
            self.size == other.size
            and bool(np.array_equal(self.row, other.row))
            and bool(np.array_equal(self.life, other.life))
        )


def _found(rising: Ints, wanted: Ints) -> Ints:
    if not len(rising):
        return np.full(len(wanted), NOBODY)
    place = np.minimum(np.searchsorted(rising, wanted), len(rising) - 1)
    return np.where(rising[place] == wanted, place, NOBODY)
