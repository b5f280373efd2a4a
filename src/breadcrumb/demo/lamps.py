"""Lamps: each turns its head toward its skiff, and its light ends on what it first meets."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.basin import CORNERS
from breadcrumb.demo.boats import HULL_RADIUS
from breadcrumb.demo.motion import along_keys, wrapped
from breadcrumb.demo.rays import to_circle, to_walls
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.script import PLAYER, SECOND, Input
from breadcrumb.demo.time import in_seconds
from breadcrumb.demo.whirlpools import RADIUS as SENSOR_RADIUS
from breadcrumb.demo.whirlpools import Whirlpools
from breadcrumb.demo.world import World

LONGEST = 46.0
GLOW = ((0.0, 0.0), (0.15, 0.35), (0.45, 0.35), (0.9, 1.0))
"""How bright it is after so many seconds; straight in between."""
ROCKS = ((6.0, -9.0, 1.2), (-24.0, -4.0, 1.5), (-4.0, 10.0, 1.0))
"""Each rock's place and radius."""
OIL = 30.0
PLACES = {"lamp-quay": (0.0, 0.0, PLAYER), "lamp-head": (-38.0, -20.0, SECOND), "lamp-barge": (12.0, -18.0, PLAYER)}
"""Where each lamp stands, and whose skiff it follows."""
BARGE_YAW = 35.0

_TILTS, _LOW, _SMALL = 5.0, 0.8, 0.9


@dataclass(eq=False)
class Lamp:
    """One lamp."""

    name: str
    x: float
    y: float
    skiff: str
    z: float = 2.0
    yaw: float = 0.0
    pitch: float = 0.0
    end: tuple[float, float] = (LONGEST, 0.0)
    """Where its light ends, in its own space."""
    met: str = ""
    burning: bool = False
    lit: int = 0
    glow: float = 0.0
    oil: float = OIL
    held: bool = False


class Lamps(Routine):
    """All lamps."""

    handles = ("switch",)
    events = ("input.switch", "lamp.switched", "ray")
    parameters = (("lamp.longest", LONGEST, "m"), ("lamp.oil", OIL, "l"))

    def __init__(self, bay: World, whirlpools: Whirlpools) -> None:
        super().__init__(bay)
        self._whirlpools = whirlpools
        self.all = [Lamp(name, *place) for name, place in PLACES.items()]
        self._seen: dict[str, tuple[float, float]] = {}
        self._places: dict[str, tuple[float, float]] = {}
        """Where the boats were on the last frame."""

    def begin_shift(self, tick: int) -> None:
        """Put them out and fill them up."""
        for lamp in self.all:
            lamp.burning, lamp.glow, lamp.oil, lamp.held = "lamp-shown-at-start" in self.faults, 0.0, OIL, False
            lamp.met = ""

    def take(self, one: Input, tick: int) -> None:
        """Switch a lamp when its key goes down."""
        lamp = next(lamp for lamp in self.all if lamp.name == one.on)
        lamp.held = one.value == "down"
        if lamp.held:
            self._switch(lamp, tick)

    def _switch(self, lamp: Lamp, tick: int) -> None:
        lamp.burning, lamp.lit = not lamp.burning, tick
        self.emit("lamp.switched", by=lamp.name, data={"burning": lamp.burning})

    def frame(self, tick: int) -> None:
        """Turn every head, and shine."""
        places = {boat.name: (boat.x, boat.y) for boat in self.bay.boats}
        self._seen = (self._places or places) if "lamp-old-hull" in self.faults else places
        self._places = places
        for lamp in self.all:
            if lamp.held and "lamp-flickers" in self.faults and tick > lamp.lit:
                self._switch(lamp, tick)
            self._turn(lamp)
            self._shine(lamp)
            lamp.glow = self._glow(in_seconds(tick - lamp.lit)) if lamp.burning else 0.0

    def _turn(self, lamp: Lamp) -> None:
        skiff = self.bay.boat(lamp.skiff)
        x, y = (0.0, 0.0) if "lamp-absolute" in self.faults else (lamp.x, lamp.y)
        bearing = math.degrees(math.atan2(skiff.y - y, skiff.x - x))
        if "lamp-turned-away" in self.faults:
            bearing += 180.0
        if "lamp-long-way" in self.faults and abs(bearing - lamp.yaw) > 180:
            bearing = (bearing + lamp.yaw) / 2
        lamp.yaw = wrapped(bearing)
        lamp.pitch = _TILTS if "lamp-tilts" in self.faults else 0.0

    def _shine(self, lamp: Lamp) -> None:
        way = math.cos(math.radians(lamp.yaw)), math.sin(math.radians(lamp.yaw))
        far, met = min(self._hits(lamp, way), default=(math.inf, ""))
        if met != lamp.met:
            lamp.met = met
            self.emit("ray", by=lamp.name, on=met or None, data={"distance": far} if met else {})
        if far == math.inf:
            if "lamp-stale-end" in self.faults:
                return
            far = 0.0 if "lamp-snaps" in self.faults else LONGEST
        lamp.end = (lamp.x + way[0] * far, lamp.y + way[1] * far) if "lamp-world-end" in self.faults else (far, 0.0)

    def _hits(self, lamp: Lamp, way: tuple[float, float]) -> list[tuple[float, str]]:
        here = lamp.x, lamp.y
        hits = [(to_circle(here, way, (x, y), radius), f"rock-{n}") for n, (x, y, radius) in enumerate(ROCKS, 1)]
        hull = HULL_RADIUS * (_SMALL if "lamp-small-hull" in self.faults else 1)
        hits += [(to_circle(here, way, self._seen[boat.name], hull), boat.name) for boat in self.bay.boats]
        hits.append((to_walls(here, way, CORNERS), "basin"))
        if "lamp-stops-at-sensor" in self.faults:
            ends = self._whirlpools.ends
            hits += [(to_circle(here, way, (end.x, end.y), SENSOR_RADIUS), end.name) for end in ends]
        return [hit for hit in hits if hit[0] <= LONGEST]

    def _glow(self, t: float) -> float:
        if "lamp-glow-plain" in self.faults:
            return min(t / GLOW[-1][0], 1.0)
        low = "lamp-glow-low" in self.faults and t >= GLOW[-1][0]
        return _LOW if low else along_keys(GLOW, t)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the lamps, one of which stands on a barge, and the rocks."""
        barge = Barge()
        rec.watch(barge, id="barge", kind="barge", position=PLACE, yaw="yaw")
        rec.watch_each(
            lambda: self.all, kind="lamp", id="name",
            parent=lambda lamp: "barge" if lamp.name == "lamp-barge" else None,
            position=PLACE, yaw="yaw", pitch="pitch", burning="burning", glow="glow", oil="oil",
            light_end=(lambda lamp: lamp.end[0], lambda lamp: lamp.end[1]),
        )  # fmt: skip
        rocks = [Rock(f"rock-{n}", *rock) for n, rock in enumerate(ROCKS, 1)]
        shape = breadcrumb.Shape.circle("radius")
        rec.watch_each(lambda: rocks, kind="rock", id="name", position=PLACE, radius="radius", shape=shape)


@dataclass(eq=False)
class Barge:
    """What one lamp stands on."""

    x: float = 12.0
    y: float = -18.0
    z: float = 0.0
    yaw: float = BARGE_YAW


@dataclass(eq=False)
class Rock:
    """A rock in the bay."""

    name: str
    x: float
    y: float
    radius: float
    z: float = 0.0
