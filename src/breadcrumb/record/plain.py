"""Turning what a game hands over into plain data that JSON can hold."""

import math
from collections.abc import Mapping
from typing import Any


def plain_data(value: Any) -> Any:
    """Return the value as text, numbers, lists and mappings; a number that is not finite becomes its name.

    Anything else that has a length is a list, a number-like value (such as a NumPy scalar) a number, and the rest its
    text.

    Example:
        >>> plain_data({"aim": (3, 4.5), "closest": float("inf")})
        {'aim': [3, 4.5], 'closest': 'Infinity'}
    """
    if value is None or isinstance(value, str | bool | int):
        return value
    if isinstance(value, float):
        return float(value) if math.isfinite(value) else _name_of(value)
    if isinstance(value, Mapping):
        return {str(key): plain_data(part) for key, part in value.items()}
    if hasattr(value, "tolist"):
        return plain_data(value.tolist())
    if hasattr(value, "__iter__"):
        return [plain_data(part) for part in value]
    return plain_data(float(value)) if hasattr(value, "__float__") else str(value)


def _name_of(value: float) -> str:
    if math.isnan(value):
        return "NaN"
    return "Infinity" if value > 0 else "-Infinity"
