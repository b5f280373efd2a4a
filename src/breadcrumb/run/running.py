"""Running checks on sessions: one after the other in this process, or several at a time in others."""

import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from pathlib import Path
from typing import Protocol

from breadcrumb.run.results import Recording, Result, RunResult
from breadcrumb.run.selecting import matches
from breadcrumb.run.sessions import Judge, SessionInfo, SessionResult
from breadcrumb.trace.vocabulary import Vocabulary

_FEW = 4
"""How many sessions are checked sooner in this process than it takes to start others."""
Progress = Callable[[int, int, str], None]


class Interrupted(KeyboardInterrupt):
    """The user interrupted a run; it has what was found until then."""

    def __init__(self, run: RunResult) -> None:
        super().__init__()
        self.run = run


class Executor(Protocol):
    """Where sessions are judged."""

    def info(self, traces: Iterable[Path]) -> Iterator[SessionInfo | str]:
        """Yield for each trace, in order, what is known of it, or why it cannot be read."""

    def judge(self, traces: Iterable[Path], known: Vocabulary) -> Iterator[SessionResult]:
        """Yield what was found in each session, in order."""


class _Here:
    """This process."""

    def __init__(self, judge: Judge) -> None:
        self._judge = judge

    def info(self, traces: Iterable[Path]) -> Iterator[SessionInfo | str]:
        return map(self._judge.info, traces)

    def judge(self, traces: Iterable[Path], known: Vocabulary) -> Iterator[SessionResult]:
        return (self._judge.judge(trace, known) for trace in traces)


def run_checks(
    files: Iterable[Path],
    traces: Sequence[Path],
    progress: Progress | None = None,
    *,
    only: Sequence[str] = (),
    about: Mapping[str, str] | None = None,
    jobs: int = 1,
    timeout: float | None = None,
) -> RunResult:
    """Run every check of the files on every trace.

    Args:
        files: check files.
        traces: recorded sessions.
        progress: called with the number of steps done, the number of all steps, and what comes next.
        only: patterns of rule IDs; without any, all rules are judged.
        about: patterns of the metadata of a session, by name; only sessions that match all of them are judged.
        jobs: in how many processes; 1 for this one, unless there is a timeout.
        timeout: how many seconds the checks of a session may take; then their process is ended.

    Returns:
        The results, in the order of the traces. A trace that cannot be read, or whose checks were ended, is a problem
        of the run; the others are checked all the same.

    Raises:
        CheckFileError: a check file cannot be loaded, or a pattern matches no check file.
        Interrupted: the user interrupted it.
    """
    files = tuple(files)
    judge = Judge(files, only)  # here, too, so that a file that cannot be loaded is told once
    executor: AbstractContextManager[Executor] = nullcontext(_Here(judge))
    if jobs > 1 or timeout is not None:
        from breadcrumb.run.processes import Processes  # here: it takes a while to load

        executor = Processes(files, only, jobs=jobs, timeout=timeout)
    reducer = Reducer()
    try:
        with executor as sessions:
            reducer.take_all(sessions, traces, about or {}, progress or (lambda done, steps, words: None))
    except KeyboardInterrupt:
        checked = len({one.trace for one in reducer.results})
        reducer.problems.append(f"interrupted, with {checked} of {len(traces)} sessions checked")
        raise Interrupted(reducer.run(())) from None
    return reducer.run(only)


def usual_jobs(sessions: int) -> int:
    """Return in how many processes so many sessions are checked if nobody says: one for each processor, if many."""
    if sessions <= _FEW:
        return 1
    mine = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    return min(mine, sessions)


class Reducer:
    """Takes the results of one session after the other, and puts them together."""

    def __init__(self) -> None:
        self.problems: list[str] = []
        self.results: list[Result] = []
        self.recordings: list[Recording] = []
        self.seen: dict[str, None] = {}
        self.looked_at: set[str] = set()
        self.unknown: set[str] = set()
        self.matched: set[str] = set()

    def take_all(
        self, sessions: Executor, traces: Sequence[Path], about: Mapping[str, str], progress: Progress
    ) -> None:
        """Judge all traces whose metadata match."""
        steps, vocabulary, readable = 2 * len(traces), Vocabulary(), list[Path]()
        progress(0, steps, "opening the traces")
        for done, (path, found) in enumerate(zip(traces, sessions.info(traces), strict=True), 1):
            progress(done, steps, f"opened {path.name}")
            if isinstance(found, str):
                self.problems.append(found)
            elif matches(found.about, about):
                vocabulary |= found.names
                readable.append(path)
        if about and not readable:
            told = ", ".join(f"{name}={pattern}" for name, pattern in about.items())
            self.problems.append(f"no session of the run has {told}; breadcrumb show prints the metadata of a session")
        for done, one in enumerate(sessions.judge(readable, vocabulary), len(traces) + 1):
            progress(done, steps, f"checked {Path(one.trace).name}")
            self.take(one)
        progress(steps, steps, "done")

    def take(self, one: SessionResult) -> None:
        """Take up what was found in a session."""
        if one.problem:
            self.problems.append(one.problem)
        self.results += one.results
        self.recordings += [one.recording] if one.recording is not None else []
        self.seen |= dict.fromkeys(one.contents)
        self.looked_at |= one.looked_at
        self.unknown |= one.unknown
        self.matched |= one.matched

    def run(self, only: Sequence[str]) -> RunResult:
        """Return the results; a pattern without a rule is a problem, since what it stands for was not judged."""
        problems = [*self.problems]
        if self.recordings:
            missed = (one for one in only if one not in self.matched)
            problems += [f"--only {one}: no rule that was judged has such an ID" for one in missed]
        nowhere = "was neither seen nor declared in any session of this run"
        problems += [f"{name} {nowhere}" for name in sorted(self.unknown)]
        unseen = tuple(what for what in self.seen if what not in self.looked_at)
        return RunResult(
            tuple(self.results), tuple(problems), unseen, tuple(_repeated(self.results)),
            tuple(self.recordings),
        )  # fmt: skip


def _repeated(results: Iterable[Result]) -> Iterator[str]:
    """Yield the IDs that several rules of a check have, without the number that tells them apart, each once."""
    ids = (finding.rule.id.partition("~") for result in results for finding in result.findings)
    yield from dict.fromkeys(id for id, numbered, _ in ids if numbered)
