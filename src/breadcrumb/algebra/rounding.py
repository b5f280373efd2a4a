"""How far rounding may have moved values: a check forgives so much, and no more."""

from collections.abc import Callable, Sequence
from functools import cache, reduce
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.extremes import Extremes
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import Floats

NoiseOf: TypeAlias = Callable[[Rows], float | Floats]
"""Gives how far rounding may have moved some of the values."""

_STEPS = 8
"""How many units in the last digit of a magnitude count as rounding."""
ENORMOUS = 1e9
"""From here on a value is no measure for others: games put what is not in use at the largest number that there is."""


def noise_of(parts: Sequence[NDArray[Any]], extremes: Callable[[], Extremes] | None = None) -> NoiseOf:
    """Return what gives the noise of values: a few units in the last digit of the largest one of them all.

    They may have been computed by way of the largest one. Enormous values have a noise of their own that others have
    no part in; else a single one would excuse whatever the others do.

    Args:
        parts: the values.
        extremes: gives what is known of them already, so that the largest one need not be looked for.
    """
    if parts[0].dtype.kind != "f":
        return lambda rows: 0.0

    @cache
    def largest() -> tuple[float, bool]:
        known = extremes() if extremes is not None else None
        return _largest([known.lowest, known.highest] if known is not None and known.are_finite else parts)

    def noise(rows: Rows) -> float | Floats:
        usual, has_enormous = largest()
        if not has_enormous:
            return rounding(usual)
        size = sizes([part[rows] for part in parts])
        own = np.where(np.isfinite(size) & (size > ENORMOUS), size, usual)
        return rounding(own)

    return noise


def usual_of(values: Floats) -> Floats:
    """Return the values that are not enormous, as a measure for others; all if all are."""
    usual = values[np.abs(values) <= ENORMOUS]
    return usual if len(usual) else values


def usual_size(values: Any) -> float:
    """Return the largest magnitude of numbers that are not enormous; of all if all are."""
    return float(np.nanmax(usual_of(np.abs(values)), initial=0.0))


def most_of(noises: Sequence[NoiseOf]) -> NoiseOf:
    """Return what gives the largest of several noises."""
    return lambda rows: np.maximum.reduce(np.broadcast_arrays(*(one(rows) for one in noises)))[()]


def made_once(make: Callable[[], Floats]) -> NoiseOf:
    """Return what gives a noise that is made for all values, at the first time that it is asked for."""
    whole = cache(make)
    return lambda rows: whole()[rows]


def scaled(noise: NoiseOf, by: float) -> NoiseOf:
    """Return what gives a multiple of a noise."""
    return lambda rows: np.asarray(noise(rows)) * by


def rounding(size: float | Floats) -> Floats:
    """Return how far values of a magnitude, or of several, may be off."""
    return np.asarray(np.where(np.asarray(size) > 0, _STEPS * np.spacing(size), 0.0))


def sizes(parts: Sequence[NDArray[Any]]) -> Floats:
    """Return the largest part of each value, whatever its sign."""
    return np.asarray(reduce(np.fmax, [np.abs(part) for part in parts]))


def _largest(parts: Sequence[NDArray[Any]]) -> tuple[float, bool]:
    """Return the largest magnitude that is not enormous, and whether there are enormous ones."""
    usual, has_enormous = 0.0, False
    for part in parts:
        part = part[:1] if part.strides == (0,) else part  # the same everywhere
        largest = max(float(part.max(initial=0.0)), -float(part.min(initial=0.0)))
        if not largest <= ENORMOUS:  # rare, so that looking for it may cost
            size = np.abs(part)
            largest = float(size.max(initial=0.0, where=size <= ENORMOUS))
            has_enormous |= bool((np.isfinite(size) & (size > ENORMOUS)).any())
        usual = max(usual, largest)
    return usual, has_enormous
