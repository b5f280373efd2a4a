"""Selecting rules by their IDs."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase
from pathlib import Path

from breadcrumb.errors import CheckFileError, near_names
from breadcrumb.run.checking import Ran
from breadcrumb.run.loading import PREFIX, Check
from breadcrumb.run.results import Result


@dataclass(frozen=True)
class Selection:
    """Which rules are judged."""

    patterns: Sequence[str] = ()
    """Of rule IDs, such as `flares/*`, `lamps/heads_do_not_tilt` or `*/stays_inside/*`; without any, all are.

    A pattern matches an ID, or its beginning up to a slash.
    """

    def checks(self, checks: Sequence[Check], paths: Iterable[Path]) -> list[Check]:
        """Return the checks of the files that the patterns begin with; which rules they make is known once they ran.

        Args:
            checks: those that were loaded.
            paths: all check files.

        Raises:
            CheckFileError: a pattern matches no file, and is most likely a typing error.
        """
        files = [path.stem.removeprefix(PREFIX) for path in paths]
        for pattern in self.patterns:
            if not any(fnmatchcase(file, _file_of(pattern)) for file in files):
                near = near_names(_file_of(pattern), files)
                hint = f"; did you mean {near[0]}?" if near else ""
                raise CheckFileError(pattern, f"expected a pattern of rule IDs, and it matches no check file{hint}")
        kept = [one for one in checks if any(fnmatchcase(one.info.stem, _file_of(each)) for each in self.patterns)]
        return kept if self.patterns else list(checks)

    def results(self, every: Iterable[Ran]) -> tuple[Result, ...]:
        """Return the results of checks with the selected rules only; checks without one are left out."""
        if not self.patterns:
            return tuple(ran.result for ran in every)
        return tuple(kept for ran in every if (kept := self._of(ran)) is not None)

    def matched(self, results: Iterable[Result]) -> frozenset[str]:
        """Return the patterns that match a rule."""
        ids = {id for result in results for id in _ids_of(result)}
        return frozenset(pattern for pattern in self.patterns if any(_matches(id, pattern) for id in ids))

    def _of(self, ran: Ran) -> Result | None:
        """Return the result of a check with its selected rules; None if it ran to its end and has none.

        If another rule raised, the check stopped there, and a selected one may stand behind it: then it is untested.
        """
        result = ran.result
        selected = any(self._selects(id) for id in _ids_of(result))
        if result.error or (selected and ran.raised is None):
            return self._cut(result)
        if ran.raised is None:
            return None
        kept = self._cut(result)
        if kept.outcome == "broken":
            return kept
        stops = [one.rule.id for one in result.broken]
        why = result.why or f"the check stopped at {stops[0]}, and what is selected may stand behind it"
        return replace(kept, outcome="untested", why=why)

    def _cut(self, result: Result) -> Result:
        findings = tuple(one for one in result.findings if self._selects(one.rule.id))
        return Result.of(
            result.check, result.trace, result.session, findings, result.error, plain=result.plain,
            unasserted=result.unasserted, why=result.why, situations=result.situations, known=result.known,
        )  # fmt: skip

    def _selects(self, id: str) -> bool:
        return any(_matches(id, pattern) for pattern in self.patterns)


def _ids_of(result: Result) -> list[str]:
    """Return the IDs of the rules of a check; if it made no verdict, its own name."""
    own = f"{result.check.stem}/{result.check.name.removeprefix(PREFIX)}"
    return [one.rule.id for one in result.findings] or [own]


def _file_of(pattern: str) -> str:
    return pattern.partition("/")[0]


def _matches(id: str, pattern: str) -> bool:
    return fnmatchcase(id, pattern) or fnmatchcase(id, f"{pattern}/*")
