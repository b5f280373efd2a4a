"""The boom: a floating log in the basin that is stepped north and south, and off whose east face barrels bounce."""

import math
from collections.abc import Callable
from typing import Protocol

import breadcrumb
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import TICKS_A_SECOND
from breadcrumb.demo.world import World

STEP = 1.1
LIMITS = (8.5, 15.5)
HALF_LENGTH = 1.6
RADIUS = 0.3
HOME = (21.0, 12.0)

_DRIFT = 0.2
_TOUCHING = 1e-9
"""A barrel that is so near has just met the boom, and does not meet it anew, wherever a faulty build sends it."""


class Moving(Protocol):
    """What may meet the boom: on a straight stretch since a tick, as fast as its velocity times its pace says."""

    x0: float
    y0: float
    vx: float
    vy: float
    since: float
    pace: float
    passed: float | None


class Boom(Routine):
    """A log between two rounded ends, which lies north and south."""

    handles = ("boom",)
    events = ("input.boom",)
    parameters = (
        ("boom.step", STEP, "m"),
        ("boom.south", LIMITS[0], "m"),
        ("boom.north", LIMITS[1], "m"),
        ("boom.half_length", HALF_LENGTH, "m"),
        ("boom.radius", RADIUS, "m"),
    )

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        (self.x, self.y), self.z = HOME, 0.0
        self._ahead = 0.0
        """How far east of its picture its body lies."""
        self.before_it_moves: Callable[[], None] = lambda: None  # whoever minds says so

    def begin_shift(self, tick: int) -> None:
        """Lie in the middle."""
        self.x, self.y = HOME
        self._ahead = 0.0

    def take(self, one: Input, tick: int) -> None:
        """Step north or south; the last step is shortened at the limit."""
        self.before_it_moves()
        step = STEP if one.value == "n" else -STEP
        south, north = LIMITS
        if "boom-overshoots" in self.faults:
            self.y += step if south < self.y < north else 0.0
        else:
            self.y = min(max(self.y + step, south), north)
        if "boom-drifts" in self.faults:
            self._ahead = _DRIFT

    def meets(self, barrel: Moving, radius: float) -> float:
        """Return when a barrel next touches the boom from the front, in ticks; infinity if it does not."""
        speed = math.hypot(barrel.vx, barrel.vy)
        x, y = barrel.x0 - self.x - self._ahead, barrel.y0 - self.y
        reach = RADIUS * (2 if "boom-thick" in self.faults else 1) + radius
        if not speed or barrel.passed is not None or math.hypot(x, y - _clamped(y)) < reach:
            return math.inf
        u, v = barrel.vx / speed, barrel.vy / speed
        hits = [_to_circle(x, y - end, u, v, reach) for end in (-HALF_LENGTH, HALF_LENGTH)]
        if u:
            side = math.copysign(reach, -u)
            far = (side - x) / u
            if abs(y + v * far) <= HALF_LENGTH:
                hits.append(far)
        first = min((far for far in hits if far > _TOUCHING), default=math.inf)
        behind = x + u * first < 0
        if first == math.inf or (behind and "boom-behind" not in self.faults):
            return math.inf
        return barrel.since + first / speed * TICKS_A_SECOND / barrel.pace

    def normal(self, x: float, y: float) -> tuple[float, float]:
        """Return the normal at the place of a barrel that touches."""
        across, along = x - self.x - self._ahead, y - self.y
        along -= _clamped(along)
        if "boom-ends-flat" in self.faults:
            along = 0.0
        length = math.hypot(across, along)
        return across / length, along / length

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record where it lies."""
        shape = breadcrumb.Shape.capsule((0.0, -HALF_LENGTH), (0.0, HALF_LENGTH), RADIUS)
        rec.watch(self, id="boom", kind="boom", position=PLACE, shape=shape)


def _clamped(along: float) -> float:
    return min(max(along, -HALF_LENGTH), HALF_LENGTH)


def _to_circle(x: float, y: float, u: float, v: float, radius: float) -> float:
    """Return how far along a unit direction a circle about the origin is first met; infinity if it is not."""
    half = x * u + y * v
    room = half * half - (x * x + y * y - radius * radius)
    return -half - math.sqrt(room) if room >= 0 and half < 0 else math.inf
