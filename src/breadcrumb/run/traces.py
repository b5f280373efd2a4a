"""The sessions of a run, for checks of several sessions."""

import functools
import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, overload

from breadcrumb.algebra.quantities import Quantity
from breadcrumb.errors import NeverExercised, UnknownName, is_typing_error
from breadcrumb.model.plurals import counted
from breadcrumb.run.applying import Wanted, matches, wanted_words
from breadcrumb.trace.opened import Trace, open_trace
from breadcrumb.trace.reading import note_read

_OPEN = 8
"""How many sessions are kept open, so that a check that asks for one again does not wait for it."""


_OF_THE_RECORDING = ("started_at", "moment", "fixed_step")
"""Metadata fields that describe when and how a session was recorded, and not what was played."""


@dataclass(frozen=True, slots=True)
class SessionEntry:
    """A session that can be opened."""

    path: Path
    about: Mapping[str, str]
    """Its metadata, and the first value of each parameter, as text."""


@dataclass(frozen=True, repr=False)
class Traces(Sequence[Trace]):
    """The sessions of a run; each is opened when it is asked for.

    A check function that takes `traces` is given all sessions of its run, once.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> slow, fast = (make_trace([{}], kinds={}, name=f"at {rate}", tick_rate=rate) for rate in (30, 144))
        >>> traces = Traces.of([slow, fast])
        >>> len(traces), [trace.label for trace in traces.where(tick_rate=144)]
        (2, ['at 144'])
    """

    sessions: tuple[SessionEntry, ...]
    opens: Callable[[Path], Trace] = field(default_factory=lambda: functools.lru_cache(_OPEN)(open_trace))

    @classmethod
    def of(cls, traces: Iterable[Trace]) -> "Traces":
        """Return opened sessions as those of a run."""
        opened = {Path(str(number)): one for number, one in enumerate(traces)}
        entries = tuple(SessionEntry(path, metadata_of(one)) for path, one in opened.items())
        return cls(entries, opened.__getitem__)

    def __len__(self) -> int:
        note_read(empty=not self.sessions)
        return len(self.sessions)

    @overload
    def __getitem__(self, index: int) -> Trace: ...
    @overload
    def __getitem__(self, index: slice) -> "Traces": ...
    def __getitem__(self, index: int | slice) -> "Trace | Traces":
        """Return a session, opened, or some of them."""
        if isinstance(index, slice):
            return replace(self, sessions=self.sessions[index])
        return self.opens(self.sessions[index].path)

    def __repr__(self) -> str:
        return f"<{counted(len(self.sessions), 'sessions')}>"

    def where(self, *, at_least: int = 1, **about: Wanted) -> "Traces":
        """Return the sessions whose metadata match.

        Args:
            at_least: how many of them the check needs; it is untested if there are fewer.
            about: what each metadata field must be: a pattern with `*` and `?`, a number, or a tuple of them, of which
                one must match.

        Raises:
            NeverExercised: there are fewer sessions; the check that asked is untested.
            UnknownName: a field is most likely a typing error: no session has it, and one has a name like it.
        """
        self._refuse_typing_errors(about)
        found = tuple(one for one in self.sessions if matches(one.about, about))
        if len(found) < at_least:
            raise NeverExercised(f"{len(found)} of {at_least} sessions with {wanted_words(about)}")
        return replace(self, sessions=found)

    def by(self, *fields: str) -> "list[Traces]":
        """Return the sessions in groups that are alike in metadata fields.

        Args:
            fields: the names of the fields; sessions without one of them are in a group of their own.

        Raises:
            UnknownName: a field is most likely a typing error.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> made = [make_trace([{}], kinds={}, seed=seed, tick_rate=rate) for seed in (1, 2) for rate in (30, 60)]
            >>> [len(group) for group in Traces.of(made).by("seed")]
            [2, 2]
        """
        self._refuse_typing_errors(fields)
        groups: dict[tuple[str | None, ...], list[SessionEntry]] = {}
        for one in self.sessions:
            groups.setdefault(tuple(one.about.get(name) for name in fields), []).append(one)
        return [replace(self, sessions=tuple(group)) for group in groups.values()]

    def one(self) -> Trace:
        """Return the only session.

        Raises:
            NeverExercised: there are several, or none; the check that asked is untested.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> Traces.of([small_trace()]).one()
            <trace small: 4 frames>
        """
        if len(self.sessions) != 1:
            raise NeverExercised(f"expected one session, found {len(self.sessions)}")
        return self[0]

    def _refuse_typing_errors(self, fields: Iterable[str]) -> None:
        known = {name for one in self.sessions for name in one.about}
        for name in fields:
            if name not in known and any(is_typing_error(name, other) for other in known):
                raise UnknownName("metadata field", name, known, "the sessions of this run")

    def mean(self, measure: Callable[[Trace], float]) -> Quantity:
        """Return the mean of a number over the sessions, for `judge`.

        Args:
            measure: gives the number of a session, such as `lambda trace: trace.all("skiff").speed.mean()`.

        Returns:
            The mean, with the unit of the numbers. A condition on it is untested if there is no session.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> Traces.of([small_trace(), small_trace()]).mean(lambda trace: trace.one("skiff").speed.mean())
            <mean of mean of speed of the skiff: 10 m/s over 2 sessions>
        """
        numbers = [measure(trace) for trace in self]
        first: Any = numbers[0] if numbers else 0.0
        name, unit = getattr(first, "name", "what is measured"), getattr(first, "unit", "")
        value = sum(map(float, numbers)) / len(numbers) if numbers else math.nan
        return Quantity(
            value, f"mean of {name}", unit, counted(len(self.sessions), "sessions"), len(numbers), "sessions"
        )

    def opened_by(self, change: Callable[[Trace], Trace]) -> "Traces":
        """Return the same sessions, each changed when it is opened."""
        return replace(self, opens=lambda path: change(self.opens(path)))


def metadata_of(trace: Trace) -> dict[str, str]:
    """Return the metadata of a session, and the first value of each parameter, as text."""
    session = trace.data.session
    plain = ((name, value) for name, value in session.about.items() if isinstance(value, str | int | float))
    told = {name: str(value) for name, value in plain if name not in _OF_THE_RECORDING}
    for one in session.parameters:
        told.setdefault(f"parameter {one.name}", f"{one.value} {one.unit}".rstrip())
    return told


def chosen(traces: Traces, wanted: Mapping[str, Wanted]) -> Traces:
    """Return the sessions to which a check applies, none if there are none."""
    return replace(traces, sessions=tuple(one for one in traces.sessions if matches(one.about, wanted)))
