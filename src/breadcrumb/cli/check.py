"""`breadcrumb check`."""

import webbrowser
from collections.abc import Callable
from pathlib import Path

import click

from breadcrumb.cli.console import console, draw, fail, progress, say
from breadcrumb.errors import CheckFileError
from breadcrumb.report.machines import json_lines, junit_xml
from breadcrumb.report.reporting import write_report
from breadcrumb.report.summary import summary
from breadcrumb.run.finding import find_check_files, find_traces
from breadcrumb.run.results import RunResult
from breadcrumb.run.running import Interrupted, run_checks, usual_jobs
from breadcrumb.store.folder import write_folder


def _named(given: tuple[str, ...]) -> dict[str, str]:
    """Return patterns by their names."""
    for one in given:
        if "=" not in one:
            raise click.BadParameter(f"expected NAME=PATTERN, such as build=0.9.2, found {one!r}")
    return {name.strip(): pattern.strip() for name, _, pattern in (one.partition("=") for one in given)}


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
    callback=lambda context, option, given: _named(given),
    help="Check only the sessions whose metadata match, such as build=0.9.2.",
)
@click.option(
    "--jobs",
    type=click.IntRange(min=1),
    help="Number of sessions to check in parallel.  [default: 1, or one per processor for more than 4 sessions]",
)
@click.option(
    "--timeout",
    type=click.FloatRange(min=0, min_open=True),
    metavar="SECONDS",
    help="Time limit for the checks of one session.",
)
@click.option("--open", "opens", is_flag=True, help="With --report: open the page in a browser.")
@click.option("--junit", type=click.Path(path_type=Path), help="Write the outcomes to this file as JUnit XML.")
@click.option(
    "--json", "lines", type=click.Path(path_type=Path), help="Write the results to this file, one line of JSON each."
)
def command(
    checks: Path,
    traces: tuple[Path, ...],
    out: Path | None,
    figures: bool,
    report: Path | None,
    excerpt: bool,
    only: tuple[str, ...],
    about: dict[str, str],
    jobs: int | None,
    timeout: float | None,
    opens: bool,
    junit: Path | None,
    lines: Path | None,
) -> None:
    """Run the check file CHECKS, or all check_*.py of the folder CHECKS, on each TRACE.

    A TRACE is a folder NAME.crumbs, a folder that holds some, or a pattern such as 'night/*/faulty.crumbs'; more check
    files may stand among them. Exit code: 0 all held, 1 something broke, 2 the command or an input is wrong, 3 nothing
    broke but a check was untested in every trace.
    """
    if report is None and (excerpt or opens):
        fail("--excerpt and --open belong to --report FOLDER; name the folder")
    more = [path for path in traces if path.suffix == ".py"]
    sessions = [path for path in traces if path not in more]
    interrupted: Interrupted | None = None
    try:
        files = [file for path in (checks, *more) for file in find_check_files(path)]
        if not sessions:
            fail(f"{checks}: no trace to run it on; name one after it, such as lantern-bay/correct.crumbs")
        with progress() as show:
            found = find_traces(sessions)
            jobs = jobs or usual_jobs(len(found))
            try:
                run = run_checks(files, found, show, only=only, about=about, jobs=jobs, timeout=timeout)
            except Interrupted as stopped:  # what was found until then is told all the same
                run, interrupted = stopped.run, stopped
            page = None if report is None else _report(run, report, show, excerpt=excerpt)
    except CheckFileError as error:
        fail(error)
    if junit is not None:
        _write(junit, junit_xml(run).encode())
    if lines is not None:
        _write(lines, b"".join(line + b"\n" for line in json_lines(run)))
    drawn = draw(run, out) if figures and page is None else {}
    console().print(summary(run, drawn), crop=False)
    if page is not None:
        say(f"report  {page}")
        if opens:
            webbrowser.open(page.resolve().as_uri())
    if interrupted is not None:
        raise interrupted
    raise SystemExit(run.exit_code)


def _report(run: RunResult, folder: Path, show: Callable[[int, int, str], None], *, excerpt: bool) -> Path:
    try:
        return write_report(
            run, folder, excerpts=write_folder if excerpt else None, progress=lambda what: show(1, 1, f"writing {what}")
        )
    except OSError as error:
        fail(f"{folder}: the report cannot be written there ({error.strerror}); name another folder with --report")


def _write(path: Path, content: bytes) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
    except OSError as error:
        fail(f"{path} cannot be written ({error.strerror}); name another file")
