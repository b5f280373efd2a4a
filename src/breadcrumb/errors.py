"""Everything Breadcrumb raises on purpose.

    BreadcrumbError
      TraceError (ValueError)          a file or folder cannot be read as a trace
        NotATrace
        TraceTooNew
        TraceTooOld
      TraceExists (FileExistsError)    a recording would overwrite another one
      UnknownName (LookupError)        a kind, object, property, event or parameter that is not there
      Misuse (TypeError)               an expression that has no one meaning; the message says which to write
      CheckFileError (ImportError)     a check file that cannot be loaded
      NotComparable (ValueError)       two sessions have nothing by which they can be compared
      KnownFailuresError (ValueError)  a list of known failures that cannot be read
      ClusterError (OSError)           a cluster that cannot be reached
    Broken (AssertionError)            a verdict that was asserted and is broken
    NeverExercised (AssertionError)    a verdict that was asserted and had nothing to test
    AngleWarning (UserWarning)         angles that are doubtful: too far in one step, or radians declared as degrees

Each message says what was expected, what was found, where, and what to do.
"""

from collections.abc import Iterable
from typing import Any

_SUGGESTIONS = 3
_LISTED = 12
_SHORTEST_PART_WITH_TYPOS = 4


class BreadcrumbError(Exception):
    """The base of all errors of this library."""

    __module__ = "breadcrumb.errors"

    def __reduce__(self) -> tuple[Any, ...]:
        """Pickle it by its message, whatever its kind is made from: it may be raised in another process."""
        return _restored, (type(self), self.args, self.__dict__)


def _restored(kind: type[BreadcrumbError], args: tuple[Any, ...], attributes: dict[str, Any]) -> BreadcrumbError:
    error = kind.__new__(kind, *args)
    error.args = args
    error.__dict__.update(attributes)
    return error


class AngleWarning(UserWarning):
    """Angles are doubtful: they turn too far from one sample to the next, or are radians declared as degrees."""


class TraceError(BreadcrumbError, ValueError):
    """A file or folder that cannot be read as a trace."""


class NotATrace(TraceError):
    """There is something at this path, or nothing, but no trace."""


class TraceTooNew(TraceError):
    """The trace was written by a newer version of the format than this one knows."""


class TraceTooOld(TraceError):
    """The trace was written in a format that this version does not read any more."""


class TraceExists(BreadcrumbError, FileExistsError):
    """A recording would overwrite an earlier one."""


class UnknownName(BreadcrumbError, LookupError):
    """A name that the trace does not have; `suggestions` holds the near ones.

    Attributes:
        asked: the name that was asked for.
        suggestions: near matches, best first.
    """

    def __init__(self, what: str, name: str, known: Iterable[str], where: str) -> None:
        names = sorted(set(known))
        self.asked = name
        self.suggestions = tuple(near_names(name, names))
        if self.suggestions:
            hint = "did you mean " + " or ".join(repr(near) for near in self.suggestions) + "?"
        elif names:
            more = f" and {len(names) - _LISTED} more" if len(names) > _LISTED else ""
            hint = "there is " + ", ".join(names[:_LISTED]) + more
        else:
            hint = "there are none"
        super().__init__(f"{where} has no {what} {name!r}; {hint}")


class Misuse(BreadcrumbError, TypeError):
    """An expression that has no one meaning."""


class CheckFileError(BreadcrumbError, ImportError):
    """A check file that cannot be loaded, or a check in it that raised.

    Attributes:
        where: the file, with the line where there is one.
    """

    def __init__(self, where: str, problem: str) -> None:
        self.where = where
        super().__init__(f"{where}: {problem}")


class Broken(AssertionError):
    """A verdict that was asserted and is broken; the message is its explanation."""


class NeverExercised(AssertionError):
    """A verdict that was asserted and is untested: no occasion in the session exercised its rule."""


def refuse_other_formats(path: str, found: int, known: int) -> None:
    """Refuse a file of another format than the known one.

    Raises:
        TraceTooNew: it is newer.
        TraceTooOld: it is older.
    """
    said = f"{path}: written in format {found}, and this version of breadcrumb reads format {known}"
    if found > known:
        raise TraceTooNew(f"{said}; install a newer breadcrumb")
    if found < known:
        raise TraceTooOld(
            f"{said}; record the session again, or turn it into frame lines with the version that wrote it"
        )


def near_names(name: str, known: Iterable[str]) -> list[str]:
    """Return the names most like `name`, best first, for a suggestion.

    Example:
        >>> near_names("positon", ["position", "velocity"])
        ['position']
    """
    import difflib  # here: a recorder never needs it

    return difflib.get_close_matches(name, list(known), n=_SUGGESTIONS, cutoff=0.6)


def is_typing_error(name: str, other: str) -> bool:
    """Tell whether two dotted names differ by one slip of the keyboard.

    A slip is one edit, one swap of neighbours or a plural, within one dotted part of four letters or more: near enough
    to be a typing error, where `difflib` would also take `flare` for `glare.lost`.

    Example:
        >>> is_typing_error("flare.thrwon", "flare.thrown"), is_typing_error("boat", "coal")
        (True, False)
    """
    ours, theirs = name.split("."), other.split(".")
    if len(ours) != len(theirs):
        return False
    different = [(a, b) for a, b in zip(ours, theirs, strict=True) if a != b]
    if len(different) != 1:
        return False
    a, b = different[0]
    return max(len(a), len(b)) >= _SHORTEST_PART_WITH_TYPOS and (_one_slip(a, b) or _plural(a) == b or a == _plural(b))


def _plural(name: str) -> str:
    return f"{name[:-1]}ies" if name.endswith("y") else f"{name}es"


def _one_slip(a: str, b: str) -> bool:
    head = 0
    while head < min(len(a), len(b)) and a[head] == b[head]:
        head += 1
    rest_a, rest_b = a[head:], b[head:]
    swapped = rest_a[:2] == rest_b[:2][::-1] and rest_a[2:] == rest_b[2:]
    return swapped or rest_a[1:] == rest_b[1:] or rest_a[1:] == rest_b or rest_a == rest_b[1:]


class ClusterError(BreadcrumbError, OSError):
    """The cluster that should run checks cannot be reached."""


class KnownFailuresError(BreadcrumbError, ValueError):
    """A list of known failures cannot be read."""


class NotComparable(BreadcrumbError, ValueError):
    """Two sessions have nothing by which they can be compared."""
