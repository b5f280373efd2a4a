"""`breadcrumb demo`."""

import shutil
from pathlib import Path

import click
from rich.table import Table

from breadcrumb.cli.console import console, draw, fail, progress
from breadcrumb.demo.checking import checks_folder
from breadcrumb.demo.faults import FAULTS, UnknownFault
from breadcrumb.demo.play import play
from breadcrumb.demo.time import JITTER, RATES
from breadcrumb.errors import TraceExists
from breadcrumb.report.summary import summary
from breadcrumb.run.running import run_checks

_SHOWN_FAULT = "barrel-tired"


@click.command(
    "demo",
    epilog="Example: breadcrumb demo --fault whirlpool-to-and-fro",
)
@click.option("--fault", "faults", multiple=True, help="Break the game in this way; may be given several times.")
@click.option("--list-faults", is_flag=True, help="List the ways in which the game can be broken, and end.")
@click.option("--seed", default=7, show_default=True, help="Draws what is drawn at random.")
@click.option(
    "--rate", type=click.Choice([*RATES, JITTER]), default="60", show_default=True, help="Frames a second, or uneven."
)
@click.option("--seconds", type=click.IntRange(10, 600), default=60, show_default=True, help="Game time to play.")
@click.option(
    "--out", type=click.Path(path_type=Path), default=Path("lantern-bay"), show_default=True, help="Where to."
)
def command(faults: tuple[str, ...], list_faults: bool, seed: int, rate: str, seconds: int, out: Path) -> None:
    """Play Lantern Bay, record it, run its checks, draw what broke, and say where everything is.

    Without --fault, a correct build and a faulty one are played, to see both a pass and an explained failure.
    """
    if list_faults:
        _list_faults()
        return
    shown = faults or (_SHOWN_FAULT,)
    builds = {"faulty": shown} if faults else {"correct": (), "faulty": shown}
    try:
        with progress() as show:
            traces = []
            for number, (name, broken) in enumerate(builds.items()):
                show(number, len(builds), f"playing the {name} build")
                path = out / f"{name}.crumbs"
                traces.append(play(path, broken, seed=seed, rate=rate, seconds=seconds, overwrite=True))
            checks = _copy_checks(out / "checks")
            run = run_checks(sorted(checks.glob("check_*.py")), traces, show)
    except (UnknownFault, TraceExists) as error:
        fail(error)
    except OSError as error:
        fail(f"{out}: cannot be written ({error.strerror}); name another folder with --out")
    screen = console()
    screen.print(summary(run, draw(run, None)))
    screen.print()
    _say_where(out, shown)


def _copy_checks(folder: Path) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    for file in sorted(checks_folder().glob("check_*.py")):
        shutil.copyfile(file, folder / file.name)
    return folder


def _list_faults() -> None:
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="bold")
    for column in ("behaviour", "fault", "what goes wrong"):
        table.add_column(column)
    for fault in FAULTS.values():
        table.add_row(fault.behaviour, fault.name, fault.line)
    console().print(table)


def _say_where(out: Path, faults: tuple[str, ...]) -> None:
    names = ", ".join(f"{name} ({FAULTS[name].line})" for name in faults)
    click.echo(f"The faulty build has {names}.")
    click.echo(f"Traces are in {out}, check files in {out / 'checks'}, figures in {out / 'faulty.figures'}.")
    click.echo("Go on with:")
    click.echo(f"  breadcrumb show {out / 'faulty.crumbs'}")
    click.echo(f"  breadcrumb check {out / 'checks'} {out / 'faulty.crumbs'}")
    click.echo("  breadcrumb demo --list-faults")
