"""Rockets: they leave where the bow points, faster than the skiff by so much, and keep their speed."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.boats import BAY, CAP
from breadcrumb.demo.routine import PLACE, VELOCITY, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds
from breadcrumb.demo.world import World

FASTER = 3.5
HEIGHT = 0.6


@dataclass(eq=False)
class Rocket:
    """One rocket, on its straight way."""

    name: str
    start: tuple[float, float]
    vx: float
    vy: float
    fired: int
    x: float = 0.0
    y: float = 0.0
    z: float = HEIGHT
    vz: float = 0.0


class Rockets(Routine):
    """All rockets on their way."""

    handles = ("fire",)
    events = ("input.fire", "rocket.fired")
    parameters = (("rocket.faster", FASTER, "m/s"), ("rocket.height", HEIGHT, "m"))

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.alive: list[Rocket] = []
        self._made = 0

    def begin_shift(self, tick: int) -> None:
        """Begin with none."""
        self.alive = []

    def take(self, one: Input, tick: int) -> None:
        """Fire one."""
        skiff = self.bay.player
        way = math.radians(0.0 if "rocket-always-east" in self.faults else skiff.heading)
        speed = (CAP if "rocket-fixed-speed" in self.faults else skiff.speed) + FASTER
        self._made += 1
        name = f"rocket-{self._made}"
        start = (skiff.x, skiff.y)
        self.alive.append(Rocket(name, start, speed * math.cos(way), speed * math.sin(way), tick, *start))
        self.emit("rocket.fired", by=skiff.name, on=name)

    def frame(self, tick: int) -> None:
        """Move; what has left the bay is gone."""
        for rocket in self.alive:
            t = in_seconds(tick - rocket.fired)
            rocket.x, rocket.y = rocket.start[0] + rocket.vx * t, rocket.start[1] + rocket.vy * t
        (west, south), (east, north) = BAY
        self.alive = [one for one in self.alive if west <= one.x <= east and south <= one.y <= north]

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record them."""
        rec.watch_each(lambda: self.alive, kind="rocket", id="name", position=PLACE, velocity=VELOCITY)
