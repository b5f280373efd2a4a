"""Judging sessions on the workers of a Dask cluster, each in a child process; check files travel with the task."""

import uuid
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from threading import Lock, local
from typing import Any, Generic, Self, TypeVar

from breadcrumb.errors import BreadcrumbError, ClusterError
from breadcrumb.run.children import Child, Ended
from breadcrumb.run.processes import AHEAD, ended_across, ended_session, in_order
from breadcrumb.run.results import SessionResult
from breadcrumb.run.sessions import SessionInfo, Task
from breadcrumb.run.traces import SessionEntry
from breadcrumb.trace.vocabulary import Vocabulary

_PATIENCE = 15
"""How many seconds the scheduler, and the first worker, have to answer."""
_Found = TypeVar("_Found")


class Cluster:
    """An existing cluster, whose workers have this library installed and can read the traces.

    Args:
        task: what is asked of each session.
        address: of the scheduler, such as `tcp://host:8786`.
        timeout: the time limit of a session in seconds; None for no limit.
    """

    def __init__(self, task: Task, address: str, *, timeout: float | None = None) -> None:
        self._task = replace(task, sources=task.sources.copied())
        self._address, self._timeout, self._run = address, timeout, uuid.uuid4().hex
        self._client: Any = None

    def __enter__(self) -> Self:
        """Connect to the scheduler.

        Raises:
            ClusterError: it does not answer, has no workers, or Dask is not installed.
        """
        try:
            from distributed import Client
        except ImportError:
            raise ClusterError("--scheduler needs Dask; install it with pip install 'breadcrumb[cluster]'") from None
        try:
            self._client = Client(  # type: ignore[no-untyped-call]
                self._address, timeout=_PATIENCE, set_as_default=False
            )
            self._client.wait_for_workers(1, timeout=_PATIENCE)
        except (OSError, ValueError) as error:
            self.__exit__()
            what = "has no workers" if self._client is not None else f"does not answer ({error})"
            raise ClusterError(f"the scheduler at {self._address} {what}; is it running?") from None
        self._shared = self._client.scatter(self._task, broadcast=True, hash=False)
        return self

    def __exit__(self, *_: object) -> None:
        if self._client is not None:
            with suppress(Exception):  # a scheduler that is gone has nothing left to end
                self._client.run(end_children, self._run)
            self._client.close(timeout=_PATIENCE)

    def info(self, traces: Iterable[Path]) -> Iterator[SessionInfo | str]:
        """Yield for each trace, in order, what is known of it, or why it cannot be read."""
        return self._each("info", ((trace,) for trace in traces), lambda args, why: f"{args[0]}: {why}")

    def judge(self, traces: Iterable[Path], names: Vocabulary) -> Iterator[SessionResult]:
        """Yield what was found in each session, in order."""
        shared = self._client.scatter(names, broadcast=True, hash=False)
        return self._each("judge", ((trace, shared) for trace in traces), ended_session)

    def judge_across(self, sessions: tuple[SessionEntry, ...], names: Vocabulary) -> SessionResult:
        """Return what the checks that are about several sessions found."""
        return next(self._each("judge_across", [(sessions, names)], ended_across))

    def _each(
        self,
        name: str,
        questions: Iterable[tuple[Any, ...]],
        otherwise: Callable[[tuple[Any, ...], str], _Found],
    ) -> Iterator[_Found]:
        folder = Path.cwd()

        def submit(args: tuple[Any, ...]) -> "_Asked[_Found]":
            future = self._client.submit(
                ask_child, self._shared, self._run, folder, self._timeout, name, *args, pure=False
            )
            return _Asked(self._client, future, lambda why: otherwise(args, why))

        return in_order(map(submit, questions), AHEAD * sum(self._client.nthreads().values()))


@dataclass(frozen=True)
class _Asked(Generic[_Found]):
    """Something that a worker was asked."""

    client: Any
    future: Any
    otherwise: Callable[[str], _Found]

    def result(self) -> _Found:
        """Wait for the answer.

        Raises:
            ClusterError: the scheduler is gone.
        """
        from distributed import KilledWorker

        try:
            found: _Found = self.future.result()
        except Ended as ended:
            return self.otherwise(str(ended))
        except BreadcrumbError:  # what a check file does wrong is raised wherever it runs
            raise
        except KilledWorker:
            return self.otherwise("the workers that checked it died")
        except ImportError as error:
            return self.otherwise(f"a worker cannot run it ({error}); install this version of the library there")
        except (OSError, RuntimeError) as error:
            if self.client.status == "running":
                return self.otherwise(f"a worker cannot run it ({type(error).__name__}: {error})")
            raise ClusterError("the connection to the scheduler was lost") from None
        return found


_mine = local()
_children: dict[str, list[Child]] = {}
_lock = Lock()


def ask_child(task: Task, run: str, folder: Path, timeout: float | None, name: str, *args: Any) -> Any:
    """Ask the child process of this thread of a worker; it stays for further questions of the run."""
    if getattr(_mine, "run", None) != run:
        _mine.run, _mine.child = run, Child(task, folder if folder.is_dir() else None)
        with _lock:
            _children.setdefault(run, []).append(_mine.child)
    return _mine.child.ask(name, args, timeout)


def end_children(run: str) -> None:
    """End the child processes that a worker has started for a run."""
    with _lock:
        for child in _children.pop(run, []):
            child.end()
