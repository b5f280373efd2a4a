"""The options of `breadcrumb draw`."""

from pathlib import Path
from typing import Any

import click

from breadcrumb.cli.arguments import WHEN


@click.command(
    "draw", epilog="Example: breadcrumb draw lantern-bay/correct.crumbs --signal heron.speed --event flare.thrown"
)
@click.argument("trace", type=click.Path(path_type=Path))
@click.option("--path", "paths", multiple=True, metavar="NAME", help="Draw the path of an object or a kind, in plan.")
@click.option("--signal", "signals", multiple=True, metavar="NAME.PROPERTY", help="Draw a property over time.")
@click.option("--event", "events", multiple=True, metavar="NAME", help="Draw events over time.")
@click.option("--lifetimes", multiple=True, metavar="NAME", help="Draw the lifetimes of an object or a kind.")
@click.option("--against", nargs=2, metavar="NAME.PROPERTY NAME.PROPERTY", help="Draw one number against another.")
@click.option("--intervals", metavar="EVENT", help="Draw the intervals between events of a name.")
@click.option("--from", "begin", type=WHEN, help="First frame or time.")
@click.option("--to", "end", type=WHEN, help="Last frame or time.")
@click.option(
    "--out", type=click.Path(path_type=Path),
    help="Output file, NAME.png or NAME.svg, or directory.  [default: NAME.figures next to the trace]",
)  # fmt: skip
def command(**given: Any) -> None:
    """Draw what is in TRACE; without options, where everything that moves went, and when everything happened."""
    from breadcrumb.cli.draw import run  # here: help does not pay for it

    run(**given)
