"""Quaternions, which stand for turns in space."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from breadcrumb.algebra import kernels, on_demand
from breadcrumb.algebra.arithmetic import called
from breadcrumb.algebra.formulas import part
from breadcrumb.algebra.meeting import meet, meet_tracks
from breadcrumb.algebra.numbers import Angle, Number
from breadcrumb.algebra.rounding import scaled
from breadcrumb.algebra.samples import FULL_TURNS, Samples, Sort, both, derived
from breadcrumb.algebra.spaces import Axis, axis_of, tilt_of, turn_about, turn_between_quaternions
from breadcrumb.algebra.vectors import Parts, Vector, part_of
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats


@dataclass(frozen=True, eq=False, repr=False)
class Quaternion(Parts, sort=Sort.QUATERNION):
    """A turn in space on each sample, of the parts x, y, z and w, the real one; q and -q are the same turn.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"hand": {"turn": (0.0, 0.0, 0.6, 0.8)}}]
        >>> turn = make_trace(states, kinds={"hand": "hand"}, angles={"unit": "deg"}).one("hand").turn
        >>> turn.turn_about("z").values.round(2).tolist(), turn.w.values.tolist()
        ([73.74], [0.8])
    """

    @cached_property
    def w(self) -> Number:
        """The fourth part, the real one."""
        return part_of(self, 3)

    def norm(self, *, stored: bool = True) -> Number:
        """Return its length, which is 1 if it stands for a turn.

        Args:
            stored: whether the values are kept; if not, they are computed whenever they are read.
        """
        length: Any = kernels.lengths(self.parts) if stored else on_demand.Lengths(self.parts)
        number: Number = derived(
            self, sort=Sort.NUMBER, name=part(self.name, "norm()"), parts=(length,), known_noise=self.noise_over
        )
        return number

    def turn_about(self, axis: Axis) -> Angle:
        """Return the angle by which a quaternion turns about an axis, up to half a turn either way.

        It is in the session's unit. q and -q, which stand for one rotation, give the same angle; unwrap it to follow a
        spin.

        Args:
            axis: `"x"`, `"y"` or `"z"`, or a direction of three numbers.

        Raises:
            Misuse: there is no such axis, or nothing says the unit of angles.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> states = [{"c": {"hand": (0.0, 0.0, sign * 0.5, sign * 0.75**0.5)}} for sign in (1.0, -1.0)]
            >>> clock = make_trace(states, kinds={"c": "clock"}, angles={"unit": "deg"}).one("clock")
            >>> clock.hand.turn_about("z").values.round(6).tolist()
            [60.0, 60.0]
        """
        if self.track.unseen:
            return self  # type: ignore[return-value]
        return self._angle(f"turn of {self.name} about {axis}", *turn_about(self, axis))

    def tilt_of(self, axis: Axis) -> Angle:
        """Return the angle from an axis to where the quaternion takes it, from 0 to half a turn, in the session's unit.

        It is 0 as long as the object turns about this axis alone, as a wheel or a hinge does.

        Args:
            axis: `"x"`, `"y"` or `"z"`, or a direction of three numbers.

        Raises:
            Misuse: there is no such axis, or nothing says the unit of angles.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> states = [{"c": {"hand": (0.0, 0.0, 0.6, 0.8)}}, {"c": {"hand": (0.5, 0.0, 0.0, 0.75**0.5)}}]
            >>> clock = make_trace(states, kinds={"c": "clock"}, angles={"unit": "deg"}).one("clock")
            >>> clock.hand.tilt_of("z").values.round(6).tolist()
            [0.0, 60.0]
        """
        if self.track.unseen:
            return self  # type: ignore[return-value]
        return self._angle(f"tilt of {axis} by {self.name}", *tilt_of(self, axis))

    def axis(self) -> Vector:
        """Return the unit vector about which it turns by up to half a turn; missing where it does not turn.

        The angle of this axis and angle form is `turn_from((0, 0, 0, 1))`.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> clock = make_trace([{"c": {"hand": (0.0, 0.0, -0.6, -0.8)}}], kinds={"c": "clock"}).one("clock")
            >>> clock.hand.axis().values.tolist()
            [[0.0, 0.0, 1.0]]
        """
        if self.track.unseen:
            return self  # type: ignore[return-value]
        parts, turns = axis_of(self)
        name, blur = part(self.name, "axis()"), self.noise_over
        unit: Vector = derived(
            self, sort=Sort.VECTOR, name=name, parts=parts, valid=both(self.valid, turns), unit="", known_noise=blur
        )
        return unit

    def _angle(self, name: str, angle: Floats, unit: str) -> Angle:
        blur = scaled(self.noise_over, FULL_TURNS[unit] / np.pi)
        turn: Angle = derived(self, sort=Sort.ANGLE, name=name, parts=(angle,), unit=unit, known_noise=blur)
        return turn

    def turn_from(self, other: Any) -> Angle:
        """Return the turn between two quaternions: by how much one must turn, about whatever axis, to become this one.

        It is from 0 to half a turn, in the session's unit; q and -q give the same.

        Args:
            other: a quaternion, of the same object or of one that is there alone, or its four parts.

        Raises:
            Misuse: it is no quaternion, or nothing says the unit of angles.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> states = [{"c": {"hand": (0.0, 0.0, -0.5, -(0.75**0.5))}}]
            >>> clock = make_trace(states, kinds={"c": "clock"}, angles={"unit": "deg"}).one("clock")
            >>> clock.hand.turn_from((0, 0, 0, 1)).values.round(6).tolist()
            [60.0]
        """
        if self.track.unseen:
            return self  # type: ignore[return-value]
        mine, yours = meet_tracks(self, other) if isinstance(other, Samples) else meet(self, other)
        if len(yours.parts) != len(mine.parts):
            raise Misuse(f"turn_from: expected a quaternion of parts x, y, z, w, found {called(other)}")
        angle, unit = turn_between_quaternions(mine, yours)
        valid, blur = both(mine.valid, yours.valid), scaled(self.noise_over, FULL_TURNS[unit] / np.pi)
        name = part(self.name, f"turn_from({called(other)})")
        turn: Angle = derived(
            mine, sort=Sort.ANGLE, name=name, parts=(angle,), valid=valid, unit=unit, known_noise=blur
        )
        return turn
