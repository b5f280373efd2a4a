"""The options of `breadcrumb demo`."""

from pathlib import Path
from typing import Any

import click

from breadcrumb.demo.time import JITTER, RATES, SECONDS

_FILE = click.Path(path_type=Path, dir_okay=False)


@click.command(
    "demo",
    epilog="Example: breadcrumb demo --fault whirlpool-to-and-fro",
)
@click.option("--fault", "faults", multiple=True, help="Break the game in this way; may be given several times.")
@click.option("--list-faults", is_flag=True, help="List the faults, and exit.")
@click.option("--all-faults", is_flag=True, help="Play every fault, and print which checks it breaks; takes minutes.")
@click.option(
    "--sessions",
    type=click.IntRange(min=1),
    help="Play this many sessions of two builds, some seeds and frame rates; two faults are in the newer build.",
)
@click.option(
    "--accepted",
    type=click.IntRange(min=1),
    help="Record this many sessions of the correct build, each with another seed, to compare others with.",
)
@click.option("--script", "script", type=_FILE, help="Play the inputs of this JSON file.")
@click.option("--write-script", type=_FILE, help="Write the default inputs to this JSON file, and exit.")
@click.option("--empty-roll", is_flag=True, help="Play a session that must fail: the ticket hatch has run out.")
@click.option("--seed", default=7, show_default=True, help="Random seed.")
@click.option(
    "--rate", type=click.Choice([*RATES, JITTER]), help="Frame rate.  [default: 60, or the rate at which a fault shows]"
)
@click.option(
    "--seconds",
    type=click.IntRange(10, 600),
    help=f"Game time to play.  [default: {SECONDS}, or what a fault needs]",
)
@click.option(
    "--out", type=click.Path(path_type=Path), default=Path("lantern-bay"), show_default=True, help="Output directory."
)
def command(**given: Any) -> None:
    """Play Lantern Bay, record it, run its checks, draw what broke, and say where everything is.

    Without --fault, a correct build and a faulty one are played, to see both a pass and an explained failure.
    """
    from breadcrumb.cli.demo import run  # here: help does not pay for it

    run(**given)
