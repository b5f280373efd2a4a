"""Quantities: single numbers that know their name, unit and origin, such as a parameter or the mean of a signal."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Self

import numpy as np

from breadcrumb.algebra import units
from breadcrumb.algebra.formulas import Formula, Rank, infix, prefix
from breadcrumb.errors import Misuse

_SHORTFALL: dict[str, Callable[[float, float], float]] = {
    "<": lambda left, right: right - left,
    "<=": lambda left, right: right - left,
    ">": lambda left, right: left - right,
    ">=": lambda left, right: left - right,
}
_HOLDS: dict[str, Callable[[Any, Any], bool]] = {
    "<": lambda left, right: left < right,
    "<=": lambda left, right: left <= right,
    ">": lambda left, right: left > right,
    ">=": lambda left, right: left >= right,
    "==": lambda left, right: left == right,
    "!=": lambda left, right: left != right,
}
_ALLOWED = {"<": "below", "<=": "at most", ">": "above", ">=": "at least", "==": "", "!=": "other than"}


@dataclass(frozen=True)
class Claim:
    """What a comparison of single numbers found; true or false, and how that came about.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> cap = small_trace().parameter("skiff.cap")
        >>> bool(cap < 10), (cap < 10).text, (cap < 10).margin
        (True, 'skiff.cap < 10', 4.0)
    """

    holds: bool
    text: str
    """What was claimed, as a formula."""
    tested: int
    """How many values it is about."""
    of: str
    """What these are."""
    session: str
    margin: float | None = None
    """How far it is from changing, if that is a number."""
    unit: str = ""
    told: "tuple[tuple[str, float, str, str, float | None], ...]" = ()
    """Each comparison that makes it false: name, value, unit, how it is limited, and by what."""

    def __bool__(self) -> bool:
        return self.holds

    def __and__(self, other: "Claim") -> "Claim":
        return self._joined(other, "and")

    def __or__(self, other: "Claim") -> "Claim":
        return self._joined(other, "or")

    def __invert__(self) -> "Claim":
        raise Misuse(f"~({self.text}): write the opposite comparison, or `not`")

    def _joined(self, other: "Claim", word: str) -> "Claim":
        if not isinstance(other, Claim):
            return NotImplemented
        holds = (self.holds and other.holds) if word == "and" else (self.holds or other.holds)
        both = [one.margin for one in (self, other) if one.margin is not None]
        alike = len(both) == 2 and self.unit == other.unit
        margin = (min if word == "and" else max)(both) if alike else None
        text = infix(self.text, word, other.text, Rank.AND if word == "and" else Rank.OR)
        told = (*(() if self.holds else self.told), *(() if other.holds else other.told))
        of = self.of if self.of == other.of else "values"
        tested = self.tested + other.tested
        return Claim(holds, text, tested, of, self.session, margin, self.unit if alike else "", told)


class Quantity(float):
    """A number with a name and a unit: it computes like a float, and its comparisons can be judged.

    Example:
        >>> from breadcrumb import judge
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> mean = trace.one("skiff").speed.mean()
        >>> mean, mean.unit, mean.tested
        (<mean of speed of the skiff: 10 m/s over 3 samples>, 'm/s', 3)
        >>> judge(mean < 2 * trace.parameter("skiff.cap"), "the skiff keeps to twice its cap").outcome
        'held'
    """

    name: str
    unit: str
    tested: int
    of: str
    session: str

    def __new__(cls, value: float, name: str, unit: str, session: str, tested: int = 1, of: str = "values") -> Self:
        """Return a number that knows what it is.

        Args:
            value: the number.
            name: what it is, for messages.
            unit: its unit; empty if unknown.
            session: the trace's name.
            tested: how many values it was computed of.
            of: what these are.
        """
        made = super().__new__(cls, value)
        made.name, made.unit, made.session, made.tested, made.of = name, unit, session, tested, of
        return made

    def __getnewargs__(self) -> tuple[Any, ...]:
        return float(self), self.name, self.unit, self.session, self.tested, self.of

    def __repr__(self) -> str:
        over = f" over {self.tested} {self.of}" if self.tested > 1 else ""
        return f"<{self.name}: {float(self):.6g} {self.unit}".rstrip() + f"{over}>"

    def __str__(self) -> str:
        return float.__repr__(self)

    def __index__(self) -> int:
        if not self.is_integer():
            raise TypeError(f"{self.name} is {float(self)}, which is no whole number")
        return int(self)

    def __hash__(self) -> int:
        return float.__hash__(self)

    def __add__(self, other: Any) -> Any:
        return self._computed(other, "+", Rank.SUM, lambda left, right: left + right)

    def __radd__(self, other: Any) -> Any:
        return self._computed(other, "+", Rank.SUM, lambda left, right: left + right, swapped=True)

    def __sub__(self, other: Any) -> Any:
        return self._computed(other, "-", Rank.SUM, lambda left, right: left - right)

    def __rsub__(self, other: Any) -> Any:
        return self._computed(other, "-", Rank.SUM, lambda left, right: left - right, swapped=True)

    def __mul__(self, other: Any) -> Any:
        return self._computed(other, "*", Rank.PRODUCT, lambda left, right: left * right)

    def __rmul__(self, other: Any) -> Any:
        return self._computed(other, "*", Rank.PRODUCT, lambda left, right: left * right, swapped=True)

    def __truediv__(self, other: Any) -> Any:
        return self._computed(other, "/", Rank.PRODUCT, lambda left, right: left / right)

    def __rtruediv__(self, other: Any) -> Any:
        return self._computed(other, "/", Rank.PRODUCT, lambda left, right: left / right, swapped=True)

    def __pow__(self, other: Any, modulo: None = None) -> Any:
        return self._computed(other, "**", Rank.POWER, lambda left, right: left**right)

    def __neg__(self) -> "Quantity":
        return self._made(-float(self), prefix("-", self.name, Rank.SIGN), self.unit)

    def __abs__(self) -> "Quantity":
        return self._made(abs(float(self)), Formula(f"abs({self.name})", Rank.ATOM), self.unit)

    def __lt__(self, other: Any) -> Any:
        return self._claim(other, "<")

    def __le__(self, other: Any) -> Any:
        return self._claim(other, "<=")

    def __gt__(self, other: Any) -> Any:
        return self._claim(other, ">")

    def __ge__(self, other: Any) -> Any:
        return self._claim(other, ">=")

    def __eq__(self, other: object) -> Any:
        return self._claim(other, "==")

    def __ne__(self, other: object) -> Any:
        return self._claim(other, "!=")

    def _computed(
        self, other: Any, sign: str, rank: Rank, compute: Callable[[float, float], float], *, swapped: bool = False
    ) -> Any:
        if not _is_plain(other):
            return NotImplemented
        sides = (other, self) if swapped else (self, other)
        names = [_name(one) for one in sides]
        name = infix(names[0], sign, names[1], rank)
        first, second = (getattr(one, "unit", "") or None for one in sides)
        unit = _unit(sign, first, second, str(name))
        return self._made(compute(float(sides[0]), float(sides[1])), name, unit, other)

    def _made(self, value: float, name: str, unit: str, other: Any = None) -> "Quantity":
        largest = self._broader(other)
        return Quantity(value, name, unit, self.session, largest.tested, largest.of)

    def _broader(self, other: Any) -> "Quantity":
        """Return which of two was computed of more values; one that was computed of none decides."""
        if not isinstance(other, Quantity) or not self.tested:
            return self
        return other if not other.tested or other.tested > self.tested else self

    def _claim(self, other: Any, sign: str) -> Any:
        if not _is_plain(other):
            return NotImplemented
        name = infix(self.name, sign, _name(other), Rank.COMPARISON)
        unit = units.shared(self.unit, getattr(other, "unit", ""), str(name)) or self.unit
        mine, yours = float(self), float(other)
        margin = _SHORTFALL[sign](mine, yours) if sign in _SHORTFALL else None
        limit = f"{_ALLOWED[sign]} {other.name}" if isinstance(other, Quantity) else _ALLOWED[sign]
        told = ((self.name, mine, self.unit, limit.strip(), yours),)
        more = self._broader(other)
        return Claim(_HOLDS[sign](mine, yours), name, more.tested, more.of, self.session, margin, unit, told)


def _is_plain(value: Any) -> bool:
    return isinstance(value, int | float | np.integer | np.floating) and not isinstance(value, bool)


def _name(value: Any) -> str:
    return value.name if isinstance(value, Quantity) else f"{value}"


def _unit(sign: str, first: str | None, second: str | None, name: str) -> str:
    """Return the unit of a result; None stands for a plain number."""
    if sign in "+-":
        return (first if second is None else second if first is None else units.shared(first, second, name)) or ""
    if sign == "*":
        return (first if second is None else second if first is None else units.product(first, second)) or ""
    if sign == "/":
        return (first or "") if second is None else units.quotient(first, second) if first is not None else ""
    return ""
