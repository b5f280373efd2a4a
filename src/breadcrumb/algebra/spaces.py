"""Turning vectors, by an angle in plan or by a quaternion, as one space is turned against another."""

import numpy as np

from breadcrumb.algebra.angles import compass_of, full_turn, plan_axes
from breadcrumb.algebra.samples import Samples
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats


def turned(parts: tuple[Floats, ...], turn: Samples, *, back: bool) -> tuple[Floats, ...]:
    """Return vectors turned, or turned back, by an angle in plan or by a quaternion (x, y, z, w) for each of them.

    Raises:
        Misuse: the turn is neither, or `about` does not tell the sense of angles.
    """
    if len(turn.parts) == 4:
        if len(parts) != 3:
            raise Misuse(f"{turn.name} is a quaternion, which turns vectors of three parts; found {len(parts)}")
        return _by_quaternion(parts, turn.parts, -1.0 if back else 1.0)
    if len(turn.parts) != 1:
        raise Misuse(f"expected an angle or a quaternion to turn by, and {turn.name} has {len(turn.parts)} parts")
    session = turn.track.session
    compass = compass_of(session, len(parts))
    angle = turn.parts[0] / full_turn(turn, "turning") * compass.full
    first, second = plan_axes(session, len(parts))
    result = list(parts)
    result[first], result[second] = compass.turned(parts[first], parts[second], -angle if back else angle)
    return tuple(result)


def _by_quaternion(v: tuple[Floats, ...], q: tuple[Floats, ...], sign: float) -> tuple[Floats, ...]:
    """Return v + 2 s (u x v) + 2 u x (u x v) over |q|^2, for q = (u, s): the rotation that a quaternion stands for."""
    u, s = np.stack([sign * part for part in q[:3]]), q[3]
    vector = np.stack(v)
    size = (u * u).sum(axis=0) + s * s
    cross = np.cross(u, vector, axis=0)
    result = vector + 2 * (s * cross + np.cross(u, cross, axis=0)) / np.where(size > 0, size, 1.0)
    return tuple(result)
