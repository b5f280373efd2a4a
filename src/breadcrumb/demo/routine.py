"""What the scripts of Lantern Bay have in common: each is told of shifts, inputs, ticks and frames."""

from collections.abc import Callable, Iterator
from typing import ClassVar

import breadcrumb
from breadcrumb.demo.script import Input
from breadcrumb.demo.world import World

PLACE = ("x", "y", "z")
VELOCITY = ("vx", "vy", "vz")

Parameter = tuple[str, float | str | bool, str]
"""A tuning constant: its name, its value and its unit."""


class Routine:
    """One scripted behaviour of the bay.

    Ticks are 1/720 s; a frame ends on one. What time alone defines is worked out in `frame`; sensors, and the timers of
    what moves, are looked at in `tick`.
    """

    handles: ClassVar[tuple[str, ...]] = ()
    """The inputs that it is told of."""
    events: ClassVar[tuple[str, ...]] = ()
    """The events that it may emit."""
    parameters: tuple[Parameter, ...] = ()

    def __init__(self, bay: World) -> None:
        self.bay, self.faults = bay, bay.faults
        self.emit: Callable[..., None] = bay.emit

    def begin_shift(self, tick: int) -> None:
        """Begin a shift, at this tick."""

    def concerns(self, one: Input) -> bool:
        """Tell whether an input is for this routine."""
        return one.what in self.handles

    def announce(self, one: Input) -> None:
        """Say that an input came, whether or not anything comes of it."""
        data = {} if one.value is None else {"value": one.value}
        self.emit(f"input.{one.what}", by="player", on=one.on or None, data=data)

    def take(self, one: Input, tick: int) -> None:
        """Act on an input."""

    def tick(self, tick: int) -> None:
        """Go on by one tick."""

    def frame(self, tick: int) -> None:
        """Show what is so at the end of a frame."""

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Say what is to be recorded."""


def due(start: int, every: int, since: int, until: int) -> Iterator[int]:
    """Yield the ticks behind one and up to another on which a timer is due that has run since a start.

    Example:
        >>> list(due(10, every=5, since=10, until=21))
        [15, 20]
    """
    first = (max(since - start, 0) // every + 1) * every + start
    yield from range(first, until + 1, every)
