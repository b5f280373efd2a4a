"""Looking rows up by whom they are of and when they are."""

from dataclasses import dataclass
from typing import Literal, Self

import numpy as np

from breadcrumb.model.session import NOBODY, Bools, Ints, Session


def last_before(rising: Ints, limit: Ints) -> Ints:
    """Return the last of some rising numbers that is below each limit, or NOBODY."""
    found: Ints = np.append(rising, NOBODY)[np.searchsorted(rising, limit) - 1]
    return found


@dataclass(frozen=True, eq=False)
class Index:
    """Rows in the order of their keys, and of the clock within each key; those of the key NOBODY are never found.

    A key is a lifetime, an object or a label. The keys that are looked up may be any.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> session = small_trace().data.session
        >>> index = Index.of(session, np.array([7, 7, 8]), np.array([0, 2, 1]))
        >>> index.last_until(np.array([7, 7, 8]), np.array([1, 3, 0])).tolist()
        [0, 1, -1]
    """

    order: Ints
    """The rows, in that order."""
    keys: Ints
    """Key and clock index of each in one rising number."""
    size: int

    @classmethod
    def of(cls, session: Session, key: Ints, clock_index: Ints) -> Self:
        """Index rows by their keys and their clock indices."""
        size = session.clock.size + 2  # so that one frame beyond the clock is not one of the next key
        keys = key * size + clock_index
        order = np.argsort(keys, kind="stable")
        order = order[np.searchsorted(keys[order], 0) :] if len(order) else order
        return cls(order, keys[order], size)

    def place(self, key: Ints, clock_index: Ints, side: Literal["left", "right"] = "left") -> Ints:
        """Return how many of the rows in order come before a key's clock index, or with `"right"` up to it."""
        place: Ints = np.searchsorted(self.keys, key * self.size + clock_index, side=side)
        return place

    def last_until(self, key: Ints, clock_index: Ints) -> Ints:
        """Return the last row of each key that is not after a clock index, or NOBODY."""
        return self._of_key(self.place(key, clock_index, "right") - 1, key)

    def first_from(self, key: Ints, clock_index: Ints) -> Ints:
        """Return the first row of each key that is not before a clock index, or NOBODY."""
        return self._of_key(self.place(key, clock_index), key)

    def any_between(self, key: Ints, first: Ints, last: Ints) -> Bools:
        """Return whether each key has a row from a first to a last clock index, both included."""
        found: Bools = (self.place(key, last, "right") > self.place(key, first)) & (key != NOBODY)
        return found

    def _of_key(self, place: Ints, key: Ints) -> Ints:
        if not len(self.order):
            return np.full(len(place), NOBODY)
        safe = np.maximum(np.minimum(place, len(self.order) - 1), 0)  # `np.clip` takes ten times as long for a few
        there = (place == safe) & (key != NOBODY) & (self.keys[safe] // self.size == key)
        return np.where(there, self.order[safe], NOBODY)
