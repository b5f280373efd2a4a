"""Checks of what appears, how long it lifetimes, and when it is gone."""

from dataclasses import replace
from typing import Unpack

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, Window, Within, elapsed, length_window, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.exclusively import exclusively
from breadcrumb.checks.triggers import leads_to
from breadcrumb.checks.triggers.labels import paired
from breadcrumb.model.session import NOBODY
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


@check(
    "each {cause} makes exactly one {objects:kind} {within:window}[only?, and nothing else makes one], {match:match}"
)
def one_for_each(
    cause: Moments,
    objects: Objects,
    *,
    within: Within,
    match: str = "any",
    only: bool = True,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that each cause makes exactly one new lifetime, and that nothing else does.

    Args:
        cause: the moments that must each make one.
        objects: what is made.
        within: how soon after the cause it appears, a duration or a pair (earliest, latest).
        match: `"any"` pairs causes and lifetimes in order; `"subject"` if the cause's subject is the object made, as
            after `.with_subject("on")`.
        only: whether a new lifetime without a cause is a breach.
        time_tol: widens both ends.

    Returns:
        A verdict on every cause and every new lifetime. Untested if there was no cause and no new lifetime. Lifetimes
        that were there when recording began are not judged, and causes on its first frame, which may have made them,
        are undecided. Its margin is that of `leads_to`.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace(
        ...     [{}, {"keg": {"x": 0.0}}], kinds={"keg": "barrel"}, events=[(1, "barrel.ordered", "quay")]
        ... )
        >>> one_for_each(trace.events("barrel.ordered"), trace.all("barrel"), within=frames(0)).outcome
        'held'
    """
    judged = cause.pick(np.flatnonzero(cause.clock_index > 0)) if _were_there_before(objects) else cause
    appears = replace(objects.appears, is_shared=False)  # each cause makes one of its own
    made = leads_to(judged, appears, within=within, match=match, time_tol=time_tol)
    made = replace(made, undecided=made.undecided + cause.count - judged.count)
    if not only:
        return made
    caused = _caused(objects, cause, window(within, time_tol), match)
    return exclusively(made, caused, f"nothing but {cause.label} makes one")


@check("{objects} lasts {duration}")
def lasts(
    objects: Objects,
    duration: Within,
    *,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert how long each lifetime lasts, from the frame on which it appears to the first one on which it is gone.

    Args:
        objects: whose lifetimes.
        duration: one that is met in seconds by the first recorded frame at or after it; or a pair (shortest, longest).
        time_tol: widens both ends.

    Returns:
        A verdict on every lifetime. Untested if none was seen whole. Undecided are lifetimes that were there when
        recording began or are there at its end, unless they are too long already. Its margin is the smallest time to a
        limit, in frames or seconds, and none for an exact duration.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> spark = {"spark": {"x": 0.0}}
        >>> print(
        ...     lasts(make_trace([{}, spark, spark, {}], kinds={"spark": "flare"}).all("flare"), frames(3)).first.words
        ... )
        lived 1 frame too short
    """
    due = length_window(duration, "lasts", time_tol)
    appears = objects.appears
    session, clock = appears.session, appears.session.clock
    lifetime = appears.lifetime
    leave = session.lifetimes.leave[lifetime] if len(lifetime) else lifetime
    gone = leave != NOBODY
    first, last = due.clock_indices(clock, appears.clock_index)
    end = np.where(gone, leave, clock.size - 1)
    decided = gone | (last < clock.size - 1)
    unit = due.latest.unit
    took = elapsed(clock, appears.clock_index, end, unit)
    in_time = (end >= first) & (end <= last) & gone
    spare = np.minimum(due.latest.value - took, took - due.earliest.value)
    off = np.where(end < first, took - due.earliest.value, due.latest.value - took)
    margin = np.where(in_time, np.maximum(spare, 0.0), np.minimum(off, -SAME_TIME))
    when = np.where(end < first, end, np.minimum(last, clock.size - 1))
    kept = np.flatnonzero(decided)

    def phrase(index: int) -> Phrase:
        at = kept[index]
        lived = amount(float(took[at]), unit) + ("" if gone[at] else " so far")
        early = due.earliest.value - float(took[at])
        off, way = (early, "short") if early > 0 else (float(took[at]) - due.latest.value, "long")
        return Phrase(lived, str(due), f"lived {amount(off, unit)} too {way}")

    undecided = len(lifetime) - len(kept) + _were_there_before(objects)
    evaluation = Evaluation(
        session, when[kept], lifetime[kept], appears.subject[kept], margin[kept], phrase, of="lifetimes", unit=unit,
        exact=due.exact, allowed=due.latest.value - due.earliest.value or None, undecided=undecided,
        unseen=appears.unseen, plot=PlotSource(position=_position(objects), lifetimes=objects.lifetimes),
    )  # fmt: skip
    return evaluation.verdict()


def _caused(objects: Objects, cause: Moments, due: Window, match: str) -> Verdict:
    """Return the verdict that no lifetime begins without an open cause of its own, each cause taken once, in order."""
    appears, cause, of_appears, of_cause, _ = paired(match, objects.appears, cause)
    clock = appears.session.clock
    first, last = due.clock_indices(clock, cause.clock_index)
    taken = np.zeros(cause.count, np.bool_)
    margin = np.zeros(appears.count)
    for index, clock_index in enumerate(appears.clock_index.tolist()):
        open_now = ~taken & (first <= clock_index) & (clock_index <= last) & (of_cause == of_appears[index])
        if open_now.any():
            taken[np.argmax(open_now)] = True
        else:
            margin[index] = -1.0
    evaluation = Evaluation(
        appears.session, appears.clock_index, appears.lifetime, appears.subject, margin,
        lambda index: Phrase("a new lifetime", f"one for each {cause.label}", f"appears without {cause.label}"),
        of="lifetimes", exact=True, unseen=appears.unseen, plot=PlotSource(lifetimes=objects.lifetimes),
    )  # fmt: skip
    return evaluation.verdict()


def _were_there_before(objects: Objects) -> int:
    """Return how many lifetimes were there when recording began."""
    spans = objects.lifetimes
    return int((spans.session.lifetimes.appear[spans.lifetime] == NOBODY).sum())


def _position(objects: Objects) -> Signal | None:
    return objects.signal("position") if "position" in objects.properties else None
