"""What touches what, and checks of it."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise
from typing import TypeAlias, Unpack

import numpy as np

from breadcrumb.algebra.along import marked
from breadcrumb.algebra.durations import frames
from breadcrumb.algebra.indexing import last_before
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.pairs import meets_one, near_pairs
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Flag, Number
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.collisions.finite import NO_NUMBER, finite, known_to_touch, unless_no_number
from breadcrumb.checks.collisions.touches import stretches_of_pairs
from breadcrumb.checks.declaration import Common, check, of_rate
from breadcrumb.checks.kinds import Position
from breadcrumb.checks.movement.speeds import keeps_velocity
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_between, judge_flag, judge_near, untested
from breadcrumb.verdicts.judging import Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict
from breadcrumb.verdicts.words import amount

Radius: TypeAlias = float | tuple[float, float]
"""The objects' radius, or a pair of theirs and the others'."""

WITH_ANY = "touches any"
"""What the key of touches with any of a group ends with: one may begin anew within another."""


def touching(
    objects: Objects | Signal,
    others: Objects | Signal | Region,
    *,
    radius: Radius = 0.0,
    swept: bool = False,
) -> Spans:
    """Return when objects touch others: geometry, not a check.

    Args:
        objects: objects with a `position`, or a position signal.
        others: one object, a group, positions, or a region that stands still.
        radius: the objects' radius, or a pair of theirs and the others', in the unit of the position; 0 for points.
        swept: whether two that pass one another between two frames touch on the second one, for games that solve a
            contact inside the step; not for regions.

    Returns:
        Spans of the objects, each a stretch of frames on which it touches any of the others; `pairs` are those with
        each of them, and `unknown` those on which a position is missing, so that it may.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> touching(small_trace().one("skiff"), Circle((3, 0), 1.5)).first.tolist()
        [2]
    """
    position = position_of(objects)
    if not isinstance(others, Objects | Signal):
        close = position.depth_in(others) >= -_radii(radius)[0]
        return _named(close.spans(), objects, f"{others}")
    other = position_of(others)
    name = other.owner or other.name
    reach = sum(_radii(radius))
    if other.track.one_at_a_time and not other.track.unseen and other.track.size:
        near = meets_one(position, other, swept=swept)
        flags = near.usable & (near.parts[0] <= reach + np.max(near.noise, initial=0.0))
        mine = np.flatnonzero(flags)
        yours = other.track.find_clock_index(position.track.clock_index[mine])
    else:
        mine, yours, _ = near_pairs(position, other, reach, swept=swept)
        flags = np.zeros(position.track.size, np.bool_)
        flags[mine] = True
    close = Flag(position.track, "touching", (flags,), known_to_touch(flags, position, other), owner=position.owner)
    pairs = stretches_of_pairs(position.track, mine, other.track, yours)
    return replace(
        _named(close.spans(), objects, name, "touches" if other.track.one_at_a_time else WITH_ANY), pairs=pairs
    )


@check("{objects:who} never overlaps {others:name}[ by more than {tol}][ with {radius:radii}]")
def never_overlaps(
    objects: Position,
    others: Position,
    *,
    radius: Radius = 0.0,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects never overlap others by more than a depth.

    Args:
        objects: objects with a `position`, or a position signal.
        others: one object, a group (which may be the same), or positions.
        radius: the objects' radius, or a pair of theirs and the others'.
        tol: the deepest allowed overlap, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample of the objects. Untested if there is none. Its margin is the smallest distance between
        two surfaces plus `tol`, as far as it is less than the sum of the radii.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"a": {"position": (0.0, 0.0)}, "b": {"position": (1.0, 0.0)}}]
        >>> kegs = make_trace(states, kinds={"a": "barrel", "b": "barrel"}).all("barrel")
        >>> never_overlaps(kegs, kegs, radius=(0.6, 0.6)).first.words
        'overlaps b by 0.2'
    """
    position, other = position_of(objects), position_of(others)
    if position.track.unseen or other.track.unseen:
        return untested(position if position.track.unseen else other)
    reach = sum(_radii(radius))
    pairs = near_pairs(position, other, 2 * reach)
    gap, partner = np.full(position.track.size, reach), np.full(position.track.size, NOBODY)
    nearest_last = np.argsort(-pairs.distance, kind="stable")
    mine = pairs.mine[nearest_last]
    gap[mine], partner[mine] = pairs.distance[nearest_last] - reach, pairs.yours[nearest_last]
    gap[~finite(position)] = np.nan
    known = known_to_touch(np.isnan(gap) & position.usable | (gap < -tol), position, other)
    between = Number(position.track, "gap", (gap,), known, position.unit, None, position.owner, position.noise)

    def say(seen: Signal, index: int) -> Phrase:
        if np.isnan(seen.parts[0][index]):
            return NO_NUMBER
        deep = amount(-float(seen.parts[0][index]), position.unit)
        mine = position.track.find(seen.track.lifetime[[index]], seen.track.clock_index[[index]])
        name = int(other.track.name[partner[mine[0]]])
        whom = other.title if name == NOBODY else other.track.session.names[name]
        return Phrase(deep, f"at most {amount(tol, position.unit)}", f"overlaps {whom} by {deep}")

    scope = Scope(during, except_during)
    return judge_between(between, 0.0, None, tol=tol, scope=scope, position=position, say=say)


@check("{objects:who} never touches {others:name}[ with {radius:radii}][swept?, also between frames]")
def never_touches(
    objects: Position,
    others: Position | Region,
    *,
    radius: Radius = 0.0,
    swept: bool = False,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects never touch others.

    Args:
        objects: objects with a `position`, or a position signal.
        others: one object, a group, positions, or a region that stands still.
        radius: the objects' radius, or a pair of theirs and the others'.
        swept: as for `touching`.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample of the objects. Untested if there is none. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> never_touches(small_trace().one("skiff"), Circle((3, 0), 1.5)).first.frame
        2
    """
    position = position_of(objects)
    spans = touching(objects, others, radius=radius, swept=swept)
    told = None if spans.unknown is None else ~spans.unknown.over(position.track)
    known, scope = finite(position), Scope(during, except_during)
    free = Flag(position.track, "free", (~spans.over(position.track) & known,), told, owner=position.owner)
    said = unless_no_number(scope.of(replace(free, parts=(known,))), Phrase("touching", "apart", "touches"))
    return judge_flag(free, said, scope=scope, position=position)


@check("{objects:who} never tunnels through the barrier from {barrier:ends}")
def never_tunnels(
    objects: Position,
    barrier: Sequence[Sequence[float]],
    *,
    except_at: Moments | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that no object passes through a barrier between two frames, however fast it is.

    Each step is a straight line in plan, which must not cross the barrier.

    Args:
        objects: objects with a `position`, or a position signal.
        barrier: the points of a line in plan; a closed one ends where it begins.
        except_at: moments on whose frames their subject may teleport.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every step. Untested if there is none. It is exact, so it has no margin.

    Raises:
        Misuse: the barrier has fewer than two points.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_tunnels(small_trace().one("skiff"), [(1.5, -1), (1.5, 1)]).first.frame
        2
    """
    points = np.asarray(barrier, np.float64)
    if points.ndim != 2 or points.shape[1] != 2 or len(points) < 2:
        raise Misuse(f"never_tunnels: expected two or more points of two numbers, found {barrier!r}")
    position = position_of(objects)
    if position.track.unseen:
        return untested(position)
    seen = position.plan
    before = seen.previous()
    crossed = np.zeros(len(seen), np.bool_)
    for a, b in pairwise(points):
        crossed |= _crosses(seen, a, b)
    known = finite(seen) & finite(before)
    stays = Flag(
        seen.track, "stays on its side", (~crossed & known,), before.usable & seen.usable, owner=position.owner
    )
    numbers = replace(stays, parts=(known,))
    exempt = None if except_at is None else marked(stays.track, except_at, excuses=True)
    scope = Scope(during, except_during, 1, exempt)
    said = unless_no_number(scope.of(numbers), Phrase("on the other side", "on this side", "passes through"))
    return judge_flag(stays, said, scope=scope, position=position)


@check("{objects:who} passes undisturbed through {others:name}[ with {radius:radii}]", unit=of_rate)
def passes_through(
    objects: Objects,
    others: Position | Region,
    *,
    radius: Radius = 0.0,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects are not disturbed by what they overlap: sensors, and pairs that ignore one another.

    It is `movement.keeps_velocity` while they touch, and on the frame before and after; the velocity to keep is that of
    the step before all of these.

    Args:
        objects: objects with a `position`.
        others: what they may pass through.
        radius: the objects' radius, or a pair of theirs and the others'.
        tol: how far off the velocity may be, in its own unit.

    Returns:
        A verdict on every step while they touch. Untested if they never do. Its margin is `tol` less the largest
        change.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> passes_through(small_trace().one("skiff"), Circle((3, 0), 1.5)).outcome
        'held'
    """
    touches = touching(objects, others, radius=radius)
    beside = touches.grown(frames(1))
    beside = replace(beside, first=np.maximum(beside.first - 1, 0))  # so that the step before has the velocity it had
    kept = keeps_velocity(objects, tol=tol, during=beside)
    if not touches.count:
        why = kept.why_untested or f"no {touches.label}"
        return Verdict(UNNAMED, Outcome.UNTESTED, kept.session, of=kept.of, why_untested=why)
    return kept


@check("{objects:who} rests on {surface}[, its lowest point {below} below its position]")
def rests_on(
    objects: Position,
    surface: Number | float,
    *,
    below: float = 0.0,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that the lowest point of objects is on a surface: neither sunk in nor hovering.

    Args:
        objects: objects with a `position`, or a position signal.
        surface: the height of the surface along the up axis; a number, or a signal.
        below: how far the lowest point is below the position.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is `tol` less the largest distance.

    Raises:
        Misuse: `about` does not say which way is up.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> rests_on(small_trace().one("skiff"), 0.0).outcome
        'held'
    """
    position = position_of(objects)
    axes = position.track.session.axes
    up = next((axis for axis in "xyz" if axes.get(axis) in ("up", "down")), "")
    if not up and not position.track.unseen:
        raise Misuse("rests_on needs to know which way is up; record it as axes={'z': 'up'}")
    height = getattr(position, up or "x")
    lowest = height + below if axes.get(up) == "down" else height - below
    return judge_near(lowest, surface, tol=tol, scope=Scope(during, except_during))


_ROUNDING = 1e-9
"""How far from an end of a barrier, as a share of its length, a step may pass and still pass through the end."""


def _crosses(path: Signal, a: Floats, b: Floats) -> Bools:
    """Return which steps pass through a line from one point to another.

    Whoever reaches the line exactly has not passed through it: that is the step that leaves it on the other side.
    """
    (x, y), before = path.parts, path.previous()
    side = np.nan_to_num(np.sign((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])))
    changes = np.flatnonzero((side[1:] != 0) & (side[1:] != side[:-1])) + 1  # few, so the rest is asked of them alone
    beside = last_before(np.flatnonzero(side), changes)
    begin = last_before(np.flatnonzero(~(before.usable & path.usable)), changes + 1)
    index = changes[(beside >= np.maximum(begin, 0)) & (side[changes] * side[beside] < 0)]
    (x0, y0), (x1, y1) = ([part[index] for part in one.parts] for one in (before, path))
    side_a = (x1 - x0) * (a[1] - y0) - (y1 - y0) * (a[0] - x0)
    side_b = (x1 - x0) * (b[1] - y0) - (y1 - y0) * (b[0] - x0)
    crossed = np.zeros(len(side), np.bool_)
    at_end = np.minimum(abs(side_a), abs(side_b)) <= _ROUNDING * np.maximum(abs(side_a), abs(side_b))
    crossed[index] = (side_a * side_b <= 0) | at_end
    return crossed


def _named(spans: Spans, objects: Objects | Signal, others: str, key: str = "touches") -> Spans:
    position = position_of(objects)
    label = f"{position.owner or position.name} touches {others}".replace("every ", "any ", 1)
    return replace(spans, label=label, key=position.key.then(key))


def _radii(radius: Radius) -> tuple[float, float]:
    return radius if isinstance(radius, tuple) else (radius, 0.0)
