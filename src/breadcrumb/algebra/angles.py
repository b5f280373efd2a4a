"""Angles: full turns, unwrapping, and bearings by the conventions of the session."""

import sys
import warnings
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra import blocks
from breadcrumb.algebra.samples import FULL_TURNS, Samples
from breadcrumb.errors import AngleWarning, Misuse
from breadcrumb.model.session import Floats, Session

_DOUBTFUL = 150 / 360
"""The share of a full turn in one step from which on its sense is doubtful."""
_ENOUGH = 100
"""How many samples it takes to guess at a unit."""
_OPPOSITE = {"east": "west", "north": "south", "up": "down", "right": "left", "forward": "back"}
_OPPOSITE |= {other: one for one, other in _OPPOSITE.items()}
AGAINST = ("west", "south", "down", "left", "back")
"""The directions that a picture seen from above, or from the front, has on its left or at its bottom."""


class Compass(NamedTuple):
    """How directions in plan become angles; both vectors are in the order of the plan's two axes."""

    zero: tuple[float, float]
    """The direction whose angle is 0."""
    quarter: tuple[float, float]
    """The direction whose angle is a quarter turn."""
    full: float
    """A full turn."""
    unit: str

    def angle(self, x: Floats, y: Floats) -> Floats:
        """Return the angles of directions, from 0 up to a full turn; of no direction, 0."""
        turns = np.empty(len(x))
        for block in blocks.slices(len(x)):
            along = x[block] * self.zero[0] + y[block] * self.zero[1]
            aside = x[block] * self.quarter[0] + y[block] * self.quarter[1]
            some = np.arctan2(aside, along) / (2 * np.pi)
            np.multiply(some - np.floor(some), self.full, out=turns[block])
        return turns

    def vector(self, angle: Floats) -> tuple[Floats, Floats]:
        """Return the unit vectors that point along angles."""
        turn = angle / self.full * 2 * np.pi
        cos, sin = np.cos(turn), np.sin(turn)
        return cos * self.zero[0] + sin * self.quarter[0], cos * self.zero[1] + sin * self.quarter[1]

    def turned(self, x: Floats, y: Floats, angle: Floats) -> tuple[Floats, Floats]:
        """Return vectors turned by angles, in the sense of the session."""
        turn = angle / self.full * 2 * np.pi
        way = (
            self.zero[0] * self.quarter[1] - self.zero[1] * self.quarter[0]
        )  # 1 or -1: from the first axis to the second
        cos, sin = np.cos(turn), np.sin(turn) * way
        return x * cos - y * sin, x * sin + y * cos


def full_turn(samples: Samples, what: str) -> float:
    """Return a full turn in the unit of an angle.

    Raises:
        Misuse: nothing says whether it is in degrees or radians.
    """
    if samples.unit not in FULL_TURNS:
        found = f"in {samples.unit}" if samples.unit else "without a unit"
        raise Misuse(
            f"{what}: expected an angle in deg or rad, and {samples.name} is {found}; "
            f"record it with units={{{samples.name!r}: 'deg'}}"
        )
    return FULL_TURNS[samples.unit]


def warn_of_angles(samples: Samples, values: Floats, full: float, longest: float) -> None:
    """Warn of steps so long that their sense is doubtful, and of radians that are declared as degrees."""
    if longest > _DOUBTFUL:
        warnings.warn(
            f"{samples.title} turns by up to {longest * full:.4g} {samples.unit} from one sample to the next: near "
            "half a turn, the direction is ambiguous",
            AngleWarning, stacklevel=_level_of_the_caller(),
        )  # fmt: skip
    some = values[:: max(len(values) // _ENOUGH, 1)]  # a few settle it in nearly every case
    if samples.unit == "deg" and len(values) >= _ENOUGH and np.abs(some).max() <= 2 * np.pi:
        low, high = float(values.min()), float(values.max())
        if high - low > np.pi and max(high, -low) <= 2 * np.pi:
            warnings.warn(
                f"{samples.title} is declared in deg and goes from {low:.3g} to {high:.3g}: are these radians?",
                AngleWarning, stacklevel=_level_of_the_caller(),
            )  # fmt: skip


def _level_of_the_caller() -> int:
    """Return how many calls up whoever called the library is, whose line a warning is about."""
    level, frame = 1, sys._getframe(1)
    while frame.f_back is not None and frame.f_globals.get("__name__", "").startswith("breadcrumb."):
        level, frame = level + 1, frame.f_back
    return level


def turn_between(first: NDArray[np.float64], second: NDArray[np.float64], full: float) -> Floats:
    """Return the turn from the second angle to the first one, from minus half a turn up to half a turn."""
    turn: Floats = first - second
    turn -= np.rint(turn / full) * full  # exact up to half a turn, while a remainder would round to a whole one
    turn[turn == full / 2] = -full / 2
    return turn


def plan_axes(session: Session, parts: int, what: str = "this vector") -> tuple[int, int]:
    """Return which two parts of a vector lie in plan, that is across the up axis.

    Raises:
        Misuse: the vector has three parts and `about` does not say which axis is up.
    """
    if parts == 2:
        return 0, 1
    up = _up_axis(session)
    if up is None:
        raise Misuse(f"plan view of {what} needs to know which way is up; record it as axes={{'z': 'up'}}")
    first, second = (index for index in range(3) if index != up)
    return first, second


class PlanAxis(NamedTuple):
    """One of the two axes of a picture in plan."""

    label: str
    """The part, the direction that `about` gives it, and the unit."""
    is_reversed: bool
    """Whether it points to the left, or to the bottom."""


def has_plan(position: Samples) -> bool:
    """Tell whether it is known which parts of a position lie in plan."""
    return len(position.parts) == 2 or _up_axis(position.track.session) is not None


def _up_axis(session: Session) -> int | None:
    return next((index for index, axis in enumerate("xyz") if session.axes.get(axis) in ("up", "down")), None)


def plan_labels(position: Samples) -> tuple[PlanAxis, PlanAxis]:
    """Return what the two axes of a position in plan are called, and which way they go."""
    told, unit = position.track.session.axes, f" [{position.unit}]" if position.unit else ""
    flat = ("xyz"[index] for index in plan_axes(position.track.session, len(position.parts), position.name))
    first, second = (
        PlanAxis(axis + (f", {told[axis]}" if axis in told else "") + unit, told.get(axis) in AGAINST) for axis in flat
    )
    return first, second


def compass_of(session: Session, parts: int) -> Compass:
    """Return how directions become angles in a session, for vectors of so many parts.

    Raises:
        Misuse: `about` does not say the unit, the zero direction, the sense, or which way an axis points.
    """
    told = session.angles
    for field, example in (("unit", "'deg'"), ("zero", "'east'"), ("sense", "'counter-clockwise'")):
        if field not in told:
            raise Misuse(
                f"a bearing needs to know the {field} of angles; record it as angles={{{field!r}: {example}, …}}"
            )
    if told["unit"] not in FULL_TURNS or told["sense"] not in ("clockwise", "counter-clockwise"):
        raise Misuse(f"angles: expected deg or rad, and clockwise or counter-clockwise; found {dict(told)}")
    plan = plan_axes(session, parts)
    zero = _direction(session, told["zero"], plan)
    left = -zero[1], zero[0]  # a quarter from the first axis toward the second
    if _first_to_second_is_clockwise(session, plan, parts) != (told["sense"] == "clockwise"):
        left = -left[0], -left[1]
    return Compass(zero, left, FULL_TURNS[told["unit"]], told["unit"])


def unit_vectors(angle: Samples) -> tuple[Floats, ...]:
    """Return the unit vectors in plan that angles point along, with as many parts as the session has axes."""
    session = angle.track.session
    size = 3 if {"z", "handedness"} & set(session.axes) else 2
    compass, result = compass_of(session, size), [np.zeros(len(angle)) for _ in range(size)]
    first, second = plan_axes(session, size)
    result[first], result[second] = compass.vector(angle.parts[0] / full_turn(angle, "unit_vector()") * compass.full)
    return tuple(result)


def pointing(vector: Samples, sign: float) -> tuple[Floats, tuple[Floats, Floats], str]:
    """Return the angles of vectors in plan, or of their opposites, these vectors, and the unit of the angles."""
    session, size = vector.track.session, len(vector.parts)
    compass = compass_of(session, size)
    x, y = (sign * vector.parts[index] for index in plan_axes(session, size, vector.name))
    return compass.angle(x, y), (x, y), compass.unit


def _first_to_second_is_clockwise(session: Session, plan: tuple[int, int], parts: int) -> bool:
    """Tell how a turn from the first axis in plan to the second looks, on the screen or from above."""
    if parts == 2:
        way = session.axes.get("y")
        if way is None:
            raise Misuse("a bearing needs to know which way y points; record it as axes={'y': 'down'}")
        return way in AGAINST
    up = next(index for index in range(3) if index not in plan)
    clockwise = up == 1  # from above, in right-handed axes, x to y is counter-clockwise, and x to z clockwise
    clockwise ^= session.axes.get("xyz"[up]) == "down"
    return clockwise ^ (session.axes.get("handedness") == "left")


def _direction(session: Session, name: str, plan: tuple[int, int]) -> tuple[float, float]:
    """Return a direction in plan by its name: an axis, or what `axes` calls one."""
    for index, axis in enumerate(plan):
        called = session.axes.get("xyz"[axis], "")
        for sign, names in ((1.0, ("xyz"[axis], called)), (-1.0, (f"-{'xyz'[axis]}", _OPPOSITE.get(called, "")))):
            if name and name in names:
                return (sign, 0.0) if index == 0 else (0.0, sign)
    raise Misuse(f"angles: the zero direction {name!r} is not one of the axes; use x, y or z, or define it in axes")
