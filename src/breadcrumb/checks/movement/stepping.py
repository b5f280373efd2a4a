"""A check of what moves by whole steps."""

from dataclasses import replace
from typing import Unpack

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.checks.dealing import Causes, Steps, no_other_change
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.exclusively import exclusively
from breadcrumb.checks.kinds import Amount, AmountGiven
from breadcrumb.verdicts.comparing import judge_near
from breadcrumb.verdicts.verdict import Verdict


@check("{signal:title} steps by {amount:signed} at {at}[ within {limits}][only?, and at no other time]")
def steps_by(
    signal: Amount,
    amount: AmountGiven,
    *,
    at: Moments,
    limits: tuple[float, float] | None = None,
    only: bool = True,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a number moves by whole steps at moments, the last one shortened at a limit, and at no other time.

    A step is that from the last sample before the moment's frame to the one on that frame; where there is none, to the
    one after. The steps of several moments of one object on one frame add up.

    Args:
        signal: the number, such as `boom.position.y`.
        amount: the step, positive or negative; a number, or a value for each moment.
        at: the moments; their subject is the object that steps, or they are nobody's it has.
        limits: the lowest and the highest value.
        only: whether any other change is a breach.
        tol: how far off is still allowed, in the unit of the value.

    Returns:
        A verdict on every moment. Untested if there is none; undecided where the samples around it were not recorded.
        Its margin is `tol` less the largest deviation.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> steps_by(trace.one("skiff").position.x, 1.0, at=trace.events("bell.rung"), only=False).outcome
        'held'
    """
    causes = Causes.of(signal, at)
    total, steps = causes.total(amount), Steps(signal, tol)
    on_time = causes.picked(signal, steps.before(causes.index))
    asked = _limited(on_time + total, limits).parts[0] - on_time.parts[0]
    dealt = causes.dealt(steps, np.abs(asked) > tol)
    due = _limited(causes.picked(signal, steps.before(dealt.sample)) + total, limits)
    each = judge_near(causes.picked(signal, dealt.sample), due, tol=tol, undecided=causes.lost).with_sentence(
        "each step"
    )
    return exclusively(each, no_other_change(signal, dealt.exempt, tol), "no other change") if only else each


def _limited(value: Signal, limits: tuple[float, float] | None) -> Signal:
    return value if limits is None else replace(value, parts=(np.clip(value.parts[0], *limits),))
