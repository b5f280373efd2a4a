"""The options of `breadcrumb check`."""

from pathlib import Path
from typing import Any

import click

from breadcrumb.cli.arguments import by_name


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
def command(**given: Any) -> None:
    """Run the check file CHECKS, or all check_*.py of the folder CHECKS, on each TRACE.

    A TRACE is a folder NAME.crumbs, a folder that holds some, or a pattern such as 'night/*/faulty.crumbs'; more check
    files may stand among them. Exit code: 0 all held, 1 something broke, 2 the command or an input is wrong, 3 nothing
    broke but a check was untested in every trace.
    """
    from breadcrumb.cli.check import run  # here: help does not pay for it

    run(**given)
