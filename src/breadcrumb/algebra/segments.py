"""Segments: the pieces of a signal, one for each play, hold, hop, round or life, to be compared with one another."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Generic, Self, TypeVar, overload

import numpy as np

from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints

S = TypeVar("S", bound=Samples)


@dataclass(frozen=True, eq=False)
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

    def __len__(self) -> int:
        return self.spans.count

    @overload
    def __getitem__(self, place: int) -> S: ...
    @overload
    def __getitem__(self, place: slice) -> Self: ...
    def __getitem__(self, place: int | slice) -> S | Self:
        """Return the signal in one of the spans, or the segments of some of them."""
        if isinstance(place, slice):
            return replace(self, spans=self.spans.pick(np.arange(len(self))[place]))
        span = self.spans[place]
        signal, life = self.signal, int(span.life[0])
        track = signal.track
        if life == NOBODY:
            places = np.flatnonzero((track.row >= span.first[0]) & (track.row <= span.last[0]))
        else:
            ends = track.keys(span.life[[0, 0]], np.r_[span.first, span.last + 1])
            places = np.arange(*np.searchsorted(track.key, ends))
        return signal.take(places)


def joined(pieces: Sequence[S]) -> tuple[S, Ints]:
    """Return several signals of one unit as one, in the order of lives and rows, and the place of each sample's piece.

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
    life, row = (np.concatenate([getattr(one.track, what) for one in pieces]) for what in ("life", "row"))
    order = np.lexsort((row, life))
    parts = tuple(np.concatenate([one.parts[k] for one in pieces])[order] for k in range(len(first.parts)))
    usable = np.concatenate([one.usable for one in pieces])[order]
    track = replace(first.track, life=life[order], row=row[order], subject=None)
    noise = max(float(np.max(one.noise, initial=0.0)) for one in pieces)
    return replace(first, track=track, parts=parts, valid=usable, known_noise=noise), piece[order]
