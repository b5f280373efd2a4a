"""Checks of what follows from what, and how soon."""

from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import partial
from itertools import pairwise, takewhile
from typing import NamedTuple, Unpack

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, Window, Within, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.scoping import asked_about
from breadcrumb.checks.triggers.labels import Paired, excused, paired
from breadcrumb.checks.triggers.queued import (
    hidden_of,
    judge_queued,
    once_too_often,
    spare_of,
    too_early,
    too_late,
    waited,
)
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


@check(
    "{cause} leads to [{times:count} times ]{effect} {within:window}[ unless {unless}]"
    "[retrigger?, timed from the last {cause}][only?, and no more often]"
)
def leads_to(
    cause: Moments,
    effect: Moments,
    *,
    within: Within,
    times: int = 1,
    only: bool = True,
    unless: Moments | None = None,
    retrigger: bool = False,
    match: str = "subject",
    during: Spans | None = None,
    except_during: Spans | None = None,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that each cause is followed in time by its effect, once or `times` times, and by no more.

    An effect goes to the oldest cause of its subject that is still open. An appearance or a leaving goes to all open
    causes of that very lifetime, and of that frame, since an object can appear or leave but once. One that comes in the
    window of a cause that has had enough, or that was cancelled or closed, is a breach; one that belongs to no cause is
    not judged here. What is missing is dated at the end of its window, or at an effect that came too early, before it.

    Args:
        cause: the moments that start it.
        effect: the moments that must follow, on the cause's own frame at the earliest.
        within: a duration, from 0 to that, or a pair (earliest, latest); both ends count. A pair of two equal
            durations is an exact timing; one in seconds is met by the first recorded frame at or after it.
        times: how many effects each cause has.
        only: whether an effect goes to one cause, and no more than these may come in its time; if not, each cause needs
            so many at least, which may be those of other causes too, as when one lift answers several calls.
        unless: a moment of the same subject, or of nobody, between cause and effect that forbids the effect; with
            `only=False`, none is needed then.
        retrigger: whether a new cause closes the open one of its subject and starts the time anew; one that was closed
            is not judged, but no effect may come in its time alone.
        match: `"subject"` pairs moments of the same subject, `"pair"` those of the same two, `"any"` all, and any other
            text is an entry of the data that must be equal.
        during: judge only causes inside these spans; their effects may lie outside.
        except_during: judge only causes outside these spans.
        time_tol: widens both ends.

    Returns:
        A verdict on every cause, and on every effect too many. Untested if there was no cause; undecided where the
        trace ends before the window does, or has a gap in it. Its margin is the smallest time to the end of the window,
        and none for an exact timing.

    Raises:
        Misuse: `times` is 0.
        UnknownName: no cause, or no effect, has the entry `match`.

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
    if times < 1:
        raise Misuse("leads_to: times: expected 1 or more, found 0; what must not happen is judged by never_happens")
    due = window(within, time_tol)
    pairing = paired(match, cause, effect)
    cause, effect, of_cause, of_effect, *_ = pairing
    asked = asked_about(cause, during, except_during)  # the other causes still take effects
    if times == 1 and unless is None and not retrigger:
        queued = judge_queued(cause, effect, of_cause, of_effect, due, asked, only=only)
        if queued is not None:
            return _noted(queued.verdict(), pairing, due)
    causes = _causes(cause, effect, due, of_cause)
    if unless is not None:
        _cancel([one for several in causes.values() for one in several], cause, unless, match)
    if retrigger:
        _close(causes)
    left = _deal(cause, causes, effect, of_effect, times, only=only)
    return _noted(_evaluation(cause, effect, causes, left, due, times, asked).verdict(), pairing, due)


def _noted(verdict: Verdict, pairing: Paired, due: Window) -> Verdict:
    """Return a verdict; of a broken one it is noted whether fewer kinds would have matched."""
    if verdict.outcome.value == "broken":
        pairing.note_alone(*due.clock_indices(pairing.left.session.clock, pairing.left.clock_index))
    return verdict


class _Instant(NamedTuple):
    """When something happened: a clock index and the order within the frame, or NOBODY for no order."""

    clock_index: int
    order: int

    def precedes(self, other: "_Instant") -> bool:
        """Tell whether this is certainly before the other; without an index, all of a frame is at once."""
        if self.clock_index != other.clock_index or NOBODY in (self.order, other.order):
            return self.clock_index < other.clock_index
        return self.order < other.order


@dataclass(slots=True)
class _Cause:
    """One cause, while effects are dealt out."""

    index: int
    at: _Instant
    first: int
    last: int
    hidden: bool
    """Whether a part of its window was not recorded."""
    effects: list[int] = field(default_factory=list)
    cancelled: _Instant | None = None
    closed: _Instant | None = None

    def is_stopped(self, at: _Instant) -> bool:
        """Tell whether it was cancelled or closed before an instant."""
        return any(stop is not None and stop.precedes(at) for stop in (self.cancelled, self.closed))


def _instants(moments: Moments) -> list[_Instant]:
    return list(map(_Instant, moments.clock_index.tolist(), moments.order.tolist()))


def _causes(cause: Moments, effect: Moments, due: Window, label: Ints) -> dict[int, list[_Cause]]:
    """Return the causes of each subject in order, each with the clock indices between which its effects are due."""
    first, last = due.clock_indices(cause.session.clock, cause.clock_index)
    hidden = hidden_of(cause, effect, due)
    causes: dict[int, list[_Cause]] = {}
    columns = (first.tolist(), last.tolist(), hidden.tolist())
    for index, (key, *known) in enumerate(zip(label.tolist(), _instants(cause), *columns, strict=True)):
        causes.setdefault(key, []).append(_Cause(index, *known))
    return causes


def _cancel(causes: list[_Cause], cause: Moments, unless: Moments, match: str) -> None:
    """Note which causes are cancelled, each by the first moment that goes with it and may."""
    instants = _instants(unless)
    for found in excused(match, cause, unless):
        keyed: dict[int, list[_Cause]] = {}
        of_cause = np.full(cause.count, NOBODY)
        of_cause[found.left_rows] = found.left
        for one in causes:
            keyed.setdefault(int(of_cause[one.index]), []).append(one)
        for index, key in zip(np.arange(unless.count)[found.right_rows].tolist(), found.right.tolist(), strict=True):
            at = instants[index]
            for one in keyed.get(key, ()) if key != NOBODY else ():
                first = one.cancelled is None or at.precedes(one.cancelled)
                if first and not at.precedes(one.at) and at.clock_index <= one.last:
                    one.cancelled = at


def _close(causes: dict[int, list[_Cause]]) -> None:
    """Note that each cause is closed by the next one of its label, if that comes before its window is over."""
    for several in causes.values():
        for one, following in pairwise(several):
            if following.at.clock_index <= one.last and not (one.cancelled and one.cancelled.precedes(following.at)):
                one.closed = following.at


def _begun(causes: Iterable[_Cause], at: _Instant) -> list[_Cause]:
    """Return the causes, given in order, that an effect at an instant may belong to."""
    return list(takewhile(lambda one: not at.precedes(one.at), causes))


def _waiting(begun: Iterable[_Cause], at: _Instant) -> Iterable[_Cause]:
    """Return the causes whose windows have not begun at an instant, and that nothing has stopped by then."""
    for one in begun:
        stops = (one.cancelled, one.closed)
        if at.clock_index < one.first and all(stop is None or at.precedes(stop) for stop in stops):
            yield one


class _Left(NamedTuple):
    """The effects that no cause took."""

    surplus: dict[int, list[_Cause]]
    """Those in the window of a cause that had enough, or was cancelled or closed, each with these causes."""
    early: dict[int, int]
    """The first one between a cause and its window, by the cause."""
    late: dict[int, int]
    """The first one behind a cause's window and before the next cause, by the cause."""


def _deal(
    cause: Moments, causes: dict[int, list[_Cause]], effect: Moments, label: Ints, times: int, *, only: bool
) -> _Left:
    """Deal the effects out to the causes; return those that are left."""
    left = _Left({}, {}, {})
    over: dict[int, _Cause] = {}
    waiting = {key: deque(several) for key, several in causes.items()}
    for index, (key, at) in enumerate(zip(label.tolist(), _instants(effect), strict=True)):
        queue = waiting.get(key, deque())
        while queue and queue[0].last < at.clock_index:
            over[key] = queue.popleft()
        begun = _begun(queue, at)
        in_time = [one for one in begun if one.first <= at.clock_index <= one.last]
        takers = [one for one in in_time if len(one.effects) < times and not one.is_stopped(at)]
        if takers:
            for one in takers:
                if one is takers[0] or not only or _is_shared(cause, effect, one, takers[0], index):
                    one.effects.append(index)
        elif in_time and only:
            left.surplus[index] = in_time
        elif not begun and key in over:
            left.late.setdefault(over[key].index, index)
        if not in_time or effect.is_shared:
            for one in _waiting(begun, at):
                left.early.setdefault(one.index, index)
    return left


def _is_shared(cause: Moments, effect: Moments, one: _Cause, oldest: _Cause, index: int) -> bool:
    """Tell whether an effect that the oldest cause takes is another one's too, since it can happen but once."""
    if not effect.is_shared:
        return False
    own = effect.lifetime[index] != NOBODY and cause.lifetime[one.index] == effect.lifetime[index]
    return bool(own or one.at.clock_index == oldest.at.clock_index)


class _Judged(NamedTuple):
    """A cause that was decided, or an effect too many."""

    lifetime: int
    name: int
    clock_index: int
    margin: float
    say: Callable[[], Phrase]
    """What to say of it, if anything is: of thousands of causes, few are told."""


_HELD = partial(Phrase, "", "", "")


def _evaluation(
    cause: Moments,
    effect: Moments,
    causes: dict[int, list[_Cause]],
    left: _Left,
    due: Window,
    times: int,
    asked: Bools,
) -> Evaluation:
    """Gather the judged causes, in order, and the effects too many behind them."""
    judged: list[_Judged] = []
    undecided = 0
    in_order = sorted((one for several in causes.values() for one in several), key=lambda one: one.index)
    spare = _least_spare(cause, effect, in_order, due).tolist()
    for one in in_order:
        if not asked[one.index] or (one.closed is not None and len(one.effects) < times):
            continue
        decided = _decide(cause, effect, one, spare[one.index], left, due, times)
        undecided += decided is None
        judged += [decided] if decided is not None else []
    for index, those in left.surplus.items():
        at_restart = cause.session.at_restart(effect.clock_index[[index]])[0]
        if at_restart or not asked[[one.index for one in those]].any():
            continue
        words = partial(_surplus_words, cause, effect, index, those, times)
        subject = int(effect.lifetime[index]), int(effect.subject[index])
        judged.append(_Judged(*subject, int(effect.clock_index[index]), -1.0, words))
    margin = np.array([one.margin for one in judged], np.float64)
    return Evaluation(
        cause.session,
        clock_index=np.array([one.clock_index for one in judged], np.int64),
        lifetime=np.array([one.lifetime for one in judged], np.int64),
        name=np.array([one.name for one in judged], np.int64),
        margin=np.where(np.isfinite(margin), margin, margin[np.isfinite(margin)].max(initial=0.0)),
        phrase=lambda index: judged[index].say(),
        of="causes",
        unit=due.latest.unit,
        exact=due.exact,
        allowed=due.latest.value - due.earliest.value or None,
        undecided=undecided,
        unseen=cause.unseen,
        plot=PlotSource(),
    )


def _surplus_words(cause: Moments, effect: Moments, index: int, those: list[_Cause], times: int) -> Phrase:
    """Return the words of an effect that no cause took: of the first that would have, it says why it did not."""
    first = those[0]
    if (first.cancelled is None and first.closed is None) or len(first.effects) >= times:
        return once_too_often(cause, effect, times)
    clock = cause.session.clock
    took = float(clock.times[effect.clock_index[index]] - clock.times[first.at.clock_index])
    measured = f"{amount(took, 's')} after {cause.label} on frame {clock.frames[first.at.clock_index]}"
    if first.closed is not None:
        return Phrase(
            measured,
            f"timed from the last {cause.label}",
            f"{effect.label} happens although a later {cause.label} started the time anew",
        )
    return Phrase(
        measured, f"no {effect.label} then", f"{effect.label} happens although the {cause.label} was called off"
    )


def _decide(
    cause: Moments, effect: Moments, one: _Cause, spare: float, left: _Left, due: Window, times: int
) -> _Judged | None:
    """Return what became of a cause; None if the end of the trace or a gap leaves that open."""
    subject = int(cause.lifetime[one.index]), int(cause.subject[one.index])
    if one.hidden:
        return None
    if len(one.effects) >= times:
        return _Judged(*subject, int(effect.clock_index[one.effects[-1]]), spare, _HELD)
    early = left.early.get(one.index)
    begun = one.at.clock_index
    if early is not None:
        at = int(effect.clock_index[early])
        margin = waited(cause, begun, at, due) - due.earliest.value
        return _Judged(*subject, at, min(margin, -SAME_TIME), partial(too_early, cause, effect, begun, at, due))
    if one.cancelled is not None:
        return _Judged(*subject, begun, np.inf, _HELD)
    late = left.late.get(one.index)
    came = int(effect.clock_index[late]) if late is not None and not one.effects else None
    margin = due.latest.value - waited(cause, begun, came, due) if came is not None else -due.latest.value
    say = partial(too_late, cause, effect, begun, came, len(one.effects), due)
    return _Judged(*subject, one.last, min(margin, -SAME_TIME), say)


def _least_spare(cause: Moments, effect: Moments, causes: list[_Cause], due: Window) -> Floats:
    """Return how much earlier or later an effect of each cause could have come at the least; inf if it has none."""
    owner = np.array([one.index for one in causes for _ in one.effects], np.int64)
    came = np.array([index for one in causes for index in one.effects], np.int64)
    each = spare_of(cause.session.clock, cause.clock_index[owner], effect.clock_index[came], due)
    least = np.full(cause.count, np.inf)
    np.minimum.at(least, owner, each)
    return least
