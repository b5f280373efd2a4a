"""The options of `breadcrumb replay`."""

from pathlib import Path
from typing import Any

import click

from breadcrumb.cli.arguments import WHEN


@click.command("replay", epilog="Example: breadcrumb replay lantern-bay/faulty.crumbs")
@click.argument("trace", type=click.Path(path_type=Path))
@click.option(
    "--check",
    "checks",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Run this check file, or all of a folder, and show where rules break.",
)
@click.option(
    "--reference",
    "references",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Show the objects of this session as hollow outlines, and where the two differ; of several sessions, or a "
    "directory of them, only where TRACE differs from all of them.",
)
@click.option("--at", type=WHEN, help="Open at this frame or time.  [default: the first breach]")
@click.option(
    "--out", type=click.Path(path_type=Path), help="Output file.  [default: NAME.replay.html next to the trace]"
)
@click.option(
    "--open/--no-open", "opens", default=None, help="Open the page in a browser.  [default: if run in a terminal]"
)
def command(**given: Any) -> None:
    """Make a page that plays TRACE: from above or in any two axes, frame by frame, with what each object was like."""
    from breadcrumb.cli.replay import run  # here: help does not pay for it

    run(**given)
