"""Easing curves, from the share of the time to the share of the way."""

from collections.abc import Callable, Sequence
from typing import Any, TypeAlias

import numpy as np

from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.session import Floats

Curve: TypeAlias = Callable[[Floats], Any]
"""A function of the share of the time, 0 to 1, that gives the share of the way."""

_OVERSHOOT = 1.70158
"""How far `back` swings beyond; this one makes it a tenth of the way, as is customary."""
_SWING = 0.3
"""The period of `elastic`, as a share of the time."""


def _back(u: Floats) -> Floats:
    return np.asarray((_OVERSHOOT + 1) * u**3 - _OVERSHOOT * u**2)


def _elastic(u: Floats) -> Floats:
    swing = -(2.0 ** (10 * u - 10)) * np.sin((u - 1 - _SWING / 4) * 2 * np.pi / _SWING)
    return np.where(u <= 0, 0.0, np.where(u >= 1, 1.0, swing))


def _bounce_out(u: Floats) -> Floats:
    """Return four hops of falling height, each a parabola on an eleventh of the time's scale."""
    hops = ((1.0, 0.0, 0.0), (2.0, 1.5, 0.75), (2.5, 2.25, 0.9375), (np.inf, 2.625, 0.984375))
    result = np.zeros(len(u))
    done = np.zeros(len(u), np.bool_)
    for end, middle, low in hops:
        now = ~done & (u < end / 2.75)
        result = np.where(now, 7.5625 * (u - middle / 2.75) ** 2 + low, result)
        done |= now
    return result


def _expo(u: Floats) -> Floats:
    return np.where(u <= 0, 0.0, 2.0 ** (10 * u - 10))


_IN: dict[str, Curve] = {
    "quadratic": lambda u: u**2,
    "cubic": lambda u: u**3,
    "quartic": lambda u: u**4,
    "quintic": lambda u: u**5,
    "sine": lambda u: 1 - np.cos(u * np.pi / 2),
    "exponential": _expo,
    "circular": lambda u: 1 - np.sqrt(np.maximum(1 - u**2, 0.0)),
    "back": _back,
    "elastic": _elastic,
    "bounce": lambda u: 1 - _bounce_out(1 - u),
}


def _out(curve: Curve) -> Curve:
    return lambda u: 1 - curve(1 - u)


def _in_out(curve: Curve) -> Curve:
    return lambda u: np.where(u < 0.5, curve(np.minimum(2 * u, 1.0)) / 2, 1 - curve(np.minimum(2 - 2 * u, 1.0)) / 2)


CURVES: dict[str, Curve] = {
    "linear": lambda u: u,
    "smoothstep": lambda u: u * u * (3 - 2 * u),
    **{f"{name} in": curve for name, curve in _IN.items()},
    **{f"{name} out": _out(curve) for name, curve in _IN.items()},
    **{f"{name} in-out": _in_out(curve) for name, curve in _IN.items()},
}
"""The standard curves by name: each family comes `in`, `out` and `in-out`."""


def curve_of(curve: str | Curve | Sequence[tuple[float, float]]) -> Curve:
    """Return a curve by its name, a function as it is, or straight lines through key points.

    Raises:
        UnknownName: there is no curve of this name.
        Misuse: the key points do not rise from 0 to 1 of the time.

    Example:
        >>> curve_of("cubic in-out")(np.array([0.0, 0.25, 0.5, 1.0])).tolist()
        [0.0, 0.0625, 0.5, 1.0]
    """
    if isinstance(curve, str):
        if curve not in CURVES:
            raise UnknownName("curve", curve, CURVES, "the standard curves")
        return CURVES[curve]
    if callable(curve):
        return curve
    times, shares = [time for time, _ in curve], [share for _, share in curve]
    if len(times) < 2 or times[0] != 0 or times[-1] != 1 or any(np.diff(times) <= 0):
        raise Misuse(f"curve: expected key points whose times rise from 0 to 1, found {list(curve)}")
    return lambda u: np.interp(u, times, shares)
