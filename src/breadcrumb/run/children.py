"""A child process that judges sessions: it can be ended, whatever it does, and what kills it kills nothing else.

It is a plain subprocess that is asked through its standard input and output, so that it can be started wherever Python
runs: processes that are daemons, as the workers of clusters are, may not start others by `multiprocessing`.
"""

import os
import pickle
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from threading import Event, Timer
from typing import Any, BinaryIO

from breadcrumb.run.sessions import Judge, Task

_SOON = 5.0
"""How many seconds a process has to end when it is no longer needed."""
_STANDARD_INPUT, _STANDARD_OUTPUT, _STANDARD_ERROR = 0, 1, 2


class Ended(Exception):
    """The process that did something ended before it was done."""


class Child:
    """A child process that answers questions about sessions; one that ended is followed by a new one.

    Args:
        task: what is asked of each session.
        folder: the folder in which it runs; None for that of this process.
    """

    def __init__(self, task: Task, folder: Path | None = None) -> None:
        self._task, self._folder = task, folder
        self._process: subprocess.Popen[bytes] | None = None

    def ask(self, name: str, args: tuple[Any, ...], timeout: float | None) -> Any:
        """Return what a method of `Judge` returns there; the time limit begins when the check files are loaded.

        Raises:
            Ended: the process died, or took too long and was ended.
        """
        return self._exchange(self.start(), (name, args), timeout)

    def start(self) -> "subprocess.Popen[bytes]":
        """Start the process if there is none, and wait until it has loaded the check files.

        Raises:
            Ended: it died.
        """
        if self._process is None:
            path = os.pathsep.join(map(os.path.abspath, sys.path))
            self._process = subprocess.Popen(
                [sys.executable, "-P", "-c", f"from {__name__} import answer; answer()"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                cwd=self._folder,
                env=os.environ | {"PYTHONPATH": path},
                start_new_session=True,  # the process that asks decides what an interrupt ends
            )
            self._exchange(self._process, self._task, None)
        return self._process

    def _exchange(self, process: "subprocess.Popen[bytes]", question: object, timeout: float | None) -> Any:
        with _killed_after(timeout, process) as has_expired:
            try:
                _put(process.stdin, question)
                found = pickle.load(process.stdout)  # type: ignore[arg-type]
            except (EOFError, OSError, ValueError, pickle.UnpicklingError):
                why = f"it exceeded the time limit of {timeout:g} s" if has_expired() else _how_it_ended(process)
                self.end()
                raise Ended(why) from None
        if has_expired():  # it was killed as it answered, and must not be asked again
            self.end()
        if isinstance(found, BaseException):
            raise found
        return found

    def end(self) -> None:
        """End the process, whatever it is doing."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            for stream in (process.stdin, process.stdout):
                with suppress(OSError):
                    stream.close()  # type: ignore[union-attr]
            process.wait(_SOON)


def answer() -> None:
    """Answer questions until nobody asks any more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    asked, answers = _own(_STANDARD_INPUT, "rb"), _own(_STANDARD_OUTPUT, "wb")
    with suppress(EOFError, OSError):
        task = pickle.load(asked)
        judge = _tried(lambda: Judge.elsewhere(task))
        _put(answers, judge if isinstance(judge, Exception) else None)
        while True:
            name, args = pickle.load(asked)
            _put(answers, _tried(lambda: getattr(judge, name)(*args)))  # noqa: B023 - it is called at once


def _tried(do: Callable[[], Any]) -> Any:
    """Return what something returns or raises."""
    try:
        return do()
    except Exception as error:
        return error


def _own(number: int, mode: str) -> BinaryIO:
    """Return a standard stream; what a check reads or prints afterwards is none of it."""
    mine = os.fdopen(os.dup(number), mode)
    if number == _STANDARD_INPUT:
        os.dup2(os.open(os.devnull, os.O_RDONLY), number)
    else:
        os.dup2(_STANDARD_ERROR, number)
    return mine  # type: ignore[return-value]


@contextmanager
def _killed_after(seconds: float | None, process: "subprocess.Popen[bytes]") -> Iterator[Callable[[], bool]]:
    """Kill a process if something takes too long.

    Yields:
        The function that tells whether it was killed.
    """
    if seconds is None:
        yield lambda: False
        return
    expired = Event()

    def expire() -> None:
        expired.set()
        process.kill()

    timer = Timer(seconds, expire)
    timer.daemon = True
    timer.start()
    try:
        yield expired.is_set
    finally:
        timer.cancel()
        timer.join()  # so that it is known whether it was killed


def _put(stream: Any, value: object) -> None:
    pickle.dump(value, stream, pickle.HIGHEST_PROTOCOL)
    stream.flush()


def _how_it_ended(process: "subprocess.Popen[bytes]") -> str:
    try:
        code = process.wait(_SOON)
    except subprocess.TimeoutExpired:
        return "the process that checked it gave no proper answer"
    how = f"was killed by {signal.Signals(-code).name}" if code < 0 else f"ended with exit code {code}"
    return f"the process that checked it {how}"
