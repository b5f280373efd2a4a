"""Time in Lantern Bay: whole ticks, of which a frame shows the last."""

import random
from collections.abc import Iterator
from fractions import Fraction

TICKS_A_SECOND = 720
SIXTHS = 6
INPUT_TICKS = TICKS_A_SECOND // SIXTHS
"""Scripted inputs fall on multiples of a sixth of a second, a frame of every steady rate."""

RATES = {"30": 24, "60": 12, "144": 5}
"""How many ticks a frame has at each steady frame rate."""

JITTER = "jitter"
"""No steady frame rate: every frame draws its length."""

SECONDS = 72
"""How long a session lasts unless said otherwise."""

_JITTER_TICKS = (8, 18)


def ticks(seconds: float) -> int:
    """Return a duration in ticks.

    Example:
        >>> ticks(1.4)
        1008
    """
    exact = Fraction(str(seconds)) * TICKS_A_SECOND
    if exact.denominator != 1:
        raise ValueError(f"{seconds} s is no whole number of ticks")
    return int(exact)


def in_seconds(tick: float) -> float:
    """Return a number of ticks in seconds."""
    return tick / TICKS_A_SECOND


def frame_ends(rate: str, last: int, seed: int) -> Iterator[int]:
    """Yield the tick at which each frame ends, from 0 up to the last one.

    Example:
        >>> list(frame_ends("60", 36, seed=7))
        [0, 12, 24, 36]
    """
    lengths = random.Random(f"frames {seed}")
    tick = 0
    while tick <= last:
        yield tick
        tick += lengths.randint(*_JITTER_TICKS) if rate == JITTER else RATES[rate]
