"""Skiffs: steered by keys, slowing down by themselves, kept inside the bay."""

import breadcrumb
from breadcrumb.demo.boats import CAP, HULL_RADIUS, SLOWING
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.script import Input


class Skiffs(Routine):
    """Both boats."""

    handles = ("steer",)
    events = ("input.steer",)
    parameters = (
        ("skiff.cap", CAP, "m/s"),
        ("skiff.slowing", SLOWING, "m/s2"),
        ("skiff.radius", HULL_RADIUS, "m"),
    )

    def begin_shift(self, tick: int) -> None:
        """Lie at the berths."""
        for boat in self.bay.boats:
            boat.go_home(tick)

    def announce(self, one: Input) -> None:
        """Say which keys are held."""
        self.emit("input.steer", by="player", on=one.on, data={"keys": one.value})

    def take(self, one: Input, tick: int) -> None:
        """Steer a boat."""
        self.bay.boat(one.on).steer(one.value, tick)

    def tick(self, tick: int) -> None:
        """Move."""
        for boat in self.bay.boats:
            boat.move(tick)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record both."""
        rec.watch_each(
            lambda: self.bay.boats, kind="skiff", id="name", position=PLACE, heading="heading", speed="speed",
            resting="resting", warmth="warmth", caption="caption", shape=breadcrumb.Shape.circle(HULL_RADIUS),
        )  # fmt: skip
