"""Judging each episode by itself: a restart cuts what a check looks at, and the findings are joined again."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from breadcrumb.algebra.dividing import Division
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.segments import Segments
from breadcrumb.algebra.spans import Spans
from breadcrumb.model.episodes import Episode, Episodes
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.episodes import over_episodes
from breadcrumb.verdicts.verdict import Verdict


def in_each_episode(
    function: Callable[..., Verdict], args: tuple[Any, ...], given: Mapping[str, Any], *, whole: bool
) -> Verdict:
    """Return what a check finds: in each episode of its session by itself, or in the whole session.

    Args:
        function: the check.
        args: its arguments by place.
        given: its arguments by name.
        whole: whether it is about the whole session; so is a check of restarts, and one that is given a trace.
    """
    every = [*_flat(args), *_flat(given.values())]
    episodes = next((found for one in every if (found := _episodes_of(one)) is not None), None)
    if episodes is None:
        return function(*args, **given)
    if whole or any(isinstance(one, Trace) or (isinstance(one, Moments) and one.is_restart) for one in every):
        return _called(function, args, given, Division.undone(episodes), every)
    verdicts = [_cut_by_end(_called(function, args, given, Division.into(one), every), one) for one in episodes.parts]
    return replace(over_episodes(verdicts, (episodes.numbers + 1).tolist()), session=episodes.whole.session.label)


def _flat(values: Iterable[Any]) -> Iterable[Any]:
    """Yield values, and those in lists and mappings."""
    for value in values:
        if isinstance(value, tuple | list):
            yield from _flat(value)
        elif isinstance(value, Mapping):
            yield from _flat(value.values())
        else:
            yield value


def _episodes_of(value: Any) -> Episodes | None:
    if isinstance(value, Segments):
        value = value.spans
    if isinstance(value, Samples):
        return value.track.session.episodes
    if isinstance(value, Moments | Spans):
        return value.session.episodes
    return value.episodes if isinstance(value, Objects) else None


def _called(
    function: Callable[..., Verdict],
    args: tuple[Any, ...],
    given: Mapping[str, Any],
    division: Division,
    every: list[Any],
) -> Verdict:
    taken = [_taken(value, division, every) for value in args]
    return function(*taken, **{name: _taken(value, division, every) for name, value in given.items()})


def _taken(value: Any, division: Division, every: list[Any]) -> Any:
    """Return what of an argument is there."""
    if isinstance(value, Samples):
        return division.samples(value)
    if isinstance(value, Segments):
        return replace(value, signal=division.samples(value.signal), spans=division.spans(value.spans))
    if isinstance(value, Moments):
        return division.moments(value)
    if isinstance(value, Spans):
        return division.spans(value)
    if isinstance(value, Objects):
        return value.divided(division)
    if isinstance(value, np.ndarray):
        return _aligned(value, division, every)
    if isinstance(value, tuple | list):
        return type(value)([_taken(one, division, every) for one in value])
    if isinstance(value, dict):
        return {name: _taken(one, division, every) for name, one in value.items()}
    return value


def _aligned(array: Any, division: Division, every: list[Any]) -> Any:
    """Return those rows of an array that go with what is taken of the moments or samples of which there are so many."""
    for one in every:
        if isinstance(one, Samples | Moments) and array.ndim and len(one) == len(array):
            rows = division.kept(one)
            return array if rows is None else array[rows]
    return array


def _cut_by_end(verdict: Verdict, episode: Episode) -> Verdict:
    """Return a verdict in which what the end of an episode leaves open was cut, and is not undecided."""
    if episode.is_last or len(episode.session.gaps):  # a gap leaves it open as well
        return verdict
    parts = tuple(_cut_by_end(one, episode) for one in verdict.parts)
    return replace(verdict, undecided=0, cut=verdict.undecided, parts=parts)
