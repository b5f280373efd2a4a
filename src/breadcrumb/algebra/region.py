"""What a region is, and how regions are put together."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol, TypeAlias, runtime_checkable

import numpy as np

from breadcrumb.algebra.durations import are_finite
from breadcrumb.algebra.stretches import any_inside
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Floats, Ints, Session

Outline: TypeAlias = list[tuple[float, float]]


@runtime_checkable
class Region(Protocol):
    """A shape with an inside."""

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far inside the border each point is; negative outside.

        Args:
            parts: the coordinates of the points.
            when: the clock index of each, for regions that are not there all the time.
        """

    def outlines(self) -> list[Outline]:
        """Return the corners of its borders in plan, for a figure: counter-clockwise, and round holes clockwise."""

    def part_at(self, point: Sequence[float]) -> str:
        """Return which part of it a point is in, in words; empty if it has none that are told apart."""

    @property
    def finest(self) -> float:
        """How wide its narrowest part is; infinity if it is of one piece."""


class Stretches(Protocol):
    """Spans, of which a region asks on which frames there is one."""

    @property
    def session(self) -> Session:
        """The session that they are of."""

    @property
    def label(self) -> str:
        """What they are called."""

    @property
    def first(self) -> Ints:
        """The first clock index of each."""

    @property
    def last(self) -> Ints:
        """The last clock index of each."""


class Combinable:
    """What regions have in common: they can be put together, and may be there only at times."""

    __slots__ = ()

    @property
    def finest(self) -> float:
        """How wide its narrowest part is; infinity, for it is of one piece."""
        return np.inf

    def part_at(self, point: Sequence[float]) -> str:
        """Return nothing, for it has no parts that are told apart."""
        return ""

    def __or__(self: Region, other: Region) -> "Combined":
        return Combined(self, other, "or")

    def __and__(self: Region, other: Region) -> "Combined":
        return Combined(self, other, "and")

    def __sub__(self: Region, other: Region) -> "Combined":
        return Combined(self, other, "without")

    def during(self: Region, spans: Stretches) -> "Timed":
        """Return the region as one that is there during the spans only, whichever object they are of.

        Example:
            >>> from breadcrumb.algebra.regions import Box
            >>> from breadcrumb.testing import small_trace
            >>> trace = small_trace()
            >>> late = (trace.one("skiff").position.x > 1).spans()
            >>> trace.one("skiff").position.depth_in(Box((-9, -9), (9, 9)).during(late)).values.tolist()
            [-inf, -inf, 7.0, 6.0]
        """
        return Timed(self, any_inside(spans.first, spans.last, spans.session), spans.label)


@dataclass(frozen=True, slots=True)
class Combined(Combinable):
    """Two regions put together: what is in either, in both, or in the first and not in the second.

    Which side of the border a point is on is exact. How far it is from it is that of the nearer border of the two; the
    true distance may be longer where the border of one lies within the other.

    Example:
        >>> from breadcrumb.algebra.regions import Box, Circle
        >>> bay = Box((0, 0), (10, 10)) - Circle((5, 5), 1.0)
        >>> bay.depth([np.array([5.0, 7.0, 12.0]), np.array([5.0, 5.0, 5.0])]).tolist()
        [-1.0, 1.0, -2.0]
    """

    one: Region
    other: Region
    how: str
    """`or`, `and` or `without`."""

    def __post_init__(self) -> None:
        if self.one.dimensions != self.other.dimensions:
            raise Misuse(f"expected regions of as many dimensions, found {self.one} and {self.other}")

    def __str__(self) -> str:
        one, other = (f"({each})" if isinstance(each, Combined) else f"{each}" for each in (self.one, self.other))
        return f"{one} {self.how} {other}"

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""
        return self.one.dimensions

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far inside the border each point is; negative outside."""
        mine, yours = self.one.depth(parts, when), self.other.depth(parts, when)
        if self.how == "or":
            return np.maximum(mine, yours)
        return np.minimum(mine, yours if self.how == "and" else -yours)

    @property
    def finest(self) -> float:
        """How wide the narrowest part of either is."""
        return min(self.one.finest, self.other.finest)

    def part_at(self, point: Sequence[float]) -> str:
        """Return which part of either a point is in, in words."""
        return self.one.part_at(point) or self.other.part_at(point)

    def outlines(self) -> list[Outline]:
        """Return the corners of its borders in plan, those of holes the other way round."""
        mine, yours = self.one.outlines(), self.other.outlines()
        if self.how == "or":
            return [*mine, *yours]
        both = [common for one in mine for other in yours if (common := _common(other, one))]
        return both if self.how == "and" else [*mine, *(common[::-1] for common in both)]


@dataclass(frozen=True, slots=True, eq=False)
class Timed(Combinable):
    """A region that is there on some frames alone; on all others everything is infinitely far outside."""

    region: Region
    there: Bools
    """Whether it is there, for each clock index."""
    label: str

    def __str__(self) -> str:
        return f"{self.region} during {self.label}"

    @property
    def dimensions(self) -> int:
        """How many coordinates its points have."""
        return self.region.dimensions

    def depth(self, parts: Sequence[Floats], when: Ints | None = None) -> Floats:
        """Return how far inside the border each point is; negative outside.

        Raises:
            Misuse: nothing says when the points are.
        """
        if when is None:
            raise Misuse(f"{self}: expected positions of a session, found points without a time")
        return np.where(self.there[when], self.region.depth(parts, when), -np.inf)

    @property
    def finest(self) -> float:
        """How wide its narrowest part is."""
        return self.region.finest

    def part_at(self, point: Sequence[float]) -> str:
        """Return which part of it a point is in, in words."""
        return self.region.part_at(point)

    def outlines(self) -> list[Outline]:
        """Return the corners of its borders in plan."""
        return self.region.outlines()


def counter_clockwise(outline: Outline) -> Outline:
    """Return an outline that goes counter-clockwise, from the first axis toward the second one."""
    x, y = np.array(outline).T
    return outline if float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()) >= 0 else outline[::-1]


def _common(outline: Outline, convex: Outline) -> Outline:
    """Return what an outline has in common with a convex one: clipped at each of its sides, by Sutherland and Hodgman.

    Communications of the ACM 17 (1974), 32.
    """
    for (ax, ay), (bx, by) in zip(convex, [*convex[1:], convex[0]], strict=True):
        kept: Outline = []
        for (px, py), (qx, qy) in zip(outline, [*outline[1:], *outline[:1]], strict=True):
            here, there = ((bx - ax) * (y - ay) - (by - ay) * (x - ax) for x, y in ((px, py), (qx, qy)))
            if here >= 0:
                kept.append((px, py))
            if here * there < 0:
                share = here / (here - there)
                kept.append((px + (qx - px) * share, py + (qy - py) * share))
        outline = kept
    return outline


def refuse_unless_finite(kind: str, *values: float) -> None:
    """Refuse what has no border that a distance could be measured to: it would contain nothing, and touch nothing."""
    for value in values:
        if not are_finite(value):
            raise Misuse(f"{kind}: expected finite numbers, found {value!r}; for an open side give a far coordinate")
