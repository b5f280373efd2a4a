"""Arithmetic, comparison and logic of signals: element by element, missing where a side is missing."""

import operator
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Self, TypeAlias, Union

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.meeting import meet
from breadcrumb.algebra.samples import Samples, both, largest_of, smallest_of
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats

Operand: TypeAlias = Union["Arithmetic", float, Sequence[float], NDArray[Any]]
"""A signal, a number, the parts of a vector, or an array with a value (or a row of parts) for each sample."""


@dataclass(frozen=True, eq=False)
class Arithmetic(Samples):
    """Samples with the signs of Python."""

    def __bool__(self) -> bool:
        raise Misuse(
            f"{self.name} has no truth value, it differs by sample; assert judge({self.name}, 'what it means'), or "
            "join conditions with & | ~ instead of and, or, not"
        )

    __hash__ = None  # type: ignore[assignment]

    # Arithmetic

    def __add__(self, other: Operand) -> Self:
        return self._arithmetic(other, "+", operator.add)

    def __sub__(self, other: Operand) -> Self:
        return self._arithmetic(other, "-", operator.sub)

    def __mul__(self, other: Operand) -> Self:
        return self._arithmetic(other, "*", operator.mul)

    def __truediv__(self, other: Operand) -> Self:
        return self._arithmetic(other, "/", operator.truediv)

    def __radd__(self, other: Operand) -> Self:
        return self + other

    def __rsub__(self, other: Operand) -> Self:
        return -self + other

    def __rmul__(self, other: Operand) -> Self:
        return self * other

    def __neg__(self) -> Self:
        return replace(
            self, name=f"-{bracketed(self.name)}", parts=tuple(-part for part in self.parts), known_noise=self.noise
        )

    def __abs__(self) -> Self:
        return replace(
            self, name=f"|{self.name}|", parts=tuple(map(np.abs, self.parts)), known_noise=lambda: self.noise
        )

    # Comparison and logic

    def __lt__(self, other: Operand) -> Self:
        return self._comparison(other, "<", operator.lt)

    def __le__(self, other: Operand) -> Self:
        return self._comparison(other, "<=", operator.le)

    def __gt__(self, other: Operand) -> Self:
        return self._comparison(other, ">", operator.gt)

    def __ge__(self, other: Operand) -> Self:
        return self._comparison(other, ">=", operator.ge)

    def __eq__(self, other: object) -> Self:  # type: ignore[override]
        return self._comparison(other, "==", operator.eq)

    def __ne__(self, other: object) -> Self:  # type: ignore[override]
        return self._comparison(other, "!=", operator.ne)

    def __and__(self, other: Self) -> Self:
        return self._logic(other, "and", np.logical_and, decided_by=False)

    def __or__(self, other: Self) -> Self:
        return self._logic(other, "or", np.logical_or, decided_by=True)

    def __invert__(self) -> Self:
        self._flags("~")
        return replace(self, name=f"not {bracketed(self.name)}", parts=(~self.parts[0],))

    # How it is done

    def _arithmetic(self, other: Operand, sign: str, compute: Callable[[Any, Any], Any]) -> Self:
        if sign in "+-":
            self._same_space(other, f"{bracketed(self.name)} {sign} {called(other)}")
        mine, yours = meet(self, other)
        with np.errstate(all="ignore"):  # what comes of a missing or infinite value is missing or infinite
            parts = tuple(compute(a, b) for a, b in zip(mine.parts, yours.parts, strict=True))

        def noise() -> float | Floats:
            if sign in "+-":
                return mine.noise + yours.noise
            if sign == "*":
                return largest_of(mine.parts) * yours.noise + largest_of(yours.parts) * mine.noise
            return mine.noise / max(smallest_of(yours.parts), np.finfo(float).tiny)

        unit = self.unit if sign in "+-" else ""
        name = f"{bracketed(self.name)} {sign} {called(other)}"
        return self._made(mine.track, name, parts, both(mine.valid, yours.valid), unit, noise)

    def _comparison(self, other: object, sign: str, compare: Callable[[Any, Any], Any]) -> Self:
        name = f"{bracketed(self.name)} {sign} {called(other)}"
        if self.track.unseen:
            return self._made(self.track, name, (np.zeros(0, np.bool_),))
        if self.texts is not None and isinstance(other, str):
            same = self.parts[0] == (self.texts.index(other) if other in self.texts else NOBODY)
            if sign not in ("==", "!="):
                raise Misuse(f"{name}: texts have no order; compare them with == or !=")
            return self._made(self.track, name, (same if sign == "==" else ~same,), self.valid)
        self._same_space(other, name)
        mine, yours = meet(self, other)
        answers = [compare(a, b) for a, b in zip(mine.parts, yours.parts, strict=True)]
        if len(answers) > 1 and sign not in ("==", "!="):
            raise Misuse(f"{name}: vectors have no order; compare their parts or their norm()")
        joined = np.logical_or.reduce(answers) if sign == "!=" else np.logical_and.reduce(answers)
        return self._made(mine.track, name, (joined,), both(mine.valid, yours.valid))

    def _logic(self, other: Self, word: str, join: Callable[[Any, Any], Any], *, decided_by: bool) -> Self:
        self._flags(word)
        mine, yours = meet(self, other)
        yours._flags(word)
        answer = join(mine.parts[0], yours.parts[0])
        valid = both(mine.valid, yours.valid)
        if valid is not None:  # one side alone may settle it
            settled = [one.usable & (one.parts[0] == decided_by) for one in (mine, yours)]
            answer = np.where(settled[0] | settled[1], decided_by, answer)
            valid = valid | settled[0] | settled[1]
        return self._made(mine.track, f"{bracketed(self.name)} {word} {called(other)}", (answer,), valid)

    def _made(
        self,
        track: Track,
        name: str,
        parts: tuple[NDArray[Any], ...],
        valid: Bools | None = None,
        unit: str = "",
        noise: Callable[[], float | Floats] | None = None,
    ) -> Self:
        return replace(self, track=track, name=name, parts=parts, valid=valid, unit=unit, texts=None, known_noise=noise)

    def _same_space(self, other: object, what: str) -> None:
        if not isinstance(other, Samples) or min(len(self.parts), len(other.parts)) < 2 or self.space == other.space:
            return
        raise Misuse(
            f"{what}: the first is in {self.space} space and the second in {other.space} space; convert one "
            "with relative_to() or to_world()"
        )

    def _flags(self, what: str) -> None:
        if not self.is_flag and not self.track.unseen:
            raise Misuse(
                f"{what} needs true or false on each sample, and {self.name} has other values; compare it first"
            )


def bracketed(name: str) -> str:
    """Return a name as a part of a longer one."""
    return f"({name})" if " " in name and name[0] + name[-1] not in ("||", "()") else name


def called(other: object) -> str:
    """Return what the other side of a sign is called."""
    if isinstance(other, Samples):
        return bracketed(other.name)
    return "given values" if isinstance(other, np.ndarray) else f"{other}"
