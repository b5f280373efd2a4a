"""Vectors: their parts, lengths, directions and spaces."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Self

import numpy as np

from breadcrumb.algebra.angles import plan_axes, pointing
from breadcrumb.algebra.arithmetic import Operand, called
from breadcrumb.algebra.cameras import Camera, Ray, on_screen, ray_through
from breadcrumb.algebra.formulas import part
from breadcrumb.algebra.measured import Measured
from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.numbers import Angle, Number
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.samples import FULL_TURNS, Samples, Sort, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spaces import area_of, turned
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import Floats
from breadcrumb.record.conventions import SPACES

PART_NAMES = "xyzw"


def part_of(vector: Samples, index: int) -> Number:
    """Return one part of a vector or a quaternion.

    Raises:
        UnknownName: it has fewer parts.
    """
    name = PART_NAMES[index]
    key = vector.key.then(name)
    if vector.track.unseen:
        number: Number = derived(vector, name=part(vector.name, name), key=key)
        return number
    if index >= len(vector.parts):
        has = ", ".join(PART_NAMES[: len(vector.parts)])
        known = PART_NAMES[: len(vector.parts)]
        raise UnknownName("part", name, known, f"{vector.name}, which has the parts {has},")
    number = derived(vector, sort=Sort.NUMBER, name=part(vector.name, name), parts=(vector.parts[index],), key=key)
    return number


@dataclass(frozen=True, eq=False, repr=False)
class Parts(Signal):
    """Values of several parts."""

    @cached_property
    def x(self) -> Number:
        """The first part."""
        return part_of(self, 0)

    @cached_property
    def y(self) -> Number:
        """The second part."""
        return part_of(self, 1)

    @cached_property
    def z(self) -> Number:
        """The third part."""
        return part_of(self, 2)


@dataclass(frozen=True, eq=False, repr=False)
class Vector(Parts, Measured, sort=Sort.VECTOR):
    """A vector of two or three parts on each sample.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> place = small_trace().one("skiff").position
        >>> place.x.values.tolist(), place.norm().max(), place.plan.values.tolist()[3]
        ([0.0, 1.0, 2.0, 3.0], <max of position.norm() of the skiff: 3 m over 4 samples>, [3.0, 0.0])
    """

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
        parts = tuple(self.parts[index] for index in kept)
        flat: Self = derived(self, name=name, parts=parts, known_noise=self.noise_over)
        return flat

    def dot(self, other: Operand) -> Number:
        """Return the scalar product of two vectors."""
        product = self * other
        total, name = np.sum(product.parts, axis=0), part(self.name, f"dot({called(other)})")
        number: Number = derived(product, name=name, parts=(total,), known_noise=product.noise_over)
        return number

    def distance_to(self, other: "Operand | Camera[Self]") -> Number:
        """Return how far a position is from an object, another position or a point given as numbers, centre to centre.

        A point of two numbers is compared with a position of three parts in plan view.
        """
        place = _position_of(other)
        flat = isinstance(place, Sequence) and len(place) == 2
        mine = self.plan if flat else self
        distance: Number = (mine - place).norm()
        return replace(distance, name=f"distance of {mine.name} to {called(place, self.owner)}", unit=self.unit)

    def depth_in(self, region: Region) -> Number:
        """Return how far inside a region's border a position is; negative outside.

        Raises:
            Misuse: the region has more dimensions than the position.
        """
        seen = self.in_region(region)
        parts = seen.parts if seen.track.unseen else (region.depth(seen.parts, seen.track.clock_index),)
        depth: Number = derived(seen, name=f"depth of {seen.name}", parts=parts, known_noise=self.noise_over)
        return depth

    def in_region(self, region: Region) -> Self:
        """Return a position with as many parts as a region has dimensions, in plan if that has two.

        Raises:
            Misuse: the region has more dimensions than the position.
        """
        seen = self.plan if region.dimensions == 2 else self
        if region.dimensions != len(seen.parts) and not seen.track.unseen:
            raise Misuse(f"{region} has {region.dimensions} dimensions and {self.title} has {len(seen.parts)}")
        return seen

    def bearing_to(self, other: Operand) -> Angle:
        """Return the angle of the direction in plan from a position to another one, in the session's own convention.

        It is missing where the two are one.

        Raises:
            Misuse: `about` does not tell the unit, zero and sense of angles, or which way an axis points.
        """
        flat = isinstance(other, Sequence) and len(other) == 2
        mine = self.plan if flat else self
        away: Vector = mine - other
        return replace(away._pointing(-1.0), name=f"bearing of {self.name} to {called(other, self.owner)}")

    def direction(self) -> Angle:
        """Return the angle of a vector in plan, in the session's own convention; missing where it has no length."""
        return self._pointing(1.0)

    def _pointing(self, sign: float) -> Angle:
        if self.track.unseen:
            return self  # type: ignore[return-value]
        angle, (x, y), unit = pointing(self, sign)

        def noise(rows: Rows) -> Floats:
            far = np.hypot(x[rows], y[rows])
            return np.asarray(self.noise_over(rows)) / np.where(far > 0, far, 1.0) * FULL_TURNS[unit] / np.pi

        name, valid = f"direction of {self.name}", self.usable & ((x != 0) | (y != 0))
        bearing: Angle = derived(
            self, sort=Sort.ANGLE, name=name, parts=(angle,), valid=valid, unit=unit, known_noise=noise, space="world"
        )
        return bearing

    def to_ray(self, camera: Camera[Self]) -> Ray[Self]:
        """Return the rays from a camera through points on its screen: where they begin, and where they point.

        Args:
            camera: an object with `position`, `screen` (its width and height in pixels), `field_of_view` (from top to
                bottom) or `view_height` (then all rays are parallel), and a quaternion `orientation`, or `yaw`, `pitch`
                and `roll`.

        Raises:
            Misuse: the points are not in screen space, the camera lacks something, or `about` lacks a convention.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> eye = {"position": (0, 0, 9), "screen": (640, 480), "view_height": 24.0, "yaw": 0.0, "pitch": -90.0}
            >>> states = [{"eye": eye, "pointer": {"place": (320.0, 180.0)}}]
            >>> about = {"angles": {"unit": "deg", "zero": "x", "sense": "clockwise"}, "spaces": {"place": "screen"}}
            >>> kinds = {"eye": "camera", "pointer": "pointer"}
            >>> trace = make_trace(states, kinds=kinds, axes={"z": "up"}, **about)
            >>> trace.one("pointer").place.to_ray(trace.one("camera")).on_plane("z", 0.0).values.round(3).tolist()
            [[3.0, 0.0, 0.0]]
        """
        nothing = self.track.unseen or camera.signal("position").track.unseen
        return Ray(self, self) if nothing else ray_through(self, camera)

    def on_screen(self, camera: Camera[Self]) -> Self:
        """Return where a position in the world is seen on a camera's screen, in pixels, y down; missing behind it.

        Args:
            camera: an object, recorded as `to_ray` says.

        Raises:
            Misuse: the camera lacks something, or `about` lacks a convention.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> eye = {"position": (0, 0, 9), "screen": (640, 480), "view_height": 24.0, "yaw": 0.0, "pitch": -90.0}
            >>> states = [{"eye": eye, "boat": {"position": (3.0, 0.0, 0.0)}}]
            >>> angles = {"unit": "deg", "zero": "x", "sense": "counter-clockwise"}
            >>> kinds = {"eye": "camera", "boat": "boat"}
            >>> trace = make_trace(states, kinds=kinds, axes={"z": "up"}, angles=angles)
            >>> trace.one("boat").position.on_screen(trace.one("camera")).values.round(3).tolist()
            [[320.0, 180.0]]
        """
        nothing = self.track.unseen or camera.signal("position").track.unseen
        return self if nothing else on_screen(self, camera)

    def relative_to(self, origin: "Operand | Camera[Self] | str", turn: Signal | None = None) -> Self:
        """Return a position in the space of an owner: the offset from its position, turned back by its own turn.

        Args:
            origin: the owner, whose `orientation` or `yaw` is its turn if it has one, or its position; or the name of
                one of the session's areas.
            turn: the owner's angle in plan, or its quaternion; None if it does not turn, or if the owner is given.
        """
        if self.track.unseen:
            return self
        space, place = "parent", _position_of(origin)
        if isinstance(origin, str):
            space, (place, turn) = origin, area_of(self, origin)  # type: ignore[assignment]
        elif turn is None:
            turn = _turn_of(origin)
        offset: Any = self - place
        parts = offset.parts
        if turn is not None:
            offset, by = meet_tracks(offset, turn)
            parts = turned(offset.parts, by, back=True)
        name = f"{self.name} relative to {origin if isinstance(origin, str) else called(place, self.owner)}"
        moved: Self = replace(offset, name=name, parts=parts, unit=self.unit, space=space)
        return moved

    def to_world(self, origin: Operand | None = None, turn: Signal | None = None) -> Self:
        """Return a position that is in an owner's space in the world: turned by the owner's turn, and moved to it.

        Args:
            origin: the owner's position; None for a position in one of the session's areas, which has its own.
            turn: the owner's angle in plan, or its quaternion; None if it does not turn.

        Raises:
            Misuse: no origin is given, and the position is in no area.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> states = [{"crate": {"slot": (1.0, 2.0)}}]
            >>> about = {"areas": {"quay": {"origin": [10, 5]}}, "spaces": {"slot": "quay"}}
            >>> make_trace(states, kinds={"crate": "crate"}, **about).one("crate").slot.to_world().values.tolist()
            [[11.0, 7.0]]
        """
        if self.track.unseen:
            return self
        if origin is None and self.space in SPACES:
            raise Misuse(f"to_world: {self.title} is in {self.space} space; give its owner's position")
        if origin is None:
            origin, turn = area_of(self, self.space)  # type: ignore[assignment]
        mine: Any = replace(self, space="world")
        if turn is not None:
            mine, by = meet_tracks(mine, turn)
            mine = replace(mine, parts=turned(mine.parts, by, back=False))
        moved: Self = replace(mine + origin, name=f"{self.name} in the world")
        return moved


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
