"""Sums of sines over the samples of lifetimes at even steps.

The samples stand in rows. The sine at one of them is that of the sum of two angles, of which one is the same in all of
a row and the other one the same in all rows: one product of matrices does for all samples, and what needs no values
does without them. That takes a tenth of the time of a sine for each sample.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Self, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.model.session import Bools, Floats, Ints

Waves: TypeAlias = NDArray[np.complex128]
"""Values of exp(iwt)."""
_ROW = 128
"""How many samples stand in a row."""


@dataclass(frozen=True, eq=False)
class EvenSamples:
    """The samples of some lifetimes, each in rows of its own; what is behind the last one is 0."""

    values: Floats
    """By lifetime, row, and place in the row."""
    begins: Floats
    """The time of the first sample of each row, by lifetime and row."""
    within: Floats
    """How long after that each of a row is."""
    counts: Ints
    """How many samples each lifetime has."""

    @classmethod
    def of(cls, values: Sequence[Floats], times: Sequence[Floats], step: float) -> Self:
        """Put the samples of each lifetime, which are a step apart, into rows."""
        counts = np.array([len(each) for each in values])
        rows = -(-int(counts.max()) // _ROW)
        every, begins = np.zeros((len(counts), rows * _ROW)), np.zeros((len(counts), rows))
        for number, (mine, when) in enumerate(zip(values, times, strict=True)):
            every[number, : len(mine)] = mine
            begins[number, : -(-len(mine) // _ROW)] = when[::_ROW]
        within = np.asarray(step * np.arange(_ROW), np.float64)
        return cls(every.reshape(len(counts), rows, _ROW), begins, within, counts)

    @cached_property
    def total(self) -> Floats:
        """The sum of the values of each lifetime."""
        return np.asarray(self.values.sum(axis=(1, 2)))

    @cached_property
    def plain(self) -> Waves:
        """How many samples there are, and the sums of their times and of their squared times."""
        return self._of_times(
            *(np.ones((len(self.counts), size), np.complex128) for size in (_ROW, self.begins.shape[1]))
        )

    @cached_property
    def _powers(self) -> Floats:
        return np.stack([np.ones(_ROW), self.within, self.within**2], axis=1)

    @cached_property
    def _is_in_last(self) -> Bools:
        """Whether a place in the last row of each lifetime has a sample."""
        return np.asarray(np.arange(_ROW) < ((self.counts - 1) % _ROW + 1)[:, None])

    @cached_property
    def _last(self) -> Ints:
        """The last row of each lifetime."""
        return (self.counts - 1) // _ROW

    @cached_property
    def _is_full(self) -> Bools:
        """Whether each row of each lifetime has a sample at each place, and is not its last one."""
        return np.asarray(np.arange(self.begins.shape[1]) < self._last[:, None])

    def _of_times(self, across: Waves, along: Waves) -> Waves:
        """Return the sums of exp(iwt), t exp(iwt) and t^2 exp(iwt) of each lifetime.

        Args:
            across: exp(iwt) within a row of each.
            along: the same where its rows begin.
        """
        each = np.arange(len(self.counts))
        last, full = self.begins[each, self._last], along * self._is_full
        timed = full * self.begins
        of_rows = np.stack([full.sum(axis=1), timed.sum(axis=1), (timed * self.begins).sum(axis=1)], axis=1)
        of_last = along[each, self._last][:, None] * np.stack([np.ones(len(last)), last, last**2], axis=1)
        sums = np.zeros((len(last), 3), np.complex128)
        for begin, some in ((of_rows, across @ self._powers), (of_last, (across * self._is_in_last) @ self._powers)):
            sums[:, 0] += begin[:, 0] * some[:, 0]
            sums[:, 1] += begin[:, 1] * some[:, 0] + begin[:, 0] * some[:, 1]
            sums[:, 2] += begin[:, 2] * some[:, 0] + 2 * begin[:, 1] * some[:, 1] + begin[:, 0] * some[:, 2]
        return sums

    def _of_values(self, across: Waves, along: Waves) -> tuple[Waves, Waves]:
        """Return the sums of y exp(iwt) and y t exp(iwt) of each lifetime, given as much as for `_of_times`."""
        cos, sin = across.real, across.imag
        found = self.values @ np.stack([cos, sin, self.within * cos, self.within * sin], axis=2)
        plain, timed = found[:, :, 0] + 1j * found[:, :, 1], found[:, :, 2] + 1j * found[:, :, 3]
        return (along * plain).sum(axis=1), (along * (self.begins * plain + timed)).sum(axis=1)

    def normal_equations(self, w: Floats, a: Floats, b: Floats) -> tuple[Floats, Floats]:
        """Return those of 1, sin wt, cos wt and t (a cos wt - b sin wt) of each lifetime.

        Returns:
            The sums of their products with each other, and of those with the values.
        """
        many, time, square = self.plain.real.T
        across, along = (np.exp(1j * w[:, None] * times) for times in (self.within, self.begins))
        once, twice = self._of_times(across, along).T, self._of_times(across**2, along**2).T
        plain, timed = self._of_values(across, along)
        sin, cos, both = once[0].imag, once[0].real, twice[0].imag / 2
        slope = a * once[1].real - b * once[1].imag
        sin_slope = (a * twice[1].imag - b * (time - twice[1].real)) / 2
        cos_slope = (a * (time + twice[1].real) - b * twice[1].imag) / 2
        slopes = (a * a * (square + twice[2].real) + b * b * (square - twice[2].real)) / 2 - a * b * twice[2].imag
        normal = np.array([
            [many, sin, cos, slope],
            [sin, (many - twice[0].real) / 2, both, sin_slope],
            [cos, both, (many + twice[0].real) / 2, cos_slope],
            [slope, sin_slope, cos_slope, slopes],
        ])  # fmt: skip
        right = np.array([self.total, plain.imag, plain.real, a * timed.real - b * timed.imag])
        return np.moveaxis(normal, 2, 0), right.T

    def sines(self, w: float, phase: Floats) -> Floats:
        """Return sin(wt + phase) at each sample, one lifetime after another."""
        turn = w * self.begins + phase[:, None]
        across = np.stack([np.cos(w * self.within), np.sin(w * self.within)])
        found = (np.stack([np.sin(turn), np.cos(turn)], axis=2) @ across).reshape(len(self.counts), -1)
        return np.concatenate([each[:count] for each, count in zip(found, self.counts.tolist(), strict=True)])
