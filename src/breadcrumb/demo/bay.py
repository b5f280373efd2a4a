"""The bay: everything in it, and the order in which a tick goes."""

from dataclasses import dataclass
from typing import Any

from breadcrumb.demo.basin import Basin
from breadcrumb.demo.boats import Skiff
from breadcrumb.demo.faults import Faults
from breadcrumb.demo.flares import CRATES, Crate, Flares
from breadcrumb.demo.inputs import PLAYER, SECOND, Input, Point, Steer, Throw, shift_script, to_screen
from breadcrumb.demo.time import INPUT_TICKS
from breadcrumb.demo.whirlpools import Whirlpools

BERTHS = {PLAYER: (-22.0, 4.0), SECOND: (-14.0, 15.0)}


@dataclass
class Pointer:
    """Where the pointer is on the screen."""

    x: float = 640.0
    y: float = 400.0


class Bay:
    """A session of the game.

    Args:
        faults: what is broken.
        seed: draws the barrels and where the pointer goes.
        shift_ticks: how long the first shift lasts; then everything starts anew, once.
    """

    def __init__(self, faults: Faults, seed: int, shift_ticks: int) -> None:
        self.events: list[dict[str, Any]] = []
        self.boats = [Skiff(name, *place) for name, place in BERTHS.items()]
        self.crates = [Crate(f"crate-{number}", x, y) for number, (x, y) in enumerate(CRATES, 1)]
        self.pointer = Pointer()
        self.flares = Flares(faults, self.emit)
        self.basin = Basin(faults, self.emit, seed)
        self.whirlpools = Whirlpools(faults, self.emit)
        self._script = shift_script(seed)
        self._shift_ticks = shift_ticks
        self._shift_start = 0
        self._next_input = 0
        self.events_of_start()

    @property
    def player(self) -> Skiff:
        """The player's skiff."""
        return self.boats[0]

    def emit(self, name: str, **details: Any) -> None:
        """Say that something happened."""
        self.events.append({"name": name, **details})

    def events_of_start(self) -> None:
        """Announce a shift."""
        self.emit("shift.start")

    def tick(self, tick: int, *, ends_frame: bool) -> None:
        """Play one tick: input, boats, flares, the basin, sensors. Input is looked at once a frame."""
        if ends_frame:
            if not self._shift_start and tick >= self._shift_ticks:
                self._restart(tick)
            self._take_input(tick)
        for boat in self.boats:
            boat.move(tick)
        self.whirlpools.tick(self.boats, tick)
        self.flares.tick(self.player, self.boats, self.crates, self._aim(), tick)
        self.basin.tick(tick)
        if ends_frame:
            self.flares.end_of_frame(tick)

    def _restart(self, tick: int) -> None:
        self._shift_start = tick
        self._next_input = 0
        for boat in self.boats:
            boat.go_home(tick)
        self.flares.clear()
        self.basin.clear(tick)
        self.whirlpools.clear()
        self.events_of_start()

    def _take_input(self, tick: int) -> None:
        while self._next_input < len(self._script):
            one = self._script[self._next_input]
            if self._shift_start + one.at * INPUT_TICKS > tick:
                return
            self._next_input += 1
            self._apply(one, tick)

    def _apply(self, one: Input, tick: int) -> None:
        if isinstance(one, Steer):
            boat = next(boat for boat in self.boats if boat.name == one.boat)
            boat.move(tick)
            boat.steer(one.keys, tick)
            self.emit("input.steer", by="player", on=one.boat, data={"keys": one.keys})
        elif isinstance(one, Point):
            self.pointer.x, self.pointer.y = (
                to_screen((self.player.x, self.player.y)) if one.screen is None else one.screen
            )
            self.emit("input.pointer", by="player", data={"screen": [self.pointer.x, self.pointer.y]})
        elif isinstance(one, Throw):
            self.emit("input.key", by="player", on=self.player.name, data={"key": "throw", "edge": one.edge})
            if one.edge == "down":
                self.player.move(tick)
                self.flares.press(self.player, self._aim(), tick)
            else:
                self.flares.release()

    def _aim(self) -> tuple[float, float]:
        return self.pointer.x, self.pointer.y
