"""Which of two rising series of moments belong together."""

import math
from bisect import bisect_right
from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import chain
from typing import Any, TypeAlias

import numpy as np

from breadcrumb.align.timing import ROUNDING, Positions, Timing
from breadcrumb.model.session import Ints

WITHIN = 2.0
"""How many seconds apart may be what belongs together although it is early or late."""
Pair: TypeAlias = tuple[int, int]
Grouped: TypeAlias = Mapping[Any, Sequence[int]]
"""The indices of moments by a name, in order of time."""
_NONE: deque[int] = deque()
_Place: TypeAlias = tuple[float, float]
"""Where something is, and how far from it its counterpart may be."""


@dataclass(frozen=True, slots=True)
class Matched:
    """Moments of two sessions that are at the same time, and the others; all are given by their indices."""

    pairs: tuple[Pair, ...]
    missing: tuple[int, ...]
    """Those of the first session without a counterpart."""
    extra: tuple[int, ...]
    """Those of the second."""
    moved: tuple[Pair, ...] = ()
    """The pairs that are not at quite the same time."""
    drifted: tuple[Pair, ...] = ()
    """Those of them that match only because those before are as late."""


class Moments:
    """Moments of one session, in order of time.

    Args:
        side: the session.
        clock_indices: when they are.
    """

    def __init__(self, side: Positions, clock_indices: Ints) -> None:
        at, slack, times = (column[clock_indices].tolist() for column in (side.at, side.slack, side.times))
        self._exact: list[_Place] = list(zip(at, slack, strict=True))
        self._near: list[_Place] = [(time, WITHIN) for time in times]
        self._ends = restarts_and_end(side)

    def at(self, index: int) -> float:
        """Return where a moment is."""
        return self._exact[index][0]

    @property
    def episodes(self) -> int:
        """How many episodes the session has."""
        return len(self._ends)

    def is_at_restart(self, index: int, room: float) -> bool:
        """Tell whether a moment may as well be before as behind a restart, or the end."""
        return any(abs(self.at(index) - end) <= room for end in self._ends)

    def is_within(self, index: int, span: tuple[float, float]) -> bool:
        """Tell whether a moment is in a span."""
        return span[0] <= self.at(index) <= span[1]

    def match(self, other: "Moments", mine: Grouped, yours: Grouped, timing: Timing) -> Matched:
        """Match those of the same name at the same time.

        At another frame rate, a timer that begins anew on a frame is up to a step later each time: there a moment may
        also be as late as the one before, of whatever name, and one that would be behind a restart is left out.

        Args:
            other: the moments of the other session.
            mine: the indices of those of each name, in order of time.
            yours: likewise, in the other session.
            timing: how the frames belong together.
        """
        first, second = self._exact, other._exact
        matched = _in_order(first, second, mine, yours, is_carried=timing.by == "time")
        pairs = [pair for pair, _ in matched]
        missing, extra = (without([*chain(*given.values())], pairs, side) for side, given in enumerate((mine, yours)))
        moved = tuple(pair for pair in pairs if abs(first[pair[0]][0] - second[pair[1]][0]) > ROUNDING)
        drifted = tuple(pair for pair, is_drifted in matched if is_drifted)
        if drifted:
            late = [second[its][0] - first[one][0] for one, its in pairs]
            for side, places, ends, unmatched in ((0, first, other._ends, missing), (1, second, self._ends, extra)):
                known = sorted(
                    (places[pair[side]][0], -by if side else by) for pair, by in zip(pairs, late, strict=True)
                )
                unmatched[:] = [
                    one for one in unmatched if not _is_past(places[one], _last(known, places[one][0]), ends)
                ]
        return Matched(tuple(pairs), tuple(missing), tuple(extra), moved, drifted)

    def near_pairs(self, other: "Moments", mine: Sequence[int], yours: Sequence[int]) -> list[Pair]:
        """Return which are within two seconds, the first with the first."""
        return [pair for pair, _ in _in_order(self._near, other._near, {0: mine}, {0: yours})]


def without(indices: Sequence[int], taken: Sequence[Pair], side: int) -> list[int]:
    """Return the indices that are in no pair, as the first of it or as the second."""
    known = {pair[side] for pair in taken}
    return [one for one in indices if one not in known]


def restarts_and_end(side: Positions) -> list[float]:
    """Return where a session begins anew, and where it ends."""
    events, declared = side.session.events, side.session.declared_restarts
    restarts = [side.at[events.clock_index[events.indices_of(name)]] for name in declared]
    ends: list[float] = np.unique(np.concatenate([*restarts, side.at[-1:]])).tolist()
    return ends


def _last(known: Sequence[tuple[float, float]], place: float) -> float:
    """Return how late the last pair before a place is."""
    before = bisect_right(known, (place, math.inf))
    return known[before - 1][1] if before else 0.0


def _is_past(place: _Place, drift: float, ends: Sequence[float]) -> bool:
    """Tell whether a moment that is as late in the other session would be behind the next restart, or the end."""
    at, slack = place
    end = next((end for end in ends if end >= at - slack), ends[-1])
    return at + drift + slack >= end > at - slack


def _in_order(
    first: Sequence[_Place], second: Sequence[_Place], mine: Grouped, yours: Grouped, *, is_carried: bool = False
) -> list[tuple[Pair, bool]]:
    """Return which belong together, and whether they do so only because the pair before is as late."""
    series = sorted((first[one][0], one, name) for name, several in mine.items() for one in several)
    waiting = {name: deque(several) for name, several in yours.items()}
    late, found = 0.0, list[tuple[Pair, bool]]()
    for at, one, name in series:
        queue = waiting.get(name, _NONE)
        while queue:
            there, room = second[queue[0]]
            allowed = max(first[one][1], room)
            if there < at + min(late, 0.0) - allowed:
                queue.popleft()
                continue
            apart = there - at
            is_same = abs(apart) <= allowed
            if is_same or (is_carried and abs(apart - late) <= allowed):
                found.append(((one, queue.popleft()), not is_same))
                late = apart if is_carried else 0.0
            break
    return found
