"""What broke in a session, as its replay shows it: each rule with the values that it judged, and where it broke."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from breadcrumb.comparison.differences import Comparison, Difference, Group
from breadcrumb.model.plurals import counted
from breadcrumb.run.results import Result
from breadcrumb.verdicts.evidence import Excerpt
from breadcrumb.verdicts.findings import Breach, Finding


@dataclass(frozen=True)
class BrokenFrame:
    """A frame on which an object broke a rule."""

    frame: int
    object: str
    words: str
    """What is wrong, and what was measured and allowed; empty if only the frame is known."""
    property: str = ""
    """The property whose values differ, as `kind.property`, if that is what is wrong."""


@dataclass(frozen=True)
class BrokenRule:
    """A rule that broke in a session."""

    check: str
    sentence: str
    first: Breach
    frames: tuple[BrokenFrame, ...]
    """The first breach, the worst one, and the first one of each other object, in order of time."""
    excerpts: tuple[Excerpt, ...]
    """The judged values around the first breach and the worst one, as far as they were kept."""
    differences: tuple[BrokenFrame, ...] = ()
    """All differences of a group, if two sessions are compared, in order of time."""

    @classmethod
    def of(cls, result: Result, finding: Finding) -> "BrokenRule | None":
        """Return what a finding tells; None if no frame of it is known."""
        if finding.first is None:
            return None
        frames = {(one.frame, one.object): one for one in _frames(finding)}
        kept = {id(one): one for one in (finding.evidence.first, finding.evidence.worst) if one is not None}
        ordered = tuple(sorted(frames.values(), key=lambda one: one.frame))
        return cls(result.check.name, finding.sentence, finding.first, ordered, tuple(kept.values()))


def departures(found: Comparison) -> list[BrokenRule]:
    """Return where a session differs from another one, as its replay shows it: what each group begins with."""
    where = "reference" if found.references == 1 else "references"
    return [_departure(group, where) for group in found.groups]


def _departure(group: Group, where: str) -> BrokenRule:
    one = group.first
    others = f", and {counted(len(group.followed), 'differences')} follow" if group.followed else ""
    differences = tuple(_departed(each, where, is_first=each is one) for each in (one, *group.followed))
    by_object: dict[str, BrokenFrame] = {}
    for each in differences:
        by_object.setdefault(each.object, each)
    first = Breach(one.object, 0, one.frame, one.time, one.candidate, one.reference, one.words)
    sentence = f"{one.called} {one.words}{others}"
    return BrokenRule("compare", sentence, first, tuple(by_object.values()), (), differences)


def _departed(one: Difference, where: str, *, is_first: bool) -> BrokenFrame:
    values = f"{one.candidate}, in the {where} {one.reference}"
    # the sentence says what differs first, and the page whose it is
    words = values if is_first else f"{one.called_without_object} {one.words}: {values}"
    return BrokenFrame(one.frame, one.object, words, one.name if one.what == "property" else "")


def broken_rules(results: Sequence[Result]) -> list[BrokenRule]:
    """Return the rules that broke in a session, in order of time."""
    found = [BrokenRule.of(result, one) for result in results for one in result.broken]
    return sorted((one for one in found if one is not None), key=lambda one: one.first.time)


def rule_data(rule: BrokenRule) -> dict[str, Any]:
    """Return a broken rule as the page has it."""
    first = rule.first
    return {
        "check": rule.check,
        "sentence": rule.sentence,
        "object": first.object,
        "frame": first.frame,
        "broken": [[one.frame, one.object, one.words] for one in rule.frames],
        "excerpts": [_excerpt_data(one) for one in rule.excerpts],
        "differences": [[one.frame, one.object, one.words, one.property] for one in rule.differences],
    }


def _frames(finding: Finding) -> Iterator[BrokenFrame]:
    """Yield the frames of a broken verdict that are known by themselves; of two of an object on a frame, the last."""
    for tally in finding.tallies:
        if tally.first_frame is not None:
            yield BrokenFrame(tally.first_frame, tally.object, "")
    for breach in (finding.worst, finding.first):
        if breach is not None:
            words = f"{breach.words}; measured {breach.measured}, allowed {breach.allowed}"
            yield BrokenFrame(breach.frame, breach.object, words)


def _excerpt_data(excerpt: Excerpt) -> dict[str, Any]:
    judged = {"name": excerpt.name, "unit": excerpt.unit, "values": excerpt.values}
    bands = [{**judged, "low": excerpt.low, "high": excerpt.high}] if excerpt.values else []
    bands += [
        {"name": one.name, "unit": one.unit, "values": one.values, "low": one.low, "high": one.high}
        for one in excerpt.operands
    ]
    return {
        "object": excerpt.object,
        "frames": excerpt.frames if bands else (),
        "broken": excerpt.broken,
        "bands": bands,
        "outlines": excerpt.outlines,
        "lines": excerpt.lines,
        "inside": excerpt.belongs_inside,
    }
