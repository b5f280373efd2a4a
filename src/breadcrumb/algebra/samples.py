"""Samples: the values of a signal and the track they belong to, as plain data."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.extremes import Extremes, extremes_of
from breadcrumb.algebra.keys import NO_KEY, Key
from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import Bools, Floats, Ints

_NOISE_STEPS = 8
"""How many units in the last digit of the largest magnitude count as rounding."""


@dataclass(frozen=True, eq=False)
class Samples:
    """Values over time, as NumPy arrays over a track."""

    track: Track
    name: str
    """What it is, for messages."""
    parts: tuple[NDArray[Any], ...]
    """One array for a scalar, two to four for a vector; texts are indices into `texts`."""
    valid: Bools | None = None
    """Which samples have a value; None if all have."""
    unit: str = ""
    texts: tuple[str, ...] | None = None
    """The distinct texts of a text signal."""
    owner: str = ""
    """Whose it is, for messages."""
    known_noise: float | Floats | Callable[[], float | Floats] | None = None
    """How far rounding may have moved a derived value, or what gives that; None for one that was recorded."""
    space: str = "world"
    """What the values are relative to: the world, the object's own parent, or the screen."""
    key: Key = NO_KEY
    """What it was taken from."""

    @property
    def values(self) -> NDArray[Any]:
        """The values: one a sample, or for a vector a row of parts for each sample; a missing number is NaN."""
        if self.texts is not None:
            texts = np.array([*self.texts, None], object)
            return np.asarray(texts[self.parts[0] if self.valid is None else np.where(self.valid, self.parts[0], -1)])
        parts = self.parts
        if self.valid is not None and parts[0].dtype != np.bool_:
            parts = tuple(np.where(self.valid, part, np.nan) for part in parts)
        values = parts[0].view() if len(parts) == 1 else np.stack(parts, axis=1)
        values.flags.writeable = False  # whatever asks for the same signal again is given the same array
        return values

    @property
    def title(self) -> str:
        """What it is and whose."""
        return f"{self.name} of {self.owner}" if self.owner else self.name

    @property
    def frames(self) -> Ints:
        """The frame number of each sample."""
        return self.track.frames

    @property
    def times(self) -> Floats:
        """The game time of each sample, in seconds."""
        return self.track.times

    @property
    def noise(self) -> float | Floats:
        """How far rounding alone may have moved a value."""
        known = self.known_noise
        if callable(known):
            return known()
        return noise_of(self.parts) if known is None else known

    def with_name(self, name: str) -> Self:
        """Return the same values under a name of your own, for messages and figures."""
        return replace(self, name=name)

    def noise_at(self, indices: Ints | slice) -> Callable[[], float | Floats]:
        """Return what gives the noise of some samples, by their indices."""

        def noise() -> float | Floats:
            known = self.noise
            return known[indices] if isinstance(known, np.ndarray) and known.ndim else known

        return noise

    def take(self, indices: Ints) -> Self:
        """Return some of the samples, by their indices."""
        return replace(
            self,
            track=self.track.take(indices),
            parts=tuple(part[indices] for part in self.parts),
            valid=None if self.valid is None else self.valid[indices],
            known_noise=self.noise_at(indices),
        )

    @cached_property
    def extremes(self) -> Extremes:
        """The lowest and the highest value of a number in each piece of its column, looked for once."""
        return extremes_of(self.parts[0], self.track.size, self.track.runs, self.valid)

    @property
    def usable(self) -> Bools:
        """Which samples have a value, as flags."""
        return np.ones(self.track.size, np.bool_) if self.valid is None else self.valid

    @property
    def is_flag(self) -> bool:
        """Whether it is true or false on each sample."""
        return self.texts is None and self.parts[0].dtype == np.bool_

    def __len__(self) -> int:
        return self.track.size


def noise_of(parts: Sequence[NDArray[Any]]) -> float:
    """Return how far rounding may have moved recorded values: a few units in the last digit of the largest."""
    if parts[0].dtype.kind != "f":
        return 0.0
    largest = 0.0
    for part in parts:
        high, low = float(part.max(initial=0.0)), float(part.min(initial=0.0))
        if not (np.isfinite(high) and np.isfinite(low)):  # rare, so that looking for it may cost
            finite = part[np.isfinite(part)]
            high, low = float(finite.max(initial=0.0)), float(finite.min(initial=0.0))
        largest = max(largest, high, -low)
    return _NOISE_STEPS * float(np.spacing(largest)) if largest else 0.0


def both(a: Bools | None, b: Bools | None) -> Bools | None:
    """Return which samples have a value on both sides."""
    if a is None or b is None:
        return b if a is None else a
    return a & b


def largest_of(parts: Sequence[NDArray[Any]]) -> float:
    """Return the largest magnitude."""
    largest = 0.0
    for part in map(np.asarray, parts):
        high, low = float(part.max(initial=0.0)), float(part.min(initial=0.0))
        if not (np.isfinite(high) and np.isfinite(low)):
            high, low = float(np.nanmax(part, initial=0.0)), float(np.nanmin(part, initial=0.0))
        largest = max(largest, high, -low)
    return largest


def smallest_of(parts: Sequence[NDArray[Any]]) -> float:
    """Return the smallest magnitude that is not 0."""
    sizes = np.abs(np.concatenate([np.ravel(part) for part in parts]))
    return float(sizes[sizes > 0].min(initial=np.inf)) if len(sizes) else np.inf


def per_second(unit: str) -> str:
    """Return the unit of a rate."""
    if not unit:
        return ""
    return f"{unit.removesuffix('/s')}/s2" if unit.endswith("/s") else f"{unit}/s"
