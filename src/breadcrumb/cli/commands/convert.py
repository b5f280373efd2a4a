"""The options of `breadcrumb convert`."""

from pathlib import Path
from typing import Any

import click


@click.command(
    "convert",
    epilog="Example: breadcrumb convert lantern-bay/correct.crumbs correct.jsonl",
)
@click.argument("source", type=click.Path(path_type=Path))
@click.argument("target", type=click.Path(path_type=Path))
@click.option("--long", "is_long", is_flag=True, help="To CSV: a row for each value, not for each sample.")
@click.option("--overwrite", is_flag=True, help="Replace the target if it exists.")
def command(**given: Any) -> None:
    """Turn frame lines or a table into a trace, or a trace into one of these, or pack and unpack a trace.

    The end of a name says what it is: .crumbs a trace, .crumbs.zip a trace in one file, .jsonl frame lines, .csv a
    table of samples, and - frame lines on the standard input or output. A trace may be read from a URL. Frame lines
    hold all of a trace; a table holds samples alone, and what it leaves out is printed.
    """
    from breadcrumb.cli.convert import run  # here: help does not pay for it

    run(**given)
