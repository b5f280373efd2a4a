"""Moths: while a swarm is at a lamp, that lamp's oil falls by a fixed amount at regular intervals."""

from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.lamps import Lamp, Lamps
from breadcrumb.demo.routine import PLACE, Routine, due
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

DRINK = 3.5
EVERY = ticks(0.9)
SWARMS = {"swarm-1": 40, "swarm-2": 25}

_FAST = ticks(0.6)
_FRAMES = 54


@dataclass(eq=False)
class Swarm:
    """One swarm, and the lamp that it is at."""

    name: str
    moths: int
    x: float = 0.0
    y: float = 30.0
    z: float = 3.0
    at: str = ""
    lamp: Lamp | None = None
    """The lamp that it drinks from."""
    came: int = 0
    looked: int = 0
    drinks: int = 0


class Moths(Routine):
    """All swarms."""

    handles = ("moths",)
    events = ("moths.came", "moths.gone")
    parameters = (("moths.drink", DRINK, "l"), ("moths.every", in_seconds(EVERY), "s"))

    def __init__(self, bay: World, lamps: Lamps) -> None:
        super().__init__(bay)
        self._lamps = lamps
        self.swarms = [Swarm(name, moths) for name, moths in SWARMS.items()]

    def begin_shift(self, tick: int) -> None:
        """Send them all away."""
        for swarm in self.swarms:
            self._go(swarm)
            swarm.lamp, swarm.moths = None, SWARMS[swarm.name]

    def announce(self, one: Input) -> None:
        """Come to a lamp, or go."""
        swarm = self._swarm(one)
        if one.value is not None:
            swarm.at = one.value
            lamp = self._lamp(swarm)
            swarm.x, swarm.y = lamp.x, lamp.y
            self.emit("moths.came", by=swarm.name, on=swarm.at)
        else:
            self._go(swarm)

    def take(self, one: Input, tick: int) -> None:
        """Begin to drink, or stop."""
        swarm = self._swarm(one)
        if one.value is None:
            self._stop(swarm)
        else:
            swarm.lamp, swarm.came, swarm.looked, swarm.drinks = self._lamp(swarm), tick, tick, 0

    def _swarm(self, one: Input) -> Swarm:
        return next(swarm for swarm in self.swarms if swarm.name == one.on)

    def _lamp(self, swarm: Swarm) -> Lamp:
        return next(lamp for lamp in self._lamps.all if lamp.name == swarm.at)

    def _go(self, swarm: Swarm) -> None:
        if swarm.at:
            self.emit("moths.gone", by=swarm.name, on=swarm.at)
            swarm.at, swarm.y = "", 30.0

    def _stop(self, swarm: Swarm) -> None:
        leaving = self.swarms if "moths-one-off-all-off" in self.faults else [swarm]
        for one in leaving:
            if "moths-never-stop" not in self.faults:
                one.lamp = None

    def frame(self, tick: int) -> None:
        """Drink."""
        every = _FAST if "moths-fast" in self.faults else EVERY
        if "moths-count-frames" in self.faults:
            every = _FRAMES * self.bay.ticks_a_frame
        for swarm in self.swarms:
            if swarm.lamp is None:
                continue
            for _ in due(swarm.came, every, swarm.looked, tick):
                self._drink(swarm, swarm.lamp)
            swarm.looked = tick

    def _drink(self, swarm: Swarm, lamp: Lamp) -> None:
        swarm.drinks += 1
        if "moths-once" in self.faults and swarm.drinks > 1:
            return
        if "moths-eat-moths" in self.faults:
            swarm.moths -= 1
        for one in self._lamps.all if "moths-all-lamps" in self.faults else [lamp]:
            one.oil = one.oil - DRINK if "moths-below-zero" in self.faults else max(one.oil - DRINK, 0.0)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record them."""
        rec.watch_each(lambda: self.swarms, kind="swarm", id="name", position=PLACE, moths="moths")
