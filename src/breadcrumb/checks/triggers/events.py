"""Checks of which events there are, with what data, and in which order."""

from itertools import pairwise
from typing import Any

import numpy as np

from breadcrumb.algebra.along import last_known, marked
from breadcrumb.algebra.arithmetic import called
from breadcrumb.algebra.durations import SAME_TIME, Duration, elapsed, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.triggers.labels import labels
from breadcrumb.checks.triggers.pairing import leads_to
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.comparing import Scope, judge_near
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict, all_of
from breadcrumb.verdicts.words import amount, plus_minus


def only_after(
    effect: Moments,
    cause: Moments,
    within: Duration | tuple[Duration, Duration],
    *,
    match: str = "subject",
    tol: Duration | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that nothing happens without its cause: each effect has a cause before it, in time.

    One cause may have several effects; how many it has is for `leads_to` to judge.

    Args:
        effect: what must not happen by itself.
        cause: what must have happened before it, or on the same frame and not behind it.
        within: how long before at the most, or a pair (shortest, longest).
        match: as for `leads_to`.
        tol: widens both ends.
        occasions: how many effects there must be at the least.

    Returns:
        A verdict on every effect. Idle if there was none; undecided where the cause may have come before the trace
        began. Its margin is the smallest time to the end of the window, and none for an exact timing.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> only_after(trace.events("bell.rung"), trace.events("bell.rung"), within=frames(2)).outcome
        'held'
    """
    due = window(within, tol)
    of_effect, of_cause = labels(match, effect, cause)
    clock = effect.session.clock
    first, last = due.rows(clock, cause.row)
    begun = _count_before(of_cause, first, np.where(first == cause.row, cause.order, NOBODY), of_effect, effect)
    gone = _count_before(of_cause, last + 1, np.full(cause.count, NOBODY), of_effect, effect)
    caused = begun > gone
    latest = _latest(of_cause, cause, of_effect, effect)
    unit = due.latest.unit
    since = np.where(latest == NOBODY, 0, np.r_[cause.row, 0][latest])
    took = elapsed(clock, since, effect.row, unit)
    from_start = elapsed(clock, np.zeros(effect.count, np.int64), effect.row, unit)
    open_start = ~caused & (from_start <= due.latest.value) & (effect.row >= 0) & (latest == NOBODY)
    kept = np.flatnonzero(~open_start)
    room = np.maximum(due.latest.value - took, 0.0)
    over = np.where(latest == NOBODY, due.latest.value, np.abs(took - due.latest.value))
    slack = np.where(caused, room, np.minimum(-over, -SAME_TIME))[kept]

    def phrase(place: int) -> Phrase:
        at = kept[place]
        measured = "no cause" if latest[at] == NOBODY else f"{amount(float(took[at]), unit)} after the last one"
        return Phrase(measured, f"{cause.label} {due} before", f"comes without its {cause.label}")

    judged = effect.pick(kept)
    case = Case(
        effect.session, judged.row, judged.life, judged.subject, slack, phrase, of="effects", unit=unit,
        exact=due.exact, allowed=due.latest.value - due.earliest.value or None, undecided=effect.count - len(kept),
        unseen=effect.unseen, picture=Picture(),
    )  # fmt: skip
    return case.verdict(f"{effect.label} happens only after {cause.label} {due}", occasions)


def pairs_up(enters: Moments, leaves: Moments, *, match: str = "pair", occasions: int = 1) -> Verdict:
    """Assert that every entry has its exit, in turns.

    Args:
        enters: the entries, such as `sensor.begin`.
        leaves: the exits.
        match: `"pair"` judges each two of by and on by itself; otherwise as for `leads_to`.
        occasions: how many entries and exits there must be at the least.

    Returns:
        A verdict on every entry and exit. Idle if there was none; undecided are an entry without an exit until the
        trace ends, and an exit that is the first thing that is known of its pair. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> events = [(0, "in", "a", "b"), (1, "in", "a", "b"), (2, "out", "a", "b")]
        >>> trace = make_trace([{}] * 4, kinds={}, events=events)
        >>> pairs_up(trace.events("in"), trace.events("out")).first.frame
        1
    """
    of_enter, of_leave = labels(match, enters, leaves)
    both = enters.called(f"{enters.label} and {leaves.label}") | leaves
    label = np.r_[of_enter, of_leave]
    row, place = np.r_[enters.row, leaves.row], np.r_[enters.order, leaves.order]
    subject, life = np.r_[enters.subject, leaves.subject], np.r_[enters.life, leaves.life]
    enter = np.r_[np.ones(enters.count, np.bool_), np.zeros(leaves.count, np.bool_)]
    order = np.lexsort((~enter, place, row, label))
    label, enter = label[order], enter[order]
    fresh = np.r_[True, np.diff(label) != 0][: len(label)]
    final = np.r_[np.diff(label) != 0, True][: len(label)]
    twice = np.r_[False, enter[1:] == enter[:-1]][: len(label)] & ~fresh
    undecided = (fresh & ~enter) | (final & enter & ~twice)
    kept = np.flatnonzero(~undecided)
    at = order[kept]

    def phrase(place: int) -> Phrase:
        name, other = (enters.label, leaves.label) if enter[kept[place]] else (leaves.label, enters.label)
        return Phrase(f"{name} again", f"{other} first", f"{name} twice in a row")

    case = Case(
        enters.session, row[at], life[at], subject[at], np.where(twice[kept], -1.0, 0.0), phrase, of="moments",
        exact=True, undecided=int(undecided.sum()), unseen=enters.unseen if not both.count else "", picture=Picture(),
    )  # fmt: skip
    return case.verdict(f"{enters.label} and {leaves.label} come in turns", occasions)


def happens_in_order(
    *steps: Moments, within: Duration, match: str = "subject", tol: Duration | None = None, occasions: int = 1
) -> Verdict:
    """Assert that things happen in an order: each leads to the next, once and in time, and none comes by itself.

    It is `leads_to` and `only_after` for each two that follow one another.

    Args:
        steps: what happens, in its order; two or more.
        within: how long it may take from one to the next.
        match: as for `leads_to`.
        tol: widens that.
        occasions: how many of each there must be at the least.

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
        verdicts.append(leads_to(one, following, within, match=match, tol=tol, occasions=occasions))
        verdicts.append(only_after(following, one, within, match=match, tol=tol, occasions=occasions))
    return all_of(*verdicts).saying(
        f"{', '.join(one.label for one in steps)} happen in this order, {within} apart at most"
    )


def never_happens(moments: Moments, *, during: Spans | None = None, occasions: int = 1) -> Verdict:
    """Assert that something does not happen.

    Args:
        moments: what must not happen.
        during: the spans in which it must not; None for all of the trace.
        occasions: how many frames must be watched at the least.

    Returns:
        A verdict on every frame that was watched. Idle if there is none, or on a name that was neither seen nor
        declared. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_happens(small_trace().events("bell.rung")).first.frame
        2
    """
    session = moments.session
    kept = moments if during is None else moments.during(during)
    rows = np.arange(session.clock.size) if during is None else _rows_in(during)
    quiet = np.setdiff1d(rows, kept.row) if moments.is_known else rows[:0]
    nobody = np.full(len(quiet), NOBODY)
    case = Case(
        session, np.r_[kept.row, quiet], np.r_[kept.life, nobody], np.r_[kept.subject, nobody],
        np.r_[np.full(kept.count, -1.0), np.zeros(len(quiet))],
        lambda place: Phrase("it happened", "never", f"{moments.label} happens"), of="frames", exact=True,
        unseen="" if moments.is_known else moments.unseen, picture=Picture(),
    )  # fmt: skip
    sentence = f"{moments.label} never happens" + (f" during {during.label}" if during is not None else "")
    return case.verdict(sentence, occasions)


def happens_once(moments: Moments, *, each: Objects | None = None, occasions: int = 1) -> Verdict:
    """Assert that something happens exactly once in the session, or once in each life of objects.

    Args:
        moments: what happens.
        each: the objects in each of whose lives it must happen once, as their subject; None for once in all.
        occasions: how many lives there must be at the least.

    Returns:
        A verdict on the session or on every life. Idle if there is no life, or on a name that was neither seen nor
        declared; undecided is a life that goes on at the end of the trace, or began before it, if it had none. It is
        exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> happens_once(trace.events("bell.rung"), each=trace.one("skiff")).outcome
        'held'
    """
    session = moments.session
    sentence = f"{moments.label} happens once{f' in each life of {each.called}' if each is not None else ''}"
    if moments.unseen:
        return Verdict(sentence, "idle", session.label, of="lives", why_idle=moments.unseen)
    lives = session.lives
    life = np.sort(each.life_spans.life) if each is not None else np.full(1, NOBODY)
    order = np.argsort(moments.life, kind="stable") if each is not None else np.arange(moments.count)
    of_life = moments.life[order] if each is not None else np.full(moments.count, NOBODY)
    begin, end = np.searchsorted(of_life, life), np.searchsorted(of_life, life, side="right")
    count = end - begin
    cut = (lives.leave[life] == NOBODY) | (lives.appear[life] == NOBODY) if each is not None else count < 0
    undecided = cut & (count == 0)
    kept = np.flatnonzero(~undecided)
    second = np.minimum(begin + 1, end - 1)[kept]  # where it went wrong, or the only one
    rows = np.r_[moments.row[order], session.clock.size - 1]
    row = rows[np.where(count[kept] > 0, second, len(rows) - 1)]
    name = lives.name[life[kept]] if each is not None else np.full(1, NOBODY)

    def phrase(place: int) -> Phrase:
        found = int(count[kept[place]])
        return Phrase(f"{found} times", "once", "never happens" if not found else "happens again")

    case = Case(
        session, row, life[kept], name, np.where(count[kept] == 1, 0.0, -1.0), phrase,
        of="lives" if each is not None else "sessions", exact=True, undecided=int(undecided.sum()),
        unseen=moments.unseen, picture=Picture(),
    )  # fmt: skip
    return case.verdict(sentence, occasions)


def carries_data(moments: Moments, key: str, value: Any, *, tol: float = 0.0, occasions: int = 1) -> Verdict:
    """Assert what an entry of the data of moments is.

    Args:
        moments: the moments.
        key: the entry.
        value: what it must be: a number, a vector, a text or a flag for all of them, a signal picked at them, or an
            array with one for each.
        tol: how far off a number is still allowed.
        occasions: how many moments there must be at the least.

    Returns:
        A verdict on every moment. Idle if there is none. Its margin is `tol` less the largest deviation, and there is
        none for texts and flags.

    Raises:
        UnknownName: no moment has such an entry.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> carries_data(small_trace().events("bell.rung"), "loudness", 3).outcome
        'held'
    """
    sentence = f"{key} of {moments.label} is {called(value)}{plus_minus(tol, '')}"
    if not moments.count:
        why = moments.unseen or f"no {moments.label} to judge"
        return Verdict(sentence, "idle", moments.session.label, of="moments", why_idle=why)
    if moments[key].dtype.kind == "f" and not isinstance(value, str | bool):
        return judge_near(Signal.from_data(moments, key), value, sentence, tol=tol, scope=Scope(occasions=occasions))
    found = [one.get(key) for one in moments.data]
    wanted = list(value) if isinstance(value, np.ndarray | list) and len(value) == len(found) else [value] * len(found)
    same = np.array([a == b for a, b in zip(found, wanted, strict=True)])
    case = Case(
        moments.session, moments.row, moments.life, moments.subject, np.where(same, 0.0, -1.0),
        lambda place: Phrase(str(found[place]), str(wanted[place]), "another one"), of="moments", exact=True,
        picture=Picture(),
    )  # fmt: skip
    return case.verdict(sentence, occasions)


def affects_only(moments: Moments, signal: Signal, *, occasions: int = 1) -> Verdict:
    """Assert that at moments only their own subject changes, and nobody else of the group.

    A change counts if it comes on the frame of a moment or on the one behind it, and it is not that of a moment of its
    own.

    Args:
        moments: the moments; their subject is who may change.
        signal: the value of all objects of the group that must not.
        occasions: how many moments there must be at the least.

    Returns:
        A verdict on every moment, broken by each change of another one. Idle if there is none; undecided on the last
        frame, and where a value of another one is missing. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{name: {"warmth": warm} for name in ("heron", "tern")} for warm in (36.0, 37.0)]
        >>> trace = make_trace(states, kinds={"heron": "skiff", "tern": "skiff"}, events=[(1, "blanket.used", "heron")])
        >>> affects_only(trace.events("blanket.used"), trace.all("skiff").warmth).first.object
        'tern'
    """
    before = last_known(signal)
    track = signal.track
    changed = before.usable & signal.usable
    changed &= np.logical_or.reduce([a != b for a, b in zip(signal.parts, before.parts, strict=True)])
    near = np.isin(track.row, moments.row) | np.isin(track.row - 1, moments.row)
    own = marked(track, moments) | marked(track, moments, 1)
    wrong = np.flatnonzero(changed & near & ~own)
    values, former = signal.take(wrong).values, before.take(wrong).values
    lost = np.append(track.row[~signal.usable & ~own], moments.session.clock.size)
    told = moments.pick(np.flatnonzero(~np.isin(moments.row, lost) & ~np.isin(moments.row + 1, lost)))
    case = Case(
        moments.session, np.r_[track.row[wrong], told.row], np.r_[track.life[wrong], told.life],
        np.r_[track.name[wrong], told.subject], np.r_[np.full(len(wrong), -1.0), np.zeros(told.count)],
        lambda place: Phrase(f"{former[place]} to {values[place]}", "no change", f"{signal.name} changes too"),
        of="moments", exact=True, undecided=moments.count - told.count, unseen=moments.unseen,
        picture=Picture(signal if not signal.texts else None),
    )  # fmt: skip
    return case.verdict(f"{moments.label} affects {signal.name} of its own subject only", occasions)


def _count_before(label: Ints, row: Ints, order: Ints, of_effect: Ints, effect: Moments) -> Ints:
    """Return how many of some instants of its label each effect has on its row before it, or on earlier rows."""
    size = int(max(row.max(initial=0), effect.row.max(initial=0))) + 2
    high = int(max(order.max(initial=0), effect.order.max(initial=0))) + 3
    keys = np.sort((label * size + row) * high + order + 1)
    own = np.where(effect.order == NOBODY, high - 1, effect.order + 1)
    wanted = (of_effect * size + effect.row) * high + own
    floor = np.searchsorted(keys, of_effect * size * high)
    return np.asarray(np.maximum(np.searchsorted(keys, wanted, side="right") - floor, 0))


def _latest(of_cause: Ints, cause: Moments, of_effect: Ints, effect: Moments) -> Ints:
    """Return the place of the last cause at or before each effect, or NOBODY."""
    size = effect.session.clock.size + 1
    order = np.argsort(of_cause * size + cause.row, kind="stable")
    keys = (of_cause * size + cause.row)[order]
    at = np.searchsorted(keys, of_effect * size + effect.row, side="right") - 1
    if not cause.count:
        return np.full(effect.count, NOBODY)
    found = order[np.maximum(at, 0)]
    return np.where((at >= 0) & (of_cause[found] == of_effect), found, NOBODY)


def _rows_in(spans: Spans) -> Ints:
    """Return the rows of the clock that lie in any of the spans."""
    size = spans.session.clock.size
    open_spans = np.bincount(spans.first, minlength=size + 1) - np.bincount(spans.last + 1, minlength=size + 1)
    return np.flatnonzero(np.cumsum(open_spans)[:size] > 0)
