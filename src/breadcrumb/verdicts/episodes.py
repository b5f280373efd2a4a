"""Joining what was found in each episode of a session."""

from collections.abc import Sequence
from dataclasses import replace

from breadcrumb.model.plurals import counted
from breadcrumb.verdicts.findings import Breach
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import Verdict, joined

_EACH = (Outcome.BROKEN, Outcome.HELD, Outcome.UNTESTED)
_ALL = (Outcome.BROKEN, Outcome.UNTESTED, Outcome.HELD)


def over_episodes(verdicts: Sequence[Verdict], numbers: Sequence[int]) -> Verdict:
    """Join the verdicts on the episodes of a session, in order: broken if one is, else held if anything was tested.

    Verdicts of several parts are joined part by part.

    Args:
        verdicts: the verdicts.
        numbers: the number of the episode of each, counted from 1.
    """
    return over_pieces([_of_episode(one, number) for one, number in zip(verdicts, numbers, strict=True)])


def over_pieces(told: Sequence[Verdict]) -> Verdict:
    """Join the verdicts on the pieces of what is judged: broken if one is, else held if anything was tested."""
    several = [one for one in told if one.parts]
    if not several or len({len(one.parts) for one in several}) > 1:
        return _flat(told)
    first = _flat([one.parts[0] if one.parts else one for one in told])  # what has one part has the first one
    others = (_flat(same) for same in zip(*(one.parts[1:] for one in several), strict=True))
    return replace(joined((first, *others), "all of", _ALL), rule=several[0].rule)


def _flat(verdicts: Sequence[Verdict]) -> Verdict:
    joint = _with_boundless(joined(tuple(verdicts), "all of", _EACH), verdicts)
    rule = next((one.rule for one in verdicts if one.rule.sentence), verdicts[0].rule)
    if joint.outcome.value != "untested" or not joint.cut:
        return replace(joint, rule=rule, parts=())
    return replace(
        joint, rule=rule, parts=(), why_untested=f"{counted(joint.cut, joint.of)} cut by restarts, none left to judge"
    )


def _with_boundless(joint: Verdict, verdicts: Sequence[Verdict]) -> Verdict:
    """Return a broken verdict whose worst breach is one without a margin, such as a position that is no number."""
    boundless = [one for one in verdicts if one.outcome is Outcome.BROKEN and one.margin is None]
    if joint.outcome is not Outcome.BROKEN or joint.margin is None or not boundless:
        return joint
    worst = boundless[0]
    return replace(joint, margin=None, worst=worst.worst, evidence=replace(joint.evidence, worst=worst.evidence.worst))


def _of_episode(verdict: Verdict, number: int) -> Verdict:
    """Return a verdict whose breaches say in which episode they are."""
    return replace(
        verdict, first=_numbered(verdict.first, number), worst=_numbered(verdict.worst, number),
        parts=tuple(_of_episode(one, number) for one in verdict.parts),
    )  # fmt: skip


def _numbered(breach: Breach | None, number: int) -> Breach | None:
    return None if breach is None else replace(breach, episode=number)
