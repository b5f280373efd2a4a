"""The sine that fits a lifetime best, and the first sample that no sine of a given kind explains."""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra import blocks
from breadcrumb.algebra.even_samples import EvenSamples
from breadcrumb.algebra.tracks import Track
from breadcrumb.model.rows import rows_at
from breadcrumb.model.session import Bools, Floats, Ints

_T = TypeVar("_T", bound=np.generic)

_ROUNDS = 6
"""How many Gauss-Newton steps find a frequency."""
_SETTLED = 1e-12
"""By which share of it a frequency may still change to count as found."""
_LONG, _TOGETHER = 512, 1 << 20
"""How many samples a lifetime has whose sines are worth being summed up; how many are dealt with at once."""
_EVEN = 1e-9
"""The share by which even steps differ, as times are rounded."""
_PHASES = 48
"""How many phases are tried before the best of them is refined."""
_REFINING = 24
"""How many Newton steps refine a phase; one that is ill-defined converges by halves."""
_FARTHEST = 2 * np.pi / _PHASES
"""How far one of these steps may go."""


@dataclass(frozen=True)
class Sine:
    """A sine without its phase: centre + amplitude * sin(2 pi t / period + phase)."""

    centre: float
    amplitude: float
    period: float
    """In seconds."""


class Wave(NamedTuple):
    """Sines fitted to the lifetimes that have two whole periods: an entry for each, or for each of their samples."""

    centre: Floats
    amplitude: Floats
    period: Floats
    differs: Ints
    """The index of each lifetime's first sample that does not follow the given sine; else of its last one."""
    indices: Ints
    """The indices of the samples of these lifetimes."""
    due: Floats
    """What the given sine is at each of these samples, in its lifetime's phase."""


@dataclass(frozen=True, eq=False)
class _Swings:
    """The samples of the lifetimes that are long enough, one lifetime after another."""

    values: Floats
    """How far above the centre of the sine they are."""
    times: Floats
    """Since the lifetime's first sample."""
    starts: Ints
    counts: Ints
    step: float
    """The length of all steps; NaN if they differ."""

    def of_each(self, lifetimes: NDArray[_T]) -> NDArray[_T]:
        """Return for each sample what its lifetime has."""
        return np.repeat(lifetimes, self.counts)

    @cached_property
    def even(self) -> EvenSamples | None:
        """The same in rows; None if steps differ."""
        if math.isnan(self.step):
            return None
        values, times = (np.split(one, self.starts[1:]) for one in (self.values, self.times))
        return EvenSamples.of(values, times, self.step)


def _even_step(track: Track, indices: Ints, starts: Ints, counts: Ints) -> float:
    """Return the length of all steps; NaN if they differ, or if lifetimes are so short that this helps nobody."""
    if counts.min() < _LONG:
        return math.nan
    longest, shortest = 0.0, math.inf
    for some in _groups(counts, blocks.COMPUTED):
        first, end = starts[some.start], starts[some][-1] + counts[some][-1]
        steps = np.diff(track.times[indices[first:end]])
        steps[starts[some][1:] - first - 1] = steps[0]  # from one lifetime to the next there is none
        longest, shortest = max(longest, float(steps.max())), min(shortest, float(steps.min()))
    return shortest if longest - shortest <= _EVEN * shortest else math.nan


def wave_fit(track: Track, values: Floats, usable: Bools, sine: Sine, allowed: float) -> Wave:
    """Fit a sine to each lifetime by least squares, and a phase of the given sine.

    Several lifetimes are fitted at once: the sums of the normal equations are taken lifetime by lifetime.

    Args:
        track: whose samples they are.
        values: the value on each sample.
        usable: on which samples it may be judged.
        sine: the sine that is due; its period is where the fit begins.
        allowed: how far a sample may be off.
    """
    indices = np.flatnonzero(usable & np.isfinite(values))
    edges = np.searchsorted(indices, np.append(track.starts, track.size))
    starts, counts = edges[:-1][edges[:-1] < edges[1:]], np.diff(edges)[edges[:-1] < edges[1:]]
    lasting = track.times[indices[starts + counts - 1]] - track.times[indices[starts]]
    enough = lasting >= 2 * sine.period * (1 - 1e-9)
    if not enough.all():
        indices, counts = indices[np.repeat(enough, counts)], counts[enough]
        starts = np.cumsum(counts) - counts
    if not len(counts):
        nothing = np.zeros(0)
        return Wave(nothing, nothing, nothing, indices, indices, nothing)
    fitted, dues, differs = [], [], []
    step = _even_step(track, indices, starts, counts)
    for some in _groups(counts, blocks.COMPUTED if math.isnan(step) else _TOGETHER):
        first = starts[some.start]
        mine = rows_at(indices[first : starts[some][-1] + counts[some][-1]])
        times = track.times[mine]
        swings = _Swings(
            values[mine] - sine.centre,
            times - np.repeat(times[starts[some] - first], counts[some]),
            starts[some] - first,
            counts[some],
            step,
        )
        due, off = _followed(swings, sine, allowed)
        fitted.append(_fitted(swings, sine.period))
        dues.append(due)
        differs.append(off + first)
    centre, amplitude, period = (np.concatenate(each) for each in zip(*fitted, strict=True))
    due = sine.centre + np.concatenate(dues)
    return Wave(sine.centre + centre, amplitude, period, indices[np.concatenate(differs)], indices, due)


def _groups(counts: Ints, size: int) -> Iterator[slice]:
    """Yield lifetimes of which several together have up to so many samples, were each as long as the longest."""
    first = 0
    while first < len(counts):
        some = counts[first : first + size]
        room = np.maximum.accumulate(some) * np.arange(1, len(some) + 1)
        last = first + max(int(np.searchsorted(room, size, side="right")), 1)
        yield slice(first, last)
        first = last


def _fitted(swings: _Swings, period: float) -> tuple[Floats, Floats, Floats]:
    """Return centre, amplitude and period of c + a sin wt + b cos wt, w by Gauss-Newton from the given period."""
    w = np.full(len(swings.counts), 2 * np.pi / period)
    c, a, b = _solved(*_equations(swings, w))
    for _ in range(_ROUNDS):
        c, a, b, change = _solved(*_equations(swings, w, (a, b)))
        w = w + np.clip(change, -0.2 * w, 0.2 * w)
        if (np.abs(change) <= _SETTLED * w).all():
            break
    else:
        c, a, b = _solved(*_equations(swings, w))
    return c, np.hypot(a, b), 2 * np.pi / w


def _equations(swings: _Swings, w: Floats, slope: tuple[Floats, Floats] | None = None) -> tuple[Floats, Floats]:
    """Return the normal equations of each lifetime for a constant, sine and cosine, and for how these change with w."""
    size = 3 if slope is None else 4
    if swings.even is not None:
        normal, right = swings.even.normal_equations(w, *((w * 0.0,) * 2 if slope is None else slope))
        return normal[:, :size, :size], right[:, :size]
    turn = swings.of_each(w) * swings.times
    sin, cos = np.sin(turn), np.cos(turn)
    columns = [np.ones(len(turn)), sin, cos]
    if slope is not None:
        columns.append(swings.times * (swings.of_each(slope[0]) * cos - swings.of_each(slope[1]) * sin))
    return _sums(swings, columns)


def _solved(normal: Floats, right: Floats) -> Floats:
    """Return the least-squares coefficients of each lifetime, a row for each column."""
    normal = normal + np.eye(normal.shape[-1]) * 1e-300
    try:
        return np.asarray(np.linalg.solve(normal, right[..., None])[..., 0].T)
    except np.linalg.LinAlgError:  # of a lifetime in which two columns are alike, the shortest solution will do
        return np.asarray((np.linalg.pinv(normal, hermitian=True) @ right[..., None])[..., 0].T)


def _sums(swings: _Swings, columns: list[Floats]) -> tuple[Floats, Floats]:
    """Return the sums, over each lifetime, of the products of columns, and of these and the values."""
    size = len(columns)
    normal, right = np.empty((len(swings.starts), size, size)), np.empty((len(swings.starts), size))
    for i, one in enumerate(columns):
        right[:, i] = np.add.reduceat(one * swings.values, swings.starts)
        for j, other in enumerate(columns[: i + 1]):
            normal[:, i, j] = normal[:, j, i] = np.add.reduceat(one * other, swings.starts)
    return normal, right


def _followed(swings: _Swings, sine: Sine, allowed: float) -> tuple[Floats, Ints]:
    """Return the sine in each lifetime's phase, and where each lifetime differs from it (else its last sample).

    The phase is the best one for the whole lifetime. Where that leaves a sample off, a change amid the lifetime may
    have spoilt it for the samples before: then it is the best one for the longest beginning that follows the sine.
    """
    w = 2 * np.pi / sine.period

    def first_off(due: Floats) -> Ints:
        place = np.where(np.abs(swings.values - due) > allowed, np.arange(len(due)), len(due))
        return np.minimum(np.minimum.reduceat(place, swings.starts) - swings.starts, swings.counts)

    normal, right = _equations(swings, np.full(len(swings.counts), w))
    phase = _best_phase(sine.amplitude, right[:, 1], right[:, 2], normal[:, 1, 1], normal[:, 1, 2], normal[:, 2, 2])
    due = sine.amplitude * _sines(swings, w, phase)
    differs = first_off(due)
    if (differs < swings.counts).any():
        due, differs = _followed_at_first(swings, sine, due, differs, first_off)
    return due, swings.starts + np.minimum(differs, swings.counts - 1)


def _sines(swings: _Swings, w: float, phase: Floats) -> Floats:
    """Return sin(wt + phase) at each sample."""
    if swings.even is None:
        return np.asarray(np.sin(w * swings.times + swings.of_each(phase)))
    return swings.even.sines(w, phase)


def _followed_at_first(
    swings: _Swings, sine: Sine, due: Floats, differs: Ints, first_off: Callable[[Floats], Ints]
) -> tuple[Floats, Ints]:
    """Return the same as `_followed` where some lifetimes differ in the phase that is best for all of them."""
    w, none = 2 * np.pi / sine.period, np.zeros(len(swings.counts))
    sin, cos = (_sines(swings, w, none + shift) for shift in (0.0, np.pi / 2))
    products = (sin * swings.values, cos * swings.values, sin * sin, sin * cos, cos * cos)
    terms = [np.append(product, 0.0) for product in products]  # so that a sum may end with the last sample

    def due_in_phase_of(sizes: Ints) -> Floats:
        bounds = np.column_stack((swings.starts, swings.starts + sizes)).ravel()
        sums = [np.add.reduceat(term, bounds)[::2] for term in terms]
        phase = _best_phase(sine.amplitude, *sums)
        turned: Floats = sin * swings.of_each(np.cos(phase)) + cos * swings.of_each(np.sin(phase))
        return sine.amplitude * turned

    followed, beyond = np.where(differs == swings.counts, swings.counts, 0), swings.counts.copy()
    while (beyond - followed > 1).any():
        sizes = np.maximum((followed + beyond) // 2, 1)
        follows = first_off(due_in_phase_of(sizes)) >= sizes
        followed, beyond = np.where(follows, sizes, followed), np.where(follows, beyond, sizes)
    sooner = differs < followed
    if sooner.any():
        due = np.where(swings.of_each(sooner), due_in_phase_of(np.maximum(followed, 1)), due)
        differs = first_off(due)
    return due, differs


def _best_phase(amplitude: float, p: Floats, q: Floats, ss: Floats, sc: Floats, cc: Floats) -> Floats:
    """Return the phases that bring amplitude * sin(wt + phase) nearest to values, given sums over their samples.

    The sums are of value * sin wt, value * cos wt, sin wt ** 2, sin wt * cos wt and cos wt ** 2. The squared distance
    is, but for a constant, amplitude * (ss cos^2 + 2 sc sin cos + cc sin^2) - 2 (p cos + q sin), of the phase.
    """
    tried = np.linspace(-np.pi, np.pi, _PHASES, endpoint=False)[:, None]
    sin, cos = np.sin(tried), np.cos(tried)
    distance = amplitude * (ss * cos**2 + 2 * sc * sin * cos + cc * sin**2) - 2 * (p * cos + q * sin)
    phase: Floats = tried[np.argmin(distance, axis=0), 0]
    for _ in range(_REFINING):
        sin, cos, twice_sin, twice_cos = np.sin(phase), np.cos(phase), np.sin(2 * phase), np.cos(2 * phase)
        slope = amplitude * ((cc - ss) * twice_sin + 2 * sc * twice_cos) / 2 + p * sin - q * cos
        bend = amplitude * ((cc - ss) * twice_cos - 2 * sc * twice_sin) + p * cos + q * sin
        step = np.where(bend > 0, slope / np.where(bend > 0, bend, 1.0), 0.0)
        phase = phase - np.clip(step, -_FARTHEST, _FARTHEST)
    return phase
