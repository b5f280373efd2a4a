"""Turning vectors, by an angle in plan or by a quaternion, as one space is turned against another."""

import numpy as np

from breadcrumb.algebra.angles import compass_of, full_turn, plan_axes, turn_between
from breadcrumb.algebra.samples import FULL_TURNS, Samples
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
        return turned_by_quaternion(parts, turn.parts, back=back)
    if len(turn.parts) != 1:
        raise Misuse(f"expected an angle or a quaternion to turn by, and {turn.name} has {len(turn.parts)} parts")
    session = turn.track.session
    compass = compass_of(session, len(parts))
    angle = turn.parts[0] / full_turn(turn, "turning") * compass.full
    first, second = plan_axes(session, len(parts))
    result = list(parts)
    result[first], result[second] = compass.turned(parts[first], parts[second], -angle if back else angle)
    return tuple(result)


def turn_about(quaternion: Samples, axis: str) -> tuple[Floats, str]:
    """Return the part of rotations that is about one axis, as angles, and their unit: the twist of swing and twist.

    For q = (u, s) it is 2 atan2(u . axis, s), the same for q and -q, which stand for one rotation.
    """
    unit = quaternion.track.session.angles.get("unit", "")
    if unit not in FULL_TURNS:
        raise Misuse("turn_about needs to know the unit of angles; record it as angles={'unit': 'deg'}")
    if axis not in ("x", "y", "z") or len(quaternion.parts) != 4:
        raise Misuse(
            f"turn_about: expected a quaternion of parts x, y, z, w and the axis 'x', 'y' or 'z'; "
            f"found {quaternion.name}, of {len(quaternion.parts)} parts, and {axis!r}"
        )
    half = np.arctan2(quaternion.parts["xyz".index(axis)], quaternion.parts[3])
    return turn_between(half * FULL_TURNS[unit] / np.pi, np.zeros(1), FULL_TURNS[unit]), unit


def turn_between_quaternions(first: Samples, second: Samples) -> tuple[Floats, str]:
    """Return the angles from 0 to half a turn between rotations, and their unit: 2 atan2(|v|, |s|) of q1 q2* = (v, s).

    Raises:
        Misuse: nothing says the unit of angles.
    """
    unit = first.track.session.angles.get("unit", "")
    if unit not in FULL_TURNS:
        raise Misuse("turn_from needs to know the unit of angles; record it as angles={'unit': 'deg'}")
    (ax, ay, az, aw), (bx, by, bz, bw) = first.parts, second.parts
    vector = (
        -aw * bx + ax * bw - ay * bz + az * by,
        -aw * by + ay * bw - az * bx + ax * bz,
        -aw * bz + az * bw - ax * by + ay * bx,
    )
    scalar = aw * bw + ax * bx + ay * by + az * bz
    half = np.arctan2(np.sqrt(sum(one * one for one in vector)), np.abs(scalar))
    return np.asarray(half * FULL_TURNS[unit] / np.pi), unit


def turned_by_quaternion(v: tuple[Floats, ...], q: tuple[Floats, ...], *, back: bool) -> tuple[Floats, ...]:
    """Return v + 2 s (u x v) + 2 u x (u x v) over |q|^2, for q = (u, s): the rotation that a quaternion stands for."""
    u, s = np.stack([-part if back else part for part in q[:3]]), q[3]
    vector = np.stack(v)
    size = (u * u).sum(axis=0) + s * s
    cross = np.cross(u, vector, axis=0)
    result = vector + 2 * (s * cross + np.cross(u, cross, axis=0)) / np.where(size > 0, size, 1.0)
    return tuple(result)
