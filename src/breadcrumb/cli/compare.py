"""`breadcrumb compare`."""

from pathlib import Path
from typing import Any

import click

from breadcrumb.cli.console import by_name, console, fail, say
from breadcrumb.comparison.comparing import compare
from breadcrumb.errors import BreadcrumbError, NotComparable
from breadcrumb.report.compared import comparison_view
from breadcrumb.report.summary import next_line
from breadcrumb.trace.opened import open_trace

ALIKE, DIFFER, NOTHING_COMPARED = 0, 1, 3
"""The exit codes, besides that of a wrong input."""


@click.command("compare", epilog="\b\nExample: breadcrumb compare lantern-bay/correct.crumbs lantern-bay/faulty.crumbs")
@click.argument("reference", type=click.Path(path_type=Path))
@click.argument("candidate", type=click.Path(path_type=Path))
@click.option(
    "--tol",
    multiple=True,
    metavar="NAME=NUMBER",
    callback=lambda context, option, given: by_name(given, float, "NAME=NUMBER, such as position=0.01"),
    help="Tolerance of a property, such as position=0.01 or skiff.speed=0.1; may be given several times.",
)
@click.option(
    "--ignore",
    multiple=True,
    metavar="PATTERN",
    help="Leave out a kind, a property or an event, such as 'camera.*'; may be given several times.",
)
@click.option(
    "--anchor",
    "anchors",
    multiple=True,
    metavar="EVENT",
    help="Shift CANDIDATE in time so that this event is at the same time in both; may be given several times.",
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def command(reference: Path, candidate: Path, as_json: bool, **how: Any) -> None:
    """Say where the session CANDIDATE first differs from the accepted session REFERENCE, and what followed.

    Both are of the same script and seed. At another frame rate, or with --anchor, values, events and lifetimes may be a
    step apart. Exit code: 0 nothing differs, 1 something does, 2 the command or
    an input is wrong, 3 nothing could be compared.
    """
    try:
        found = compare(open_trace(reference), open_trace(candidate), **how)
    except NotComparable as error:
        say(f"Error: {error}", err=True)
        raise SystemExit(NOTHING_COMPARED) from None
    except BreadcrumbError as error:
        fail(error)
    if as_json:
        import msgspec  # here: only what leaves the process pays for it

        click.echo(msgspec.json.format(msgspec.json.encode(found), indent=1).decode())
    else:
        console().print(comparison_view(found), crop=False)
        if not found.alike:
            console().print(next_line("replay", str(candidate), "--reference", str(reference)), crop=False)
    raise SystemExit(ALIKE if found.alike else DIFFER)
