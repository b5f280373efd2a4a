"""A pair of whirlpools: a boat that enters one appears at the other."""

from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.boats import Skiff
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

RADIUS = 3.0
NORTH_OF_IT = 2.4
REST = ticks(2.2)
PLACES = {"whirlpool-west": (-14.0, 4.0), "whirlpool-east": (15.0, -6.0)}

_SPIN = ticks(0.05)
"""However short its rest, a boat is not taken again sooner than that."""

_SHORT_REST = ticks(0.7)
_TOO_FAR_EAST = 1.4
_UNMENDED = "whirlpool-east"


@dataclass(eq=False)
class Whirlpool:
    """One end of the pair."""

    name: str
    x: float
    y: float
    z: float = 0.0

    def holds(self, boat: Skiff) -> bool:
        """Tell whether a boat is in it."""
        return (boat.x - self.x) ** 2 + (boat.y - self.y) ** 2 < RADIUS**2


class Whirlpools(Routine):
    """Both ends, and which boats rest or are still inside after being refused."""

    events = ("sensor.begin", "whirlpool.moved")
    parameters = (
        ("whirlpool.radius", RADIUS, "m"),
        ("whirlpool.offset", NORTH_OF_IT, "m"),
        ("whirlpool.rest", in_seconds(REST), "s"),
    )

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.ends = [Whirlpool(name, *place) for name, place in PLACES.items()]

    def begin_shift(self, tick: int) -> None:
        """Forget every boat."""
        self._inside: set[tuple[str, str]] = set()
        self._taken: dict[str, int] = {}
        self._moved: dict[str, int] = {}

    def tick(self, tick: int) -> None:
        """Take each boat that enters, unless it rests."""
        for boat in self.bay.boats:
            for end in self.ends:
                if end.holds(boat):
                    self._enter(boat, end, tick)
                elif self._inside:
                    self._leave(boat, end, tick)

    def frame(self, tick: int) -> None:
        """Show which boats rest."""
        for boat in self.bay.boats:
            boat.resting = self._rests(boat, tick)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the ends; that a boat rests is recorded with the boat."""
        rec.watch_each(lambda: self.ends, kind="whirlpool", id="name", position=PLACE)

    def _spins(self, boat: Skiff, tick: int) -> bool:
        return tick - self._moved.get(boat.name, -_SPIN) < _SPIN

    def _leave(self, boat: Skiff, end: Whirlpool, tick: int) -> None:
        if not self._spins(boat, tick):
            self._inside.discard((boat.name, end.name))

    def _enter(self, boat: Skiff, end: Whirlpool, tick: int) -> None:
        key = (boat.name, end.name)
        if key in self._inside or self._spins(boat, tick):
            return
        boat.resting = self._rests(boat, tick)
        self._inside.add(key)
        self.emit("sensor.begin", by=boat.name, on=end.name, data={"resting": boat.resting})
        if not boat.resting:
            self._take(boat, end, tick)

    def _take(self, boat: Skiff, end: Whirlpool, tick: int) -> None:
        other = self.ends[1 - self.ends.index(end)]
        x, y = other.x, other.y + NORTH_OF_IT
        if "whirlpool-on-top" in self.faults:
            y = other.y
        if "whirlpool-wrong-exit" in self.faults:
            x += _TOO_FAR_EAST
        for one in self.bay.boats if "whirlpool-takes-all" in self.faults else (boat,):
            one.put(x, y, tick)
        self._moved[boat.name] = tick
        self._inside.discard((boat.name, end.name))
        if not self._comes_unrested(other):
            self._taken[boat.name] = tick
            boat.resting = True
            self._inside.add((boat.name, other.name))
        self.emit("whirlpool.moved", by=boat.name, on=other.name, data={"from": end.name})

    def _comes_unrested(self, arrival: Whirlpool) -> bool:
        if "whirlpool-one-side" in self.faults and arrival.name == _UNMENDED:
            return True
        return "whirlpool-to-and-fro" in self.faults

    def _rests(self, boat: Skiff, tick: int) -> bool:
        if "whirlpool-shared-rest" in self.faults:
            taken = max(self._taken.values(), default=None)
        else:
            taken = self._taken.get(boat.name)
        if taken is None:
            return False
        if "whirlpool-latched" in self.faults:
            return True
        return tick - taken < (_SHORT_REST if "whirlpool-short-rest" in self.faults else REST)
