"""Judging sessions in processes beside this one: one that dies or hangs affects its session alone."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Lock, local
from typing import Any, Protocol, Self, TypeVar

from breadcrumb.run.children import Child, Ended
from breadcrumb.run.results import ACROSS, SessionResult
from breadcrumb.run.sessions import SessionInfo, Task
from breadcrumb.run.traces import SessionEntry
from breadcrumb.trace.vocabulary import Vocabulary

AHEAD = 4
"""How many sessions are asked for ahead of the one whose result is due, for each process."""
_Found = TypeVar("_Found")
_Given = TypeVar("_Given", covariant=True)


class Processes:
    """Processes that judge sessions in parallel.

    Args:
        task: what is asked of each session; each process loads the check files once.
        jobs: how many processes.
        timeout: the time limit of a session in seconds; None for no limit.
    """

    def __init__(self, task: Task, *, jobs: int, timeout: float | None = None) -> None:
        self._task, self._jobs, self._timeout = task, jobs, timeout
        self._threads = ThreadPoolExecutor(jobs, thread_name_prefix="sessions")
        self._mine, self._all, self._lock = local(), list[Child](), Lock()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """End all processes, whatever they are doing."""
        self._threads.shutdown(wait=False, cancel_futures=True)
        with self._lock:
            for one in self._all:
                one.end()
        self._threads.shutdown()

    def get_ready(self) -> None:
        """Let a process load the check files, and wait for it."""
        self._threads.submit(lambda: self._child().start()).result()

    def info(self, traces: Iterable[Path]) -> Iterator[SessionInfo | str]:
        """Yield for each trace, in order, what is known of it, or why it cannot be read."""
        return self._each("info", ((trace,) for trace in traces), lambda args, why: f"{args[0]}: {why}")

    def judge(self, traces: Iterable[Path], names: Vocabulary) -> Iterator[SessionResult]:
        """Yield what was found in each session, in order."""
        return self._each("judge", ((trace, names) for trace in traces), ended_session)

    def judge_across(self, sessions: tuple[SessionEntry, ...], names: Vocabulary) -> SessionResult:
        """Return what the checks that are about several sessions found."""
        return next(self._each("judge_across", [(sessions, names)], ended_across))

    def _each(
        self, name: str, questions: Iterable[tuple[Any, ...]], otherwise: Callable[[tuple[Any, ...], str], _Found]
    ) -> Iterator[_Found]:
        def ask(args: tuple[Any, ...]) -> _Found:
            try:
                found: _Found = self._child().ask(name, args, self._timeout)
            except Ended as ended:
                return otherwise(args, str(ended))
            return found

        return in_order((self._threads.submit(ask, args) for args in questions), AHEAD * self._jobs)

    def _child(self) -> Child:
        if not hasattr(self._mine, "child"):
            self._mine.child = Child(self._task)
            with self._lock:
                self._all.append(self._mine.child)
        child: Child = self._mine.child
        return child


def ended_session(args: tuple[Any, ...], why: str) -> SessionResult:
    """Return what is known of a session whose checks were ended."""
    return SessionResult(str(args[0]), problems=(f"{args[0]}: {why}",))


def ended_across(_: tuple[Any, ...], why: str) -> SessionResult:
    """Return what is known of checks of several sessions that were ended."""
    return SessionResult(ACROSS, problems=(f"the checks of several sessions: {why}",))


class Asked(Protocol[_Given]):
    """What gives a result later."""

    def result(self) -> _Given:
        """Wait for the result, and return it."""


def in_order(asked: Iterable[Asked[_Found]], ahead: int) -> Iterator[_Found]:
    """Yield results in the order in which they were asked for; no more than a number of them wait at a time."""
    waiting: deque[Asked[_Found]] = deque()
    for one in asked:
        waiting.append(one)
        if len(waiting) > ahead:
            yield waiting.popleft().result()
    while waiting:
        yield waiting.popleft().result()
