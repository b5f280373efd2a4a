"""`breadcrumb show`."""

from pathlib import Path

import click

from breadcrumb.cli.console import console, fail
from breadcrumb.errors import TraceError
from breadcrumb.report.overview import overview
from breadcrumb.trace.opened import open_trace


@click.command("show", epilog="Example: breadcrumb show lantern-bay/correct.crumbs")
@click.argument("trace", type=click.Path(path_type=Path))
def command(trace: Path) -> None:
    """Say what is in TRACE: the session, its objects and their properties, its events and parameters."""
    try:
        opened = open_trace(trace)
        console().print(overview(opened))
    except TraceError as error:
        fail(error)
