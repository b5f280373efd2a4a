"""The bay: everything in it, and the order in which a tick goes."""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import breadcrumb
from breadcrumb.demo.basin import Basin
from breadcrumb.demo.behaviour import Behaviour
from breadcrumb.demo.blankets import Blankets
from breadcrumb.demo.boom import Boom
from breadcrumb.demo.bridge import Bridge
from breadcrumb.demo.buoys import Buoys
from breadcrumb.demo.cameras import Cameras
from breadcrumb.demo.crane import Crane
from breadcrumb.demo.eddy import Eddy
from breadcrumb.demo.faults import Faults
from breadcrumb.demo.flares import Flares
from breadcrumb.demo.gull import Gull
from breadcrumb.demo.hatch import Hatch
from breadcrumb.demo.lamps import Lamps
from breadcrumb.demo.lanterns import Lanterns
from breadcrumb.demo.moths import Moths
from breadcrumb.demo.muster import Muster
from breadcrumb.demo.raft import Raft
from breadcrumb.demo.rockets import Rockets
from breadcrumb.demo.script import PLAYER, Input
from breadcrumb.demo.skiffs import BERTHS, Skiff, Skiffs
from breadcrumb.demo.stakes import Stakes
from breadcrumb.demo.tally import Tally
from breadcrumb.demo.time import INPUT_TICKS, RATES, ticks
from breadcrumb.demo.torch import Torch
from breadcrumb.demo.whirlpools import Whirlpools

RIPPLE = ticks(30)

_STORM = 150
_STARVED = ticks(10), ticks(0.8)
_MEAN_JITTER = 13


class Bay:
    """A session of the game.

    Args:
        faults: what is broken.
        seed: draws the barrels and the berths.
        rate: how many frames there are in a second.
        shift_ticks: how long the first shift lasts; then everything starts anew, once.
        script: the inputs of each shift.
        roll_is_empty: whether the hatch has no tickets.
    """

    def __init__(
        self, faults: Faults, seed: int, rate: str, shift_ticks: int, script: Sequence[Input], *, roll_is_empty: bool
    ) -> None:
        self.faults, self.seed, self.roll_is_empty = faults, seed, roll_is_empty
        self.ticks_a_frame = RATES.get(rate, _MEAN_JITTER)
        self.events: list[dict[str, Any]] = []
        self.boats = [Skiff(name, *place, faults) for name, place in BERTHS.items()]
        self.object_count = 0
        self.is_second_shift = False
        self.cameras, self.basin, self.boom = Cameras(self), Basin(self), Boom(self)
        self.whirlpools, self.lamps, self.flares = Whirlpools(self), Lamps(self), Flares(self)
        self.behaviours: dict[str, Behaviour] = {
            "skiffs": Skiffs(self), "cameras": self.cameras, "muster": Muster(self), "tally": Tally(self),
            "bridge": Bridge(self), "raft": Raft(self), "rockets": Rockets(self), "crane": Crane(self),
            "buoys": Buoys(self), "eddy": Eddy(self), "lanterns": Lanterns(self), "lamps": self.lamps,
            "moths": Moths(self), "whirlpools": self.whirlpools, "gull": Gull(self), "flares": self.flares,
            "boom": self.boom, "basin": self.basin, "blankets": Blankets(self), "hatch": Hatch(self),
            "torch": Torch(self), "stakes": Stakes(self),
        }  # fmt: skip
        self.awake = {name: one for name, one in self.behaviours.items() if not faults.has("asleep", name)}
        ticking = [(name, one.tick) for name, one in self.awake.items() if _overrides(one, "tick")]
        self._moving = [one for one in ticking if one[0] == "skiffs"]
        self._ticking = [one for one in ticking if one not in self._moving]
        self._hurried = False
        self._framing = [(name, one) for name, one in self.awake.items() if _overrides(one, "frame")]
        self._script, self._shift_ticks = script, shift_ticks
        self._shift_start = self._rippled = self._now = 0
        self._start(0)

    @property
    def player(self) -> Skiff:
        """The player's skiff."""
        return self.boat(PLAYER)

    def boat(self, name: str) -> Skiff:
        """Return a skiff by its name."""
        return self.boats[0] if self.boats[0].name == name else self.boats[1]

    def emit(self, name: str, **details: Any) -> None:
        """Say that something happened."""
        self.events.append({"name": name, **details})

    def tick(self, tick: int, *, ends_frame: bool) -> None:
        """Play one tick: boats, input, timers, all that moves, sensors. Input is looked at once a frame."""
        if ends_frame and not self.is_second_shift and tick >= self._shift_ticks:
            self.is_second_shift = True
            self._start(tick)
        if "bay-starved" in self.faults and _STARVED[0] <= tick < sum(_STARVED):
            return
        self._now = tick
        for name, go_on in self._moving:
            self._go_on(name, go_on)
        if ends_frame:
            self._take_input(tick)
        for name, go_on in self._ticking:
            self._go_on(name, go_on)
        if ends_frame:
            for name, behaviour in self._framing:
                behaviour.frame(self._local(name, tick)[-1])
            self._count(tick)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Say what is to be recorded of everything."""
        rec.watch(self, id="bay", kind="bay", object_count="object_count")
        for behaviour in self.behaviours.values():
            behaviour.watch(rec)

    def time_of(self, name: str) -> int:
        """Return the tick that a behaviour is at, by its own time."""
        return self._local(name, self._now)[-1]

    def _go_on(self, name: str, go_on: Callable[[int], None]) -> None:
        if self._hurried:
            for local in self._local(name, self._now):
                go_on(local)
        else:
            go_on(self._now)

    def _local(self, name: str, tick: int) -> tuple[int, ...]:
        """Return the ticks that a behaviour plays at one: its own two, if it runs twice since the restart."""
        if not self._hurried or not self.faults.has("twice", name):
            return (tick,)
        last = 2 * tick - self._shift_start
        return (last - 1, last) if tick > self._shift_start else (last,)

    def _start(self, tick: int) -> None:
        self._shift_start, self._next_input = tick, 0
        self._hurried = self.is_second_shift and any(self.faults.has("twice", name) for name in self.awake)
        self.emit("shift.start")
        for behaviour in self.awake.values():
            behaviour.start(tick)

    def _take_input(self, tick: int) -> None:
        while self._next_input < len(self._script):
            one = self._script[self._next_input]
            if self._shift_start + one.at * INPUT_TICKS > tick:
                return
            self._next_input += 1
            for name, behaviour in self.behaviours.items():
                if not behaviour.concerns(one):
                    continue
                behaviour.announce(one)
                if name in self.awake:
                    for _ in self._local(name, tick):
                        behaviour.take(one, self._local(name, tick)[-1])

    def _count(self, tick: int) -> None:
        """Count what was made and is there, and let the water ripple."""
        if "bay-leak" in self.faults:
            self.object_count = self.flares.made + self.basin.made
        else:
            self.object_count = len(self.flares.alive) + len(self.basin.barrels)
        if tick and tick // RIPPLE > self._rippled:
            self._rippled = tick // RIPPLE
            for _ in range(_STORM if "bay-storm" in self.faults else 1):
                self.emit("bay.ripple", by="bay")


def _overrides(behaviour: Behaviour, method: str) -> bool:
    return getattr(type(behaviour), method) is not getattr(Behaviour, method)


def declared(behaviours: Iterable[Behaviour]) -> list[str]:
    """Return the names of all events that may occur."""
    return sorted({"bay.ripple", "error", "shift.start", *(name for one in behaviours for name in one.events)})
