"""Vectors: their parts, lengths, directions and spaces."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Self

import numpy as np

from breadcrumb.algebra import kernels
from breadcrumb.algebra.angles import FULL_TURNS, full_turn, plan_axes, pointing, unit_vectors
from breadcrumb.algebra.arithmetic import Arithmetic, Operand, called
from breadcrumb.algebra.cameras import Camera, Ray, on_screen, ray_through
from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.spaces import turn_about, turned
from breadcrumb.errors import Misuse, UnknownName

PART_NAMES = "xyzw"


@dataclass(frozen=True, eq=False)
class Vectors(Arithmetic):
    """Values of two or three parts, or quaternions of four; a number is a vector of one."""

    # Parts of a vector

    @cached_property
    def x(self) -> Self:
        """The first part of a vector."""
        return self._part(0)

    @cached_property
    def y(self) -> Self:
        """The second part of a vector."""
        return self._part(1)

    @cached_property
    def z(self) -> Self:
        """The third part of a vector."""
        return self._part(2)

    @cached_property
    def w(self) -> Self:
        """The fourth part of a quaternion, its real one."""
        return self._part(3)

    def _part(self, index: int) -> Self:
        if self.track.unseen:
            part = PART_NAMES[index]
            return replace(self, name=f"{self.name}.{part}", key=self.key.then(part))
        if len(self.parts) == 1 or index >= len(self.parts):
            has = "no parts" if len(self.parts) == 1 else f"the parts {', '.join(PART_NAMES[: len(self.parts)])}"
            raise UnknownName(
                "part", PART_NAMES[index], PART_NAMES[: len(self.parts)], f"{self.name}, which has {has},"
            )
        part = PART_NAMES[index]
        return replace(self, name=f"{self.name}.{part}", parts=(self.parts[index],), key=self.key.then(part))

    @property
    def plan(self) -> Self:
        """A position as seen in plan view: its two parts across the up axis; a vector of two is that already.

        Raises:
            Misuse: the vector has three parts and `about` does not say which axis is up.
        """
        if len(self.parts) != 3 or self.track.unseen:
            return self
        kept = plan_axes(self.track.session, 3, self.name)
        name = f"{self.name} in plan ({', '.join(PART_NAMES[index] for index in kept)})"
        return replace(
            self, name=name, parts=tuple(self.parts[index] for index in kept), known_noise=lambda: self.noise
        )

    def norm(self) -> Self:
        """Return the length of a vector."""
        parts = self.parts
        length = np.abs(parts[0]) if len(parts) == 1 else kernels.lengths(parts)
        return replace(self, name=f"|{self.name}|", parts=(length,), known_noise=lambda: self.noise)

    def dot(self, other: Operand) -> Self:
        """Return the scalar product of two vectors."""
        product = self * other
        total = np.sum(product.parts, axis=0)
        return replace(product, name=f"{self.name} . {called(other)}", parts=(total,))

    def distance_to(self, other: "Operand | Camera[Self]") -> Self:
        """Return how far a position is from an object, another position or a point given as numbers, centre to centre.

        A point of two numbers is compared with a position of three parts in plan view.
        """
        place = _position_of(other)
        flat = isinstance(place, Sequence) and len(place) == 2
        mine = self.plan if flat else self
        return replace((mine - place).norm(), name=f"distance of {mine.name} to {called(place)}", unit=self.unit)

    def depth_in(self, region: Region) -> Self:
        """Return how far inside a region's border a position is; negative outside.

        Raises:
            Misuse: the region has more dimensions than the position.
        """
        seen = self.in_region(region)
        if seen.track.unseen:
            return seen
        parts = (region.depth(seen.parts),)
        return replace(seen, name=f"depth of {seen.name}", parts=parts, known_noise=lambda: self.noise)

    def in_region(self, region: Region) -> Self:
        """Return a position with as many parts as a region has dimensions, in plan if that has two.

        Raises:
            Misuse: the region has more dimensions than the position.
        """
        seen = self.plan if region.dimensions == 2 else self
        if region.dimensions != len(seen.parts) and not seen.track.unseen:
            raise Misuse(f"{region} has {region.dimensions} dimensions and {self.title} has {len(seen.parts)}")
        return seen

    # Directions and spaces

    def bearing_to(self, other: Operand) -> Self:
        """Return the angle of the direction in plan from a position to another one, in the session's own convention.

        It is missing where the two are one.

        Raises:
            Misuse: `about` does not tell the unit, zero and sense of angles, or which way an axis points.
        """
        if self.track.unseen:
            return self
        flat = isinstance(other, Sequence) and len(other) == 2
        mine = self.plan if flat else self
        return replace((mine - other)._pointing(-1.0), name=f"bearing of {self.name} to {called(other)}")

    def direction(self) -> Self:
        """Return the angle of a vector in plan, in the session's own convention; missing where it has no length."""
        return self if self.track.unseen else self._pointing(1.0)

    def unit_vector(self) -> Self:
        """Return the vector of length 1, in plan, that an angle points along; the other way round than `direction`.

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
        blur = np.asarray(self.noise) / full_turn(self, "unit_vector()") * 2 * np.pi
        name = f"unit vector along {self.name}"
        return replace(self, name=name, parts=unit_vectors(self), unit="", known_noise=blur, space="world")

    def _pointing(self, sign: float) -> Self:
        angle, length, unit = pointing(self, sign)
        noise = np.asarray(self.noise) / np.where(length > 0, length, 1.0) * FULL_TURNS[unit] / np.pi
        name, valid = f"direction of {self.name}", self.usable & (length > 0)
        return replace(self, name=name, parts=(angle,), valid=valid, unit=unit, known_noise=noise, space="world")

    def turn_about(self, axis: str) -> Self:
        """Return the angle by which a quaternion turns about an axis, up to half a turn either way.

        It is in the session's unit. q and -q, which stand for one rotation, give the same angle; unwrap it to follow a
        spin.

        Raises:
            Misuse: it is no quaternion, or nothing says the unit of angles.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> states = [{"c": {"hand": (0.0, 0.0, sign * 0.5, sign * 0.75**0.5)}} for sign in (1.0, -1.0)]
            >>> clock = make_trace(states, kinds={"c": "clock"}, angles={"unit": "deg"}).one("clock")
            >>> clock.hand.turn_about("z").values.round(6).tolist()
            [60.0, 60.0]
        """
        if self.track.unseen:
            return self
        angle, unit = turn_about(self, axis)
        blur = np.asarray(self.noise) * FULL_TURNS[unit] / np.pi
        return replace(self, name=f"turn of {self.name} about {axis}", parts=(angle,), unit=unit, known_noise=blur)

    def to_ray(self, camera: Camera[Self]) -> Ray[Self]:
        """Return the rays from a camera through points on its screen: where they begin, and where they point.

        Args:
            camera: an object with `position`, `screen` (its width and height in pixels), `field_of_view` (from top to
                bottom) or `view_height` (then all rays are parallel), and a quaternion `orientation`, or `yaw`, `pitch`
                and `roll`.

        Raises:
            Misuse: the points are not in screen space, the camera lacks something, or `about` lacks a convention.
        """
        nothing = self.track.unseen or camera.signal("position").track.unseen
        return Ray(self, self) if nothing else ray_through(self, camera)

    def on_screen(self, camera: Camera[Self]) -> Self:
        """Return where a position in the world is seen on a camera's screen, in pixels, y down; missing behind it."""
        nothing = self.track.unseen or camera.signal("position").track.unseen
        return self if nothing else on_screen(self, camera)

    def relative_to(self, origin: "Operand | Camera[Self]", turn: Self | None = None) -> Self:
        """Return a position in the space of an owner: the offset from its position, turned back by its own turn.

        Args:
            origin: the owner, whose `orientation` or `yaw` is its turn if it has one, or its position.
            turn: the owner's angle in plan, or its quaternion; None if it does not turn, or if the owner is given.
        """
        if turn is None:
            turn = _turn_of(origin)
        place = _position_of(origin)
        offset = self - place
        parts = offset.parts
        if turn is not None and not self.track.unseen:
            offset, by = meet_tracks(offset, turn)
            parts = turned(offset.parts, by, back=True)
        name = f"{self.name} relative to {called(place)}"
        return replace(offset, name=name, parts=parts, unit=self.unit, space="parent")

    def to_world(self, origin: Operand, turn: Self | None = None) -> Self:
        """Return a position that is in an owner's space in the world: turned by the owner's turn, and moved to it.

        Args:
            origin: the owner's position.
            turn: the owner's angle in plan, or its quaternion; None if it does not turn.
        """
        mine = replace(self, space="world")
        if turn is not None and not self.track.unseen:
            mine, by = meet_tracks(mine, turn)
            mine = replace(mine, parts=turned(mine.parts, by, back=False))
        return replace(mine + origin, name=f"{self.name} in the world")


_TURNS = ("orientation", "yaw")
"""The properties that say how an object is turned, the first one that it has."""


def _position_of(other: Any) -> Operand:
    """Return the position of an object; anything else as it is."""
    place: Operand = other.signal("position") if hasattr(other, "signal") else other
    return place


def _turn_of(other: Any) -> Any:
    """Return how an object is turned; None if it is no object, or has no such property."""
    named = [name for name in _TURNS if name in getattr(other, "properties", ())]
    return other.signal(named[0]) if named else None
