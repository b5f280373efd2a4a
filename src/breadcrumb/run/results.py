"""The results of a run, as plain data: they pickle, and go to JSON and back."""

import json
from collections import Counter
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal, TypeAlias

from breadcrumb.model.facts import Fact
from breadcrumb.model.plurals import counted
from breadcrumb.verdicts.evidence import Evidence
from breadcrumb.verdicts.verdict import Verdict

ResultOutcome: TypeAlias = Literal["held", "broken", "untested", "error"]

HELD, BROKE, WRONG, UNTESTED = 0, 1, 2, 3
"""The exit codes: all held; something broke; the command or an input is wrong; no session exercised a check."""


@dataclass(frozen=True, slots=True)
class CheckInfo:
    """Which check function it was."""

    name: str
    """Its name, with `check_`."""
    file: str
    """The path of its file."""
    line: int
    digest: str = ""
    """Of its code, with the constants and helpers that it names."""

    @property
    def stem(self) -> str:
        """The name of its file, without `check_` and `.py`."""
        return Path(self.file).stem.removeprefix("check_")


@dataclass(frozen=True, slots=True)
class Situation:
    """How often a situation that a check names came about, in a session or in a run."""

    check: str
    """The file and the name of the check, as `flares/check_flares_burst`."""
    words: str
    times: int
    sessions: int = 1
    """In how many sessions it came about."""
    asked: int = 1
    """In how many sessions it was asked for."""


@dataclass(frozen=True, slots=True, repr=False)
class Result:
    """What one check function found in one session."""

    check: CheckInfo
    trace: str
    """The path or URL of the trace."""
    session: str
    """The trace's name."""
    outcome: ResultOutcome
    """Broken if any verdict is, else untested if any is or none was given, else held."""
    findings: tuple[Verdict, ...]
    error: str = ""
    """What went wrong when the check raised something that is no verdict, and where."""
    plain: int = 0
    """How many plain asserts held, of a check that made no verdict."""
    unasserted: int = 0
    """How many of the findings were made and never asserted; they count all the same."""
    why: str = ""
    """Why nothing was tested, if no finding says it."""
    situations: dict[str, int] = field(default_factory=dict)
    """How often each situation that the check names came about."""

    @classmethod
    def of(
        cls,
        check: CheckInfo,
        trace: str,
        session: str,
        findings: tuple[Verdict, ...],
        error: str = "",
        *,
        plain: int = 0,
        unasserted: int = 0,
        why: str = "",
        situations: dict[str, int] | None = None,
    ) -> "Result":
        """Return the result of a check that made these verdicts."""
        outcome = _outcome(findings, error, plain)
        return cls(check, trace, session, outcome, findings, error, plain, unasserted, why, situations or {})

    def __repr__(self) -> str:
        return f"<{self.check.name} in {self.session}: {self.outcome}, {counted(len(self.findings), 'verdicts')}>"

    @property
    def why_untested(self) -> str:
        """Why nothing was tested; empty if something was."""
        if self.outcome != "untested":
            return ""
        if self.why or not self.findings:
            return self.why or "asserted nothing"
        untested = next((one for one in self.findings if one.outcome == "untested"), None)
        return f"{untested.sentence}: {untested.why_untested}" if untested is not None else ""

    @property
    def first_broken(self) -> Verdict:
        """The first verdict that is broken."""
        return next(one for one in self.findings if one.outcome == "broken")

    def without_evidence(self) -> "Result":
        """Return the result without what only a figure needs."""
        return replace(self, findings=tuple(map(_without_evidence, self.findings)))

    def to_json(self) -> bytes:
        """Return the result as JSON, on one line."""
        import msgspec  # here: only what leaves the process pays for it

        return msgspec.json.encode(self)

    @classmethod
    def from_json(cls, content: bytes) -> "Result":
        """Return the result that `to_json` wrote.

        Raises:
            ValueError: the content is something else.
        """
        import msgspec

        return msgspec.json.decode(content, type=cls)


@dataclass(frozen=True, slots=True)
class Recording:
    """What is to be known of a recorded session, whatever was checked in it."""

    trace: str
    """The path or URL of the trace."""
    session: str
    facts: tuple[Fact, ...] = ()
    about: dict[str, str] = field(default_factory=dict)
    """Its metadata, such as game, build and level, and the first value of each parameter, as text."""


@dataclass(frozen=True, slots=True, repr=False)
class RunResult:
    """What a run of checks found in all sessions."""

    results: tuple[Result, ...]
    problems: tuple[str, ...] = ()
    """What kept parts of the run from being done: traces that cannot be read, names that nothing knows."""
    never_looked_at: tuple[str, ...] = ()
    """The kinds, properties and events of the sessions that no check asked for."""
    repeated: tuple[str, ...] = ()
    """The IDs that several rules of a check have in a session, so that only their order, `~2`, tells them apart."""
    recordings: tuple[Recording, ...] = ()
    """What is known of each session."""

    def __repr__(self) -> str:
        counts = Counter(result.outcome for result in self.results)
        told = ", ".join(f"{many} {outcome}" for outcome, many in sorted(counts.items())) or "nothing"
        return f"<run on {counted(len(self.sessions), 'sessions')}: {told}>"

    def of(self, outcome: ResultOutcome) -> tuple[Result, ...]:
        """Return the results with an outcome."""
        return tuple(result for result in self.results if result.outcome == outcome)

    @property
    def sessions(self) -> tuple[str, ...]:
        """The paths of the traces that were checked."""
        return tuple(dict.fromkeys(result.trace for result in self.results))

    @property
    def never_exercised(self) -> tuple[CheckInfo, ...]:
        """The checks that were untested in every session."""
        exercised = {result.check for result in self.results if result.outcome != "untested"}
        return tuple(dict.fromkeys(result.check for result in self.results if result.check not in exercised))

    @property
    def situations(self) -> tuple[Situation, ...]:
        """The situations that checks name, in their order, each over all sessions."""
        found: dict[tuple[str, str], Situation] = {}
        for result in self.results:
            check = f"{result.check.stem}/{result.check.name}"
            for words, times in result.situations.items():
                one = found.get((check, words), Situation(check, words, 0, 0, 0))
                met = one.sessions + (times > 0)
                found[check, words] = Situation(check, words, one.times + times, met, one.asked + 1)
        return tuple(found.values())

    @property
    def exit_code(self) -> int:
        """What the process should end with; an error outranks a breach, and that outranks an untested check."""
        if self.problems or self.of("error") or not self.results:
            return WRONG
        if self.of("broken"):
            return BROKE
        return UNTESTED if self.never_exercised else HELD

    def end(self) -> "RunEnd":
        """Return what is to be said of the run as a whole."""
        counts = {outcome: len(self.of(outcome)) for outcome in ("held", "broken", "untested", "error")}
        never = tuple(f"{check.stem}/{check.name}" for check in self.never_exercised)
        return RunEnd(
            self.exit_code, len(self.sessions), counts, self.problems, never, self.never_looked_at, self.repeated,
            tuple(one for one in self.recordings if one.facts), self.situations,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class RunEnd:
    """The run as a whole: the last line of its JSON."""

    exit_code: int
    sessions: int
    counts: dict[str, int]
    """How many results have each outcome."""
    problems: tuple[str, ...]
    never_exercised: tuple[str, ...]
    never_looked_at: tuple[str, ...]
    repeated: tuple[str, ...]
    recordings: tuple[Recording, ...]
    """The sessions of which there is something to know: that the recording was cut, or lost something."""
    situations: tuple[Situation, ...]


def schema() -> dict[str, Any]:
    """Return the JSON Schema of a line of a run's JSON.

    Example:
        >>> {"Result", "Rule", "RunEnd", "Verdict"} <= set(schema()["$defs"])
        True
    """
    import msgspec

    _, parts = msgspec.json.schema_components([Result, RunEnd], ref_template="#/$defs/{name}")
    lines: dict[str, Any] = {"anyOf": [{"$ref": "#/$defs/Result"}, {"$ref": "#/$defs/RunEnd"}], "$defs": parts}
    return json.loads(json.dumps(lines))  # type: ignore[no-any-return]


def _outcome(findings: tuple[Verdict, ...], error: str, plain: int) -> ResultOutcome:
    if error:
        return "error"
    if any(one.outcome == "broken" for one in findings):
        return "broken"
    if plain and not findings:
        return "held"
    if not findings or any(one.outcome == "untested" for one in findings):
        return "untested"
    return "held"


def _without_evidence(finding: Verdict) -> Verdict:
    parts = tuple(map(_without_evidence, finding.parts))
    return replace(finding, evidence=Evidence(), parts=parts)
