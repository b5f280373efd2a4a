"""Looking at every sample once, in blocks that fit the cache, and keeping only what a verdict needs."""

from collections.abc import Callable
from typing import NamedTuple, TypeAlias

import numpy as np

from breadcrumb.algebra.kernels import Speeds
from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import Bools, Floats, Ints
from breadcrumb.verdicts.findings import Tally

NoiseOf: TypeAlias = Callable[[], float | Floats]
"""Gives how far rounding may have moved each distance; asked only if something is beyond a limit."""


class Between(NamedTuple):
    """The rule that values lie between two limits, whose extremes alone can settle it."""

    values: Floats | Speeds
    low: float
    high: float

    def __call__(self, block: slice) -> Floats:
        """Return the distances to the nearer limit of a block of values."""
        some = self.values[block]
        room: Floats = np.minimum(some - self.low, self.high - some)
        return room

    def least(self, block: slice, cuts: Ints, unknown: Ints) -> Floats:
        """Return the smallest distance in each piece of a block, without some of its values."""
        pieces = cuts
        if len(unknown):
            bounds = np.sort(np.concatenate([cuts, unknown, unknown + 1, [block.stop - block.start]]))
            pieces = bounds[:-1][bounds[1:] != bounds[:-1]]
        lowest, highest = self._extremes(block, pieces)
        room = np.minimum(lowest - self.low, self.high - highest)
        if not len(unknown):
            return np.asarray(room)
        room[np.searchsorted(pieces, unknown)] = np.inf
        return np.asarray(np.minimum.reduceat(room, np.searchsorted(pieces, cuts)))

    def _extremes(self, block: slice, pieces: Ints) -> tuple[Floats, Floats]:
        if isinstance(self.values, Speeds):
            return self.values.extremes(block, pieces)
        some = self.values[block]
        return np.minimum.reduceat(some, pieces), np.maximum.reduceat(some, pieces)


SlackOf: TypeAlias = Callable[[slice], Floats] | Between
"""Gives the distances to breaking of a block of samples."""

_BLOCK = 1 << 16
_SMALL_BLOCK = 1 << 15
"""For rules that need room for what they compute beside the values."""
OBJECTS_KEPT = 500


_Block: TypeAlias = tuple[slice, slice, Ints, Ints]


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
    stored = isinstance(slack_of, Between) and isinstance(slack_of.values, np.ndarray)
    length = _BLOCK if stored else _SMALL_BLOCK
    edges = np.append(np.arange(0, size, length), size)
    pieces = np.unique(np.concatenate([starts, edges[:-1]]))
    mins = np.empty(len(pieces))
    blocks = _blocks(edges, pieces, unknown)
    for block, some, cuts, missing in blocks:
        if isinstance(slack_of, Between):
            mins[some] = slack_of.least(block, cuts, missing)
        else:
            mins[some] = np.minimum.reduceat(_known(slack_of(block), missing), cuts)
    kept: list[Ints] = []
    found: list[Floats] = []
    noise = noise_of() if not (mins >= 0).all() else 0.0
    for number in np.unique(pieces[~(mins >= 0)] // length).tolist():  # a value that is no number never fits
        block, some, cuts, missing = blocks[number]
        slack = _known(_forgiven(slack_of(block), noise, block), missing)
        places = np.flatnonzero(slack < 0)
        kept.append(places + block.start)
        found.append(slack[places])
        mins[some] = np.minimum.reduceat(slack, cuts)
    least = np.minimum.reduceat(mins, np.searchsorted(pieces, starts)) if size else mins
    places = np.concatenate(kept) if kept else np.zeros(0, np.int64)
    values = np.concatenate(found) if found else np.zeros(0)
    tested = _tested(starts, size, unknown)
    tallies = _tallies(track, starts, tested, least, places, exact=exact)
    total = int(tested.sum())
    if not len(places) and total:
        places, values = _tightest(slack_of, unknown, starts, least, size, noise_of)
    return Swept(places, values, total, size - total - skipped, tallies)


def _blocks(edges: Ints, pieces: Ints, unknown: Ints) -> list[_Block]:
    """Return what is in each block between two edges: its pieces, where they are cut, and what has no value."""
    ends, mine, gone = (
        some.tolist() for some in (edges, np.searchsorted(pieces, edges), np.searchsorted(unknown, edges))
    )
    return [
        (
            slice(ends[at], ends[at + 1]),
            slice(mine[at], mine[at + 1]),
            pieces[mine[at] : mine[at + 1]] - ends[at],
            unknown[gone[at] : gone[at + 1]] - ends[at],
        )
        for at in range(len(ends) - 1)
    ]


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
    kept = np.flatnonzero(np.bincount(code, minlength=size))[:OBJECTS_KEPT]
    hit = breaches[kept] > 0
    first_frame = frames[np.where(hit, first[kept], 0)].astype(object)
    first_frame[~hit] = None
    closest = worst[kept].astype(object)
    closest[(total[kept] == 0) | ~np.isfinite(worst[kept]) | exact] = None
    objects = (names[k] for k in kept.tolist())
    parts = zip(objects, total[kept].astype(int).tolist(), breaches[kept].tolist(), first_frame, closest, strict=True)
    return tuple(map(Tally._make, parts))
