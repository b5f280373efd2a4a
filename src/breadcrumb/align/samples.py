"""Which samples of a kind belong together in two sessions: on one frame, or within a step before and after."""

from dataclasses import dataclass

import numpy as np

from breadcrumb.align.lifetimes import LifetimePairs
from breadcrumb.align.timing import ROUNDING, Timing
from breadcrumb.model.session import NOBODY, Ints
from breadcrumb.model.trace import TraceData


@dataclass(frozen=True, eq=False)
class SamplePairs:
    """The samples of a kind that both sessions have on one frame; arrays of equal length."""

    reference: Ints
    candidate: Ints
    pair: Ints
    """The pair of lifetimes that each is of."""
    clock_index: Ints
    """When each is, in the reference."""
    is_whole: bool = False
    """Whether they are all samples of both, in their order."""


@dataclass(frozen=True, eq=False)
class SampleWindows:
    """The samples of the session with the longer steps, and what the other has around each; arrays of equal length."""

    coarser: Ints
    first: Ints
    """The first sample of the finer session in the window."""
    end: Ints
    """The one behind the last."""
    pair: Ints


def pair_samples(reference: TraceData, candidate: TraceData, kind: str, pairs: LifetimePairs) -> SamplePairs:
    """Pair the samples of a kind by frame number."""
    if _are_alike(reference, candidate, kind, pairs):
        lifetime, clock_index = reference.index(kind)
        at = np.arange(len(lifetime))
        return SamplePairs(at, at, lifetime, clock_index, is_whole=True)
    span = max(int(one.session.clock.frames[-1]) for one in (reference, candidate)) + 1
    found = []
    for side, numbers in ((reference, pairs.reference), (candidate, pairs.candidate)):
        lifetime, clock_index = side.index(kind)
        key = _keys(lifetime, side.session.clock.frames[clock_index], numbers, span, side.session.lifetimes.size)
        found.append(key)
    (mine, mine_at, pair), (yours, yours_at, _) = found
    when = reference.index(kind)[1]
    if np.array_equal(mine, yours):
        is_whole = all(
            len(at) == len(side.index(kind)[0]) and bool(np.all(at[1:] > at[:-1]))
            for side, at in ((reference, mine_at), (candidate, yours_at))
        )
        return SamplePairs(mine_at, yours_at, pair, when if is_whole else when[mine_at], is_whole)
    at = np.minimum(np.searchsorted(yours, mine), len(yours) - 1) if len(yours) else np.zeros(0, np.int64)
    both = np.flatnonzero(yours[at] == mine) if len(yours) else at
    return SamplePairs(mine_at[both], yours_at[at[both]], pair[both], when[mine_at[both]])


def _are_alike(reference: TraceData, candidate: TraceData, kind: str, pairs: LifetimePairs) -> bool:
    """Tell whether each sample of a kind has its counterpart at its own place, as most often between two builds."""
    mine, yours = (one.session.clock.frames for one in (reference, candidate))
    every = np.arange(reference.session.lifetimes.size)
    if not np.array_equal(mine, yours) or not all(
        np.array_equal(one, every) for one in (pairs.reference, pairs.candidate)
    ):
        return False
    (lifetime, clock_index), (other, at) = (one.index(kind) for one in (reference, candidate))
    rises = bool((lifetime[1:] >= lifetime[:-1]).all())
    return rises and np.array_equal(lifetime, other) and np.array_equal(clock_index, at)


def window_samples(
    reference: TraceData, candidate: TraceData, kind: str, pairs: LifetimePairs, timing: Timing
) -> SampleWindows:
    """Return for each sample of the coarser session what the finer has from its frame before to its frame after."""
    sides = (candidate, timing.candidate, pairs.candidate), (reference, timing.reference, pairs.reference)
    (coarse, slow, slow_pairs), (fine, fast, fast_pairs) = sides if timing.is_candidate_coarser else sides[::-1]
    span = fine.session.clock.size
    lifetime, clock_index = fine.index(kind)
    key, order, _ = _keys(lifetime, clock_index, fast_pairs, span, fine.session.lifetimes.size)
    lifetime, clock_index = coarse.index(kind)
    pair_of = np.full(coarse.session.lifetimes.size, NOBODY)
    pair_of[slow_pairs] = np.arange(len(slow_pairs))
    pair = pair_of[lifetime]
    late = pairs.late if timing.is_candidate_coarser else -pairs.late
    at = slow.at[clock_index] - np.append(late, 0.0)[pair]
    # one sample of the finer more, before and behind: what begins on its frame begins up to both steps apart
    around = slow.around[clock_index]
    first = np.maximum(np.searchsorted(fast.at, at - around, side="right") - 1, 0)
    last = np.minimum(np.searchsorted(fast.at, at + around, side="left"), len(fast.at) - 1)
    begin = np.searchsorted(key, pair * span + first, side="left")
    end = np.searchsorted(key, pair * span + last, side="right")
    is_shared = (at >= timing.shared[0] - ROUNDING) & (at <= timing.shared[1] + ROUNDING)
    kept = np.flatnonzero((pair != NOBODY) & (begin < end) & is_shared)
    # the samples of one lifetime stand together, so that a window of keys is one of samples
    where = order[begin[kept]]
    return SampleWindows(kept, where, where + (end - begin)[kept], pair[kept])


def _keys(lifetime: Ints, position: Ints, numbers: Ints, span: int, size: int) -> tuple[Ints, Ints, Ints]:
    """Return the keys of the samples whose lifetimes have a counterpart, rising, their indices, and their pairs."""
    pair_of = np.full(size, NOBODY)
    pair_of[numbers] = np.arange(len(numbers))
    pair = pair_of[lifetime]
    kept = np.flatnonzero(pair != NOBODY)
    if len(kept) < len(pair):
        pair, position = pair[kept], position[kept]
    key = pair * span + position
    if len(key) > 1 and np.any(key[1:] < key[:-1]):
        order = np.argsort(key, kind="stable")
        key, kept, pair = key[order], kept[order], pair[order]
    return key, kept, pair
