"""Whether states and choices are others than those of the references."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from breadcrumb.model.session import Floats
from breadcrumb.population.measures import Occasions, Quantity
from breadcrumb.population.numbers import CONSTANT, EXERCISED, SURE, surely
from breadcrumb.population.outside import Outside
from breadcrumb.population.rules import AGREEING, is_judged

_MANY = 30
"""How many occasions have a share that can be compared."""
_ERRORS, _APART, _LEAST = 5.0, 2.0, 0.1
"""A share is outside by so many standard errors, so many times the spread of the references, and so much at least."""
_TWICE = 2
_RARELY, _FEW = -13.0, 12
"""How improbable so many new states are, as a logarithm; how many there are of what is a state, and not an amount."""
_TOLD = 6
"""How many states are told one by one."""
_NO_NUMBER = 50.0
"""The surprise of a value that is no number, where there always was one."""


@dataclass(frozen=True, eq=False)
class States:
    """What the references did, of a state."""

    quantity: Quantity
    each: tuple[dict[str, int], ...]
    """How often each reference has each state."""
    total: float
    is_in_all: bool
    fewest: int

    @classmethod
    def of(cls, quantity: Quantity, each: tuple[Occasions, ...], *, is_in_all: bool) -> "States":
        """Return it, given the occasions of each reference."""
        total = float(sum(one.many for one in each))
        return cls(
            quantity,
            tuple(one.counts for one in each),
            total,
            is_in_all,
            min(one.many for one in each) if is_in_all else 0,
        )

    @property
    def usual(self) -> float:
        """How many occasions a reference has."""
        return self.total / len(self.each)

    @cached_property
    def seen(self) -> frozenset[str]:
        """All states that any of them has."""
        return frozenset().union(*self.each)

    @cached_property
    def shares(self) -> dict[str, Floats]:
        """The share of each state, in each reference."""
        sums = [sum(one.values()) for one in self.each]
        return {
            text: np.array([one.get(text, 0) / many for one, many in zip(self.each, sums, strict=True)])
            for text in sorted(self.seen)
        }

    @property
    def words(self) -> str:
        """The states in words."""
        return ", ".join(sorted(self.seen)) if len(self.seen) < _TOLD else f"{len(self.seen)} others"

    def judge(self, mine: Occasions) -> Iterator[Outside]:
        """Yield which states are new, which are missing, and which have another share."""
        have = mine.counts
        if self.quantity.sort == "presence":
            for text in sorted(have.keys() - self.seen):
                rows = _rows(mine, text)
                yield Outside(self.quantity, text, self.words, text, rows, _NO_NUMBER, "no number")
            return
        if self.quantity.sort in ("restart", "initial value") and self.is_in_all:
            if self.quantity.sort == "restart" or len(self.each) >= AGREEING:
                yield from self._new_at_first(have, mine)
            return
        if not self.is_in_all or self.total < max(CONSTANT, 2 * len(self.each)):
            return
        if is_judged(self.quantity, "state") and all(len(one) == len(self.seen) for one in self.each):
            yield from self._new(mine, have)
        elif is_judged(self.quantity, "state") and self.quantity.sort != "numeric state":
            yield from self._rarely_new(mine, have)
        many = sum(have.values())
        moments = mine.many
        for text, each in self.shares.items():
            if text not in have and each.min() > 0:
                chance = mine.many * math.log1p(-surely(float(each.min()), self.total))
                if chance < SURE:
                    yield Outside(
                        self.quantity, f"{text} is missing", text, "never", (), min(-chance, 100.0), "no state"
                    )
            elif text in have and moments >= _MANY and is_judged(self.quantity, "share"):
                yield from self._share(text, each, have[text] / many, moments)

    def _new_at_first(self, have: dict[str, int], mine: Occasions) -> Iterator[Outside]:
        """Yield how it begins anew, if all references always begin alike."""
        new = sorted(have.keys() - self.seen)
        if len(self.seen) == 1 and new:
            yield Outside(self.quantity, "differs", self.words, ", ".join(new), _rows(mine, *new), 20.0, "initial")

    def _new(self, mine: Occasions, have: dict[str, int]) -> Iterator[Outside]:
        for text in sorted(have.keys() - self.seen):
            rows = _rows(mine, text)
            if _is_of_one(mine, rows):
                continue
            is_sure = self.total >= EXERCISED and mine.many_of(np.array(rows)) >= _TWICE
            if is_sure or len(rows) == len(mine.values):
                surprise = min(mine.many_of(np.array(rows)) * math.log(self.total), 100.0)
                yield Outside(self.quantity, f"{text} is new", self.words, text, rows, surprise, "state")

    @cached_property
    def rare(self) -> float:
        """The chance that an occasion has a state that no reference has: as many as have one that a single one has.

        It is the estimate of Good and Turing (I. J. Good, 1953).
        """
        alone = sum(
            count for one in self.each for text, count in one.items() if sum(text in other for other in self.each) == 1
        )
        return (alone + 1) / (self.total + 1)

    def _rarely_new(self, mine: Occasions, have: dict[str, int]) -> Iterator[Outside]:
        """Yield that there are too many new states for a chance."""
        new = sorted(have.keys() - self.seen)
        if not new or self.total < EXERCISED or len(self.seen) > _FEW:
            return
        rows = _rows(mine, *new)
        if _is_of_one(mine, rows):
            return
        many = mine.many_of(np.array(rows))
        chance = math.lgamma(mine.many + 1) - math.lgamma(many + 1) - math.lgamma(mine.many - many + 1)
        chance += many * math.log(self.rare)
        if many >= _TWICE and chance < _RARELY:
            yield Outside(self.quantity, "new", self.words, ", ".join(new), rows, min(-chance, 100.0), "state")

    def _share(self, text: str, each: Floats, share: float, many: int) -> Iterator[Outside]:
        usual = float(each.mean())
        error = max(math.sqrt(max(usual * (1 - usual), 1e-4) / many), float(each.std(ddof=1)))
        outside = max(share - float(each.max()), float(each.min()) - share)
        if abs(share - usual) > _ERRORS * error and outside > max(_APART * float(np.ptp(each)), _LEAST):
            told = f"{each.min():.0%} to {each.max():.0%}"
            yield Outside(
                self.quantity,
                f"share of {text}",
                told,
                f"{share:.0%}",
                (),
                min(abs(share - usual) / error * 1.5, 100.0),
                "share",
            )


def _is_of_one(mine: Occasions, rows: tuple[int, ...]) -> bool:
    """Tell whether one of several objects has a state all the time: it can be drawn which one has, and counts once."""
    who, others = np.unique(mine.who[list(rows)]), np.unique(mine.who)
    return len(who) == 1 and len(others) > 1 and len(rows) == int((mine.who == who[0]).sum())


def _rows(one: Occasions, *texts: str) -> tuple[int, ...]:
    """Return the occasions of some states, in order of time."""
    assert one.texts is not None
    in_time = np.argsort(one.clock_index, kind="stable")
    return tuple(in_time[np.isin(one.values[in_time], [one.texts.index(text) for text in texts])].tolist())
