"""Conditions: how flags came about, so that a verdict can say what was compared, with what, and by how much."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, reduce
from typing import Any, Self, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.samples import Samples
from breadcrumb.model.rows import Rows, indices_of
from breadcrumb.model.session import Bools, Floats, Ints

Constant: TypeAlias = float | str | tuple[float | str, ...]
"""A number, a text, or the parts of a vector; several values if one of them is asked for."""

OPPOSITE = {"<": ">=", "<=": ">", ">": "<=", ">=": "<", "==": "!=", "!=": "==", "is": "is not", "in": "not in"}
OPPOSITE |= {other: sign for sign, other in OPPOSITE.items()}
"""What holds where a comparison does not. `is` stands for a flag by itself, `in` for membership."""
_RISING = {"<": 1.0, "<=": 1.0, ">": -1.0, ">=": -1.0}
"""The sign of right less left where there is room left."""


@dataclass(frozen=True, eq=False)
class Clause:
    """A condition that is not made of others: a comparison, a membership, or a flag by itself."""

    left: Samples
    sign: str
    right: Samples | Constant | None
    """What it is compared with; None for a flag by itself."""
    compare: Callable[[Any, Any], Bools]
    """Computes whether it is true, of samples of both; the flags themselves need not be kept."""
    valid: Bools | None = None
    """Where that is known; None if it is everywhere."""
    wanted: bool = True
    """What that must give for the clause to be true."""
    rows: Ints | None = None
    """Which of these samples it is about, if not all; NOBODY where there is none."""

    @property
    def clauses(self) -> "tuple[Clause, ...]":
        """All that it is made of: itself."""
        return (self,)

    @cached_property
    def unit(self) -> str | None:
        """The unit of its margin; None if it has none."""
        return None if self._distance is None else self.left.unit or getattr(self.right, "unit", "")

    def taken(self, rows: Rows) -> Self:
        """Return the same of some of the samples."""
        return replace(self, rows=indices_of(rows) if self.rows is None else self.rows[rows])

    def inverted(self) -> Self:
        """Return what is true where this is false."""
        return replace(self, sign=OPPOSITE[self.sign], wanted=not self.wanted)

    def is_true(self, index: int) -> bool:
        """Tell whether it is true on a sample."""
        at = np.array([self.row(index)])
        right = self.right.take(at) if isinstance(self.right, Samples) else self.right
        return bool(self.compare(self.left.take(at), right)[0]) is self.wanted

    def row(self, index: int) -> int:
        """Return which sample of the two sides one is."""
        return index if self.rows is None else int(self.rows[index])

    def failing(self, index: int) -> "tuple[Clause, ...]":
        """Return what makes it false on a sample."""
        return (self,)

    def margins(self, at: Rows) -> Floats:
        """Return how far from changing it is on some samples, as a number that rises toward true; NaN where missing."""
        rows = at if self.rows is None else self.rows[at]
        assert self._distance is not None, "a condition without a unit has no margins"
        way, left, right = self._distance
        distance = way * ((right[rows] if isinstance(right, np.ndarray) else right) - left[rows].astype(np.float64))
        return distance if self.valid is None else np.where(self.valid[rows], distance, np.nan)

    @cached_property
    def _distance(self) -> tuple[float, NDArray[np.float64], NDArray[np.float64] | float] | None:
        """Return what margins are computed of: the sign of right less left, and the two; None if they have no order."""
        if self.sign not in _RISING or len(self.left.parts) != 1:
            return None
        right = self.right.parts[0] if isinstance(self.right, Samples) else self.right
        return (
            None if right is None or isinstance(right, str | tuple) else (_RISING[self.sign], self.left.parts[0], right)
        )


@dataclass(frozen=True, eq=False)
class Joined:
    """Conditions of which all must be true, or one."""

    word: str
    """`and` or `or`."""
    parts: "tuple[Condition, ...]"

    @property
    def clauses(self) -> tuple[Clause, ...]:
        """All that it is made of."""
        return tuple(clause for part in self.parts for clause in part.clauses)

    @cached_property
    def unit(self) -> str | None:
        """The unit of its margin; None if it has none, or if they differ."""
        units = {part.unit for part in self.parts}
        return units.pop() if len(units) == 1 else None

    def taken(self, rows: Rows) -> Self:
        """Return the same of some of the samples."""
        return replace(self, parts=tuple(part.taken(rows) for part in self.parts))

    def inverted(self) -> Self:
        """Return what is true where this is false."""
        word = "or" if self.word == "and" else "and"
        return replace(self, word=word, parts=tuple(part.inverted() for part in self.parts))

    def is_true(self, index: int) -> bool:
        """Tell whether it is true on a sample."""
        return (all if self.word == "and" else any)(part.is_true(index) for part in self.parts)

    def failing(self, index: int) -> tuple[Clause, ...]:
        """Return what makes it false on a sample: of `and` the parts that are false, of `or` all."""
        false = [part for part in self.parts if not part.is_true(index)]
        return tuple(clause for part in false for clause in part.failing(index))

    def margins(self, at: Rows) -> Floats:
        """Return the smallest margin, of `or` the largest, on some samples."""
        each = [part.margins(at) for part in self.parts]
        return reduce(np.fmin if self.word == "and" else np.fmax, each)


Condition: TypeAlias = Clause | Joined


def condition_of(flag: Samples) -> Condition:
    """Return how a flag came about; one that was recorded is a clause by itself."""
    known = flag.condition
    if isinstance(known, Clause | Joined):
        return known
    return Clause(flag, "is", None, lambda left, right: left.parts[0], flag.valid)


def joined(word: str, *flags: Samples) -> Joined:
    """Return the condition that joins those of several flags."""
    parts: list[Condition] = []
    for one in map(condition_of, flags):
        parts += one.parts if isinstance(one, Joined) and one.word == word else (one,)
    return Joined(word, tuple(parts))


def inverted(flag: Samples) -> Condition:
    """Return the condition that is true where a flag is false."""
    return condition_of(flag).inverted()
