"""Cameras: from a point on the screen to a ray in the world, and from the world to the screen."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Generic, Protocol, TypeVar

import numpy as np

from breadcrumb.algebra.angles import compass_of, full_turn, plan_axes
from breadcrumb.algebra.meeting import on_track
from breadcrumb.algebra.samples import FULL_TURNS, Samples, Sort
from breadcrumb.algebra.spaces import turned_by_quaternion
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Floats, Session

S = TypeVar("S", bound=Samples)
S_co = TypeVar("S_co", bound=Samples, covariant=True)
Vector = tuple[Floats, Floats, Floats]

_SORTS = {
    "position": (Sort.VECTOR, 3),
    "screen": (Sort.VECTOR, 2),
    "view_height": (Sort.NUMBER, 1),
    "field_of_view": (Sort.ANGLE, 1),
    "orientation": (Sort.QUATERNION, 4),
    "yaw": (Sort.ANGLE, 1),
    "pitch": (Sort.ANGLE, 1),
    "roll": (Sort.ANGLE, 1),
}
"""What the properties of a camera are, and of how many parts."""


class Camera(Protocol[S_co]):
    """An object with a `position`, an orientation, a `screen` size and a `field_of_view` or a `view_height`.

    The orientation is a quaternion `orientation`, or `yaw`, `pitch` and `roll` as far as they are recorded. The neutral
    one looks along the zero direction of angles, upright; pitch lifts the view, roll lowers its right side.
    """

    @property
    def properties(self) -> tuple[str, ...]:
        """The names of the recorded properties."""

    def signal(self, name: str) -> S_co:
        """Return a property."""


@dataclass(frozen=True, eq=False)
class Ray(Generic[S]):
    """Where a ray begins, and the unit vector along which it goes, on each sample."""

    origin: S
    direction: S

    def on_plane(self, axis: str, at: float = 0.0) -> S:
        """Return where it meets a plane across an axis; missing where it misses.

        Args:
            axis: the axis that the plane is across: `"x"`, `"y"` or `"z"`.
            at: where on this axis.
        """
        if axis not in ("x", "y", "z"):
            raise Misuse(f"on_plane: expected 'x', 'y' or 'z', found {axis!r}")
        if self.origin.track.unseen or self.direction.track.unseen:
            return self.origin
        index = "xyz".index(axis)
        start, way = self.origin.parts, self.direction.parts
        with np.errstate(divide="ignore", invalid="ignore"):
            far = (at - start[index]) / way[index]
        meets = np.isfinite(far) & (far >= 0)
        far = np.where(meets, far, 0.0)
        parts = tuple(s + far * w for s, w in zip(start, way, strict=True))
        name = f"{self.direction.name} on {axis} = {at:g}"
        valid = self.direction.usable & self.origin.usable & meets
        return replace(self.origin, name=name, parts=parts, valid=valid, known_noise=None)


def ray_through(point: S, camera: Camera[S]) -> Ray[S]:
    """Return the ray from a camera through points on its screen, in pixels from the upper left corner, y down.

    Raises:
        Misuse: the points are in another space, or the camera lacks what is needed.
    """
    if point.space != "screen":
        raise Misuse(
            f"to_ray: {point.title} is in {point.space} space; record it with spaces={{{point.name!r}: 'screen'}}"
        )
    view = _View.of(camera, point.track)
    _expect(point, "to_ray", Sort.VECTOR, 2)
    across, above = view.shares(point.parts)
    if view.is_flat:
        parts = [p + across * r + above * u for p, r, u in zip(view.position, view.right, view.up, strict=True)]
        way: Sequence[Floats] = view.forward
    else:
        parts = list(view.position)
        way = [f + across * r + above * u for f, r, u in zip(view.forward, view.right, view.up, strict=True)]
    length = np.sqrt(sum(part * part for part in way))
    position = camera.signal("position")
    valid = point.usable & view.known
    origin = replace(position, track=point.track, parts=tuple(parts), valid=valid, known_noise=None)
    name = f"ray through {point.name}"
    return Ray(origin, replace(origin, name=name, parts=tuple(part / length for part in way), unit=""))


def on_screen(position: S, camera: Camera[S]) -> S:
    """Return where positions are seen on the screen, in pixels; missing behind the camera."""
    view = _View.of(camera, position.track)
    _expect(position, "on_screen", Sort.VECTOR, 3)
    offset = [a - b for a, b in zip(position.parts, view.position, strict=True)]
    ahead, right, up = (
        np.sum([a * b for a, b in zip(offset, axis, strict=True)], axis=0)
        for axis in (view.forward, view.right, view.up)
    )
    distance = np.where((ahead > 0) & (not view.is_flat), ahead, 1.0)
    width, height = view.screen
    parts = (
        (1 + right / distance / (view.half * width / height)) * width / 2,
        (1 - up / distance / view.half) * height / 2,
    )
    valid = position.usable & view.known & (ahead > 0)
    name = f"{position.name} on the screen"
    return replace(position, name=name, parts=parts, valid=valid, unit="px", space="screen", known_noise=None)


@dataclass(frozen=True, eq=False)
class _View:
    """What a camera sees on each sample of a track."""

    position: Vector
    forward: Vector
    right: Vector
    up: Vector
    screen: tuple[Floats, Floats]
    half: Floats
    """Half the height of the view, at a distance of 1 unless it is flat."""
    is_flat: bool
    """Whether all rays are parallel."""
    known: Bools

    @classmethod
    def of(cls, camera: Camera[S], track: Track) -> "_View":
        has = camera.properties
        lenses = (name for name in ("field_of_view", "view_height") if name in has)
        lens = next((name for name in lenses if camera.signal(name).usable.any()), None)  # a kind may have both sorts
        lacking = [name for name in ("position", "screen") if name not in has]
        lacking += [] if lens else ["field_of_view or view_height"]
        if lacking or lens is None:
            raise Misuse(f"the camera has no {', no '.join(lacking)}; it has {', '.join(has)}")
        signals: dict[str, S] = {
            name: on_track(camera.signal(name), track)
            for name in ("position", "screen", lens, "orientation", "yaw", "pitch", "roll")
            if name in has
        }
        for name, signal in signals.items():
            _expect(signal, f"a camera's {name}", *_SORTS[name])
        size = signals[lens].parts[0]
        if lens == "field_of_view":
            size = 2 * np.tan(size / full_turn(signals[lens], "the camera's field of view") * np.pi)
        x, y, z = signals["position"].parts
        width, height = signals["screen"].parts
        forward, right, up = _directions(track.session, signals, track.size)
        sees = (width > 0) & (height > 0) & (size > 0)
        width, height, size = (np.where(sees, one, 1.0) for one in (width, height, size))
        known = np.logical_and.reduce([one.usable for one in signals.values()]) & sees
        return cls((x, y, z), forward, right, up, (width, height), size / 2, lens == "view_height", known)

    def shares(self, point: Sequence[Floats]) -> tuple[Floats, Floats]:
        """Return how far to the right and above the middle of the screen points are, at a distance of 1."""
        width, height = self.screen
        across = (2 * point[0] / width - 1) * self.half * width / height
        return across, (1 - 2 * point[1] / height) * self.half


def _expect(samples: Samples, what: str, sort: Sort, parts: int) -> None:
    """Refuse values of another sort, or of another number of parts; what never had a value is of any.

    Raises:
        Misuse: they are.
    """
    if samples.track.unseen or not samples.usable.any():
        return
    if samples.sort is Sort.NUMBER and sort is Sort.ANGLE:
        full_turn(samples, what)
    if samples.sort is not sort or len(samples.parts) != parts:
        wanted, found = (
            f"{kind.words}{f' of {count} parts' if kind is Sort.VECTOR else ''}"
            for kind, count in ((sort, parts), (samples.sort, len(samples.parts)))
        )
        raise Misuse(f"{what}: expected {wanted}, found {samples.title}, which is {found}")


def _directions(session: Session, signals: dict[str, S], size: int) -> tuple[Vector, Vector, Vector]:
    """Return forward, right and up of a camera in the world."""
    compass, plan = compass_of(session, 3), plan_axes(session, 3)
    above = next(index for index in range(3) if index not in plan)
    forward, up = np.zeros((3, size)), np.zeros((3, size))
    forward[plan[0]], forward[plan[1]] = compass.zero
    up[above] = -1.0 if session.axes.get("xyz"[above]) == "down" else 1.0
    right = np.cross(forward, up, axis=0) * (-1.0 if session.axes.get("handedness") == "left" else 1.0)
    if "orientation" in signals:
        turn = signals["orientation"].parts
        return tuple(_three(turned_by_quaternion(_three(v), turn, back=False)) for v in (forward, right, up))  # type: ignore[return-value]
    angles = {
        name: signals[name].parts[0] / FULL_TURNS[signals[name].unit] * 2 * np.pi
        for name in ("yaw", "pitch", "roll")
        if name in signals
    }
    if "yaw" in angles:
        yaw = angles["yaw"] / (2 * np.pi) * compass.full
        for vector in (forward, right):
            vector[plan[0]], vector[plan[1]] = compass.turned(vector[plan[0]], vector[plan[1]], yaw)
    if "pitch" in angles:
        cos, sin = np.cos(angles["pitch"]), np.sin(angles["pitch"])
        forward, up = forward * cos + up * sin, up * cos - forward * sin
    if "roll" in angles:
        cos, sin = np.cos(angles["roll"]), np.sin(angles["roll"])
        right, up = right * cos - up * sin, up * cos + right * sin
    return _three(forward), _three(right), _three(up)


def _three(vector: "np.ndarray[tuple[int, ...], np.dtype[np.float64]] | Sequence[Floats]") -> Vector:
    x, y, z = vector
    return x, y, z
