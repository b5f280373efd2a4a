"""Checks of a session as a whole."""

import fnmatch
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from functools import partial
from typing import Unpack

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, duration
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.checks.declaration import Common, check, demand, of_measure
from breadcrumb.checks.scoping import frames_asked_about
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.columns import property_of
from breadcrumb.model.facts import OTHER_TYPE
from breadcrumb.model.session import ERROR, NOBODY, Bools, ColumnData, Ints
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.comparing import Scope, judge_near
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase, forgive_noise
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict, all_of
from breadcrumb.verdicts.words import amount, number, times_words

__all__ = ["keeps_pace", "keeps_types", "only_these_change", "reports_error", "runs_clean", "same_at_any_rate"]


@check("{trace:title} runs clean: no script error, every number finite[; allowed: {allow:reasons}]")
def runs_clean(trace: Trace, *, allow: Mapping[str, str] | None = None, **common: Unpack[Common]) -> Verdict:
    """Assert that no script raised an error and that no recorded number is infinite or not a number.

    Args:
        trace: the session.
        allow: messages of errors that may occur, as patterns in which `*` stands for anything, each with the reason.

    Returns:
        A verdict on every frame, untested if there is none. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> runs_clean(small_trace()).outcome
        'held'
    """
    session = trace.data.session
    errors, messages = _errors(trace, tuple(allow or ()))
    subject = np.where(session.events.by == NOBODY, session.events.on, session.events.by)[errors].tolist()
    found = [
        (clock_index, NOBODY, name, Phrase(message, "no error", "a script error"))
        for clock_index, name, message in zip(
            session.events.clock_index[errors].tolist(), subject, messages, strict=True
        )
    ]
    found += [(at, who, int(session.lifetimes.name[who]), said) for at, who, said in _not_finite(trace)]
    of_frame = {one[0]: one for one in reversed(found)}  # several on one frame are one breach of it
    size, broken = session.clock.size, np.array(list(of_frame), np.int64)
    lifetime, name, margin = np.full(size, NOBODY), np.full(size, NOBODY), np.zeros(size)
    lifetime[broken], name[broken] = (np.array([one[part] for one in of_frame.values()], np.int64) for part in (1, 2))
    margin[broken] = -1.0
    evaluation = Evaluation(
        session, np.arange(size), lifetime, name, margin, lambda index: of_frame[index][3], of="frames", exact=True,
        plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check("{trace:title} reports the error {pattern} {times:times}, and no other error")
def reports_error(trace: Trace, pattern: str, *, times: int = 1, **common: Unpack[Common]) -> Verdict:
    """Assert that a session that was made to fail says so, exactly so often, and reports no other error.

    Args:
        trace: the session.
        pattern: the message, in which `*` stands for anything.
        times: how often it must be reported.

    Returns:
        A verdict on the session; undecided if a report may be missing in a gap. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> events = [(0, "error", "hatch", None, {"message": "roll is empty"})]
        >>> reports_error(make_trace([{}], kinds={}, events=events, declare=["error"]), "roll *").outcome
        'held'
    """
    session = trace.data.session
    if not session.clock.size:
        return Verdict(UNNAMED, Outcome.UNTESTED, session.label, of="sessions", why_untested="no frame was recorded")
    others, messages = _errors(trace, (pattern,))
    every, _ = _errors(trace, ())
    meant = np.setdiff1d(every, others)
    surplus = meant[times:]
    wrong = np.hstack((others, surplus))
    missing = max(times - len(meant), 0)
    is_open = bool(missing and len(session.gaps))  # what was reported in a gap is not known
    last = np.full(int(not is_open and (missing or not len(wrong))), session.clock.size - 1)
    phrases = [Phrase(message, "no other error", "another error") for message in messages]
    phrases += [Phrase("one more", times_words(times), "one report too many")] * len(surplus)
    phrases += [Phrase(times_words(len(meant)), times_words(times), "not reported")] * len(last)
    subject = np.where(session.events.by == NOBODY, session.events.on, session.events.by)
    nobody = np.full(len(last), NOBODY)
    evaluation = Evaluation(
        session, np.hstack((session.events.clock_index[wrong], last)), np.full(len(wrong) + len(last), NOBODY),
        np.hstack((subject[wrong], nobody)),
        np.hstack((np.full(len(wrong), -1.0), np.full(len(last), -1.0 if missing else 0.0))),
        lambda index: phrases[index], of="sessions", exact=True, undecided=int(is_open), plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check("no property of {trace:title} changes its type")
def keeps_types(trace: Trace, **common: Unpack[Common]) -> Verdict:
    """Assert that no property changes its type in play, as the recorder noticed it: a number that becomes a text.

    Such values are missing in the trace, and its facts count them; the breach is at the first one that is missing.

    Args:
        trace: the session.

    Returns:
        A verdict on every property. Untested if nothing was sampled. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> keeps_types(small_trace()).outcome
        'held'
    """
    session = trace.data.session
    told = {(kind, property_of(name)): name for kind in trace.kinds for name in trace.data.columns(kind)}
    changed = [(fact.kind, fact.property) for fact in trace.facts if fact.code == OTHER_TYPE]
    wrong = [one for one in dict.fromkeys(changed) if one in told]
    found = [_first_missing(trace, kind, told[kind, name]) for kind, name in wrong]
    held = len(told) - len(wrong)
    lifetimes = np.array([lifetime for lifetime, _ in found], np.int64)
    nobody = np.full(held, NOBODY)
    evaluation = Evaluation(
        session, np.hstack((np.array([clock_index for _, clock_index in found], np.int64), np.zeros(held, np.int64))),
        np.hstack((lifetimes, nobody)),
        np.hstack((session.lifetimes.name[lifetimes] if len(lifetimes) else lifetimes, nobody)),
        np.hstack((np.full(len(wrong), -1.0), np.zeros(held))),
        lambda index: Phrase("another type", "that of its first value", f"{'.'.join(wrong[index])} changes its type"),
        of="properties", exact=True, plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check("[{share:percent} of the frames take|a frame takes] at most {at_most}")
def keeps_pace(
    trace: Trace,
    at_most: Duration,
    *,
    share: float = 1.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that frames take no longer than they should, by the real clock.

    Args:
        trace: the session; its frames tell `wall`.
        at_most: the longest time from one frame to the next, in seconds.
        share: the share of frames that must keep to it; 0.99 forgives one in a hundred.
        during: judge only the frames in any of these spans.
        except_during: judge only the frames in none of these spans, such as those in which a level loads.

    Returns:
        A verdict on every frame but the first, or with a share on those that must keep to it. Untested if the frames
        tell no real time. Its margin is the time that was left.

    Example:
        >>> from breadcrumb import seconds
        >>> from breadcrumb.testing import small_trace
        >>> keeps_pace(small_trace(), seconds(0.02)).why_untested
        'the frames have no real time (wall)'
    """
    session = trace.data.session
    clock = session.clock
    limit = duration(at_most, "at_most")
    if clock.wall is None or limit.unit != "s":
        if limit.unit != "s":
            raise Misuse(f"keeps_pace: expected a time in seconds, found {limit}")
        return Verdict(
            UNNAMED, Outcome.UNTESTED, session.label, of="frames", why_untested="the frames have no real time (wall)"
        )
    clock_index = frames_asked_about(session, during, except_during)
    clock_index = clock_index[clock_index > 0]
    took = clock.wall[clock_index] - clock.wall[clock_index - 1]
    timed = np.isfinite(took)
    untimed = int(np.count_nonzero(~timed))
    clock_index, took = clock_index[timed], took[timed]
    allowed = int(np.floor((1 - share) * len(took) + 1e-9))
    kept = np.sort(np.argsort(took, kind="stable")[: len(took) - allowed])
    clock_index, took = clock_index[kept], took[kept]
    nobody = np.full(len(clock_index), NOBODY)

    def phrase(index: int) -> Phrase:
        over = float(took[index]) - limit.value
        return Phrase(amount(float(took[index]), "s"), f"at most {limit}", f"{amount(over, 's')} too long")

    margin = forgive_noise(limit.value - took, SAME_TIME)
    evaluation = Evaluation(
        session, clock_index, nobody, nobody, margin, phrase, of="frames", unit="s", allowed=limit.value,
        undecided=untimed,
        plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check("{measure:measured} is the same at any frame rate", unit=of_measure, passes_on=True)
def same_at_any_rate(
    traces: Sequence[Trace], measure: Callable[[Trace], Signal], *, tol: float = 0.0, **common: Unpack[Common]
) -> Verdict:
    """Assert that sessions of one script at other frame rates agree in time with the first of them.

    The first session's value is taken, straight between its samples, at the times of each other's samples.

    Args:
        traces: sessions of the same script, two or more; the first is what the others are compared with.
        measure: gives the number or vector of one object, such as `lambda trace: trace.one("boom").position`.
        tol: how far apart they may be, in the unit of the value.

    Returns:
        A verdict on every sample of the others. Untested if there is only one session. Its margin is `tol` less the
        largest difference.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> fast = make_trace([{"b": {"x": 0.1 * n}} for n in range(5)], kinds={"b": "boom"})
        >>> slow = make_trace([{"b": {"x": 0.2 * n}} for n in range(3)], kinds={"b": "boom"}, times=(0.0, 0.2, 0.4))
        >>> same_at_any_rate([fast, slow], lambda trace: trace.one("boom").x).outcome
        'held'
    """
    if len(traces) < 2:
        label = traces[0].label if traces else ""
        return Verdict(UNNAMED, Outcome.UNTESTED, label, why_untested=f"{len(traces)} of 2 sessions")
    first = measure(traces[0])
    known = first.usable
    verdicts = []
    for other in traces[1:]:
        value = measure(other)
        inside = (
            (value.times >= first.times[known][0]) & (value.times <= first.times[known][-1]) if known.any() else None
        )
        value = value.take(np.flatnonzero(inside) if inside is not None else np.zeros(0, np.int64))
        parts = [np.interp(value.times, first.times[known], part[known]) for part in first.parts]
        due = np.stack(parts, axis=1) if len(parts) > 1 else parts[0]
        each = demand(judge_near(value, due, tol=tol), traces, **common)
        verdicts.append(each.with_sentence(f"{value.title} is the same in {other.label} as in {traces[0].label}"))
    return verdicts[0] if len(verdicts) == 1 else all_of(*verdicts)


@check("nothing but {allowed:names} changes")
def only_these_change(
    trace: Trace,
    allowed: Collection[str],
    *,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that nothing else changes: no other object's property, no other kind's, no other axis.

    Args:
        trace: the session.
        allowed: what may change, as patterns of `kind.property` or `kind.property.part`, such as `"skiff.position.*"`.
        during: judge only changes whose both samples are inside these spans.
        except_during: judge only changes of which no sample is inside these spans.

    Returns:
        A verdict on every column that must not change, broken by the first change of each lifetime. Untested if every
        column may change. It is exact, so it has no margin.

    Raises:
        UnknownName: a pattern fits no property of the session.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> only_these_change(small_trace(), ["skiff.position.x"]).first.measured
        'true to false'
    """
    session = trace.data.session
    names = [(kind, name) for kind in trace.kinds for name in trace.data.columns(kind)]
    said = {f"{kind}.{name}": (kind, name) for kind, name in names}
    for pattern in allowed:
        if not any(_fits(name, pattern) for name in said):
            raise UnknownName("property", pattern, said, trace.label)
    breaches: list[tuple[int, int, Callable[[], Phrase]]] = []
    watched = 0
    for name, (kind, column) in said.items():
        if not any(_fits(name, pattern) for pattern in allowed):
            watched += 1
            breaches += _changes(trace, kind, column, Scope(during, except_during))
    held = np.full(watched, 0)
    lifetimes = np.array([lifetime for _, lifetime, _ in breaches], np.int64)
    evaluation = Evaluation(
        session, np.hstack((np.array([clock_index for clock_index, *_ in breaches], np.int64), held)),
        np.hstack((lifetimes, np.full(watched, NOBODY))),
        np.hstack((session.lifetimes.name[lifetimes] if len(lifetimes) else lifetimes, np.full(watched, NOBODY))),
        np.hstack((np.full(len(breaches), -1.0), np.zeros(watched))), lambda index: breaches[index][2](), of="columns",
        exact=True, plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


def _errors(trace: Trace, allowed: tuple[str, ...]) -> tuple[Ints, list[str]]:
    """Return the indices and the messages of the errors that are not allowed."""
    events = trace.data.session.events
    if ERROR not in events.kinds:
        return np.zeros(0, np.int64), []
    indices = np.flatnonzero(events.kind == events.kinds.index(ERROR))
    messages = [str(events.data[index].get("message", "no message")) for index in indices.tolist()]
    kept = [not any(fnmatch.fnmatchcase(message, pattern) for pattern in allowed) for message in messages]
    return indices[kept], [message for message, keep in zip(messages, kept, strict=True) if keep]


def _not_finite(trace: Trace) -> Iterator[tuple[int, int, Phrase]]:
    """Yield the clock index, the lifetime and the words of the first wrong number of each column and lifetime."""
    for kind in trace.kinds:
        lifetime, clock_index = None, None
        for name in trace.data.columns(kind):
            column = trace.data.column(kind, name)
            if column.values.dtype.kind != "f" or np.isfinite(column.values.sum()):
                continue  # one pass settles it for nearly every column
            wrong: Bools = ~np.isfinite(column.values)
            if column.valid is not None:
                wrong &= column.valid
            if lifetime is None or clock_index is None:
                lifetime, clock_index = trace.data.index(kind)
            indices = np.flatnonzero(wrong)
            _, first = np.unique(lifetime[indices], return_index=True)
            for index in indices[first].tolist():
                value = float(column.values[index])
                words = f"{name} is {'not a number' if np.isnan(value) else 'infinite'}"
                yield int(clock_index[index]), int(lifetime[index]), Phrase(f"{value}", "a finite number", words)


def _first_missing(trace: Trace, kind: str, name: str) -> tuple[int, int]:
    """Return the lifetime and the clock index of the first value of a column that is missing behind one that is not."""
    column = trace.data.column(kind, name)
    lifetime, clock_index = trace.data.index(kind)
    if column.valid is None or column.valid.all():
        return int(lifetime[0]), int(clock_index[0])
    lost = ~column.valid
    lost[1:] &= column.valid[:-1] & (lifetime[1:] == lifetime[:-1])
    indices = np.flatnonzero(lost)
    index = int(indices[np.argmin(clock_index[indices])]) if len(indices) else int(np.flatnonzero(~column.valid)[0])
    return int(lifetime[index]), int(clock_index[index])


def _fits(name: str, pattern: str) -> bool:
    return fnmatch.fnmatchcase(name, pattern) or name.startswith(f"{pattern}.")


def _changes(trace: Trace, kind: str, name: str, scope: Scope) -> Iterator[tuple[int, int, Callable[[], Phrase]]]:
    """Yield the clock index, the lifetime and what says the words of the first change of each lifetime in a column."""
    column = trace.data.column(kind, name)
    lifetime, clock_index = trace.data.index(kind)
    known = slice(None) if column.valid is None else np.flatnonzero(column.valid)
    values, whose = column.values[known], lifetime[known]
    changed = (values[1:] != values[:-1]) & (whose[1:] == whose[:-1])
    if values.dtype.kind == "f":
        changed &= ~(np.isnan(values[1:]) & np.isnan(values[:-1]))
    if scope.during is not None or scope.except_during is not None:
        track = Track(trace.data.session, whose, clock_index[known], whose=f"every {kind}")
        for spans, wanted in ((scope.during, True), (scope.except_during, False)):
            if spans is not None:
                asked = spans.over(track, excuses=not wanted) == wanted
                changed &= asked[1:] & asked[:-1]
    turns = np.flatnonzero(changed)
    _, first = np.unique(whose[turns], return_index=True)
    indices = np.arange(len(lifetime))[known] if len(first) else turns
    for turn in turns[first].tolist():
        before, now = int(indices[turn]), int(indices[turn + 1])
        yield int(clock_index[now]), int(lifetime[now]), partial(_change_words, column, before, now, f"{kind}.{name}")


def _change_words(column: ColumnData, before: int, now: int, name: str) -> Phrase:
    return Phrase(f"{_value(column, before)} to {_value(column, now)}", "no change", f"{name} changes")


def _value(column: ColumnData, index: int) -> str:
    if column.texts is not None:
        return column.texts[int(column.values[index])]
    value = column.values[index]
    return str(bool(value)).lower() if column.values.dtype == np.bool_ else number(float(value))
