"""Whether objects pass through barriers between two frames."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any, NamedTuple, Unpack

import numpy as np

from breadcrumb.algebra.along import marked
from breadcrumb.algebra.bodies import Bodies, FixedBody, gaps_between
from breadcrumb.algebra.in_regions import seen_with, swept_gaps_to
from breadcrumb.algebra.indexing import last_before
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.near_bodies import near_bodies, ways_apart
from breadcrumb.algebra.on_demand import Computed
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Flag
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.collisions.finite import finite, known_to_touch, unless_no_number
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.kinds import Position
from breadcrumb.checks.lines import with_lines, with_region
from breadcrumb.errors import Misuse
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import Bools, Floats, Ints
from breadcrumb.trace.bodies import Radius, bodies_of, body_of, radii
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_flag, untested
from breadcrumb.verdicts.judging import Phrase
from breadcrumb.verdicts.verdict import Verdict


@check("{objects:who} never tunnels through {barrier:barrier}{radius:bodies}", per_lifetime=True)
def never_tunnels(
    objects: Position,
    barrier: Sequence[Sequence[float]] | Region | Position,
    *,
    radius: Radius = None,
    except_at: Moments | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that no object passes through a barrier between two frames, however fast it is.

    A barrier is a line in plan, which no step of a position may cross; or a region, or other objects, which may move
    and turn: then a body must not come out on the other side of where it went in. Between two frames all go straight.

    Args:
        objects: objects with a `position`, or a position signal.
        barrier: the points of a line in plan, a closed one ends where it begins; a region; or objects or a position.
        radius: the objects' radius, or a pair of theirs and the barrier's, in place of the shapes that they have; of a
            line, the position alone counts.
        except_at: moments on whose frames their subject may teleport.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every step. Untested if there is none. It is exact, so it has no margin.

    Raises:
        Misuse: the barrier has fewer than two points, or no body.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_tunnels(small_trace().one("skiff"), [(1.5, -1), (1.5, 1)]).first.frame
        2
    """
    is_line = not isinstance(barrier, Objects | Signal | Region)
    steps = _past_line(objects, barrier) if is_line else _past_bodies(objects, barrier, radius)  # type: ignore[arg-type]
    position = steps.position
    if position.track.unseen:
        return untested(position)
    stays = Flag(
        position.track, "stays on its side", (~steps.crossed & steps.finite,), steps.known, owner=position.owner
    )
    numbers = replace(stays, parts=(steps.finite,))
    exempt = None if except_at is None else marked(stays.track, except_at, excuses=True)
    scope = Scope(during, except_during, 1, exempt)
    said = unless_no_number(scope.of(numbers), Phrase("on the other side", "on this side", "passes through"))
    verdict = judge_flag(stays, said, scope=scope, position=position)
    if isinstance(barrier, Region):
        return with_region(verdict, barrier)
    return with_lines(verdict, lambda _: [tuple((float(x), float(y)) for x, y in barrier)]) if is_line else verdict


class _Steps(NamedTuple):
    """What is known of every step, by the sample at its end."""

    position: Signal
    crossed: Bools
    finite: Bools
    known: Bools


def _past_line(objects: Position, barrier: Sequence[Sequence[float]]) -> _Steps:
    points = np.asarray(barrier, np.float64)
    if points.ndim != 2 or points.shape[1] != 2 or len(points) < 2 or not np.isfinite(points).all():
        raise Misuse(f"never_tunnels: expected two or more points of two finite numbers, found {barrier!r}")
    position: Any = position_of(objects)
    seen = position.plan
    nothing = np.zeros(len(seen), np.bool_)
    if seen.track.unseen:
        return _Steps(seen, nothing, nothing, nothing)
    before, crossed = seen.previous(), nothing
    for a, b in pairwise(points):
        crossed |= _crosses(seen, a, b)
    finite_here = finite(seen)
    finite_here[1:] &= finite_here[:-1]
    return _Steps(seen, crossed, finite_here, before.usable & seen.usable)


def _past_bodies(objects: Position, barrier: Region | Position, radius: Radius) -> _Steps:
    """Look at stretches on which bodies overlap between frames, from where they are apart to where they are again."""
    if isinstance(barrier, Objects | Signal):
        bodies, others = bodies_of(objects, barrier, radius)
        unseen = bodies.position if bodies.position.track.unseen else others.position
        if unseen.track.unseen:
            nothing = np.zeros(len(unseen), np.bool_)
            return _Steps(unseen, nothing, nothing, nothing)
        near = near_bodies(bodies, others, 0.0, swept=True)
        mine, yours, gap = near
        theirs = others.place.track.lifetime[yours]
        told = known_to_touch(np.zeros(len(bodies.place), np.bool_), bodies, others)
        other: Bodies | FixedBody = others
    else:
        bodies = seen_with(body_of(objects, radii(radius)[0]), barrier)
        fixed = FixedBody.of(barrier)
        if fixed is None:
            raise Misuse(f"never_tunnels: expected a barrier of one piece, found {barrier}; ask of each of its pieces")
        if bodies.position.track.unseen:
            return _Steps(bodies.position, *np.zeros((3, 0), np.bool_))
        every = np.arange(len(bodies.place))
        swept = swept_gaps_to(bodies, barrier, every)
        mine = np.flatnonzero(swept <= 0)
        yours, other, told = np.zeros_like(mine), fixed, bodies.known
        gap, theirs = swept[mine], yours
    place, ends = bodies.place, np.ones(len(bodies.place), np.bool_) if told is None else told.copy()
    known = bodies.has_step & ends
    known[1:] &= ends[:-1]
    finite_here = bodies.finite.copy()
    finite_here[1:] &= finite_here[:-1]
    crossed = np.zeros(len(place), np.bool_)
    deep = np.flatnonzero(bodies.has_step[mine] & (gap < -_SLIP * max(bodies.reach, 1.0)))
    order = deep[np.lexsort((mine[deep], theirs[deep]))]
    crossed[_out_again(bodies, other, mine[order], yours[order], theirs[order])] = True
    return _Steps(place, crossed, finite_here, known)


_SLIP = 1e-9
"""By what share of its reach a body may overlap another and still be apart from it."""


def _out_again(bodies: Bodies, other: Bodies | FixedBody, mine: Ints, yours: Ints, theirs: Ints) -> Ints:
    """Return, of the steps on which bodies overlap, the ends of those that come out on the other side."""
    if not len(mine):
        return mine
    slip = _SLIP * max(bodies.reach, 1.0)
    goes_on = np.zeros(len(mine), np.bool_)
    goes_on[1:] = (theirs[1:] == theirs[:-1]) & (mine[1:] == mine[:-1] + 1)
    apart = gaps_between(bodies.at(mine), other.at(yours)) >= -slip
    goes_on[1:] &= ~apart[:-1]
    first = np.flatnonzero(~goes_on)
    last = np.append(first[1:], len(mine)) - 1
    before = mine[first] - 1, yours[first] - (1 if isinstance(other, Bodies) else 0)
    in_at = ways_apart(bodies, other, *before)
    was_apart = gaps_between(bodies.at(before[0]), other.at(before[1])) >= -slip
    out_at = ways_apart(bodies, other, mine[last], yours[last])
    through = was_apart & apart[last] & ((in_at * out_at).sum(axis=0) < 0)
    return np.asarray(mine[last][through])


_ROUNDING = 1e-9
"""How far from an end of a barrier, as a share of its length, a step may pass and still pass through the end."""


def _crosses(path: Signal, a: Floats, b: Floats) -> Bools:
    """Return which steps pass through a line from one point to another.

    Whoever reaches the line exactly has not passed through it: that is the step that leaves it on the other side.
    """
    (x, y), before = path.parts, path.previous()

    def side_at(rows: Rows) -> Floats:
        return np.asarray(np.nan_to_num(np.sign((b[0] - a[0]) * (y[rows] - a[1]) - (b[1] - a[1]) * (x[rows] - a[0]))))

    side = Computed(side_at, len(path), np.int8).whole
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
