"""Lanterns: thrown, each comes back to its own hook a while after it was last let go."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.motion import coasted, wrapped
from breadcrumb.demo.routine import PLACE, VELOCITY, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

RETURNS = ticks(5.5)
SLOWING = 1.2
TURNS = 40.0
"""How far it turns for each metre that it flies, in degrees."""
HOOKS = {"lantern-quay": (4.0, 14.0, 0.0), "lantern-shed": (-35.0, 9.0, 110.0), "pocket-lamp": (8.0, 15.0, 0.0)}
"""Where each hangs, and how it is turned there."""
POCKET = "pocket-lamp"

_COPY, _OTHER = "lantern-shed", "lantern-quay"
_DEFAULT_WAIT = ticks(18)


@dataclass(eq=False)
class Lantern:
    """One lantern; `due` are the ticks on which it is to come back."""

    name: str
    x: float
    y: float
    yaw: float
    z: float = 2.0
    vx: float = 0.0
    vy: float = 0.0
    vz: float = 0.0
    gripped: bool = False
    since: int = 0
    start: tuple[float, float, float] = (0.0, 0.0, 0.0)
    way: tuple[float, float] = (0.0, 0.0)
    due: tuple[int, ...] = ()
    throws: int = 0
    first: int | None = None
    """When it was let go first since it hung on its hook."""


class Lanterns(Routine):
    """All lanterns and the pocket lamp."""

    handles = ("grip", "let_go")
    events = ("input.grip", "input.let_go", "lantern.gripped", "lantern.let_go", "lantern.returned")
    parameters = (("lantern.returns", in_seconds(RETURNS), "s"), ("lantern.slowing", SLOWING, "m/s2"))

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.all = [Lantern(name, *hook) for name, hook in HOOKS.items()]

    def begin_shift(self, tick: int) -> None:
        """Hang them all up."""
        for lantern in self.all:
            lantern.x, lantern.y, lantern.yaw = HOOKS[lantern.name]
            lantern.vx = lantern.vy = 0.0
            lantern.way, lantern.due, lantern.gripped, lantern.throws = (0.0, 0.0), (), False, 0
            lantern.first = None

    def concerns(self, one: Input) -> bool:
        """Tell whether a lantern is meant."""
        return one.what in self.handles and one.on in HOOKS

    def take(self, one: Input, tick: int) -> None:
        """Grip a lantern, or let it go."""
        lantern = next(lantern for lantern in self.all if lantern.name == one.on)
        if one.what == "grip":
            self._fly(lantern, tick)  # it is gripped where it is by now, not where the last frame showed it
            lantern.gripped = True
            lantern.way, lantern.vx, lantern.vy = (0.0, 0.0), 0.0, 0.0
            if "lantern-leaves-hand" not in self.faults and "lantern-returns-often" not in self.faults:
                lantern.due = ()
            self.emit("lantern.gripped", by="player", on=lantern.name)
        else:
            self._let_go(lantern, one.value, tick)

    def _let_go(self, lantern: Lantern, way: tuple[float, float], tick: int) -> None:
        lantern.gripped = False
        lantern.throws += 1
        if "lantern-frozen" in self.faults and lantern.throws > 1:
            way = (0.0, 0.0)
        lantern.start, lantern.way, lantern.since = (lantern.x, lantern.y, lantern.yaw), way, tick
        lantern.vx, lantern.vy = way
        self.emit("lantern.let_go", by="player", on=lantern.name)
        if lantern.name == POCKET:
            if "pocket-lamp-late" in self.faults:
                lantern.due = (tick + 1,)
            else:
                self._return(lantern)
            return
        wait = _DEFAULT_WAIT if "lantern-default-wait" in self.faults and lantern.name == _COPY else RETURNS
        since = lantern.first if "lantern-early" in self.faults and lantern.first is not None else tick
        lantern.first = since
        lantern.due = (*lantern.due, max(since + wait, tick + 1))

    def frame(self, tick: int) -> None:
        """Fly, and come back when it is due."""
        for lantern in self.all:
            self._fly(lantern, tick)
            if lantern.due and tick >= lantern.due[0]:
                lantern.due = lantern.due[1:]
                self._return(lantern)

    def _fly(self, lantern: Lantern, tick: int) -> None:
        speed = math.hypot(*lantern.way)
        if not speed:
            return
        way, left = coasted(speed, SLOWING, in_seconds(tick - lantern.since))
        lantern.vx, lantern.vy = lantern.way[0] * left, lantern.way[1] * left
        lantern.x, lantern.y = lantern.start[0] + lantern.way[0] * way, lantern.start[1] + lantern.way[1] * way
        lantern.yaw = wrapped(lantern.start[2] + TURNS * speed * way)

    def _return(self, lantern: Lantern) -> None:
        hook = HOOKS[lantern.name]
        if "lantern-shared-home" in self.faults and lantern.name == _COPY:
            hook = HOOKS[_OTHER]
        if "lantern-home-unset" in self.faults:
            hook = (0.0, 0.0, 0.0)
        lantern.x, lantern.y = hook[:2]
        if "lantern-forgets-turn" not in self.faults:
            lantern.yaw = hook[2]
        if "lantern-keeps-speed" in self.faults:
            lantern.vx = lantern.vx or 1.0
        else:
            lantern.vx = lantern.vy = 0.0
        lantern.way = (0.0, 0.0)
        lantern.gripped = False
        lantern.first = None
        self.emit("lantern.returned", by=lantern.name)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record them."""
        rec.watch_each(
            lambda: self.all, kind="lantern", id="name", position=PLACE, velocity=VELOCITY, yaw="yaw", gripped="gripped"
        )
