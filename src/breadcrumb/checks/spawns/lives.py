"""Checks of what appears, how long it lives, and when it is gone."""

from dataclasses import replace

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, Window, duration, elapsed, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.checks.triggers import leads_to
from breadcrumb.model.session import NOBODY
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict, all_of
from breadcrumb.verdicts.words import amount


def one_for_each(
    cause: Moments,
    objects: Objects,
    within: Duration | tuple[Duration, Duration],
    *,
    match: str = "any",
    tol: Duration | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that each cause makes exactly one new life, and that nothing else does.

    Args:
        cause: the moments that must each make one.
        objects: what is made.
        within: how soon after the cause it appears, a duration or a pair (earliest, latest).
        match: `"any"` pairs causes and lives in order; `"subject"` if the cause's subject is the object made, as after
            `.about("on")`.
        tol: widens both ends.
        occasions: how many causes there must be at the least.

    Returns:
        A verdict on every cause and every new life. Idle if there was no cause and no new life. Lives that were there
        when recording began are not judged, and causes on its first frame, which may have made them, are undecided. Its
        margin is that of `leads_to`.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace(
        ...     [{}, {"keg": {"x": 0.0}}], kinds={"keg": "barrel"}, events=[(1, "barrel.ordered", "quay")]
        ... )
        >>> one_for_each(trace.events("barrel.ordered"), trace.all("barrel"), within=frames(0)).outcome
        'held'
    """
    judged = cause.pick(np.flatnonzero(cause.row > 0)) if _were_there_before(objects) else cause
    made = leads_to(judged, objects.appears, within, match=match, tol=tol, occasions=occasions)
    made = replace(made, undecided=made.undecided + cause.count - judged.count)
    caused = _caused(objects, cause, window(within, tol), match)
    both = all_of(made, caused) if caused.tested else made
    sentence = f"each {cause.label} makes exactly one {objects.kind} {window(within, tol)}, and nothing else does"
    return both.saying(sentence)


def lasts(
    objects: Objects,
    exactly: Duration | tuple[Duration, Duration],
    *,
    tol: Duration | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert how long each life lasts, from the frame on which it appears to the first one on which it is gone.

    Args:
        objects: whose lives.
        exactly: a duration, met in seconds by the first recorded frame at or after it; or a pair (shortest, longest).
        tol: widens both ends.
        occasions: how many lives there must be at the least.

    Returns:
        A verdict on every life. Idle if none was seen whole. Undecided are lives that were there when recording began
        or are there at its end, unless they are too long already. Its margin is the smallest time to a limit, in frames
        or seconds, and none for an exact duration.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> spark = {"spark": {"x": 0.0}}
        >>> print(
        ...     lasts(make_trace([{}, spark, spark, {}], kinds={"spark": "flare"}).all("flare"), frames(3)).first.words
        ... )
        gone too soon
    """
    pair = exactly if isinstance(exactly, tuple) else (exactly, exactly)
    due = Window(duration(pair[0], "lasts"), duration(pair[1], "lasts"), tol)
    appears = objects.appears
    session, clock = appears.session, appears.session.clock
    life = appears.life
    leave = session.lives.leave[life] if len(life) else life
    gone = leave != NOBODY
    first, last = due.rows(clock, appears.row)
    end = np.where(gone, leave, clock.size - 1)
    decided = gone | (last < clock.size - 1)
    unit = due.latest.unit
    took = elapsed(clock, appears.row, end, unit)
    in_time = (end >= first) & (end <= last) & gone
    room = np.minimum(due.latest.value - took, took - due.earliest.value)
    off = np.where(end < first, took - due.earliest.value, due.latest.value - took)
    slack = np.where(in_time, np.maximum(room, 0.0), np.minimum(off, -SAME_TIME))
    when = np.where(end < first, end, np.minimum(last, clock.size - 1))
    kept = np.flatnonzero(decided)

    def phrase(place: int) -> Phrase:
        at = kept[place]
        short = end[at] < first[at]
        measured = amount(float(took[at]), unit) + ("" if gone[at] else " and still there")
        return Phrase(measured, str(due), "gone too soon" if short else "there too long")

    undecided = len(life) - len(kept) + _were_there_before(objects)
    case = Case(
        session, when[kept], life[kept], appears.subject[kept], slack[kept], phrase, of="lives", unit=unit,
        exact=due.exact, allowed=due.latest.value - due.earliest.value or None, undecided=undecided,
        unseen=appears.unseen, picture=Picture(position=_position(objects), lives=objects.life_spans),
    )  # fmt: skip
    return case.verdict(f"{objects.called} lasts {due}", occasions)


def _caused(objects: Objects, cause: Moments, due: Window, match: str) -> Verdict:
    """Return the verdict that no life begins without an open cause of its own, each cause taken once, in order."""
    appears = objects.appears
    clock = appears.session.clock
    first, last = due.rows(clock, cause.row)
    taken = np.zeros(cause.count, np.bool_)
    slack = np.zeros(appears.count)
    for place, row in enumerate(appears.row.tolist()):
        open_now = ~taken & (first <= row) & (row <= last)
        if match == "subject":
            open_now &= cause.subject == appears.subject[place]
        if open_now.any():
            taken[np.argmax(open_now)] = True
        else:
            slack[place] = -1.0
    case = Case(
        appears.session, appears.row, appears.life, appears.subject, slack,
        lambda place: Phrase("a new life", f"one for each {cause.label}", f"appears without its own {cause.label}"),
        of="lives", exact=True, unseen=appears.unseen, picture=Picture(lives=objects.life_spans),
    )  # fmt: skip
    return case.verdict(f"nothing but {cause.label} makes one")


def _were_there_before(objects: Objects) -> int:
    """Return how many lives were there when recording began."""
    spans = objects.life_spans
    return int((spans.session.lives.appear[spans.life] == NOBODY).sum())


def _position(objects: Objects) -> Signal | None:
    return objects.signal("position") if "position" in objects.properties else None
