"""Flags: true or false on each sample."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.quantities import Quantity
from breadcrumb.algebra.samples import Sort
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import Bools


@dataclass(frozen=True, eq=False, repr=False)
class Flag(Signal, sort=Sort.FLAG):
    """True or false on each sample.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> moored = small_trace().one("skiff").moored
        >>> moored.values.tolist(), (~moored).rises().frames.tolist()
        ([True, False, False, False], [1])
    """

    def rises(self) -> Moments:
        """Return the moments at which it turns true; one that is true from a lifetime's start does not rise.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> (small_trace().one("skiff").position.x > 1).rises().frames.tolist()
            [2]
        """
        return self._rises

    def falls(self) -> Moments:
        """Return the moments at which it turns false.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").moored.falls().frames.tolist()
            [1]
        """
        return self._falls

    def spans(self) -> Spans:
        """Return the stretches of samples on which it is true.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> (small_trace().one("skiff").position.x > 1).spans()
            <position.x > 1: 1 span, frames 2 to 3>
        """
        track = self.sampled("spans()")
        unknown = None if self.valid is None else _stretches(track, ~self.valid, f"{self.name} unknown")
        on = np.zeros(0, np.bool_) if track.unseen else self.parts[0] & self.usable
        return replace(_stretches(track, on, str(self.name)), unknown=unknown, key=self.key)

    def share(self, **_: Any) -> Quantity:
        """Return the share of the samples that have a value on which it is true, from 0 to 1.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> boat = small_trace().one("skiff")
            >>> (boat.position.x > 0).share()
            <share of (position.x > 0) of the skiff: 0.75 over 4 samples>
        """
        values = self.parts[0] if self.valid is None else self.parts[0][self.valid]
        found = float(np.mean(values)) if len(values) and not self.track.unseen else float("nan")
        many = 0 if self.track.unseen else len(values)
        of = "samples" if self.track.source is None else "moments"
        return Quantity(found, f"share of {self.title}", "", self.track.session.label, many, of)

    @cached_property
    def _rises(self) -> Moments:
        return self._edges("rises()", "rise")

    @cached_property
    def _falls(self) -> Moments:
        return self._edges("falls()", "fall")

    def _edges(self, what: str, word: str) -> Moments:
        track, turns = self.sampled(what), self.turns
        kept = np.flatnonzero(self._turned_on == (word == "rise"))
        return self.moments_at(turns.clock_index[kept], turns.lifetime[kept], word) if track.size else self.changes()

    @cached_property
    def _turned_on(self) -> Bools:
        """Which of the turns are to true."""
        flags: Bools = self.parts[0][self.turns.indices] == True  # noqa: E712 - what was never seen has numbers
        return flags


def _stretches(track: Track, on: Bools, label: str) -> Spans:
    """Return the stretches of a lifetime's samples on which a flag is true."""
    goes_on = on & np.hstack((False, on[:-1])) & ~track.first_of_lifetime
    begin, end = np.flatnonzero(on & ~goes_on), np.flatnonzero(on & ~np.hstack((goes_on[1:], False)))
    first, last = track.clock_index[begin], track.clock_index[end]
    return Spans.of_lifetimes(track.session, label, track.lifetime[begin], first, last, one=track.one)
