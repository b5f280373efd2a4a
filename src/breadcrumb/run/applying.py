"""To which sessions a check applies."""

from collections.abc import Callable, Mapping
from fnmatch import fnmatchcase
from typing import Any, TypeAlias, TypeVar

from breadcrumb.errors import Misuse

Wanted: TypeAlias = str | int | float | bool | tuple[str | int | float | bool, ...] | list[Any]
"""What a metadata field must be: a pattern with `*` and `?`, a number, or several, of which one must match."""
APPLIES = "breadcrumb_sessions"
"""The attribute of a check function that says to which sessions it applies."""
_Check = TypeVar("_Check", bound=Callable[..., Any])


def for_sessions(**about: Wanted) -> Callable[[_Check], _Check]:
    """Say to which sessions a check applies, by their metadata; in others it does not count as untested.

    Args:
        about: what each metadata field must be: a pattern with `*` and `?`, a number, or a tuple of them, of which one
            must match.

    Returns:
        A decorator for check functions.

    Raises:
        Misuse: nothing is said.

    Example:
        >>> @for_sessions(level="harbour*", tick_rate=(30, 60))
        ... def check_the_bell(trace):
        ...     assert trace.events("bell.rung").count
    """
    if not about:
        raise Misuse("for_sessions: expected a metadata field, such as level='harbour'; found nothing")

    def decorate(function: _Check) -> _Check:
        setattr(function, APPLIES, dict(about))
        return function

    return decorate


def matches(about: Mapping[str, str], wanted: Mapping[str, Wanted]) -> bool:
    """Tell whether metadata match everything that is wanted of them; a field that is not there matches nothing."""
    return all(name in about and _fits(about[name], one) for name, one in wanted.items())


def wanted_words(wanted: Mapping[str, Wanted]) -> str:
    """Return what is wanted, in words.

    Example:
        >>> wanted_words({"build": "0.9.*", "tick_rate": (30, 60)})
        'build=0.9.*, tick_rate=30 or 60'
    """
    return ", ".join(f"{name}={words_of_wanted(one)}" for name, one in wanted.items())


def words_of_wanted(wanted: Wanted) -> str:
    """Return what a field must be, in words."""
    return " or ".join(map(str, wanted)) if isinstance(wanted, tuple | list) else str(wanted)


def _fits(text: str, wanted: Wanted) -> bool:
    if isinstance(wanted, tuple | list):
        return any(_fits(text, one) for one in wanted)
    if isinstance(wanted, int | float) and not isinstance(wanted, bool):
        try:
            return float(text) == wanted
        except ValueError:
            return False
    return fnmatchcase(text, str(wanted))
