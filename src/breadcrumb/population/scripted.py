"""Properties that change in the same way whatever is played, such as a clock: compared second by second."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME
from breadcrumb.algebra.rounding import usual_size
from breadcrumb.model.session import Bools, Floats
from breadcrumb.population.events import Objects
from breadcrumb.population.measures import Found, Occasions, Quantity
from breadcrumb.population.outside import Outside
from breadcrumb.population.properties import lasting
from breadcrumb.population.rules import AGREEING

_FEWEST, _TWICE = 10, 2
"""On how many seconds the references agree; on how many a candidate does not."""
_ROUNDING = 1e-6
"""The share of its size that a number may be off by rounding."""
_SURPRISE, _MOST = 8.0, 60.0
"""How surprising one second is, and all of them at most."""

Moment: TypeAlias = tuple[str, int]
"""An object, and how many frames of its episode have gone by."""


def scripted_measures(objects: Objects, kind: str) -> Found:
    """Yield the values of the objects of a kind that exist all the time, on each second of an episode."""
    stretches, signals = objects.signals(kind)
    is_timed = _on_seconds(objects)[stretches.clock_index]
    rows = np.flatnonzero(is_timed & np.isin(stretches.who, lasting(stretches)))
    for one in signals if len(rows) else ():
        if one.is_recorded:
            aspect = f"{one.part} each second".strip()
            quantity = Quantity("property", f"{kind}.{one.prop}", aspect, unit=one.unit, sort="scripted")
            yield (
                quantity,
                Occasions(one.values[rows], stretches.clock_index[rows], stretches.who[rows], one.texts),
            )


def _on_seconds(objects: Objects) -> Bools:
    """Return which frames are the first ones on or after a second of their episode."""
    times, begins = objects.session.clock.times, objects.begins
    since = times - times[begins[np.searchsorted(begins, np.arange(len(times)), side="right") - 1]]
    whole = np.floor(since + SAME_TIME)
    first = np.append(True, whole[1:] != whole[:-1])
    first[begins] = True
    return first


@dataclass(frozen=True, eq=False)
class Scripted:
    """What a property is on each second, in all references."""

    quantity: Quantity
    known: dict[Moment, float | str]
    """Nothing if they do not agree on all of it; nor of an object that never changes, as it can be drawn what it is."""
    size: float
    fewest: int = 0
    usual: float = 0.0

    @classmethod
    def of(cls, quantity: Quantity, each: Sequence[Occasions], names: Sequence[Sequence[str]]) -> "Scripted":
        """Return it, given the occasions and the names of the objects of every reference."""
        size = max((_size(one) for one in each), default=0.0)
        known: dict[Moment, float | str] = {}
        seen = Counter[Moment]()
        for one, of_one in zip(each, names, strict=True):
            for moment, value in zip(_moments(one, of_one), _values(one), strict=True):
                if not _is_alike(value, known.setdefault(moment, value), size):
                    return cls(quantity, {}, size)  # soon, as most properties are played
                seen[moment] += 1
        shared = {moment: value for moment, value in known.items() if seen[moment] >= len(each)}
        if len(shared) < _FEWEST or len(each) < AGREEING:
            return cls(quantity, {}, size)
        changing = {who for who, _ in shared if len({value for (one, _), value in shared.items() if one == who}) > 1}
        return cls(quantity, {moment: value for moment, value in shared.items() if moment[0] in changing}, size)

    def judge(self, mine: Occasions, names: Sequence[str]) -> Iterator[Outside]:
        """Yield that the candidate is not as the references are at that time."""
        moments, values = _moments(mine, names), _values(mine)
        rows = [
            row
            for row in np.argsort(mine.clock_index, kind="stable").tolist()
            if moments[row] in self.known and not _is_alike(values[row], self.known[moments[row]], self.size)
        ]
        many = mine.many_of(rows) if rows else 0
        if many >= _TWICE:
            told, found = (_words(one, self.quantity.unit) for one in (self.known[moments[rows[0]]], values[rows[0]]))
            surprise = min(_SURPRISE * many, _MOST)
            words = "not as in all references at that time"
            yield Outside(self.quantity, words, told, found, tuple(rows), surprise, "scripted")


def _moments(one: Occasions, names: Sequence[str]) -> list[Moment]:
    return [(names[who], moment) for who, moment in zip(one.who.tolist(), one.moment.tolist(), strict=True)]


def _values(one: Occasions) -> list[float | str]:
    texts = one.texts
    return one.values.tolist() if texts is None else [texts[code] for code in one.values.tolist()]


def _size(one: Occasions) -> float:
    values: Floats = one.values if one.texts is None else np.zeros(0)
    return usual_size(values)


def _is_alike(one: float | str, other: float | str, size: float) -> bool:
    if isinstance(one, str) or isinstance(other, str):
        return one == other
    return abs(one - other) <= _ROUNDING * size or (np.isnan(one) and np.isnan(other))


def _words(value: float | str, unit: str) -> str:
    return value if isinstance(value, str) else f"{value + 0.0:.5g} {unit}".strip()
