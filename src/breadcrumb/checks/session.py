"""Checks of a session as a whole."""

import fnmatch
from collections.abc import Iterator, Mapping

import numpy as np

from breadcrumb.model.session import NOBODY, Bools, Ints
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict

ERROR = "error"
"""The name of the event that a script error is recorded as."""


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
