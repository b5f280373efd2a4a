"""What a run of checks found over all sessions, taken up one session after the other."""

import math
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from breadcrumb.errors import is_typing_error
from breadcrumb.model.plurals import counted
from breadcrumb.run.known import KnownCount
from breadcrumb.run.results import (
    ACROSS,
    BROKE,
    HELD,
    UNTESTED,
    WRONG,
    CheckInfo,
    Recording,
    Result,
    ResultOutcome,
    RunEnd,
    SessionResult,
    Situation,
)
from breadcrumb.trace.vocabulary import Vocabulary
from breadcrumb.verdicts.findings import Margin
from breadcrumb.verdicts.verdict import Verdict

_OUTCOMES: tuple[ResultOutcome, ...] = ("held", "broken", "known", "untested", "error")


@dataclass(slots=True)
class CheckTally:
    """The outcomes of one check over the sessions of a run."""

    counts: Counter[ResultOutcome] = field(default_factory=Counter)
    first: dict[ResultOutcome, Result] = field(default_factory=dict)
    """The first result with each outcome other than held."""
    begin: float = math.inf
    """The earliest game time at which it broke."""
    unasserted: int = 0
    """How many verdicts it makes in a session and never asserts."""
    applies_to: dict[str, str] = field(default_factory=dict)
    """What it asks of the metadata of sessions, in words, if there are sessions to which it does not apply."""
    plain: bool = False
    """Whether it held with plain asserts alone."""

    def take(self, result: Result) -> None:
        """Count a result."""
        self.counts[result.outcome] += 1
        if result.outcome != "held":
            self.first.setdefault(result.outcome, result)
        if result.outcome == "broken":
            self.begin = min(self.begin, result.begin)
        self.unasserted = result.unasserted or self.unasserted
        self.plain = self.plain or bool(result.plain)


class Tightest(NamedTuple):
    """The smallest margin of a rule, as a share of what is allowed."""

    share: float
    margin: Margin
    sentence: str
    trace: str


@dataclass(slots=True)
class Tally:
    """Takes the results of one session after the other, and keeps what is to be said of the run as a whole."""

    known: dict[str, KnownCount] = field(default_factory=dict)
    """The known failures, by the ID of the rule."""
    problems: dict[str, None] = field(default_factory=dict)
    """What kept parts of the run from being done: traces that cannot be read, names that nothing knows."""
    sessions: dict[str, str] = field(default_factory=dict)
    """The name of each session that was checked, by the path of its trace."""
    checks: dict[CheckInfo, CheckTally] = field(default_factory=dict)
    broke_first: Counter[CheckInfo] = field(default_factory=Counter)
    """In how many sessions each check was the first one to break."""
    tightest: dict[str, Tightest] = field(default_factory=dict)
    """The smallest margin of each rule that held, by its ID."""
    recordings: list[Recording] = field(default_factory=list)
    """The sessions of which there is something to know."""
    repeated: dict[str, None] = field(default_factory=dict)
    """The IDs that several rules of a check have in a session, so that only their order, `~2`, tells them apart."""
    found_situations: dict[tuple[str, str], Situation] = field(default_factory=dict)
    contents: dict[str, None] = field(default_factory=dict)
    looked_at: set[str] = field(default_factory=set)
    unknown: set[str] = field(default_factory=set)
    matched: set[str] = field(default_factory=set)
    has_across: bool = False
    """Whether there are checks of several sessions."""
    names: Vocabulary = field(default_factory=Vocabulary)
    """The names that the sessions know together."""
    _fields: set[str] = field(default_factory=set)
    """The metadata fields of the sessions."""

    def take(self, one: SessionResult) -> None:
        """Count what was found in a session."""
        self.note(*one.problems)
        if one.recording is not None and one.recording.facts:
            self.recordings.append(one.recording)
        if one.recording is not None:
            self.sessions[one.trace] = one.recording.session
            self._fields |= one.recording.about.keys()
        for check, words in one.elsewhere:
            self.checks.setdefault(check, CheckTally()).applies_to = words
        for result in one.results:
            self.checks.setdefault(result.check, CheckTally()).take(result)
            self._take_rules(result, {} if one.recording is None else one.recording.about)
            self._take_situations(result)
        broken = [result for result in one.results if result.outcome == "broken"]
        if broken and one.trace != ACROSS:
            self.broke_first[min(broken, key=lambda result: result.begin).check] += 1
        self.contents |= dict.fromkeys(one.contents)
        self.looked_at |= one.looked_at
        self.unknown |= one.unknown
        self.matched |= one.matched

    def note(self, *problems: str) -> None:
        """Note what kept parts of the run from being done, each once."""
        self.problems |= dict.fromkeys(problems)

    def close(self, only: Sequence[str] = ()) -> None:
        """End the run; a pattern without a rule is a problem, since what it stands for was not judged."""
        if self.sessions:
            missed = (one for one in only if one not in self.matched)
            self.note(*(f"--only {one}: no rule that was judged has such an ID" for one in missed))
        for check, one in self.checks.items():
            for name in one.applies_to.keys() - self._fields:
                near = next((known for known in sorted(self._fields) if is_typing_error(name, known)), "")
                if near:
                    self.note(f"{check.name} is for sessions with {name}, which none has; did you mean {near}?")
        nowhere = "was neither seen nor declared in any session of this run"
        self.note(*(f"{name} {nowhere}" for name in sorted(self.unknown)))

    def count(self, outcome: ResultOutcome) -> int:
        """Return how many results have an outcome."""
        return sum(one.counts[outcome] for one in self.checks.values())

    def with_outcome(self, outcome: ResultOutcome) -> Iterator[tuple[CheckInfo, CheckTally]]:
        """Yield the checks that have an outcome in some session, in the order in which they first had it."""
        yield from ((check, one) for check, one in self.checks.items() if one.counts[outcome])

    @property
    def never_exercised(self) -> tuple[CheckInfo, ...]:
        """The checks that were untested in every session to which they apply, or apply to none."""
        return tuple(check for check, one in self.checks.items() if not set(one.counts) - {"untested"})

    @property
    def never_looked_at(self) -> tuple[str, ...]:
        """The kinds, properties and events of the sessions that no check asked for."""
        return tuple(what for what in self.contents if what not in self.looked_at)

    @property
    def situations(self) -> tuple[Situation, ...]:
        """The situations that checks name, in their order, each over all sessions."""
        return tuple(self.found_situations.values())

    @property
    def exit_code(self) -> int:
        """What the process should end with; an error outranks a breach, and that outranks an untested check."""
        if self.problems or self.count("error") or not self.checks:
            return WRONG
        if self.count("broken"):
            return BROKE
        return UNTESTED if self.never_exercised else HELD

    def end(self) -> RunEnd:
        """Return what is to be said of the run as a whole."""
        never = tuple(f"{check.stem}/{check.name}" for check in self.never_exercised)
        return RunEnd(
            self.exit_code, len(self.sessions), {one: self.count(one) for one in _OUTCOMES}, tuple(self.problems),
            never, self.never_looked_at, tuple(self.repeated), tuple(self.recordings), self.situations,
            tuple(self.known.values()),
        )  # fmt: skip

    def _take_rules(self, result: Result, about: Mapping[str, str]) -> None:
        for finding in result.findings:
            if finding.rule.id in self.known and (finding.outcome == "held" or finding.rule.id in result.known):
                self._take_known(finding, result.trace, about)
            id, numbered, _ = finding.rule.id.partition("~")
            if numbered:
                self.repeated[id] = None
            margin = finding.margin
            if result.outcome != "held" or margin is None or margin.share is None:
                continue
            known = self.tightest.get(finding.rule.id)
            if known is None or margin.share < known.share:
                told = Tightest(margin.share, margin, finding.sentence, result.trace)
                self.tightest[finding.rule.id] = told

    def _take_known(self, finding: Verdict, trace: str, about: Mapping[str, str]) -> None:
        one = self.known[finding.rule.id]
        if trace != ACROSS and not one.failure.applies(about):
            return
        first = one.first or (trace if finding.outcome == "broken" else "")
        self.known[finding.rule.id] = replace(
            one, judged=one.judged + 1, broken=one.broken + (finding.outcome == "broken"), first=first
        )

    def _take_situations(self, result: Result) -> None:
        check = f"{result.check.stem}/{result.check.name}"
        for words, times in result.situations.items():
            one = self.found_situations.get((check, words), Situation(check, words, 0, 0, 0))
            met = one.sessions + (times > 0)
            self.found_situations[check, words] = Situation(check, words, one.times + times, met, one.asked + 1)


@dataclass(frozen=True, slots=True, repr=False)
class RunResult:
    """What a run of checks found, with every result kept."""

    found: tuple[SessionResult, ...]
    """What was found in each session."""
    tally: Tally

    @classmethod
    def of(cls, found: Iterable[SessionResult], tally: Tally | None = None) -> "RunResult":
        """Return the results of sessions.

        Args:
            found: what was found in each.
            tally: what took them up before; without it, they are counted here.
        """
        found = tuple(found)
        if tally is None:
            tally = Tally()
            for one in found:
                tally.take(one)
            tally.close()
        return cls(found, tally)

    def __repr__(self) -> str:
        counts = Counter(result.outcome for result in self.results)
        told = ", ".join(f"{many} {outcome}" for outcome, many in sorted(counts.items())) or "nothing"
        return f"<run on {counted(len(self.sessions), 'sessions')}: {told}>"

    @property
    def results(self) -> tuple[Result, ...]:
        """What each check found in each session, session by session."""
        return tuple(result for one in self.found for result in one.results)

    @property
    def recordings(self) -> tuple[Recording, ...]:
        """What is known of each session."""
        return tuple(one.recording for one in self.found if one.recording is not None)

    def with_outcome(self, outcome: ResultOutcome) -> tuple[Result, ...]:
        """Return the results with an outcome."""
        return tuple(result for result in self.results if result.outcome == outcome)

    @property
    def sessions(self) -> tuple[str, ...]:
        """The paths of the traces that were checked."""
        return tuple(self.tally.sessions)

    @property
    def problems(self) -> tuple[str, ...]:
        """What kept parts of the run from being done."""
        return tuple(self.tally.problems)

    @property
    def exit_code(self) -> int:
        """What the process should end with."""
        return self.tally.exit_code
