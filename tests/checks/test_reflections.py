"""Bounces off one wall and off several at once."""

import math
from typing import Any

import numpy as np
import pytest

from breadcrumb import Shape, Verdict
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
    "an open corner, one wall, the other one, and the first again": ((1.5, 2.0), (N, SLANT, N), (2.0, 1.5), "held"),
    "an open corner, one wall twice and the other one": ((1.5, 2.0), (N, N, SLANT), (2.0, 1.5), "broken"),
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


SURFACES: dict[
    str, tuple[tuple[float, float], tuple[float, float], dict[str, Any], dict[str, Any], tuple[float, float]]
] = {
    # the velocity before and after, what the wall does, the response, and another velocity after that is wrong
    "a wall that stands still": ((4, 1), (-4, 1), {}, {}, (-4, 0)),
    "a wall that comes nearer": ((4, 1), (-6, 1), {"moves": (-1, 0)}, {}, (-4, 1)),
    "a wall that moves away": ((4, 1), (-2, 1), {"moves": (1, 0)}, {}, (-4, 1)),
    "a wall that slides along": ((4, 1), (-4, 1), {"moves": (0, 3)}, {}, (-4, 4)),
    "a turned wall": ((4, 0), (0, 4), {"angle": 45.0}, {}, (-4, 0)),
    "a wall that turns": ((4, 0), (-4 - 10 * math.pi / 9, 0), {"turns": 5.0, "beside": 2.0}, {}, (-4, 0)),
    "half of it kept": ((4, 1), (-2, 1), {}, {"restitution": 0.5}, (-4, 1)),
    "friction": ((4, 3), (-2, 1.5), {}, {"restitution": 0.5, "friction": 0.25}, (-2, 3)),
    "so much friction that it does not slide": ((4, 1), (-4, 0), {}, {"friction": 1.0}, (-4, 1)),
    "it stops there": ((4, 1), (0, 1), {}, {"restitution": 0.0}, (-4, 1)),
    "it sticks": ((4, 1), (0, 0), {}, {"restitution": 0.0, "friction": math.inf}, (0, 1)),
    "it sticks to what moves": ((4, 1), (1, 2), {"moves": (1, 2)}, {"restitution": 0.0, "friction": math.inf}, (0, 0)),
}


@pytest.mark.parametrize("case", SURFACES)
def test_a_bounce_is_off_the_surface_of_the_other_body(case: str) -> None:
    """What is bounced off may stand, move or turn; how much is kept, and what friction takes, is of its own velocity."""
    before, after, wall, response, wrong = SURFACES[case]
    angle, moves = math.radians(wall.get("angle", 0.0)), np.array(wall.get("moves", (0.0, 0.0)))
    normal = -np.array([math.cos(angle), -math.sin(angle)]) if "angle" in wall else np.array([-1.0, 0.0])
    turn = wall.get("turns", 0.0)  # degrees a frame

    def session(then: tuple[float, float]) -> Verdict:
        contact, step = np.array([0.8, 0.0]), 0.1
        states = []
        for row in range(-2, 3):
            at = contact + np.array(before if row < 0 else then) * step * row
            # the wall's face is half a metre ahead of the keg's middle on the frame of the contact
            face = contact - 0.5 * normal + np.array([0.0, -wall.get("beside", 0.0)])
            middle = face - 0.1 * normal + moves * step * row
            turned = -wall.get("angle", 0.0) + turn * row
            states.append({
                "keg": {"position": tuple(at.tolist()), "angle": 0.0},
                "wall": {"position": tuple(middle.tolist()), "angle": turned},
            })  # fmt: skip
        trace = make_trace(
            states, kinds={"keg": "keg", "wall": "wall"}, events=[(2, "hit", "keg", "wall")],
            shapes={"keg": Shape.circle(0.5), "wall": Shape.box(0.2, 9.0, turn="angle")}, axes={"x": "right", "y": "up"},
            angles={"unit": "deg", "zero": "right", "sense": "counter-clockwise"}, units={"position": "m"},
        )  # fmt: skip
        return collisions.bounces(
            trace.one("keg"), at=trace.events("hit"), off=trace.one("wall"), tol=0.15 if turn else 1e-6, **response
        )

    held = session(after)
    assert (held.outcome, held.tested) == ("held", 1), held.explain()
    assert session(wrong).outcome == "broken"
