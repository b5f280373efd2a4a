"""The faults of Lantern Bay. Each is a switch that the game's code asks about at the line that it changes."""

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fault:
    """One way in which the game can be broken."""

    name: str
    behaviour: str
    line: str
    """What a player would see."""


class UnknownFault(ValueError):
    """A fault that the demo does not have."""


_LISTED = {
    "flares": {
        "flare-two": "every throw makes two flares",
        "flare-homing": "a flare keeps turning toward the pointer",
        "flare-from-origin": "a flare starts at the world's origin",
        "flare-mirrored": "the screen's y is not turned over, so north is south",
        "flare-carried": "the skiff's own speed is added to the flare's",
        "flare-stuck": "thrown with the pointer on the skiff, it hangs there",
        "flare-long": "a flare bursts one frame late",
        "flare-stays": "a flare that left the bay is not removed",
        "flare-rapid": "no pause between flares while the key is down",
        "flare-dead-time": "a new press has to wait as a repeat does",
        "flare-meets-thrower": "a flare bursts on the boat that threw it",
        "flare-slides": "a flare moves on while it bursts",
        "flare-skips-picture": "the third picture of the burst is never shown",
    },
    "basin": {
        "barrel-skips-wall": "a fast barrel passes through the wall",
        "barrel-sticks": "a barrel turns round on every tick on which it overlaps the wall",
        "barrel-tired": "a barrel loses 8 % of its speed at each bounce",
        "barrel-wrong-part": "the other part of the velocity flips at the slanting wall",
        "barrel-early": "a barrel turns 0.3 m before the wall",
        "barrel-by-centre": "a barrel's radius is left out, so it sinks into the wall by half",
        "barrel-sunk-twice": "a barrel that passes the gate sinks twice",
        "gate-ignored": "barrels pass the gate while it is shut",
    },
    "whirlpools": {
        "whirlpool-to-and-fro": "a boat that arrives is taken back at once",
        "whirlpool-one-side": "the rest after an arrival works at one end only",
        "whirlpool-on-top": "a boat arrives on the other whirlpool, not north of it",
        "whirlpool-wrong-exit": "a boat arrives 1.4 m too far east",
        "whirlpool-short-rest": "a boat can be taken again after 0.7 s",
        "whirlpool-takes-all": "every boat is moved, not only the one that entered",
        "whirlpool-shared-rest": "one boat's rest keeps the other from being taken",
        "whirlpool-latched": "a boat's rest never ends",
    },
}

FAULTS: dict[str, Fault] = {
    name: Fault(name, behaviour, line) for behaviour, lines in _LISTED.items() for name, line in lines.items()
}


class Faults:
    """The faults that are switched on.

    Example:
        >>> "flare-two" in Faults(["flare-two"]), "flare-long" in Faults(["flare-two"])
        (True, False)
    """

    def __init__(self, names: Iterable[str] = ()) -> None:
        wanted = tuple(names)
        for name in wanted:
            if name not in FAULTS:
                raise UnknownFault(f"no fault {name!r}; breadcrumb demo --list-faults names them all")
        self._on = {name: name in wanted for name in FAULTS}

    def __contains__(self, name: str) -> bool:
        return self._on[name]  # asking about a switch that does not exist is a mistake in the game
