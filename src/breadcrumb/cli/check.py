"""`breadcrumb check`."""

import webbrowser
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NoReturn

import click

from breadcrumb.cli.console import by_name, console, fail, progress, say
from breadcrumb.cli.outputs import Outputs
from breadcrumb.errors import CheckFileError, ClusterError, KnownFailuresError, TraceError
from breadcrumb.report.figures import FigureWriter
from breadcrumb.report.summary import summary
from breadcrumb.run.finding import find_check_files, find_traces
from breadcrumb.run.known import read_known_failures
from breadcrumb.run.running import Interrupted, Plan, check_sessions


@click.command(
    "check",
    epilog="Example: breadcrumb check lantern-bay/checks lantern-bay/*.crumbs --report night",
)
@click.argument("checks", type=click.Path(path_type=Path))
@click.argument("traces", type=click.Path(path_type=Path), nargs=-1, required=True, metavar="TRACE...")
@click.option(
    "--out", type=click.Path(path_type=Path), help="Directory for figures.  [default: NAME.figures next to the trace]"
)
@click.option("--figures/--no-figures", default=True, help="Draw a figure of each broken rule.  [default: figures]")
@click.option(
    "--report",
    type=click.Path(path_type=Path),
    help="Write a page with all outcomes, and replays, into this directory.",
)
@click.option("--excerpt", is_flag=True, help="With --report: save the seconds around each first breach as a trace.")
@click.option(
    "--only",
    multiple=True,
    metavar="PATTERN",
    help="Judge only the rules whose ID matches, such as 'flares/*'; may be given several times.",
)
@click.option(
    "--sessions",
    "about",
    multiple=True,
    metavar="NAME=PATTERN",
    callback=lambda context, option, given: by_name(given, str, "NAME=PATTERN, such as build=0.9.2"),
    help="Check only the sessions whose metadata match, such as build=0.9.2.",
)
@click.option(
    "--known",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Known failures: a TOML file with a table for each rule ID that may be broken, with its reason.",
)
@click.option(
    "--reference",
    "references",
    type=click.Path(path_type=Path),
    multiple=True,
    metavar="PATH",
    help="Accepted sessions, for checks that take reference: a trace or a directory; may be given several times.",
)
@click.option(
    "--jobs",
    type=click.IntRange(min=1),
    help="Number of sessions to check in parallel.  [default: 1, or one per processor for more than 4 sessions]",
)
@click.option(
    "--scheduler", default="", metavar="URL", help="Check on a Dask cluster instead, such as tcp://host:8786."
)
@click.option(
    "--timeout",
    type=click.FloatRange(min=0, min_open=True),
    metavar="SECONDS",
    help="Time limit for the checks of one session.",
)
@click.option("--watch", "watches", is_flag=True, help="Go on, and run again what changes, until Ctrl-C.")
@click.option("--open", "opens", is_flag=True, help="With --report: open the page in a browser.")
@click.option("--junit", type=click.Path(path_type=Path), help="Write the outcomes to this file as JUnit XML.")
@click.option(
    "--json", "lines", type=click.Path(path_type=Path), help="Write the results to this file, one line of JSON each."
)
def command(checks: Path, traces: tuple[Path, ...], **options: Any) -> None:
    """Run the check file CHECKS, or all check_*.py of the folder CHECKS, on each TRACE.

    A TRACE is a folder NAME.crumbs, a folder that holds some, or a pattern such as 'night/*/faulty.crumbs'; more check
    files may stand among them. Exit code: 0 all held, 1 something broke, 2 the command or an input is wrong, 3 nothing
    broke but a check was untested in every trace.
    """
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
