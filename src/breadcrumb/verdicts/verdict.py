"""Verdicts: findings that can be asserted, explained and joined."""

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import TYPE_CHECKING

from breadcrumb.errors import Broken, Misuse, NeverExercised
from breadcrumb.verdicts.collecting import active_collector, within_the_library
from breadcrumb.verdicts.findings import OBJECTS_KEPT, STRETCHES_KEPT, Finding, Tally
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.rules import Rule, Subject, common_key
from breadcrumb.verdicts.words import explanation, margin_words

if TYPE_CHECKING:
    import pandas as pd

UNNAMED = Rule("")
"""The rule of a verdict before its check has given it one."""
_LONGEST = 80


@dataclass(frozen=True, slots=True, repr=False)
class Verdict(Finding):
    """What a check found, to be asserted.

    Asserting a verdict hands it to whoever runs the checks. It passes when the rule held, raises `Broken` with the
    explanation when it broke, and raises `NeverExercised` when nothing was tested, unless a runner counts
    that itself. `outcome` tells without raising.

    Example:
        >>> from breadcrumb import judge
        >>> from breadcrumb.testing import small_trace
        >>> found = judge(small_trace().one("skiff").position.x < 2, "it stays near")
        >>> found.outcome, found.tested, found.breach_count, found.first.frame, found.margin.value
        ('broken', 4, 2, 2, -1.0)
    """

    parts: tuple["Verdict", ...] = ()
    """The verdicts that `all_of` or `any_of` joined."""

    def __bool__(self) -> bool:
        __tracebackhide__ = True
        collector = active_collector()
        if collector is not None:
            collector.asserts(self)
        if self.outcome.value == "broken" and not (collector is not None and collector.lets_pass(self)):
            raise Broken(self.explain())
        if self.outcome.value == "untested" and collector is None:
            raise NeverExercised(self.explain())
        return True

    def __str__(self) -> str:
        return self.explain()

    def __repr__(self) -> str:
        margin = f", margin {margin_words(self.margin)}" if self.margin is not None else ""
        sentence = textwrap.shorten(self.sentence, _LONGEST, placeholder="...")
        return f"<{self.outcome.value}: {sentence}: {self.tested} {self.of} tested{margin}>"

    def explain(self, most_lines: int = 40) -> str:
        """Return the explanation: a summary line first, then details, in at most a number of lines.

        Example:
            >>> from breadcrumb import judge
            >>> judge(True, "boats float").explain().splitlines()
            ['HELD    boats float', '  margin  exact', '  1 value tested']
        """
        with within_the_library():
            return "\n".join(explanation(self, most_lines))

    def to_json(self) -> bytes:
        """Return the verdict as JSON, evidence and all; `from_json` reads it.

        Example:
            >>> from breadcrumb import judge
            >>> judge(True, "boats float").to_json()[:24]
            b'{"rule":{"sentence":"boa'
        """
        import msgspec  # here: only what leaves the process pays for it

        return msgspec.json.encode(self)

    @classmethod
    def from_json(cls, content: bytes) -> "Verdict":
        """Return the verdict that `to_json` wrote.

        Raises:
            ValueError: the content is something else.

        Example:
            >>> from breadcrumb.verdicts.rules import Rule
            >>> held = Verdict(Rule("boats float"), "held", tested=3)
            >>> Verdict.from_json(held.to_json()) == held
            True
        """
        import msgspec

        return msgspec.json.decode(content, type=cls)

    def with_sentence(self, sentence: str) -> "Verdict":
        """Return the same verdict with the rule in words of your own.

        Example:
            >>> from breadcrumb import judge
            >>> judge(True, "z > 0").with_sentence("boats float").sentence
            'boats float'
        """
        collector = active_collector()
        renamed = replace(self, rule=replace(self.rule, sentence=sentence))
        if collector is None:
            return renamed
        collector.uses([self])
        return collector.makes(renamed)

    def to_frame(self) -> "pd.DataFrame":
        """Return each object's part as a table of pandas: what was tested, the breaches, the first, the worst.

        Example:
            >>> from breadcrumb import judge
            >>> from breadcrumb.testing import small_trace
            >>> judge(small_trace().one("skiff").position.x < 2, "it stays").to_frame().values.tolist()
            [['heron', 4, 2, 2, -1.0]]
        """
        import pandas as pd  # here: it takes longer to load than all the rest

        table = pd.DataFrame([one._asdict() for one in self.tallies], columns=list(Tally._fields))
        return table.astype({"first_frame": "Int64"})

    def by_object(self) -> tuple[Tally, ...]:
        """Return each object's part: how much was tested, how often it broke the rule, first and worst.

        Example:
            >>> from breadcrumb import judge
            >>> from breadcrumb.testing import small_trace
            >>> (heron,) = judge(small_trace().one("skiff").position.x < 2, "it stays").by_object()
            >>> heron.object, heron.tested, heron.breaches, heron.first_frame
            ('heron', 4, 2, 2)
        """
        return self.tallies


def all_of(*verdicts: Verdict) -> Verdict:
    """Join verdicts that must all hold: broken if one is, else untested if one is, else held.

    Example:
        >>> from breadcrumb.verdicts.rules import Rule
        >>> held, untested = Verdict(Rule("boats float"), "held", tested=3), Verdict(Rule("bells ring"), "untested")
        >>> all_of(held, untested).outcome
        'untested'
    """
    return _joined(verdicts, "all of", (Outcome.BROKEN, Outcome.UNTESTED, Outcome.HELD))


def any_of(*verdicts: Verdict) -> Verdict:
    """Join verdicts of which one must hold: held if one is, else untested if one is, else broken.

    Example:
        >>> from breadcrumb.verdicts.rules import Rule
        >>> broken, held = Verdict(Rule("boats sink"), "broken"), Verdict(Rule("boats float"), "held", tested=3)
        >>> any_of(broken, held).outcome
        'held'
    """
    return _joined(verdicts, "any of", (Outcome.HELD, Outcome.UNTESTED, Outcome.BROKEN))


def _joined(verdicts: tuple[Verdict, ...], word: str, rank: tuple[Outcome, ...]) -> Verdict:
    name = word.replace(" ", "_")
    if not verdicts:
        raise Misuse(f"{name}: expected one verdict or more, found none")
    others: list[object] = [one for one in verdicts if not hasattr(one, "rule")]
    if others:
        raise Misuse(
            f"{name}: expected verdicts, found {others[0]!r}; judge(condition, words) makes one of a condition"
        )
    with within_the_library():
        joint = joined(verdicts, word, rank)
    collector = active_collector()
    if collector is None:
        return joint
    collector.uses(verdicts)
    return collector.makes(joint)


def joined(verdicts: tuple[Verdict, ...], word: str, rank: tuple[Outcome, ...]) -> Verdict:
    """Return the joint verdict: the first breach of all parts, the worst of all, and the sum of what was tested.

    Args:
        verdicts: the parts.
        word: how they are joined, in words.
        rank: the outcomes; the whole has the first of these that a part has.
    """
    outcome = min((one.outcome for one in verdicts), key=rank.index)
    leading = [one for one in verdicts if one.outcome == outcome]
    _, tightest = min(zip(_tightness(leading), leading, strict=True), key=lambda one: one[0])
    earliest = min(leading, key=lambda one: one.first.time if one.first is not None else float("inf"))
    worst = tightest if tightest.margin is not None else earliest
    broken = leading if outcome.value == "broken" else []
    given = {one.name: getattr(earliest if broken else tightest, one.name) for one in fields(tightest)}
    stretches = sorted((one for part in broken for one in part.stretches), key=lambda one: one.first_frame)
    return replace(
        Verdict(**given),
        rule=_joint_rule(word, verdicts),
        outcome=outcome,
        of=verdicts[0].of if len({one.of for one in verdicts}) == 1 else "occasions",
        margin=tightest.margin,
        tested=sum(one.tested for one in verdicts),
        undecided=sum(one.undecided for one in verdicts),
        missing=sum(one.missing for one in verdicts),
        cut=sum(one.cut for one in verdicts),
        breach_count=sum(one.breach_count for one in broken),
        worst=worst.worst,
        stretches=tuple(stretches[:STRETCHES_KEPT]),
        tallies=_joint_tallies(verdicts, broken=bool(broken))[:OBJECTS_KEPT],
        evidence=replace(given["evidence"], worst=worst.evidence.worst),
        matched=tuple(dict.fromkeys(words for one in verdicts for words in one.matched)),
        parts=verdicts,
    )


def _tightness(verdicts: Sequence[Verdict]) -> list[float]:
    """Return how tight verdicts are: by their margins if these are alike, else by their shares; without one, last."""
    margins = [one.margin for one in verdicts]
    alike = len({(one.unit, one.allowed) for one in margins if one is not None}) == 1
    told = [None if one is None else one.value if alike else one.share for one in margins]
    return [float("inf") if one is None else one for one in told]


def _joint_tallies(verdicts: tuple[Verdict, ...], *, broken: bool) -> tuple[Tally, ...]:
    """Return each object's part in all of several verdicts; its worst only where they measure in one unit."""
    alike = len({one.margin.unit for one in verdicts if one.margin is not None}) <= 1
    joint: dict[str, Tally] = {}
    for verdict in verdicts:
        for name, tested, breaches, frame, worst in verdict.tallies:
            one = Tally(name, tested, breaches if broken else 0, frame if broken else None, worst if alike else None)
            joint[name] = _both(joint[name], one) if name in joint else one
    return tuple(joint.values())


def _both(mine: Tally, yours: Tally) -> Tally:
    frame, worst = yours.first_frame, yours.worst
    if frame is None or (mine.first_frame is not None and mine.first_frame < frame):
        frame = mine.first_frame
    if worst is None or (mine.worst is not None and mine.worst < worst):
        worst = mine.worst
    return Tally(mine.object, mine.tested + yours.tested, mine.breaches + yours.breaches, frame, worst)


def _joint_rule(word: str, verdicts: tuple[Verdict, ...]) -> Rule:
    subjects = [one.rule.subject for one in verdicts]
    kinds = {one.kind for one in subjects}
    kind = kinds.pop() if len(kinds) == 1 else ""
    key = common_key([one.key for one in subjects]) or kind
    return Rule(
        f"{word}: " + "; ".join(one.sentence for one in verdicts), word.replace(" ", "_"), Subject(key, key, kind)
    )
