"""How long each easing takes and waits, and along which curve it goes: the same for all moments, or each its own."""

from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple, Self, TypeAlias

import numpy as np

from breadcrumb.algebra.durations import Duration, duration
from breadcrumb.algebra.easing import Curve, curve_of
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.sorts import Number, Text
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats, Ints

_Unit: TypeAlias = Literal["frames", "s"]
_UNITS: dict[str, _Unit] = {"s": "s", "frames": "frames", "frame": "frames"}
CurveGiven: TypeAlias = str | Curve | Sequence[tuple[float, float]] | Text


class Timing(NamedTuple):
    """How long each moment's movement takes, and how long it waits before; in one unit."""

    over: Floats
    delay: Floats
    unit: _Unit

    @property
    def whole(self) -> Floats:
        """How long it takes with the wait."""
        return self.over + self.delay

    @classmethod
    def of(cls, over: Duration | Number, delay: Duration | Number | None, at: Moments) -> Self:
        """Return the times of each moment.

        Raises:
            Misuse: they are in no unit of time, or in two, or a moment lacks one.
        """
        lengths, unit = _each(over, at, "over")
        waits, of_waits = (np.zeros(at.count), unit) if delay is None else _each(delay, at, "delay")
        if unit != of_waits:
            raise Misuse(f"delay: expected one in the unit of over=, {unit}; found one in {of_waits}")
        return cls(lengths, waits, unit)


def _each(given: Duration | Number, at: Moments, what: str) -> tuple[Floats, _Unit]:
    if not isinstance(given, Number):
        whole = duration(given, what)
        return np.full(at.count, float(whole.value)), whole.unit
    picked = given.when(at)
    unit = _UNITS.get(picked.unit)
    if not unit and not picked.track.unseen:
        raise Misuse(f"{what}: expected a number in s or frames for each of {at.label}, found {given.title}")
    if len(picked) != at.count or not picked.usable.all():
        raise Misuse(f"{what}: expected a number for each of {at.label}, and {given.title} lacks some")
    if (picked.parts[0] < 0).any():
        raise Misuse(f"{what}: expected numbers from 0 up, and {given.title} has {picked.parts[0].min():g}")
    return np.asarray(picked.parts[0], np.float64), unit or "s"


def curves_at(curve: CurveGiven, at: Moments) -> Callable[[Floats, Ints], Floats]:
    """Return what gives the share of the way for a share of the time, of moments by their indices.

    Raises:
        Misuse: there is no such curve, or a moment names none.
    """
    if not isinstance(curve, Text):
        one = curve_of(curve)
        return lambda share, moment: one(share)
    picked = curve.when(at)
    if len(picked) != at.count or not picked.usable.all():
        raise Misuse(f"curve: expected the name of one for each of {at.label}, and {curve.title} lacks some")
    texts: tuple[str, ...] = picked.texts or ()
    codes = picked.parts[0].astype(np.int64)
    several = {code: curve_of(texts[code]) for code in np.unique(codes).tolist()}

    def shares(share: Floats, moment: Ints) -> Floats:
        result, which = share.copy(), codes[moment] if len(codes) else moment
        for code, shape in several.items():
            mine = which == code
            result[mine] = shape(share[mine])
        return result

    return shares
