"""Making what a game hands over plain, when it is handed over: what is plain can be written, and read again."""

import math
from collections.abc import Iterable, Mapping, Sized
from enum import Enum
from typing import Any

_DEEPEST = 64
"""How many lists and mappings may lie in each other."""
_HIGHEST_INT = 2**63


def plain_data(value: Any, depth: int = 0) -> Any:
    """Return the value as text, numbers, lists and mappings; NaN and infinities become text.

    Anything else that has a length is a list, a number-like value (such as a NumPy scalar) a number, a member of an
    enumeration its value, and the rest its text.

    Raises:
        ValueError: it has more than 64 levels, or contains itself.
        OverflowError: a whole number is too large for any float.
        Exception: whatever the value itself raises when it is looked at.

    Example:
        >>> plain_data({"aim": (3, 4.5), "closest": float("inf")})
        {'aim': [3, 4.5], 'closest': 'Infinity'}
    """
    if depth > _DEEPEST:
        raise ValueError(f"nested more than {_DEEPEST} deep")
    if isinstance(value, Enum):
        return plain_data(value.value, depth + 1)
    if value is None or isinstance(value, bool | str):
        return plain_text(value) if isinstance(value, str) else value
    if isinstance(value, int):
        whole = int(value)
        return whole if -_HIGHEST_INT <= whole < _HIGHEST_INT else float(whole)
    if isinstance(value, float):
        return float(value) if math.isfinite(value) else _name_of(value)
    if isinstance(value, Mapping):
        return {plain_text(key): plain_data(part, depth + 1) for key, part in value.items()}
    if hasattr(value, "tolist"):
        return plain_data(value.tolist(), depth + 1)
    if isinstance(value, Iterable) and isinstance(value, Sized):
        return [plain_data(part, depth + 1) for part in value]
    return plain_data(float(value)) if hasattr(value, "__float__") else plain_text(value)


def plain_text(value: Any) -> str:
    r"""Return the text of a value, as any file can hold it: a lone surrogate becomes its escape sequence.

    Raises:
        Exception: whatever the value itself raises when its text is asked for.

    Example:
        >>> plain_text(7), plain_text("\udcff")
        ('7', '\\udcff')
    """
    if isinstance(value, Enum):
        value = value.value
    text = str.__str__(value) if isinstance(value, str) else str(value)
    return text if text.isascii() else text.encode("utf-8", "backslashreplace").decode()


def plain_number(value: Any) -> float | None:
    """Return a finite number, None for None.

    Raises:
        TypeError: it is no number.
        ValueError: it is not finite.
    """
    if value is None:
        return None
    if isinstance(value, str):
        raise TypeError(f"expected a number, found {value!r}")
    number = float(value)
    if not math.isfinite(number):
        raise ValueError(f"expected a finite number, found {number}")
    return number


def words_of(error: BaseException) -> str:
    """Return what an error says, whatever its own text raises."""
    try:
        return plain_text(error)
    except Exception:  # the game's own class
        return f"a {type(error).__name__} without a text"


def _name_of(value: float) -> str:
    if math.isnan(value):
        return "NaN"
    return "Infinity" if value > 0 else "-Infinity"
