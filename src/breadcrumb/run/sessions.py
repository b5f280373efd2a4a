"""Judging one session; the result is plain data that pickles."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from breadcrumb.errors import TraceError
from breadcrumb.run.checking import run_check
from breadcrumb.run.loading import load_all
from breadcrumb.run.results import Recording, Result
from breadcrumb.run.selecting import Selection
from breadcrumb.trace.opened import Trace, open_trace
from breadcrumb.trace.vocabulary import Vocabulary, knowing

_OF_THE_RECORDING = ("started_at", "moment", "fixed_step")
"""Metadata fields that describe when and how a session was recorded, and not what was played."""


@dataclass(frozen=True, slots=True)
class SessionResult:
    """What a run found in one session."""

    trace: str
    """The path or URL of the trace."""
    results: tuple[Result, ...] = ()
    recording: Recording | None = None
    """What is known of it; None if it could not be judged."""
    contents: tuple[str, ...] = ()
    """Its kinds, properties and events."""
    looked_at: frozenset[str] = frozenset()
    """The kinds, properties and events that checks asked for."""
    unknown: frozenset[str] = frozenset()
    """Names that were asked for, and that no session of the run knows."""
    matched: frozenset[str] = frozenset()
    """The patterns of rule IDs that match a rule."""
    problem: str = ""
    """Why it could not be judged."""


@dataclass(frozen=True, slots=True)
class SessionInfo:
    """What is known of a session before it is judged."""

    names: Vocabulary
    """The names that it knows."""
    about: dict[str, str]
    """Its metadata, and the first value of each parameter, as text."""


class Judge:
    """Judges sessions by check files, which are loaded once.

    Args:
        files: the check files.
        only: patterns of rule IDs, with `*` and `?`; without any, all rules are judged.

    Raises:
        CheckFileError: one cannot be loaded, or a pattern matches no check file.
    """

    def __init__(self, files: Sequence[Path], only: Sequence[str] = ()) -> None:
        checks = load_all(dict.fromkeys(files))
        self._selection = Selection(only)
        self._checks = self._selection.checks(checks)

    def is_ready(self) -> bool:
        """Return whether the check files are loaded: they are, as soon as there is a judge to ask."""
        return True

    def info(self, trace: Path) -> SessionInfo | str:
        """Return what is known of a session, or why it cannot be read."""
        try:
            opened = open_trace(trace)
        except TraceError as error:
            return str(error)
        return SessionInfo(opened.vocabulary, _about(opened))

    def judge(self, path: Path, known: Vocabulary) -> SessionResult:
        """Run every check on a session; names that another session of the run knows are known in it."""
        try:
            trace = open_trace(path)
        except TraceError as error:
            return SessionResult(str(path), problem=str(error))
        with knowing(known) as here:
            results = self._selection.results(run_check(check, trace, path) for check in self._checks)
            recording = Recording(str(path), trace.label, trace.facts, _about(trace))
            return SessionResult(
                str(path), results, recording, trace.contents, frozenset(here.looked_at), frozenset(here.unknown),
                self._selection.matched(results),
            )  # fmt: skip


def _about(trace: Trace) -> dict[str, str]:
    """Return the metadata of a session, and the first value of each parameter, as text."""
    session = trace.data.session
    plain = ((name, value) for name, value in session.about.items() if isinstance(value, str | int | float))
    told = {name: str(value) for name, value in plain if name not in _OF_THE_RECORDING}
    for one in session.parameters:
        told.setdefault(f"parameter {one.name}", f"{one.value} {one.unit}".rstrip())
    return told
