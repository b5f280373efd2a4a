"""Flares: thrown from a skiff toward the pointer, bursting after a time or on what they meet."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from breadcrumb.demo.boats import BAY, HULL_RADIUS, Skiff
from breadcrumb.demo.faults import Faults
from breadcrumb.demo.inputs import to_water
from breadcrumb.demo.time import in_seconds, ticks

SPEED = 8.5
HEIGHT = 1.1
BURNING = ticks(1.4)
PICTURE = ticks(0.075)
PICTURES = 5
FIRST_REPEAT = ticks(0.65)
REPEAT = ticks(0.35)
IDS = 8
CRATE_RADIUS = 0.8
CRATES = ((2.0, 9.0), (8.0, -13.0))

Emit = Callable[..., None]


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


class Flares:
    """All flares, and the key that throws them."""

    def __init__(self, faults: Faults, emit: Emit) -> None:
        self._faults, self._emit = faults, emit
        self.alive: list[Flare] = []
        self._next_id = 0
        self._held_since: int | None = None
        self._due = 0

    def clear(self) -> None:
        """Put out all flares, for a new shift."""
        self.alive = []
        self._held_since = None

    def press(self, skiff: Skiff, pointer: tuple[float, float], tick: int) -> None:
        """Throw at once, and hold the key."""
        waits = "flare-dead-time" in self._faults and tick < self._due
        self._held_since = tick
        if waits:
            return
        self._throw(skiff, pointer, tick, repeat=False)
        self._due = tick + FIRST_REPEAT

    def release(self) -> None:
        """Let go of the key."""
        self._held_since = None

    def tick(
        self, skiff: Skiff, boats: Sequence[Skiff], crates: Sequence[Crate], pointer: tuple[float, float], tick: int
    ) -> None:
        """Repeat while the key is held; move, burst and remove flares."""
        held = self._held_since is not None and tick > self._held_since
        if held and (tick >= self._due or "flare-rapid" in self._faults):
            self._throw(skiff, pointer, tick, repeat=True)
            self._due = tick + REPEAT
        for flare in self.alive:
            self._move(flare, boats, crates, pointer, tick)
        self.alive = [flare for flare in self.alive if not self._is_gone(flare, tick)]

    def end_of_frame(self, tick: int) -> None:
        """Burst what the frame has shown as due, where bursting is seen to by the frame."""
        if "flare-long" in self._faults:
            for flare in self.alive:
                if flare.burst is None and tick - flare.thrown > BURNING:
                    self._burst(flare, tick, None)

    def _throw(self, skiff: Skiff, pointer: tuple[float, float], tick: int, *, repeat: bool) -> None:
        aim = to_water(pointer)
        if "flare-mirrored" in self._faults:
            aim = (aim[0], -aim[1])
        across, along = aim[0] - skiff.x, aim[1] - skiff.y
        distance = math.hypot(across, along)
        if distance < HULL_RADIUS and "flare-stuck" not in self._faults:
            heading = math.radians(skiff.heading)
            vx, vy = SPEED * math.cos(heading), SPEED * math.sin(heading)
        elif distance < HULL_RADIUS:
            vx = vy = 0.0
        else:
            vx, vy = SPEED * across / distance, SPEED * along / distance
        if "flare-carried" in self._faults:
            vx, vy = vx + skiff.vx, vy + skiff.vy
        x, y = (0.0, 0.0) if "flare-from-origin" in self._faults else (skiff.x, skiff.y)
        if "flare-two" in self._faults:
            self._light(skiff, x, y, vx, vy, tick)
        flare = self._light(skiff, x, y, vx, vy, tick)
        self._emit("flare.thrown", by=skiff.name, on=flare.name, data={"repeat": repeat})

    def _light(self, skiff: Skiff, x: float, y: float, vx: float, vy: float, tick: int) -> Flare:
        name = f"flare-{self._next_id % IDS + 1}"
        self._next_id += 1
        flare = Flare(name, skiff, x, y, HEIGHT, vx, vy, 0.0, tick, (x, y))
        self.alive = [*(other for other in self.alive if other.name != name), flare]  # one of that id has to go
        return flare

    def _move(
        self, flare: Flare, boats: Sequence[Skiff], crates: Sequence[Crate], pointer: tuple[float, float], tick: int
    ) -> None:
        if flare.burst is not None:
            self._show_burst(flare, tick)
            if "flare-slides" not in self._faults:
                return
        if "flare-homing" in self._faults:
            self._turn(flare, to_water(pointer), tick)
        t = in_seconds(tick - flare.thrown)
        flare.x, flare.y = flare.start[0] + flare.vx * t, flare.start[1] + flare.vy * t
        if flare.burst is not None:
            return
        met = self._met(flare, boats, crates)
        if met is not None:
            self._burst(flare, tick, met)
        elif tick - flare.thrown >= BURNING and "flare-long" not in self._faults:
            self._burst(flare, tick, None)

    def _turn(self, flare: Flare, aim: tuple[float, float], tick: int) -> None:
        across, along = aim[0] - flare.x, aim[1] - flare.y
        distance = math.hypot(across, along)
        if distance > HULL_RADIUS:
            t = in_seconds(tick - flare.thrown)
            flare.vx, flare.vy = SPEED * across / distance, SPEED * along / distance
            flare.start = (flare.x - flare.vx * t, flare.y - flare.vy * t)

    def _met(self, flare: Flare, boats: Sequence[Skiff], crates: Sequence[Crate]) -> str | None:
        for boat in boats:
            own = boat is flare.thrower and "flare-meets-thrower" not in self._faults
            if not own and math.hypot(boat.x - flare.x, boat.y - flare.y) < HULL_RADIUS:
                return boat.name
        for crate in crates:
            if math.hypot(crate.x - flare.x, crate.y - flare.y) < CRATE_RADIUS:
                return crate.name
        return None

    def _burst(self, flare: Flare, tick: int, met: str | None) -> None:
        flare.burst = tick
        flare.picture = 1
        if "flare-slides" not in self._faults:
            flare.vx = flare.vy = 0.0
        data: dict[str, Any] = {} if met is None else {"met": met}
        self._emit("flare.burst", by=flare.name, data=data)

    def _show_burst(self, flare: Flare, tick: int) -> None:
        assert flare.burst is not None
        picture = min((tick - flare.burst) // PICTURE + 1, PICTURES)
        if picture == 3 and "flare-skips-picture" in self._faults:
            picture = 4
        flare.picture = picture

    def _is_gone(self, flare: Flare, tick: int) -> bool:
        if flare.burst is not None and tick - flare.burst >= PICTURE * PICTURES:
            return True
        (west, south), (east, north) = BAY
        inside = west <= flare.x <= east and south <= flare.y <= north
        return not inside and "flare-stays" not in self._faults
