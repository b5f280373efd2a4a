"""Motion in closed form: coasting to a stop, easing, key points, and angles."""

from collections.abc import Sequence
from itertools import pairwise


def coasted(speed: float, slowing: float, t: float) -> tuple[float, float]:
    """Return what becomes of a motion that slows evenly to a stop, after a time.

    Returns:
        How long it would take at its first speed to come as far, and which share of that speed is left.

    Example:
        >>> coasted(2.0, 1.0, 1.0), coasted(2.0, 1.0, 9.0)
        ((0.75, 0.5), (1.0, 0.0))
    """
    t = min(t, speed / slowing)
    return t - slowing * t * t / (2 * speed), max(1 - slowing * t / speed, 0.0)


def eased(u: float) -> float:
    """Return how far a cubic easing in and out is, from 0 to 1.

    Example:
        >>> eased(0.25), eased(0.5), eased(1.0)
        (0.0625, 0.5, 1.0)
    """
    u = min(max(u, 0.0), 1.0)
    return 4 * u**3 if u < 0.5 else 1 - 4 * (1 - u) ** 3


def along_keys(keys: Sequence[tuple[float, float]], t: float) -> float:
    """Return the value at a time between key points (time, value), straight in between, and the last one behind them.

    Example:
        >>> along_keys([(0.0, 0.0), (2.0, 1.0)], 0.5), along_keys([(0.0, 0.0), (2.0, 1.0)], 3.0)
        (0.25, 1.0)
    """
    for (t0, value0), (t1, value1) in pairwise(keys):
        if t < t1:
            return value0 + (value1 - value0) * (t - t0) / (t1 - t0)
    return keys[-1][1]


def wrapped(angle: float) -> float:
    """Return an angle from above -180 up to 180 deg.

    Example:
        >>> wrapped(190.0), wrapped(-180.0)
        (-170.0, 180.0)
    """
    return 180.0 - (180.0 - angle) % 360.0
