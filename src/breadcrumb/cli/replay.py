"""`breadcrumb replay`."""

import sys
import webbrowser
from pathlib import Path

import click

from breadcrumb.cli.console import fail, say
from breadcrumb.cli.show import WHEN
from breadcrumb.errors import BreadcrumbError
from breadcrumb.report.around import row_of
from breadcrumb.report.replaying import broken_frames, replay_page
from breadcrumb.run.running import run_checks
from breadcrumb.trace.opened import open_trace


@click.command("replay", epilog="Example: breadcrumb replay lantern-bay/faulty.crumbs")
@click.argument("trace", type=click.Path(path_type=Path))
@click.option(
    "--check",
    "checks",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Mark the frames on which its rules break.",
)
@click.option("--at", type=WHEN, help="Open at this frame or time.  [default: the first breach]")
@click.option(
    "--out", type=click.Path(path_type=Path), help="Output file.  [default: NAME.replay.html next to the trace]"
)
@click.option(
    "--open/--no-open", "opens", default=None, help="Open the page in a browser.  [default: if run in a terminal]"
)
def command(trace: Path, checks: tuple[Path, ...], at: float | None, out: Path | None, opens: bool | None) -> None:
    """Make a page that plays TRACE: from above or in any two axes, frame by frame, with what each object was like."""
    try:
        opened = open_trace(trace)
        broken = broken_frames(run_checks(list(checks), [trace])) if checks else []
        page = replay_page(opened, broken=broken, at=None if at is None else row_of(opened, at))
    except BreadcrumbError as error:
        fail(error)
    path = out or (trace.parent if trace.parent.is_dir() else Path()) / f"{opened.data.session.label}.replay.html"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(page, "utf-8")
    except OSError as error:
        fail(f"{path} cannot be written ({error.strerror}); name another place with --out")
    say(path)
    if opens or (opens is None and sys.stdout.isatty()):
        webbrowser.open(path.resolve().as_uri())
