"""Checks of how moments are spread over time."""

from typing import Literal, NamedTuple, Unpack

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, TimeAxis, Window, duration, elapsed
from breadcrumb.algebra.indexing import Index
from breadcrumb.algebra.matching import pair_rows
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.scoping import frames_watched, in_scope
from breadcrumb.checks.triggers.labels import by_label, labels
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Floats, Ints
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


@check("{moments} respects a cooldown of {at_least} {match:match}")
def respects_cooldown(
    moments: Moments,
    at_least: Duration,
    *,
    match: str = "subject",
    during: Spans | None = None,
    except_during: Spans | None = None,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that consecutive moments of one subject are at least a duration apart: a cooldown or a debounce.

    Args:
        moments: what has the cooldown.
        at_least: the shortest allowed time from one to the next.
        match: `"subject"` judges each subject by itself, `"pair"` each two of by and on, `"any"` all together, any
            other text those whose entry of that name in the data is equal.
        during: judge only inside these spans; both moments of a pair must lie in them.
        except_during: judge only outside these spans.
        time_tol: how much less is still allowed, in the unit of `at_least`, or in frames.

    Returns:
        A verdict on every pair of consecutive moments. Untested if there is none. Its margin is the shortest time
        between two less the allowed one, in frames or seconds.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace(
        ...     [{"heron": {"x": 0.0}}] * 6,
        ...     kinds={"heron": "skiff"},
        ...     events=[(0, "bell.rung", "heron"), (5, "bell.rung", "heron")],
        ... )
        >>> respects_cooldown(trace.events("bell.rung"), frames(4)).margin.value
        1.0
    """
    at_least, tol = duration(at_least, "at_least"), time_tol
    moments = in_scope(moments, during, except_during)
    session = moments.session
    label = labels(match, moments)
    order = by_label(label, moments)
    same = label[order][1:] == label[order][:-1]
    former, later = order[:-1][same], order[1:][same]
    rest = elapsed(session.clock, moments.clock_index[former], moments.clock_index[later], at_least.unit)
    first, _ = Window(at_least, at_least, tol).clock_indices(session.clock, moments.clock_index[former])
    spare = rest - at_least.value + (tol.value if tol is not None and tol.unit == at_least.unit else 0.0)
    in_time = moments.clock_index[later] >= first
    margin = np.where(in_time, np.maximum(spare, 0.0), np.minimum(spare, -SAME_TIME))

    def phrase(index: int) -> Phrase:
        short = at_least.value - float(rest[index])
        before = session.clock.frames[moments.clock_index[former[index]]]
        words = f"{amount(short, at_least.unit)} too soon after the one on frame {before}"
        return Phrase(amount(float(rest[index]), at_least.unit), f"at least {at_least}", words)

    pairs = moments.pick(later)
    evaluation = Evaluation(
        session, pairs.clock_index, pairs.lifetime, pairs.subject, margin, phrase, of="pairs", unit=at_least.unit,
        allowed=at_least.value, unseen=moments.unseen or _lone(match, moments, former), plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


def _lone(match: str, moments: Moments, pairs: Ints) -> str:
    """Return why no pair is there to judge, if each moment is the only one of its own."""
    if len(pairs) or moments.count < 2:
        return ""
    return f"each has one moment only, matched by {match}; match='any' judges all together"


@check("{moments} repeats every {period}{remainder:counted}[, first after {first}], {match:match}")
def repeats_every(
    moments: Moments,
    period: Duration,
    *,
    first: Duration | None = None,
    remainder: Literal["carried", "dropped"] = "carried",
    match: str = "any",
    during: Spans | None = None,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that something happens again and again at one interval: none early, late, missing or doubled, no drift.

    The n-th is due n periods after the first one, on the first recorded frame at or after that, so that delays cannot
    add up. Without `first`, the first one may have been due any time in the step that it was seen at the end of, so
    each may also come up to a frame earlier.

    Args:
        moments: what happens.
        period: how far apart.
        first: how long after the beginning of a span, or of the trace, the first one is due.
        remainder: what becomes of the rest of a frame behind the instant at which one is due: `"carried"` over to the
            next one; or `"dropped"`, as by a timer that begins anew on that frame: then each is due a period after
            the one before it.
        match: `"any"` judges all together, `"subject"` each subject by itself, any other text as for `leads_to`.
        during: the spans in which it happens, each by itself; None for all of the trace.
        time_tol: how much earlier or later is still allowed, in the unit of the period.

    Returns:
        A verdict on every moment, and on the end of each span. A span longer than the period in which nothing happens
        is broken, not untested. Untested if no span is that long. Its margin is `time_tol` less the largest deviation,
        and there is none without `time_tol`.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace([{}] * 9, kinds={}, events=[(n, "clock.jump") for n in (1, 3, 7)])
        >>> print(repeats_every(trace.events("clock.jump"), frames(2)).first.words)
        1 missing before it
    """
    period, tol = duration(period, "period"), time_tol
    if not period.value or (first is not None and first.unit != period.unit) or (tol and tol.unit != period.unit):
        raise Misuse("repeats_every: expected a period longer than 0, and first and time_tol in its unit")
    ticks, groups = _grouped(moments, during, labels(match, moments), match == "any")
    if remainder not in ("carried", "dropped"):
        raise Misuse(f"repeats_every: expected remainder='carried' or 'dropped', found {remainder!r}")
    rounds = _Rounds.of(ticks, groups, period, first, anew=remainder == "dropped")
    allowed = 0.0 if tol is None else tol.value
    slip = TimeAxis.of(moments.session.clock, period.unit).slip
    early = rounds.step if first is None and remainder == "carried" else 0.0
    late = np.maximum(rounds.off, -rounds.off - early)
    right = (rounds.skipped == 0) & (late <= allowed + slip)
    wrong = -np.maximum(late - allowed, SAME_TIME)
    spare = np.maximum(allowed - np.maximum(late, 0.0), 0.0)
    margin = np.hstack((np.where(right, spare, wrong), -np.ones(len(rounds.silent))))

    def phrase(index: int) -> Phrase:
        if index >= ticks.count:
            return Phrase("none", f"one every {period}", "the next one is missing")
        if rounds.skipped[index]:
            more = rounds.skipped[index]
            words = "one too many" if more < 0 else f"{more} missing before it"
            return Phrase("one more" if more < 0 else "a longer gap", f"one every {period}", words)
        else:
            off = float(rounds.off[index])
            words = f"{amount(abs(off), period.unit)} too {'late' if off > 0 else 'early'}"
        return Phrase(f"{amount(float(rounds.off[index]), period.unit)} off", f"one every {period}", words)

    nobody = np.full(len(rounds.silent), NOBODY)
    evaluation = Evaluation(
        moments.session, np.hstack((ticks.clock_index, rounds.silent)), np.hstack((ticks.lifetime, nobody)),
        np.hstack((ticks.subject, nobody)),
        margin, phrase, of="moments", unit=period.unit, exact=not tol, allowed=allowed or None,
        unseen="" if len(rounds.silent) else moments.unseen, plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


_HALF_A_FRAME = 0.5


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
        kept, of_moment, order, of_span, _ = pair_rows(moments.participants, during.participants)
        begin, end = during.first[order], during.last[order]
        span = np.full(moments.count, NOBODY)
        begins = Index.of(moments.session, of_span, begin)
        span[kept] = begins.last_until(of_moment, moments.clock_index[kept])
        kept = kept[(span[kept] != NOBODY) & (np.append(end, NOBODY)[span[kept]] >= moments.clock_index[kept])]
    order = kept[np.lexsort((moments.order[kept], moments.clock_index[kept], span[kept], label[kept]))]
    of_label, of_span = label[order], span[order]
    if together:
        return moments.pick(order), _Groups(of_span, begin, end)
    fresh = np.ones(len(order), np.bool_)
    fresh[1:] = (np.diff(of_label) != 0) | (np.diff(of_span) != 0)
    distinct = of_span[fresh]
    return moments.pick(order), _Groups(np.cumsum(fresh) - 1, begin[distinct], end[distinct])


class _Rounds(NamedTuple):
    """Which round each moment belongs to, and how that fits."""

    skipped: Ints
    """How many rounds were left out before it; -1 if its round had one already."""
    off: Floats
    """How much later than due it came; negative if earlier."""
    step: Floats
    """The step of the clock that ended at it."""
    silent: Ints
    """The clock indices at which stretches end in which one more was due."""

    @classmethod
    def of(cls, ticks: Moments, groups: _Groups, period: Duration, first: Duration | None, *, anew: bool) -> "_Rounds":
        """Return the rounds, counted from the first moment of each stretch, or anew from each moment."""
        clock = ticks.session.clock
        axis, slip = TimeAxis.of(clock, period.unit)
        which, begin = groups.which, axis[groups.begin]
        fresh = np.hstack((True, np.diff(which) != 0))[: ticks.count]
        base = begin + (period.value if first is None else first.value)  # where nothing happens, that was due
        at = axis[ticks.clock_index]
        if first is None:
            base[which[fresh]] = at[fresh]
        start = base[which]
        since = np.where(fresh, groups.begin[which], np.hstack((0, ticks.clock_index[:-1]))[: ticks.count])
        torn = ticks.session.is_torn(since, ticks.clock_index)
        if anew:  # behind a gap, which may hide the one before, a timer's course is not known
            start = np.where(fresh, start, np.where(torn, at, axis[since]))
        nth = np.round((at - start) / period.value).astype(np.int64)
        step = at - axis[np.maximum(ticks.clock_index - 1, 0)] if period.unit == "s" else np.zeros(ticks.count)
        # the first one may be due as late as one period after the start, and is seen at the end of that step
        gap = at - begin[which] - np.maximum(step, slip or _HALF_A_FRAME)
        head = np.floor(gap / period.value).astype(np.int64) if first is None else nth
        before = np.zeros(ticks.count, np.int64) if anew else np.hstack((0, nth[:-1]))[: ticks.count]
        skipped = np.where(fresh, np.maximum(head, 0), nth - before - 1)
        skipped = np.where(torn & (skipped > 0), 0, skipped)  # those in a gap were not seen
        due = np.minimum(np.searchsorted(axis, start + nth * period.value - slip), clock.size - 1)
        following = base.copy()
        following[which] = at + period.value if anew else start + (nth + 1) * period.value  # the last one stays
        quiet = axis[groups.end] >= following + slip
        latest = groups.begin.copy()
        latest[which] = ticks.clock_index
        quiet &= ~ticks.session.is_torn(latest, groups.end)
        return cls(skipped, at - axis[due], step, groups.end[quiet])


@check("{moments} happens at most {at_most:times} in {per}, {match:match}")
def respects_rate_limit(
    moments: Moments,
    at_most: int,
    *,
    per: Duration,
    match: str = "any",
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that something happens at most a number of times in any stretch of a given length.

    Args:
        moments: what happens.
        at_most: how often at the most.
        per: in how long a time.
        match: `"any"` counts all together, `"subject"` each subject by itself, any other text as for `leads_to`.
        during: count only moments inside these spans.
        except_during: count only moments outside these spans.

    Returns:
        A verdict on every moment, with the stretch that begins at it; undecided where the trace ends within that or has
        a gap in it, and it has not happened too often yet. If it never happened, every frame is one on which it did
        not, and it is untested only on a name that was neither seen nor declared. Its margin is how many more would
        have been allowed.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> respects_rate_limit(small_trace().events("bell.rung"), 3, per=frames(1)).margin.value
        2.0
    """
    per = duration(per, "per")
    moments = in_scope(moments, during, except_during)
    label = labels(match, moments)
    clock = moments.session.clock
    axis = TimeAxis.of(clock, per.unit)
    last = axis.at_or_before(axis.values + per.value)[moments.clock_index]
    hidden = Window(Duration(0, per.unit), per).hidden(moments.session, moments.clock_index)
    order = by_label(label, moments)
    behind = Index.of(moments.session, label, moments.clock_index).place(label, last, "right")
    mine = np.empty(moments.count, np.int64)
    mine[order] = np.arange(moments.count)
    count = behind - mine
    kept = np.flatnonzero(~hidden | (count > at_most))
    told, count = moments.pick(kept), count[kept]
    clock_index, lifetime, name, of = told.clock_index, told.lifetime, told.subject, "moments"
    if not moments.count and moments.is_known:
        clock_index, of = frames_watched(moments.session, during, except_during), "frames"
        count = np.zeros(len(clock_index), np.int64)
        lifetime = name = np.full(len(clock_index), NOBODY)

    def phrase(index: int) -> Phrase:
        return Phrase(f"{count[index]} in {per}", f"at most {at_most}", f"{count[index] - at_most} too many")

    evaluation = Evaluation(
        moments.session, clock_index, lifetime, name, (at_most - count).astype(np.float64), phrase, of=of,
        allowed=float(at_most),
        undecided=moments.count - len(kept), unseen="" if moments.is_known else moments.unseen, plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()
