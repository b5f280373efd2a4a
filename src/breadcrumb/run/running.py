"""Running checks on sessions: one after the other in this process, or several at a time in others."""

import datetime as dt
import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal, Protocol, TypeAlias

from breadcrumb.errors import ClusterError
from breadcrumb.run.applying import matches, wanted_words
from breadcrumb.run.known import KnownCount, KnownFailure, expired
from breadcrumb.run.references import References
from breadcrumb.run.results import SessionResult
from breadcrumb.run.sessions import Judge, SessionInfo, Task
from breadcrumb.run.sources import Sources
from breadcrumb.run.tallies import RunResult, Tally
from breadcrumb.run.traces import SessionEntry
from breadcrumb.trace.vocabulary import Vocabulary

_FEW = 4
"""How many sessions are checked sooner in this process than it takes to start others."""
Progress = Callable[[int, int, str], None]


class Interrupted(KeyboardInterrupt):
    """The user interrupted a run; it has what was found until then."""

    def __init__(self, tally: Tally) -> None:
        super().__init__()
        self.tally = tally


class Executor(Protocol):
    """Where sessions are judged."""

    def info(self, traces: Iterable[Path]) -> Iterator[SessionInfo | str]:
        """Yield for each trace, in order, what is known of it, or why it cannot be read."""

    def judge(self, traces: Iterable[Path], names: Vocabulary) -> Iterator[SessionResult]:
        """Yield what was found in each session, in order."""

    def judge_across(self, sessions: tuple[SessionEntry, ...], names: Vocabulary) -> SessionResult:
        """Return what the checks that are about several sessions found."""


class _Here:
    """This process."""

    def __init__(self, judge: Judge) -> None:
        self._judge = judge

    def info(self, traces: Iterable[Path]) -> Iterator[SessionInfo | str]:
        return map(self._judge.info, traces)

    def judge(self, traces: Iterable[Path], names: Vocabulary) -> Iterator[SessionResult]:
        return (self._judge.judge(trace, names) for trace in traces)

    def judge_across(self, sessions: tuple[SessionEntry, ...], names: Vocabulary) -> SessionResult:
        return self._judge.judge_across(sessions, names)


Which: TypeAlias = Literal["all", "each", "across"]
"""Which checks are run: those of each session, those of several sessions, or both."""


@dataclass(frozen=True)
class Plan:
    """Which rules and sessions are judged, and where."""

    only: Sequence[str] = ()
    """Patterns of rule IDs; without any, all rules are judged."""
    about: Mapping[str, str] = field(default_factory=dict)
    """Patterns of the metadata of a session, by name; only sessions that match all of them are judged."""
    known: Sequence[KnownFailure] = ()
    """Failures that are known: these rules may be broken."""
    references: Sequence[Path] = ()
    """Where the accepted sessions are."""
    which: Which = "all"
    names: Vocabulary = field(default_factory=Vocabulary)
    """Names that are known although no session of the run may have them."""
    jobs: int = 1
    """In how many processes; 1 for this one, unless there is a time limit; 0 for as many as are worth it."""
    scheduler: str = ""
    """The address of the scheduler of a Dask cluster, whose workers judge the sessions instead."""
    timeout: float | None = None
    """How many seconds the checks of a session may take; then their process is ended."""

    def executor(self, task: Task, judge: Judge, sessions: int) -> AbstractContextManager[Executor]:
        """Return what judges so many sessions; the judge is that of this process."""
        jobs = self.jobs or usual_jobs(sessions)
        if self.scheduler:
            from breadcrumb.run.cluster import Cluster

            return Cluster(task, self.scheduler, timeout=self.timeout)
        if jobs == 1 and self.timeout is None:
            return nullcontext(_Here(judge))
        from breadcrumb.run.processes import Processes  # here: it takes a while to load

        return Processes(task, jobs=jobs, timeout=self.timeout)


_EVERYTHING = Plan()


def check_sessions(
    files: Iterable[Path],
    traces: Sequence[Path],
    take: Callable[[SessionResult], None],
    progress: Progress = lambda done, steps, words: None,
    plan: Plan = _EVERYTHING,
) -> Tally:
    """Run every check of the files on every trace, and hand on what was found in each; none of it is kept.

    Args:
        files: check files.
        traces: recorded sessions.
        take: is given what was found in each session, in the order of the traces.
        progress: called with the number of steps done, the number of all steps, and what comes next.
        plan: which rules and sessions are judged, and where; all of them in this process, unless said.

    Returns:
        The run as a whole. A trace that cannot be read, or whose checks were ended, is a problem of the run; the others
        are checked all the same.

    Raises:
        CheckFileError: a check file cannot be loaded, or a pattern matches no check file.
        TraceError: an accepted session cannot be read.
        ClusterError: the cluster cannot be reached; one that is lost later is a problem of the run.
        Interrupted: the user interrupted it.
    """
    over = expired(plan.known, dt.date.today())
    unexpired = tuple(one for one in plan.known if one not in over)
    task = Task(Sources.at(files), tuple(plan.only), unexpired, References.at(plan.references))
    judge = Judge(task)  # in any case, so that a file that cannot be loaded is told once
    tally = Tally({one.rule: KnownCount(one, has_expired=one in over) for one in plan.known})

    def taken(one: SessionResult) -> None:
        tally.take(one)
        take(one)

    try:
        with plan.executor(task, judge, len(traces)) as sessions:
            tally.has_across = judge.has_checks_across and plan.which != "each"
            readable, names = _opened(sessions, traces, plan, progress, tally)
            for done, one in enumerate(sessions.judge(_each(readable, plan), names), len(traces) + 1):
                progress(done, 2 * len(traces), f"checked {Path(one.trace).name}")
                taken(one)
            if tally.has_across and readable:
                progress(2 * len(traces), 2 * len(traces), "checking across sessions")
                taken(sessions.judge_across(tuple(readable), names))
    except KeyboardInterrupt:
        tally.note(f"interrupted, with {len(tally.sessions)} of {len(traces)} sessions checked")
        tally.close()
        raise Interrupted(tally) from None
    except ClusterError as error:
        if not tally.sessions:
            raise
        tally.note(f"{error}, with {len(tally.sessions)} of {len(traces)} sessions checked")
    tally.close(plan.only)
    return tally


def run_checks(
    files: Iterable[Path], traces: Sequence[Path], progress: Progress = lambda done, steps, words: None, **how: Any
) -> RunResult:
    """Run every check of the files on every trace, and keep every result.

    Args:
        files: check files.
        traces: recorded sessions.
        progress: as for `check_sessions`.
        how: what a `Plan` is made of.

    Returns:
        The results, in the order of the traces.

    Raises:
        CheckFileError: as there.
        Interrupted: as there.
    """
    sessions: list[SessionResult] = []
    tally = check_sessions(files, traces, sessions.append, progress, Plan(**how))
    return RunResult.of(sessions, tally)


def usual_jobs(sessions: int) -> int:
    """Return in how many processes so many sessions are checked if nobody says: one for each processor, if many."""
    if sessions <= _FEW:
        return 1
    mine = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    return min(mine, sessions)


def _opened(
    sessions: Executor,
    traces: Sequence[Path],
    plan: Plan,
    progress: Progress,
    tally: Tally,
) -> tuple[list[SessionEntry], Vocabulary]:
    """Return the sessions that can be read and whose metadata match, and the names that they know together.

    Args:
        sessions: opens them.
        traces: their traces.
        plan: has the patterns of their metadata.
        progress: is told of each.
        tally: is told of those that cannot be read.
    """
    names, readable = plan.names, list[SessionEntry]()
    progress(0, 2 * len(traces), "opening the traces")
    for done, (path, found) in enumerate(zip(traces, sessions.info(traces), strict=True), 1):
        progress(done, 2 * len(traces), f"opened {path.name}")
        if isinstance(found, str):
            tally.note(found)
        elif matches(found.about, plan.about):
            names |= found.names
            readable.append(SessionEntry(path, found.about if tally.has_across else {}))
            if plan.which == "across":
                tally.sessions[str(path)] = found.label
    if plan.about and not readable:
        told = wanted_words(plan.about)
        tally.note(f"no session of the run has {told}; breadcrumb show prints the metadata of a session")
    tally.names = names
    return readable, names


def _each(readable: Sequence[SessionEntry], plan: Plan) -> list[Path]:
    """Return the sessions that are judged each by itself."""
    return [] if plan.which == "across" else [one.path for one in readable]
