"""What several checks take alike, as types; the declaration of a check holds its arguments against them."""

from collections.abc import Sequence
from typing import Any, TypeAlias

from numpy.typing import NDArray

from breadcrumb.algebra.sorts import Angle, Number, Vector
from breadcrumb.trace.objects import Objects

Amount: TypeAlias = Number | Angle
"""A number or an angle over time."""
Measure: TypeAlias = Number | Angle | Vector
"""What has a size over time."""
Position: TypeAlias = Objects | Vector
"""Objects that have a position, or positions."""
Moving: TypeAlias = Objects | Vector | Number | Angle
"""Objects that have a position, or positions; a number or an angle moves along one axis."""
Place: TypeAlias = Objects | Vector | Sequence[float]
"""Where something is: of objects, of a position over time, or a point."""
Points: TypeAlias = Sequence[float] | Sequence[Sequence[float]]
"""One point or several."""
Expected: TypeAlias = Number | Angle | Vector | float | Sequence[float] | NDArray[Any]
"""What a number or a vector is held against."""
AmountGiven: TypeAlias = Number | Angle | float | Sequence[float] | NDArray[Any]
"""By how much something changes: one number, or one for each moment."""
