"""Judging one session; the result is plain data that pickles."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

from breadcrumb.errors import CheckFileError, TraceError
from breadcrumb.model.plurals import counted
from breadcrumb.run.applying import matches
from breadcrumb.run.checking import run_check
from breadcrumb.run.known import KnownFailure
from breadcrumb.run.loading import load_all
from breadcrumb.run.references import References
from breadcrumb.run.results import ACROSS, Recording, SessionResult
from breadcrumb.run.selecting import Selection
from breadcrumb.run.sources import Sources
from breadcrumb.run.traces import SessionEntry, Traces, chosen, metadata_of
from breadcrumb.trace.opened import open_trace
from breadcrumb.trace.vocabulary import Vocabulary, knowing


@dataclass(frozen=True, slots=True)
class SessionInfo:
    """What is known of a session before it is judged."""

    label: str
    """Its name."""
    names: Vocabulary
    """The names that it knows."""
    about: dict[str, str]
    """Its metadata, and the first value of each parameter, as text."""


@dataclass(frozen=True)
class Task:
    """What is asked of each session of a run; it pickles, and so travels to other processes and machines."""

    sources: Sources
    """The check files."""
    only: tuple[str, ...] = ()
    """Patterns of rule IDs, with `*` and `?`; without any, all rules are judged."""
    known: tuple[KnownFailure, ...] = ()
    """The failures that are known, without those that have expired."""
    references: References = field(default_factory=References)
    """The accepted sessions."""


class Judge:
    """Judges sessions; the check files are loaded once.

    Args:
        task: what is asked of each session.
        unloaded: is given the error of each check file that cannot be loaded; without it, the first one is raised.

    Raises:
        CheckFileError: a file cannot be loaded, or a pattern matches no check file.
    """

    def __init__(self, task: Task, unloaded: Callable[[CheckFileError], None] | None = None) -> None:
        checks = load_all(task.sources, unloaded)
        self._selection, self._known, self._references = Selection(task.only), task.known, task.references
        self._checks = self._selection.checks(checks, task.sources.files)

    @classmethod
    def elsewhere(cls, task: Task) -> "Judge":
        """Return a judge in another process, where a file that cannot be loaded does not affect the others."""
        errors: list[CheckFileError] = []
        judge = cls(task, errors.append)
        judge._unloaded = tuple(map(str, errors))
        return judge

    _unloaded: tuple[str, ...] = ()
    """Why check files could not be loaded here."""

    def info(self, trace: Path) -> SessionInfo | str:
        """Return what is known of a session, or why it cannot be read."""
        try:
            opened = open_trace(trace)
        except TraceError as error:
            return str(error)
        return SessionInfo(opened.label, opened.vocabulary, metadata_of(opened))

    @property
    def has_checks_across(self) -> bool:
        """Whether there are checks that are about several sessions."""
        return any(check.is_across for check in self._checks)

    def judge(self, path: Path, names: Vocabulary) -> SessionResult:
        """Run every check on a session; names that another session of the run knows are known in it."""
        try:
            trace = open_trace(path)
        except TraceError as error:
            return SessionResult(str(path), problems=(str(error),))
        about = metadata_of(trace)
        checks = [check for check in self._checks if not check.is_across]
        apply = [check for check in checks if matches(about, check.applies_to)]
        known = {one.rule: one.reason for one in self._known if one.applies(about)}
        with knowing(names) as here:
            accepted = partial(self._references.given, about=about, path=path)
            ran = (run_check(check, trace, trace.label, str(path), known, accepted) for check in apply)
            results = self._selection.results(ran)
        return SessionResult(
            str(path), results, Recording(str(path), trace.label, trace.facts, about), trace.contents,
            frozenset(here.looked_at), frozenset(here.unknown), self._selection.matched(results), self._unloaded,
            tuple((one.info, one.applies_in_words) for one in checks if one not in apply),
        )  # fmt: skip

    def judge_across(self, sessions: tuple[SessionEntry, ...], names: Vocabulary) -> SessionResult:
        """Run every check that is about several sessions, once."""
        known = {one.rule: one.reason for one in self._known if any(one.applies(each.about) for each in sessions)}
        given = {check: chosen(Traces(sessions), check.applies_to) for check in self._checks if check.is_across}
        words = f"all {counted(len(sessions), 'sessions')}"
        with knowing(names) as here:
            ran = (run_check(check, traces, words, ACROSS, known) for check, traces in given.items() if len(traces))
            results = self._selection.results(ran)
        return SessionResult(
            ACROSS, results, None, (), frozenset(here.looked_at), frozenset(here.unknown),
            self._selection.matched(results), self._unloaded,
            tuple((check.info, check.applies_in_words) for check, traces in given.items() if not len(traces)),
        )  # fmt: skip
