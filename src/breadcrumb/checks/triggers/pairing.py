"""Checks of what follows from what, and how soon."""

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass, field
from itertools import pairwise, takewhile
from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.durations import Duration, Window, elapsed, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.checks.triggers.apart import judge_apart, too_early, too_late
from breadcrumb.checks.triggers.labels import labels
from breadcrumb.model.session import NOBODY, Floats, Ints
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict


def leads_to(
    cause: Moments,
    effect: Moments,
    within: Duration | tuple[Duration, Duration],
    *,
    times: int = 1,
    unless: Moments | None = None,
    restart: bool = False,
    match: str = "subject",
    tol: Duration | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that each cause is followed by so many effects in time.

    An effect goes to the oldest cause of its subject that is still open. One that comes in the window of a cause that
    has had enough, or that was cancelled, is a breach; one that belongs to no cause is not judged here.

    Args:
        cause: the moments that start it.
        effect: the moments that must follow, on the cause's own frame at the earliest.
        within: a duration, from 0 to that, or a pair (earliest, latest); both ends count. A pair of two equal
            durations is an exact timing; one in seconds is met by the first recorded frame at or after it.
        times: how many effects each cause has.
        unless: a moment of the same subject, or of nobody, between cause and effect that forbids the effect.
        restart: whether a new cause closes the open one of its subject.
        match: `"subject"` pairs moments of the same subject, `"pair"` those of the same two, `"any"` all, and any other
            text is an entry of the data that must be equal.
        tol: widens both ends.
        occasions: how many causes there must be at the least.

    Returns:
        A verdict on every cause, and on every effect too many. Idle if there was no cause; undecided where the trace
        ends before the window does. Its margin is the smallest time to the end of the window, and none for an exact
        timing.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace(
        ...     [{"heron": {"x": 0.0}}] * 5,
        ...     kinds={"heron": "skiff"},
        ...     events=[(1, "bell.rung", "heron"), (3, "gate.open", "heron")],
        ... )
        >>> leads_to(trace.events("bell.rung"), trace.events("gate.open"), within=frames(2)).outcome
        'held'
    """
    due = window(within, tol)
    sentence = f"{cause.label} leads to {_count(times)}{effect.label} {_when(due)}"
    sentence += f" unless {unless.label}" if unless is not None else ""
    of_cause, of_effect, *of_unless = labels(match, cause, effect, *([unless] if unless is not None else []))
    if times == 1 and unless is None and not restart:
        apart = judge_apart(cause, effect, of_cause, of_effect, due)
        if apart is not None:
            return apart.verdict(sentence, occasions)
    causes = _causes(cause, due, of_cause)
    if unless is not None:
        _cancel(causes, unless, of_unless[0])
    if restart:
        _close(causes)
    left = _deal(causes, effect, of_effect, times)
    case = _case(cause, effect, causes, left, due, times)
    return case.verdict(sentence, occasions)


class _Instant(NamedTuple):
    """When something happened: a row of the clock and the place within the frame, or NOBODY for no place."""

    row: int
    order: int

    def precedes(self, other: "_Instant") -> bool:
        """Tell whether this is certainly before the other; without a place, all of a frame is at once."""
        if self.row != other.row or NOBODY in (self.order, other.order):
            return self.row < other.row
        return self.order < other.order


@dataclass(slots=True)
class _Cause:
    """One cause, while effects are dealt out."""

    place: int
    at: _Instant
    first: int
    last: int
    effects: list[int] = field(default_factory=list)
    cancelled: _Instant | None = None
    closed: _Instant | None = None

    def is_stopped(self, at: _Instant) -> bool:
        """Tell whether it was cancelled or closed before an instant."""
        return any(stop is not None and stop.precedes(at) for stop in (self.cancelled, self.closed))


def _instant(moments: Moments, place: int) -> _Instant:
    return _Instant(int(moments.row[place]), int(moments.order[place]))


def _causes(cause: Moments, due: Window, label: Ints) -> dict[int, list[_Cause]]:
    """Return the causes of each subject in order, each with the rows between which its effects are due."""
    first, last = due.rows(cause.session.clock, cause.row)
    causes: dict[int, list[_Cause]] = {}
    for place in range(cause.count):
        one = _Cause(place, _instant(cause, place), int(first[place]), int(last[place]))
        causes.setdefault(int(label[place]), []).append(one)
    return causes


def _cancel(causes: dict[int, list[_Cause]], unless: Moments, label: Ints) -> None:
    """Note which causes are cancelled, each by the first moment of its label, or of nobody, that may."""
    everyone = [one for several in causes.values() for one in several]
    for place in range(unless.count):
        at = _instant(unless, place)
        nobody = unless.subject[place] == NOBODY
        for one in everyone if nobody else causes.get(int(label[place]), ()):
            if one.cancelled is None and not at.precedes(one.at) and at.row <= one.last:
                one.cancelled = at


def _close(causes: dict[int, list[_Cause]]) -> None:
    """Note that each cause is closed by the next one of its label, if that comes before its window is over."""
    for several in causes.values():
        for one, following in pairwise(several):
            if following.at.row <= one.last:
                one.closed = following.at


def _begun(causes: Iterable[_Cause], at: _Instant) -> list[_Cause]:
    """Return the causes, given in order, that an effect at an instant may belong to."""
    return list(takewhile(lambda one: not at.precedes(one.at), causes))


class _Left(NamedTuple):
    """The effects that no cause took."""

    surplus: list[int]
    """Those in the window of a cause that had enough or was cancelled."""
    early: dict[int, int]
    """The first one between a cause and its window, by the cause."""
    late: dict[int, int]
    """The first one behind a cause's window and before the next cause, by the cause."""


def _deal(causes: dict[int, list[_Cause]], effect: Moments, label: Ints, times: int) -> _Left:
    """Deal the effects out to the causes; return those that are left."""
    left = _Left([], {}, {})
    over: dict[int, _Cause] = {}
    waiting = {key: deque(several) for key, several in causes.items()}
    for place in range(effect.count):
        key, at = int(label[place]), _instant(effect, place)
        queue = waiting.get(key, deque())
        while queue and queue[0].last < at.row:
            over[key] = queue.popleft()
        begun = _begun(queue, at)
        in_time = [one for one in begun if one.first <= at.row <= one.last]
        takers = [one for one in in_time if len(one.effects) < times and not one.is_stopped(at)]
        if takers:
            takers[0].effects.append(place)
        elif any(one.closed is None or at.precedes(one.closed) for one in in_time):
            left.surplus.append(place)
        elif not begun and key in over:
            left.late.setdefault(over[key].place, place)
        else:
            for one in begun:
                if all(stop is None or at.precedes(stop) for stop in (one.cancelled, one.closed)):
                    left.early.setdefault(one.place, place)
    return left


class _Judged(NamedTuple):
    """A cause that was decided, or an effect too many."""

    life: int
    name: int
    row: int
    slack: float
    phrase: Phrase


_HELD = Phrase("", "", "")


def _case(
    cause: Moments,
    effect: Moments,
    causes: dict[int, list[_Cause]],
    left: _Left,
    due: Window,
    times: int,
) -> Case:
    """Gather the judged causes, in order, and the effects too many behind them."""
    judged: list[_Judged] = []
    undecided = 0
    for one in sorted((one for several in causes.values() for one in several), key=lambda one: one.place):
        decided = _decide(cause, effect, one, left, due, times)
        undecided += decided is None
        judged += [decided] if decided is not None else []
    for place in left.surplus:
        words = Phrase(f"one more {effect.label}", f"{times} for each {cause.label}", "comes once too often")
        subject = int(effect.life[place]), int(effect.subject[place])
        judged.append(_Judged(*subject, int(effect.row[place]), -1.0, words))
    slack = np.array([one.slack for one in judged], np.float64)
    return Case(
        cause.session,
        row=np.array([one.row for one in judged], np.int64),
        life=np.array([one.life for one in judged], np.int64),
        name=np.array([one.name for one in judged], np.int64),
        slack=np.where(np.isfinite(slack), slack, slack[np.isfinite(slack)].max(initial=0.0)),
        phrase=lambda place: judged[place].phrase,
        of="causes",
        unit=due.latest.unit,
        exact=due.exact,
        allowed=due.latest.value - due.earliest.value or None,
        undecided=undecided,
        unseen=cause.unseen,
        picture=Picture(),
    )


def _decide(cause: Moments, effect: Moments, one: _Cause, left: _Left, due: Window, times: int) -> _Judged | None:
    """Return what became of a cause; None if the end of the trace or a gap leaves that open."""
    subject = int(cause.life[one.place]), int(cause.subject[one.place])
    cut = one.last >= cause.session.clock.size or one.last < one.first
    if len(one.effects) >= times and not cut:
        room = float(_room(cause, effect, one, due).min())
        return _Judged(*subject, int(effect.row[one.effects[-1]]), room, _HELD)
    early = left.early.get(one.place)
    if early is not None:
        return _Judged(
            *subject, int(effect.row[early]), *too_early(cause, effect, one.at.row, int(effect.row[early]), due)
        )
    if one.cancelled is not None or one.closed is not None:
        return _Judged(*subject, one.at.row, np.inf, _HELD)
    if cut:
        return None
    late = left.late.get(one.place)
    came = int(effect.row[late]) if late is not None and not one.effects else None
    return _Judged(*subject, one.last, *too_late(cause, effect, one.at.row, came, len(one.effects), due))


def _room(cause: Moments, effect: Moments, one: _Cause, due: Window) -> Floats:
    """Return how long after each effect, and before it, it would have been too late or too early."""
    clock = cause.session.clock
    took = elapsed(clock, np.full(len(one.effects), one.at.row), effect.row[one.effects], due.latest.unit)
    more = due.tol.value if due.tol is not None and due.tol.unit == due.latest.unit else 0.0
    room: Floats = due.latest.value + more - took
    if due.earliest.value:
        room = np.minimum(room, took - due.earliest.value + more)
    return np.asarray(np.maximum(room, 0.0))


def _count(times: int) -> str:
    return "" if times == 1 else f"{times} times "


def _when(due: Window) -> str:
    return f"after {due}" if due.exact and due.latest.value else str(due)
