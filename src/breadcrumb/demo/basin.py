"""The basin: barrels that bounce off its five walls, and a lock gate that lets them out."""

import math
import random
from collections.abc import Callable
from dataclasses import dataclass, field

from breadcrumb.demo.faults import Faults
from breadcrumb.demo.time import TICKS_A_SECOND, in_seconds, ticks

CORNERS = ((18.0, 6.0), (30.0, 6.0), (30.0, 14.0), (26.0, 18.0), (18.0, 18.0))
"""Counter-clockwise; the wall from the third corner to the fourth one slants."""

RADIUS = 0.6
SLOW = (2.0, 5.0)
FAST = 12.0
EVERY = ticks(6)
FAST_EACH = 5
GATE_WALL = 4
GATE = (9.0, 15.0)
"""The stretch of the west wall, in y, that the gate closes."""

GATE_PERIOD = ticks(12)
GATE_OPENS, GATE_SHUTS = ticks(7), ticks(10)
SINKS_AFTER = ticks(0.6)

_SLANTING = 2
_EARLY = 0.3
_SKIN = 0.05
_SKIPPED_ABOVE = 8.0
_TIRED = 0.92

Emit = Callable[..., None]


@dataclass(frozen=True)
class Wall:
    """One wall: its inward normal, and how far along it the wall lies."""

    number: int
    nx: float
    ny: float
    offset: float

    def distance(self, x: float, y: float) -> float:
        """Return how far a point is inside the wall."""
        return x * self.nx + y * self.ny - self.offset


def _walls() -> tuple[Wall, ...]:
    walls = []
    for number, (x0, y0) in enumerate(CORNERS):
        x1, y1 = CORNERS[(number + 1) % len(CORNERS)]
        length = math.hypot(x1 - x0, y1 - y0)
        nx, ny = -(y1 - y0) / length, (x1 - x0) / length
        walls.append(Wall(number, nx, ny, x0 * nx + y0 * ny))
    return tuple(walls)


@dataclass(eq=False)
class Barrel:
    """One barrel, on a straight stretch of its way; times in ticks, with fractions at contacts."""

    name: str
    x0: float
    y0: float
    vx: float
    vy: float
    since: float
    vz: float = 0.0
    z: float = 0.0
    x: float = field(init=False)
    y: float = field(init=False)
    passed: float | None = None
    through: int | None = None
    next_contact: tuple[float, int] | None = None
    """When it next touches a wall, and which; None until it is worked out."""

    def __post_init__(self) -> None:
        self.x, self.y = self.x0, self.y0

    def place(self, tick: float) -> tuple[float, float]:
        """Return where it is at a time on this stretch."""
        t = in_seconds(tick - self.since)
        return self.x0 + self.vx * t, self.y0 + self.vy * t


class Basin:
    """All barrels, the walls and the gate."""

    def __init__(self, faults: Faults, emit: Emit, seed: int) -> None:
        self._faults, self._emit = faults, emit
        self._draw = random.Random(f"barrels {seed}")
        self._made = 0
        self._start = 0
        self.walls = _walls()
        self.barrels: list[Barrel] = []
        self.gate_open = False

    def clear(self, tick: int) -> None:
        """Empty the basin, for a new shift."""
        self.barrels = []
        self._start = tick
        if self.gate_open:
            self._set_gate(False)

    def tick(self, tick: int) -> None:
        """Work the gate, drop a barrel when one is due, and move them all."""
        since = tick - self._start
        if since % EVERY == 0:
            self._drop(tick)
        if since % GATE_PERIOD == GATE_OPENS:
            self._set_gate(True)
        elif since % GATE_PERIOD == GATE_SHUTS:
            self._set_gate(False)
        for barrel in list(self.barrels):
            self._move(barrel, tick)

    def _set_gate(self, is_open: bool) -> None:
        self.gate_open = is_open
        self._emit("gate.open" if is_open else "gate.shut", by="lock-gate")

    def _drop(self, tick: int) -> None:
        self._made += 1
        speed = FAST if self._made % FAST_EACH == 0 else self._draw.uniform(*SLOW)
        way = math.radians(self._draw.uniform(0, 360))
        x, y = 23.5 + self._draw.uniform(-1, 1), 12 + self._draw.uniform(-1, 1)
        name = f"barrel-{self._made}"
        self.barrels.append(Barrel(name, x, y, speed * math.cos(way), speed * math.sin(way), tick))

    def _move(self, barrel: Barrel, tick: int) -> None:
        if "barrel-sticks" in self._faults:
            barrel.x, barrel.y = barrel.place(tick)
            self._turn_on_overlap(barrel, tick)
        else:
            self._meet_walls(barrel, tick)
            barrel.x, barrel.y = barrel.place(tick)
        if barrel.passed is not None and tick - barrel.passed >= SINKS_AFTER:
            for _ in range(2 if "barrel-sunk-twice" in self._faults else 1):
                self._emit("barrel.sunk", by=barrel.name)
            self.barrels.remove(barrel)

    def _meet_walls(self, barrel: Barrel, tick: int) -> None:
        """Solve every contact up to a tick at its own instant, place and velocity."""
        while True:
            if barrel.next_contact is None:
                barrel.next_contact = min((self._meets(barrel, wall), wall.number) for wall in self.walls)
            at, number = barrel.next_contact
            if at > tick:
                return
            wall = self.walls[number]
            x, y = barrel.place(at)
            if wall.number == GATE_WALL and self._gate_lets_through(y):
                barrel.passed, barrel.next_contact = at, None
            else:
                self._bounce(barrel, wall, x, y, at)

    def _meets(self, barrel: Barrel, wall: Wall) -> float:
        """Return when a barrel next touches a wall, in ticks; infinity if it moves away from it."""
        toward = -(barrel.vx * wall.nx + barrel.vy * wall.ny)
        fast = math.hypot(barrel.vx, barrel.vy) > _SKIPPED_ABOVE
        if (
            toward <= 0
            or barrel.passed is not None
            or barrel.through == wall.number
            or (fast and "barrel-skips-wall" in self._faults)
        ):
            return math.inf
        room = wall.distance(barrel.x0, barrel.y0) - self._radius()
        return max(barrel.since, barrel.since + room / toward * TICKS_A_SECOND)

    def _radius(self) -> float:
        if "barrel-by-centre" in self._faults:
            return 0.0
        return RADIUS + _EARLY if "barrel-early" in self._faults else RADIUS

    def _gate_lets_through(self, y: float) -> bool:
        in_gate = GATE[0] + RADIUS < y < GATE[1] - RADIUS
        return in_gate and (self.gate_open or "gate-ignored" in self._faults)

    def _turn_on_overlap(self, barrel: Barrel, tick: int) -> None:
        for wall in self.walls:
            if barrel.passed is None and wall.distance(barrel.x, barrel.y) < RADIUS + _SKIN:
                if wall.number == GATE_WALL and self._gate_lets_through(barrel.y):
                    barrel.passed = tick
                else:
                    self._bounce(barrel, wall, barrel.x, barrel.y, tick)

    def _bounce(self, barrel: Barrel, wall: Wall, x: float, y: float, at: float) -> None:
        along = 2 * (barrel.vx * wall.nx + barrel.vy * wall.ny)
        vx, vy = barrel.vx - along * wall.nx, barrel.vy - along * wall.ny
        if wall.number == _SLANTING and "barrel-wrong-part" in self._faults:
            vx, vy = -vx, -vy
            barrel.through = wall.number
        if "barrel-tired" in self._faults:
            vx, vy = vx * _TIRED, vy * _TIRED
        barrel.x0, barrel.y0, barrel.vx, barrel.vy, barrel.since = x, y, vx, vy, at
        barrel.next_contact = None
        point = [x - RADIUS * wall.nx, y - RADIUS * wall.ny]
        self._emit(
            "contact", by=barrel.name, on=f"wall-{wall.number + 1}", data={"normal": [wall.nx, wall.ny], "point": point}
        )
