"""Numbers and angles over time."""

from dataclasses import dataclass
from typing import Any, Self

import numpy as np

from breadcrumb.algebra.angles import full_turn, turn_between, unit_vectors, warn_of_angles
from breadcrumb.algebra.formulas import part
from breadcrumb.algebra.measured import Measured
from breadcrumb.algebra.operations import apply
from breadcrumb.algebra.quantities import Quantity
from breadcrumb.algebra.rounding import scaled
from breadcrumb.algebra.samples import Sort, derived
from breadcrumb.algebra.unwrapping import unwrapped
from breadcrumb.model.session import Floats


@dataclass(frozen=True, eq=False, repr=False)
class Number(Measured, sort=Sort.NUMBER):
    """A number on each sample.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> x = small_trace().one("skiff").position.x
        >>> x.unit, x.values.tolist(), float(x.rate().max().__round__(6))
        ('m', [0.0, 1.0, 2.0, 3.0], 10.0)
    """

    def mean(self, **_: Any) -> Quantity:
        """Return the mean of all samples that have a value.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> float(small_trace().one("skiff").position.x.mean())
            1.5
        """
        return self._statistic("mean", np.mean)

    def median(self, **_: Any) -> Quantity:
        """Return the median of all samples that have a value.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> float(small_trace().one("skiff").position.x.median())
            1.5
        """
        return self._statistic("median", np.median)

    def min(self, **_: Any) -> Quantity:
        """Return the least value.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.x.min()
            <min of position.x of the skiff: 0 m over 4 samples>
        """
        return self._statistic("min", np.min)

    def max(self, **_: Any) -> Quantity:
        """Return the greatest value.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.x.max()
            <max of position.x of the skiff: 3 m over 4 samples>
        """
        return self._statistic("max", np.max)

    def std(self, **_: Any) -> Quantity:
        """Return the standard deviation of all samples that have a value.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.x.std()
            <std of position.x of the skiff: 1.11803 m over 4 samples>
        """
        return self._statistic("std", np.std)

    def _statistic(self, what: str, compute: Any) -> Quantity:
        values = self.parts[0] if self.valid is None else self.parts[0][self.valid]
        found = float(compute(values)) if len(values) else float("nan")
        of = "samples" if self.track.source is None else "moments"
        name = f"{what} of {self.title}"
        return Quantity(found, name, self.unit, self.track.session.label, len(values), of)


@dataclass(frozen=True, eq=False, repr=False)
class Angle(Measured, sort=Sort.ANGLE):
    """An angle on each sample, in degrees or radians; full turns more or less are the same angle.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"b": {"yaw": yaw}} for yaw in (350.0, 0.0)]
        >>> yaw = make_trace(states, kinds={"b": "buoy"}, angles={"unit": "deg"}).one("buoy").yaw
        >>> yaw.step().values.tolist(), (yaw == 360).values.tolist()
        ([nan, 10.0], [False, True])
    """

    @property
    def unwrapped_parts(self) -> tuple[Floats, ...]:
        """The arrays that changes are computed of: without jumps of a full turn."""
        return self.unwrapped().parts

    def unwrapped(self) -> Number:
        """Return the angle as a number without the jumps of a full turn; each lifetime begins with its own first value.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> states = [{"b": {"yaw": yaw}} for yaw in (350.0, 10.0, 30.0)]
            >>> make_trace(states, kinds={"b": "buoy"}, angles={"unit": "deg"}).one(
            ...     "buoy"
            ... ).yaw.unwrapped().values.tolist()
            [350.0, 370.0, 390.0]
        """
        if self.track.unseen:
            return self  # type: ignore[return-value]
        full = full_turn(self, "unwrapped()")
        track, angle = self.sampled("unwrapped()"), self.parts[0]
        values, longest = unwrapped(angle, track.starts, full, self.valid)
        warn_of_angles(self, angle, full, longest)
        number: Number = derived(self, sort=Sort.NUMBER, name=part(self.name, "unwrapped()"), parts=(values,))
        return number

    def turn_from(self, other: Any) -> Self:
        """Return the turn from another angle to this one, at most half a turn either way; half a turn is negative.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> states = [{"b": {"yaw": -160.0}}]
            >>> yaw = make_trace(states, kinds={"b": "buoy"}, angles={"unit": "deg"}).one("buoy").yaw
            >>> yaw.turn_from(170.0).values.tolist()
            [30.0]
        """
        turn = apply(np.subtract, self, other)
        if self.track.unseen:
            return turn  # type: ignore[no-any-return]
        full = full_turn(self, "turn_from()")
        name = part(self.name, f"turn_from({getattr(other, 'name', other)})")
        parts = (turn_between(turn.parts[0], np.zeros(1), full),)
        angle: Self = derived(turn, sort=Sort.ANGLE, name=name, parts=parts)
        return angle

    def unit_vector(self) -> Any:
        """Return the vector of length 1, in plan, that an angle points along; the inverse of `direction`.

        It has three parts if `axes` tells of z or of a handedness, and two otherwise.

        Raises:
            Misuse: `about` does not tell the unit, zero and sense of angles, or which way an axis points.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> angles = {"unit": "deg", "zero": "east", "sense": "clockwise"}
            >>> states = [{"b": {"yaw": 90.0}}]
            >>> trace = make_trace(states, kinds={"b": "skiff"}, axes={"x": "east", "y": "north"}, angles=angles)
            >>> trace.one("skiff").yaw.unit_vector().values.round(6).tolist()
            [[0.0, -1.0]]
        """
        if self.track.unseen:
            return self
        blur = scaled(self.noise_over, 2 * np.pi / full_turn(self, "unit_vector()"))
        name = f"unit vector along {self.name}"
        return derived(self, name=name, parts=unit_vectors(self), unit="", known_noise=blur, space="world")
