"""Checks of what appears, and how long it lasts."""

from dataclasses import replace
from typing import Unpack

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, Window, Within, elapsed, length_window, window
from breadcrumb.algebra.indexing import Index
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.exclusively import exclusively
from breadcrumb.checks.triggers import leads_to
from breadcrumb.checks.triggers.labels import paired
from breadcrumb.model.session import NOBODY, Ints
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
        that were there when recording began or behind a gap are not judged, and causes on such a frame, which may have
        made them, are undecided; so is a lifetime whose cause may have come before. Its margin is that of `leads_to`.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace(
        ...     [{}, {"keg": {"x": 0.0}}], kinds={"keg": "barrel"}, events=[(1, "barrel.ordered", "quay")]
        ... )
        >>> one_for_each(trace.events("barrel.ordered"), trace.all("barrel"), within=frames(0)).outcome
        'held'
    """
    judged = cause.pick(np.flatnonzero(~np.isin(cause.clock_index, _there_already(objects))))
    appears = replace(objects.appears, is_shared=False, from_steps=False)  # each cause makes one of its own
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
        recording began or are there at its end, or at a gap, unless they are too long already. What is too long is
        dated on the last frame by which it had to be gone. Its margin is the smallest time to a
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
    spans = objects.lifetimes
    session, clock = spans.session, spans.session.clock
    lifetime = spans.lifetime
    appear, leave, gone_on = (
        one[lifetime] for one in (session.seen_to_appear, session.seen_to_leave, session.lifetimes.leave)
    )
    begin = np.where(appear == NOBODY, spans.first, appear)
    first, last = due.clock_indices(clock, begin)
    gone = leave != NOBODY
    end = np.where(gone, leave, np.minimum(spans.last + 1, clock.size - 1))
    too_long = np.where(gone_on == NOBODY, clock.size, gone_on) > last
    in_gap = (gone_on != NOBODY) & ~gone  # then it was too long only if it was still there at the end of its time
    too_long &= ~in_gap | (elapsed(clock, begin, spans.last, due.latest.unit) >= due.longest - SAME_TIME)
    kept = np.flatnonzero(too_long | (gone & (appear != NOBODY)))
    unit = due.latest.unit
    took = elapsed(clock, begin, end, unit)
    in_time = (end >= first) & ~too_long
    spare = np.minimum(due.latest.value - took, took - due.earliest.value)
    off = np.where(too_long, due.latest.value - took, took - due.earliest.value)
    margin = np.where(in_time, np.maximum(spare, 0.0), np.minimum(off, -SAME_TIME))
    when = np.where(too_long, np.minimum(np.maximum(last, begin), clock.size - 1), end)

    def phrase(index: int) -> Phrase:
        at = kept[index]
        lived = amount(float(took[at]), unit) + ("" if gone[at] else " so far")
        by, way = (-float(off[at]), "long") if too_long[at] else (due.earliest.value - float(took[at]), "short")
        return Phrase(lived, str(due), f"lived {amount(by, unit)} too {way}")

    evaluation = Evaluation(
        session, when[kept], lifetime[kept], spans.participants.subject[kept], margin[kept], phrase, of="lifetimes",
        unit=unit, exact=due.exact, allowed=due.latest.value - due.earliest.value or None,
        undecided=spans.count - len(kept), unseen=objects.appears.unseen, plot=PlotSource(position=_position(objects),
        lifetimes=spans),
    )  # fmt: skip
    return evaluation.verdict()


def _caused(objects: Objects, cause: Moments, due: Window, match: str) -> Verdict:
    """Return the verdict that no lifetime begins outside the windows of all causes; in one, `leads_to` counts them."""
    session = objects.appears.session
    appears, cause, of_appears, of_cause, *_ = paired(match, objects.appears, cause)
    first, last = due.clock_indices(session.clock, cause.clock_index)
    begun = Index.of(session, of_cause, first).place(of_appears, appears.clock_index, "right")
    over = Index.of(session, of_cause, last + 1).place(of_appears, appears.clock_index, "right")
    caused = begun > over
    unknown = due.hidden_before(session, appears.clock_index, np.full(appears.count, NOBODY))
    kept = np.flatnonzero(caused | ~unknown)
    judged = appears.pick(kept)
    evaluation = Evaluation(
        session, judged.clock_index, judged.lifetime, judged.subject, np.where(caused[kept], 0.0, -1.0),
        lambda index: Phrase("a new lifetime", f"one for each {cause.label}", f"appears without {cause.label}"),
        of="lifetimes", exact=True, undecided=appears.count - len(kept), unseen=appears.unseen,
        plot=PlotSource(lifetimes=objects.lifetimes),
    )  # fmt: skip
    return evaluation.verdict()


def _there_already(objects: Objects) -> Ints:
    """Return the clock indices on which lifetimes were there that were not seen to appear."""
    spans = objects.lifetimes
    there: Ints = spans.first[spans.session.seen_to_appear[spans.lifetime] == NOBODY]
    return there


def _position(objects: Objects) -> Signal | None:
    return objects.signal("position") if "position" in objects.properties else None
