"""Skiffs: steered by keys, slowing down by themselves, kept inside the bay."""

import math
from dataclasses import dataclass

from breadcrumb.demo.time import in_seconds

BAY = ((-40.0, -22.0), (40.0, 22.0))
CAP = 6.0
SLOWING = 1.7
HULL_RADIUS = 0.9

_WAYS = {"n": (0.0, 1.0), "s": (0.0, -1.0), "e": (1.0, 0.0), "w": (-1.0, 0.0)}


@dataclass
class Leg:
    """A stretch of motion in closed form: from where, how fast, since when, and slowing or not."""

    x: float
    y: float
    vx: float
    vy: float
    since: int
    coasting: bool


class Skiff:
    """One boat."""

    def __init__(self, name: str, x: float, y: float) -> None:
        self.name = name
        self.home = (x, y)
        self.heading = 0.0
        self.resting = False
        self.leg = Leg(x, y, 0.0, 0.0, 0, coasting=True)
        self.x, self.y, self.z = x, y, 0.0
        self.vx = self.vy = 0.0

    @property
    def speed(self) -> float:
        """How fast it is, in m/s."""
        return math.hypot(self.vx, self.vy)

    def steer(self, keys: str, tick: int) -> None:
        """Hold these keys from now on; with none the boat coasts."""
        across = sum(_WAYS[key][0] for key in keys)
        along = sum(_WAYS[key][1] for key in keys)
        length = math.hypot(across, along)
        if length:
            self.heading = math.degrees(math.atan2(along, across))
            self.vx, self.vy = CAP * across / length, CAP * along / length
        self.leg = Leg(self.x, self.y, self.vx, self.vy, tick, coasting=not length)

    def put(self, x: float, y: float, tick: int) -> None:
        """Set the boat on another place without touching its motion."""
        self.x, self.y = x, y
        self.leg = Leg(x, y, self.vx, self.vy, tick, self.leg.coasting)

    def go_home(self, tick: int) -> None:
        """Lie at the berth again, for a new shift."""
        self.vx = self.vy = self.heading = 0.0
        self.resting = False
        self.leg = Leg(*self.home, 0.0, 0.0, tick, coasting=True)
        self.x, self.y = self.home

    def move(self, tick: int) -> None:
        """Move on to a tick."""
        leg = self.leg
        t = in_seconds(tick - leg.since)
        speed = math.hypot(leg.vx, leg.vy)
        if not speed:
            return
        if leg.coasting:
            t = min(t, speed / SLOWING)
            way, left = t - SLOWING * t * t / (2 * speed), max(0.0, 1 - SLOWING * t / speed)
        else:
            way, left = t, 1.0
        self.vx, self.vy = leg.vx * left, leg.vy * left
        self.x, self.y = leg.x + leg.vx * way, leg.y + leg.vy * way
        self._stop_at_edge(tick)

    def _stop_at_edge(self, tick: int) -> None:
        (west, south), (east, north) = BAY
        x = min(max(self.x, west + HULL_RADIUS), east - HULL_RADIUS)
        y = min(max(self.y, south + HULL_RADIUS), north - HULL_RADIUS)
        if (x, y) == (self.x, self.y):
            return
        if x != self.x:
            self.vx = 0.0
        if y != self.y:
            self.vy = 0.0
        self.x, self.y = x, y
        self.leg = Leg(x, y, self.vx, self.vy, tick, self.leg.coasting)
