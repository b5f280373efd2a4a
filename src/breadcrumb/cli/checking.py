"""Checking sessions one by one as they end, while others go on."""

import asyncio
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Self

from breadcrumb.report.summary import brief
from breadcrumb.run.processes import Processes
from breadcrumb.run.results import BROKE, HELD, UNTESTED, WRONG, RunResult
from breadcrumb.run.running import Gathered
from breadcrumb.trace.vocabulary import Vocabulary


class SessionChecker:
    """Runs check files on sessions in a process of its own, which loads them before the first one ends.

    Args:
        files: the check files.
        say: prints a line.
    """

    def __init__(self, files: Sequence[Path], say: Callable[[str], None]) -> None:
        self._processes, self._say = Processes(files, jobs=1), say
        self.exit_code = HELD
        """That of the worst session so far."""

    def __enter__(self) -> Self:
        self._processes.get_ready()
        return self

    def __exit__(self, *_: object) -> None:
        self._processes.__exit__()

    async def check(self, trace: Path) -> None:
        """Run the checks on a trace, and say what came of it."""
        try:
            run = await asyncio.to_thread(self._run, trace)
        except asyncio.CancelledError:  # the listener is stopped, and does not wait for what hangs
            self.__exit__()
            raise
        for line in brief(run, trace.name):
            self._say(line)
        ranks = (HELD, UNTESTED, BROKE, WRONG)
        self.exit_code = max(self.exit_code, run.exit_code, key=ranks.index)

    def _run(self, trace: Path) -> RunResult:
        gathered = Gathered()
        for one in self._processes.judge([trace], Vocabulary()):
            gathered.take(one)
        return gathered.run(())
