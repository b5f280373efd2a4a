"""Checks of how moments are spread over time."""

from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, Window, duration, elapsed
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.triggers.labels import by_label, labels
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Floats, Ints
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


def rests_between(
    moments: Moments, at_least: Duration, *, match: str = "subject", tol: Duration | None = None, occasions: int = 1
) -> Verdict:
    """Assert that consecutive moments of one subject are at least so far apart: a cooldown, a debounce, a rate limit.

    Args:
        moments: what must rest in between.
        at_least: the shortest allowed time from one to the next.
        match: `"subject"` judges each subject by itself, `"pair"` each two of by and on, `"any"` all together, any
            other text those whose entry of that name in the data is equal.
        tol: how much less is still allowed, in the unit of `at_least`, or in frames.
        occasions: how many pairs there must be at the least.

    Returns:
        A verdict on every pair of consecutive moments. Idle if there is none. Its margin is the shortest rest less the
        allowed one, in frames or seconds.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace(
        ...     [{"heron": {"x": 0.0}}] * 6,
        ...     kinds={"heron": "skiff"},
        ...     events=[(0, "bell.rung", "heron"), (5, "bell.rung", "heron")],
        ... )
        >>> rests_between(trace.events("bell.rung"), frames(4)).margin.value
        1.0
    """
    at_least = duration(at_least, "at_least")
    session = moments.session
    (label,) = labels(match, moments)
    order = by_label(label, moments)
    same = label[order][1:] == label[order][:-1]
    former, later = order[:-1][same], order[1:][same]
    rest = elapsed(session.clock, moments.row[former], moments.row[later], at_least.unit)
    first, _ = Window(at_least, at_least, tol).rows(session.clock, moments.row[former])
    room = rest - at_least.value + (tol.value if tol is not None and tol.unit == at_least.unit else 0.0)
    in_time = moments.row[later] >= first
    slack = np.where(in_time, np.maximum(room, 0.0), np.minimum(room, -SAME_TIME))

    def phrase(place: int) -> Phrase:
        short = at_least.value - float(rest[place])
        before = session.clock.frames[moments.row[former[place]]]
        words = f"{amount(short, at_least.unit)} too soon after frame {before}"
        return Phrase(amount(float(rest[place]), at_least.unit), f"at least {at_least}", words)

    pairs = moments.pick(later)
    case = Case(
        session, pairs.row, pairs.life, pairs.subject, slack, phrase, of="pairs", unit=at_least.unit,
        allowed=at_least.value, unseen=moments.unseen, picture=Picture(),
    )  # fmt: skip
    return case.verdict(
        f"{moments.label} rests at least {at_least}{f' (+- {tol})' if tol else ''} in between", occasions
    )


def repeats_every(
    moments: Moments,
    period: Duration,
    *,
    first: Duration | None = None,
    during: Spans | None = None,
    match: str = "any",
    tol: Duration | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that something happens again and again at one interval: none early, late, missing or doubled, no drift.

    The n-th is due n periods after the first one, on the first recorded frame at or after that, so that delays cannot
    add up. Without `first`, the first one may have been due any time in the step that it was seen at the end of, so
    each may also come up to a frame earlier.

    Args:
        moments: what happens.
        period: how far apart.
        first: how long after the beginning of a span, or of the trace, the first one is due.
        during: the spans in which it happens, each by itself; None for all of the trace.
        match: `"any"` judges all together, `"subject"` each subject by itself, any other text as for `leads_to`.
        tol: how much earlier or later is still allowed, in the unit of the period.
        occasions: how many moments there must be at the least.

    Returns:
        A verdict on every moment, and on the end of each span. A span longer than the period in which nothing happens
        is broken, not idle. Idle if no span is that long. Its margin is `tol` less the largest deviation, and there is
        none without `tol`.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace([{}] * 9, kinds={}, events=[(n, "clock.jump") for n in (1, 3, 7)])
        >>> print(repeats_every(trace.events("clock.jump"), frames(2)).first.words)
        1 missing before it
    """
    period = duration(period, "period")
    if not period.value or (first is not None and first.unit != period.unit) or (tol and tol.unit != period.unit):
        raise Misuse("repeats_every: expected a period longer than 0, and first and tol in its unit")
    ticks, groups = _grouped(moments, during, labels(match, moments)[0], match == "any")
    rounds = _Rounds.of(ticks, groups, period, first)
    allowed = 0.0 if tol is None else tol.value
    slip = 0.0 if period.unit == "frames" else SAME_TIME
    late = np.maximum(rounds.off, -rounds.off - (rounds.step if first is None else 0.0))
    right = (rounds.skipped == 0) & (late <= allowed + slip)
    wrong = -np.maximum(late - allowed, SAME_TIME)
    room = np.maximum(allowed - np.maximum(late, 0.0), 0.0)
    slack = np.r_[np.where(right, room, wrong), -np.ones(len(rounds.silent))]

    def phrase(place: int) -> Phrase:
        if place >= ticks.count:
            return Phrase("none", f"one every {period}", "nothing more, though one is due")
        if rounds.skipped[place]:
            more = rounds.skipped[place]
            words = "comes once too often" if more < 0 else f"{more} missing before it"
            return Phrase("one more" if more < 0 else "a longer rest", f"one every {period}", words)
        else:
            off = float(rounds.off[place])
            words = f"{amount(abs(off), period.unit)} too {'late' if off > 0 else 'early'}"
        return Phrase(f"{amount(float(rounds.off[place]), period.unit)} off", f"one every {period}", words)

    nobody = np.full(len(rounds.silent), NOBODY)
    case = Case(
        moments.session, np.r_[ticks.row, rounds.silent], np.r_[ticks.life, nobody], np.r_[ticks.subject, nobody],
        slack, phrase, of="moments", unit=period.unit, exact=not tol, allowed=allowed or None,
        unseen="" if len(rounds.silent) else moments.unseen, picture=Picture(),
    )  # fmt: skip
    sentence = f"{moments.label} repeats every {period}{f' (+- {tol})' if tol else ''}"
    return case.verdict(sentence + (f" during {during.label}" if during is not None else ""), occasions)


class _Groups(NamedTuple):
    """Which stretch of which label each moment belongs to, and where each such stretch begins and ends."""

    which: Ints
    begin: Ints
    end: Ints


def _grouped(moments: Moments, during: Spans | None, label: Ints, together: bool) -> tuple[Moments, _Groups]:
    """Return the moments within spans, in order, stretch by stretch; without spans the trace is one."""
    last = moments.session.clock.size - 1
    if during is None:
        begin, end = np.zeros(min(last + 1, 1), np.int64), np.full(min(last + 1, 1), last)
        kept, span = np.arange(moments.count), np.zeros(moments.count, np.int64)
    else:
        order = np.argsort(during.first, kind="stable")
        begin, end = during.first[order], during.last[order]
        span = np.searchsorted(begin, moments.row, side="right") - 1
        kept = np.flatnonzero((span >= 0) & (end[np.maximum(span, 0)] >= moments.row)) if len(begin) else span[:0]
    order = kept[np.lexsort((moments.order[kept], moments.row[kept], span[kept], label[kept]))]
    pairs = np.stack([label[order], span[order]], axis=1)
    if together:
        return moments.pick(order), _Groups(span[order], begin, end)
    distinct, which = np.unique(pairs, axis=0, return_inverse=True)
    return moments.pick(order), _Groups(which.ravel(), begin[distinct[:, 1]], end[distinct[:, 1]])


class _Rounds(NamedTuple):
    """Which round each moment belongs to, and how that fits."""

    skipped: Ints
    """How many rounds were left out before it; -1 if its round had one already."""
    off: Floats
    """How much later than due it came; negative if earlier."""
    step: Floats
    """The step of the clock that ended at it."""
    silent: Ints
    """The rows at which stretches end in which one more was due."""

    @classmethod
    def of(cls, ticks: Moments, groups: _Groups, period: Duration, first: Duration | None) -> "_Rounds":
        clock = ticks.session.clock
        axis: Floats = np.asarray(clock.frames if period.unit == "frames" else clock.times, np.float64)
        slip = 0.0 if period.unit == "frames" else SAME_TIME
        which, begin = groups.which, axis[groups.begin]
        fresh = np.r_[True, np.diff(which) != 0][: ticks.count]
        base = begin + (period.value if first is None else first.value)  # where nothing happens, that was due
        at = axis[ticks.row]
        if first is None:
            base[which[fresh]] = at[fresh]
        nth = np.round((at - base[which]) / period.value).astype(np.int64)
        head = np.floor((at - begin[which] - slip) / period.value).astype(np.int64) if first is None else nth
        before = np.r_[0, nth[:-1]][: ticks.count]
        skipped = np.where(fresh, np.maximum(head, 0), nth - before - 1)
        due = np.minimum(np.searchsorted(axis, base[which] + nth * period.value - slip), clock.size - 1)
        final = np.full(len(begin), -1)
        final[which] = nth  # of each stretch, the last one stays
        quiet = axis[groups.end] >= base + (final + 1) * period.value + slip
        step = at - axis[np.maximum(ticks.row - 1, 0)] if period.unit == "s" else np.zeros(ticks.count)
        return cls(skipped, at - axis[due], step, groups.end[quiet])


def never_floods(moments: Moments, most: int, per: Duration, *, match: str = "any", occasions: int = 1) -> Verdict:
    """Assert that something never happens more than so often in any stretch of a length: no storms.

    Args:
        moments: what happens.
        most: how often at the most.
        per: in how long a time.
        match: `"any"` counts all together, `"subject"` each subject by itself, any other text as for `leads_to`.
        occasions: how many moments there must be at the least.

    Returns:
        A verdict on every moment, with the stretch that begins at it; undecided where the trace ends within that, and
        it has not happened too often yet. If it never happened, every frame is one on which it did not, and it is idle
        only on a name that was neither seen nor declared. Its margin is how many more would have been allowed.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> never_floods(small_trace().events("bell.rung"), 3, per=frames(1)).margin.value
        2.0
    """
    per = duration(per, "per")
    (label,) = labels(match, moments)
    clock = moments.session.clock
    _, last = Window(per, per).rows(clock, moments.row)
    order = by_label(label, moments)
    size = clock.size + 1
    keys = (label * size + moments.row)[order]
    behind = np.searchsorted(keys, label * size + np.minimum(last, clock.size - 1), side="right")
    mine = np.empty(moments.count, np.int64)
    mine[order] = np.arange(moments.count)
    count = behind - mine
    kept = np.flatnonzero((last < clock.size) | (count > most))
    told, count = moments.pick(kept), count[kept]
    row, life, name, of = told.row, told.life, told.subject, "moments"
    if not moments.count and moments.is_known:
        row, count, of = np.arange(clock.size), np.zeros(clock.size, np.int64), "frames"
        life = name = np.full(clock.size, NOBODY)

    def phrase(place: int) -> Phrase:
        return Phrase(f"{count[place]} in {per}", f"at most {most}", f"{count[place] - most} too many")

    case = Case(
        moments.session, row, life, name, (most - count).astype(np.float64), phrase, of=of, allowed=float(most),
        undecided=moments.count - len(kept), unseen="" if moments.is_known else moments.unseen, picture=Picture(),
    )  # fmt: skip
    return case.verdict(f"{moments.label} happens at most {most} times in {per}", occasions)
