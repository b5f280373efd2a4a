"""The options of `breadcrumb listen`."""

from pathlib import Path
from typing import Any

import click

from breadcrumb.listen.limits import Limits

_DEFAULT = Limits()


@click.command("listen", epilog="Example: breadcrumb listen --out traces")
@click.argument("sources", type=click.Path(path_type=Path), nargs=-1, metavar="[FILE]...")
@click.option("--host", default="127.0.0.1", show_default=True, help="Address to listen on.")
@click.option(
    "--port", type=click.IntRange(0, 65535), default=26937, show_default=True, help="Port; 0 takes any free one."
)
@click.option(
    "--out",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("traces"),
    show_default=True,
    help="Output directory.",
)
@click.option(
    "--check",
    "checks",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Run this check file, or all of a folder, on each session when it ends.",
)
@click.option(
    "--reference",
    "references",
    multiple=True,
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="With --check: accepted sessions, for checks that take reference.",
)
@click.option("--token", default="", envvar="BREADCRUMB_TOKEN", help="Shared secret that senders must present.")
@click.option(
    "--allow-origin", multiple=True, metavar="URL", help="Accept web pages of this origin, besides local ones."
)
@click.option(
    "--games",
    type=click.IntRange(1),
    default=_DEFAULT.games,
    show_default=True,
    help="Limit of games at the same time.",
)
@click.option(
    "--session-mib",
    type=click.IntRange(1),
    default=_DEFAULT.session_mib,
    show_default=True,
    help="Size limit of a session.",
)
@click.option(
    "--free-mib", type=click.IntRange(0), default=_DEFAULT.free_mib, show_default=True, help="Disk space to keep free."
)
def command(**given: Any) -> None:
    """Record games in any language that send frame lines, until Ctrl-C.

    Without a FILE, games connect to this machine's loopback address, over TCP or as a WebSocket. Several may send at
    once; each connection is a session, and becomes a trace named after its game. A FILE is followed while a game
    writes it; - is the standard input. A session that breaks off leaves a trace of what it sent. With --check, the exit
    code is that of the worst session, as for the check command; 2 if there was none.
    """
    from breadcrumb.cli.listen import run  # here: help does not pay for it

    run(**given)
