"""The scripted player: what is pressed, pointed at and called for, and when.

The script is data, a list of inputs, so that another one can be written; `breadcrumb demo --script FILE` plays it.
"""

import json
import math
import random
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from breadcrumb.demo.time import SIXTHS

PLAYER, SECOND = "heron", "tern"
"""The ids of the two skiffs."""


@dataclass(frozen=True, slots=True)
class Input:
    """Something that is done to the game, so many sixths of a second after the start of each shift."""

    at: int
    what: str
    on: str = ""
    value: Any = None


SHIFT = 216
"""How many sixths of a second a shift lasts."""

WHAT = {
    "steer": "hold exactly these of the keys n, s, e, w for a boat",
    "point": "move the pointer to a place, as shares of the window, or (null) onto the player's skiff",
    "throw": "press (down) or release (up) the key that throws flares",
    "fire": "fire a rocket",
    "grip": "grip the raft or a lantern, so far (east, north) from its middle",
    "draw": "draw what is gripped to a place so far (east, north) from the middle of the raft",
    "let_go": "let go; a lantern flies off at a velocity (east, north)",
    "boom": "press the key that steps the boom n or s",
    "drag": "drag the trolley: begin at or move to a place along the rail, or (null) end",
    "magnet": "switch the magnet off",
    "ring": "ring the bell of the drawbridge to open or close it",
    "call": "call the gangway",
    "aboard": "go aboard (true) or ashore (false), of a crew member",
    "switch": "press (down) or release (up) a lamp's key",
    "tap": "tap a place, as shares of the window's width and height",
    "deliver": "deliver a box to a stack",
    "reset": "begin the shift anew, on the next frame",
    "moths": "a swarm comes to a lamp, or (null) goes",
}
"""Every input, in words."""

_STEERING = {
    PLAYER: (
        (6, "e"), (14, "w"), (20, "e"), (27, "w"), (32, "e"), (38, "w"), (46, "e"), (60, "n"), (68, "w"), (92, "s"),
        (100, "sw"), (112, ""), (126, "n"), (138, "ne"), (150, "w"), (166, ""), (172, "n"), (202, "ne"), (208, ""),
    ),
    SECOND: (
        (4, "s"), (24, "e"), (34, "n"), (50, "w"), (60, "s"), (72, "n"), (88, "s"), (104, "w"), (118, ""), (140, "n"),
        (156, "e"), (170, ""), (174, "s"), (204, "w"),
    ),
}  # fmt: skip
"""Each boat enters whirlpools sooner and later than its rest lasts, at both ends; both boats meet an edge."""

_OFF_THE_BAY = (0.4, 0.988)

_THROWS = (
    # press, release, and where the pointer is: a bearing from the middle of the screen, a place, or the skiff itself
    (8, 9, 40), (14, 15, 140), (24, 25, 230), (30, 38, 320), (42, 43, 75), (45, 46, 200), (54, 55, None),
    (60, 61, 300), (70, 79, 10), (88, 89, 120), (96, 97, 250), (108, 109, None), (117, 118, _OFF_THE_BAY),
    (122, 123, 160), (130, 131, 60), (133, 134, 285), (144, 153, 190), (160, 161, None),
)  # fmt: skip

_REACH = (0.12, 0.45)
"""How far from the middle the pointer is put, as a share of the window's height."""
_POINTER_MOVES_AFTER = 2

_SHOTS = (
    # at, where the raft is gripped, and where it is drawn to; a grip in the glide draws nothing
    (4, (0.3, 0.2), (-2.5, -1.0)), (20, (0.0, 0.4), None), (34, (0.4, -0.2), (5.0, 3.0)), (50, (1.8, 0.5), None),
    (64, (-0.6, 0.6), (-9.0, 4.0)), (92, (0.2, 0.1), (0.8, -0.6)), (108, (-0.9, -0.8), (4.0, -9.5)),
    (140, (0.0, 0.0), (0.0, 0.0)), (150, (0.1, 0.0), (3.0, 1.0)),
)  # fmt: skip

_DRAGS = (
    (2, (0.4, 4.0)), (24, (6.0, -1.0)), (44, (-1.6, -9.5)), (76, (-8.9, 3.0)), (104, (3.1, 20.0)), (150, (12.9, 8.0)),
)  # fmt: skip
"""When, and from where to where along the rail; the grip is off the middle."""
_DRAG_STEPS = 12

LANTERNS = {
    # when it is gripped, for how long, and how fast (east, north) it is thrown; once it is held as it would come back
    "lantern-quay": ((3, 4, (2.0, 1.0)), (66, 4, (-1.5, 2.0)), (84, 24, (1.0, -2.0)), (160, 4, (0.5, 2.5))),
    "lantern-shed": ((9, 4, (-2.0, 1.5)), (72, 4, (2.5, 0.5)), (96, 16, (-1.0, -1.0)), (160, 4, (1.0, 1.0))),
    "pocket-lamp": ((12, 4, (1.0, 0.0)), (50, 4, (0.0, 1.5)), (130, 4, (-1.0, 1.0))),
}

_BOOM = ((10, 16, 22, 28, 150, 160), (60, 66, 72, 78, 84, 90, 96, 102))
"""When it is stepped north, and when south."""
_BELLS = {"open": (3, 66, 102, 146), "close": (36, 77, 134, 178)}
_CREW = ((40, "crew-2", False), (100, "crew-2", True), (100, "crew-4", False), (160, "crew-4", True))
_LAMPS = {"lamp-quay": (12, 60, 90), "lamp-head": (30, 48, 120), "lamp-barge": (20, 80, 132)}
_KEY_IS_DOWN_FOR = 3
_TAPS = (
    (5, (0.3, 0.75)), (18, (0.52, 0.52)), (20, (0.6, 0.8)), (36, (0.5, 0.08)), (40, (0.47, 0.55)), (58, (0.8, 0.7)),
    (90, (0.55, 0.5)), (112, (0.2, 0.1)), (130, (0.4, 0.9)), (132, (0.7, 0.9)),
)  # fmt: skip
_DELIVERIES = {"stack-quay": range(6, 200, 11), "stack-shed": range(10, 200, 14)}
_MOTHS = (
    (12, "swarm-1", "lamp-quay"), (30, "swarm-2", "lamp-head"), (40, "swarm-2", None), (80, "swarm-1", None),
    (90, "swarm-1", "lamp-barge"), (106, "swarm-1", None), (120, "swarm-2", "lamp-quay"), (128, "swarm-2", None),
)  # fmt: skip


def _single() -> list[Input]:
    """Return the inputs that stand by themselves."""
    inputs = [Input(at, "fire") for at in (12, 26, 52, 64, 104, 116, 120, 142, 176)]
    inputs += [Input(at, "boom", "boom", way) for way, times in zip("ns", _BOOM, strict=True) for at in times]
    inputs += [Input(at, "magnet", "magnet") for at in (22, 74, 148)]
    inputs += [Input(at, "ring", "bell", way) for way, times in _BELLS.items() for at in times]
    inputs += [Input(at, "call", "gangway") for at in (8, 60, 130)]
    inputs += [Input(at, "aboard", who, back) for at, who, back in _CREW]
    for lamp, presses in _LAMPS.items():
        for at in presses:
            inputs += [Input(at, "switch", lamp, "down"), Input(at + _KEY_IS_DOWN_FOR, "switch", lamp, "up")]
    inputs += [Input(at, "tap", value=place) for at, place in _TAPS]
    inputs += [Input(at, "deliver", stack) for stack, times in _DELIVERIES.items() for at in times]
    inputs += [Input(at, "moths", swarm, lamp) for at, swarm, lamp in _MOTHS]
    return inputs


_ORDER = ("point", "aboard", "steer")
"""What comes first of several inputs at one instant; all others keep their order."""


def shift_script(seed: int) -> list[Input]:
    """Return the inputs of one shift; the seed draws where exactly the pointer goes."""
    inputs = [Input(at, "steer", boat, keys) for boat, steps in _STEERING.items() for at, keys in steps]
    inputs += [*_single(), *_throws(random.Random(f"pointer {seed}")), *_shots(), *_drags()]
    for lantern, throws in LANTERNS.items():
        for at, held, velocity in throws:
            inputs += [Input(at, "grip", lantern, (0.0, 0.0)), Input(at + held, "let_go", lantern, velocity)]
    return in_order(inputs)


def in_order(inputs: Iterable[Input]) -> list[Input]:
    """Return inputs as they come; those at one instant in the order of what they are."""
    rank = {what: place for place, what in enumerate(_ORDER)}
    return sorted(inputs, key=lambda one: (one.at, rank.get(one.what, len(_ORDER))))


def _throws(draw: random.Random) -> list[Input]:
    """Return the presses of the key that throws flares, and where the pointer then is."""
    inputs = []
    for press, release, where in _THROWS:
        place = where if where is None or isinstance(where, tuple) else _near_bearing(where, draw)
        later = _near_bearing(draw.uniform(0, 360), draw)  # a flare in the air must not care
        inputs += [Input(press, "point", value=place), Input(press, "throw", PLAYER, "down")]
        inputs += [Input(press + _POINTER_MOVES_AFTER, "point", value=later), Input(release, "throw", PLAYER, "up")]
    return inputs


def _shots() -> list[Input]:
    """Return how the raft is gripped, drawn and let go."""
    inputs = []
    for at, grip, drawn in _SHOTS:
        inputs.append(Input(at, "grip", "raft", grip))
        if drawn is not None:
            half = drawn[0] / 2, drawn[1] / 2
            inputs += [Input(at + 3, "draw", "raft", half), Input(at + 6, "draw", "raft", drawn)]
        inputs.append(Input(at + 8, "let_go", "raft"))
    return inputs


def _drags() -> list[Input]:
    """Return how the trolley is dragged, a step each sixth of a second."""
    inputs = []
    for at, (begin, end) in _DRAGS:
        inputs.append(Input(at, "drag", "trolley", ("begin", begin)))
        stride = (end - begin) / _DRAG_STEPS
        inputs += [Input(at + n, "drag", "trolley", ("move", begin + stride * n)) for n in range(1, _DRAG_STEPS + 1)]
        inputs.append(Input(at + _DRAG_STEPS + 2, "drag", "trolley"))
    return inputs


class WrongScript(ValueError):
    """A file that lists no inputs."""


def read_script(path: Path) -> list[Input]:
    """Return the inputs that a JSON file lists: objects with `at` in seconds, `what`, and if need be `on` and `value`.

    Raises:
        WrongScript: it holds something else; the message says which entry.
    """
    try:
        entries = json.loads(path.read_text("utf-8"))
    except ValueError as error:
        raise WrongScript(f"{path}: expected JSON, and {error}") from None
    if not isinstance(entries, list):
        raise WrongScript(f"{path}: expected a list of inputs, found {type(entries).__name__}")
    inputs = []
    for number, entry in enumerate(entries, 1):
        at, what = (entry.get("at"), entry.get("what")) if isinstance(entry, dict) else (None, None)
        if not isinstance(at, int | float) or what not in WHAT:
            raise WrongScript(
                f"{path}, input {number}: expected 'at' in seconds and 'what' of {', '.join(WHAT)}; found {entry}"
            )
        inputs.append(Input(round(at * SIXTHS), what, str(entry.get("on", "")), entry.get("value")))
    return sorted(inputs, key=lambda one: one.at)


def write_script(inputs: Iterable[Input], path: Path) -> None:
    """Write inputs as a file that `read_script` reads."""
    entries = [{**asdict(one), "at": round(one.at / SIXTHS, 6)} for one in inputs]
    path.write_text("[\n" + ",\n".join(json.dumps(entry) for entry in entries) + "\n]\n", "utf-8")


def _near_bearing(bearing: float, draw: random.Random) -> tuple[float, float]:
    way = math.radians(bearing + draw.uniform(-12, 12))
    reach = draw.uniform(*_REACH)
    return round(0.5 + reach * math.cos(way), 3), round(0.5 - reach * math.sin(way), 3)
