"""The raft on its cradle: drawn back and let go, it shoots off the other way and slows down."""

import math

import breadcrumb
from breadcrumb.demo.motion import coasted
from breadcrumb.demo.routine import PLACE, VELOCITY, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds
from breadcrumb.demo.world import World

REACH = 1.3
FACTOR = 2.1
CAP = 6.4
SLOWING = 1.9
HOME = (-28.0, -15.0)

_CREEP = 0.02


class Raft(Routine):
    """The raft, and the hand that draws it."""

    handles = ("grip", "draw", "let_go")
    events = ("input.grip", "input.draw", "input.let_go", "raft.gripped", "raft.launched")
    parameters = (
        ("raft.reach", REACH, "m"),
        ("raft.factor", FACTOR, "m/s"),
        ("raft.cap", CAP, "m/s"),
        ("raft.slowing", SLOWING, "m/s2"),
    )

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.x, self.y, self.z = *HOME, 0.0
        self.begin_shift(0)

    def begin_shift(self, tick: int) -> None:
        """Lie on the cradle."""
        self._launch(*HOME, 0.0, 0.0, tick)
        self.vx = self.vy = self.vz = 0.0
        self.gripped = False
        self.label = ""
        self._draw = (0.0, 0.0)
        self.stretch = self._last = 0.0

    @property
    def speed(self) -> float:
        """How fast it is, in m/s."""
        return math.hypot(self.vx, self.vy)

    def concerns(self, one: Input) -> bool:
        """Tell whether the raft is meant."""
        return one.what in self.handles and one.on == "raft"

    def take(self, one: Input, tick: int) -> None:
        """Grip, draw or let go."""
        self._move(tick)
        if one.what == "grip":
            self._grip(math.hypot(*one.value), tick)
        elif one.what == "draw" and self.gripped and not self.speed:
            self._draw = one.value
            self.stretch = math.hypot(*self._draw)
        elif one.what == "let_go" and self.gripped:
            self._let_go(tick)

    def _grip(self, away: float, tick: int) -> None:
        if away > REACH and "raft-gripped-anywhere" not in self.faults:
            return
        self.gripped = True
        if "raft-keeps-stretch" not in self.faults:
            self._draw = (0.0, 0.0)
            self.stretch = 0.0
        if "raft-turns-in-glide" in self.faults and self.speed:
            self._launch(self.x, self.y, -self.vy, self.vx, tick)
        self.emit("raft.gripped", by="player", on="raft")

    def _let_go(self, tick: int) -> None:
        if "raft-not-let-go" in self.faults and self.stretch > REACH:
            return
        self.gripped = False
        if self.stretch and not self.speed:
            speed = FACTOR * math.sqrt(self.stretch)
            if "raft-no-cap" not in self.faults:
                speed = min(speed, CAP)
            sign = 1.0 if "raft-same-way" in self.faults else -1.0
            way = [sign * part / self.stretch for part in self._draw]
            self._launch(self.x, self.y, speed * way[0], speed * way[1], tick)
            self.vx, self.vy = self._way
            self.emit("raft.launched", by="player", on="raft", data={"draw": list(self._draw)})
        if "raft-keeps-stretch" not in self.faults:
            self.stretch = 0.0

    def _launch(self, x: float, y: float, vx: float, vy: float, tick: int) -> None:
        self._from, self._way, self._since = (x, y), (vx, vy), tick

    def _move(self, tick: int) -> None:
        speed = math.hypot(*self._way)
        if not speed:
            return
        way, left = coasted(speed, SLOWING, in_seconds(tick - self._since))
        if "raft-creeps" in self.faults:
            left = max(left, _CREEP / speed)
        self.x, self.y = self._from[0] + self._way[0] * way, self._from[1] + self._way[1] * way
        self.vx, self.vy = self._way[0] * left, self._way[1] * left

    def frame(self, tick: int) -> None:
        """Glide, and show the stretch while it is held."""
        self._move(tick)
        shown = self._last if "raft-label-late" in self.faults else self.stretch
        self.label = f"{shown:.2f} m" if self.gripped else ""
        self._last = self.stretch

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record it."""
        rec.watch(
            self, id="raft", kind="raft", position=PLACE, velocity=VELOCITY, speed="speed", stretch="stretch",
            gripped="gripped", label="label",
        )  # fmt: skip
