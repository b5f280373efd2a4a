"""Whether random draws that a game records are fair."""

from typing import Unpack

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.checks.declaration import Common, check, without_unit
from breadcrumb.checks.spawns.beginnings import SIGNIFICANCE, evenness
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict, all_of
from breadcrumb.verdicts.words import number

_PARTS = 10
"""Into how many equal parts the range of draws is divided."""
_MOST_NUMBERS = 100
"""From how many whole numbers on draws are looked at by parts of their range instead."""


@check("{moments} is drawn within its bounds, evenly", unit=without_unit, whole=True)
def draws_evenly(
    moments: Moments,
    *,
    low_key: str = "low",
    high_key: str = "high",
    value_key: str = "value",
    significance: float = SIGNIFICANCE,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that recorded random draws lie within their bounds, and are spread evenly over them.

    If all draws are of whole numbers between the same bounds, each number from the lowest to the highest one must come
    up as often as the others; else each tenth of the range must, whatever the range of each draw is. Evenness is judged
    as `spreads_over` does.

    Args:
        moments: the draws.
        low_key: the entry of their data that holds the lowest value that may be drawn.
        high_key: that holds the highest one.
        value_key: that holds what was drawn.
        significance: the share of fair sessions that may be called unfair by mistake.

    Returns:
        A verdict on every draw and on the whole of them. Untested if there were too few. Its margin is log10(p /
        significance); what lies beyond its bounds has none.

    Raises:
        Misuse: a draw lacks an entry, or one is no number.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> rolls = [(0, "rolled", None, None, {"low": 1, "high": 6, "value": n % 6 + 1}) for n in range(90)]
        >>> draws_evenly(make_trace([{"die": {"x": 0.0}}], kinds={"die": "die"}, events=rolls).events("rolled")).outcome
        'held'
    """
    low, high, value = (_numbers(moments, key) for key in (low_key, high_key, value_key))
    inside = np.minimum(value - low, high - value)

    def phrase(index: int) -> Phrase:
        allowed = f"{number(low[index])} to {number(high[index])}"
        return Phrase(number(value[index]), allowed, f"{number(-inside[index])} beyond its bounds")

    within = Evaluation(
        moments.session, moments.clock_index, moments.lifetime, moments.subject, inside, phrase, of="draws",
        unseen=moments.unseen, exact=True, plot=PlotSource(),
    )  # fmt: skip
    each = within.verdict().with_sentence("each draw lies within its bounds")
    if each.outcome != "held":
        return each
    whole = all((one == np.rint(one)).all() for one in (low, high, value))
    if whole and len(np.unique(low)) == len(np.unique(high)) == 1 and high[0] - low[0] < _MOST_NUMBERS:
        numbers = np.arange(low[0], high[0] + 1)
        counts = np.bincount((value - low[0]).astype(np.int64), minlength=len(numbers))
        return all_of(each, evenness(moments, counts, numbers[:, None], significance)) if len(numbers) > 1 else each
    length = high - low
    share = np.where(length > 0, (value - low) / np.where(length > 0, length, 1.0), np.nan)
    drawn = share[~np.isnan(share)]  # what could be one value alone tells nothing
    part = np.minimum((drawn * _PARTS).astype(np.int64), _PARTS - 1)
    middles = (np.arange(_PARTS) + 0.5) / _PARTS
    return all_of(each, evenness(moments, np.bincount(part, minlength=_PARTS), middles[:, None], significance))


def _numbers(moments: Moments, key: str) -> Floats:
    if not moments.count:
        return np.zeros(0)
    told = moments[key]
    if told.ndim != 1 or told.dtype.kind != "f" or np.isnan(told).any():
        raise Misuse(f"draws_evenly: expected a number in the entry {key!r} of each {moments.label}")
    return np.asarray(told, np.float64)
