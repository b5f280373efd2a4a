"""Known failures: rules that are broken for now, listed with a reason in a file, so that a run tells what is new."""

import datetime as dt
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any, Literal, TypeAlias

from breadcrumb.errors import KnownFailuresError, near_names
from breadcrumb.model.plurals import counted

_FIELDS = ("reason", "build", "until")
KnownState: TypeAlias = Literal["broken", "held", "not judged", "expired"]


@dataclass(frozen=True, slots=True)
class KnownFailure:
    """A rule that is broken for now."""

    rule: str
    """Its ID."""
    reason: str
    build: str = "*"
    """A pattern of the builds in which it is broken."""
    until: str = ""
    """The last day on which it is known, as `2026-12-24`; afterwards it counts again."""

    def applies(self, about: Mapping[str, str]) -> bool:
        """Tell whether it is about a session with these metadata."""
        return self.build == "*" or fnmatchcase(about.get("build", ""), self.build)


@dataclass(frozen=True, slots=True)
class KnownCount:
    """What became of a known failure in a run."""

    failure: KnownFailure
    judged: int = 0
    """In how many sessions that it is about the rule was held or broken."""
    broken: int = 0
    first: str = ""
    """The path of the first trace in which it broke."""
    has_expired: bool = False

    @property
    def state(self) -> KnownState:
        """Whether it is still broken."""
        if self.has_expired:
            return "expired"
        return "broken" if self.broken else "held" if self.judged else "not judged"

    @property
    def note(self) -> str:
        """What the list should be changed for; empty if it is still true."""
        rule = self.failure.rule
        if self.has_expired:
            return f"{rule} is no known failure any more: its entry ended on {self.failure.until}"
        if self.state == "held":
            return (
                f"{rule} held in {counted(self.judged, 'sessions')} that judged it; remove it from the known failures"
            )
        return f"{rule} is a known failure, and no session judged it" if self.state == "not judged" else ""


def read_known_failures(path: Path) -> tuple[KnownFailure, ...]:
    """Read a list of known failures: a TOML file with a table for each rule ID.

    Raises:
        KnownFailuresError: it cannot be read, or says something else.
    """
    try:
        content = tomllib.loads(path.read_text("utf-8"))
    except OSError as error:
        raise KnownFailuresError(f"{path}: cannot be read ({error.strerror})") from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise KnownFailuresError(f"{path}: expected TOML; {error}") from None
    return tuple(_known_failure(rule, table, path) for rule, table in content.items())


def expired(failures: Sequence[KnownFailure], today: dt.date) -> tuple[KnownFailure, ...]:
    """Return those that are not known any more."""
    return tuple(one for one in failures if one.until and one.until < today.isoformat())


def _known_failure(rule: str, table: Any, path: Path) -> KnownFailure:
    """Return what a table says.

    Raises:
        KnownFailuresError: it says something else.
    """
    if not isinstance(table, dict):
        raise KnownFailuresError(f'{path}: expected a table ["{rule}"] with a reason, found {table!r}')
    for name in table:
        if name not in _FIELDS:
            near = near_names(name, _FIELDS)
            hint = f"; did you mean {near[0]}?" if near else ""
            raise KnownFailuresError(f'{path}: ["{rule}"]: expected {", ".join(_FIELDS)}, found {name}{hint}')
    reason, build, until = table.get("reason"), table.get("build", "*"), table.get("until")
    if not isinstance(reason, str) or not reason.strip():
        raise KnownFailuresError(f'{path}: ["{rule}"]: expected a reason, a text; found {reason!r}')
    if not isinstance(build, str):
        raise KnownFailuresError(f'{path}: ["{rule}"]: expected a build as text, such as "0.9.*"; found {build!r}')
    if until is not None and type(until) is not dt.date:
        raise KnownFailuresError(f'{path}: ["{rule}"]: expected until as a date, such as 2026-12-24; found {until!r}')
    if "~" in rule:
        raise KnownFailuresError(
            f'{path}: ["{rule}"]: several rules have this ID and differ by order alone; give it an id= in its check'
        )
    if any(sign in rule for sign in "*?["):
        raise KnownFailuresError(f'{path}: ["{rule}"]: expected the whole ID of a rule, found a pattern')
    return KnownFailure(rule, reason, build, "" if until is None else until.isoformat())
