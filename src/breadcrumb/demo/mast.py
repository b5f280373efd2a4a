"""The signal mast: it looks out for boats and hails those in reach, smokes, and turns a beam and a beacon."""

import math
import random
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.boats import HULL_RADIUS, Skiff
from breadcrumb.demo.flares import Flares
from breadcrumb.demo.rays import to_circle
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

MAST = (-8.0, -4.0)
HEADLAND_TURN = 25.0
"""By how many degrees the headland's own axes are turned against the world's."""
REACH = 16.0
LOOKS_EVERY = ticks(0.7125)
PICTURES = ((1, ticks(0.25)), (2, ticks(0.1)), (3, ticks(0.5)), (2, ticks(0.1)))
BEAM_TURNS = 40.0
BEAM_REACH = 25.0
PUFFS = 3
PUFF_APART = 1.5
PUFF_SIZE = 0.2
PUFF_GROWS = 0.4
PUFF_LASTS = ticks(0.5)

_EVEN = ticks(0.2)
_FLOODED_FROM = ticks(5)
_DRAWN_WITHIN = 2.5


@dataclass(eq=False)
class Puff:
    """One puff of smoke, out of a pool."""

    name: str
    uses: int = 0
    x: float = 0.0
    y: float = 0.0
    z: float = 0.0
    place: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Where it is, in the headland's own space."""
    base: float = PUFF_SIZE
    """How large it was when it rose."""
    size: float = PUFF_SIZE
    alive: bool = False
    since: int = 0


class Mast(Routine):
    """The lookout, the smoke, the beam and the beacon."""

    handles = ("ring",)
    events = ("beacon.begins", "error", "mast.hails", "mast.looks")
    parameters = (("mast.reach", REACH, "m"), ("mast.looks_every", in_seconds(LOOKS_EVERY), "s"))

    def __init__(self, bay: World, flares: Flares) -> None:
        super().__init__(bay)
        self._flares = flares
        (self.x, self.y), self.z = MAST, 0.0
        self.begin_shift(0)

    def begin_shift(self, tick: int) -> None:
        """Blow the smoke away, put out the beacon, and turn the beam east; each shift draws the same places."""
        self._looked = self._start = tick
        self._draw = random.Random(f"puffs {self.bay.seed}")
        self._pool = [Puff(f"puff-{number}") for number in range(1, PUFFS + 1)]
        self.puffs: list[Puff] = []
        self._puffed = 0
        self.picture = 0
        self._begun: int | None = None
        self.target: str | None = None
        self.beam = 0.0
        self.spot: tuple[float, float] | None = None
        self.last_spot: tuple[float, float] | None = None

    def announce(self, one: Input) -> None:
        """Leave it to the bridge to say that the bell is rung."""

    def take(self, one: Input, tick: int) -> None:
        """Begin the beacon's sequence."""
        self._begun = tick
        self.emit("beacon.begins", by="beacon")

    def frame(self, tick: int) -> None:
        """Look out, smoke, turn, and show the pictures."""
        if tick - self._looked >= LOOKS_EVERY:
            self._looked = self._looked + LOOKS_EVERY if "mast-carries" in self.faults else tick
            self._look()
            self._puff(tick)
        for puff in self.puffs:
            passed = tick - puff.since
            puff.alive = passed < PUFF_LASTS
            grown = passed if "puff-grows-on" in self.faults else min(passed, PUFF_LASTS)
            puff.size = puff.base + PUFF_GROWS * in_seconds(grown)
        self._turn(tick)
        self._show(tick)
        if "mast-errors" in self.faults and tick - self._start >= _FLOODED_FROM:
            self.emit("error", by="mast", data={"message": f"no signal {tick}"})

    def _look(self) -> None:
        reach = REACH / 2 if "mast-half-reach" in self.faults else REACH
        for boat in self.bay.boats:
            self.emit("mast.looks", by="mast", on=boat.name)
            east, north = abs(boat.x - self.x), abs(boat.y - self.y)
            far = max(east, north) if "mast-square" in self.faults else math.hypot(east, north)
            if far <= reach:
                self.emit("mast.hails", by="mast", on=boat.name)

    def _puff(self, tick: int) -> None:
        """Let a puff rise, apart from the last one."""
        puff = self._pool[self._puffed % PUFFS]
        former = self.puffs[-1] if self.puffs else None
        while True:
            x, y = (self._draw.uniform(-_DRAWN_WITHIN, _DRAWN_WITHIN) for _ in range(2))
            far = PUFF_APART if former is None else math.hypot(x - former.x + self.x, y - former.y + self.y)
            if far >= PUFF_APART or "puff-close" in self.faults:
                break
        self._puffed += 1
        puff.uses = self._puffed
        puff.x, puff.y, puff.since = self.x + x, self.y + y, tick
        puff.place = self._on_headland(x, y)
        puff.base = puff.size if "puff-keeps-size" in self.faults else PUFF_SIZE
        self.puffs = [*(one for one in self.puffs if one is not puff), puff]

    def _on_headland(self, x: float, y: float) -> tuple[float, float, float]:
        if "puff-unturned" in self.faults:
            return x, y, 0.0
        sine, cosine = math.sin(math.radians(HEADLAND_TURN)), math.cos(math.radians(HEADLAND_TURN))
        return x * cosine + y * sine, y * cosine - x * sine, 0.0

    def _turn(self, tick: int) -> None:
        """Turn the beam, and see where it ends."""
        self.beam = in_seconds(tick - self._start) * BEAM_TURNS % 360
        way = math.cos(math.radians(self.beam)), math.sin(math.radians(self.beam))
        far = min(self._to(boat, way) for boat in self.bay.boats)
        met = (self.x + way[0] * far, self.y + way[1] * far) if far <= BEAM_REACH else None
        self.spot = self.spot if met is None and "spot-stays" in self.faults else met
        if met is not None:
            self.last_spot = met
        elif "spot-forgets" in self.faults and self.last_spot is not None:
            self.last_spot = self.x, self.y

    def _to(self, boat: Skiff, way: tuple[float, float]) -> float:
        return to_circle((self.x, self.y), way, (boat.x, boat.y), HULL_RADIUS)

    def _show(self, tick: int) -> None:
        """Show the beacon's picture, and name the newest flare."""
        self.picture = 0
        if self._begun is not None:
            end = self._begun
            for picture, lasts in PICTURES:
                end += _EVEN if "beacon-even" in self.faults else lasts
                if tick < end:
                    self.picture = picture
                    break
        alive = [flare.name for flare in self._flares.alive]
        if alive or "beacon-old-target" not in self.faults:
            self.target = alive[-1] if alive else None

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record all of it."""
        rec.watch(
            self, id="mast", kind="mast", position=PLACE, beam="beam", spot="spot", last_spot="last_spot",
        )  # fmt: skip
        rec.watch(self, id="beacon", kind="beacon", picture="picture", target="target")
        rec.watch_each(
            lambda: self.puffs, kind="puff", id="name", generation="uses", position=PLACE, place="place", size="size",
            alive="alive",
        )  # fmt: skip
