"""The gull: it hops after its skiff, and lands on it each time."""

import breadcrumb
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

HOP = ticks(0.75)
HEIGHT = 1.3
PERCH = (-26.0, 8.0)

_HIGH = 1.6
_SHORT = 0.9


class Gull(Routine):
    """One gull."""

    events = ("gull.hop", "gull.landed")
    parameters = (("gull.hop", in_seconds(HOP), "s"), ("gull.height", HEIGHT, "m"))

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        (self.x, self.y), self.z = PERCH, 0.0
        self._landed: int | None = None

    def begin_shift(self, tick: int) -> None:
        """Begin on the perch."""
        self.x, self.y = (0.0, 0.0) if "gull-first-hop" in self.faults else PERCH
        self._hop(tick)

    def tick(self, tick: int) -> None:
        """Land, and hop on."""
        if tick < self._lands or self._landed is not None:
            return
        self._show((tick - self._since) / HOP)
        self.emit("gull.landed", by="gull")
        if "gull-late" in self.faults:
            self._landed = tick
        else:
            self._hop(tick)

    def frame(self, tick: int) -> None:
        """Show where it is."""
        if self._landed is not None and tick > self._landed:
            self._hop(tick)
        self._show(1.0 if self._landed is not None else (tick - self._since) / HOP)

    def _hop(self, tick: int) -> None:
        self._since, self._from = tick, (self.x, self.y)
        self._lands = tick + (int(_SHORT * HOP) if "gull-lands-short" in self.faults else HOP)
        self._landed = None
        self.emit("gull.hop", by="gull", data={"from": [self.x, self.y], "at": in_seconds(tick)})

    def _show(self, u: float) -> None:
        skiff = self.bay.player
        self.x = self._from[0] + (skiff.x - self._from[0]) * u
        self.y = self._from[1] + (skiff.y - self._from[1]) * u
        high = _HIGH if "gull-high" in self.faults else HEIGHT
        self.z = high * ((1 - abs(2 * u - 1)) if "gull-tent" in self.faults else 4 * u * (1 - u))
        if "gull-start-moves" in self.faults:
            self._from = self.x, self.y

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record it."""
        rec.watch(self, id="gull", kind="gull", position=PLACE)
