"""Looking at every sample once, in blocks that fit the cache, and keeping only what a verdict needs."""

from collections.abc import Callable
from functools import cache
from typing import NamedTuple, TypeAlias

import numpy as np

from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import Bools, Floats, Ints
from breadcrumb.verdicts.findings import Tally

NoiseOf: TypeAlias = Callable[[], float | Floats]
"""Gives how far rounding may have moved each distance; asked only if something is beyond a limit."""


class Between(NamedTuple):
    """The rule that values lie between two limits, whose extremes alone can settle it."""

    values: Floats
    low: float
    high: float

    def __call__(self, block: slice) -> Floats:
        """Return the distances to the nearer limit of a block of values."""
        some = self.values[block]
        room: Floats = np.minimum(some - self.low, self.high - some)
        return room

    def least(self, block: slice, cuts: Ints, unknown: Ints) -> Floats:
        """Return the smallest distance in each piece of a block, without some of its values."""
        some = self.values[block]
        if not len(unknown):
            lowest, highest = np.minimum.reduceat(some, cuts), np.maximum.reduceat(some, cuts)
            return np.asarray(np.minimum(lowest - self.low, self.high - highest))
        pieces = np.unique(np.concatenate([cuts, unknown, unknown + 1]))
        pieces = pieces[pieces < len(some)]
        lowest, highest = np.minimum.reduceat(some, pieces), np.maximum.reduceat(some, pieces)
        room = np.minimum(lowest - self.low, self.high - highest)
        room[np.searchsorted(pieces, unknown)] = np.inf
        return np.asarray(np.minimum.reduceat(room, np.searchsorted(pieces, cuts)))


SlackOf: TypeAlias = Callable[[slice], Floats] | Between
"""Gives the distances to breaking of a block of samples."""

_BLOCK = 1 << 17
_SMALL_BLOCK = 1 << 15
"""For rules that need room for what they compute beside the values."""
OBJECTS_KEPT = 500


class Swept(NamedTuple):
    """What is left of a look at every sample."""

    places: Ints
    """The samples that break the rule, and the one that is closest to it."""
    slack: Floats
    """How far these are from breaking it."""
    tested: int
    missing: int
    tallies: tuple[Tally, ...]


def sweep(
    track: Track, slack_of: SlackOf, valid: Bools | None, noise_of: NoiseOf, *, exact: bool, skipped: int = 0
) -> Swept:
    """Look at every sample of a track, block by block.

    Args:
        track: where the samples come from.
        slack_of: gives the distances to breaking of a block of them.
        valid: which samples have a value; None if all have.
        noise_of: gives how far rounding may have moved each distance; so much below 0 still counts as 0.
        exact: whether being right has no degrees; then tallies have none.
        skipped: how many of the samples without a value were never due, such as the first of each life.
    """
    size = track.size
    starts = track.starts if track.source is None else np.arange(size)
    unknown = np.flatnonzero(~valid) if valid is not None else np.zeros(0, np.int64)
    least = np.full(len(starts), np.inf)
    kept: list[Ints] = []
    found: list[Floats] = []
    noise_of = cache(noise_of)
    stored = isinstance(slack_of, Between) and isinstance(slack_of.values, np.ndarray)
    length = _BLOCK if stored else _SMALL_BLOCK
    for begin in range(0, size, length):
        block = slice(begin, min(begin + length, size))
        run = int(np.searchsorted(starts, begin, side="right")) - 1
        cuts = starts[run : run + 1 + int(np.searchsorted(starts[run + 1 :], block.stop))] - begin
        cuts[0] = 0
        gone = unknown[np.searchsorted(unknown, begin) : np.searchsorted(unknown, block.stop)] - begin
        if isinstance(slack_of, Between):
            mins = slack_of.least(block, cuts, gone)
        else:
            mins = np.minimum.reduceat(_known(slack_of(block), gone), cuts)
        if not mins.min() >= 0:  # a value that is no number never fits
            slack = _known(_forgiven(slack_of(block), noise_of(), block), gone)
            places = np.flatnonzero(slack < 0)
            kept.append(places + begin)
            found.append(slack[places])
            mins = np.minimum.reduceat(slack, cuts)
        np.minimum(least[run : run + len(mins)], mins, out=least[run : run + len(mins)])
    places = np.concatenate(kept) if kept else np.zeros(0, np.int64)
    values = np.concatenate(found) if found else np.zeros(0)
    tested = _tested(starts, size, unknown)
    tallies = _tallies(track, starts, tested, least, places, exact=exact)
    total = int(tested.sum())
    if not len(places) and total:
        places, values = _tightest(slack_of, unknown, starts, least, size, noise_of)
    return Swept(places, values, total, size - total - skipped, tallies)


def _known(slack: Floats, unknown: Ints) -> Floats:
    """Return distances in which those without a value never matter."""
    if len(unknown):
        slack = slack.copy()
        slack[unknown] = np.inf
    return slack


def _forgiven(slack: Floats, noise: float | Floats, block: slice) -> Floats:
    near = noise[block] if isinstance(noise, np.ndarray) and noise.ndim else noise
    slack = np.where(np.isnan(slack), -np.inf, slack)
    return np.where((slack < 0) & (slack >= -near), 0.0, slack)


def _tested(starts: Ints, size: int, unknown: Ints) -> Ints:
    """Return how many samples of each run have a value."""
    if not size:
        return np.zeros(0, np.int64)
    counts: Ints = np.diff(np.r_[starts, size])
    runs = np.searchsorted(starts, unknown, side="right") - 1
    counts -= np.bincount(runs, minlength=len(starts))
    return counts


def _tightest(
    slack_of: SlackOf, unknown: Ints, starts: Ints, least: Floats, size: int, noise_of: NoiseOf
) -> tuple[Ints, Floats]:
    """Return the one sample that is closest to breaking the rule: look again at the run in which it is."""
    run = int(np.argmin(least))
    begin, end = int(starts[run]), int(starts[run + 1]) if run + 1 < len(starts) else size
    block = slice(begin, end)
    gone = unknown[np.searchsorted(unknown, begin) : np.searchsorted(unknown, end)] - begin
    slack = _known(slack_of(block), gone)
    if not slack.min() >= 0:
        slack = _forgiven(slack, noise_of(), block)
    place = int(np.argmin(slack))
    return np.array([begin + place]), slack[place : place + 1]


def _tallies(
    track: Track, starts: Ints, tested: Ints, least: Floats, broken: Ints, *, exact: bool
) -> tuple[Tally, ...]:
    """Return each object's part, from that of its runs."""
    if not len(starts):
        return ()
    names = ("", *track.session.names)
    frames = track.session.clock.frames
    code = track.name_at(starts) + 1
    at = track.name_at(broken) + 1 if len(broken) else broken
    size = len(names)
    total = np.bincount(code, tested, size)
    breaches = np.bincount(at, minlength=size)
    worst = np.full(size, np.inf)
    np.minimum.at(worst, code, least)
    first = np.full(size, np.iinfo(np.int64).max)
    np.minimum.at(first, at, track.row[broken])
    return tuple(
        Tally(
            names[k],
            int(total[k]),
            int(breaches[k]),
            int(frames[first[k]]) if breaches[k] else None,
            float(worst[k]) if total[k] and not exact and np.isfinite(worst[k]) else None,
        )
        for k in np.flatnonzero(np.bincount(code, minlength=size))[:OBJECTS_KEPT].tolist()
    )
