"""`breadcrumb check`."""

import webbrowser
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NoReturn

from breadcrumb.cli.console import console, fail, progress, say
from breadcrumb.cli.outputs import Outputs
from breadcrumb.errors import CheckFileError, ClusterError, KnownFailuresError, TraceError
from breadcrumb.report.figures import FigureWriter
from breadcrumb.report.summary import summary
from breadcrumb.run.finding import find_check_files, find_traces
from breadcrumb.run.known import read_known_failures
from breadcrumb.run.running import Interrupted, Plan, check_sessions


def run(checks: Path, traces: tuple[Path, ...], **options: Any) -> None:
    """Run check files on traces, and end with the exit code."""
    asked = _Options(**options)
    more = [path for path in traces if path.suffix == ".py"]
    sessions = [path for path in traces if path not in more]
    if asked.report is None and (asked.excerpt or asked.opens):
        fail("--excerpt and --open belong to --report FOLDER; name the folder")
    try:
        files = [file for path in (checks, *more) for file in find_check_files(path)]
        if not sessions:
            fail(f"{checks}: no trace to run it on; name one after it, such as lantern-bay/correct.crumbs")
        plan = asked.plan()
        if asked.watches:
            from breadcrumb.cli.watching import Watched, watch  # here: the others do not pay for it

            raise SystemExit(watch(Watched(files, sessions), plan))
        _run(files, find_traces(sessions), plan, asked)
    except (CheckFileError, ClusterError, KnownFailuresError, TraceError) as error:
        fail(error)


@dataclass(frozen=True)
class _Options:
    """The options of the command."""

    out: Path | None
    figures: bool
    report: Path | None
    excerpt: bool
    only: tuple[str, ...]
    about: dict[str, str]
    known: Path | None
    references: tuple[Path, ...]
    jobs: int | None
    scheduler: str
    timeout: float | None
    watches: bool
    opens: bool
    junit: Path | None
    lines: Path | None

    def plan(self) -> Plan:
        """Return how the run is to be done.

        Raises:
            KnownFailuresError: the list of known failures cannot be read.
        """
        if self.watches and (self.report or self.junit or self.lines or self.scheduler):
            fail("--watch prints outcomes here; leave out --report, --junit, --json and --scheduler")
        known = () if self.known is None else read_known_failures(self.known)
        return Plan(
            self.only, self.about, known, self.references, jobs=self.jobs or 0, scheduler=self.scheduler,
            timeout=self.timeout,
        )  # fmt: skip


def _run(files: list[Path], traces: list[Path], plan: Plan, asked: _Options) -> NoReturn:
    """Run the checks, write what is asked for, and end with the exit code.

    Raises:
        CheckFileError: a check file cannot be loaded.
        ClusterError: the cluster cannot be reached.
    """
    drawn, interrupted = FigureWriter(asked.out), None
    with Outputs() as outputs, progress() as show:
        if asked.report is not None:
            outputs.report(asked.report, show, excerpt=asked.excerpt)
        elif asked.figures:
            outputs.open("figures", asked.out, "--out", lambda: drawn)
        outputs.lines(asked.junit, asked.lines, traces)
        try:
            tally = check_sessions(files, traces, outputs.add, show, plan)
        except Interrupted as stopped:  # what was found until then is told all the same
            tally, interrupted = stopped.tally, stopped
        outputs.finish(tally)
    console().print(summary(tally, drawn.written, plan.references), crop=False)
    if outputs.page is not None:
        say(f"report  {outputs.page}")
        if asked.opens:
            webbrowser.open(outputs.page.resolve().as_uri())
    if interrupted is not None:
        raise interrupted
    raise SystemExit(tally.exit_code)
