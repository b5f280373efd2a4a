"""The options of `breadcrumb compare`."""

from pathlib import Path
from typing import Any

import click

from breadcrumb.cli.arguments import by_name
from breadcrumb.comparison.differences import PLAYERS


@click.command("compare", epilog="\b\nExample: breadcrumb compare lantern-bay/correct.crumbs lantern-bay/faulty.crumbs")
@click.argument("references", metavar="REFERENCE...", nargs=-1, required=True, type=click.Path(path_type=Path))
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
@click.option(
    "--player",
    "players",
    multiple=True,
    default=PLAYERS,
    show_default=True,
    metavar="NAME",
    help="With several references: who acts in events at will; may be given several times.",
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def command(**given: Any) -> None:
    """Say where the session CANDIDATE first differs from the accepted session REFERENCE, and what followed.

    Both are of the same script and seed. At another frame rate, or with --anchor, values, events and lifetimes may be a
    step apart.

    Several REFERENCES, or a directory of them, are good sessions of varied play: at least five, better ten. Then the
    command says what CANDIDATE does that none of them does, the surest first.

    CANDIDATE may be a directory of sessions: each of them is compared, and --json prints a list.

    Exit code: 0 nothing differs, 1 something does, 2 the command or an input is wrong, 3 nothing could be compared.
    """
    from breadcrumb.cli.compare import run  # here: help does not pay for it

    run(**given)
