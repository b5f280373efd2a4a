"""A check of whether a game reports what touches."""

from typing import Unpack

import numpy as np

from breadcrumb.algebra.durations import Duration, TimeAxis, duration, frames, window
from breadcrumb.algebra.indexing import Index
from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.participants import Participants
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.collisions.surfaces import WITH_ANY
from breadcrumb.checks.collisions.touches import are_told_of, follow_another, names_both, one_way_codes, tell
from breadcrumb.checks.declaration import Common, check
from breadcrumb.model.session import NOBODY, Bools
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

    Where the contacts are by one object on another, each two are judged by themselves: a second partner that is not
    told of, and a wrong one that is, are breaches.

    Args:
        moments: the contacts that the game reports; their subject, or both participants, are what touches.
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
    told_both = names_both(moments, touches)
    judged = touches.pairs if touches.pairs is not None and told_both.any() else touches
    told = _told_of(judged, moments, told_both, tol)
    covered, again, another = _meant(events, touches, judged, tol)
    meant = covered & ~again
    doubtful = touches.unknown.grown(tol) if touches.unknown is not None else touches.pick(np.zeros(0, np.int64))
    session, gaps = events.session, events.session.gaps
    doubt = doubtful.covers(judged.participants, judged.first) | _behind_unknown(judged, touches.unknown)
    open_touch = ~told & ((judged.first == 0) | np.isin(judged.first, gaps) | doubt)
    in_gap = (
        session.at_restart(events.clock_index)
        | np.isin(events.clock_index, gaps)
        | np.isin(events.clock_index + 1, gaps)
    )
    open_event = ~meant & (in_gap | _covered(doubtful, events, names_both(events, touches)))
    count = judged.count
    kept = np.flatnonzero(~np.hstack((open_touch, open_event)))

    def phrase(index: int) -> Phrase:
        if kept[index] < count:
            touch = int(kept[index])
            partner, late = _partner(judged, touch), _late(judged, moments, touch)
            if late:
                said = f"{late} frame{'s' * (late > 1)} late"
                words = f"{moments.label} {said}{' at' * bool(partner)}{partner}"
                return Phrase(said, f"one {moments.label} at each touch", words)
            return Phrase("no event", f"one {moments.label} at each touch", f"touches{partner} without {moments.label}")
        event = int(kept[index]) - count
        if covered[event]:
            return Phrase("another one", f"one {moments.label} at each touch", f"{moments.label} again in one touch")
        if another[event]:
            return _wrong_partner(events, event)
        only_then = f"{moments.label} at a touch only"
        return Phrase("no touch", only_then, f"{moments.label} without a touch; only=False would allow it")

    evaluation = Evaluation(
        session, np.hstack((judged.first, events.clock_index))[kept],
        np.hstack((judged.lifetime, events.lifetime))[kept],
        np.hstack((judged.participants.subject, events.subject))[kept],
        np.where(np.hstack((told, meant)), 0.0, -1.0)[kept], phrase, of="touches and events", exact=True,
        undecided=count + events.count - len(kept), unseen=events.unseen if not count else "", plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


def _partner(touches: Spans, row: int) -> str:
    name = touches.participants.names[1][row]
    return "" if name == NOBODY else f" {touches.session.names[name]}"


def _late(touches: Spans, moments: Moments, row: int) -> int:
    """Return how many frames late a touch is told of, by an event of its two that comes within it; 0 if by none."""
    first, last = int(touches.first[row]), int(touches.last[row])
    inside = moments.pick(np.flatnonzero((moments.clock_index > first) & (moments.clock_index <= last)))
    mine = touches.participants.pick(np.array([row]))
    whose = set(np.hstack((mine.by_lifetime, mine.on_lifetime)).tolist()) - {NOBODY}
    theirs = zip(inside.participants.by_lifetime.tolist(), inside.participants.on_lifetime.tolist(), strict=True)
    frames_of = moments.session.clock.frames
    return next(
        (int(frames_of[at] - frames_of[first]) for at, two in zip(inside.clock_index.tolist(), theirs, strict=True)
         if whose <= set(two)), 0,
    )  # fmt: skip


def _wrong_partner(events: Moments, row: int) -> Phrase:
    by, on = (events.session.names[one[row]] for one in events.participants.names)
    return Phrase(f"by {by} on {on}", "the two that touch", f"{events.label} by {by} on {on}, which do not touch")


def _meant(events: Moments, touches: Spans, judged: Spans, tol: Duration) -> tuple[Bools, Bools, Bools]:
    """Return which events lie at a touch, which tell of one again, and which lie at one that is not of their two."""
    both = names_both(events, touches) if judged is touches.pairs else np.zeros(events.count, np.bool_)
    covered, again, another = np.zeros((3, events.count), np.bool_)
    one, two = np.flatnonzero(~both), np.flatnonzero(both)
    lone, paired, wide = events.pick(one), events.pick(two), touches.grown(tol)
    covered[one], again[one] = wide.covers(lone.participants, lone.clock_index), _again(lone, touches)
    if len(two):
        code, _ = one_way_codes(paired.participants)
        theirs = np.hstack(one_way_codes(judged.participants))
        first, last = np.tile(judged.first, 2), np.tile(judged.last, 2)
        covered[two] = are_told_of(paired, judged.grown(tol))
        again[two] = follow_another(code, paired.clock_index, theirs, first, last, events)
        another[two] = ~covered[two] & _covered(wide, paired, np.ones(len(two), np.bool_))
    return covered, again, another


def _covered(spans: Spans, events: Moments, both: Bools) -> Bools:
    """Return which events lie in a span that goes with them; of those that name both, with either of the two."""
    covered = np.zeros(events.count, np.bool_)
    one, two = np.flatnonzero(~both), np.flatnonzero(both)
    lone, paired = events.pick(one), events.pick(two)
    covered[one] = spans.covers(lone.participants, lone.clock_index)
    kinds = np.append(events.session.lifetimes.kind, NOBODY)  # that of nobody stands last
    for lifetime in (paired.participants.by_lifetime, paired.participants.on_lifetime):
        theirs = np.flatnonzero(np.isin(kinds[lifetime], kinds[spans.lifetime[spans.lifetime != NOBODY]]))
        clock_index = paired.clock_index[theirs]
        whose = Participants.of_lifetimes(events.session, clock_index, lifetime[theirs], events.label)
        covered[two[theirs]] |= spans.covers(whose, clock_index)
    return covered


def _again(events: Moments, touches: Spans) -> Bools:
    """Return which events tell of a touch that another one of the same object has told of.

    Where the touches are with any of several, one of them may begin anew within another one's, so none is.
    """
    again = np.zeros(events.count, np.bool_)
    if touches.key.text.endswith(WITH_ANY):
        return again
    for match in matches(touches.participants, events.participants):
        rows = match.right_rows
        again[rows] |= follow_another(
            match.right, events.clock_index[rows], match.left, touches.first[match.left_rows],
            touches.last[match.left_rows], events,
        )  # fmt: skip
    return again


def _behind_unknown(touches: Spans, unknown: Spans | None) -> Bools:
    """Return which touches begin right behind a sample on which it is not known."""
    if unknown is None:
        return np.zeros(touches.count, np.bool_)
    size = touches.session.clock.size + 1
    return np.isin(touches.lifetime * size + touches.first, unknown.lifetime * size + unknown.last + 1)


def _told_of(touches: Spans, events: Moments, both: Bools, tol: Duration) -> Bools:
    """Return which touches have an event about their beginning that goes with them."""
    clock = events.session.clock
    _, last = window(tol).clock_indices(clock, touches.first)
    axis = TimeAxis.of(clock, tol.unit)
    first = axis.at_or_after(axis.values[touches.first] - tol.value)
    told = np.zeros(touches.count, np.bool_)
    if both.any():
        told |= tell(touches, first, last, events.pick(np.flatnonzero(both)))
    lone = events.pick(np.flatnonzero(~both))
    for match in matches(touches.participants, lone.participants):
        index = Index.of(events.session, match.right, lone.clock_index[match.right_rows])
        told[match.left_rows] |= index.any_between(match.left, first[match.left_rows], last[match.left_rows])
    return told
