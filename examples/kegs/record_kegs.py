"""Kegs in a harbour pool: a small game on pymunk, recorded in process.

A chute lets a keg into the five-sided pool every two seconds. Kegs pass one another by and bounce off the walls; the
net in the middle, a sensor, takes up a keg that touches it.

    python examples/kegs/record_kegs.py kegs.crumbs
    breadcrumb check examples/kegs/check_kegs.py kegs.crumbs

What touches what is told by the engine's own callbacks, in which no game code has to change. `--change ELASTICITY=0.9`
plays a build with another constant.
"""

import argparse
import ast
import random
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pymunk

from breadcrumb import Recorder, Shape

FRAMES_A_SECOND = 60
POOL = ((0.0, 0.0), (12.0, 0.0), (12.0, 8.0), (8.0, 12.0), (0.0, 12.0))  # m
KEG_RADIUS = 0.5  # m
WALL_RADIUS = 0.5  # m; the walls stand outside the pool
SLOWEST, FASTEST = 2.0, 5.0  # m/s
KEG, WALL, NET = 1, 2, 3


@dataclass
class Tuning:
    """What a build of the game may do differently."""

    ELASTICITY: float = 1.0
    RELEASE_EVERY: float = 2.0  # s
    TAKEN_UP_AFTER: int = 1  # frames


@dataclass(eq=False)
class Keg:
    """A keg afloat."""

    body: pymunk.Body
    shape: pymunk.Circle


@dataclass
class Pool:
    """The game: kegs, walls and a net in a space without gravity."""

    tuning: Tuning
    seed: int
    space: pymunk.Space = field(default_factory=pymunk.Space)
    kegs: list[Keg] = field(default_factory=list)
    frame: int = 0

    def __post_init__(self) -> None:
        self._draw = random.Random(self.seed)
        self._netted: dict[Keg, int] = {}
        still = self.space.static_body
        middle = (sum(x for x, _ in POOL) / len(POOL), sum(y for _, y in POOL) / len(POOL))
        for (ax, ay), (bx, by) in zip(POOL, (*POOL[1:], POOL[0]), strict=True):
            outward = pymunk.Vec2d(by - ay, ax - bx).normalized()
            shift = outward * WALL_RADIUS
            a, b = pymunk.Vec2d(ax, ay) + shift, pymunk.Vec2d(bx, by) + shift
            wall = pymunk.Segment(still, a, b, WALL_RADIUS)
            wall.elasticity, wall.collision_type = 1.0, WALL
            self.space.add(wall)
        net = pymunk.Circle(still, 0.7, middle)
        net.sensor, net.collision_type = True, NET
        self.space.add(net)
        self.space.on_collision(KEG, KEG, begin=_pass_by)

    def update(self) -> None:
        """Play one frame: take up what the net holds, let in a keg if it is time, and step the engine."""
        for keg in [keg for keg, since in self._netted.items() if self.frame - since >= self.tuning.TAKEN_UP_AFTER]:
            self.space.remove(keg.body, keg.shape)
            self.kegs.remove(keg)
            del self._netted[keg]
        if self.frame % round(self.tuning.RELEASE_EVERY * FRAMES_A_SECOND) == 0:
            self._release()
        self.space.step(1 / FRAMES_A_SECOND)
        self.frame += 1

    def touched_net(self, keg: Keg) -> None:
        """Remember to take a keg up."""
        self._netted.setdefault(keg, self.frame)

    def keg_of(self, shape: pymunk.Shape) -> Keg:
        """Return the keg that a shape belongs to."""
        return next(keg for keg in self.kegs if keg.shape is shape)

    def _release(self) -> None:
        body = pymunk.Body(1.0, float("inf"))
        body.position = (1.0, 1.0)
        body.velocity = pymunk.Vec2d(self._draw.uniform(SLOWEST, FASTEST), 0).rotated(self._draw.uniform(0.1, 1.4))
        shape = pymunk.Circle(body, KEG_RADIUS)
        shape.elasticity, shape.collision_type = self.tuning.ELASTICITY, KEG
        self.space.add(body, shape)
        self.kegs.append(Keg(body, shape))


def _pass_by(arbiter: pymunk.Arbiter, space: pymunk.Space, data: Any) -> None:
    arbiter.process_collision = False


class Contacts:
    """Notes what the engine says of contacts, and tells the recorder once the step is over.

    The engine names contacts of one step in no lasting order, so they are told in the order of the kegs.
    """

    def __init__(self, rec: Recorder, pool: Pool) -> None:
        self._rec, self._pool = rec, pool
        self._noted: list[tuple[int, str, Keg, dict[str, Any]]] = []
        pool.space.on_collision(KEG, WALL, begin=self._hit_wall, separate=self._left_wall)
        pool.space.on_collision(KEG, NET, begin=self._hit_net)

    def tell(self) -> None:
        """Record what was noted since the last frame."""
        for _, name, keg, data in sorted(self._noted, key=lambda note: note[:2]):
            self._rec.event(name, by=keg, data=data)
        self._noted.clear()

    def _note(self, name: str, arbiter: pymunk.Arbiter, **data: Any) -> Keg:
        keg = self._pool.keg_of(arbiter.shapes[0])
        self._noted.append((self._pool.kegs.index(keg), name, keg, data))
        return keg

    def _hit_wall(self, arbiter: pymunk.Arbiter, space: pymunk.Space, data: Any) -> None:
        self._note("contact.begin", arbiter, normal=tuple(arbiter.contact_point_set.normal))

    def _left_wall(self, arbiter: pymunk.Arbiter, space: pymunk.Space, data: Any) -> None:
        self._note("contact.end", arbiter)

    def _hit_net(self, arbiter: pymunk.Arbiter, space: pymunk.Space, data: Any) -> None:
        self._pool.touched_net(self._note("net.touched", arbiter))


def record(path: Path, seed: int, seconds: float, **changes: Any) -> None:
    """Play the game and record it."""
    tuning = Tuning(**changes)
    pool = Pool(tuning, seed)
    with Recorder(
        path,
        overwrite=True,
        game="Kegs",
        build=f"pymunk {pymunk.version}",
        seed=seed,
        fixed_step=1 / FRAMES_A_SECOND,
        moment="after physics",
        axes={"x": "east", "y": "up"},
        units={"position": "m", "velocity": "m/s"},
    ) as rec:
        for name, unit in (("ELASTICITY", ""), ("RELEASE_EVERY", "s"), ("TAKEN_UP_AFTER", "frames")):
            rec.parameter(name.lower(), getattr(tuning, name), unit)
        contacts = Contacts(rec, pool)
        shape = Shape.circle(KEG_RADIUS)
        rec.watch_each(lambda: pool.kegs, kind="keg", position="body.position", velocity="body.velocity", shape=shape)
        rec.declare(events=["contact.begin", "contact.end", "net.touched"])
        for _ in range(round(seconds * FRAMES_A_SECOND)):
            pool.update()
            contacts.tell()
            rec.frame(t=pool.frame / FRAMES_A_SECOND)


def main() -> None:
    """Record one session."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("path", type=Path)
    parser.add_argument("--seed", type=int, default=7)
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--change", action="append", default=[], metavar="NAME=VALUE", help="such as ELASTICITY=0.9")
    options = parser.parse_args()
    changes = dict(change.split("=", 1) for change in options.change)
    record(
        options.path, options.seed, options.seconds, **{name: ast.literal_eval(text) for name, text in changes.items()}
    )


if __name__ == "__main__":
    main()
