"""The crane: a trolley on a rail, dragged by hand, and a magnet that lifts the crates it meets."""

from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.routine import PLACE, VELOCITY, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

RAIL = (-9.5, 14.0)
HALF_WIDTH = 0.7
RAIL_Y, RAIL_Z = -19.0, 6.0
MAGNET_LOW, MAGNET_HIGH = 1.2, 4.5
BELOW = 0.8
LIFTING = 0.9
MEETS = 0.5
GROUND = 0.4
GRAVITY = 9.81
CRATES = {"load-1": (5.9, 1.0), "load-2": (-6.5, 0.6), "load-3": (11.5, 1.4)}
"""Each crate's place along the rail, and its weight factor."""

_SAGS, _SHOVE, _SINKS, _PUSHES, _CLINGS = 0.05, 0.3, 0.4, 0.15, 1.5
_WRONG_WEIGHT = 0.8
_EARLY = ticks(2)


@dataclass(eq=False)
class Load:
    """One crate that can be lifted."""

    name: str
    x: float
    own_weight: float
    y: float = RAIL_Y
    z: float = GROUND
    vx: float = 0.0
    vy: float = 0.0
    vz: float = 0.0
    weight: float = 1.0
    held_by: str = ""
    hung: int = 0
    """When it was lifted."""
    dropped: tuple[int, float] | None = None
    """When it was let go, and from what height."""


class Crane(Routine):
    """The trolley, the magnet below it, and the crates on the quay."""

    handles = ("drag", "magnet")
    events = ("input.drag", "input.magnet", "magnet.off", "magnet.on", "sensor.begin")
    parameters = (
        ("rail.west", RAIL[0], "m"),
        ("rail.east", RAIL[1], "m"),
        ("trolley.half_width", HALF_WIDTH, "m"),
        ("magnet.lifting", LIFTING, "m/s"),
        ("magnet.below", BELOW, "m"),
    )

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.begin_shift(0)

    def begin_shift(self, tick: int) -> None:
        """Stand over the middle, with all crates on the quay."""
        self.x, self.y, self.z = 2.0, RAIL_Y, RAIL_Z
        self.magnet_z = MAGNET_LOW
        self.loads = [Load(name, x, weight, weight=weight) for name, (x, weight) in CRATES.items()]
        self.held: Load | None = None
        self._offset: float | None = None
        self._step = 0.0
        self._shown = self.x, self.magnet_z
        self._start = self._last = self._framed = tick
        self._on, self._lifted = False, 0
        self._met: set[str] = set()

    def announce(self, one: Input) -> None:
        """Say where the trolley is dragged, or that the magnet is switched off."""
        edge, at = one.value or ("end", 0.0)
        data = {"edge": edge, "x": at} if one.what == "drag" else {}
        self.emit(f"input.{one.what}", by="player", on=one.on, data=data)

    def take(self, one: Input, tick: int) -> None:
        """Drag the trolley, or switch the magnet off."""
        if one.what == "magnet":
            self._switch_off(tick)
            return
        edge, at = one.value or ("end", 0.0)
        if edge == "begin":
            self._offset = 0.0 if "trolley-jumps" in self.faults else self.x - at
            self._step = 0.0
        elif edge == "end":
            self._offset = None
            self._step = _CLINGS if "trolley-clings" in self.faults else 0.0
        elif self._offset is not None:
            self._roll(at + self._offset)

    def _roll(self, x: float) -> None:
        west, east = RAIL
        if "trolley-overruns" not in self.faults:
            x = min(max(x, west + HALF_WIDTH), east - HALF_WIDTH)
        if "trolley-sags" in self.faults and x != self.x:
            self.z -= _SAGS
        self.x = x

    def tick(self, tick: int) -> None:
        """Lift, and meet what stands below the magnet."""
        rise = LIFTING * in_seconds(tick - self._last)
        self._last = tick
        if self._on or ("magnet-early" in self.faults and tick - self._start > _EARLY):
            self.magnet_z = min(self.magnet_z + rise, MAGNET_HIGH)
        elif self.magnet_z > MAGNET_LOW:
            self.magnet_z = max(self.magnet_z - rise, MAGNET_LOW)
        else:
            self._look(tick)

    def _look(self, tick: int) -> None:
        for load in self.loads:
            if abs(load.x - self.x) >= MEETS or load.z != GROUND:
                self._met.discard(load.name)
            elif load.name not in self._met:
                self._met.add(load.name)
                self.emit("sensor.begin", by="magnet", on=load.name)
                self._switch_on(load, tick)
                return

    def _switch_on(self, load: Load, tick: int) -> None:
        self._on = True
        self._lifted += 1
        self.emit("magnet.on", by="magnet", on=load.name)
        if "magnet-empty" not in self.faults:
            self.held, load.held_by, load.hung = load, "magnet", tick
            load.weight, load.vz = 0.0, 0.0

    def _switch_off(self, tick: int) -> None:
        if not self._on:
            return
        self._on = False
        load, self.held = self.held, None
        self.emit("magnet.off", by="magnet", on=load.name if load else None)
        if load is not None:
            load.held_by, load.dropped = "", (tick, load.z)
            weight = _WRONG_WEIGHT if "crate-wrong-weight" in self.faults else load.own_weight
            load.weight = 0.0 if "crate-floats" in self.faults else weight

    def frame(self, tick: int) -> None:
        """Hang the crate below the magnet, and let those fall that were dropped."""
        self._roll(self.x + self._step * in_seconds(tick - self._framed))
        self._framed = tick
        if self.held is not None:
            self._hang(self.held, tick)
        self._shown = self.x, self.magnet_z
        for load in self.loads:
            if load.dropped is not None:
                self._fall(load, *load.dropped, tick)

    def _hang(self, load: Load, tick: int) -> None:
        x, z = self._shown if "crate-lags" in self.faults else (self.x, self.magnet_z)
        load.x, load.y, load.z = x, RAIL_Y, z - BELOW
        hung = in_seconds(tick - load.hung)
        if "crate-shoved" in self.faults:
            load.x += _SHOVE
        if "crate-keeps-sinking" in self.faults:
            load.z, load.vz = load.z - _SINKS * hung, -_SINKS
        if "cable-pushes" in self.faults or ("cable-pushes-second" in self.faults and self._lifted > 1):
            load.y += _PUSHES * hung

    def _fall(self, load: Load, since: int, height: float, tick: int) -> None:
        t = in_seconds(tick - since)
        pull = GRAVITY * load.weight
        load.z, load.vz = height - pull * t * t / 2, -pull * t
        ground = 0.0 if "crate-sunk" in self.faults else GROUND
        if load.z <= ground:
            load.z, load.vz, load.dropped = ground, 0.0, None

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the trolley, the magnet and the crates."""
        rec.watch(self, id="trolley", kind="trolley", position=PLACE)
        rec.watch(self, id="magnet", kind="magnet", parent=lambda _: "trolley", position=("x", "y", "magnet_z"))
        rec.watch_each(
            lambda: self.loads, kind="load", id="name", position=PLACE, velocity=VELOCITY, weight="weight",
            held_by="held_by", shape=breadcrumb.Shape.box(2 * GROUND, 2 * GROUND, 2 * GROUND),
        )  # fmt: skip
