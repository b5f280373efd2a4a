"""Which moment was the last one so far, and which samples come within a time after it."""

from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.matching import Match, matches
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.tracks import Track
from breadcrumb.model.session import NOBODY, Ints


class Runs(NamedTuple):
    """Runs of samples of one lifetime, each from a moment up to the next one or to the end."""

    track: Track
    starts: Ints
    """The index of the first sample of each."""
    ends: Ints
    """The index behind the last one."""
    moment: Ints
    """The moment of each."""

    def place(self, clock_indices: Ints) -> Ints:
        """Return, for each run, the index of its first sample at or after a clock index, else its end."""
        return np.clip(self.track.place(self.track.lifetime[self.starts], clock_indices), self.starts, self.ends)


def latest(track: Track, moments: Moments, *, excuses: bool = False) -> Ints:
    """Return, for each sample, the last moment so far that goes with it, as an index, or NOBODY.

    A moment on the sample's own frame counts.

    Raises:
        Misuse: nothing says which moments go with which samples.
    """
    found: Ints | None = None
    for match in matches(track, moments.participants, excuses=excuses):
        rows = np.arange(moments.count)[match.right_rows]
        if match.by_time:
            last = _last_by_time(track, moments.clock_index[rows], rows)
        else:
            starts, which = _runs_of(track, moments, match)
            last = np.repeat(which, np.diff(starts, append=track.size))
        if found is None:
            found = last
            continue
        later = (found == NOBODY) | (
            (last != NOBODY) & (moments.clock_index[last] >= moments.clock_index[found]) & (last > found)
        )
        found = np.where(later, last, found)
    return np.full(track.size, NOBODY) if found is None else found


def _last_by_time(track: Track, clock_index: Ints, rows: Ints) -> Ints:
    order = np.argsort(clock_index, kind="stable")
    index = np.searchsorted(clock_index[order], track.clock_index, side="right") - 1
    return np.where(index >= 0, rows[order[np.maximum(index, 0)]], NOBODY)


def runs_after(track: Track, moments: Moments) -> Runs:
    """Return the runs of samples after moments that go with them, as `latest` tells which they are.

    Raises:
        Misuse: nothing says which moments go with which samples.
    """
    found = list(matches(track, moments.participants))
    if len(found) == 1 and not found[0].by_time:
        starts, which = _runs_of(track, moments, found[0])
    else:
        which = latest(track, moments)
        fresh = track.first_of_lifetime.copy()
        fresh[1:] |= which[1:] != which[:-1]
        starts = np.flatnonzero(fresh)
        which = which[starts]
    ends = np.append(starts, track.size)[1:]
    known = which != NOBODY
    return Runs(track, starts[known], ends[known], which[known])


def _runs_of(track: Track, moments: Moments, match: Match) -> tuple[Ints, Ints]:
    """Return where each moment's samples begin, or those before any, and which moment it is, or NOBODY."""
    rows = np.arange(moments.count)[match.right_rows]
    known = match.right != NOBODY
    rows, lifetime = rows[known], match.right[known]
    clock_index = moments.clock_index[rows]
    order = np.argsort(track.keys(lifetime, clock_index), kind="stable")
    begins = track.place(lifetime[order], clock_index[order])
    mine = begins < track.size
    mine[mine] = track.lifetime[begins[mine]] == lifetime[order][mine]  # one behind its lifetime's end is of no sample
    starts = np.hstack((track.starts, begins[mine]))  # a lifetime begins without a moment, then each begins a run
    which = np.hstack((np.full(len(track.starts), NOBODY), rows[order[mine]]))
    in_order = np.argsort(starts, kind="stable")
    starts, which = starts[in_order], which[in_order]
    last = np.diff(starts, append=track.size) > 0  # of several at once
    return starts[last], which[last]
