"""The scripted player: what is pressed and pointed at, and when.

The script is data: a list of inputs, each at a number of sixths of a second after the start of its shift.
"""

import math
import random
from dataclasses import dataclass
from typing import Literal

SCREEN = (1280, 800)
"""The window in pixels; y points down."""

VIEW_HEIGHT = 50.0
"""How many metres of the bay the window shows from top to bottom."""

PLAYER, SECOND = "heron", "tern"
"""The ids of the two skiffs."""


@dataclass(frozen=True, slots=True)
class Steer:
    """Hold exactly these of the keys n, s, e, w for a boat from now on."""

    at: int
    boat: str
    keys: str


@dataclass(frozen=True, slots=True)
class Throw:
    """Press or release the throw key."""

    at: int
    edge: Literal["down", "up"]


@dataclass(frozen=True, slots=True)
class Point:
    """Move the pointer to a place on the screen, or onto the player's skiff."""

    at: int
    screen: tuple[float, float] | None


Input = Steer | Throw | Point

_STEERING = {
    PLAYER: (
        (6, "e"), (14, "w"), (20, "e"), (27, "w"), (32, "e"), (38, "w"), (46, "e"), (60, "n"), (68, "w"), (92, "s"),
        (100, "sw"), (112, ""), (126, "n"), (138, "ne"), (150, "w"), (166, ""),
    ),
    SECOND: (
        (4, "s"), (24, "e"), (34, "n"), (50, "w"), (60, "s"), (72, "n"), (88, "s"), (104, "w"), (118, ""), (140, "n"),
        (156, "e"), (170, ""),
    ),
}  # fmt: skip
"""Each boat enters a whirlpool, and comes back to it sooner and later than its rest lasts, at both ends."""

_OFF_THE_BAY = (340.0, 790.0)

_THROWS = (
    # press, release, and where the pointer is: a bearing from the middle of the screen, a place, or the skiff itself
    (8, 9, 40), (14, 15, 140), (24, 25, 230), (30, 38, 320), (42, 43, 75), (45, 46, 200), (54, 55, None),
    (60, 61, 300), (70, 79, 10), (88, 89, 120), (96, 97, 250), (108, 109, None), (117, 118, _OFF_THE_BAY),
    (122, 123, 160), (130, 131, 60), (133, 134, 285), (144, 153, 190), (160, 161, None),
)  # fmt: skip

_MIDDLE = (SCREEN[0] / 2, SCREEN[1] / 2)
_REACH = (90.0, 360.0)
"""How far from the middle the pointer is put, in pixels."""

_POINTER_MOVES_AFTER = 2


def shift_script(seed: int) -> list[Input]:
    """Return the inputs of one shift; the seed draws where exactly the pointer goes."""
    draw = random.Random(f"pointer {seed}")
    inputs: list[Input] = [Steer(at, boat, keys) for boat, steps in _STEERING.items() for at, keys in steps]
    for press, release, where in _THROWS:
        place = where if where is None or isinstance(where, tuple) else _near_bearing(where, draw)
        inputs += [Point(press, place), Throw(press, "down"), Throw(release, "up")]
        inputs.append(
            Point(press + _POINTER_MOVES_AFTER, _near_bearing(draw.uniform(0, 360), draw))
        )  # a flare in the air must not care
    order = {Point: 0, Steer: 1, Throw: 2}
    return sorted(inputs, key=lambda one: (one.at, order[type(one)]))


def to_water(screen: tuple[float, float]) -> tuple[float, float]:
    """Return the point of the water that a place on the screen shows, as the camera looks straight down."""
    scale = VIEW_HEIGHT / SCREEN[1]
    return (screen[0] - _MIDDLE[0]) * scale, (_MIDDLE[1] - screen[1]) * scale


def to_screen(water: tuple[float, float]) -> tuple[float, float]:
    """Return the place on the screen that shows a point of the water."""
    scale = VIEW_HEIGHT / SCREEN[1]
    return water[0] / scale + _MIDDLE[0], _MIDDLE[1] - water[1] / scale


def _near_bearing(bearing: float, draw: random.Random) -> tuple[float, float]:
    way = math.radians(bearing + draw.uniform(-12, 12))
    reach = draw.uniform(*_REACH)
    wide = SCREEN[0] / SCREEN[1]
    return round(_MIDDLE[0] + wide * reach * math.cos(way)), round(_MIDDLE[1] - reach * math.sin(way))
