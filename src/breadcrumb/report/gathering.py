"""The results of a run, gathered for its page one session at a time: bytes per rule and session, and the breaches."""

import math
from array import array
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from breadcrumb.report.machines import result_words
from breadcrumb.run.results import CheckInfo, Result
from breadcrumb.verdicts.findings import Finding, Margin
from breadcrumb.verdicts.words import breach_words, margin_words

CODES = {"held": 1, "broken": 2, "untested": 3, "error": 4, "known": 5}
"""What stands for an outcome; 0 stands for none."""
_MOST_NAMED = 50
"""How many sessions of a group are named."""


@dataclass(slots=True)
class RuleColumn:
    """The outcomes and margins of one rule, one per session."""

    id: str
    sentence: str
    check: int
    unit: str = ""
    outcomes: bytearray = field(default_factory=bytearray)
    margins: "array[float]" = field(default_factory=lambda: array("f"))
    allowed: "array[float]" = field(default_factory=lambda: array("f"))

    def put(self, session: int, finding: Finding, *, known: bool) -> None:
        """Store the finding of a session, and whether it is a known failure; sessions without one have outcome 0."""
        self._reach(session + 1)
        self.outcomes[session] = CODES["known" if known else finding.outcome]
        if finding.margin is not None:
            self.unit = finding.margin.unit
            self.margins[session] = finding.margin.value
            self.allowed[session] = finding.margin.allowed or math.nan

    def _reach(self, sessions: int) -> None:
        missing = sessions - len(self.outcomes)
        if missing > 0:
            self.outcomes.extend(bytes(missing))
            self.margins.extend([math.nan] * missing)
            self.allowed.extend([math.nan] * missing)

    def closed(self, sessions: int) -> "RuleColumn":
        """Return the column with a place for every session."""
        self._reach(sessions)
        return self


class Break(NamedTuple):
    """A rule that broke in a session, where it broke first."""

    rule: str
    """Its ID."""
    check: str
    sentence: str
    kind: str
    object: str
    frame: int | None
    """None of a breach that has no frame."""
    time: float
    words: str
    around: tuple[str, ...]
    """The events of the object, or of nobody, on that frame."""

    @classmethod
    def of(cls, result: Result, finding: Finding) -> "Break":
        """Return where a broken rule broke first."""
        first, excerpt = finding.first, finding.evidence.first
        rule = finding.rule
        if first is None:
            return cls(rule.id, result.check.name, finding.sentence, rule.subject.kind, "", None, math.inf, "", ())
        marks = () if excerpt is None else excerpt.marks
        names = {mark.name for mark in marks if mark.frame == first.frame and mark.who in ("", first.object)}
        return cls(
            rule.id, result.check.name, finding.sentence, rule.subject.kind, first.object, first.frame, first.time,
            breach_words(first), tuple(sorted(names)),
        )  # fmt: skip


def breaks_of(results: Sequence[Result]) -> list[Break]:
    """Return what broke in a session, in order of the first frame; what has no frame comes last."""
    found = [Break.of(result, one) for result in results for one in result.broken]
    return sorted(found, key=lambda one: one.time)


class GroupKey(NamedTuple):
    """What sessions that broke in the same way share: the rule that broke first, the kind, the events around it."""

    rule: str
    kind: str
    around: tuple[str, ...]


@dataclass(slots=True)
class Group:
    """Sessions that broke in the same way."""

    first: Break
    """Of the first session."""
    trace: str
    """The first session."""
    sessions: int = 0
    named: list[str] = field(default_factory=list)
    """The first of them."""
    followed: Counter[str] = field(default_factory=Counter)
    """In how many of them another check broke after the first one, by its name."""


@dataclass(slots=True)
class SessionCount:
    """The sessions with one value of a metadata field, such as the build, or of a parameter."""

    sessions: int = 0
    broken: int = 0
    """In how many of them something broke."""


@dataclass(slots=True)
class Gathered:
    """What a page shows of a run, gathered from one session after the other."""

    checks: dict[CheckInfo, int] = field(default_factory=dict)
    traces: dict[str, str] = field(default_factory=dict)
    """The name of each session, by the path of its trace."""
    outcomes: list[bytearray] = field(default_factory=list)
    """The outcome of each check in each session: a row for each session."""
    rules: dict[str, RuleColumn] = field(default_factory=dict)
    words: dict[tuple[int, int], str] = field(default_factory=dict)
    """What a result is about in one line, by session and check; what held has none."""
    broken: dict[str, list[Break]] = field(default_factory=dict)
    """What broke in each session in order of the first frame, by the path of its trace."""
    groups: dict[GroupKey, Group] = field(default_factory=dict)
    metadata: dict[str, dict[str, SessionCount]] = field(default_factory=dict)
    """How many sessions there are, and how many broke, by metadata field and value."""

    def add(self, results: Sequence[Result], about: Mapping[str, str] | None = None) -> bool:
        """Add the results of one session, and its metadata.

        Returns:
            Whether it broke in a way in which no session before did.
        """
        trace, session = results[0].trace, len(self.traces)
        self.traces[trace] = results[0].session
        row = bytearray(len(self.checks))
        for result in results:
            check = self.checks.setdefault(result.check, len(self.checks))
            row.extend(bytes(max(check + 1 - len(row), 0)))
            row[check] = CODES[result.outcome]
            if result.outcome != "held":
                self.words[session, check] = result_words(result)
            for finding in result.findings:
                column = self.rules.setdefault(finding.rule.id, RuleColumn(finding.rule.id, finding.sentence, check))
                column.put(session, finding, known=finding.rule.id in result.known)
        self.outcomes.append(row)
        breaks = breaks_of(results)
        for name, value in (about or {}).items():
            build = self.metadata.setdefault(name, {}).setdefault(value, SessionCount())
            build.sessions += 1
            build.broken += bool(breaks)
        return bool(breaks) and self._group(trace, breaks)

    def _group(self, trace: str, breaks: list[Break]) -> bool:
        first, *others = self.broken[trace] = breaks
        key = GroupKey(first.rule, first.kind, first.around)
        is_new = key not in self.groups
        group = self.groups.setdefault(key, Group(first, trace))
        group.sessions += 1
        if len(group.named) < _MOST_NAMED:
            group.named.append(trace)
        group.followed.update(list(dict.fromkeys(one.check for one in others if one.check != first.check)))
        return is_new

    @property
    def worst_groups(self) -> list[Group]:
        """The groups, that of the most sessions first."""
        return sorted(self.groups.values(), key=lambda one: -one.sessions)

    @property
    def worst_rules(self) -> list[RuleColumn]:
        """The rules: those that broke most often first, then those with the smallest margin as a share."""
        size = len(self.traces)
        return sorted((one.closed(size) for one in self.rules.values()), key=_order)

    def tightest(self, most: int) -> list[tuple[str, str, str]]:
        """Return the tightest margins of what held, in words: each rule once, with its session.

        Those that are a share of what is allowed come first, then those that are not.
        """
        traces, found = list(self.traces), []
        for one in self.rules.values():
            held = [
                at
                for at, code in enumerate(one.outcomes)
                if code == CODES["held"] and one.margins[at] == one.margins[at]
            ]
            if held:
                at = min(held, key=lambda at: (math.isnan(one.allowed[at]), _share(one, at)))
                margin = Margin(one.margins[at], one.unit, None if math.isnan(one.allowed[at]) else one.allowed[at])
                found.append((margin.allowed is None, _share(one, at), margin_words(margin), one.sentence, traces[at]))
        return [told[2:] for told in sorted(found, key=lambda told: told[:2])[:most]]

    def metadata_rows(self, most: int) -> list[tuple[str, str, SessionCount]]:
        """Return the metadata of the sessions: field, value, and how many sessions have it.

        Fields that differ between sessions come first. Parameters that are the same in all sessions are left out, and
        so are fields with more than `most` values, such as the seed.
        """
        rows = [
            (name, value, build)
            for name, values in self.metadata.items()
            if len(values) <= most and (len(values) > 1 or not name.startswith("parameter "))
            for value, build in sorted(values.items(), key=lambda one: -one[1].broken)
        ]
        return sorted(rows, key=lambda row: len(self.metadata[row[0]]) == 1)

    def count(self, outcome: str) -> int:
        """Return how many results have an outcome."""
        return sum(row.count(CODES[outcome]) for row in self.outcomes)


def _share(column: RuleColumn, at: int) -> float:
    """Return a margin as a share of what is allowed; as it is if it is none."""
    return column.margins[at] / column.allowed[at] if column.allowed[at] > 0 else column.margins[at]


def _order(column: RuleColumn) -> tuple[int, int, float]:
    shares = (m / a for m, a in zip(column.margins, column.allowed, strict=True) if a == a and a)
    least = min((one for one in shares if one == one), default=math.inf)
    return -column.outcomes.count(CODES["broken"]), -column.outcomes.count(CODES["untested"]), least
