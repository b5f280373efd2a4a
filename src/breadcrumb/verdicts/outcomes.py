"""Outcomes: what became of a rule."""

from collections.abc import Callable
from enum import StrEnum
from typing import NoReturn

from breadcrumb.errors import Misuse


class Outcome(StrEnum):
    """Whether a rule held, was broken, or was never tested.

    It compares equal to its text, and has no truth value of its own: what is asserted is the verdict. Comparing the
    outcome of a verdict, in a check that a runner runs, counts as having asked for it.

    Example:
        >>> Outcome.HELD == "held", Outcome("broken")
        (True, 'broken')
    """

    HELD = "held"
    BROKEN = "broken"
    UNTESTED = "untested"

    def __bool__(self) -> NoReturn:
        raise Misuse(f"an outcome has no truth value, and this one is {self.value!r}; assert the verdict itself")

    def __eq__(self, other: object) -> bool:
        _asked(self)
        return self.value == (other.value if isinstance(other, Outcome) else other)

    def __hash__(self) -> int:
        _asked(self)
        return hash(self.value)

    def __repr__(self) -> str:
        return repr(self.value)

    def of_its_own(self) -> "Outcome":
        """Return this outcome as an object of its own, so that it can be told whose outcome was asked for."""
        own = str.__new__(Outcome, self.value)
        own._name_, own._value_ = self._name_, self._value_
        return own


_listeners: list[Callable[[Outcome], None]] = []


def when_asked(tell: Callable[[Outcome], None]) -> None:
    """Have a function called with each outcome that is compared."""
    _listeners.append(tell)


def _asked(outcome: Outcome) -> None:
    for tell in _listeners:
        tell(outcome)
