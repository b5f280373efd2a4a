"""A check of whether a game reports what touches."""

from typing import Unpack

import numpy as np

from breadcrumb.algebra.durations import Duration, TimeAxis, duration, frames, window
from breadcrumb.algebra.indexing import Index
from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.collisions.contacts import WITH_ANY
from breadcrumb.checks.declaration import Common, check
from breadcrumb.model.session import Bools
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict


@check("{moments} reports every time {touches}[only?, and at no other time]")
def reports_every_touch(
    moments: Moments,
    touches: Spans,
    *,
    only: bool = True,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that contact events and geometry agree: no contact is missed, and none is invented.

    Args:
        moments: the contacts that the game reports; their subject is the object that touches.
        touches: when they touch, from `touching`.
        only: whether an event without a touch is a breach, or one that tells of a touch again.
        time_tol: how far apart an event and its touch may be; one frame if left out.

    Returns:
        A verdict on every touch and every event. Untested if there was neither; undecided is a touch that may have
        begun before the trace, in a gap or on a frame without a position, and an event beside one. It is exact, so it
        has no margin.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.checks.collisions import touching
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> touches = touching(trace.one("skiff"), Circle((3, 0), 1.5))
        >>> reports_every_touch(trace.events("bell.rung"), touches).outcome
        'held'
    """
    tol = frames(1) if time_tol is None else duration(time_tol, "time_tol")
    events = moments if only else moments.pick(np.zeros(0, np.int64))
    wide = touches.grown(tol)
    doubtful = touches.unknown.grown(tol) if touches.unknown is not None else touches.pick(np.zeros(0, np.int64))
    told = _told_of(touches, moments, tol)
    meant = wide.covers(events.participants, events.clock_index) & ~_again(events, touches)
    gaps = events.session.gaps
    doubt = doubtful.covers(touches.participants, touches.first) | _behind_unknown(touches)
    open_touch = ~told & ((touches.first == 0) | np.isin(touches.first, gaps) | doubt)
    in_gap = (
        events.session.at_restart(events.clock_index)
        | np.isin(events.clock_index, gaps)
        | np.isin(events.clock_index + 1, gaps)
    )
    open_event = ~meant & (in_gap | doubtful.covers(events.participants, events.clock_index))
    names = events.session.lifetimes.name
    count = touches.count
    kept = np.flatnonzero(~np.hstack((open_touch, open_event)))

    def phrase(index: int) -> Phrase:
        if kept[index] < count:
            return Phrase("no event", f"one {moments.label} at each touch", f"touches without {moments.label}")
        return Phrase(
            "no touch",
            f"{moments.label} at a touch only",
            f"{moments.label} without a touch; only=False would allow it",
        )

    evaluation = Evaluation(
        events.session, np.hstack((touches.first, events.clock_index))[kept],
        np.hstack((touches.lifetime, events.lifetime))[kept],
        np.hstack((names[touches.lifetime] if count else touches.lifetime, events.subject))[kept],
        np.where(np.hstack((told, meant)), 0.0, -1.0)[kept], phrase, of="touches and events", exact=True,
        undecided=count + events.count - len(kept), unseen=events.unseen if not count else "", plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


def _again(events: Moments, touches: Spans) -> Bools:
    """Return which events tell of a touch that another one of the same two has told of.

    Where the touches are with any of several, one of them may begin anew within another one's, so none is.
    """
    again = np.zeros(events.count, np.bool_)
    if touches.key.text.endswith(WITH_ANY):
        return again
    for match in matches(touches.participants, events.participants):
        index = Index.of(events.session, match.right, events.clock_index[match.right_rows])
        rows = np.arange(events.count)[match.right_rows][index.order]
        begin = index.place(match.left, touches.first[match.left_rows])
        end = index.place(match.left, touches.last[match.left_rows], "right")
        inside = np.zeros(len(rows) + 1, np.int64)  # how many touches each follows another event of
        np.add.at(inside, np.minimum(begin + 1, end), 1)
        np.add.at(inside, end, -1)
        again[rows] |= np.cumsum(inside)[:-1] > 0
    return again


def _behind_unknown(touches: Spans) -> Bools:
    """Return which touches begin right behind a sample on which it is not known."""
    unknown, size = touches.unknown, touches.session.clock.size + 1
    if unknown is None:
        return np.zeros(touches.count, np.bool_)
    return np.isin(touches.lifetime * size + touches.first, unknown.lifetime * size + unknown.last + 1)


def _told_of(touches: Spans, events: Moments, tol: Duration) -> Bools:
    """Return which touches have an event about their beginning that goes with them."""
    clock = events.session.clock
    _, last = window(tol).clock_indices(clock, touches.first)
    axis = TimeAxis.of(clock, tol.unit)
    first = axis.at_or_after(axis.values[touches.first] - tol.value)
    told = np.zeros(touches.count, np.bool_)
    for match in matches(touches.participants, events.participants):
        index = Index.of(events.session, match.right, events.clock_index[match.right_rows])
        told[match.left_rows] |= index.any_between(match.left, first[match.left_rows], last[match.left_rows])
    return told
