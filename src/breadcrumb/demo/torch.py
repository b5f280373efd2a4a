"""The customs torch: the crate that the ray from the middle of the screen meets first turns pale while it is met."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.cameras import WINDOWS, Cameras
from breadcrumb.demo.rays import to_ball
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.time import in_seconds
from breadcrumb.demo.world import World

LONGEST = 8.0
RADIUS = 0.5
PALE = "pale"
MIDDLE, SWING, PERIOD = -20.0, 55.0, 9.0
"""How the torch is swung, in degrees and seconds."""
CRATES = {
    "crate-1": (5.0, -60.0, "brown"), "crate-2": (7.0, -60.0, "green"), "crate-3": (6.0, -20.0, "blue"),
    "crate-4": (6.5, 12.0, "brown"), "crate-5": (10.0, 27.0, "red"), "crate-6": (5.5, -40.0, "green"),
}  # fmt: skip
"""How far from the eye each crate stands, at what bearing, and its own colour."""
ROCK = (4.0, 12.0, 0.7)
"""The same of a rock, and its radius: it hides what is behind it."""

_FAR = 12.0
_PAINT = "white"


@dataclass(eq=False)
class Crate:
    """One crate on the quay."""

    name: str
    x: float
    y: float
    own: str
    colour: str
    z: float = 1.0


@dataclass(eq=False)
class Rock:
    """What hides a crate."""

    x: float
    y: float
    z: float


class Torch(Routine):
    """The torch, and the crates that it is turned on."""

    events = ("error", "torch.found", "torch.lost")
    parameters = (("torch.longest", LONGEST, "m"), ("crate.radius", RADIUS, "m"))

    def __init__(self, bay: World, cameras: Cameras) -> None:
        super().__init__(bay)
        self._eye = eye = cameras.customs
        self.crates = [Crate(name, *_at(eye.x, eye.y, far, way), own, own) for name, (far, way, own) in CRATES.items()]
        self.rock = Rock(*_at(eye.x, eye.y, *ROCK[:2]), eye.z)
        self._met: Crate | None = None

    def begin_shift(self, tick: int) -> None:
        """Begin to swing."""
        self._start = tick

    def frame(self, tick: int) -> None:
        """Swing on, and look what is met."""
        eye = self._eye
        eye.yaw = MIDDLE + SWING * math.sin(2 * math.pi * in_seconds(tick - self._start) / PERIOD)
        width, height = WINDOWS[0] if "torch-off-centre" in self.faults else (eye.width, eye.height)
        way = eye.way(width / 2, height / 2)
        here = eye.x, eye.y, eye.z
        longest = _FAR if "torch-far" in self.faults else LONGEST
        hits = [(to_ball(here, way, (one.x, one.y, one.z), RADIUS), place) for place, one in enumerate(self.crates)]
        hits = sorted(hit for hit in hits if hit[0] <= longest)
        rock = to_ball(here, way, (self.rock.x, self.rock.y, self.rock.z), ROCK[2])
        if rock < math.inf and "torch-error" in self.faults:
            self.emit("error", by="torch", data={"message": "a rock has no colour"})
        first = self.crates[hits[0][1]] if hits else None
        if hits and rock < hits[0][0] and "torch-through-rock" not in self.faults:
            first = None
        self._show(first)
        if first is not None and "torch-two-pale" in self.faults:
            for _, place in hits[1:]:
                self.crates[place].colour = PALE
        elif "torch-two-pale" in self.faults:
            for crate in self.crates:
                crate.colour = crate.own

    def _show(self, met: Crate | None) -> None:
        again = "torch-every-frame" in self.faults and met is not None
        if met is self._met and not again:
            return
        if self._met is not None and self._met is not met:
            if "torch-stays-pale" not in self.faults:
                self._met.colour = _PAINT if "torch-repaints" in self.faults else self._met.own
            self.emit("torch.lost", by="torch", on=self._met.name)
        if met is not None:
            met.colour = PALE
            self.emit("torch.found", by="torch", on=met.name)
        self._met = met

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the crates, and the rock that hides one."""
        rec.watch(self.rock, id="torch-rock", kind="boulder", position=PLACE, shape=breadcrumb.Shape.sphere(ROCK[2]))
        shape = breadcrumb.Shape.sphere(RADIUS)
        rec.watch_each(lambda: self.crates, kind="crate", id="name", position=PLACE, colour="colour", shape=shape)


def _at(x: float, y: float, far: float, way: float) -> tuple[float, float]:
    return x + far * math.cos(math.radians(way)), y + far * math.sin(math.radians(way))
