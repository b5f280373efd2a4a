"""From where to where a page shows a session: where its objects are, but for what is put away."""

from collections.abc import Sequence
from typing import NamedTuple, Self

import numpy as np

from breadcrumb.algebra.rounding import ENORMOUS
from breadcrumb.algebra.signals import Signal
from breadcrumb.model.session import Bools, Floats

_DIMENSIONS = 3
_FAR = 10.0
"""How many times the extent of the middle half of all places something is away from it that is far away."""
_LOOKED_AT = 1_000_000
"""How many samples of a kind are looked at, or up to twice as many."""


def ends_of(positions: Sequence[Signal]) -> list[tuple[float, float]]:
    """Return the lowest and the highest coordinate on each of three axes.

    What rests far away from the others is left out, as objects of a pool do that are not in use: beside these nothing
    could be told apart.

    Args:
        positions: those of each kind, of two or three parts.
    """
    places = [_Places.of(one) for one in positions]
    every = [_together([one.pick(one.tells) for one in places], axis) for axis in range(_DIMENSIONS)]
    middle = [np.quantile(one, (0.25, 0.75)) if len(one) else np.zeros(2) for one in every]
    reach = _FAR * max(float(high - low) for low, high in middle)
    fences = [(low - reach, high + reach) if reach else (-np.inf, np.inf) for low, high in middle]
    shown = [one.without(fences) for one in places]
    ends = [_together(shown, axis) for axis in range(_DIMENSIONS)]
    return [(float(one.min()), float(one.max())) if len(one) else (0.0, 0.0) for one in ends]


class _Places(NamedTuple):
    """Places of a kind."""

    parts: list[Floats]
    rests: Bools
    """Which are the same on the sample before or after."""
    tells: Bools
    """Which tell where objects are: not those at which one rests that moves elsewhere."""

    @classmethod
    def of(cls, position: Signal) -> Self:
        """Return some of the places that a kind has, evenly over the session, or all if they are not too many."""
        known = np.flatnonzero(position.usable & np.logical_and.reduce([np.isfinite(part) for part in position.parts]))
        some = known[:: max(len(known) // _LOOKED_AT, 1)]
        beside = np.minimum(some + 1, max(len(position) - 1, 0)), np.maximum(some - 1, 0)
        same = [np.logical_and.reduce([part[some] == part[other] for part in position.parts]) for other in beside]
        rests, lifetime = same[0] | same[1], position.track.lifetime[some]
        ever_moves = np.bincount(lifetime, ~rests) > 0
        return cls([part[some] for part in position.parts], rests, ~(rests & ever_moves[lifetime]))

    def pick(self, rows: Bools) -> Self:
        """Return some of the places."""
        return type(self)([part[rows] for part in self.parts], self.rests[rows], self.tells[rows])

    def without(self, fences: Sequence[tuple[float, float]]) -> Self:
        """Return the places without those that rest beyond the fences, and those of which there is no picture."""
        pairs = list(zip(self.parts, fences, strict=False))
        beyond = np.logical_or.reduce([(part < low) | (part > high) for part, (low, high) in pairs])
        enormous = np.logical_or.reduce([np.abs(part) > ENORMOUS for part in self.parts])
        return self.pick(~(beyond & self.rests | enormous))


def _together(places: Sequence[_Places], axis: int) -> Floats:
    """Return the coordinates of all kinds on an axis."""
    return np.concatenate([np.zeros(0), *(one.parts[axis] for one in places if axis < len(one.parts))])
