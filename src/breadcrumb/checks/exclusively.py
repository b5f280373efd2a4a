"""Rules of two halves: each cause has its effect, and nothing else does; `only=False` leaves the second one out."""

from dataclasses import replace

from breadcrumb.verdicts.findings import Breach
from breadcrumb.verdicts.verdict import Verdict, all_of

_HINT = "; only=False would allow it"


def exclusively(each: Verdict, others: Verdict, what: str) -> Verdict:
    """Join the verdict on the causes with the one on everything else.

    Args:
        each: the verdict that causes have their effect; if it is untested, so is the whole unless the other is broken.
        others: the verdict that nothing else has it; its breaches name `only=False`.
        what: what must not be, in words.
    """
    if others.outcome == "untested" or (each.outcome == "untested" and others.outcome == "held"):
        return replace(each, undecided=each.undecided + others.undecided, missing=each.missing + others.missing)
    told = replace(others, first=_hinting(others.first), worst=_hinting(others.worst)).with_sentence(what)
    return all_of(each, told)


def _hinting(breach: Breach | None) -> Breach | None:
    return None if breach is None else replace(breach, words=breach.words + _HINT)
