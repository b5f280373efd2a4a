"""Python's signs and NumPy's functions on signals: element by element, missing where a side is missing."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias, Union

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.operations import apply
from breadcrumb.algebra.samples import Samples
from breadcrumb.errors import Misuse

Operand: TypeAlias = Union["Arithmetic", float, Sequence[float], NDArray[Any]]
"""A signal, a number, the parts of a vector, or an array with a value (or a row of parts) for each sample."""

_ARRAY_FUNCTIONS = {
    np.mean: "mean", np.median: "median", np.min: "min", np.amin: "min", np.max: "max", np.amax: "max",
    np.clip: "clip", np.linalg.norm: "norm",
}  # fmt: skip
"""NumPy's functions on arrays that a method does for signals."""


@dataclass(frozen=True, eq=False, repr=False)
class Arithmetic(Samples):
    """Samples with the signs of Python, that NumPy's functions take."""

    def __bool__(self) -> bool:
        raise Misuse(
            f"{self.name} has no truth value, it differs by sample; assert judge({self.name}, 'what it means'), or "
            "join conditions with & | ~ instead of and, or, not"
        )

    __hash__ = None  # type: ignore[assignment]

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> NDArray[Any]:
        return np.array(self.values, dtype, copy=copy) if copy is not None else np.asarray(self.values, dtype)

    def __array_ufunc__(self, function: np.ufunc, method: str, *inputs: Any, **options: Any) -> Any:
        if method != "__call__" or options:
            given = ", ".join(options) or method
            raise Misuse(f"np.{function.__name__} with {given} has no meaning for signals; take .values")
        return apply(function, *inputs)

    def __array_function__(self, function: Any, types: Any, args: tuple[Any, ...], options: dict[str, Any]) -> Any:
        name = _ARRAY_FUNCTIONS.get(function)
        if name is None or not hasattr(args[0], name):
            raise Misuse(f"np.{function.__name__} has no meaning for signals; take .values")
        return getattr(args[0], name)(*args[1:], **options)

    def __add__(self, other: Operand) -> Any:
        return apply(np.add, self, other)

    def __radd__(self, other: Operand) -> Any:
        return apply(np.add, other, self)

    def __sub__(self, other: Operand) -> Any:
        return apply(np.subtract, self, other)

    def __rsub__(self, other: Operand) -> Any:
        return apply(np.subtract, other, self)

    def __mul__(self, other: Operand) -> Any:
        return apply(np.multiply, self, other)

    def __rmul__(self, other: Operand) -> Any:
        return apply(np.multiply, other, self)

    def __truediv__(self, other: Operand) -> Any:
        return apply(np.divide, self, other)

    def __rtruediv__(self, other: Operand) -> Any:
        return apply(np.divide, other, self)

    def __floordiv__(self, other: Operand) -> Any:
        return apply(np.floor_divide, self, other)

    def __rfloordiv__(self, other: Operand) -> Any:
        return apply(np.floor_divide, other, self)

    def __mod__(self, other: Operand) -> Any:
        return apply(np.remainder, self, other)

    def __rmod__(self, other: Operand) -> Any:
        return apply(np.remainder, other, self)

    def __pow__(self, other: Operand) -> Any:
        return apply(np.power, self, other)

    def __rpow__(self, other: Operand) -> Any:
        return apply(np.power, other, self)

    def __neg__(self) -> Any:
        return apply(np.negative, self)

    def __abs__(self) -> Any:
        return apply(np.absolute, self)

    def __lt__(self, other: Operand) -> Any:
        return apply(np.less, self, other)

    def __le__(self, other: Operand) -> Any:
        return apply(np.less_equal, self, other)

    def __gt__(self, other: Operand) -> Any:
        return apply(np.greater, self, other)

    def __ge__(self, other: Operand) -> Any:
        return apply(np.greater_equal, self, other)

    def __eq__(self, other: object) -> Any:
        return apply(np.equal, self, other)

    def __ne__(self, other: object) -> Any:
        return apply(np.not_equal, self, other)

    def __and__(self, other: Operand) -> Any:
        return apply(np.logical_and, self, other)

    def __rand__(self, other: Operand) -> Any:
        return apply(np.logical_and, other, self)

    def __or__(self, other: Operand) -> Any:
        return apply(np.logical_or, self, other)

    def __ror__(self, other: Operand) -> Any:
        return apply(np.logical_or, other, self)

    def __invert__(self) -> Any:
        return apply(np.logical_not, self)


def called(other: object, owner: str | None = None) -> str:
    """Return what the other side of an operation is called within a sentence; with its owner if that is another."""
    if isinstance(other, Samples):
        if owner is not None and other.owner and other.owner != owner:
            return other.title
        return f"({other.name})" if " " in other.name and not other.name.endswith(")") else str(other.name)
    return "given values" if isinstance(other, np.ndarray) else f"{other}"
