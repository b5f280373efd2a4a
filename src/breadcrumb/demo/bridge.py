"""The drawbridge: two leaves that ease up and down in step, the lamp on it, and the gangway beside it."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.motion import along_keys, eased
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

UP = 68.0
MOVING = ticks(2.6)
WAITS = ticks(0.8)
SWELLING = ((0.0, 0.0), (0.36, 1.3), (0.6, 1.0))
"""The lamp's size after so many seconds; straight in between."""
FURTHER = 3.0
REACHING = ticks(1.5)
LEAVES = {"leaf-west": (-4.0, 20.0), "leaf-east": (4.0, 20.0)}
"""Where each leaf's hinge is."""
LEAF = breadcrumb.Shape.box(3.99, 3.0, 0.2, offset=(2.0, 0.0, 0.0), turn="orientation")
"""A leaf, as it lies to the east of its hinge."""

_SHORT, _EARLY, _TRAILS = 1.0, ticks(0.3), ticks(0.1)
_FRAMES = 156


@dataclass(eq=False)
class Leaf:
    """One leaf, and where it began to move."""

    name: str
    x: float
    y: float
    z: float = 2.0
    angle: float = 0.0
    base: float = 0.0
    body_angle: float = 0.0
    """How far its body is raised, in degrees; as far as its picture, unless that is broken."""

    @property
    def orientation(self) -> tuple[float, float, float, float]:
        """How it is turned: the west leaf raises its east end, and the east leaf, half turned round, its west one."""
        half = math.radians(self.body_angle) / 2
        sine, cosine = math.sin(half), math.cos(half)
        return (0.0, -sine, 0.0, cosine) if self.x < 0 else (sine, 0.0, cosine, 0.0)


class Bridge(Routine):
    """The leaves, the lamp and the gangway."""

    handles = ("ring", "call")
    events = ("bell.rung", "bridge.done", "bridge.moving", "gangway.call")
    parameters = (
        ("bridge.up", UP, "deg"),
        ("bridge.time", in_seconds(MOVING), "s"),
        ("bridge.wait", in_seconds(WAITS), "s"),
        ("gangway.further", FURTHER, "m"),
        ("gangway.time", in_seconds(REACHING), "s"),
    )

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.leaves = [Leaf(name, *place) for name, place in LEAVES.items()]
        self.begin_shift(0)

    def begin_shift(self, tick: int) -> None:
        """Lie shut, with the gangway drawn in and the lamp out."""
        for leaf in self.leaves:
            leaf.angle = leaf.base = leaf.body_angle = 0.0
        self.size = self.reach = self.wheel = 0.0
        self._rung: tuple[int, float] | None = None
        self._moving: tuple[int, float] | None = None
        self._called: int | None = None
        self._told = False
        self._from = 0.0

    def announce(self, one: Input) -> None:
        """Ring the bell, or call the gangway."""
        if one.what == "ring":
            self.emit("bell.rung", by="bell", data={"to": one.value})
        else:
            self.emit("gangway.call", by="player", on="gangway")

    def take(self, one: Input, tick: int) -> None:
        """Move the bridge after a while, or the gangway at once."""
        if one.what == "ring":
            self._rung = tick + (0 if "bridge-no-wait" in self.faults else WAITS), UP if one.value == "open" else 0.0
            return
        self._reach(tick)
        self._called = tick
        self._from = 0.0 if "gangway-goes-back" in self.faults else self.reach

    def frame(self, tick: int) -> None:
        """Begin to move what is due, and show where everything is."""
        if self._rung is not None and tick >= self._rung[0]:
            self._begin(*self._rung)
        if self._moving is not None:
            self._move(*self._moving, tick)
        if self._called is not None:
            self._reach(tick)

    def _begin(self, since: int, to: float) -> None:
        if self._moving is not None:
            self._move(*self._moving, since)
        for leaf in self.leaves:
            leaf.base = leaf.angle
            if "bridge-snaps" in self.faults and to:
                leaf.base = 0.0
            if "bridge-jumps-on-closing" in self.faults and not to:
                leaf.base = UP
        self._rung, self._moving, self._told = None, (since, to), False
        start = {"at": in_seconds(since), "from": self.leaves[0].base, "to": to}
        self.emit("bridge.moving", by="bridge", data=start)

    def _move(self, since: int, to: float, tick: int) -> None:
        lasts = MOVING if "bridge-counts-frames" not in self.faults else _FRAMES * self.bay.ticks_a_frame
        if "bridge-short" in self.faults and to:
            to -= _SHORT
        for leaf in self.leaves:
            trails = _TRAILS if "leaf-late" in self.faults and leaf is self.leaves[1] else 0
            u = (tick - since - trails) / lasts
            share = min(max(u, 0.0), 1.0) if "bridge-linear" in self.faults else eased(u)
            leaf.angle = leaf.base + (to - leaf.base) * share
            leaf.body_angle = 0.0 if "leaf-flat" in self.faults and leaf.x > 0 else leaf.angle
        passed = tick - since
        self.size = self._swollen(in_seconds(passed))
        if passed >= lasts - (_EARLY if "bridge-done-early" in self.faults else 0) and not self._told:
            self._told = True
            self.emit("bridge.done", by="bridge")
        if passed >= lasts + _TRAILS:
            self._moving, self.size = None, 0.0

    def _swollen(self, t: float) -> float:
        if "bridge-lamp-plain" in self.faults:
            return min(t / SWELLING[-1][0], 1.0)
        return along_keys(SWELLING, t)

    def _reach(self, tick: int) -> None:
        if self._called is None:
            return
        u = (tick - self._called) / REACHING
        self.reach = self._from + FURTHER * eased(u)
        self.wheel = 0.0 if "gangway-no-turn" in self.faults else 360.0 * min(u, 1.0) % 360.0

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the leaves, the lamp on the bridge and the gangway."""
        turn = tuple(lambda leaf, part=part: leaf.orientation[part] for part in range(4))
        rec.watch_each(
            lambda: self.leaves, kind="leaf", id="name", position=PLACE, angle="angle", orientation=turn, shape=LEAF
        )
        rec.watch(self, id="bridge-lamp", kind="bridge_lamp", size="size")
        rec.watch(self, id="gangway", kind="gangway", reach="reach", wheel="wheel")
