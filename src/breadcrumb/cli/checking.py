"""Checking sessions one by one when they end, while others go on."""

import asyncio
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Self

from breadcrumb.report.summary import brief
from breadcrumb.run.processes import Processes
from breadcrumb.run.references import References
from breadcrumb.run.results import BROKE, HELD, UNTESTED, WRONG
from breadcrumb.run.sessions import Task
from breadcrumb.run.sources import Sources
from breadcrumb.run.tallies import RunResult
from breadcrumb.trace.vocabulary import Vocabulary

_RANKS = (HELD, UNTESTED, BROKE, WRONG)
"""The exit codes, the worst last."""


class SessionChecker:
    """Runs check files on sessions in a separate process, which loads them before the first session ends.

    Args:
        files: the check files.
        say: prints a line.
        references: the accepted sessions.
    """

    def __init__(self, files: Sequence[Path], say: Callable[[str], None], references: References) -> None:
        self._processes, self._say = Processes(Task(Sources.at(files), references=references), jobs=1), say
        self._codes: dict[Path, int] = {}

    def __enter__(self) -> Self:
        self._processes.get_ready()
        return self

    def __exit__(self, *_: object) -> None:
        self._processes.close()

    @property
    def exit_code(self) -> int:
        """The exit code of the worst session; without a session, nothing was checked, and that is wrong."""
        return max(self._codes.values(), key=_RANKS.index, default=WRONG)

    async def check(self, trace: Path) -> None:
        """Run the checks on a trace, and print the outcome, also if the listener stops meanwhile."""
        await asyncio.to_thread(self._check, trace)

    def check_rest(self, traces: Iterable[Path]) -> None:
        """Run the checks on the traces that were not checked yet."""
        for trace in traces:
            if trace not in self._codes:
                self._check(trace)

    def _check(self, trace: Path) -> None:
        run = RunResult.of(self._processes.judge([trace], Vocabulary()))
        self._codes[trace] = run.exit_code
        for line in brief(run, trace.name):
            self._say(line)
