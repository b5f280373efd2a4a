"""Verdicts on single values, which have no course over time and so no frame."""

from breadcrumb.algebra.quantities import Claim
from breadcrumb.errors import Misuse
from breadcrumb.verdicts.findings import Margin
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict
from breadcrumb.verdicts.words import amount


def claimed(claim: Claim) -> Verdict:
    """Return the verdict on a comparison of single numbers: with its margin, and without a frame."""
    if not claim.tested:
        why = f"{claim.text} has no value to compare"
        return Verdict(UNNAMED, Outcome.UNTESTED, claim.session, of=claim.of, why_untested=why)
    margin = None if claim.margin is None else Margin(claim.margin, claim.unit)
    told = () if claim.holds else tuple(_breach(*one) for one in claim.told)
    return _single(claim.holds, claim.session, claim.tested, claim.of, margin, told or (f"{claim.text} is false",))


def plain(holds: bool, tested: int) -> Verdict:
    """Return the verdict on a plain True or False that is about so many things.

    Raises:
        Misuse: the number is negative.
    """
    if tested < 0:
        raise Misuse(f"judge: expected tested= from 0 up, found {tested}")
    if not tested:
        why = "it is about none, by tested=0"
        return Verdict(UNNAMED, Outcome.UNTESTED, of="values", why_untested=why)
    return _single(holds, "", tested, "values", None, ("measured false, allowed true",))


def _single(
    holds: bool, session: str, tested: int, of: str, margin: Margin | None, details: tuple[str, ...]
) -> Verdict:
    outcome = Outcome.HELD if holds else Outcome.BROKEN
    return Verdict(
        UNNAMED, outcome, session, margin, tested, of, breach_count=0 if holds else 1,
        details=() if holds else details,
    )  # fmt: skip


def _breach(name: str, value: float, unit: str, limit: str, against: float | None) -> str:
    said = f"{name} is {amount(value, unit)}"
    return said if against is None else f"{said}; allowed {limit} {amount(against, unit)}".replace("  ", " ")
