"""Checks of a session as a whole."""

import fnmatch
import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, duration
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.session import ERROR, NOBODY, Bools, ColumnData, Ints
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.comparing import Scope, judge_near
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase, forgive_noise
from breadcrumb.verdicts.verdict import Verdict, all_of
from breadcrumb.verdicts.words import amount, number, plus_minus

_OTHER_TYPE = re.compile(r"(\S+\.\S+) unreadable \((?:TypeError|ValueError)\)")

__all__ = ["keeps_pace", "keeps_types", "only_these_change", "reports_error", "runs_clean", "same_at_any_rate"]


def runs_clean(trace: Trace, *, allow: Mapping[str, str] | None = None) -> Verdict:
    """Assert that no script raised an error and that no recorded number is infinite or not a number.

    Args:
        trace: the session.
        allow: messages of errors that may occur, as patterns in which `*` stands for anything, each with the reason.

    Returns:
        A verdict on every frame, idle if there is none. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> runs_clean(small_trace()).outcome
        'held'
    """
    session = trace.data.session
    errors, messages = _errors(trace, tuple(allow or ()))
    wrong = list(_not_finite(trace))
    rows = [*session.events.row[errors].tolist(), *(row for row, *_ in wrong)]
    lives = [*(NOBODY for _ in errors), *(life for _, life, _ in wrong)]
    subject = np.where(session.events.by == NOBODY, session.events.on, session.events.by)[errors].tolist()
    names = [*subject, *(int(session.lives.name[life]) for _, life, _ in wrong)]
    phrases = [*(Phrase(message, "no error", "a script error") for message in messages), *(said for *_, said in wrong)]
    quiet = np.setdiff1d(np.arange(session.clock.size), rows)
    nobody = np.full(len(quiet), NOBODY)
    case = Case(
        session,
        np.r_[np.array(rows, np.int64), quiet],
        np.r_[np.array(lives, np.int64), nobody],
        np.r_[np.array(names, np.int64), nobody],
        np.r_[np.full(len(rows), -1.0), np.zeros(len(quiet))],
        lambda place: phrases[place],
        of="frames",
        exact=True,
        picture=Picture(),
    )
    allowed = "".join(f"; allowed: {pattern} ({reason})" for pattern, reason in (allow or {}).items())
    return case.verdict(f"the session runs clean: no script error, every number finite{allowed}")


def reports_error(trace: Trace, pattern: str, *, times: int = 1) -> Verdict:
    """Assert that a session that was made to fail says so, exactly so often, and reports no other error.

    Args:
        trace: the session.
        pattern: the message, in which `*` stands for anything.
        times: how often it must be reported.

    Returns:
        A verdict on the session. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> events = [(0, "error", "hatch", None, {"message": "roll is empty"})]
        >>> reports_error(make_trace([{}], kinds={}, events=events, declare=["error"]), "roll *").outcome
        'held'
    """
    session = trace.data.session
    often = "once" if times == 1 else f"{times} times"
    sentence = f"the session reports {pattern!r} {often}, and no other error"
    if not session.clock.size:
        return Verdict(sentence, "idle", session.label, of="sessions", why_idle="no frame was recorded")
    others, messages = _errors(trace, (pattern,))
    every, _ = _errors(trace, ())
    meant = np.setdiff1d(every, others)
    surplus = meant[times:]
    wrong = np.r_[others, surplus]
    missing = max(times - len(meant), 0)
    last = np.full(1 if missing or not len(wrong) else 0, session.clock.size - 1)
    phrases = [Phrase(message, "no other error", "another error") for message in messages]
    phrases += [Phrase("one more", f"{times} times", "reported once too often")] * len(surplus)
    phrases += [Phrase(f"{len(meant)} times", f"{times} times", "not reported")] * len(last)
    subject = np.where(session.events.by == NOBODY, session.events.on, session.events.by)
    nobody = np.full(len(last), NOBODY)
    case = Case(
        session, np.r_[session.events.row[wrong], last], np.full(len(wrong) + len(last), NOBODY),
        np.r_[subject[wrong], nobody], np.r_[np.full(len(wrong), -1.0), np.full(len(last), -1.0 if missing else 0.0)],
        lambda place: phrases[place], of="sessions", exact=True, picture=Picture(),
    )  # fmt: skip
    return case.verdict(sentence)


def keeps_types(trace: Trace) -> Verdict:
    """Assert that no property changes its type in play, as the recorder noticed it: a number that becomes a text.

    Such values are missing in the trace, and its notes count them; the breach is at the first one that is missing.

    Args:
        trace: the session.

    Returns:
        A verdict on every property. Idle if nothing was sampled. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> keeps_types(small_trace()).outcome
        'held'
    """
    session = trace.data.session
    told = {f"{kind}.{name.split('.')[0]}": (kind, name) for kind in trace.kinds for name in trace.data.columns(kind)}
    wrong = [match[1] for note in trace.notes if (match := _OTHER_TYPE.search(note)) and match[1] in told]
    found = [_first_missing(trace, *told[name]) for name in wrong]
    held = len(told) - len(wrong)
    lives = np.array([life for life, _ in found], np.int64)
    nobody = np.full(held, NOBODY)
    case = Case(
        session, np.r_[np.array([row for _, row in found], np.int64), np.zeros(held, np.int64)], np.r_[lives, nobody],
        np.r_[session.lives.name[lives] if len(lives) else lives, nobody],
        np.r_[np.full(len(wrong), -1.0), np.zeros(held)],
        lambda place: Phrase("another type", "that of its first value", f"{wrong[place]} changes its type"),
        of="properties", exact=True, picture=Picture(),
    )  # fmt: skip
    return case.verdict("no property changes its type")


def keeps_pace(trace: Trace, longest: Duration, *, share: float = 1.0, occasions: int = 1) -> Verdict:
    """Assert that frames take no longer than they should, by the real clock.

    Args:
        trace: the session; its frames tell `wall`.
        longest: the longest time from one frame to the next, in seconds.
        share: the share of frames that must keep to it; 0.99 forgives one in a hundred.
        occasions: how many frames there must be at the least.

    Returns:
        A verdict on every frame but the first, or with a share on those that must keep to it. Idle if the frames tell
        no real time. Its margin is the time that was left.

    Example:
        >>> from breadcrumb import seconds
        >>> from breadcrumb.testing import small_trace
        >>> keeps_pace(small_trace(), seconds(0.02)).why_idle
        'the frames tell no real time (wall)'
    """
    session, clock = trace.data.session, trace.clock
    limit = duration(longest, "longest")
    sentence = f"a frame takes {limit} at the most" + (f", {share:.4g} of them" if share < 1 else "")
    if clock.wall is None or limit.unit != "s":
        if limit.unit != "s":
            raise Misuse(f"keeps_pace: expected a time in seconds, found {limit}")
        return Verdict(sentence, "idle", session.label, of="frames", why_idle="the frames tell no real time (wall)")
    took = np.diff(clock.wall)
    untimed = int((~np.isfinite(took)).sum())
    row = np.flatnonzero(np.isfinite(took)) + 1
    took = took[row - 1]
    allowed = int(np.floor((1 - share) * len(took) + 1e-9))
    kept = np.sort(np.argsort(took, kind="stable")[: len(took) - allowed])
    row, took = row[kept], took[kept]
    nobody = np.full(len(row), NOBODY)

    def phrase(place: int) -> Phrase:
        over = float(took[place]) - limit.value
        return Phrase(amount(float(took[place]), "s"), f"at most {limit}", f"{amount(over, 's')} too long")

    slack = forgive_noise(limit.value - took, SAME_TIME)
    case = Case(
        session, row, nobody, nobody, slack, phrase, of="frames", unit="s", allowed=limit.value, undecided=untimed,
        picture=Picture(),
    )  # fmt: skip
    return case.verdict(sentence, occasions)


def same_at_any_rate(
    traces: Sequence[Trace], measure: Callable[[Trace], Signal], *, tol: float = 0.0, occasions: int = 1
) -> Verdict:
    """Assert that sessions of one script at other frame rates agree in time with the first of them.

    The first session's value is taken, straight between its samples, at the times of each other's samples.

    Args:
        traces: sessions of the same script, two or more; the first is what the others are compared with.
        measure: gives the number or vector of one object, such as `lambda trace: trace.one("boom").position`.
        tol: how far apart they may be, in the unit of the value.
        occasions: how many samples there must be at the least in each.

    Returns:
        A verdict on every sample of the others. Idle if there is only one session. Its margin is `tol` less the largest
        difference.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> fast = make_trace([{"b": {"x": 0.1 * n}} for n in range(5)], kinds={"b": "boom"})
        >>> slow = make_trace([{"b": {"x": 0.2 * n}} for n in range(3)], kinds={"b": "boom"}, times=(0.0, 0.2, 0.4))
        >>> same_at_any_rate([fast, slow], lambda trace: trace.one("boom").x).outcome
        'held'
    """
    if len(traces) < 2:
        label = traces[0].label if traces else ""
        return Verdict("sessions agree at any rate", "idle", label, why_idle=f"{len(traces)} of 2 sessions")
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
        words = f"{value.title} is the same in {other.label} as in {traces[0].label}{plus_minus(tol, value.unit)}"
        verdicts.append(judge_near(value, due, words, tol=tol, scope=Scope(occasions=occasions)))
    return verdicts[0] if len(verdicts) == 1 else all_of(*verdicts)


def only_these_change(trace: Trace, allowed: Collection[str], *, during: Spans | None = None) -> Verdict:
    """Assert that nothing else changes: no other object's property, no other kind's, no other axis.

    Args:
        trace: the session.
        allowed: what may change, as patterns of `kind.property` or `kind.property.part`, such as `"skiff.position.*"`.
        during: judge only changes whose both samples are inside these spans.

    Returns:
        A verdict on every column that must not change, broken by the first change of each life. Idle if every column
        may change. It is exact, so it has no margin.

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
    breaches: list[tuple[int, int, Phrase]] = []
    watched = 0
    for name, (kind, column) in said.items():
        if not any(_fits(name, pattern) for pattern in allowed):
            watched += 1
            breaches += _changes(trace, kind, column, during)
    held = np.full(watched, 0)
    lives = np.array([life for _, life, _ in breaches], np.int64)
    case = Case(
        session, np.r_[np.array([row for row, *_ in breaches], np.int64), held],
        np.r_[lives, np.full(watched, NOBODY)],
        np.r_[session.lives.name[lives] if len(lives) else lives, np.full(watched, NOBODY)],
        np.r_[np.full(len(breaches), -1.0), np.zeros(watched)], lambda place: breaches[place][2], of="columns",
        exact=True, picture=Picture(),
    )  # fmt: skip
    return case.verdict(f"nothing but {', '.join(allowed)} changes")


def _errors(trace: Trace, allowed: tuple[str, ...]) -> tuple[Ints, list[str]]:
    """Return the places and the messages of the errors that are not allowed."""
    events = trace.data.session.events
    if ERROR not in events.kinds:
        return np.zeros(0, np.int64), []
    places = np.flatnonzero(events.kind == events.kinds.index(ERROR))
    messages = [str(events.data[place].get("message", "no message")) for place in places.tolist()]
    kept = [not any(fnmatch.fnmatchcase(message, pattern) for pattern in allowed) for message in messages]
    return places[kept], [message for message, keep in zip(messages, kept, strict=True) if keep]


def _not_finite(trace: Trace) -> Iterator[tuple[int, int, Phrase]]:
    """Yield the row, the life and the words of the first wrong number of each column and life."""
    for kind in trace.kinds:
        life, row = None, None
        for name in trace.data.columns(kind):
            column = trace.data.column(kind, name)
            if column.values.dtype.kind != "f" or np.isfinite(column.values.sum()):
                continue  # one pass settles it for nearly every column
            wrong: Bools = ~np.isfinite(column.values)
            if column.valid is not None:
                wrong &= column.valid
            if life is None or row is None:
                life, row = trace.data.index(kind)
            places = np.flatnonzero(wrong)
            _, first = np.unique(life[places], return_index=True)
            for place in places[first].tolist():
                value = float(column.values[place])
                words = f"{name} is {'not a number' if np.isnan(value) else 'infinite'}"
                yield int(row[place]), int(life[place]), Phrase(f"{value}", "a finite number", words)


def _first_missing(trace: Trace, kind: str, name: str) -> tuple[int, int]:
    """Return the life and the row of the first value of a column that is missing behind one that is not."""
    column = trace.data.column(kind, name)
    life, row = trace.data.index(kind)
    if column.valid is None or column.valid.all():
        return int(life[0]), int(row[0])
    lost = ~column.valid
    lost[1:] &= column.valid[:-1] & (life[1:] == life[:-1])
    places = np.flatnonzero(lost)
    place = int(places[np.argmin(row[places])]) if len(places) else int(np.flatnonzero(~column.valid)[0])
    return int(life[place]), int(row[place])


def _fits(name: str, pattern: str) -> bool:
    return fnmatch.fnmatchcase(name, pattern) or name.startswith(f"{pattern}.")


def _changes(trace: Trace, kind: str, name: str, during: Spans | None) -> Iterator[tuple[int, int, Phrase]]:
    """Yield the row, the life and the words of the first change of each life in a column."""
    column = trace.data.column(kind, name)
    life, row = trace.data.index(kind)
    known = np.arange(len(life)) if column.valid is None else np.flatnonzero(column.valid)
    values, whose = column.values[known], life[known]
    changed = (values[1:] != values[:-1]) & (whose[1:] == whose[:-1])
    if values.dtype.kind == "f":
        changed &= ~(np.isnan(values[1:]) & np.isnan(values[:-1]))
    if during is not None:
        inside = during.covers(whose, row[known])
        changed &= inside[1:] & inside[:-1]
    turns = np.flatnonzero(changed)
    _, first = np.unique(whose[turns], return_index=True)
    for turn in turns[first].tolist():
        place = known[turn + 1]
        before, now = (_value(column, at) for at in (known[turn], place))
        yield int(row[place]), int(life[place]), Phrase(f"{before} to {now}", "no change", f"{kind}.{name} changes")


def _value(column: ColumnData, place: int) -> str:
    if column.texts is not None:
        return column.texts[int(column.values[place])]
    value = column.values[place]
    return str(bool(value)).lower() if column.values.dtype == np.bool_ else number(float(value))
