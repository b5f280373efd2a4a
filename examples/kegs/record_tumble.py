"""Twenty bodies of four shapes that tumble in a box: a scene on pymunk whose contacts are held against recorded shapes.

    python examples/kegs/record_tumble.py tumble.crumbs
    breadcrumb check examples/kegs/check_tumble.py tumble.crumbs

The shapes are the engine's own, read from it once for each kind; what touches on a frame is what its callbacks tell.
"""

import argparse
import math
import random
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import pymunk

from breadcrumb import Recorder, Shape

FRAMES_A_SECOND = 60
ROOM = 8.0  # m, from the middle to each wall
KINDS = ("disc", "block", "pill", "flint")
OF_EACH = 5
FASTEST = 4.0  # m/s
STIRRED = 3.0  # m/s2: gravity that goes round, so that nothing comes to rest


@dataclass(eq=False)
class Stone:
    """One body."""

    name: str
    kind: str
    body: pymunk.Body
    shape: pymunk.Shape


def made(kind: str, body: pymunk.Body) -> pymunk.Shape:
    """Return the engine's shape of a kind."""
    if kind == "disc":
        return pymunk.Circle(body, 0.6)
    if kind == "pill":
        return pymunk.Segment(body, (-0.7, 0.0), (0.5, 0.2), 0.3)
    if kind == "block":
        return pymunk.Poly.create_box(body, (1.4, 0.8))
    return pymunk.Poly(body, [(0.8, 0.1), (0.2, 0.7), (-0.6, 0.4), (-0.5, -0.5), (0.4, -0.6)])


def recorded(shape: pymunk.Shape) -> Shape:
    """Return the shape of the engine as one that is recorded."""
    if isinstance(shape, pymunk.Circle):
        return Shape.circle(shape.radius, offset=tuple(shape.offset) if any(shape.offset) else (), turn="angle")
    if isinstance(shape, pymunk.Segment):
        return Shape.capsule(tuple(shape.a), tuple(shape.b), shape.radius, turn="angle")
    assert isinstance(shape, pymunk.Poly)
    return Shape.polygon([tuple(corner) for corner in shape.get_vertices()], turn="angle")


def record(path: Path, seed: int = 7, seconds: float = 60) -> None:
    """Let the bodies tumble, and record them."""
    draw, space = random.Random(seed), pymunk.Space()
    stones: list[Stone] = []
    for number in range(OF_EACH * len(KINDS)):
        kind = KINDS[number % len(KINDS)]
        body = pymunk.Body(1.0, 0.3)
        shape = made(kind, body)
        shape.elasticity, shape.friction, shape.collision_type = 0.9, 0.4, 1
        body.position = (number % 5 - 2) * 2.6, (number // 5 - 1.5) * 2.6
        body.velocity = draw.uniform(-FASTEST, FASTEST), draw.uniform(-FASTEST, FASTEST)
        body.angular_velocity = draw.uniform(-2, 2)
        space.add(body, shape)
        stones.append(Stone(f"{kind}-{number // len(KINDS) + 1}", kind, body, shape))
    for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        a, b = ((x * (ROOM + 1) - y * side * 20, y * (ROOM + 1) + x * side * 20) for side in (-1, 1))
        wall = pymunk.Segment(space.static_body, a, b, 1.0)
        wall.elasticity = 1.0
        space.add(wall)
    names = {stone.shape: stone.name for stone in stones}
    touching: list[tuple[str, str]] = []

    def note(arbiter: pymunk.Arbiter, _: pymunk.Space, __: Any) -> None:
        one, other = sorted(names[shape] for shape in arbiter.shapes)
        touching.append((one, other))

    space.on_collision(1, 1, pre_solve=note)
    with Recorder(
        path,
        game="Tumble",
        build=f"pymunk {pymunk.version}",
        seed=seed,
        moment="after physics",
        axes={"x": "east", "y": "up"},
        angles={"unit": "rad", "zero": "east", "sense": "counter-clockwise"},
        units={"position": "m"},
    ) as rec:
        rec.declare(events=["touch"])
        for kind in KINDS:
            mine = [stone for stone in stones if stone.kind == kind]
            rec.watch_each(
                partial(iter, mine), kind=kind, id="name", position="body.position", angle="body.angle",
                shape=recorded(mine[0].shape),
            )  # fmt: skip
        for frame in range(round(seconds * FRAMES_A_SECOND)):
            way = frame / FRAMES_A_SECOND
            space.gravity = STIRRED * math.cos(way), STIRRED * math.sin(way)
            touching.clear()
            space.step(1 / FRAMES_A_SECOND)
            for one, other in sorted(set(touching)):
                rec.event("touch", by=one, on=other)
            rec.frame(t=(frame + 1) / FRAMES_A_SECOND)


def main() -> None:
    """Record one session."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("path", type=Path)
    parser.add_argument("--seed", type=int, default=7)
    parser.add_argument("--seconds", type=float, default=60)
    options = parser.parse_args()
    record(options.path, options.seed, options.seconds)


if __name__ == "__main__":
    main()
