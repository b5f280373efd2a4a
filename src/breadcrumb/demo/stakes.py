"""Chart stakes: a tap sets one where its ray first meets water or slipway."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.cameras import Cameras
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

PAUSE = ticks(0.45)
SLOPE = 8.0
SLIPWAY = ((-40.0, -11.0), (-34.0, 1.0))
"""From corner to corner; it rises toward the west."""

_MANY = 3
_SUNK = 0.4
_SKY = 30.0


@dataclass(eq=False)
class Stake:
    """One stake; its place is that of its foot."""

    name: str
    x: float
    y: float
    z: float
    pitch: float


class Stakes(Routine):
    """All stakes of a shift."""

    handles = ("tap",)
    events = ("input.tap", "stake.set")
    parameters = (("stake.pause", in_seconds(PAUSE), "s"), ("slipway.slope", SLOPE, "deg"))

    def __init__(self, bay: World, cameras: Cameras) -> None:
        super().__init__(bay)
        self._eye = cameras.shore
        self.all: list[Stake] = []
        self._made = 0
        self.begin_shift(0)

    def begin_shift(self, tick: int) -> None:
        """Pull them all out."""
        self.all = []
        self._counted: int | None = None
        self._missed = False

    def announce(self, one: Input) -> None:
        """Say where a tap is on the screen."""
        self.emit("input.tap", by="player", data={"screen": list(self._pixel(one))})

    def _pixel(self, one: Input) -> tuple[float, float]:
        return one.value[0] * self._eye.width, one.value[1] * self._eye.height

    def take(self, one: Input, tick: int) -> None:
        """Set a stake where a tap is, if it counts. A touch of the screen comes as a click, too."""
        across, down = self._pixel(one)
        paused = self._counted is not None and tick - self._counted < PAUSE
        if (paused and "stake-no-pause" not in self.faults) or (self._missed and "stake-latched" in self.faults):
            return
        for _ in range(2 if "stake-twice" in self.faults else 1):
            self._set(across, down, tick)

    def _set(self, across: float, down: float, tick: int) -> None:
        found = self._ground(across, down)
        self._missed = found is None
        if found is None:
            return
        x, y, z, pitch = found
        if "stake-at-pointer" in self.faults:
            x, y = across / 100, down / 100
        if "stake-upright" in self.faults:
            pitch = 0.0
        if "stake-sunk" in self.faults:
            z -= _SUNK
        self._counted = tick
        for _ in range(_MANY if "stake-many" in self.faults else 1):
            self._made += 1
            name = f"stake-{self._made}"
            self.all.append(Stake(name, x, y, z, pitch))
            self.emit("stake.set", by="player", on=name)

    def _ground(self, across: float, down: float) -> tuple[float, float, float, float] | None:
        """Return where the ray through a pixel meets the ground, and its slope there."""
        eye = self._eye
        u, v, w = eye.way(across, down)
        (west, south), (east, north) = SLIPWAY
        rise = math.tan(math.radians(SLOPE))
        steep = w + rise * u
        if steep < 0:  # z = rise (east - x) is met at eye + far (u, v, w)
            far = (rise * (east - eye.x) - eye.z) / steep
            x, y = eye.x + far * u, eye.y + far * v
            if west <= x <= east and south <= y <= north:
                return x, y, rise * (east - x), SLOPE
        if w < 0:
            far = -eye.z / w
            return eye.x + far * u, eye.y + far * v, 0.0, 0.0
        if "stake-on-sky" in self.faults:
            return eye.x + _SKY * u, eye.y + _SKY * v, eye.z + _SKY * w, 0.0
        return None

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record them."""
        rec.watch_each(lambda: self.all, kind="stake", id="name", position=PLACE, pitch="pitch")
