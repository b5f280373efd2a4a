"""Play that varies: the plain script as another tester would play it, drawn from a seed."""

import random
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from typing import Any

from breadcrumb.demo.script import LANTERNS, PLAYER, SHIFT, Input, in_order, shift_script

PLAIN = 7
"""The seed of the plain script."""
_MOVED = 9
"""By how many sixths of a second, at most, all inputs of a device come sooner or later."""
_STRENGTH = (0.9, 1.1)
"""By what a throw, or how far something is drawn, is multiplied."""
_AIM = 0.02
"""How far beside the plain script a tap is, as a share of the window."""
_HELD = {"grip": "hands", "draw": "hands", "let_go": "hands", "point": "throw"}
"""Which inputs are of one device with others: what is done by hand to one thing, and the pointer with the throws."""

_BROUGHT_BY = {("throw", ""): ("steer", PLAYER)}
"""Which device works from where another has brought it: one flare is to leave the bay, from near its border."""
_APART = 4
"""By how many sixths of a second, at most, such a device comes sooner or later than the other one does."""

Made = Callable[[int, random.Random], tuple[Input, ...]]


def script_of(seed: int) -> list[Input]:
    """Return the inputs of one shift: the plain script, or as the tester of another seed plays it.

    Example:
        >>> script_of(1) == script_of(1), script_of(1) == script_of(2)
        (True, False)
    """
    plain = shift_script(seed)
    if seed == PLAIN:
        return plain
    played = _moved(plain, random.Random(f"tester {seed}"))
    return in_order([*played, *_unplanned(played, random.Random(f"unplanned {seed}"))])


def _device(one: Input) -> tuple[str, str]:
    device = _HELD.get(one.what, one.what)
    return device, "" if device == "throw" else one.on


def _moved(inputs: Iterable[Input], draw: random.Random) -> list[Input]:
    """Move all inputs of a device by the same time; throws are stronger or weaker, and taps lie elsewhere."""
    devices: dict[tuple[str, str], list[Input]] = {}
    for one in inputs:
        devices.setdefault(_device(one), []).append(one)
    moved = []
    shifts: dict[tuple[str, str], int] = {}
    for device, several in sorted(devices.items(), key=lambda item: item[0] in _BROUGHT_BY):
        about = shifts.get(_BROUGHT_BY.get(device, device), 0)
        most = _APART if device in _BROUGHT_BY else _MOVED
        sooner = min(max(about - most, -several[0].at), SHIFT - 1 - several[-1].at)
        later = shifts[device] = draw.randint(sooner, max(min(about + most, SHIFT - 1 - several[-1].at), sooner))
        strength = draw.uniform(*_STRENGTH)
        moved += [replace(one, at=one.at + later, value=_value(one, strength, draw)) for one in several]
    return moved


def _value(one: Input, strength: float, draw: random.Random) -> Any:
    if one.what in ("let_go", "draw") and one.value is not None:
        return tuple(round(part * strength, 3) for part in one.value)
    if one.what == "tap":
        return tuple(round(min(max(part + draw.uniform(-_AIM, _AIM), 0.0), 1.0), 3) for part in one.value)
    return one.value


def _unplanned(played: Iterable[Input], draw: random.Random) -> Iterator[Input]:
    """Yield what else a tester tries: at any time, on the first frame, at the very end, and several times over.

    A key that is down is not pressed again, and what is held is not gripped again.
    """
    busy = _Busy(played)
    for make in _TRIED:
        for _ in range(draw.choice((0, 0, 1, 2, 4))):
            at = draw.choice((0, SHIFT - 1, *(draw.randrange(SHIFT) for _ in range(6))))
            for again in range(draw.choice(_HAMMERED)):
                tried = make(min(at + again, SHIFT - 1), draw)
                if busy.takes(tried):
                    yield from tried


_LEFT_ALONE = 36
"""For how many sixths of a second a lantern is left alone after its first throw, so that it comes back once."""


class _Busy:
    """From when to when each key is down, and each thing held."""

    def __init__(self, played: Iterable[Input]) -> None:
        self._taken: dict[tuple[str, str], list[tuple[int, int]]] = {}
        begun: dict[tuple[str, str], int] = {}
        for one in sorted(played, key=lambda one: one.at):
            if one.value == "down" or one.what == "grip":
                begun[_device(one)] = one.at
            elif one.value == "up" or one.what == "let_go":
                mine = self._taken.setdefault(_device(one), [])
                alone = _LEFT_ALONE if one.on in LANTERNS and not mine else 0
                mine.append((begun[_device(one)], one.at + alone))

    def takes(self, tried: tuple[Input, ...]) -> bool:
        """Take what is tried, unless what it needs is in use; a press and its release are one frame apart at least."""
        first, last = tried[0], tried[-1]
        if len(tried) == 1:
            return True
        taken = self._taken.setdefault(_device(first), [])
        if last.at <= first.at or any(first.at <= end and last.at >= begin for begin, end in taken):
            return False
        taken.append((first.at, last.at))
        return True


_HAMMERED = (1, 1, 1, 1, 5)
"""How many times in a row something is tried, a sixth of a second apart."""


def _press(what: str, on: str) -> Made:
    """Return what presses a key and releases it a while later."""

    def make(at: int, draw: random.Random) -> tuple[Input, ...]:
        return Input(at, what, on, "down"), Input(min(at + draw.randint(1, 6), SHIFT - 1), what, on, "up")

    return make


def _one_of(what: str, on: tuple[str, ...], values: tuple[Any, ...]) -> Made:
    """Return what does one thing, with one of some values."""

    def make(at: int, draw: random.Random) -> tuple[Input, ...]:
        return (Input(at, what, draw.choice(on), draw.choice(values)),)

    return make


def _tap(at: int, draw: random.Random) -> tuple[Input, ...]:
    return (Input(at, "tap", value=(round(draw.random(), 3), round(draw.random(), 3))),)


def _throw_of(lantern: str) -> Made:
    """Return what grips a lantern and throws it."""

    def make(at: int, draw: random.Random) -> tuple[Input, ...]:
        velocity = round(draw.uniform(-3, 3), 3), round(draw.uniform(-3, 3), 3)
        let_go = Input(min(at + draw.randint(1, 12), SHIFT - 1), "let_go", lantern, velocity)
        return Input(at, "grip", lantern, (0.0, 0.0)), let_go

    return make


_TRIED = (
    _press("throw", PLAYER), _press("switch", "lamp-quay"), _press("switch", "lamp-head"), _tap,
    _throw_of("lantern-quay"), _throw_of("lantern-shed"), _throw_of("pocket-lamp"),
    _one_of("fire", ("",), (None,)), _one_of("boom", ("boom",), ("n", "s")), _one_of("magnet", ("magnet",), (None,)),
    _one_of("ring", ("bell",), ("open", "close")), _one_of("call", ("gangway",), (None,)),
    _one_of("aboard", ("crew-1", "crew-3", "crew-5"), (True, False)),
    _one_of("deliver", ("stack-quay", "stack-shed"), (None,)),
)  # fmt: skip
"""What is tried."""
