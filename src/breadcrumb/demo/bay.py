"""The bay: everything in it, and the order in which a tick goes."""

from collections.abc import Callable, Iterable, Sequence

import breadcrumb
from breadcrumb.demo.basin import Basin
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
from breadcrumb.demo.mast import Mast
from breadcrumb.demo.moths import Moths
from breadcrumb.demo.muster import Muster
from breadcrumb.demo.pennants import Pennants
from breadcrumb.demo.raft import Raft
from breadcrumb.demo.rockets import Rockets
from breadcrumb.demo.routine import Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.skiffs import Skiffs
from breadcrumb.demo.stakes import Stakes
from breadcrumb.demo.tally import Tally
from breadcrumb.demo.time import INPUT_TICKS, ticks
from breadcrumb.demo.torch import Torch
from breadcrumb.demo.whirlpools import Whirlpools
from breadcrumb.demo.world import World

RIPPLE = ticks(30)

_STORM = 150
_STARVED = ticks(10), ticks(0.8)


class Bay(World):
    """A session of the game.

    Args:
        faults: what is broken.
        seed: draws the barrels and the berths.
        rate: how many frames there are in a second.
        shift_ticks: how long the first shift lasts; then everything starts anew, once.
        script: the inputs of each shift.
        roll_is_empty: whether the hatch has no tickets.
        tide: how strongly the eddy pulls.
    """

    def __init__(
        self,
        faults: Faults,
        seed: int,
        rate: str,
        shift_ticks: int,
        script: Sequence[Input],
        *,
        roll_is_empty: bool,
        tide: str,
    ) -> None:
        super().__init__(faults, seed, rate, roll_is_empty=roll_is_empty, tide=tide)
        self.things_afloat = self.played = 0
        cameras, whirlpools, boom = Cameras(self), Whirlpools(self), Boom(self)
        lamps, self._flares, self._basin = Lamps(self, whirlpools), Flares(self, cameras), Basin(self, boom)
        self.routines: dict[str, Routine] = {
            "skiffs": Skiffs(self), "cameras": cameras, "muster": Muster(self), "tally": Tally(self),
            "bridge": Bridge(self), "raft": Raft(self), "rockets": Rockets(self), "crane": Crane(self),
            "buoys": Buoys(self), "eddy": Eddy(self), "lanterns": Lanterns(self), "lamps": lamps,
            "moths": Moths(self, lamps), "whirlpools": whirlpools, "gull": Gull(self), "flares": self._flares,
            "boom": boom, "basin": self._basin, "blankets": Blankets(self, self._basin), "hatch": Hatch(self),
            "torch": Torch(self, cameras), "stakes": Stakes(self, cameras),
            "pennants": Pennants(self), "mast": Mast(self, self._flares),
        }  # fmt: skip
        self.armed = {name: one for name, one in self.routines.items() if not faults.has("asleep", name)}
        ticking = [(name, one.tick) for name, one in self.armed.items() if _overrides(one, "tick")]
        self._moving = [one for one in ticking if one[0] == "skiffs"]
        self._ticking = [one for one in ticking if one not in self._moving]
        self._hurried = False
        self._framing = [(name, one) for name, one in self.armed.items() if _overrides(one, "frame")]
        self._script, self._shift_ticks = script, shift_ticks
        self._shift_start = self._rippled = self._now = 0
        self._must_reset = False
        if "basin" in self.armed:
            boom.before_it_moves = lambda: self._basin.before_boom(self._local("basin", self._now)[-1])
        self._start(0)

    def tick(self, tick: int, *, ends_frame: bool) -> None:
        """Play one tick: boats, input, timers, all that moves, sensors. Input is looked at once a frame."""
        if ends_frame and (self._must_reset or (not self.is_second_shift and tick >= self._shift_ticks)):
            self.is_second_shift, self._must_reset = True, False
            self._start(tick)
        if "bay-starved" in self.faults and _STARVED[0] <= tick < sum(_STARVED):
            return
        self._now = tick
        self.played += 1
        for name, go_on in self._moving:
            self._go_on(name, go_on)
        if ends_frame:
            self._take_input(tick)
        for name, go_on in self._ticking:
            self._go_on(name, go_on)
        if ends_frame:
            for name, routine in self._framing:
                routine.frame(self._local(name, tick)[-1])
            self._count(tick)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Say what is to be recorded of everything."""
        rec.watch(self, id="bay", kind="bay", things_afloat="things_afloat")
        for routine in self.routines.values():
            routine.watch(rec)

    def _go_on(self, name: str, go_on: Callable[[int], None]) -> None:
        if self._hurried:
            for local in self._local(name, self._now):
                go_on(local)
        else:
            go_on(self._now)

    def _local(self, name: str, tick: int) -> tuple[int, ...]:
        """Return the ticks that a routine plays at one: its own two, if it runs twice since the restart."""
        if not self._hurried or not self.faults.has("twice", name):
            return (tick,)
        last = 2 * tick - self._shift_start
        return (last - 1, last) if tick > self._shift_start else (last,)

    def _start(self, tick: int) -> None:
        self._shift_start, self._next_input = tick, 0
        self._hurried = self.is_second_shift and any(self.faults.has("twice", name) for name in self.armed)
        for _ in range(2 if self.is_second_shift and "shift-twice" in self.faults else 1):
            self.emit("shift.start")
        for routine in self.armed.values():
            routine.begin_shift(tick)

    def _take_input(self, tick: int) -> None:
        while self._next_input < len(self._script):
            one = self._script[self._next_input]
            if self._shift_start + one.at * INPUT_TICKS > tick:
                return
            self._next_input += 1
            self._must_reset |= one.what == "reset"
            for name, routine in self.routines.items():
                if not routine.concerns(one):
                    continue
                routine.announce(one)
                if name in self.armed:
                    for _ in self._local(name, tick):
                        routine.take(one, self._local(name, tick)[-1])

    def _count(self, tick: int) -> None:
        """Count what was made and is there, and let the water ripple."""
        if "bay-leak" in self.faults:
            self.things_afloat = self._flares.made + self._basin.made
        else:
            self.things_afloat = len(self._flares.alive) + len(self._basin.barrels)
        if tick and tick // RIPPLE > self._rippled:
            self._rippled = tick // RIPPLE
            for _ in range(_STORM if "bay-storm" in self.faults else 1):
                self.emit("bay.ripple", by="bay")


def _overrides(routine: Routine, method: str) -> bool:
    return getattr(type(routine), method) is not getattr(Routine, method)


def declared(routines: Iterable[Routine]) -> list[str]:
    """Return the names of all events that may occur."""
    return sorted({"bay.ripple", "error", "shift.start", *(name for one in routines for name in one.events)})
