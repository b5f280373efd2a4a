"""The options of `breadcrumb show`."""

from pathlib import Path
from typing import Any

import click

from breadcrumb.cli.arguments import WHEN


@click.command("show", epilog="Example: breadcrumb show lantern-bay/correct.crumbs --around 111")
@click.argument("trace", type=click.Path(path_type=Path))
@click.option("--object", "id", help="Print one object; with --around or --at, only that one.")
@click.option("--event", help="Print each event of a name, and the intervals between them.")
@click.option("--around", "when", type=WHEN, help="Print what happened around a frame, in order.")
@click.option("--within", default=0.5, show_default=True, help="Seconds before and after that frame.")
@click.option("--at", type=WHEN, multiple=True, help="Print the state on a frame; given twice, the difference.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON, without limits.")
def command(**given: Any) -> None:
    """Say what is in TRACE: the session, its objects and their properties, its events and parameters."""
    from breadcrumb.cli.show import run  # here: help does not pay for it

    run(**given)
