"""Bounces off one wall and off several at once."""

import math
from typing import Any

import pytest

from breadcrumb.checks import collisions
from breadcrumb.testing import make_trace

N, W, SLANT = (0.0, -1.0), (1.0, 0.0), (-math.sqrt(0.5), -math.sqrt(0.5))
Plane = tuple[float, ...]
# the velocity before, what it touches on one frame, the velocity after, the outcome
ROWS: dict[str, tuple[Plane, tuple[Plane, ...], Plane, str]] = {
    "one wall": ((1.0, 2.0), (N,), (1.0, -2.0), "held"),
    "one wall, told of at two points": ((1.0, 2.0), (N, N), (1.0, -2.0), "held"),
    "one wall, told of in both senses": ((1.0, 2.0), (N, (0.0, 1.0)), (1.0, -2.0), "held"),
    "one wall at two points, as if it were not there": ((1.0, 2.0), (N, N), (1.0, 2.0), "broken"),
    "one wall in both senses, as if it were not there": ((1.0, 2.0), (N, (0.0, 1.0)), (1.0, 2.0), "broken"),
    "a square corner": ((-1.0, 2.0), (N, W), (1.0, -2.0), "held"),
    "a square corner, of which one wall is felt": ((-1.0, 2.0), (N, W), (-1.0, -2.0), "broken"),
    "an open corner, off both at once": ((1.5, 2.0), (N, SLANT), (-1.5, -2.0), "held"),
    "an open corner, one after the other": ((1.5, 2.0), (N, SLANT), (2.0, -1.5), "held"),
    "an open corner, the other one first": ((1.5, 2.0), (SLANT, N), (2.0, -1.5), "held"),
    "an open corner, off the one that leads away from both": ((1.5, 2.0), (N, SLANT), (-2.0, -1.5), "held"),
    "an open corner, off the one that leads into the other": ((1.0, 0.5), (N, SLANT), (1.0, -0.5), "broken"),
    "an open corner, another way": ((1.5, 2.0), (N, SLANT), (-1.5, 2.0), "broken"),
    "in depth, off both at once": ((1.5, 2.0, 3.0), ((*N, 0.0), (*SLANT, 0.0)), (-1.5, -2.0, 3.0), "held"),
    "three walls": ((-1.0, -2.0, -3.0), ((1.0, 0, 0), (0, 1.0, 0), (0, 0, 1.0)), (1.0, 2.0, 3.0), "held"),
}


ELASTIC = [(name, 1.0) for name in ROWS]
"""With what restitution each row is played."""


@pytest.mark.parametrize(("name", "restitution"), [*ELASTIC, *((name, 0.5) for name in ("one wall", "three walls"))])
def test_a_bounce_off_two_walls_may_be_off_both_at_once_or_in_turn(name: str, restitution: float) -> None:
    """Engines solve a corner at once or wall by wall; what none of these gives is a breach."""
    before, normals, after, outcome = ROWS[name]
    after = tuple(
        speed if abs(speed - was) < 1e-9 else speed * restitution for speed, was in zip(after, before, strict=True)
    )
    states = [{"keg": {"v": velocity, "position": (0.0,) * len(before)}} for velocity in (before, before, after, after)]
    events: list[tuple[Any, ...]] = [(2, "hit", "keg", None, {"normal": list(normal)}) for normal in normals]
    trace = make_trace(states, kinds={"keg": "keg"}, events=events)
    keg = trace.one("keg")
    verdict = collisions.bounces(keg, at=trace.events("hit"), velocity=keg.v, restitution=restitution, tol=0.001)
    assert (verdict.outcome, verdict.tested) == (outcome, 1), verdict.explain()


SLOPE = (math.sqrt(0.5), -math.sqrt(0.5))
# what is touched on each of three frames, the velocity after, the outcome
IN_TURN: dict[str, tuple[tuple[Plane, ...], Plane, str]] = {
    "a wall, another one, and the first again": ((N, SLANT, N), (2.0, 1.5), "held"),
    "the first not felt again": ((N, SLANT, N), (2.0, -1.5), "held"),
    "another way": ((N, SLANT, N), (-1.5, 2.0), "broken"),
    "one wall, told of on three frames": ((N, N, N), (1.5, -2.0), "held"),
    "one wall on two frames, as if it were not there": ((N, N, SLOPE), (1.5, 2.0), "broken"),
}


@pytest.mark.parametrize("name", IN_TURN)
def test_walls_that_are_touched_frame_by_frame_are_one_bounce_of_positions(name: str) -> None:
    """Where each frame has a contact, positions show what came before and after all of them alone."""
    normals, after, outcome = IN_TURN[name]
    speed: Plane = (1.5, 2.0)
    places: list[Plane] = [(0.0, 0.0)]
    for velocity in (speed, speed, (0.3, 0.1), (0.2, 0.4), after, after):
        places.append(tuple(place + 0.1 * way for place, way in zip(places[-1], velocity, strict=True)))
    states = [{"keg": {"position": place}} for place in places]
    events: list[tuple[Any, ...]] = [
        (2 + n, "hit", "keg", None, {"normal": list(one)}) for n, one in enumerate(normals)
    ]
    trace = make_trace(states, kinds={"keg": "keg"}, events=events)
    verdict = collisions.bounces(trace.one("keg"), at=trace.events("hit"), tol=0.001)
    assert (verdict.outcome, verdict.tested) == (outcome, 1), verdict.explain()
