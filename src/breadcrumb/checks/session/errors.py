"""Whether scripts report errors, and whether every number is finite."""

import fnmatch
import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Unpack

import numpy as np

from breadcrumb.checks.declaration import Common, check
from breadcrumb.model.session import ERROR, NOBODY, Bools, Ints
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict
from breadcrumb.verdicts.words import times_words


@check("{trace:title} runs clean: no script error, every number finite[; allowed: {allow:reasons}]")
def runs_clean(trace: Trace, *, allow: Mapping[str, str] | None = None, **common: Unpack[Common]) -> Verdict:
    """Assert that no script raised an error and that no recorded number is infinite or not a number.

    Messages that differ in their numbers alone are told as one, with how often and until when it came.

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
    when = session.events.clock_index[errors].tolist()
    words = _flood_words(messages, session.clock.frames[session.events.clock_index[errors]].tolist())
    found = [
        (clock_index, NOBODY, name, Phrase(message, "no error", said))
        for clock_index, name, message, said in zip(when, subject, messages, words, strict=True)
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
    """Assert that a session that was made to fail reports its error the expected number of times, and no other error.

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


def _errors(trace: Trace, allowed: tuple[str, ...]) -> tuple[Ints, list[str]]:
    """Return the indices and the messages of the errors that are not allowed."""
    events = trace.data.session.events
    if ERROR not in events.kinds:
        return np.zeros(0, np.int64), []
    indices = np.flatnonzero(events.kind == events.kinds.index(ERROR))
    messages = [str(events.data[index].get("message", "no message")) for index in indices.tolist()]
    kept = [not any(fnmatch.fnmatchcase(message, pattern) for pattern in allowed) for message in messages]
    return indices[kept], [message for message, keep in zip(messages, kept, strict=True) if keep]


_NUMBER = re.compile(r"-?\d+(?:[.,]\d+)*(?:e[+-]?\d+)?", re.IGNORECASE)


def _flood_words(messages: Sequence[str], frames: Sequence[int]) -> list[str]:
    """Return what is said of each error: of one that comes again, but for its numbers, how often and until when."""
    alike = [_NUMBER.sub("#", message) for message in messages]
    times, last = Counter(alike), dict(zip(alike, frames, strict=True))
    variants = Counter(one for one, _ in set(zip(alike, messages, strict=True)))
    return [
        "a script error"
        if times[one] == 1
        else f"a script error, {times[one]:,} times up to frame {last[one]}"
        + (" with other numbers" if variants[one] > 1 else "")
        for one in alike
    ]


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
