"""Segments: the pieces of a signal, one for each play, hold, hop, round or lifetime, to be compared."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Generic, Self, TypeVar, overload

import numpy as np

from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.rounding import made_once
from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints

S = TypeVar("S", bound=Samples)
_EVERYONE = -2
"""Stands for the samples of all objects."""


@dataclass(frozen=True, eq=False, repr=False)
class Segments(Sequence[S], Generic[S]):
    """The samples of a signal in each of several spans, in the order in which these begin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> [one.values.tolist() for one in boat.position.x.per((boat.position.x != 1.0).spans())]
        [[0.0], [2.0, 3.0]]
    """

    signal: S
    spans: Spans

    def __repr__(self) -> str:
        return f"<{self.signal.title} in each of {self.spans!r}>"

    def __len__(self) -> int:
        return self.spans.count

    @overload
    def __getitem__(self, index: int) -> S: ...
    @overload
    def __getitem__(self, index: slice) -> Self: ...
    def __getitem__(self, index: int | slice) -> S | Self:
        """Return the signal in one of the spans, or the segments of some of them."""
        if isinstance(index, slice):
            return replace(self, spans=self.spans.pick(np.arange(len(self))[index]))
        _, first, last = self.spans.bounds(index)
        signal, track = self.signal, self.signal.track
        lifetime = int(self._lifetimes[self.spans.in_order[index]])
        if lifetime == _EVERYONE:
            indices = np.flatnonzero((track.clock_index >= first) & (track.clock_index <= last))
        else:
            begin, end = self._ends
            indices = np.arange(begin[index], end[index])
        return signal.take(indices)

    def with_samples(self) -> list[S]:
        """Return the signal in each of the spans in which it has samples."""
        begin, end = self._ends
        some = np.flatnonzero((self._lifetimes[self.spans.in_order] == _EVERYONE) | (begin < end))
        return [piece for piece in (self[index] for index in some.tolist()) if len(piece)]

    @cached_property
    def _ends(self) -> tuple[Ints, Ints]:
        """Where the samples of each span begin and end, in their order, if they are of one lifetime."""
        order, track = self.spans.in_order, self.signal.track
        lifetime, first, last = self._lifetimes[order], self.spans.first[order], self.spans.last[order]
        return track.place(lifetime, first), track.place(lifetime, last, "right")  # of nobody's, both are 0

    @cached_property
    def _lifetimes(self) -> Ints:
        """Whose samples each span takes."""
        result = np.full(self.spans.count, NOBODY)
        for match in matches(self.signal.track, self.spans.participants):
            result[match.right_rows] = _EVERYONE if match.by_time else match.right
        return result


def joined(pieces: Sequence[S]) -> tuple[S, Ints]:
    """Return several signals of one unit as one, by lifetime and clock index, and the index of each sample's piece.

    Raises:
        Misuse: they have different units, numbers of parts or spaces.
    """
    first = pieces[0]
    for other in pieces[1:]:
        for what in ("unit", "space"):
            if getattr(first, what) != getattr(other, what):
                raise Misuse(f"{first.title} and {other.title} differ in {what}: "
                             f"{getattr(first, what)!r}, {getattr(other, what)!r}")  # fmt: skip
        if len(first.parts) != len(other.parts):
            raise Misuse(f"{first.title} has {len(first.parts)} parts and {other.title} has {len(other.parts)}")
    piece = np.repeat(np.arange(len(pieces)), [len(one) for one in pieces])
    lifetime, clock_index = (
        np.concatenate([getattr(one.track, what) for one in pieces]) for what in ("lifetime", "clock_index")
    )
    order = np.lexsort((clock_index, lifetime))
    parts = tuple(np.concatenate([one.parts[k] for one in pieces])[order] for k in range(len(first.parts)))
    usable = np.concatenate([one.usable for one in pieces])[order]
    track = replace(first.track, lifetime=lifetime[order], clock_index=clock_index[order], participants=None)

    noise = made_once(lambda: np.concatenate([np.broadcast_to(one.noise, len(one)) for one in pieces])[order])
    return replace(first, track=track, parts=parts, valid=usable, known_noise=noise), piece[order]
