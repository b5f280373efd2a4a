"""The results of a run, as plain data: they pickle, and go to JSON and back."""

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal, TypeAlias

from breadcrumb.model.facts import Fact
from breadcrumb.model.plurals import counted
from breadcrumb.run.known import KnownCount
from breadcrumb.verdicts.evidence import Evidence
from breadcrumb.verdicts.verdict import Verdict

ResultOutcome: TypeAlias = Literal["held", "broken", "known", "untested", "error"]

ACROSS = ""
"""What stands for the trace of results that are about several sessions."""
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
    """How often a situation that a check names occurred, in a session or in a run."""

    check: str
    """The file and the name of the check, as `flares/check_flares_burst`."""
    words: str
    times: int
    sessions: int = 1
    """In how many sessions it occurred."""
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
    """Broken if any verdict is whose failure is not known, else untested if any is or none was given, else known if
    any is broken, else held."""
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
    """How often each situation that the check names occurred."""
    known: dict[str, str] = field(default_factory=dict)
    """The IDs of the broken rules whose failure is known, with the reason."""

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
        known: Mapping[str, str] | None = None,
    ) -> "Result":
        """Return the result of a check that made these verdicts.

        Args:
            check: the check.
            trace: the path or URL of the trace.
            session: its name.
            findings: the verdicts, identified.
            error: what went wrong, and where.
            plain: how many plain asserts held.
            unasserted: how many verdicts were never asserted.
            why: why nothing was tested.
            situations: how often each situation occurred.
            known: the IDs of rules whose failure is known, with the reason.
        """
        ids = {one.rule.id: one.outcome for one in findings}
        used = {
            id: reason
            for id, reason in (known or {}).items()
            if ids.get(id) == "broken" and f"{id}~2" not in ids  # of several, which one is known is not known
        }
        outcome = _outcome(findings, error, plain, used)
        return cls(check, trace, session, outcome, findings, error, plain, unasserted, why, situations or {}, used)

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
    def broken(self) -> tuple[Verdict, ...]:
        """The verdicts that are broken, but for known failures."""
        return tuple(one for one in self.findings if one.outcome == "broken" and one.rule.id not in self.known)

    @property
    def first_broken(self) -> Verdict:
        """The first verdict that is broken."""
        return self.broken[0]

    @property
    def begin(self) -> float:
        """The game time at which it broke first; infinity if at none."""
        return min((one.first.time for one in self.broken if one.first is not None), default=math.inf)

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


@dataclass(frozen=True, slots=True)
class SessionResult:
    """What a run found in one session."""

    trace: str
    """The path or URL of the trace."""
    results: tuple[Result, ...] = ()
    recording: Recording | None = None
    """What is known of it; None if it could not be judged."""
    contents: tuple[str, ...] = ()
    """Its kinds, properties and events."""
    looked_at: frozenset[str] = frozenset()
    """The kinds, properties and events that checks asked for."""
    unknown: frozenset[str] = frozenset()
    """Names that were asked for, and that no session of the run knows."""
    matched: frozenset[str] = frozenset()
    """The patterns of rule IDs that match a rule."""
    problems: tuple[str, ...] = ()
    """What kept it, or some of the checks, from being judged."""
    elsewhere: tuple[tuple[CheckInfo, dict[str, str]], ...] = ()
    """The checks that do not apply to it, each with the metadata that it asks for, in words."""

    def to_json(self) -> bytes:
        """Return the result as JSON, without what only a figure needs."""
        import msgspec

        return msgspec.json.encode(replace(self, results=tuple(one.without_evidence() for one in self.results)))

    @classmethod
    def from_json(cls, content: bytes) -> "SessionResult":
        """Return the result that `to_json` wrote.

        Raises:
            ValueError: the content is something else.
        """
        import msgspec

        return msgspec.json.decode(content, type=cls)


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
    known: tuple[KnownCount, ...] = ()
    """What became of the known failures."""


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


def _outcome(findings: tuple[Verdict, ...], error: str, plain: int, known: Mapping[str, str]) -> ResultOutcome:
    if error:
        return "error"
    if any(one.outcome == "broken" and one.rule.id not in known for one in findings):
        return "broken"
    if plain and not findings:
        return "held"
    if not findings or any(one.outcome == "untested" for one in findings):
        return "untested"
    return "known" if known else "held"


def _without_evidence(finding: Verdict) -> Verdict:
    parts = tuple(map(_without_evidence, finding.parts))
    return replace(finding, evidence=Evidence(), parts=parts)
