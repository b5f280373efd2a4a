"""Tally stacks: each delivery lands on top of the one before, until the stack is full and cleared."""

from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.world import World

STACKS = {"stack-quay": (-4.0, -19.5, 0.7, 7), "stack-shed": (-37.0, 19.0, 0.5, 5)}
"""Where each stack stands, how high its boxes are, and how many it takes."""

_OLD_STEP = 0.6


@dataclass(eq=False)
class Stack:
    """One stack."""

    name: str
    x: float
    y: float
    step: float
    full: int
    z: float = 0.0
    boxes: int = 0
    top: float = 0.0


class Tally(Routine):
    """Both stacks."""

    handles = ("deliver",)
    events = ("delivery", "stack.cleared")
    parameters = (("stack-quay.step", 0.7, "m"), ("stack-shed.step", 0.5, "m"))

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.stacks = [Stack(name, *place) for name, place in STACKS.items()]
        self._growing: Stack | None = None

    def begin_shift(self, tick: int) -> None:
        """Clear both."""
        if "tally-survives" in self.faults and self.bay.is_second_shift:
            return
        for stack in self.stacks:
            self._clear(stack)

    def announce(self, one: Input) -> None:
        """Say that a box comes."""
        self.emit("delivery", by="player", on=one.on)

    def take(self, one: Input, tick: int) -> None:
        """Land a box."""
        stack = next(stack for stack in self.stacks if stack.name == one.on)
        if "tally-wrong-stack" in self.faults:
            stack = self.stacks[0]
        self._land(stack)
        self._growing = stack if "tally-every-frame" in self.faults else None

    def _land(self, stack: Stack) -> None:
        stack.boxes = 1 if "tally-reset" in self.faults else stack.boxes + 1
        step = _OLD_STEP if "tally-old-step" in self.faults and stack.boxes == 3 else stack.step
        stack.top = stack.top + step if stack.boxes > 1 else step
        if stack.boxes >= stack.full:
            self.emit("stack.cleared", by="player", on=stack.name)
            self._clear(stack)

    def _clear(self, stack: Stack) -> None:
        stack.boxes, stack.top = 0, 0.0

    def frame(self, tick: int) -> None:
        """Grow on, in a build that does."""
        if self._growing is not None:
            self._land(self._growing)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record them."""
        rec.watch_each(lambda: self.stacks, kind="stack", id="name", position=PLACE, top="top")
