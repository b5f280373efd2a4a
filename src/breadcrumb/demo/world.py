"""What every script of the bay knows of the rest: the boats, the faults, and whom to tell."""

from typing import Any

from breadcrumb.demo.boats import BERTHS, Skiff
from breadcrumb.demo.faults import Faults
from breadcrumb.demo.script import PLAYER
from breadcrumb.demo.time import RATES

_MEAN_JITTER = 13


class World:
    """The boats, and what is the same for all scripts.

    Args:
        faults: what is broken.
        seed: draws the barrels and the berths.
        rate: how many frames there are in a second.
        roll_is_empty: whether the hatch has no tickets.
        tide: how strongly the eddy pulls.
    """

    def __init__(self, faults: Faults, seed: int, rate: str, *, roll_is_empty: bool, tide: str) -> None:
        self.faults, self.seed, self.roll_is_empty, self.tide = faults, seed, roll_is_empty, tide
        self.ticks_a_frame = RATES.get(rate, _MEAN_JITTER)
        self.boats = [Skiff(name, *place, faults) for name, place in BERTHS.items()]
        self.is_second_shift = False
        self.events: list[dict[str, Any]] = []

    @property
    def player(self) -> Skiff:
        """The player's skiff."""
        return self.boat(PLAYER)

    def boat(self, name: str) -> Skiff:
        """Return a skiff by its name."""
        return self.boats[0] if self.boats[0].name == name else self.boats[1]

    def emit(self, name: str, **details: Any) -> None:
        """Say that something happened."""
        self.events.append({"name": name, **details})
