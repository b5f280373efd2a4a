"""Warm blankets: a skiff that touches one is warmed, once, and the blanket is gone; its sound plays on where it lay."""

from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.basin import RADIUS as BARREL_RADIUS
from breadcrumb.demo.basin import Basin
from breadcrumb.demo.boats import COLD, HULL_RADIUS, Skiff
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

WARMS = 1.8
WARMEST = 37.0
RADIUS = 0.7
SOUNDS = ticks(0.9)
PARTS = ("hull", "deck")
"""The parts of a boat that touch, as wide as one another."""
PLACES = ((10.0, 4.4), (2.0, 2.2), (-13.1, -9.5), (21.0, -15.6), (25.0, -10.5), (5.0, -12.8), (23.5, 9.0))
"""Where one lies at the start of a shift; the last one is in the basin, where barrels touch it."""

_BOBS = ticks(1)
_NEAR = HULL_RADIUS + RADIUS


@dataclass(eq=False)
class Blanket:
    """One blanket afloat."""

    name: str
    x: float
    y: float
    z: float = 0.0
    is_used: bool = False


@dataclass(eq=False)
class Sound:
    """What is heard where a blanket lay."""

    name: str
    x: float
    y: float
    ends: int
    z: float = 0.0


class Blankets(Routine):
    """All blankets and their sounds."""

    events = ("blanket.bob", "blanket.used", "error", "sensor.begin", "sound.end", "sound.start")
    parameters = (
        ("blanket.warms", WARMS, "C"),
        ("blanket.warmest", WARMEST, "C"),
        ("blanket.sound", in_seconds(SOUNDS), "s"),
        ("skiff.cold", COLD, "C"),
    )

    def __init__(self, bay: World, basin: Basin) -> None:
        super().__init__(bay)
        self._basin = basin
        self.afloat: list[Blanket] = []
        self.sounds: list[Sound] = []
        self._made = 0

    def begin_shift(self, tick: int) -> None:
        """Lay them all out."""
        self.afloat = [Blanket(f"blanket-{number}", *place) for number, place in enumerate(PLACES, 1)]
        self._bobbing = list(self.afloat)
        self.sounds = []
        self._touched: set[str] = set()
        self._start = tick

    def tick(self, tick: int) -> None:
        """Look at which boats touch one."""
        for boat in self.bay.boats:
            x, y = boat.x, boat.y
            for blanket in self.afloat:
                across = x - blanket.x
                if -_NEAR < across < _NEAR and across**2 + (y - blanket.y) ** 2 < _NEAR**2:
                    self._touch(boat, blanket, tick)
        if self.sounds and tick >= self.sounds[0].ends:
            self.emit("sound.end", by=self.sounds.pop(0).name)
        if (tick - self._start) % _BOBS == 0:
            for blanket in self._bobbing if "blanket-bobs-on" in self.faults else self.afloat:
                self.emit("blanket.bob", by=blanket.name)

    def frame(self, tick: int) -> None:
        """Be touched by barrels, to which nothing happens; and be gone if used."""
        for barrel in self._basin.barrels:
            for blanket in self.afloat:
                near = (barrel.x - blanket.x) ** 2 + (barrel.y - blanket.y) ** 2 < (BARREL_RADIUS + RADIUS) ** 2
                if near and barrel.name not in self._touched:
                    self._touched.add(barrel.name)
                    self.emit("sensor.begin", by=barrel.name, on=blanket.name)
                    if "blanket-error" in self.faults:
                        self.emit("error", by=blanket.name, data={"message": "a barrel has no warmth"})
                    blanket.is_used |= "blanket-any" in self.faults
        if "blanket-every-frame" not in self.faults:
            self.afloat = [blanket for blanket in self.afloat if not blanket.is_used]

    def _touch(self, boat: Skiff, blanket: Blanket, tick: int) -> None:
        if not blanket.is_used:
            for part in PARTS:
                self.emit("sensor.begin", by=boat.name, on=blanket.name, data={"side": part})
            self.emit("blanket.used", by=boat.name, on=blanket.name)
            self._sound(blanket, tick)
        elif "blanket-every-frame" not in self.faults:
            return
        blanket.is_used = True
        warmed = boat
        if "blanket-other-boat" in self.faults:
            warmed = next(other for other in self.bay.boats if other is not boat)
        times = len(PARTS) if "blanket-two-parts" in self.faults else 1
        warmth = warmed.warmth + WARMS * times
        warmed.warmth = warmth if "blanket-overheats" in self.faults else min(warmth, WARMEST)

    def _sound(self, blanket: Blanket, tick: int) -> None:
        self._made += 1
        lasts = 1 if "blanket-silent" in self.faults else SOUNDS
        ends = 1 << 60 if "blanket-sound-stays" in self.faults else tick + lasts
        sound = Sound(f"sound-{self._made}", blanket.x, blanket.y, ends)
        self.sounds.append(sound)
        self.emit("sound.start", by=sound.name, on=blanket.name)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the blankets and the sounds."""
        rec.watch_each(lambda: self.afloat, kind="blanket", id="name", position=PLACE)
        rec.watch_each(lambda: self.sounds, kind="sound", id="name", position=PLACE)
