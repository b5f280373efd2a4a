"""Whether numbers are outside what the references did: which limits are of the game, and which of the play."""

import math
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from breadcrumb.model.session import Floats, Ints
from breadcrumb.population.independence import independence, stretches_of
from breadcrumb.population.measures import Occasions, Quantity
from breadcrumb.population.outside import Outside
from breadcrumb.population.rules import AGREEING, Rule, is_judged, is_of_chance
from breadcrumb.population.sorts import Sort

_AT_LIMIT = 3e-3
"""The share of its range, or of itself, within which a value is at a limit."""
_SAME = 1e-7
"""The share of its range, or of itself, within which it is the very same value."""
_OF_STEP = 0.3
"""The share of a step within which durations are the same."""
_HARD, _NEARLY_ALL, _ALL = 0.5, 0.9, 0.99
"""The share of the occasions that reach a limit if the game has it, and not just what was played."""
EXERCISED, _EXERCISED_MORE, CONSTANT = 25, 40, 15
"""How many occasions a limit has in all references if it is one; how many if it never varied."""
_PILED, _PILED_SHARE, _PILED_IN = 15, 0.1, 0.8
"""How many occasions, which share, and in which share of the sessions, are at a limit that most do not reach."""
SURE = math.log(1e-4)
"""How improbable it is that a limit, or a state, is not reached by chance."""
_TWICE, _THRICE = 2, 3
"""How many occasions are outside a limit that nearly all, or half of the occasions reach, if it is no coincidence."""
_SEVERAL, _PART = 4, 0.2
"""How many occasions, and which share of them, are outside limits if more than chance is."""
_AMOUNTS: tuple[Sort, ...] = ("value", "speed", "end", "rest", "situation")
"""What an amount of something is, which nothing takes below 0; a part of a vector is none."""
_RECORDED: tuple[Sort, ...] = ("value", "rest")
"""What may have the very same highest value in all sessions; what is computed of it has where something is set once."""
_PART_OF_A_VECTOR = re.compile(r"\b[xyzw]\b")
_SURPRISING, _SURE_OF_ONE = 8.0, 10.0
"""How surprising what is beyond a limit is at least; of a single object more, since sessions have many."""
_FAR = ((5, 0.6), (8, 0.3))
"""How many independent occasions are how far outside, as a share of the range, if it is no chance of play."""
_OFTEN, _OFTEN_MANY, _OFTEN_TIMES = -14.0, 4, 4.0
"""How improbable it is that values are outside so often, as a logarithm; how often at least; and how many times as
often as the values of any one reference are outside the others."""
_OBJECTS = 5
"""From how many objects on it counts of how many something is, and not only how often."""
_DISTRIBUTED, _IMPROBABLE = 5, 14.0
"""From how many occasions on distributions are compared, and how improbable a difference must be, as a logarithm."""
_APART_TIMES, _APART_MORE = 1.5, 0.1
"""How much farther apart a distribution is than those of the references are from each other."""
_MOST = 100.0
"""The greatest surprise that is told apart."""
_DIGITS, _ALL_DIGITS = 4, 8
_NONE = np.zeros(0, np.int64)


class _Beyond(NamedTuple):
    """How many occasions of the candidate are beyond a limit."""

    many: float
    independent: float
    """How many of them are not just a consequence of the one before."""
    of: int
    """How many occasions it has."""


@dataclass(frozen=True, eq=False)
class Limit:
    """The highest value in the references; of the lowest, all signs are turned."""

    quantity: Quantity
    occasions: tuple[Occasions, ...]
    """The occasions in each reference."""
    total: float
    """How many occasions there are."""
    step: float
    sign: float
    is_in_all: bool
    """Whether every reference has some."""

    @cached_property
    def each(self) -> tuple[Floats, ...]:
        """The values in each reference, turned so that the limit is the highest."""
        return tuple(self.sign * one.values for one in self.occasions)

    @cached_property
    def tops(self) -> Floats:
        """The highest of each reference."""
        return np.array([high if self.sign > 0 else -low for low, high in (one.range for one in self.occasions)])

    @cached_property
    def value(self) -> float:
        """The highest of all."""
        return float(self.tops.max())

    @cached_property
    def span(self) -> float:
        """The range of all values."""
        low, high = zip(*(one.usual_range for one in self.occasions), strict=True)
        return float(max(high) - min(low))

    @cached_property
    def objects(self) -> int:
        """Of how many objects there are occasions."""
        return len(np.unique(np.concatenate([one.who for one in self.occasions])))

    @cached_property
    def room(self) -> float:
        """How far from the limit values are at it."""
        if self.quantity.unit == "s":
            return _OF_STEP * self.step
        return max(_AT_LIMIT * max(abs(self.value), self.span), 1e-9)

    @cached_property
    def reached(self) -> Ints:
        """How many occasions are at the limit, in each reference."""
        return np.array([int((one >= self.value - self.room).sum()) for one in self.each])

    @cached_property
    def independence(self) -> float:
        """Which share of the occasions is independent of those before."""
        return independence(self.occasions)

    @cached_property
    def share(self) -> float:
        """The share of the occasions that are at the limit."""
        return float(self.reached.sum()) / sum(map(len, self.each))

    @property
    def is_zero(self) -> bool:
        """Whether nothing is ever beyond 0, as the amount of something never is."""
        return self.value == 0 and self.span > 0

    @cached_property
    def is_hard(self) -> bool:
        """Whether the game has this limit: most occasions reach it, in every reference."""
        if self.tops.min() < self.value - self.room:  # usually so, and much sooner known than the shares
            return False
        needed = _NEARLY_ALL if self.quantity.basis == "player" else _HARD
        return self.share >= needed and bool(self.reached.min() > 0)

    @cached_property
    def is_exact(self) -> bool:
        """Whether the highest value of each reference is the very same, as where the game, and not play, sets it."""
        quantity = self.quantity
        is_derived = quantity.unit == "s" or quantity.sort not in _RECORDED or quantity.aspect == "size"
        if len(self.each) < AGREEING or quantity.object or is_derived:
            return False
        return bool(np.ptp(self.tops) <= _SAME * max(abs(self.value), self.span))

    @cached_property
    def is_piled(self) -> bool:
        """Whether so many occasions are at the limit that it is one, although most do not reach it."""
        many = sum(
            one.many_of(values >= self.value - self.room) for one, values in zip(self.occasions, self.each, strict=True)
        )
        return many >= _PILED and self.share >= _PILED_SHARE and bool((self.reached > 0).mean() >= _PILED_IN)

    @cached_property
    def usual_excess(self) -> float:
        """How often one reference is outside all others, at most."""
        found = 0.0
        for index, (one, values) in enumerate(zip(self.occasions, self.each, strict=True)):
            rest = max(float(top) for place, top in enumerate(self.tops) if place != index)
            found = max(found, float(one.many_of(values > rest + self.room)))
        return found

    def judge(self, mine: Occasions) -> Iterator[Outside]:
        """Yield how the candidate is outside, if it is."""
        low, high = mine.range
        if (
            abs((high if self.sign > 0 else -low) - self.value) <= self.room
        ):  # as most are: at the limit, and not beyond
            return
        values = self.sign * mine.values
        if self._is_another_constant(mine, values):
            if self.sign < 0 and self.quantity.side == "both":
                return  # the limit on the other side has told it
            surprise = min(len(values) * math.log(self.total), _MOST)
            rows = np.argsort(mine.clock_index, kind="stable")
            yield self._outside("constant", "always different", values, rows, surprise)
            return
        if not self.is_in_all:
            return
        rows = np.flatnonzero(values > self.value + self.room)
        if not len(rows):
            yield from self._unreached(values, mine.many)
            return
        rows = rows[np.argsort(mine.clock_index[rows], kind="stable")]
        beyond = self._beyond(mine, rows)
        rule = self._rule(beyond) or self._far(mine, values)
        if rule is None:
            return
        surprise = min(beyond.many * math.log(self.total), _MOST)
        if rule == "often":
            surprise = min(-self._chance(beyond), _MOST)
        elif rule in ("same limit", "far"):
            surprise = math.log(self.total)
        much = {"often": "often ", "far": "far "}.get(rule, "")
        yield self._outside(rule, f"{much}{self._more} than in any reference", values, rows, surprise)

    def _beyond(self, mine: Occasions, rows: Ints) -> _Beyond:
        many = float(mine.many_of(rows))
        if self.objects >= _OBJECTS:
            many = min(many, float(_TWICE * len(np.unique(mine.who[rows]))))
        return _Beyond(many, min(many, max(many * self.independence, stretches_of(mine, rows))), mine.many)

    def _is_another_constant(self, mine: Occasions, values: Floats) -> bool:
        needed = _SEVERAL if is_of_chance(self.quantity) else _TWICE
        if mine.many < needed or not is_judged(self.quantity, "constant"):
            return False
        return not (np.abs(values - self.value) <= self.room).any() and self.share > _ALL

    def _rule(self, beyond: _Beyond) -> Rule | None:
        if self.is_exact and self.total >= CONSTANT and beyond.many >= _TWICE and is_judged(self.quantity, "limit"):
            return "same limit"
        if self.total < (EXERCISED if self.share >= _NEARLY_ALL else _EXERCISED_MORE):
            return None
        many = beyond.many
        often = many >= _OFTEN_MANY and self._chance(beyond) < _OFTEN
        tests: tuple[tuple[Rule, bool], ...] = (
            ("limit", self.is_hard and many >= self._needed(beyond)),
            ("pile", self.is_piled and many >= self._needed(beyond)),
            ("often", often and many > _OFTEN_TIMES * max(self.usual_excess, 0.5)),
        )
        return next((rule for rule, holds in tests if holds and is_judged(self.quantity, rule)), None)

    def _far(self, mine: Occasions, values: Floats) -> Rule | None:
        """Return the rule that several occasions are far beyond the limit, if they are."""
        is_told = not is_of_chance(self.quantity) and is_judged(self.quantity, "far")
        if len(self.each) < AGREEING or self.total < CONSTANT or not self.span or not is_told:
            return None
        far = (np.flatnonzero(values > self.value + share * self.span) for _, share in _FAR)
        is_far = any(self._beyond(mine, rows).independent >= many for (many, _), rows in zip(_FAR, far, strict=True))
        return "far" if is_far else None

    def _needed(self, beyond: _Beyond) -> float:
        """Return how many occasions beyond the limit there must be."""
        if self.is_zero and self.quantity.sort in _AMOUNTS and not _PART_OF_A_VECTOR.search(self.quantity.aspect):
            return 1
        if is_of_chance(self.quantity):
            return max(_SEVERAL, _PART * beyond.of)
        needed = _TWICE if self.share >= _NEARLY_ALL else _THRICE
        return max(needed, (_SURE_OF_ONE if self.quantity.object else _SURPRISING) / math.log(self.total))

    def _chance(self, beyond: _Beyond) -> float:
        """Return the logarithm of the chance that so many are above all others, if all are of one kind."""
        return beyond.independent * math.log(beyond.of / (self.total + beyond.of))

    def _unreached(self, values: Floats, many: int) -> Iterator[Outside]:
        if self.total >= EXERCISED and self.is_hard and not bool((values >= self.value - self.room).any()):
            chance = many * math.log1p(-surely(self.share, self.total))
            if chance < SURE:
                yield self._outside(
                    "unreached", f"never as {self._much} as in the references", values, _NONE, min(-chance, _MOST)
                )

    def _outside(self, rule: Rule, words: str, values: Floats, rows: Ints, surprise: float) -> Outside:
        found = values[rows[0]] if len(rows) else values.max()
        limit, value = numbers_in_words((self.sign * self.value, self.sign * float(found)), self.quantity.unit)
        bound = "" if rule == "constant" else f"at {'most' if self.sign > 0 else 'least'} "
        return Outside(self.quantity, words, f"{bound}{limit}", value, tuple(rows.tolist()), surprise, rule)

    @property
    def _more(self) -> str:
        higher, lower = ("longer", "shorter") if self.quantity.unit == "s" else ("higher", "lower")
        return higher if self.sign > 0 else lower

    @property
    def _much(self) -> str:
        high, low = ("long", "short") if self.quantity.unit == "s" else ("high", "low")
        return high if self.sign > 0 else low


@dataclass(frozen=True, eq=False)
class Distribution:
    """How the values of the references are distributed."""

    quantity: Quantity
    each: tuple[Occasions, ...]
    room: float

    @cached_property
    def every(self) -> Floats:
        """All values, rising."""
        return np.sort(np.concatenate([one.values for one in self.each]))

    @cached_property
    def apart(self) -> float:
        """How far the distribution of one reference is from that of all others, at most."""
        found = 0.0
        for index, one in enumerate(self.each):
            rest = np.sort(np.concatenate([other.values for place, other in enumerate(self.each) if place != index]))
            found = max(found, _apart(rest, one.values, self.room))
        return found

    def judge(self, mine: Occasions) -> Iterator[Outside]:
        """Yield that the values of the candidate are distributed otherwise, if they are.

        The measure is the largest difference of the cumulative distributions, as in the test of Kolmogorov and Smirnov.
        """
        many = mine.many
        if many < _DISTRIBUTED:
            return
        off = _apart(self.every, mine.values, self.room)
        surprise = 2 * many * off**2
        if surprise <= _IMPROBABLE or off <= _APART_TIMES * self.apart + _APART_MORE:
            return
        surprise *= independence(self.each)
        if surprise > _IMPROBABLE:
            told, found = (_range_words(values, self.quantity.unit) for values in (self.every, mine.values))
            words = "distributed otherwise"
            yield Outside(self.quantity, words, told, found, (), min(surprise, _MOST), "distribution")


def _apart(every: Floats, values: Floats, room: float) -> float:
    """Return the largest difference of two cumulative distributions; values that are nearly the same count as equal."""
    mine = np.sort(values)
    least = most = 0.0
    for shift in (-room, room):
        at = mine + shift
        below, upto = (np.searchsorted(every, at, side=side) / len(every) for side in ("left", "right"))
        own = np.arange(len(mine)) / len(mine)
        if shift < 0:
            most = float((below - own - 1 / len(mine)).max())
        else:
            least = float((own - upto).max())
    return max(most, least, 0.0)


def _range_words(values: Floats, unit: str) -> str:
    quantiles = np.quantile(values, (0.1, 0.5, 0.9)).tolist()
    low, middle, high = numbers_in_words(quantiles, unit)
    return f"mostly {low} to {high}, median {middle}"


def numbers_in_words(values: Sequence[float], unit: str) -> list[str]:
    """Return numbers with four digits, or as many more as tell them apart, and their unit."""
    told = list[str]()
    for digits in range(_DIGITS, _ALL_DIGITS + 1):
        told = [f"{value:.{digits}g} {unit}".strip() for value in values]
        if len(set(told)) == len({f"{value:.{_ALL_DIGITS}g}" for value in values}):
            break
    return told


@dataclass(frozen=True, eq=False)
class Numbers:
    """What the references did, of a number."""

    limits: tuple[Limit, ...]
    distribution: Distribution | None
    fewest: int = 0
    usual: float = 0.0

    @classmethod
    def of(cls, quantity: Quantity, each: tuple[Occasions, ...], step: float, references: int) -> "Numbers":
        """Return it, given the occasions of each reference that has some, and how many references there are."""
        total = float(sum(one.many for one in each))
        is_in_all = len(each) == references
        fewest = min(one.many for one in each) if is_in_all else 0
        if total < (max(CONSTANT, 2 * len(each)) if is_in_all else EXERCISED) or 2 * len(each) < references:
            return cls((), None, fewest, total / len(each))
        limits = tuple(
            Limit(quantity, each, total, step, sign, is_in_all)
            for sign, side in ((1.0, "highest"), (-1.0, "lowest"))
            if quantity.side in ("both", side)
        )
        if not is_judged(quantity, "distribution") or total < EXERCISED or not is_in_all:
            return cls(limits, None, fewest, total / len(each))
        sizes = max(max(map(abs, one.usual_range)) for one in each)
        room = _OF_STEP * step if quantity.unit == "s" else max(_AT_LIMIT * sizes, 1e-9)
        return cls(limits, Distribution(quantity, each, room), fewest, total / len(each))

    def judge(self, mine: Occasions) -> Iterator[Outside]:
        """Yield how the candidate is outside."""
        for limit in self.limits:
            yield from limit.judge(mine)
        if self.distribution is not None:
            yield from self.distribution.judge(mine)


def surely(share: float, many: float) -> float:
    """Return a share, as far as so many occasions can tell."""
    return min(share, 1 - 1 / (many + 2))
