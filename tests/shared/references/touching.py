"""What the checks of collisions find, pair by pair."""

import math
from typing import Any

from references.movement import Point, at_position, depth, is_number, judged_steps
from references.plain import NOISE, Answer, Life, Scene, Tally, apart, gaps, inside, minus, samples
from references.values import barrels


def _near(scene: Scene, life: Life, row: int, others: str) -> list[float | None]:
    """Return how far each other is; None where one of the two places was not recorded."""
    here = at_position(scene, life, row)
    found: list[float | None] = []
    for other in sorted(scene["rows"][row]["objects"]):
        if other == life.id or (other == "lamp") != (others == "lamp"):
            continue
        there = scene["rows"][row]["objects"][other]["position"]
        found.append(None if here is None or there is None else apart(here, there))
    return found


def never_overlaps(scene: Scene, others: str, reach: float, tol: float, scope: dict[str, Any]) -> Answer:
    """Measure every sample against everything else that is there."""
    tally = Tally()
    if others == "lamp" and not any("lamp" in row["objects"] for row in scene["rows"]):
        return tally.answer
    for life, row, here in samples(scene, "position"):
        if life not in barrels(scene) or not inside(scene, life, [row], scope):
            continue
        near = _near(scene, life, row, others)
        wrong = (here is not None and not is_number(here)) or any(
            far is not None and far < reach - tol - NOISE for far in near
        )
        unknown = here is None or any(far is None or math.isnan(far) for far in near)
        tally.judge(False if wrong else None if unknown else True, row, life.id)
    return tally.answer


def never_touches(scene: Scene, region: dict[str, Any], radius: float, scope: dict[str, Any]) -> Answer:
    """Measure every sample against a region."""
    tally = Tally()
    for life, row, here in samples(scene, "position"):
        if life in barrels(scene) and inside(scene, life, [row], scope):
            right = None if here is None else is_number(here) and -depth(here, region) > radius + NOISE
            tally.judge(right, row, life.id)
    return tally.answer


def never_tunnels(scene: Scene, barrier: tuple[Point, Point], scope: dict[str, Any], excused: bool) -> Answer:
    """Cross every step with a barrier."""
    tally = Tally()
    for life, row in judged_steps(scene, scope, excused):
        now, before = (at_position(scene, life, one) for one in (row, row - 1))
        if now is None or before is None or row in gaps(scene):
            tally.judge(None, row, life.id)
        else:
            placed = is_number(now) and is_number(before)
            tally.judge(placed and not crosses(before, now, *barrier), row, life.id)
    return tally.answer


def crosses(start: Point, end: Point, one: Point, other: Point) -> bool:
    """Return whether a step goes from one side of a barrier to the other."""

    def side(point: Point) -> float:
        (ax, ay), (bx, by) = minus(other, one), minus(point, one)
        return float(ax * by - ay * bx)

    first, second = side(start), side(end)
    if first * second >= 0:
        return False
    share = first / (first - second)
    x, y = (a + share * (b - a) for a, b in zip(start, end, strict=True))
    along = ((x - one[0]) * (other[0] - one[0]) + (y - one[1]) * (other[1] - one[1])) / math.dist(one, other) ** 2
    return -NOISE <= along <= 1 + NOISE
