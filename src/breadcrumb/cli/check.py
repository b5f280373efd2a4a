"""`breadcrumb check`."""

from pathlib import Path

import click

from breadcrumb.cli.console import console, draw, fail, progress
from breadcrumb.errors import CheckFileError
from breadcrumb.report.summary import summary
from breadcrumb.run.finding import find_check_files, find_traces
from breadcrumb.run.running import run_checks


@click.command(
    "check",
    epilog="Example: breadcrumb check lantern-bay/checks lantern-bay/*.crumbs",
)
@click.argument("checks", type=click.Path(path_type=Path))
@click.argument("traces", type=click.Path(path_type=Path), nargs=-1, required=True, metavar="TRACE...")
@click.option(
    "--out", type=click.Path(path_type=Path), help="Where figures go; by default NAME.figures beside the trace."
)
@click.option("--figures/--no-figures", default=True, help="Whether to draw what broke.  [default: figures]")
def command(checks: Path, traces: tuple[Path, ...], out: Path | None, figures: bool) -> None:
    """Run the check file CHECKS, or all check_*.py of the folder CHECKS, on each TRACE.

    A TRACE is a folder NAME.crumbs, or a folder that holds some; more check files may stand among them. Exit code: 0
    all held, 1 something broke, 2 the command or an input is wrong, 3 nothing broke but a check was idle in every
    trace.
    """
    more = [path for path in traces if path.suffix == ".py"]
    sessions = [path for path in traces if path not in more]
    try:
        files = [file for path in (checks, *more) for file in find_check_files(path)]
        if not sessions:
            fail(f"{checks}: no trace to run it on; name one behind it, such as lantern-bay/correct.crumbs")
        with progress() as show:
            run = run_checks(files, find_traces(sessions), show)
    except CheckFileError as error:
        fail(error)
    drawn = draw(run, out) if figures else {}
    console().print(summary(run, drawn))
    raise SystemExit(run.exit_code)
