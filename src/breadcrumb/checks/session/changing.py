"""Whether nothing changes but what may."""

import fnmatch
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Self, Unpack

import numpy as np

from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.checks.declaration import Common, check
from breadcrumb.errors import UnknownName, near_names
from breadcrumb.model.session import NOBODY, Bools, ColumnData, Ints
from breadcrumb.trace.opened import Trace
from breadcrumb.trace.vocabulary import known_here
from breadcrumb.verdicts.comparing import Scope
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import number


@check("[of {among:names} ]nothing [allowed?but {allowed:names} ]changes")
def only_these_change(
    trace: Trace,
    allowed: Collection[str],
    *,
    among: Collection[str] = ("*",),
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that nothing else changes: no other object's property, no other kind's, no other axis.

    Args:
        trace: the session.
        allowed: what may change, as patterns of `kind.property` or `kind.property.part`, such as `"skiff.position.*"`;
            with the id of an object in place of the kind, such as `"heron.position"`, of that one alone.
        among: what is judged at all, as such patterns.
        during: judge only changes whose both samples are inside these spans.
        except_during: judge only changes of which no sample is inside these spans.

    Returns:
        A verdict on every column that must not change, broken by the first change of each lifetime. Untested if every
        column may change, or nothing is sampled twice when it is judged. It is exact, so it has no margin.

    Raises:
        UnknownName: a pattern fits no property of the session.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> only_these_change(small_trace(), ["skiff.position.x"]).first.measured
        'true to false'
    """
    session = trace.data.session
    names = [(kind, name) for kind in trace.kinds for name in trace.data.columns(kind)]
    ids = {kind: _ids(trace, kind) for kind in trace.kinds}
    for pattern in (*allowed, *among):
        _refuse_unknown(trace, pattern, names, ids)
    watched: list[int] = []
    breaches: list[tuple[int, int, Callable[[], Phrase]]] = []
    for kind, column in names:
        judged = set(_which(kind, column, ids[kind], among)) - set(_which(kind, column, ids[kind], allowed))
        if judged:
            some = judged if len(judged) < len(ids[kind]) else None
            found = _Steps.of(trace, kind, column, some, Scope(during, except_during))
            watched += found.last
            breaches += found.changes()
    broken = np.array([lifetime for _, lifetime, _ in breaches], np.int64)
    held = np.array(watched, np.int64)
    nobody = np.full(len(held), NOBODY)
    evaluation = Evaluation(
        session, np.hstack((np.array([clock_index for clock_index, *_ in breaches], np.int64), held)),
        np.hstack((broken, nobody)),
        np.hstack((session.lifetimes.name[broken] if len(broken) else broken, nobody)),
        np.hstack((np.full(len(breaches), -1.0), np.zeros(len(held)))), lambda index: breaches[index][2](),
        of="columns", exact=True, plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


def _refuse_unknown(
    trace: Trace, pattern: str, names: Collection[tuple[str, str]], ids: Mapping[str, Sequence[str]]
) -> None:
    """Refuse a pattern that fits no property; of a kind that was not seen, and is known, it may fit any."""
    of_kinds = {f"{kind}.{name}" for kind, name in names}
    of_objects = {f"{id}.{name}" for kind, name in names for id in ids[kind]}
    unseen = known_here(trace.vocabulary).kinds - ids.keys()
    if any(_fits(name, pattern) for name in of_kinds | of_objects):
        return
    if not any(fnmatch.fnmatchcase(kind, pattern.partition(".")[0]) for kind in unseen):
        raise UnknownName("property", pattern, of_kinds | set(near_names(pattern, of_objects)), trace.label)


def _which(kind: str, column: str, ids: Sequence[str], patterns: Collection[str]) -> Sequence[str]:
    """Return the ids of the objects of a kind of which a column fits one of some patterns."""
    if any(_fits(f"{kind}.{column}", pattern) for pattern in patterns):
        return ids
    return [id for id in ids if any(_fits(f"{id}.{column}", pattern) for pattern in patterns)]


def _fits(name: str, pattern: str) -> bool:
    return fnmatch.fnmatchcase(name, pattern) or name.startswith(f"{pattern}.")


def _ids(trace: Trace, kind: str) -> list[str]:
    """Return the ids of all objects of a kind."""
    session = trace.data.session
    mine = session.lifetimes.name[session.lifetimes.kind == session.kinds.index(kind)]
    return [session.names[index] for index in np.unique(mine).tolist()]


@dataclass(frozen=True)
class _Steps:
    """From each known value of a column to the next one: those that are judged, and those among them that are changes.

    Steps go from one index to the one behind, of those values that are looked at.
    """

    name: str
    column: ColumnData
    indices: Ints | slice
    """Which samples of the column are looked at."""
    lifetime: Ints
    clock_index: Ints
    judged: Bools
    changed: Bools

    @classmethod
    def of(cls, trace: Trace, kind: str, name: str, some: Collection[str] | None, scope: Scope) -> Self:
        """Return the steps of some objects, or of all, as far as a scope asks about them."""
        session, column = trace.data.session, trace.data.column(kind, name)
        lifetime, clock_index = trace.data.index(kind)
        indices: Ints | slice = slice(None) if column.valid is None else np.flatnonzero(column.valid)
        if some is not None:
            meant = [session.names.index(id) for id in some]
            there = np.isin(session.lifetimes.name[lifetime], meant)
            indices = np.flatnonzero(there if column.valid is None else there & column.valid)
        whose, when, values = lifetime[indices], clock_index[indices], column.values[indices]
        judged = whose[1:] == whose[:-1]
        if scope.during is not None or scope.except_during is not None:
            track = Track(session, whose, when, whose=f"every {kind}")
            for spans, wanted in ((scope.during, True), (scope.except_during, False)):
                if spans is not None:
                    asked = spans.over(track, excuses=not wanted) == wanted
                    judged &= asked[1:] & asked[:-1]
        changed = (values[1:] != values[:-1]) & judged
        if values.dtype.kind == "f":
            changed &= ~(np.isnan(values[1:]) & np.isnan(values[:-1]))
        return cls(f"{kind}.{name}", column, indices, whose, when, judged, changed)

    @property
    def last(self) -> list[int]:
        """The clock index of the last value that is judged, if any is."""
        place = len(self.judged) - 1 - int(np.argmax(self.judged[::-1])) if len(self.judged) else 0
        return [int(self.clock_index[place + 1])] if len(self.judged) and self.judged[place] else []

    def changes(self) -> Iterator[tuple[int, int, Callable[[], Phrase]]]:
        """Yield the clock index, the lifetime and what says the words of the first change of each lifetime."""
        turns = np.flatnonzero(self.changed)
        if not len(turns):
            return
        _, first = np.unique(self.lifetime[turns], return_index=True)
        samples = np.arange(len(self.column.values))[self.indices]
        for turn in turns[first].tolist():
            before, now = int(samples[turn]), int(samples[turn + 1])
            said = partial(_change_words, self.column, before, now, self.name)
            yield int(self.clock_index[turn + 1]), int(self.lifetime[turn + 1]), said


def _change_words(column: ColumnData, before: int, now: int, name: str) -> Phrase:
    return Phrase(f"{_value(column, before)} to {_value(column, now)}", "no change", f"{name} changes")


def _value(column: ColumnData, index: int) -> str:
    if column.texts is not None:
        return column.texts[int(column.values[index])]
    value = column.values[index]
    return str(bool(value)).lower() if column.values.dtype == np.bool_ else number(float(value))
