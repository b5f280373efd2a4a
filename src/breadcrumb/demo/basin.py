"""The basin: barrels that bounce off its five walls, and a lock gate that lets them out."""

import math
import random
from dataclasses import dataclass, field
from typing import Any

import breadcrumb
from breadcrumb.demo.boom import HOME, Boom
from breadcrumb.demo.routine import PLACE, VELOCITY, Routine
from breadcrumb.demo.time import TICKS_A_SECOND, in_seconds, ticks
from breadcrumb.demo.world import World

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

PAST_BOOM = (9.8, 14.2)
"""Where, in y, a barrel goes straight through the gate: south of the boom, or north of it if the boom lies south."""

GATE_PERIOD = ticks(12)
GATE_OPENS, GATE_SHUTS = ticks(7), ticks(10)
SINKS_AFTER = ticks(0.6)

BOOM = -1
"""Stands for the boom among the walls."""

_SLANTING = 2
_EARLY = 0.3
_SKIN = 0.05
_SKIPPED_ABOVE = 8.0
_TIRED = 0.92
_SMALL = 0.9


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
    pace: float = 1.0
    """How much farther it moves than its velocity says."""
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
        t = in_seconds(tick - self.since) * self.pace
        return self.x0 + self.vx * t, self.y0 + self.vy * t


class Basin(Routine):
    """All barrels, the walls and the gate. Contacts are solved at their own instants, not tick by tick."""

    events = ("barrel.sunk", "contact", "gate.open", "gate.shut")
    parameters = (("barrel.radius", RADIUS, "m"), ("barrel.every", in_seconds(EVERY), "s"))

    def __init__(self, bay: World, boom: Boom) -> None:
        super().__init__(bay)
        self._boom = boom
        self._draw = random.Random(f"barrels {bay.seed}")
        self.made = 0
        self.walls = _walls()
        self.barrels: list[Barrel] = []
        self.gate_open = False
        self._again: list[dict[str, Any]] = []
        self._drawn = in_seconds(bay.ticks_a_frame) * 60 if "barrel-per-frame" in self.faults else 1.0

    def begin_shift(self, tick: int) -> None:
        """Empty the basin."""
        if "barrel-survives" not in self.faults:
            self.barrels = []
        self._start = self._looked = tick
        if self.gate_open:
            self._set_gate(is_open=False)
        self._drop(tick)

    def frame(self, tick: int) -> None:
        """Work the gate, drop a barrel when one is due, and move them all."""
        again, self._again = self._again, []
        for contact in again:
            self.emit("contact", **contact)
        for at in range(self._looked + 1, tick + 1):
            since = at - self._start
            if since % EVERY == 0:
                self._drop(at)
            phase = since % GATE_PERIOD
            if phase in (GATE_OPENS, GATE_SHUTS):
                self._move_all(at)
                self._set_gate(is_open=phase == GATE_OPENS)
            elif "barrel-sticks" in self.faults:
                self._move_all(at)
        self._looked = tick
        self._move_all(tick)

    def before_boom(self, tick: int) -> None:
        """Play up to a tick, and look anew at what barrels meet then, since the boom lies elsewhere from now on."""
        self.frame(tick)
        for barrel in self.barrels:
            barrel.x0, barrel.y0 = barrel.place(tick)
            barrel.since, barrel.next_contact = tick, None

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the barrels."""
        rec.watch_each(
            lambda: self.barrels, kind="barrel", id="name", position=PLACE, velocity=VELOCITY,
            shape=breadcrumb.Shape.circle(RADIUS),
        )  # fmt: skip

    def _move_all(self, tick: int) -> None:
        for barrel in list(self.barrels):
            self._move(barrel, tick)

    def _set_gate(self, *, is_open: bool) -> None:
        self.gate_open = is_open
        self.emit("gate.open" if is_open else "gate.shut", by="lock-gate")

    def _drop(self, tick: int) -> None:
        self.made += 1
        speed = FAST if self.made % FAST_EACH == 0 else self._draw.uniform(*SLOW)
        way = math.radians(self._draw.uniform(0, 360))
        x, y = 23.5 + self._draw.uniform(-1, 1), 12 + self._draw.uniform(-1, 1)
        if (tick - self._start) % GATE_PERIOD == EVERY:  # every other one comes to the gate as it opens, past the boom
            y = PAST_BOOM[self._boom.y < HOME[1]] + self._draw.uniform(-0.1, 0.1)
            way = math.pi
        name = f"barrel-{self.made}"
        self.barrels.append(Barrel(name, x, y, speed * math.cos(way), speed * math.sin(way), tick, pace=self._drawn))

    def _move(self, barrel: Barrel, tick: int) -> None:
        self._meet_walls(barrel, tick)
        barrel.x, barrel.y = barrel.place(tick)
        if "barrel-sticks" in self.faults:
            self._turn_on_overlap(barrel, tick)
        if barrel.passed is not None and tick - barrel.passed >= SINKS_AFTER:
            for _ in range(2 if "barrel-sunk-twice" in self.faults else 1):
                self.emit("barrel.sunk", by=barrel.name)
            self.barrels.remove(barrel)

    def _meet_walls(self, barrel: Barrel, tick: int) -> None:
        """Solve every contact up to a tick at its own instant, place and velocity."""
        while True:
            if barrel.next_contact is None:
                boom = self._boom.meets(barrel, RADIUS), BOOM
                barrel.next_contact = min(boom, *((self._meets(barrel, wall), wall.number) for wall in self.walls))
            at, number = barrel.next_contact
            if at > tick:
                return
            x, y = barrel.place(at)
            if number == BOOM:
                self._reflect(barrel, self._boom.normal(x, y), x, y, at, "boom")
                continue
            wall = self.walls[number]
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
            or "barrel-sticks" in self.faults
            or barrel.passed is not None
            or barrel.through == wall.number
            or (fast and "barrel-skips-wall" in self.faults)
        ):
            return math.inf
        room = wall.distance(barrel.x0, barrel.y0) - self._radius()
        return max(barrel.since, barrel.since + room / toward * TICKS_A_SECOND / barrel.pace)

    def _radius(self) -> float:
        if "barrel-by-centre" in self.faults:
            return 0.0
        if "barrel-small" in self.faults:
            return RADIUS * _SMALL
        return RADIUS + _EARLY if "barrel-early" in self.faults else RADIUS

    def _gate_lets_through(self, y: float) -> bool:
        in_gate = GATE[0] + RADIUS < y < GATE[1] - RADIUS
        return in_gate and (self.gate_open or "gate-ignored" in self.faults)

    def _turn_on_overlap(self, barrel: Barrel, tick: int) -> None:
        for wall in self.walls:
            if barrel.passed is None and wall.distance(barrel.x, barrel.y) < RADIUS + _SKIN:
                if wall.number == GATE_WALL and self._gate_lets_through(barrel.y):
                    barrel.passed = tick
                else:
                    self._bounce(barrel, wall, barrel.x, barrel.y, tick)

    def _bounce(self, barrel: Barrel, wall: Wall, x: float, y: float, at: float) -> None:
        turned = wall.number == _SLANTING and "barrel-wrong-part" in self.faults
        if turned:
            barrel.through = wall.number
        number = (wall.number + 1) % len(self.walls) if "contact-wrong-wall" in self.faults else wall.number
        self._reflect(barrel, (wall.nx, wall.ny), x, y, at, f"wall-{number + 1}", sign=-1.0 if turned else 1.0)

    def _reflect(
        self, barrel: Barrel, normal: tuple[float, float], x: float, y: float, at: float, met: str, sign: float = 1.0
    ) -> None:
        nx, ny = normal
        along = 2 * (barrel.vx * nx + barrel.vy * ny)
        kept = sign * (_TIRED if "barrel-tired" in self.faults else 1.0)
        barrel.vx, barrel.vy = (barrel.vx - along * nx) * kept, (barrel.vy - along * ny) * kept
        barrel.x0, barrel.y0, barrel.since, barrel.next_contact = x, y, at, None
        point = [x - RADIUS * nx, y - RADIUS * ny]
        contact = {"by": barrel.name, "on": met, "data": {"normal": [nx, ny], "point": point}}
        self.emit("contact", **contact)
        if "contact-every-frame" in self.faults and met != "boom":
            self._again.append(contact)
