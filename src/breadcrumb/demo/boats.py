"""The skiffs themselves: where they are, and how they move."""

import math
from dataclasses import dataclass

from breadcrumb.demo.faults import Faults
from breadcrumb.demo.motion import coasted
from breadcrumb.demo.script import PLAYER, SECOND
from breadcrumb.demo.time import in_seconds

BAY = ((-40.0, -22.0), (40.0, 22.0))
CAP = 6.0
SLOWING = 1.7
HULL_RADIUS = 0.9
COLD = 33.6
_SMALL = 0.9
BERTHS = {PLAYER: (-22.0, 4.0), SECOND: (-14.0, 15.0)}

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

    def __init__(self, name: str, x: float, y: float, faults: Faults) -> None:
        self.name = name
        self.home = (x, y)
        self.heading = 0.0
        self.resting = False
        self.warmth = COLD
        self.leg = Leg(x, y, 0.0, 0.0, 0, coasting=True)
        self.x, self.y, self.z = x, y, 0.0
        self.vx = self.vy = 0.0
        self._faults = faults

    @property
    def speed(self) -> float:
        """How fast it is, in m/s."""
        return math.hypot(self.vx, self.vy)

    @property
    def caption(self) -> str:
        """What is written over it."""
        return f"{self.warmth:.1f} C"

    def steer(self, keys: str, tick: int) -> None:
        """Hold these keys from now on; with none the boat coasts."""
        across = sum(_WAYS[key][0] for key in keys)
        along = sum(_WAYS[key][1] for key in keys)
        length = math.hypot(across, along)
        if length:
            self.heading = math.degrees(math.atan2(along, across))
            if "skiff-diagonal" in self._faults:
                length = 1.0
            self.vx, self.vy = CAP * across / length, CAP * along / length
        self.leg = Leg(self.x, self.y, self.vx, self.vy, tick, coasting=not length)

    def put(self, x: float, y: float, tick: int) -> None:
        """Set the boat on another place without touching its motion."""
        self.x, self.y = x, y
        self.leg = Leg(x, y, self.vx, self.vy, tick, self.leg.coasting)

    def go_home(self, tick: int) -> None:
        """Lie at the berth again, for a new shift."""
        self.vx = self.vy = self.heading = 0.0
        self.resting, self.warmth = False, COLD
        self.leg = Leg(*self.home, 0.0, 0.0, tick, coasting=True)
        self.x, self.y = self.home

    def move(self, tick: int) -> None:
        """Move on to a tick."""
        leg = self.leg
        speed = math.hypot(leg.vx, leg.vy)
        if not speed:
            return
        t = in_seconds(tick - leg.since)
        if not leg.coasting:
            way, left = t, 1.0
        elif "skiff-backs-up" in self._faults:
            way, left = t - SLOWING * t * t / (2 * speed), 1 - SLOWING * t / speed
        else:
            way, left = coasted(speed, SLOWING, t)
        self.vx, self.vy = leg.vx * left, leg.vy * left
        self.x, self.y = leg.x + leg.vx * way, leg.y + leg.vy * way
        self._stop_at_edge(tick)

    def _stop_at_edge(self, tick: int) -> None:
        (west, south), (east, north) = BAY
        radius = HULL_RADIUS
        if west + radius <= self.x <= east - radius and south + radius <= self.y <= north - radius:
            return
        if "skiff-by-centre" in self._faults:
            radius = 0.0
        if "skiff-hull-small" in self._faults:
            radius *= _SMALL
        if "skiff-north-open" in self._faults:
            north = math.inf
        x = min(max(self.x, west + radius), east - radius)
        y = min(max(self.y, south + radius), north - radius)
        if (x, y) == (self.x, self.y):
            return
        if x != self.x:
            self.vx = 0.0
        if y != self.y:
            self.vy = 0.0
        self.x, self.y = x, y
        self.leg = Leg(x, y, self.vx, self.vy, tick, self.leg.coasting)
