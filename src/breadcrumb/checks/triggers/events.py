"""Checks of which events there are, with what data, and in which order."""

from itertools import pairwise
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, Within, elapsed, window
from breadcrumb.algebra.indexing import Index
from breadcrumb.algebra.matching import owner_of
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, without_unit
from breadcrumb.checks.scoping import frames_watched, in_scope
from breadcrumb.checks.triggers.labels import paired
from breadcrumb.checks.triggers.pairing import leads_to
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.comparing import judge_flag, judge_near
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict, all_of
from breadcrumb.verdicts.words import amount, times_words


@check("{effect} happens only after {cause} {within:window}")
def only_after(
    effect: Moments,
    cause: Moments,
    *,
    within: Within,
    match: str = "subject",
    during: Spans | None = None,
    except_during: Spans | None = None,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that nothing happens without its cause: each effect has a cause before it, in time.

    One cause may have several effects; how many it has is for `leads_to` to judge.

    Args:
        effect: what must not happen by itself.
        cause: what must have happened before it, or on the same frame and not behind it.
        within: the longest time before, or a pair (shortest, longest).
        match: as for `leads_to`.
        during: judge only effects inside these spans; their causes may lie outside.
        except_during: judge only effects outside these spans.
        time_tol: widens both ends.

    Returns:
        A verdict on every effect. Untested if there was none; undecided where the cause may have come before the trace
        began, or in a gap. Its margin is the smallest time to the end of the window, and none for an exact timing.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> only_after(trace.events("bell.rung"), trace.events("bell.rung"), within=frames(2)).outcome
        'held'
    """
    due = window(within, time_tol)
    effect, cause, of_effect, of_cause, *_ = paired(match, in_scope(effect, during, except_during), cause)
    clock = effect.session.clock
    first, last = due.clock_indices(clock, cause.clock_index)
    begun = _count_before(of_cause, first, np.where(first == cause.clock_index, cause.order, NOBODY), of_effect, effect)
    gone = _count_before(of_cause, last + 1, np.full(cause.count, NOBODY), of_effect, effect)
    caused = begun > gone
    latest = _latest(of_cause, cause, of_effect, effect)
    unit = due.latest.unit
    since = np.where(latest == NOBODY, 0, np.hstack((cause.clock_index, 0))[latest])
    took = elapsed(clock, since, effect.clock_index, unit)
    hidden = due.hidden_before(effect.session, effect.clock_index, _begins(effect))
    if cause.from_steps and not due.earliest.value:
        hidden |= (effect.clock_index == 0) | np.isin(effect.clock_index, effect.session.gaps)
    open_start = ~caused & hidden
    kept = np.flatnonzero(~open_start)
    spare = np.maximum(due.latest.value - took, 0.0)
    off = np.maximum(took - due.latest.value, due.earliest.value - took)
    over = np.where(latest == NOBODY, due.latest.value, off)
    margin = np.where(caused, spare, np.minimum(-over, -SAME_TIME))[kept]

    def phrase(index: int) -> Phrase:
        at = kept[index]
        none = "no cause since the restart" if effect.session.is_fresh else "no cause"
        measured = none if latest[at] == NOBODY else f"{amount(float(took[at]), unit)} after the last one"
        before = f"{cause.label} {due} before" if due.latest.value else f"{cause.label} on the same frame"
        return Phrase(measured, before, f"happens without {cause.label}")

    judged = effect.pick(kept)
    evaluation = Evaluation(
        effect.session, judged.clock_index, judged.lifetime, judged.subject, margin, phrase, of="effects", unit=unit,
        exact=due.exact, allowed=due.latest.value - due.earliest.value or None, undecided=effect.count - len(kept),
        unseen=effect.unseen, plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check("{begins} and {ends} alternate")
def pairs_up(begins: Moments, ends: Moments, *, match: str = "pair", **common: Unpack[Common]) -> Verdict:
    """Assert that every entry has its exit, in turns.

    Args:
        begins: the begins, such as `sensor.begin`.
        ends: the ends.
        match: `"pair"` judges each two of by and on by itself; otherwise as for `leads_to`.

    Returns:
        A verdict on every entry and exit. Untested if there was none; undecided are an entry without an exit until the
        trace ends, an exit that is the first thing that is known of its pair, and two of one sort with a gap between
        them. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> events = [(0, "in", "a", "b"), (1, "in", "a", "b"), (2, "out", "a", "b")]
        >>> trace = make_trace([{}] * 4, kinds={}, events=events)
        >>> pairs_up(trace.events("in"), trace.events("out")).first.frame
        1
    """
    begins, ends, of_enter, of_leave, *_ = paired(match, begins, ends)
    both = begins | ends
    label = np.hstack((of_enter, of_leave))
    clock_index, index = np.hstack((begins.clock_index, ends.clock_index)), np.hstack((begins.order, ends.order))
    subject, lifetime = np.hstack((begins.subject, ends.subject)), np.hstack((begins.lifetime, ends.lifetime))
    enter = np.hstack((np.ones(begins.count, np.bool_), np.zeros(ends.count, np.bool_)))
    order = np.lexsort((~enter, index, clock_index, label))
    label, enter = label[order], enter[order]
    torn = np.hstack((False, begins.session.is_torn(clock_index[order][:-1], clock_index[order][1:])))[: len(label)]
    fresh = np.hstack((True, np.diff(label) != 0))[: len(label)]
    final = np.hstack((np.diff(label) != 0, True))[: len(label)]
    twice = np.hstack((False, enter[1:] == enter[:-1]))[: len(label)] & ~fresh
    undecided = (fresh & ~enter) | (final & enter & ~twice) | (twice & torn)
    kept = np.flatnonzero(~undecided)
    at = order[kept]

    def phrase(index: int) -> Phrase:
        name, other = (begins.label, ends.label) if enter[kept[index]] else (ends.label, begins.label)
        return Phrase(f"{name} again", f"{other} first", f"{name} twice in a row")

    evaluation = Evaluation(
        begins.session, clock_index[at], lifetime[at], subject[at], np.where(twice[kept], -1.0, 0.0), phrase,
        of="moments",
        exact=True, undecided=int(undecided.sum()), unseen=begins.unseen if not both.count else "", plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check("{steps:labels} happen in this order, at most {within} apart", passes_on=True)
def happens_in_order(
    *steps: Moments,
    within: Duration,
    match: str = "subject",
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that things happen in an order: each leads to the next, once and in time, and none comes by itself.

    It is `leads_to` and `only_after` for each two that follow one another.

    Args:
        steps: what happens, in its order; two or more.
        within: how long it may take from one to the next.
        match: as for `leads_to`.
        time_tol: widens that.

    Returns:
        A verdict on every one of them. Its margin is that of the tightest.

    Raises:
        Misuse: there are fewer than two.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace([{}] * 4, kinds={}, events=[(0, "bell.rung"), (1, "gate.open")])
        >>> happens_in_order(trace.events("bell.rung"), trace.events("gate.open"), within=frames(2)).outcome
        'held'
    """
    if len(steps) < 2:
        raise Misuse("happens_in_order: expected two things or more")
    verdicts = []
    for one, following in pairwise(steps):
        verdicts.append(leads_to(one, following, within=within, match=match, time_tol=time_tol, **common))
        verdicts.append(only_after(following, one, within=within, match=match, time_tol=time_tol, **common))
    return all_of(*verdicts)


@check("{moments} never happens")
def never_happens(
    moments: Moments, *, during: Spans | None = None, except_during: Spans | None = None, **common: Unpack[Common]
) -> Verdict:
    """Assert that something does not happen.

    Args:
        moments: what must not happen.
        during: the spans in which it must not; None for all of the trace.
        except_during: the spans in which it may.

    Returns:
        A verdict on every frame that was watched. Untested if there is none, or on a name that was neither seen nor
        declared. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_happens(small_trace().events("bell.rung")).first.frame
        2
    """
    session = moments.session
    kept = in_scope(moments, during, except_during)
    if kept.is_shared:  # what appears or leaves at a restart is put back or removed by it
        kept = kept.pick(np.flatnonzero(~session.at_restart(kept.clock_index)))
    kept = kept.pick(np.unique(kept.clock_index, return_index=True)[1])  # several on one frame are one breach of it
    clock_indices = frames_watched(session, during, except_during)
    quiet = np.setdiff1d(clock_indices, kept.clock_index) if moments.is_known else clock_indices[:0]
    nobody = np.full(len(quiet), NOBODY)
    evaluation = Evaluation(
        session, np.hstack((kept.clock_index, quiet)), np.hstack((kept.lifetime, nobody)),
        np.hstack((kept.subject, nobody)), np.hstack((np.full(kept.count, -1.0), np.zeros(len(quiet)))),
        lambda index: Phrase("it happened", "never", f"{moments.label} happens"), of="frames", exact=True,
        unseen="" if moments.is_known else moments.unseen, plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check("{moments} happens once[ in each lifetime of {each}]", whole="each")
def happens_once(moments: Moments, *, each: Objects | None = None, **common: Unpack[Common]) -> Verdict:
    """Assert that something happens exactly once in the session, or once in each lifetime of objects.

    Args:
        moments: what happens.
        each: the objects in each of whose lifetimes it must happen once, as their subject; None for once in all.

    Returns:
        A verdict on the session or on every lifetime. Untested if there is no lifetime, or on a name that was neither
        seen nor declared; undecided is a lifetime that goes on at the end of the trace, began before it or has a gap,
        if it had none. One without any is dated at its end. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> happens_once(trace.events("bell.rung"), each=trace.one("skiff")).outcome
        'held'
    """
    session = moments.session
    if not moments.is_known:
        return Verdict(UNNAMED, Outcome.UNTESTED, session.label, of="lifetimes", why_untested=moments.unseen)
    lifetimes, size = session.lifetimes, session.clock.size
    lifetime = np.sort(each.lifetimes.lifetime) if each is not None else np.full(min(size, 1), NOBODY)
    nobody = np.full(moments.count, NOBODY)
    of_lifetime = nobody if each is None else owner_of(moments.participants, each.lifetimes.participants)
    order = np.argsort(of_lifetime, kind="stable")
    of_lifetime = of_lifetime[order]
    begin, end = np.searchsorted(of_lifetime, lifetime), np.searchsorted(of_lifetime, lifetime, side="right")
    count = end - begin
    since, until = np.zeros(len(lifetime), np.int64), np.full(len(lifetime), size - 1)
    cut = np.zeros(len(lifetime), np.bool_)
    if each is not None:
        since, leave = session.seen_to_appear[lifetime], session.seen_to_leave[lifetime]
        cut = (leave == NOBODY) | (since == NOBODY)
        until = np.where(leave == NOBODY, size - 1, leave)
    torn = session.is_torn(since, until)
    kept = np.flatnonzero((count > 0) | ~(cut | torn))
    second = np.minimum(begin + 1, end - 1)[kept]  # where it went wrong, or the only one
    happened = np.append(moments.clock_index[order], NOBODY)
    clock_index = np.where(count[kept] > 0, happened[second], until[kept])
    name = lifetimes.name[lifetime[kept]] if each is not None else np.full(len(kept), NOBODY)

    def phrase(index: int) -> Phrase:
        found = int(count[kept[index]])
        return Phrase(times_words(found), "once", "never happens" if not found else "happens again")

    evaluation = Evaluation(
        session, clock_index, lifetime[kept], name, np.where(count[kept] == 1, 0.0, -1.0), phrase,
        of="lifetimes" if each is not None else "sessions", exact=True, undecided=len(lifetime) - len(kept),
        plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check("{key:plain} of {moments} is {value}", unit=without_unit)
def carries_data(moments: Moments, key: str, value: Any, *, tol: float = 0.0, **common: Unpack[Common]) -> Verdict:
    """Assert what an entry of the data of moments is.

    Args:
        moments: the moments.
        key: the entry.
        value: what it must be: a number, a vector, a text or a flag for all of them, a signal picked at them, or an
            array with one for each.
        tol: how far off a number is still allowed.

    Returns:
        A verdict on every moment. Untested if there is none. Its margin is `tol` less the largest deviation, and there
        is none for texts and flags.

    Raises:
        UnknownName: no moment has such an entry.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> carries_data(small_trace().events("bell.rung"), "loudness", 3).outcome
        'held'
    """
    if not moments.count:
        why = moments.unseen or f"no {moments.label} to judge"
        return Verdict(UNNAMED, Outcome.UNTESTED, moments.session.label, of="moments", why_untested=why)
    if moments[key].dtype.kind == "f" and not isinstance(value, str | bool):
        entries = Signal.from_data(moments, key)
        if entries.valid is None:
            return judge_near(entries, value, tol=tol)
        told, silent = np.flatnonzero(entries.valid), np.flatnonzero(~entries.valid)
        expected = value.take(told) if isinstance(value, Signal) else value
        if isinstance(value, np.ndarray) and len(value) == moments.count:
            expected = value[told]
        near = judge_near(entries.take(told), expected, tol=tol).with_sentence("it is right")
        lacking = Phrase("no such entry", f"an entry {key}", f"has no {key}")
        each = judge_flag(entries.known.take(silent), lacking).with_sentence("each has it")
        return all_of(each, near) if len(told) else each
    found = [one.get(key) for one in moments.data]
    wanted = list(value) if isinstance(value, np.ndarray) and len(value) == len(found) else [value] * len(found)
    same = np.array([a == b for a, b in zip(found, wanted, strict=True)])
    evaluation = Evaluation(
        moments.session, moments.clock_index, moments.lifetime, moments.subject, np.where(same, 0.0, -1.0),
        lambda index: Phrase(repr(found[index]), repr(wanted[index]), "differs"), of="moments", exact=True,
        plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


def _count_before(label: Ints, clock_index: Ints, order: Ints, of_effect: Ints, effect: Moments) -> Ints:
    """Return how many instants of its label each effect has before it, on its clock index or on earlier ones."""
    size = int(max(clock_index.max(initial=0), effect.clock_index.max(initial=0))) + 2
    high = int(max(order.max(initial=0), effect.order.max(initial=0))) + 3
    keys = np.sort((label * size + clock_index) * high + order + 1)
    own = np.where(effect.order == NOBODY, high - 1, effect.order + 1)
    wanted = (of_effect * size + effect.clock_index) * high + own
    floor = np.searchsorted(keys, of_effect * size * high)
    return np.asarray(np.maximum(np.searchsorted(keys, wanted, side="right") - floor, 0))


def _begins(effect: Moments) -> Ints:
    """Return the clock index on which the lifetime of each was seen to appear, or NOBODY."""
    return np.hstack((effect.session.seen_to_appear, NOBODY))[effect.lifetime]


def _latest(of_cause: Ints, cause: Moments, of_effect: Ints, effect: Moments) -> Ints:
    """Return the index of the last cause at or before each effect, or NOBODY."""
    return Index.of(cause.session, of_cause, cause.clock_index).last_until(of_effect, effect.clock_index)
