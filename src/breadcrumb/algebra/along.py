"""Values along a lifetime: the one before, the first one, the one a while ago and the one a while later."""

from dataclasses import replace
from typing import Any

import numpy as np

from breadcrumb.algebra import blocks
from breadcrumb.algebra.durations import Duration, TimeAxis
from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.on_demand import Held
from breadcrumb.algebra.operations import same_values
from breadcrumb.algebra.rounding import scaled
from breadcrumb.algebra.samples import Sort, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.tracks import Track
from breadcrumb.algebra.units import per_second
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Ints

_UNEVEN = 0.01
"""By which share of it a step may be longer or shorter than the others to be fitted with them."""


def at_samples(signal: Signal, indices: Ints, name: str) -> Signal:
    """Return, on the signal's own track, the values of other samples by their indices; NOBODY is missing."""
    there = indices != NOBODY
    safe = np.where(there, indices, 0)
    if len(signal) and signal.valid is not None:
        there &= signal.valid[safe]
    return replace(
        signal,
        name=name,
        parts=tuple(part[safe] for part in signal.parts) if len(signal) else signal.parts,
        valid=None if there.all() else there,
        known_noise=signal.noise_at(safe),
    )


def as_angle(signal: Signal) -> Signal:
    """Return an angle that was unwrapped as one again, so that full turns more or less are the same."""
    angle: Signal = derived(signal, sort=Sort.ANGLE)
    return angle


def last_known_indices(signal: Signal) -> Ints:
    """Return the index of the last sample before each one in its lifetime that has a value, or NOBODY."""
    starts, size = signal.track.starts, len(signal)
    known = np.maximum.accumulate(np.where(signal.usable, np.arange(size), NOBODY))
    before = np.hstack((NOBODY, known[:-1]))[:size]
    return np.where(before >= np.repeat(starts, np.diff(starts, append=size)), before, NOBODY)


def last_known(signal: Signal) -> Signal:
    """Return the last recorded value before each sample in its lifetime: what was missed in between hides no change."""
    if signal.valid is None and not len(signal.track.session.gaps):
        return signal.previous()
    return at_samples(signal, last_known_indices(signal), f"{signal.name} before")


def without_gap_changes(signal: Signal, tol: float = 0.0) -> Signal:
    """Return a value that is missing on the first one known behind a gap, if it is another one than before the gap.

    Where moments may change it, one of them may have come unseen. What is no farther off than a tolerance is no other.
    """
    track = signal.track
    if not len(track.session.gaps):
        return signal
    indices = last_known_indices(signal)
    before = at_samples(signal, indices, f"{signal.name} before")
    torn = track.session.is_torn(track.clock_index[indices], track.clock_index)
    changed = (indices != NOBODY) & torn & ~same_values(signal, before)
    if tol and signal.parts[0].dtype.kind == "f":
        apart = np.sqrt(sum((now - then) ** 2 for now, then in zip(signal.parts, before.parts, strict=True)))
        changed &= ~(apart <= tol)
    return replace(signal, valid=signal.usable & ~changed)


def following(signal: Signal) -> Signal:
    """Return the value on the sample behind; missing on a lifetime's last sample, and on the last one before a gap."""
    indices = np.arange(1, len(signal) + 1)
    last = np.hstack((signal.track.no_step[1:], np.ones(min(len(signal), 1), np.bool_)))
    return at_samples(signal, np.where(last, NOBODY, indices), f"{signal.name} behind")


def told_at(signal: Signal, moments: Moments) -> Signal:
    """Return values that were picked around moments as those of the moments' own frames."""
    return replace(signal, track=replace(signal.track, clock_index=moments.clock_index))


def first_of_lifetime(signal: Signal) -> Signal:
    """Return each lifetime's first value, on all of its samples."""
    track = signal.track
    lifetime = track.lifetime[track.starts]
    numbers, which = np.unique(lifetime, return_inverse=True)
    if len(numbers) == len(lifetime):  # each is in one run, unless its samples were picked in another order
        return first_of_runs(signal, track.starts)
    group = np.repeat(which, np.diff(track.starts, append=track.size))
    indices = np.flatnonzero(signal.usable)
    found, first = np.unique(group[indices], return_index=True)
    mine = np.full(len(numbers), NOBODY)
    mine[found] = indices[first]
    return at_samples(signal, mine[group], f"first {signal.name}")


def first_of_runs(signal: Signal, starts: Ints) -> Signal:
    """Return the first value of each run, on all of its samples; runs begin at indices, the first one at 0."""
    first = at_samples(signal, _first_usable(signal, starts), f"first {signal.name}")
    size = len(signal)
    parts: tuple[Any, ...] = tuple(Held(part, starts, size) for part in first.parts)
    valid = None if first.valid is None else np.repeat(first.valid, np.diff(starts, append=size))
    run: Any = Held(np.arange(len(starts)), starts, size)
    return replace(signal, name=first.name, parts=parts, valid=valid, known_noise=first.noise_at(run))


def _first_usable(signal: Signal, starts: Ints) -> Ints:
    """Return the index of the first value from each start up to the next one, or NOBODY."""
    lost = np.flatnonzero(~signal.usable)
    if not len(lost):
        return starts
    ends = np.append(np.flatnonzero(np.diff(lost) != 1), len(lost) - 1)  # of runs without a value
    at = np.searchsorted(lost, starts)
    is_lost = np.append(lost, NOBODY)[at] == starts
    first = np.where(is_lost, lost[ends[np.searchsorted(ends, np.where(is_lost, at, 0))]] + 1, starts)
    return np.where(first < np.append(starts[1:], len(signal)), first, NOBODY)


def stretch_starts(track: Track, *keys: Ints) -> Ints:
    """Return the indices where runs of samples begin that are of one lifetime, and on which the keys stay the same."""
    if not keys:
        return track.starts
    fresh = track.first_of_lifetime.copy()
    for key in keys:
        fresh[1:] |= key[1:] != key[:-1]
    return np.flatnonzero(fresh)


def delayed(signal: Signal, by: Duration) -> Signal:
    """Return the last value that is at least a duration old; missing where the lifetime is younger."""
    if not by.value:
        return signal
    track = signal.track
    axis = TimeAxis.of(track.session.clock, by.unit)
    index = track.at_or_after(axis.at_or_before(axis.values - by.value) + 1) - 1
    first = np.repeat(track.starts, np.diff(track.starts, append=track.size))
    return at_samples(signal, np.where(index >= first, index, NOBODY), f"{signal.name} {by} ago")


def indices_later(signal: Signal, by: Duration) -> Ints:
    """Return, for each sample, the index of the first one at least a duration later in its lifetime, or NOBODY."""
    track = signal.track
    axis = TimeAxis.of(track.session.clock, by.unit)
    index = track.at_or_after(axis.at_or_after(axis.values + by.value))
    ends = Held(np.append(track.starts, track.size)[1:], track.starts, track.size)
    for block in blocks.slices(track.size):
        some = index[block]
        some[some >= ends[block]] = NOBODY
    return index


def smoothed_second_rate(signal: Signal, window: int) -> Signal:
    """Return the second derivative of the parabola that fits the samples about each one best.

    This is the filter of Savitzky and Golay (Analytical Chemistry 36, 1964) of second order. It is missing where the
    window reaches beyond a lifetime, a missing value, or a step of another length.

    Args:
        signal: the value.
        window: how many samples are fitted, an odd number from 3 on.

    Raises:
        Misuse: the window is another number.
    """
    if window < 3 or window % 2 == 0:
        raise Misuse(f"smooth: expected an odd number of samples from 3 on, found {window}")
    track, half = signal.track, window // 2
    indices = np.arange(-half, half + 1)
    weights = 2 * np.linalg.pinv(np.stack([np.ones(window), indices, indices**2], axis=1))[2]
    step = float(np.median(track.steps[track.steps > 0])) if (track.steps > 0).any() else 1.0
    even = (np.abs(track.steps - step) <= _UNEVEN * step) & signal.usable
    whole = np.convolve(even, np.ones(window - 1), "full")[window - 2 :][: track.size] if track.size else even
    valid = np.zeros(track.size, np.bool_)
    if track.size >= window:  # the steps within the window are those that end at all of its samples but the first
        valid[half : track.size - half] = whole[1 : track.size - 2 * half + 1] >= window - 1
        valid[half : track.size - half] &= signal.usable[: track.size - 2 * half]
    parts = tuple(
        np.convolve(part, weights[::-1], "same") / step**2 if track.size >= window else np.zeros(track.size)
        for part in signal.parts
    )
    unit = per_second(per_second(signal.unit))
    blur = float(np.abs(weights).sum()) / step**2

    noise, name = scaled(signal.noise_over, blur), f"smoothed second rate of {signal.name}"
    smoothed: Signal = derived(signal, name=name, parts=parts, valid=valid, unit=unit, known_noise=noise)
    return smoothed


def marked(track: Track, moments: Moments, later: int = 0, *, excuses: bool = False) -> Bools:
    """Return whether each sample is on the frame of a moment that goes with it, or so many indices later.

    Raises:
        Misuse: nothing says which moments go with which samples.
    """
    marks = np.zeros(track.size, np.bool_)
    clock_index = moments.clock_index + later
    for match in matches(track, moments.participants, excuses=excuses):
        if match.by_time:
            on_index = np.zeros(moments.session.clock.size + later, np.bool_)
            on_index[clock_index[match.right_rows]] = True
            marks |= on_index[track.clock_index]
        else:
            known = match.right != NOBODY
            indices = track.find(match.right[known], clock_index[match.right_rows][known])
            marks[indices[indices != NOBODY]] = True
    return marks
