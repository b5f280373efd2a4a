"""A pair of whirlpools: a boat that enters one appears at the other."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from breadcrumb.demo.boats import Skiff
from breadcrumb.demo.faults import Faults
from breadcrumb.demo.time import ticks

RADIUS = 3.0
NORTH_OF_IT = 2.4
REST = ticks(2.2)
PLACES = {"whirlpool-west": (-14.0, 4.0), "whirlpool-east": (15.0, -6.0)}

_SPIN = ticks(0.05)
"""However short its rest, a boat is not taken again sooner than that."""

_SHORT_REST = ticks(0.7)
_TOO_FAR_EAST = 1.4
_UNMENDED = "whirlpool-east"

Emit = Callable[..., None]


@dataclass(eq=False)
class Whirlpool:
    """One end of the pair."""

    name: str
    x: float
    y: float
    z: float = 0.0

    def holds(self, boat: Skiff) -> bool:
        """Tell whether a boat is in it."""
        return math.hypot(boat.x - self.x, boat.y - self.y) < RADIUS


class Whirlpools:
    """Both ends, and which boats rest or are still inside after being refused."""

    def __init__(self, faults: Faults, emit: Emit) -> None:
        self._faults, self._emit = faults, emit
        self.ends = [Whirlpool(name, *place) for name, place in PLACES.items()]
        self._inside: set[tuple[str, str]] = set()
        self._taken: dict[str, int] = {}
        self._moved: dict[str, int] = {}

    def clear(self) -> None:
        """Forget every boat, for a new shift."""
        self._inside, self._taken, self._moved = set(), {}, {}

    def tick(self, boats: Sequence[Skiff], tick: int) -> None:
        """Take each boat that enters, unless it rests."""
        for boat in boats:
            boat.resting = self._rests(boat, tick)
        for boat in boats:
            for end in self.ends:
                self._look(boat, end, boats, tick)

    def _look(self, boat: Skiff, end: Whirlpool, boats: Sequence[Skiff], tick: int) -> None:
        if tick - self._moved.get(boat.name, -_SPIN) < _SPIN:
            return
        key = (boat.name, end.name)
        if not end.holds(boat):
            self._inside.discard(key)
            return
        if key in self._inside:
            return
        self._inside.add(key)
        self._emit("sensor.begin", by=boat.name, on=end.name, data={"resting": boat.resting})
        if not boat.resting:
            self._take(boat, end, boats, tick)

    def _take(self, boat: Skiff, end: Whirlpool, boats: Sequence[Skiff], tick: int) -> None:
        other = self.ends[1 - self.ends.index(end)]
        x, y = other.x, other.y + NORTH_OF_IT
        if "whirlpool-on-top" in self._faults:
            y = other.y
        if "whirlpool-wrong-exit" in self._faults:
            x += _TOO_FAR_EAST
        for one in boats if "whirlpool-takes-all" in self._faults else (boat,):
            one.put(x, y, tick)
        self._moved[boat.name] = tick
        self._inside.discard((boat.name, end.name))
        if not self._comes_unrested(other):
            self._taken[boat.name] = tick
            boat.resting = True
            self._inside.add((boat.name, other.name))
        self._emit("whirlpool.moved", by=boat.name, on=other.name, data={"from": end.name})

    def _comes_unrested(self, arrival: Whirlpool) -> bool:
        if "whirlpool-one-side" in self._faults and arrival.name == _UNMENDED:
            return True
        return "whirlpool-to-and-fro" in self._faults

    def _rests(self, boat: Skiff, tick: int) -> bool:
        if "whirlpool-shared-rest" in self._faults:
            taken = max(self._taken.values(), default=None)
        else:
            taken = self._taken.get(boat.name)
        if taken is None:
            return False
        if "whirlpool-latched" in self._faults:
            return True
        return tick - taken < (_SHORT_REST if "whirlpool-short-rest" in self._faults else REST)
