"""What touches what, and checks of it."""

from dataclasses import replace
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.durations import frames
from breadcrumb.algebra.in_regions import lowest_points
from breadcrumb.algebra.near_bodies import near_bodies
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Flag, Number
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.collisions.finite import NO_NUMBER, known_to_touch, unless_no_number
from breadcrumb.checks.collisions.surfaces import touching
from breadcrumb.checks.declaration import Common, check, of_rate
from breadcrumb.checks.kinds import Position
from breadcrumb.checks.movement.speeds import keeps_velocity
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY
from breadcrumb.trace.bodies import Radius, bodies_of, body_of, radii, shape_of
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_between, judge_flag, judge_near, untested
from breadcrumb.verdicts.judging import Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict
from breadcrumb.verdicts.words import amount


@check("{objects:who} never overlaps {others:name}[ by more than {tol}]{radius:bodies}")
def never_overlaps(
    objects: Position,
    others: Position,
    *,
    radius: Radius = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects never overlap others by more than a depth.

    Args:
        objects: objects with a `position`, or a position signal.
        others: one object, a group (which may be the same), or positions.
        radius: the objects' radius, or a pair of theirs and the others', in place of the shapes that they have.
        tol: the deepest allowed overlap, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample of the objects. Untested if there is none. Its margin is the smallest distance between
        two surfaces plus `tol`, as far as it is less than the reach of both; what overlaps is as deep as one of the two
        must move to part them.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"a": {"position": (0.0, 0.0)}, "b": {"position": (1.0, 0.0)}}]
        >>> kegs = make_trace(states, kinds={"a": "barrel", "b": "barrel"}).all("barrel")
        >>> never_overlaps(kegs, kegs, radius=(0.6, 0.6)).first.words
        'overlaps b by 0.2'
    """
    bodies, barriers = bodies_of(objects, others, radius)
    position, other = bodies.place, barriers.place
    if position.track.unseen or other.track.unseen:
        return untested(position if position.track.unseen else other)
    reach = bodies.reach + barriers.reach
    pairs = near_bodies(bodies, barriers, reach)
    gap, partner = np.full(position.track.size, reach), np.full(position.track.size, NOBODY)
    nearest_last = np.argsort(-pairs.distance, kind="stable")
    mine = pairs.mine[nearest_last]
    gap[mine], partner[mine] = pairs.distance[nearest_last], pairs.yours[nearest_last]
    gap[~bodies.finite] = np.nan
    known = known_to_touch(np.isnan(gap) & position.usable | (gap < -tol), bodies, barriers)
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


@check("{objects:who} never touches {others:name}{radius:bodies}[swept?, also between frames]")
def never_touches(
    objects: Position,
    others: Position | Region,
    *,
    radius: Radius = None,
    swept: bool = False,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects never touch others.

    Args:
        objects: objects with a `position`, or a position signal.
        others: one object, a group, positions, or a region that stands still.
        radius: the objects' radius, or a pair of theirs and the others', in place of the shapes that they have.
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
    bodies = body_of(objects, radii(radius)[0])
    position = bodies.position
    spans = touching(objects, others, radius=radius, swept=swept)
    told = None if spans.unknown is None else ~spans.unknown.over(position.track)
    known, scope = bodies.finite, Scope(during, except_during)
    free = Flag(position.track, "free", (~spans.over(position.track) & known,), told, owner=position.owner)
    said = unless_no_number(scope.of(replace(free, parts=(known,))), Phrase("touching", "apart", "touches"))
    return judge_flag(free, said, scope=scope, position=position)


@check("{objects:who} passes undisturbed through {others:name}{radius:bodies}", unit=of_rate, per_lifetime=True)
def passes_through(
    objects: Objects,
    others: Position | Region,
    *,
    radius: Radius = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects are not disturbed by what they overlap: sensors, and pairs that ignore one another.

    It is `movement.keeps_velocity` while they touch, and on the frame before and after; the velocity to keep is that of
    the step before all of these.

    Args:
        objects: objects with a `position`.
        others: what they may pass through.
        radius: the objects' radius, or a pair of theirs and the others', in place of the shapes that they have.
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


@check("{objects:who} rests on {surface}[, its lowest point {below} below its position|{below:bodies}]")
def rests_on(
    objects: Position,
    surface: Number | float,
    *,
    below: float | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that the lowest point of objects is on a surface: neither sunk in nor hovering.

    Args:
        objects: objects with a `position`, or a position signal.
        surface: the height of the surface along the up axis; a number, or a signal.
        below: how far the lowest point is below the position, in place of the shape that they have; 0 for points.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is `tol` less the largest distance.

    Raises:
        Misuse: `about` does not say which way is up, or the shape of the objects has no height.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> rests_on(small_trace().one("skiff"), 0.0).outcome
        'held'
    """
    position: Any = position_of(objects)
    axes = position.track.session.axes
    up = next((axis for axis in "xyz" if axes.get(axis) in ("up", "down")), "")
    if not up and not position.track.unseen:
        raise Misuse("rests_on needs to know which way is up; record it as axes={'z': 'up'}")
    height = getattr(position, up or "x")
    sign = -1.0 if axes.get(up) == "down" else 1.0
    if below is None and shape_of(objects) is not None and not position.track.unseen:
        bodies = body_of(objects)
        if bodies.plan is not None:
            raise Misuse(f"rests_on: {bodies.shape} is in plan and has no lowest point; tell it with below=")
        low = lowest_points(bodies, "xyz".index(up), sign)
        lowest = replace(height, parts=(low,), valid=bodies.known)
    else:
        lowest = height - sign * (below or 0.0)
    return judge_near(lowest, surface, tol=tol, scope=Scope(during, except_during))
