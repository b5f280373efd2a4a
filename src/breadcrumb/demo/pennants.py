"""The pennants at the signal mast: three, hoisted and lowered with the bell, each in its own time."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.motion import eased
from breadcrumb.demo.routine import Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

MAST_TOP = 10.0
DOWN, HOISTING, UP, LOWERING = 0, 1, 2, 3
"""The stages of the halyard that moves them."""

_TOLD_TOP = 10.5
_GUST = ticks(0.5)

CURVES: dict[str, Callable[[float], float]] = {
    "linear": lambda u: min(max(u, 0.0), 1.0),
    "sine in-out": lambda u: (1 - math.cos(math.pi * min(max(u, 0.0), 1.0))) / 2,
    "cubic in-out": eased,
}


@dataclass(eq=False)
class Pennant:
    """One pennant, and how it moves."""

    name: str
    top: float
    over: int
    delay: int
    curve: str
    base: float = 0.0
    height: float | None = 0.0
    writer: str = ""
    """Who set its height last."""


class Pennants(Routine):
    """All three, and the halyard."""

    handles = ("ring",)
    events = ("pennant.moves",)
    parameters = (
        ("mast.top", MAST_TOP, "m"),
        ("pennant.highest", 9.0, "m"),
    )

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        if "pennant-over-top" in self.faults:
            self.parameters = (("mast.top", MAST_TOP, "m"), ("pennant.highest", _TOLD_TOP, "m"))
        self.begin_shift(0)

    def begin_shift(self, tick: int) -> None:
        """Hang all of them at the foot of the mast."""
        self.pennants = [
            Pennant("pennant-red", 9.0, ticks(1.8), 0, "sine in-out"),
            Pennant("pennant-white", 7.5, ticks(2.4), ticks(0.4), "cubic in-out"),
            Pennant("pennant-blue", 6.0, ticks(1.5), ticks(0.9), "linear"),
        ]
        self.stage = DOWN
        self._rung: tuple[int, bool] | None = None

    def announce(self, one: Input) -> None:
        """Leave it to the bridge to say that the bell is rung."""

    def take(self, one: Input, tick: int) -> None:
        """Begin to hoist or to lower every pennant, from where it is."""
        self.frame(tick)
        opens = one.value == "open"
        self._rung = tick, opens
        self.stage = (UP if "halyard-skips-stage" in self.faults else HOISTING) if opens else LOWERING
        for pennant in self.pennants:
            pennant.base = pennant.height or 0.0
            self.emit(
                "pennant.moves",
                by=pennant.name,
                data={
                    "to": pennant.top if opens else 0.0,
                    "over": in_seconds(pennant.over),
                    "delay": in_seconds(pennant.delay),
                    "curve": pennant.curve,
                },
            )
            if "pennant-lost" in self.faults and opens:
                pennant.height = None

    def frame(self, tick: int) -> None:
        """Show how high each of them is."""
        if self._rung is None:
            return
        since, opens = self._rung
        if tick == since:
            return
        red = self.pennants[0]
        for pennant in self.pennants:
            own = red if "pennant-one-time" in self.faults else pennant
            delay = 0 if "pennant-tied" in self.faults and pennant is self.pennants[1] else own.delay
            passed = tick - since - delay
            to = pennant.top if opens else 0.0
            if passed > 0:
                pennant.height = pennant.base + (to - pennant.base) * CURVES[pennant.curve](passed / own.over)
                pennant.writer = "halyard"
            else:
                pennant.height = pennant.base
        if "pennant-two-writers" in self.faults and red.height and _GUST < tick - since < red.over:
            red.writer = "wind"
        if tick - since >= max(pennant.over + pennant.delay for pennant in self.pennants):
            self.stage = UP if opens else DOWN

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the pennants and the halyard."""
        rec.watch_each(lambda: self.pennants, kind="pennant", id="name", height="height", writer="writer")
        rec.watch(self, id="halyard", kind="halyard", stage="stage")
