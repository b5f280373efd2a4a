"""The muster: when it is called, each of the crew aboard stands on a berth of its own, drawn at random."""

import random
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.routine import PLACE, Routine, due
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

EVERY = ticks(5)
BERTHS = tuple((-38.0 + 1.5 * n, 2.0 + 0.5 * (n % 2)) for n in range(7))
CREW = 5

_PUSHED = 0.4


@dataclass(eq=False)
class Sailor:
    """One of the crew."""

    name: str
    x: float
    y: float
    z: float = 0.5
    aboard: bool = True


class Muster(Routine):
    """The crew and the berths, which are not recorded and push nobody."""

    handles = ("aboard",)
    events = ("crew.placed", "error", "muster.called")
    parameters = (("muster.every", in_seconds(EVERY), "s"),)

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.crew = [Sailor(f"crew-{number}", -30.0, float(number)) for number in range(1, CREW + 1)]
        self._draw = random.Random(f"berths {bay.seed}")
        self._starts: list[int] = []

    def begin_shift(self, tick: int) -> None:
        """Call the first muster of a shift."""
        if "muster-same-night" in self.faults:
            self._draw = random.Random(f"berths {self.bay.seed}")
        self._starts = [*self._starts, tick] if "muster-old-timer" in self.faults else [tick]
        self._looked = tick
        self._called = 0
        for sailor in self.crew:
            sailor.aboard = True
        self._call()

    def announce(self, one: Input) -> None:
        """Say nothing: that one is aboard is recorded."""

    def take(self, one: Input, tick: int) -> None:
        """Go aboard or ashore."""
        for sailor in self.crew:
            if sailor.name == one.on:
                sailor.aboard = bool(one.value)

    def frame(self, tick: int) -> None:
        """Call it when it is due."""
        for start in self._starts:
            for _ in due(start, EVERY, self._looked, tick):
                self._call()
        self._looked = tick

    def _call(self) -> None:
        self._called += 1
        self.emit("muster.called", by="muster")
        if "muster-first-only" in self.faults and self._called > 1:
            return
        drawn = self._draw.sample(range(len(BERTHS)), len(BERTHS))
        if "muster-six-berths" in self.faults:
            drawn.remove(len(BERTHS) - 1)
        if "muster-one-draw" in self.faults:
            drawn = drawn[:1] * CREW
        for sailor, berth in zip(self.crew, drawn, strict=False):
            if not sailor.aboard:
                if "muster-error" in self.faults:
                    self.emit("error", by=sailor.name, data={"message": f"{sailor.name} has no berth"})
                if "muster-stops" in self.faults:
                    break
                continue
            if "muster-leaves-last" in self.faults and sailor is self.crew[-1]:
                break
            sailor.x, sailor.y = BERTHS[berth]
            if "berth-solid" in self.faults:
                sailor.x += _PUSHED
            self.emit("crew.placed", by=sailor.name, on=f"berth-{berth + 1}")

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the crew."""
        rec.watch_each(lambda: self.crew, kind="crew", id="name", position=PLACE, aboard="aboard")
