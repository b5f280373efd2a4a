"""The collector: what becomes of the verdicts that a check makes, while a runner listens."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from breadcrumb.verdicts.outcomes import Outcome, when_asked

if TYPE_CHECKING:
    from breadcrumb.verdicts.verdict import Verdict


@dataclass(slots=True)
class Made:
    """A verdict, and what became of it."""

    verdict: "Verdict"
    asserted: bool = False
    excused: bool = False
    """Whether it went into another verdict, or was asked for its outcome by name."""


@dataclass(slots=True)
class Collector:
    """All verdicts that a check makes, in order."""

    depth: int = 0
    """How many checks of ours are at work; verdicts that these make of each other are theirs."""
    situations: dict[str, int] = field(default_factory=dict)
    """How often each situation that was named occurred."""
    passes: "Callable[[Sequence[Verdict], Verdict], bool] | None" = None
    """Tells whether a broken verdict does not stop the check, from it and all that were made until then."""
    _made: dict[int, Made] = field(default_factory=dict)
    _outcomes: dict[int, Made] = field(default_factory=dict)

    def makes(self, verdict: "Verdict") -> "Verdict":
        """Take note of a verdict that a check of ours returns to the user."""
        if not self.depth:
            object.__setattr__(verdict, "outcome", verdict.outcome.of_its_own())
            made = self._made[id(verdict)] = Made(verdict)
            self._outcomes[id(verdict.outcome)] = made
        return verdict

    def asserts(self, verdict: "Verdict") -> None:
        """Take note that a verdict is asserted."""
        self._made.setdefault(id(verdict), Made(verdict)).asserted = True

    def lets_pass(self, verdict: "Verdict") -> bool:
        """Tell whether a broken verdict does not stop the check."""
        if self.passes is None:
            return False
        return self.passes([one.verdict for one in self._made.values() if one.asserted or not one.excused], verdict)

    def uses(self, verdicts: "Iterable[Verdict]") -> None:
        """Take note that verdicts went into another one."""
        for verdict in verdicts:
            if id(verdict) in self._made:
                self._made[id(verdict)].excused = True

    def asked(self, outcome: Outcome) -> None:
        """Take note that somebody else than the library compared an outcome."""
        if not self.depth and id(outcome) in self._outcomes:
            self._outcomes[id(outcome)].excused = True

    def counted(self, *, returned: bool) -> tuple[list["Verdict"], int]:
        """Return the verdicts that count, and how many of them were never asserted.

        Args:
            returned: whether the check came to its end; if not, what it did not come to assert does not count.
        """
        some = [one for one in self._made.values() if one.asserted or (returned and not one.excused)]
        return [one.verdict for one in some], sum(not one.asserted for one in some)


_collector: ContextVar[Collector | None] = ContextVar("breadcrumb collector", default=None)


@contextmanager
def collecting(passes: "Callable[[Sequence[Verdict], Verdict], bool] | None" = None) -> Iterator[Collector]:
    """Gather the verdicts that are made within, in this context and no other.

    Args:
        passes: tells of a broken verdict, and all that were made until then, whether the check goes on; by default it
            never does.
    """
    collector = Collector(passes=passes)
    token = _collector.set(collector)
    try:
        yield collector
    finally:
        _collector.reset(token)


def active_collector() -> Collector | None:
    """Return what gathers verdicts, if anyone listens."""
    return _collector.get()


class within_the_library:  # noqa: N801 - it is used like the functions of contextlib
    """A context in which something is done whose comparisons are not the user's.

    A class, since every check enters one, and a generator would cost it three times as much.
    """

    __slots__ = ("_collector",)

    def __enter__(self) -> None:
        self._collector = _collector.get()
        if self._collector is not None:
            self._collector.depth += 1

    def __exit__(self, *error: object) -> None:
        if self._collector is not None:
            self._collector.depth -= 1


def _tell(outcome: Outcome) -> None:
    collector = _collector.get()
    if collector is not None:
        collector.asked(outcome)


when_asked(_tell)
