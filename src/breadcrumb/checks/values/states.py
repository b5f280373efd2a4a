"""Checks of states: which a value may have, and how long one lasts."""

from collections.abc import Collection
from typing import Unpack

import numpy as np

from breadcrumb.algebra.conditions import condition_of
from breadcrumb.algebra.durations import SAME_TIME, Duration, Within, elapsed, length_window
from breadcrumb.algebra.sorts import Angle, Flag, Number, Text
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, without_unit
from breadcrumb.model.session import NOBODY, Bools
from breadcrumb.verdicts.comparing import Scope, judge_flag, untested
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.explaining import phrase_of
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict
from breadcrumb.verdicts.words import amount


@check("{signal:title} is one of {allowed:several}")
def one_of(
    signal: Number | Angle | Text,
    allowed: Collection[float] | Collection[str],
    *,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a value is always one of several.

    Args:
        signal: the value: a number, an angle or a text.
        allowed: the values that it may have.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> one_of(small_trace().one("skiff").position.x, [0, 1, 2]).first.allowed
        '0 m, 1 m or 2 m'
    """
    flag = signal.isin(allowed)
    if flag.track.unseen:
        return untested(flag)
    scope = Scope(during, except_during)
    condition = condition_of(scope.of(flag))
    return judge_flag(flag, lambda index: phrase_of(condition, index, signal.owner), scope=scope)


@check("{state:title} lasts {duration}", unit=without_unit)
def lasts(
    state: Flag | Spans,
    duration: Within,
    *,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert how long a state lasts each time, from its first frame to the frame after its last one.

    Args:
        state: a flag that is true while it lasts, or spans.
        duration: one that is met in seconds by the first recorded frame at or after it; or a pair (shortest, longest).
            A shortest of 0 makes it a prohibition, "never longer than", which holds if there never was such a state.
        time_tol: widens both ends.

    Returns:
        A verdict on every stretch. Untested if there is none, unless it is a prohibition. Undecided are stretches of
        which the start or the end was not seen, unless they are too long already, and those with a gap in them. What is
        too long is dated on the last frame by which it had to end. Its margin is the smallest time to a
        limit, in frames or seconds, and none for an exact duration.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> lasts((boat.position.x == 1), (frames(0), frames(1))).outcome
        'held'
    """
    due = length_window(duration, "lasts", time_tol)
    spans = state.spans() if isinstance(state, Flag) else state
    session, clock = spans.session, spans.session.clock
    if not spans.count and not due.earliest.value:
        return _never(state, spans)
    first, last = due.clock_indices(clock, spans.first)
    end = np.minimum(spans.last + 1, clock.size - 1)
    torn = session.is_torn(spans.first, spans.last)
    whole = _seen_whole(spans, begun=isinstance(state, Flag)) & ~torn
    unit = due.latest.unit
    took = elapsed(clock, spans.first, end, unit)
    too_long = (spans.last + 1 > last) & ~torn
    in_gap = np.isin(
        spans.last + 1, session.gaps
    )  # then it was too long only if it still lasted at the end of its time
    too_long &= ~in_gap | (elapsed(clock, spans.first, spans.last, due.latest.unit) >= due.longest - SAME_TIME)
    in_time = (end >= first) & ~too_long
    spare = np.minimum(due.latest.value - took, took - due.earliest.value)
    off = np.where(end < first, took - due.earliest.value, due.latest.value - took)
    margin = np.where(in_time, np.maximum(spare, 0.0), np.minimum(off, -SAME_TIME))
    kept = np.flatnonzero(whole | too_long)
    when = np.where(too_long, np.minimum(np.maximum(last, spans.first), clock.size - 1), end)

    def phrase(index: int) -> Phrase:
        at = kept[index]
        length = amount(float(took[at]), unit) + ("" if whole[at] else " at least")
        short = due.earliest.value - float(took[at])
        by, way = (short, "short") if short > 0 else (float(took[at]) - due.latest.value, "long")
        return Phrase(length, str(due), f"{spans.label} lasts {amount(by, unit)} too {way}")

    subject = spans.participants.subject
    evaluation = Evaluation(
        session, when[kept], spans.lifetime[kept], subject[kept], margin[kept], phrase, of="stretches", unit=unit,
        exact=due.exact, allowed=due.latest.value - due.earliest.value or None,
        undecided=spans.count - len(kept), plot=PlotSource(state if isinstance(state, Flag) else None),
        unseen=state.track.unseen if isinstance(state, Flag) else "",
    )  # fmt: skip
    return evaluation.verdict()


def _seen_whole(spans: Spans, *, begun: bool) -> Bools:
    """Return of which spans begin and end were seen; what is true on the first frame had begun before, if it is a flag.

    A missing value beside a span, or a gap, leaves open where it ends.
    """
    gaps = spans.session.gaps
    seen = (spans.last + 1 < spans.session.clock.size) & ~np.isin(spans.last + 1, gaps)
    if begun:
        seen &= (spans.first > 0) & ~np.isin(spans.first, gaps)
    unknown = spans.unknown
    if unknown is None or not unknown.count:
        return seen
    beside = np.zeros(spans.count, np.bool_)
    size = spans.session.clock.size + 1
    for mine, theirs in ((spans.first, unknown.last + 1), (spans.last + 1, unknown.first)):
        beside |= np.isin(spans.lifetime * size + mine, unknown.lifetime * size + theirs)
    return seen & ~beside


def _never(state: Flag | Spans, spans: Spans) -> Verdict:
    """Return the verdict of a prohibition on what never was: it holds on every frame that tells so."""
    if isinstance(state, Flag):
        if state.track.unseen:
            return untested(state)
        known = np.unique(state.track.clock_index[state.usable])
    elif spans.unseen:
        return Verdict(UNNAMED, Outcome.UNTESTED, spans.session.label, of="stretches", why_untested=spans.unseen)
    else:
        known = np.arange(spans.session.clock.size)
    nobody = np.full(len(known), NOBODY)
    evaluation = Evaluation(
        spans.session, known, nobody, nobody, np.zeros(len(known)), lambda index: Phrase("", "", ""), of="frames",
        exact=True,
    )  # fmt: skip
    return evaluation.verdict()
