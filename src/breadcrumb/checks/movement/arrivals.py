"""Checks of where things get to, and whom they follow."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.along import delayed, first_of_lifetime, following, told_at
from breadcrumb.algebra.durations import Duration, TimeAxis, duration, frames
from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Vector
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.kinds import Place, Points, Position
from breadcrumb.model.session import NOBODY, Bools
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_near, judge_off
from breadcrumb.verdicts.verdict import Verdict


@check("{objects:who} is at {places} at {at}")
def teleports_to(
    objects: Position,
    places: Vector | Points,
    *,
    at: Moments,
    offset: Sequence[float] | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects are at a place, or at one of several, on the frame of each moment or on the one after it.

    Args:
        objects: objects with a `position`, or a position signal.
        places: a point, a list of points, or a position signal of one object, taken at that instant.
        at: the moments; their subject is the object that teleports.
        offset: what is added to each place.
        tol: how far off is still allowed, in the unit of the position.

    Returns:
        A verdict on every moment. Untested if there is none; undecided where the object was not sampled, and on its
        last frame if it is not there yet. Its margin is `tol` less the largest distance.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> teleports_to(trace.one("skiff"), [(9, 9, 0), (2, 0, 0)], at=trace.events("bell.rung")).outcome
        'held'
    """
    position = position_of(objects)
    at = of_these(at, position)
    off, after = None, position.after(at, frames(1))
    seen = after.usable & np.isin(
        at.clock_index + 1, at.session.gaps, invert=True
    )  # behind a gap is not the frame after
    for found in (position.at(at), replace(after, valid=seen)):
        for place in _each_place(places, at):
            away = found - place if offset is None else found - place - offset
            away = away.norm()
            off = away if off is None else _smaller(off, away)
    assert off is not None
    off = replace(off, name="distance from the place", unit=position.unit)
    known = position.at(at).usable & seen | (off.parts[0] <= tol + np.asarray(off.noise))
    return judge_off(replace(told_at(off, at), valid=off.usable & known), tol, position=position)


@check("{objects:who} follows {leader:name}[ at an offset of {offset}][ {lag} later]")
def follows(
    objects: Position,
    leader: Position,
    *,
    offset: Sequence[float] | None = None,
    lag: Duration | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects keep their offset to a leader.

    Args:
        objects: objects with a `position`, or a position signal.
        leader: the one object that they follow, or its position.
        offset: where they are, seen from the leader; None for the offset on the first sample that is judged.
        lag: how old the leader's position is that they follow; None for that of the same frame.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample that both have. Untested if there is none. Its margin is `tol` less the largest
        deviation.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> follows(boat, boat, offset=(0, 0, 0)).outcome
        'held'
    """
    position, led = position_of(objects), position_of(leader)
    led = led if lag is None else delayed(led, duration(lag, "lag"))
    away = Scope(during, except_during).of(replace(position - led, name="offset", unit=position.unit))
    due = first_of_lifetime(away) if offset is None else offset
    return judge_near(away, due, tol=tol, position=position)


@check("{objects:who} is back at {place} {within} after {after}[at_rest?, at rest][ unless {unless}]")
def returns_to(
    objects: Position,
    place: Place,
    *,
    after: Moments,
    within: Duration,
    at_rest: bool = True,
    unless: Moments | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects are back at a place some time after moments, and by default rest there.

    Args:
        objects: objects with a `position`, or a position signal.
        place: a point, or a position signal of one object.
        after: the moments; their subject is the object that returns.
        within: the time by which it is back: the first sample at or after that is judged.
        at_rest: whether it must also be there on the sample behind that.
        unless: moments of the same subject that call the return off, on the sample that is judged at the latest.
        tol: how far off is still allowed, in the unit of the position.

    Returns:
        A verdict on every moment. Untested if there is none; undecided where the trace, or the lifetime, ends before
        that is seen. Its margin is `tol` less the largest distance.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> returns_to(trace.one("skiff"), (0, 0, 0), after=trace.events("bell.rung"), within=frames(1)).outcome
        'broken'
    """
    position = position_of(objects)
    moments = of_these(after, position)
    if unless is not None:
        moments = moments.pick(np.flatnonzero(~_called_off(moments, within, unless)))
    back = position.after(moments, within)
    where = position_of(place) if isinstance(place, Objects | Signal) else place
    due = where.after(moments, within) if isinstance(where, Signal) else where
    if at_rest:
        back = _farther(back, following(position).after(moments, within), due, tol)
    return judge_near(back, due, tol=tol, position=position)


@check("{objects:who} lands on {target:name}[ + {offset}] at {at}")
def lands_on(
    objects: Position,
    target: Place,
    *,
    at: Moments,
    offset: Sequence[float] | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects are, at moments, where a target is at that instant.

    Args:
        objects: objects with a `position`, or a position signal.
        target: one object, its position, or a point.
        at: the moments; their subject is the object that lands.
        offset: what is added to the target's position.
        tol: how far off is still allowed, in the unit of the position.

    Returns:
        A verdict on every moment. Untested if there is none; undecided where one of the two was not sampled. Its margin
        is `tol` less the largest distance.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> lands_on(trace.one("skiff"), (2, 0, 0), at=trace.events("bell.rung")).outcome
        'held'
    """
    position = position_of(objects)
    at = of_these(at, position)
    place = position_of(target) if isinstance(target, Objects | Signal) else target
    due = place.when(at) if isinstance(place, Signal) else tuple(np.asarray(place, np.float64).tolist())
    if offset is not None:
        due = due + offset if isinstance(due, Signal) else tuple(np.add(due, offset).tolist())
    return judge_near(position.at(at), due, tol=tol, position=position)


def of_these(moments: Moments, position: Signal) -> Moments:
    """Return the moments that go with objects that have this position."""
    mine = np.zeros(moments.count, np.bool_)
    for match in matches(moments.participants, position.track):
        mine[match.left_rows] = match.by_time | np.isin(match.left, position.track.lifetime[position.track.starts])
    kept = moments if mine.all() else moments.pick(np.flatnonzero(mine))
    return replace(kept, participants=kept.participants.meant_by(position.track.kinds))


def _each_place(places: Any, at: Moments) -> list[Any]:
    if isinstance(places, Signal):
        return [places.when(at)]
    points = np.asarray(places, np.float64)
    return [tuple(point) for point in np.atleast_2d(points).tolist()]


def _smaller(one: Signal, other: Signal) -> Signal:
    """Return the smaller of two values at the same moments; one that is missing does not count."""
    a, b = (np.where(each.usable, each.parts[0], np.inf) for each in (one, other))
    valid = one.usable | other.usable
    return replace(one, parts=(np.where(valid, np.fmin(a, b), 0.0),), valid=valid)


def _farther(one: Any, other: Any, due: Any, tol: float) -> Signal:
    """Return which of two places at the same moments is farther from where it should be.

    If one is missing it is the other one, unless that is near enough: then nothing is known.
    """
    near, far = ((place - due).norm() for place in (one, other))
    second = far.usable & (~near.usable | ~(far.parts[0] <= near.parts[0]) & ~np.isnan(near.parts[0]))
    away = np.where(second, far.parts[0], near.parts[0])
    known = near.usable & far.usable | ((near.usable | far.usable) & ~(away <= tol + np.asarray(near.noise)))
    parts = tuple(np.where(second, b, a) for a, b in zip(one.parts, other.parts, strict=True))
    farther: Signal = replace(one, parts=parts, valid=known)
    return farther


def _called_off(moments: Moments, within: Duration, unless: Moments) -> Bools:
    """Return which of the moments are followed in time by one that goes with them and calls them off."""
    axis = TimeAxis.of(moments.session.clock, within.unit)
    last = axis.at_or_after(axis.values + within.value)[moments.clock_index]  # that frame is judged, so it counts
    off = np.zeros(moments.count, np.bool_)
    orders = int(max(moments.order.max(initial=0), unless.order.max(initial=0))) + 2
    frame = (moments.session.clock.size + 1) * orders
    # without an order, a moment may be before all others of its frame, and one that calls it off behind them
    begin = moments.clock_index * orders + np.maximum(moments.order, 0)
    stop = unless.clock_index * orders + np.where(unless.order == NOBODY, orders - 1, unless.order)
    for match in matches(moments.participants, unless.participants, excuses=True):
        stops = np.append(np.sort(match.right * frame + stop[match.right_rows]), np.iinfo(np.int64).max)
        first = np.searchsorted(stops, match.left * frame + begin[match.left_rows], side="right")
        off[match.left_rows] |= stops[first] < match.left * frame + (last[match.left_rows] + 1) * orders
    return off
