"""The results of a run, as data."""

from dataclasses import dataclass
from pathlib import Path
from typing import Literal, TypeAlias

from breadcrumb.run.loading import Check
from breadcrumb.verdicts.findings import Finding

ResultOutcome: TypeAlias = Literal["held", "broken", "idle", "error"]

HELD, BROKE, WRONG, IDLE = 0, 1, 2, 3
"""The exit codes: all held; something broke; the command or an input is wrong; a check was idle in every trace."""


@dataclass(frozen=True, slots=True)
class Result:
    """What one check found in one session."""

    check: Check
    trace: Path
    session: str
    findings: tuple[Finding, ...]
    error: str = ""
    """What went wrong when the check raised something that is no verdict, and where."""

    @property
    def outcome(self) -> ResultOutcome:
        """Broken if any verdict is, else idle if any is or none was given, else held."""
        if self.error:
            return "error"
        if any(one.outcome == "broken" for one in self.findings):
            return "broken"
        if not self.findings or any(one.outcome == "idle" for one in self.findings):
            return "idle"
        return "held"

    @property
    def why_idle(self) -> str:
        """Why nothing was put to the test."""
        if not self.findings:
            return "asserted nothing"
        idle = next((one for one in self.findings if one.outcome == "idle"), None)
        return f"{idle.sentence}: {idle.why_idle}" if idle is not None else ""


@dataclass(frozen=True, slots=True)
class RunResult:
    """What a run of checks found in all sessions."""

    results: tuple[Result, ...]
    problems: tuple[str, ...] = ()
    """What kept parts of the run from being done: traces that cannot be read, names that nothing knows."""
    never_looked_at: tuple[str, ...] = ()
    """The kinds, properties and events of the sessions that no check asked for."""

    def of(self, outcome: ResultOutcome) -> tuple[Result, ...]:
        """Return the results with an outcome."""
        return tuple(result for result in self.results if result.outcome == outcome)

    @property
    def sessions(self) -> tuple[Path, ...]:
        """The traces that were checked."""
        return tuple(dict.fromkeys(result.trace for result in self.results))

    @property
    def dead(self) -> tuple[Check, ...]:
        """The checks that were idle in every session."""
        alive = {result.check for result in self.results if result.outcome != "idle"}
        return tuple(dict.fromkeys(result.check for result in self.results if result.check not in alive))

    @property
    def exit_code(self) -> int:
        """What the process should end with; an error outranks a breach, and that outranks a dead check."""
        if self.problems or self.of("error") or not self.results:
            return WRONG
        if self.of("broken"):
            return BROKE
        return IDLE if self.dead else HELD
