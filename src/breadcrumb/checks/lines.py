"""Lines in plan by which a verdict was judged, for its figure and its replay: a barrier, a ray, the way to a target."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TypeAlias

import numpy as np

from breadcrumb.algebra.angles import has_plan, plan_axes
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.verdicts.evidence import Evidence, Excerpt
from breadcrumb.verdicts.verdict import Verdict

Point: TypeAlias = tuple[float, float]
Line: TypeAlias = tuple[Point, ...]
_FLAT = 2


def with_lines(verdict: Verdict, lines_of: Callable[[Excerpt], Sequence[Line]]) -> Verdict:
    """Return a verdict in whose evidence of breaches there are lines; one that is not broken stays as it is."""
    return _with(verdict, lambda excerpt: replace(excerpt, lines=tuple(lines_of(excerpt))))


def with_region(verdict: Verdict, region: Region) -> Verdict:
    """Return a verdict in whose evidence of breaches there is a region that was not to be entered."""
    return _with(
        verdict, lambda excerpt: replace(excerpt, outlines=tuple(map(tuple, region.outlines())), belongs_inside=False)
    )


def _with(verdict: Verdict, change: Callable[[Excerpt], Excerpt]) -> Verdict:
    evidence = verdict.evidence
    if verdict.first is None:
        return verdict
    first, worst = (None if one is None else change(one) for one in (evidence.first, evidence.worst))
    return replace(verdict, evidence=Evidence(first, worst, evidence.tightest))


def line_to(start: Signal, end: Signal | Sequence[float]) -> Callable[[Excerpt], Sequence[Line]]:
    """Return what gives the line between two places at the moment of an excerpt; none where one is not known."""

    def lines(excerpt: Excerpt) -> Sequence[Line]:
        ends = [_place_at(place, start, excerpt) for place in (start, end)]
        known = [point for point in ends if point is not None]
        return (tuple(known),) if len(known) == len(ends) else ()

    return lines


def _place_at(place: Signal | Sequence[float], start: Signal, excerpt: Excerpt) -> Point | None:
    """Return where something is in plan on the frame of an excerpt: its object, or who is alone."""
    session = start.track.session
    if not isinstance(place, Signal):
        if len(place) != _FLAT and not has_plan(start):
            return None
        first, second = plan_axes(session, len(place))
        return float(place[first]), float(place[second])
    if not has_plan(place):
        return None
    track, flat = place.track, place.plan
    found = np.flatnonzero(track.clock_index == session.clock.clock_index_at_or_after(excerpt.frame))
    if len(found) > 1 and excerpt.object in session.names:
        found = found[track.name_at(found) == session.names.index(excerpt.object)]
    if len(found) != 1 or not flat.usable_at(found)[0]:
        return None
    x, y = (float(part[found[0]]) for part in flat.parts)
    return (x, y) if np.isfinite(x) and np.isfinite(y) else None
