"""Regions: shapes with an inside, measured by the distance to their border."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from breadcrumb.algebra.region import Combinable, Outline, counter_clockwise, refuse_unless_finite
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats, Ints


@dataclass(frozen=True, slots=True)
class Box(Combinable):
    """An axis-aligned box of two or three dimensions.

    Example:
        >>> Box((-40, -22), (40, 22)).depth([np.array([0.0, 41.0]), np.array([0.0, 0.0])]).tolist()
        [22.0, -1.0]
    """

    low: tuple[float, ...]
    high: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.low) != len(self.high) or not 2 <= len(self.low) <= 3:
            raise Misuse(f"Box: expected two corners of two or three numbers each, found {self.low} and {self.high}")
        refuse_unless_finite("Box", *self.low, *self.high)
        if any(low >= high for low, high in zip(self.low, self.high, strict=True)):
            raise Misuse(f"Box: expected the lower corner first, found {self.low} and {self.high}")

    def __str__(self) -> str:
        return "the box " + " x ".join(f"{low:g}..{high:g}" for low, high in zip(self.low, self.high, strict=True))

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""
        return len(self.low)

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far inside the border each point is; negative outside."""
        sides = [
            np.minimum(part - low, high - part) for part, low, high in zip(parts, self.low, self.high, strict=True)
        ]
        nearest = np.minimum.reduce(sides)
        beyond = np.sqrt(sum(np.minimum(side, 0.0) ** 2 for side in sides))
        return np.where(nearest >= 0, nearest, -beyond)

    def outlines(self) -> list[Outline]:
        """Return the corners of its border in plan."""
        (x0, y0, *_), (x1, y1, *_) = self.low, self.high
        return [[(x0, y0), (x1, y0), (x1, y1), (x0, y1)]]


_OUTLINE_CORNERS = 48


@dataclass(frozen=True, slots=True)
class Circle(Combinable):
    """A disc, or with a centre of three numbers a ball.

    Example:
        >>> Circle((0, 0), 3.0).depth([np.array([1.0]), np.array([0.0])]).tolist()
        [2.0]
    """

    centre: tuple[float, ...]
    radius: float

    def __post_init__(self) -> None:
        if not 2 <= len(self.centre) <= 3 or not self.radius > 0:
            raise Misuse(f"Circle: expected a centre of two or three numbers and a radius, found {self}")
        refuse_unless_finite("Circle", *self.centre, self.radius)

    def __str__(self) -> str:
        return f"the circle of {self.radius:g} about ({', '.join(f'{part:g}' for part in self.centre)})"

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""
        return len(self.centre)

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far inside the border each point is; negative outside."""
        squares = sum((part - middle) ** 2 for part, middle in zip(parts, self.centre, strict=True))
        return np.asarray(self.radius - np.sqrt(squares))

    def outlines(self) -> list[Outline]:
        """Return points of its border in plan."""
        turn = np.linspace(0, 2 * np.pi, _OUTLINE_CORNERS, endpoint=False)
        x, y, *_ = self.centre
        corners = zip(x + self.radius * np.cos(turn), y + self.radius * np.sin(turn), strict=True)
        return [[(float(a), float(b)) for a, b in corners]]


@dataclass(frozen=True, slots=True)
class Polygon(Combinable):
    """A simple polygon in plan, its corners in order, either way round.

    Example:
        >>> Polygon(((0, 0), (4, 0), (4, 4), (0, 4))).depth([np.array([1.0, 5.0]), np.array([2.0, 2.0])]).tolist()
        [1.0, -1.0]
    """

    corners: tuple[tuple[float, float], ...]

    def __post_init__(self) -> None:
        if len(self.corners) < 3 or any(len(corner) != 2 for corner in self.corners):
            raise Misuse(f"Polygon: expected three or more corners of two numbers each, found {self.corners}")
        refuse_unless_finite("Polygon", *(part for corner in self.corners for part in corner))

    def __str__(self) -> str:
        return f"the polygon of {len(self.corners)} corners"

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""
        return 2

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far inside the border each point is; negative outside."""
        x, y = parts
        nearest = np.full(len(x), np.inf)
        inside = np.zeros(len(x), np.bool_)
        for (x0, y0), (x1, y1) in zip(self.corners, (*self.corners[1:], self.corners[0]), strict=True):
            dx, dy = x1 - x0, y1 - y0
            along = np.clip(((x - x0) * dx + (y - y0) * dy) / (dx * dx + dy * dy), 0.0, 1.0)
            nearest = np.minimum(nearest, np.hypot(x - (x0 + along * dx), y - (y0 + along * dy)))
            if y0 != y1:  # a ray to the east crosses this side: the even-odd rule
                crosses = ((y0 > y) != (y1 > y)) & (x < x0 + (y - y0) / dy * dx)
                inside ^= crosses
        return np.where(inside, nearest, -nearest)

    def outlines(self) -> list[Outline]:
        """Return its corners."""
        return [counter_clockwise([(float(x), float(y)) for x, y in self.corners])]


@dataclass(frozen=True, slots=True)
class TurnedBox(Combinable):
    """A box in plan that is turned about its centre, by degrees from the first axis toward the second.

    Example:
        >>> TurnedBox((0, 0), (4, 2), 90).depth([np.array([0.0, 1.5]), np.array([1.5, 0.0])]).tolist()
        [0.5, -0.5]
    """

    centre: tuple[float, float]
    size: tuple[float, float]
    angle: float

    def __post_init__(self) -> None:
        if min(self.size) <= 0:
            raise Misuse(f"TurnedBox: expected two sides longer than 0, found {self.size}")
        refuse_unless_finite("TurnedBox", *self.centre, *self.size, self.angle)

    def __str__(self) -> str:
        width, height = self.size
        x, y = self.centre
        return f"the box of {width:g} x {height:g} about ({x:g}, {y:g}), turned by {self.angle:g} deg"

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""
        return 2

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far inside the border each point is; negative outside."""
        x, y = (part - middle for part, middle in zip(parts, self.centre, strict=True))
        cos, sin = _turn(-self.angle)
        half = tuple(side / 2 for side in self.size)
        return Box(tuple(-side for side in half), half).depth([x * cos - y * sin, x * sin + y * cos])

    def outlines(self) -> list[Outline]:
        """Return its corners."""
        cos, sin = _turn(self.angle)
        (x, y), (a, b) = self.centre, (side / 2 for side in self.size)
        return [[(x + u * cos - v * sin, y + u * sin + v * cos) for u, v in ((-a, -b), (a, -b), (a, b), (-a, b))]]


@dataclass(frozen=True, slots=True)
class Capsule(Combinable):
    """All points that are no farther than a radius from a line between two points, of two or three numbers.

    Example:
        >>> Capsule((0, 0), (4, 0), 1.0).depth([np.array([2.0, 6.0]), np.array([0.5, 0.0])]).tolist()
        [0.5, -1.0]
    """

    start: tuple[float, ...]
    end: tuple[float, ...]
    radius: float

    def __post_init__(self) -> None:
        if len(self.start) != len(self.end) or not 2 <= len(self.start) <= 3 or not self.radius > 0:
            raise Misuse(f"Capsule: expected two points of two or three numbers each and a radius, found {self}")
        refuse_unless_finite("Capsule", *self.start, *self.end, self.radius)

    def __str__(self) -> str:
        ends = (f"({', '.join(f'{part:g}' for part in point)})" for point in (self.start, self.end))
        return f"the capsule of {self.radius:g} from {' to '.join(ends)}"

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""
        return len(self.start)

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far inside the border each point is; negative outside."""
        way = [b - a for a, b in zip(self.start, self.end, strict=True)]
        offset = [part - a for part, a in zip(parts, self.start, strict=True)]
        length = max(sum((one * one for one in way), 0.0), np.finfo(float).tiny)
        share = np.clip(sum(o * w for o, w in zip(offset, way, strict=True)) / length, 0.0, 1.0)
        squares = sum((o - share * w) ** 2 for o, w in zip(offset, way, strict=True))
        return np.asarray(self.radius - np.sqrt(squares))

    def outlines(self) -> list[Outline]:
        """Return points of its border in plan."""
        (x0, y0, *_), (x1, y1, *_) = self.start, self.end
        along = np.arctan2(y1 - y0, x1 - x0)
        half = _OUTLINE_CORNERS // 2
        turns = [*np.linspace(along - np.pi / 2, along + np.pi / 2, half)]
        turns += [*np.linspace(along + np.pi / 2, along + 3 * np.pi / 2, half)]
        ends = [(x1, y1)] * half + [(x0, y0)] * half
        points = zip(ends, turns, strict=True)
        return [[(float(x + self.radius * np.cos(a)), float(y + self.radius * np.sin(a))) for (x, y), a in points]]


OF_ONE_PIECE = (Box, Circle, Polygon, TurnedBox, Capsule)
"""The regions that are not put together from others."""


def _turn(degrees: float) -> tuple[float, float]:
    """Return the cosine and the sine of an angle; those of quarter turns are whole."""
    angle = np.radians(degrees)
    return round(float(np.cos(angle)), 15), round(float(np.sin(angle)), 15)
