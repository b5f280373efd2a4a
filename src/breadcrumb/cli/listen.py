"""`breadcrumb listen`."""

import asyncio
import signal
import sys
from pathlib import Path

import click

from breadcrumb.cli.console import fail
from breadcrumb.listen.listener import HOST, Listener


@click.command("listen", epilog="Example: breadcrumb listen --out traces")
@click.option(
    "--port", type=click.IntRange(0, 65535), default=4747, show_default=True, help="Where; 0 takes any free one."
)
@click.option(
    "--out",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("traces"),
    show_default=True,
    help="Where to.",
)
def command(port: int, out: Path) -> None:
    """Record games in any language that send frame lines to this machine's loopback address, until Ctrl-C.

    Several may send at once; each connection is a session, and becomes a trace named after its game. One that breaks
    off leaves a trace of what it sent.
    """
    try:
        out.mkdir(parents=True, exist_ok=True)
        asyncio.run(_listen(port, out))
    except OSError as error:
        fail(f"cannot listen on {HOST}:{port} with traces in {out}: {error.strerror or error}")


async def _listen(port: int, out: Path) -> None:
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    if sys.platform != "win32":
        for number in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(number, stop.set)

    def started(found: int) -> None:
        click.echo(f"listening on {HOST}:{found}, traces go to {out}, Ctrl-C ends it")

    await Listener(out, tell=click.echo).listen(port, started, stop)
