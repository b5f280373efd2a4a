"""Checks of angles and directions."""

from dataclasses import replace
from typing import Unpack

import numpy as np

from breadcrumb.algebra.along import told_at
from breadcrumb.algebra.angles import full_turn
from breadcrumb.algebra.durations import frames
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.samples import FULL_TURNS, Sort, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Angle, Number, Vector
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, of_angle, of_rate, of_turn
from breadcrumb.checks.kinds import Place, Position
from breadcrumb.checks.lines import line_to, with_lines
from breadcrumb.checks.movement.arrivals import of_these
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import Floats
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_near, judge_off
from breadcrumb.verdicts.verdict import Verdict


@check("{objects:who} heads [away?away from|toward] {target:name} at {at}", unit=of_angle)
def heads_toward(
    objects: Position,
    target: Place,
    *,
    at: Moments,
    away: bool = False,
    velocity: Vector | Number | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects move, right after moments, toward where a target is at that instant, or away from it.

    The direction of motion is that of the first step starting at the moment, or of a recorded velocity at it. A target
    in plan is compared with the motion in plan.

    Args:
        objects: objects with a `position`, or a position signal.
        target: one object, its position, a point, or points picked at the moments, such as
            `Signal.from_data(moments, "aim")`.
        at: the moments; their subject is the object that moves.
        away: whether it must move the opposite way.
        velocity: a recorded velocity to judge instead.
        tol: the largest allowed angle between the two directions, in the session's unit of angles, else in degrees.

    Returns:
        A verdict on every moment at which the object moves. Untested if there is none; undecided where it does not
        move, or the step behind it was not recorded. Its margin is `tol` less the largest angle.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> heads_toward(trace.one("skiff"), (9, 0, 0), at=trace.events("bell.rung"), tol=1.0).outcome
        'held'
    """
    position = position_of(objects)
    at = of_these(at, position)
    moving = position.rate(stored=False).after(at, frames(1)) if velocity is None else velocity.at(at)
    place = position_of(target) if isinstance(target, Objects | Signal) else tuple(target)
    place = place.when(at) if isinstance(place, Signal) else place
    here = position.at(at)
    if (len(place.parts) if isinstance(place, Signal) else len(place)) == 2:
        here, moving = here.plan, moving.plan
    wanted = (here - place) * (1.0 if away else -1.0)
    off = _angle_between(told_at(moving, at), wanted)
    return with_lines(judge_off(off, tol, position=position), line_to(here, place))


@check("{angle:plain} of {objects:who} faces {target:name}", unit=of_turn, per_lifetime=True)
def faces(
    objects: Objects,
    target: Place,
    *,
    angle: str = "yaw",
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that an angle of objects is the bearing from their position to a target, whichever way round.

    Args:
        objects: objects with a `position` and an angle.
        target: one object, its position, or a point.
        angle: the name of the angle, in plan.
        tol: how far off is still allowed, in the unit of the angle.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample that has a bearing. Untested if there is none. Its margin is `tol` less the largest
        angle between the two.

    Raises:
        Misuse: `about` does not tell the unit, zero and sense of angles.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace(
        ...     [{"lamp": {"position": (0.0, 0.0), "yaw": 90.0}}],
        ...     kinds={"lamp": "lamp"},
        ...     axes={"x": "east", "y": "north"},
        ...     angles={"unit": "deg", "zero": "east", "sense": "counter-clockwise"},
        ... )
        >>> faces(trace.one("lamp"), (0, 5)).outcome
        'held'
    """
    turned = objects.signal(angle)
    place = position_of(target) if isinstance(target, Objects | Signal) else target
    position = objects.signal("position")
    bearing = position.bearing_to(place)
    if not turned.track.unseen:
        bearing = bearing * (full_turn(turned, "faces") / FULL_TURNS.get(bearing.unit, 1.0))
    verdict = judge_near(turned, bearing, tol=tol, scope=Scope(during, except_during), position=position)
    return with_lines(verdict, line_to(position, place))


@check("{signal:title} turns at {rate}", unit=of_rate)
def turns_at(
    signal: Angle,
    rate: float,
    *,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that an angle turns at a constant rate, also where it wraps.

    Args:
        signal: the angle, in degrees or radians.
        rate: by how much it turns each second; its sign is the sense.
        tol: how far off the rate may be, in the unit of the angle per second.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every step. Untested if there is none. Its margin is `tol` less the largest deviation.

    Raises:
        Misuse: nothing says whether the angle is in degrees or radians.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"b": {"yaw": yaw}} for yaw in (350.0, 10.0, 30.0)]
        >>> trace = make_trace(states, kinds={"b": "buoy"}, angles={"unit": "deg"})
        >>> turns_at(trace.one("buoy").yaw, 200.0).outcome
        'held'
    """
    turning = signal.unwrapped().rate(stored=False)
    scope = Scope(during, except_during, reach=1)
    return judge_near(replace(turning, name=f"turn rate of {signal.name}"), rate, tol=tol, scope=scope)


def _angle_between(first: Signal, second: Signal) -> Signal:
    """Return the angle between two vectors, in the session's unit; missing where one has no length."""
    unit = first.track.session.angles.get("unit", "deg")
    along = first.dot(second)
    lengths = first.norm() * second.norm()
    size = np.where(lengths.parts[0] != 0, lengths.parts[0], 1.0)
    cosine = np.clip(along.parts[0] / size, -1.0, 1.0)
    valid = along.usable & lengths.usable & (lengths.parts[0] != 0)
    full = FULL_TURNS.get(unit, FULL_TURNS["deg"])
    turn = np.arccos(cosine) / (2 * np.pi) * full

    # near a straight line, the cosine's rounding is the square of the angle's
    def noise(rows: Rows) -> Floats:
        return np.asarray(np.sqrt(2 * np.asarray(lengths.noise_over(rows)) / size[rows] + 1e-15) / (2 * np.pi) * full)

    off: Signal = derived(
        along, sort=Sort.NUMBER, name="angle off", parts=(turn,), valid=valid, unit=unit, known_noise=noise
    )
    return off
