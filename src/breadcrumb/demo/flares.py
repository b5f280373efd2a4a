"""Flares: thrown from a skiff toward the pointer, bursting after a time or on what they meet."""

import math
from dataclasses import dataclass
from typing import Any

import breadcrumb
from breadcrumb.demo.boats import BAY, HULL_RADIUS, Skiff
from breadcrumb.demo.cameras import Cameras
from breadcrumb.demo.routine import PLACE, VELOCITY, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

SPEED = 8.5
HEIGHT = 1.1
BURNING = ticks(1.4)
PICTURE = ticks(0.075)
PICTURES = 5
FIRST_REPEAT = ticks(0.65)
REPEAT = ticks(0.35)
IDS = 8
FLOAT_RADIUS = 0.8
FLOATS = ((2.0, 9.0), (8.0, -13.0))

_LATE = ticks(0.25)
"""How long after it is gone a flare may act, in a build that lets it."""


@dataclass(eq=False)
class Crate:
    """A crate afloat, which stops flares."""

    name: str
    x: float
    y: float
    z: float = 0.0


@dataclass(eq=False)
class Flare:
    """One flare in the air."""

    name: str
    thrower: Skiff
    x: float
    y: float
    z: float
    vx: float
    vy: float
    vz: float
    thrown: int
    start: tuple[float, float]
    burst: int | None = None
    picture: int = 0


class Flares(Routine):
    """All flares, the crates afloat that stop them, and the key that throws them."""

    handles = ("throw",)
    events = ("flare.burst", "flare.thrown", "input.key")
    parameters = (
        ("flare.speed", SPEED, "m/s"),
        ("flare.height", HEIGHT, "m"),
        ("flare.burning", in_seconds(BURNING), "s"),
        ("flare.picture", in_seconds(PICTURE), "s"),
        ("flare.first_repeat", in_seconds(FIRST_REPEAT), "s"),
        ("flare.repeat", in_seconds(REPEAT), "s"),
    )

    def __init__(self, bay: World, cameras: Cameras) -> None:
        super().__init__(bay)
        self._cameras = cameras
        self.floats = [Crate(f"float-{number}", x, y) for number, (x, y) in enumerate(FLOATS, 1)]
        self.alive: list[Flare] = []
        self._last_speed: dict[str, tuple[float, float]] = {}
        self._gone: list[tuple[int, str]] = []
        self.made = 0

    def begin_shift(self, tick: int) -> None:
        """Put out all flares."""
        self.alive = []
        self._held_since: int | None = None
        self._due = 0

    def announce(self, one: Input) -> None:
        """Say that the key went down or up."""
        self.emit("input.key", by="player", on=one.on, data={"key": "throw", "edge": one.value})

    def take(self, one: Input, tick: int) -> None:
        """Throw at once when the key goes down, and hold it; or let it go."""
        if one.value == "up":
            self._held_since = None
            return
        waits = "flare-dead-time" in self.faults and tick < self._due
        self._held_since = tick
        if not waits:
            self._throw(self.bay.boat(one.on), tick, repeat=False)
            self._due = tick + FIRST_REPEAT

    def tick(self, tick: int) -> None:
        """Repeat while the key is held; move, burst and remove flares."""
        held = self._held_since is not None and tick > self._held_since
        if held and (tick >= self._due or "flare-rapid" in self.faults):
            self._throw(self.bay.player, tick, repeat=True)
            self._due = tick + REPEAT
        if not self.alive:
            return
        for flare in self.alive:
            self._move(flare, tick)
        gone = [flare for flare in self.alive if self._is_gone(flare, tick)]
        if gone:
            self.alive = [flare for flare in self.alive if flare not in gone]
            self._gone += [(tick, flare.name) for flare in gone]

    def frame(self, tick: int) -> None:
        """Burst what the frame has shown as due, where bursting is seen to by the frame."""
        if "flare-long" in self.faults:
            for flare in self.alive:
                if flare.burst is None and tick - flare.thrown > BURNING:
                    self._burst(flare, tick, None)
        late = [one for one in self._gone if tick - one[0] >= _LATE] if "flare-acts-gone" in self.faults else []
        for one in late:
            self._gone.remove(one)
            if one[1] not in [flare.name for flare in self.alive]:
                self.emit("flare.burst", by=one[1])

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record flares and floats."""
        shape = breadcrumb.Shape.circle(FLOAT_RADIUS)
        rec.watch_each(lambda: self.floats, kind="float", id="name", position=PLACE, shape=shape)
        rec.watch_each(
            lambda: self.alive, kind="flare", id="name", position=PLACE, velocity=VELOCITY, picture="picture"
        )

    def _throw(self, skiff: Skiff, tick: int, *, repeat: bool) -> None:
        aim = self._aim()
        across, along = aim[0] - skiff.x, aim[1] - skiff.y
        distance = math.hypot(across, along)
        if distance < HULL_RADIUS and "flare-stuck" not in self.faults:
            heading = math.radians(skiff.heading)
            vx, vy = SPEED * math.cos(heading), SPEED * math.sin(heading)
        elif distance < HULL_RADIUS:
            vx = vy = 0.0
        else:
            vx, vy = SPEED * across / distance, SPEED * along / distance
        if "flare-carried" in self.faults:
            vx, vy = vx + skiff.vx, vy + skiff.vy
        x, y = (0.0, 0.0) if "flare-from-origin" in self.faults else (skiff.x, skiff.y)
        if "flare-two" in self.faults:
            self._light(skiff, x, y, vx, vy, tick)
        flare = self._light(skiff, x, y, vx, vy, tick)
        self.emit("flare.thrown", by=skiff.name, on=flare.name, data={"repeat": repeat})

    def _light(self, skiff: Skiff, x: float, y: float, vx: float, vy: float, tick: int) -> Flare:
        name = f"flare-{self.made % IDS + 1}"
        self.made += 1
        if "flare-keeps-speed" in self.faults:
            vx, vy = self._last_speed.get(name, (vx, vy))
        self._last_speed[name] = vx, vy
        flare = Flare(name, skiff, x, y, HEIGHT, vx, vy, 0.0, tick, (x, y))
        self.alive = [*(other for other in self.alive if other.name != name), flare]  # one of that id has to go
        return flare

    def _aim(self) -> tuple[float, float]:
        x, y = self._cameras.above.water(self._cameras.x, self._cameras.y)
        return (x, -y) if "flare-mirrored" in self.faults else (x, y)

    def _move(self, flare: Flare, tick: int) -> None:
        if flare.burst is not None:
            self._show_burst(flare, tick)
            if "flare-slides" not in self.faults:
                return
        if "flare-homing" in self.faults:
            self._turn(flare, self._aim(), tick)
        t = in_seconds(tick - flare.thrown)
        flare.x, flare.y = flare.start[0] + flare.vx * t, flare.start[1] + flare.vy * t
        if flare.burst is not None:
            return
        met = self._met(flare)
        if met is not None:
            self._burst(flare, tick, met)
        elif tick - flare.thrown >= BURNING and "flare-long" not in self.faults:
            self._burst(flare, tick, None)

    def _turn(self, flare: Flare, aim: tuple[float, float], tick: int) -> None:
        across, along = aim[0] - flare.x, aim[1] - flare.y
        distance = math.hypot(across, along)
        if distance > HULL_RADIUS:
            t = in_seconds(tick - flare.thrown)
            flare.vx, flare.vy = SPEED * across / distance, SPEED * along / distance
            flare.start = (flare.x - flare.vx * t, flare.y - flare.vy * t)

    def _met(self, flare: Flare) -> str | None:
        for boat in self.bay.boats:
            own = boat is flare.thrower and "flare-meets-thrower" not in self.faults
            if not own and math.hypot(boat.x - flare.x, boat.y - flare.y) < HULL_RADIUS:
                return boat.name
        for crate in self.floats:
            if math.hypot(crate.x - flare.x, crate.y - flare.y) < FLOAT_RADIUS:
                return crate.name
        return None

    def _burst(self, flare: Flare, tick: int, met: str | None) -> None:
        flare.burst = tick
        flare.picture = 1
        if "flare-slides" not in self.faults:
            flare.vx = flare.vy = 0.0
        data: dict[str, Any] = {} if met is None else {"met": met}
        self.emit("flare.burst", by=flare.name, data=data)

    def _show_burst(self, flare: Flare, tick: int) -> None:
        assert flare.burst is not None
        picture = min((tick - flare.burst) // PICTURE + 1, PICTURES)
        if picture == 3 and "flare-skips-picture" in self.faults:
            picture = 4
        flare.picture = picture

    def _is_gone(self, flare: Flare, tick: int) -> bool:
        if flare.burst is not None and tick - flare.burst >= PICTURE * PICTURES:
            return True
        (west, south), (east, north) = BAY
        inside = west <= flare.x <= east and south <= flare.y <= north
        return not inside and "flare-stays" not in self.faults
