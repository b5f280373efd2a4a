"""Whether properties keep their types."""

from typing import Unpack

import numpy as np

from breadcrumb.checks.declaration import Common, check
from breadcrumb.model.columns import property_of
from breadcrumb.model.facts import OTHER_TYPE
from breadcrumb.model.session import NOBODY
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict


@check("no property of {trace:title} changes its type")
def keeps_types(trace: Trace, **common: Unpack[Common]) -> Verdict:
    """Assert that no property changes its type in play, as the recorder noticed it: a number that becomes a text.

    Such values are missing in the trace, and its facts count them; the breach is at the first one that is missing.

    Args:
        trace: the session.

    Returns:
        A verdict on every property. Untested if nothing was sampled. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> keeps_types(small_trace()).outcome
        'held'
    """
    session = trace.data.session
    told = {(kind, property_of(name)): name for kind in trace.kinds for name in trace.data.columns(kind)}
    changed = [(fact.kind, fact.property) for fact in trace.facts if fact.code == OTHER_TYPE]
    wrong = [one for one in dict.fromkeys(changed) if one in told]
    found = [_first_missing(trace, kind, told[kind, name]) for kind, name in wrong]
    held = len(told) - len(wrong)
    lifetimes = np.array([lifetime for lifetime, _ in found], np.int64)
    nobody = np.full(held, NOBODY)
    evaluation = Evaluation(
        session, np.hstack((np.array([clock_index for _, clock_index in found], np.int64), np.zeros(held, np.int64))),
        np.hstack((lifetimes, nobody)),
        np.hstack((session.lifetimes.name[lifetimes] if len(lifetimes) else lifetimes, nobody)),
        np.hstack((np.full(len(wrong), -1.0), np.zeros(held))),
        lambda index: Phrase("another type", "that of its first value", f"{'.'.join(wrong[index])} changes its type"),
        of="properties", exact=True, plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


def _first_missing(trace: Trace, kind: str, name: str) -> tuple[int, int]:
    """Return the lifetime and the clock index of the first value of a column that is missing behind one that is not."""
    column = trace.data.column(kind, name)
    lifetime, clock_index = trace.data.index(kind)
    if column.valid is None or column.valid.all():
        return int(lifetime[0]), int(clock_index[0])
    lost = ~column.valid
    lost[1:] &= column.valid[:-1] & (lifetime[1:] == lifetime[:-1])
    indices = np.flatnonzero(lost)
    index = int(indices[np.argmin(clock_index[indices])]) if len(indices) else int(np.flatnonzero(~column.valid)[0])
    return int(lifetime[index]), int(clock_index[index])
