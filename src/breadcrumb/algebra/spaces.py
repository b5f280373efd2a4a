"""Turning vectors, by an angle in plan or by a quaternion, as one space is turned against another."""

from collections.abc import Sequence
from typing import TypeAlias

import numpy as np

from breadcrumb.algebra.angles import compass_of, full_turn, plan_axes, turn_between
from breadcrumb.algebra.samples import FULL_TURNS, Samples, derived
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Floats


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


Axis: TypeAlias = str | Sequence[float]
"""An axis in space: x, y or z, or a direction of three numbers."""


def area_of(samples: Samples, name: str) -> tuple[Samples, Samples | None]:
    """Return the origin of a named area and its turn, on the track of some samples; None if it is not turned.

    Raises:
        Misuse: there is no such area, or its origin has another number of parts than the samples.
    """
    areas = samples.track.session.areas
    if name not in areas:
        known = f"there is {', '.join(areas)}" if areas else f"record it with areas={{{name!r}: {{'origin': [x, y]}}}}"
        raise Misuse(f"{samples.title}: no area is called {name!r}; {known}")
    told = areas[name]
    origin, turn = told["origin"], told.get("turn")
    if len(origin) != len(samples.parts):
        raise Misuse(f"the origin of {name} has {len(origin)} parts and {samples.title} has {len(samples.parts)}")
    place = _everywhere(samples, origin, f"origin of {name}", samples.unit)
    if turn is None:
        return place, None
    unit = samples.track.session.angles.get("unit", "") if isinstance(turn, int | float) else ""
    return place, _everywhere(samples, turn if unit == "" else [turn], f"turn of {name}", unit)


def _everywhere(samples: Samples, values: Sequence[float], name: str, unit: str) -> Samples:
    """Return the same values on every sample of a track."""
    parts = tuple(np.full(len(samples), float(value)) for value in values)
    same: Samples = derived(samples, name=name, parts=parts, valid=None, unit=unit, known_noise=0.0, space="world")
    return same


def turn_about(quaternion: Samples, axis: Axis) -> tuple[Floats, str]:
    """Return the part of rotations that is about one axis, as angles, and their unit: the twist of swing and twist.

    For q = (u, s) it is 2 atan2(u . axis, s), the same for q and -q, which stand for one rotation.
    """
    unit, along = _unit_of_angles(quaternion, "turn_about"), _direction_of(axis, "turn_about")
    half = np.arctan2(_part_along(quaternion, along), quaternion.parts[3])
    return turn_between(half * FULL_TURNS[unit] / np.pi, np.zeros(1), FULL_TURNS[unit]), unit


def tilt_of(quaternion: Samples, axis: Axis) -> tuple[Floats, str]:
    """Return by how much rotations tilt an axis, as angles from 0 to half a turn, and their unit: the swing.

    For q = (u, s) it is 2 atan2(|u - (u . axis) axis|, |(u . axis, s)|).
    """
    unit, along = _unit_of_angles(quaternion, "tilt_of"), _direction_of(axis, "tilt_of")
    twist = _part_along(quaternion, along)
    beside = [part - twist * one for part, one in zip(quaternion.parts[:3], along, strict=True)]
    half = np.arctan2(np.sqrt(sum(part * part for part in beside)), np.hypot(twist, quaternion.parts[3]))
    return np.asarray(half * FULL_TURNS[unit] / np.pi), unit


def axis_of(quaternion: Samples) -> tuple[tuple[Floats, ...], Bools]:
    """Return the unit vectors about which rotations of up to half a turn go, and of which there is one."""
    sign = np.where(quaternion.parts[3] < 0, -1.0, 1.0)
    vector = [sign * part for part in quaternion.parts[:3]]
    length = np.sqrt(sum(part * part for part in vector))
    return tuple(part / np.where(length > 0, length, 1.0) + 0.0 for part in vector), length > 0  # and no -0.0


def _unit_of_angles(quaternion: Samples, what: str) -> str:
    unit = quaternion.track.session.angles.get("unit", "")
    if unit not in FULL_TURNS:
        raise Misuse(f"{what} needs to know the unit of angles; record it as angles={{'unit': 'deg'}}")
    return unit


def _direction_of(axis: Axis, what: str) -> Floats:
    if isinstance(axis, str) and len(axis) == 1 and axis in "xyz":
        return np.asarray(np.eye(3)["xyz".index(axis)])
    direction = np.zeros(0) if isinstance(axis, str) else np.asarray(axis, np.float64)
    if direction.shape != (3,) or not 0 < np.linalg.norm(direction) < np.inf:
        raise Misuse(f"{what}: expected the axis 'x', 'y' or 'z', or a direction of three numbers; found {axis!r}")
    return np.asarray(direction / np.linalg.norm(direction))


def _part_along(quaternion: Samples, along: Floats) -> Floats:
    return np.asarray(sum(part * one for part, one in zip(quaternion.parts[:3], along, strict=True)))


def turn_between_quaternions(first: Samples, second: Samples) -> tuple[Floats, str]:
    """Return the angles from 0 to half a turn between rotations, and their unit: 2 atan2(|v|, |s|) of q1 q2* = (v, s).

    Raises:
        Misuse: nothing says the unit of angles.
    """
    unit = _unit_of_angles(first, "turn_from")
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
