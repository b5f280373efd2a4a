"""Selecting rules by their IDs, and sessions by what was told of them."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase

from breadcrumb.errors import CheckFileError, near_names
from breadcrumb.run.loading import PREFIX, Check
from breadcrumb.run.results import Result


@dataclass(frozen=True)
class Selection:
    """Which rules are judged."""

    patterns: Sequence[str] = ()
    """Of rule IDs, such as `flares/*`, `lamps/heads_do_not_tilt` or `*/stays_inside/*`; without any, all are.

    A pattern fits an ID, or its beginning up to a slash.
    """

    def checks(self, checks: Sequence[Check]) -> list[Check]:
        """Return the checks of the files that the patterns begin with; which rules they make is known once they ran.

        Raises:
            CheckFileError: a pattern fits no file, and is most likely a typing error.
        """
        files = list(dict.fromkeys(check.info.stem for check in checks))
        for pattern in self.patterns:
            if not any(fnmatchcase(file, _file_of(pattern)) for file in files):
                near = near_names(_file_of(pattern), files)
                hint = f"; did you mean {near[0]}?" if near else ""
                raise CheckFileError(pattern, f"expected a pattern of rule IDs, and no check file fits{hint}")
        kept = [one for one in checks if any(fnmatchcase(one.info.stem, _file_of(each)) for each in self.patterns)]
        return kept if self.patterns else list(checks)

    def results(self, results: Iterable[Result]) -> tuple[Result, ...]:
        """Return results with the rules that are judged alone; those of which no rule is left are left out."""
        if not self.patterns:
            return tuple(results)
        return tuple(kept for result in results if (kept := self._of(result)) is not None)

    def met(self, results: Iterable[Result]) -> frozenset[str]:
        """Return the patterns that some rule fits."""
        ids = {id for result in results for id in _ids_of(result)}
        return frozenset(pattern for pattern in self.patterns if any(_fits(id, pattern) for id in ids))

    def _of(self, result: Result) -> Result | None:
        if not any(_fits(id, pattern) for id in _ids_of(result) for pattern in self.patterns) and not result.error:
            return None
        findings = tuple(one for one in result.findings if any(_fits(one.rule.id, each) for each in self.patterns))
        return Result.of(
            result.check, result.trace, result.session, findings, result.error, plain=result.plain,
            unasserted=result.unasserted, why=result.why, situations=result.situations,
        )  # fmt: skip


def _ids_of(result: Result) -> list[str]:
    """Return the IDs of the rules of a check; of one that made no verdict, its own name."""
    own = f"{result.check.stem}/{result.check.name.removeprefix(PREFIX)}"
    return [one.rule.id for one in result.findings] or [own]


def fits(about: Mapping[str, str], wanted: Mapping[str, str]) -> bool:
    """Tell whether a session is one of those that are wanted: each thing that is told of it fits a pattern."""
    return all(fnmatchcase(about.get(name, ""), pattern) for name, pattern in wanted.items())


def _file_of(pattern: str) -> str:
    return pattern.partition("/")[0]


def _fits(id: str, pattern: str) -> bool:
    return fnmatchcase(id, pattern) or fnmatchcase(id, f"{pattern}/*")
