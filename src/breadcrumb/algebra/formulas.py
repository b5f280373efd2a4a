"""Formulas: what a computed value is called, with exactly the brackets that its meaning needs."""

from enum import IntEnum
from typing import Self


class Rank(IntEnum):
    """How tightly the last operation of a formula binds, as in Python; what binds less is bracketed within it."""

    PHRASE = 0
    """Plain words, such as `rate of x`."""
    OR = 1
    AND = 2
    NOT = 3
    COMPARISON = 4
    SUM = 5
    PRODUCT = 6
    SIGN = 7
    POWER = 8
    ATOM = 9


class Formula(str):
    """A name that was made by an operation.

    Example:
        >>> total = infix("x", "+", "y", Rank.SUM)
        >>> infix(total, "*", "2", Rank.PRODUCT), infix("2", "*", "x", Rank.PRODUCT), prefix("-", total, Rank.SIGN)
        ('(x + y) * 2', '2 * x', '-(x + y)')
    """

    __slots__ = ("rank",)
    rank: Rank

    def __new__(cls, text: str, rank: Rank) -> Self:
        """Keep how tightly the formula binds beside its text."""
        made = super().__new__(cls, text)
        made.rank = rank
        return made

    def __getnewargs__(self) -> tuple[str, Rank]:  # type: ignore[override]
        return str(self), self.rank


def rank_of(name: str) -> Rank:
    """Return how tightly a name binds: words with spaces never do, and a negative number as its sign does."""
    if isinstance(name, Formula):
        return name.rank
    if " " in name:
        return Rank.PHRASE
    return Rank.SIGN if name.startswith("-") else Rank.ATOM


def within(name: str, rank: Rank) -> str:
    """Return a name as a part of a formula in which only what binds so tightly stands without brackets."""
    return str(name) if rank_of(name) >= rank else f"({name})"


def infix(left: str, sign: str, right: str, rank: Rank) -> Formula:
    """Return what two sides with a sign between them are called; `**` alone groups from the right."""
    tighter = Rank(rank + 1)
    if rank is Rank.POWER:
        return Formula(f"{within(left, tighter)} {sign} {within(right, Rank.SIGN)}", rank)
    first = tighter if rank is Rank.COMPARISON else rank  # comparisons do not chain
    return Formula(f"{within(left, first)} {sign} {within(right, tighter)}", rank)


def prefix(sign: str, name: str, rank: Rank) -> Formula:
    """Return what a name with a sign before it is called."""
    return Formula(f"{sign}{within(name, rank)}", rank)


def call(function: str, *arguments: str) -> Formula:
    """Return what the value of a function is called."""
    return Formula(f"{function}({', '.join(arguments)})", Rank.ATOM)


def part(name: str, attribute: str) -> str:
    """Return what an attribute of a value is called."""
    return Formula(f"{within(name, Rank.ATOM)}.{attribute}", Rank.ATOM)
