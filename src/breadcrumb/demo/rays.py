"""Where rays first meet things: circles, walls and balls."""

import math
from collections.abc import Iterable

Plan = tuple[float, float]
Space = tuple[float, float, float]


def to_circle(start: Plan, way: Plan, centre: Plan, radius: float) -> float:
    """Return how far along a unit direction a circle is first met; 0 from inside, infinity if it is not met.

    Example:
        >>> to_circle((0.0, 0.0), (1.0, 0.0), (5.0, 0.0), 1.0)
        4.0
    """
    x, y = start[0] - centre[0], start[1] - centre[1]
    return _first(x * way[0] + y * way[1], x * x + y * y - radius * radius)


def to_ball(start: Space, way: Space, centre: Space, radius: float) -> float:
    """Return how far along a unit direction a ball is first met; 0 from inside, infinity if it is not met."""
    x, y, z = start[0] - centre[0], start[1] - centre[1], start[2] - centre[2]
    return _first(x * way[0] + y * way[1] + z * way[2], x * x + y * y + z * z - radius * radius)


def _first(half: float, outside: float) -> float:
    """Solve t^2 + 2 half t + outside = 0 for the smaller t that is not negative."""
    if outside <= 0:
        return 0.0
    room = half * half - outside
    return -half - math.sqrt(room) if room >= 0 and half < 0 else math.inf


def to_walls(start: Plan, way: Plan, corners: Iterable[Plan]) -> float:
    """Return how far along a unit direction one of the walls between corners is first met; infinity if none is."""
    points = list(corners)
    first = math.inf
    for (x0, y0), (x1, y1) in zip(points, points[1:] + points[:1], strict=True):
        dx, dy = x1 - x0, y1 - y0
        across = way[0] * dy - way[1] * dx
        if not across:
            continue
        far = ((x0 - start[0]) * dy - (y0 - start[1]) * dx) / across
        share = ((x0 - start[0]) * way[1] - (y0 - start[1]) * way[0]) / across
        if far >= 0 and 0 <= share <= 1:
            first = min(first, far)
    return first
