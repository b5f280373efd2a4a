"""Judging a large group a few lifetimes at a time, so that what is derived on the way takes little memory, and time."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.segments import Segments
from breadcrumb.algebra.tracks import Track
from breadcrumb.trace.objects import Objects, part_of, track_of
from breadcrumb.verdicts.episodes import over_pieces
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import Verdict

PIECE = 1 << 18
"""How many samples a piece has, at least: it holds whole lifetimes."""


def in_pieces(function: Callable[..., Verdict], *args: Any, **given: Any) -> Verdict:
    """Return what a check finds that judges each lifetime by itself, taking a few of a large group at a time.

    Args:
        function: the check; its first argument is what it judges.
        args: its arguments by place.
        given: its arguments by name.
    """
    every = [*args, *given.values()]
    track = track_of(args[0]) if args and isinstance(args[0], Samples | Objects) else None
    if track is None or track.source is not None or track.size < 2 * PIECE:
        return function(*args, **given)
    edges = _edges(track)
    cut = [_is_of(track, one) for one in every]
    if len(edges) <= 2 or not all(is_cut or _is_constant(one) for is_cut, one in zip(cut, every, strict=True)):
        return function(*args, **given)
    verdicts = []
    for begin, end in zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True):
        rows = slice(begin, end)
        taken = [_taken(one, rows) if is_cut else one for is_cut, one in zip(cut, every, strict=True)]
        named = dict(zip(given, taken[len(args) :], strict=True))
        verdicts.append(function(*taken[: len(args)], **named))
    joint = over_pieces(verdicts)
    is_without_measure = any(one.outcome is Outcome.BROKEN and one.margin is None for one in verdicts)
    if joint.outcome is Outcome.UNTESTED or is_without_measure:  # the reason, and the worst breach, depend on all
        return function(*args, **given)
    return joint


def _edges(track: Track) -> Any:
    """Return where pieces begin, each with a lifetime, and the end."""
    wanted = np.searchsorted(track.starts, np.arange(0, track.size, PIECE))
    starts = track.starts[np.unique(np.minimum(wanted, len(track.starts) - 1))]
    return np.append(starts, track.size)


def _is_of(track: Track, value: Any) -> bool:
    """Tell whether an argument has the samples that are judged, one by one."""
    return isinstance(value, Samples | Objects) and track_of(value).same_as(track)


def _is_constant(value: Any) -> bool:
    """Tell whether an argument is the same for every lifetime: it has no rows that belong to some of the samples."""
    if isinstance(value, Samples):
        return bool(value.track.one)
    if isinstance(value, Objects):
        return not value.is_group
    if isinstance(value, tuple | list):
        return all(map(_is_constant, value))
    return not (isinstance(value, Moments | Segments | np.ndarray | Mapping) or callable(value))


def _taken(value: Samples | Objects, rows: slice) -> Samples | Objects:
    return value.take(rows) if isinstance(value, Samples) else part_of(value, rows)
