"""Judging sessions in processes beside this one: one that dies or hangs costs its session alone."""

import multiprocessing
import signal
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from threading import Lock, local
from typing import Any, Self, TypeAlias, TypeVar

from breadcrumb.run.sessions import Judge, SessionInfo, SessionResult
from breadcrumb.trace.vocabulary import Vocabulary

_SOON = 5.0
"""How many seconds a process has to end when it is no longer needed."""
_Found = TypeVar("_Found")
_Pipe: TypeAlias = Any
"""One end of a pipe; its type is another one on each system."""
_Arguments: TypeAlias = tuple[tuple[Path, ...], tuple[str, ...]]
"""What a judge is made from: the check files, and the patterns of rule IDs."""


class Ended(Exception):
    """The process that did something ended before it was done."""


class Processes:
    """Processes that judge sessions side by side.

    Args:
        files: the check files; each process loads them once.
        only: patterns of rule IDs, as for `Judge`.
        jobs: how many processes.
        timeout: the time limit of a session in seconds; None for no limit.
    """

    def __init__(
        self, files: Sequence[Path], only: Sequence[str] = (), *, jobs: int, timeout: float | None = None
    ) -> None:
        self._arguments, self._timeout = (tuple(files), tuple(only)), timeout
        self._threads = ThreadPoolExecutor(jobs, thread_name_prefix="sessions")
        self._mine, self._all, self._lock = local(), list[_Process](), Lock()

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
        self._threads.submit(lambda: self._process().ask("is_ready", (), None)).result()

    def info(self, traces: Iterable[Path]) -> Iterator[SessionInfo | str]:
        """Yield for each trace, in order, what is known of it, or why it cannot be read."""
        return self._each([("info", (trace,)) for trace in traces], lambda trace, why: f"{trace}: {why}")

    def judge(self, traces: Iterable[Path], known: Vocabulary) -> Iterator[SessionResult]:
        """Yield what was found in each session, in order."""
        return self._each(
            [("judge", (trace, known)) for trace in traces],
            lambda trace, why: SessionResult(str(trace), problem=f"{trace}: {why}"),
        )

    def _each(
        self, questions: Sequence[tuple[str, tuple[Any, ...]]], otherwise: Callable[[Path, str], _Found]
    ) -> Iterator[_Found]:
        def ask(name: str, args: tuple[Any, ...]) -> _Found:
            try:
                found: _Found = self._process().ask(name, args, self._timeout)
            except Ended as ended:
                return otherwise(args[0], str(ended))
            return found

        asked: list[Future[_Found]] = [self._threads.submit(ask, *question) for question in questions]
        for number, future in enumerate(asked):
            yield future.result()
            asked[number] = Future()  # so that no result is kept once it was handed on

    def _process(self) -> "_Process":
        if not hasattr(self._mine, "process"):
            self._mine.process = _Process(self._arguments)
            with self._lock:
                self._all.append(self._mine.process)
        process: _Process = self._mine.process
        return process


class _Process:
    """A process that answers questions; one that ended is followed by a new one."""

    def __init__(self, arguments: "_Arguments") -> None:
        self._arguments = arguments
        self._process: Any = None
        self._pipe: _Pipe | None = None

    def ask(self, name: str, args: tuple[Any, ...], timeout: float | None) -> Any:
        """Return what a method of `Judge` returns there.

        Raises:
            Ended: the process died, or took too long and was ended.
        """
        pipe = self._started()
        try:
            pipe.send((name, args))
            if not pipe.poll(timeout):
                self.end()
                raise Ended(f"it exceeded the time limit of {timeout:g} s")
            found = pipe.recv()
        except (EOFError, OSError):
            raise Ended(self._how_it_ended()) from None
        if isinstance(found, BaseException):
            raise found
        return found

    def end(self) -> None:
        """End the process, whatever it is doing."""
        if self._process is not None:
            self._process.kill()
            self._process.join(_SOON)
        if self._pipe is not None:
            self._pipe.close()
        self._process = self._pipe = None

    def _started(self) -> _Pipe:
        if self._pipe is None:
            context = multiprocessing.get_context("spawn")
            self._pipe, other = context.Pipe()
            self._process = context.Process(target=_answer, args=(other, self._arguments), daemon=True)
            self._process.start()
            other.close()
        return self._pipe

    def _how_it_ended(self) -> str:
        if self._process is None:
            return "its process was stopped"
        self._process.join(_SOON)
        code = self._process.exitcode
        self.end()
        by_signal = code is not None and code < 0
        how = f"was killed by {signal.Signals(-code).name}" if by_signal else f"ended with exit code {code}"
        return f"the process that checked it {how}"


def _answer(pipe: _Pipe, arguments: _Arguments) -> None:
    """Answer questions until the other end is closed."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the process that asks decides what an interrupt ends
    with suppress(EOFError, OSError):
        judge: Judge | None = None
        while True:
            name, args = pipe.recv()
            try:
                judge = judge or Judge(*arguments)
                found = getattr(judge, name)(*args)
            except Exception as error:
                found = error
            pipe.send(found)
