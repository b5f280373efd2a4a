"""Looking at every sample once, in blocks that fit the cache, and keeping only what a verdict needs."""

from collections.abc import Callable
from itertools import repeat
from typing import NamedTuple, TypeAlias

import numpy as np

from breadcrumb.algebra import blocks
from breadcrumb.algebra.blocks import Pieces
from breadcrumb.algebra.rounding import NoiseOf
from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import Bools, Floats, Ints, Session
from breadcrumb.verdicts.findings import OBJECTS_KEPT, Tally


class Between(NamedTuple):
    """The rule that numbers lie between two limits, whose extremes alone can settle it."""

    samples: Samples
    low: float
    high: float

    def __call__(self, block: slice) -> Floats:
        """Return the distances to the nearer limit of a block of values."""
        some = self.samples.parts[0][block]
        spare: Floats = np.minimum(some - self.low, self.high - some)
        return spare

    def least(self) -> tuple[Pieces, Floats]:
        """Return the smallest distance in each piece."""
        pieces, lowest, highest = self.samples.extremes
        return pieces, np.minimum(lowest - self.low, self.high - highest)


class AllTrue(NamedTuple):
    """The rule that flags are true: those that are not are looked for without counting any as a number."""

    samples: Samples

    def __call__(self, block: slice) -> Floats:
        """Return 0 for what is true in a block, and -1 for what is not."""
        return np.asarray(self.samples.parts[0][block] - 1.0)

    def least(self) -> tuple[Pieces, Floats]:
        """Return 0 for each piece in which all is true, -1 where something is not, and infinity if nothing is known."""
        samples = self.samples
        pieces = Pieces.of(samples.track.size, samples.track.runs, samples.valid, blocks.STORED)
        edges = np.append(pieces.begins, samples.track.size)
        known = np.diff(edges - np.searchsorted(pieces.unknown, edges)) > 0
        is_wrong = ~samples.parts[0] if samples.valid is None else samples.valid & ~samples.parts[0]
        mins = np.where(known, 0.0, np.inf)
        mins[np.searchsorted(pieces.begins, np.flatnonzero(is_wrong), side="right") - 1] = -1.0
        return pieces, mins


MarginOf: TypeAlias = Callable[[slice], Floats] | Between | AllTrue
"""Gives the distances to breaking of a block of samples."""


class Swept(NamedTuple):
    """What is left of a look at every sample."""

    indices: Ints
    """The samples that break the rule, and the one that is closest to it."""
    margin: Floats
    """How far these are from breaking it."""
    tested: int
    missing: int
    tallies: tuple[Tally, ...]


def sweep(
    track: Track, margin_of: MarginOf, valid: Bools | None, noise_of: NoiseOf, *, exact: bool, skipped: int = 0
) -> Swept:
    """Look at every sample of a track, block by block.

    Args:
        track: where the samples come from.
        margin_of: gives the distances to breaking of a block of them.
        valid: which samples have a value; None if all have.
        noise_of: gives how far rounding may have moved the distances of a block; so much below 0 still counts as 0.
            It is asked only of blocks in which something is beyond a limit.
        exact: whether being right has no degrees; then tallies have none.
        skipped: how many of the samples without a value were never due, such as the first of each lifetime.
    """
    size, starts = track.size, track.runs
    pieces, mins = margin_of.least() if isinstance(margin_of, Between | AllTrue) else _least(track, margin_of, valid)
    kept: list[Ints] = []
    found: list[Floats] = []
    for number in np.unique(pieces.begins[~(mins >= 0)] // pieces.length).tolist():  # no number never fits
        block = pieces.block(number)
        margin = _known(_forgiven(margin_of(block.at), noise_of(block.at)), block.unknown)
        indices = np.flatnonzero(margin < 0)
        kept.append(indices + block.at.start)
        found.append(margin[indices])
        mins[block.pieces] = np.minimum.reduceat(margin, block.cuts)
    least = np.minimum.reduceat(mins, np.searchsorted(pieces.begins, starts)) if size else mins
    indices = np.concatenate(kept) if kept else np.zeros(0, np.int64)
    values = np.concatenate(found) if found else np.zeros(0)
    tested = _tested(starts, size, pieces.unknown)
    broken = Broken(track.name_at(indices), track.clock_index[indices])
    told = tallies(track.session, Runs(track.name_at(starts), tested, least), broken, exact=exact)
    total = int(tested.sum())
    if not len(indices) and total:
        indices, values = _tightest(margin_of, pieces, mins, noise_of)
    return Swept(indices, values, total, size - total - skipped, told)


def _least(track: Track, margin_of: MarginOf, valid: Bools | None) -> tuple[Pieces, Floats]:
    """Return the smallest distance to breaking in each piece, by computing them all."""
    pieces = Pieces.of(track.size, track.runs, valid, blocks.COMPUTED)
    mins = np.empty(len(pieces.begins))
    for block in pieces.blocks():
        mins[block.pieces] = np.minimum.reduceat(_known(margin_of(block.at), block.unknown), block.cuts)
    return pieces, mins


def _known(margin: Floats, unknown: Ints) -> Floats:
    """Return distances in which those without a value never matter."""
    if len(unknown):
        margin = margin.copy()
        margin[unknown] = np.inf
    return margin


def _forgiven(margin: Floats, noise: float | Floats) -> Floats:
    margin = np.where(np.isnan(margin), -np.inf, margin)
    return np.where((margin < 0) & (margin >= -noise), 0.0, margin)


def _tested(starts: Ints, size: int, unknown: Ints) -> Ints:
    """Return how many samples of each run have a value."""
    if not size:
        return np.zeros(0, np.int64)
    edges = np.append(starts, size)
    counts: Ints = np.diff(edges - np.searchsorted(unknown, edges))
    return counts


def _tightest(margin_of: MarginOf, pieces: Pieces, mins: Floats, noise_of: NoiseOf) -> tuple[Ints, Floats]:
    """Return the one sample that is closest to breaking the rule: look again at the piece in which it is."""
    piece = int(np.argmin(mins))
    begin, end = (int(edge) for edge in np.append(pieces.begins[piece : piece + 2], pieces.edges[-1])[:2])
    block, unknown = slice(begin, end), pieces.unknown
    gone = unknown[np.searchsorted(unknown, begin) : np.searchsorted(unknown, end)] - begin
    margin = _known(margin_of(block), gone)
    if not margin.min() >= 0:
        margin = _forgiven(margin, noise_of(block))
    index = int(np.argmin(margin))
    return np.array([begin + index]), margin[index : index + 1]


class Runs(NamedTuple):
    """Runs of occasions of one object."""

    name: Ints
    """Whose each run is, or NOBODY."""
    tested: Ints
    least: Floats
    """The smallest distance to breaking in each."""


class Broken(NamedTuple):
    """The occasions that break a rule."""

    name: Ints
    clock_index: Ints


def tallies(session: Session, runs: Runs, broken: Broken, *, exact: bool) -> tuple[Tally, ...]:
    """Return each object's part, from that of its runs."""
    if not len(runs.name):
        return ()
    size = len(session.names) + 1  # nobody comes first
    code, at = runs.name + 1, broken.name + 1
    total = np.bincount(code, runs.tested, size)
    breaches = np.bincount(at, minlength=size)
    worst = np.full(size, np.inf)
    np.minimum.at(worst, code, runs.least)
    first = np.full(size, np.iinfo(np.int64).max)
    np.minimum.at(first, at, broken.clock_index)
    kept = np.flatnonzero(np.bincount(code, minlength=size))[:OBJECTS_KEPT]
    hit = breaches[kept] > 0
    first_frame = session.clock.frames[np.where(hit, first[kept], 0)].astype(object)
    first_frame[~hit] = None
    closest = worst[kept].astype(object)
    closest[(total[kept] == 0) | ~np.isfinite(worst[kept]) | exact] = None
    objects = ("" if code == 0 else session.names[code - 1] for code in kept.tolist())
    parts = zip(objects, total[kept].astype(int).tolist(), breaches[kept].tolist(), first_frame, closest, strict=True)
    return tuple(map(tuple.__new__, repeat(Tally), parts))
