"""`breadcrumb demo`."""

import shutil
from pathlib import Path
from typing import Any

from rich.table import Table

from breadcrumb.cli.console import console, fail, progress, say
from breadcrumb.cli.outputs import Outputs
from breadcrumb.cli.proving import table_of, try_all
from breadcrumb.demo import script as scripting
from breadcrumb.demo.checking import checks_folder
from breadcrumb.demo.faults import FAULTS, SWITCHES, UnknownFault
from breadcrumb.demo.nights import play_night
from breadcrumb.demo.play import play
from breadcrumb.demo.testers import script_of
from breadcrumb.demo.time import SECONDS
from breadcrumb.errors import TraceExists
from breadcrumb.model.plurals import counted
from breadcrumb.report.figures import FigureWriter
from breadcrumb.report.summary import summary
from breadcrumb.run.results import BROKE
from breadcrumb.run.running import check_sessions

_SHOWN_FAULT = "barrel-tired"
_NEGATIVE = "negative"
"""The folder of checks for sessions that must fail."""


def run(
    faults: tuple[str, ...],
    list_faults: bool,
    all_faults: bool,
    sessions: int | None,
    accepted: int | None,
    script: Path | None,
    write_script: Path | None,
    empty_roll: bool,
    seed: int,
    rate: str | None,
    seconds: int | None,
    out: Path,
) -> None:
    """Play what is asked for, check it, and say where everything is."""
    if list_faults:
        _list_faults()
        return
    try:
        if write_script is not None:
            scripting.write_script(script_of(seed), write_script)
            say(f"The inputs of a shift are in {write_script}; play them with --script {write_script}")
            return
        if accepted is not None:
            _play_accepted(accepted, out, {"rate": rate or "60", "seconds": seconds or SECONDS})
            return
        checks = _copy_checks(out / "checks")
        if all_faults:
            _try_all(sorted(checks.glob("check_*.py")), seed)
            return
        if sessions is not None:
            _play_night(sessions, out)
            return
        how = {
            "seed": seed,
            "rate": rate or _shows_at(faults, "60"),
            "seconds": seconds or _shows_within(faults),
            "script": None if script is None else scripting.read_script(script),
            "roll_is_empty": empty_roll,
        }
        builds = _builds(faults, empty_roll)
        traces = _play_all(builds, out, how)
        _check(traces, checks / _NEGATIVE if empty_roll else checks, out / "report")
    except (UnknownFault, TraceExists, scripting.WrongScript) as error:
        fail(error)
    except OSError as error:
        fail(f"{error.filename or out}: {error.strerror}; name another place")
    _say_where(out, list(builds)[-1], list(builds.values())[-1])


def _play_night(sessions: int, out: Path) -> None:
    """Play the sessions of a night, and say what to do with them."""
    with progress() as show:
        traces = play_night(sessions, out, show)
    say(f"{counted(len(traces), 'traces')} are in {out}, check files in {out / 'checks'}.")
    say("Next:")
    say(f"  breadcrumb check {out / 'checks'} {out} --report {out / 'report'}")
    say(f"  breadcrumb check {out / 'checks' / 'across'} {out}")


def _play_accepted(sessions: int, out: Path, how: dict[str, Any]) -> None:
    """Play sessions of the correct build, and say what to do with them."""
    with progress() as show:
        for seed in range(1, sessions + 1):
            show(seed - 1, sessions, f"playing the correct build with seed {seed}")
            play(out / f"{seed}.crumbs", seed=seed, overwrite=True, **how)
    say(f"{counted(sessions, 'traces')} are in {out}.")
    say("Next:")
    say(f"  breadcrumb compare {out} CANDIDATE")


def _builds(faults: tuple[str, ...], empty_roll: bool) -> dict[str, tuple[str, ...]]:
    """Return the builds that are played, by the names of their traces, each with what is broken in it."""
    if empty_roll:
        return {"empty-roll": faults}
    return {"faulty": faults} if faults else {"correct": (), "faulty": (_SHOWN_FAULT,)}


def _play_all(builds: dict[str, tuple[str, ...]], out: Path, how: dict[str, Any]) -> list[Path]:
    """Play all builds, and return the traces."""
    traces = []
    with progress() as show:
        for number, (name, broken) in enumerate(builds.items()):
            show(number, len(builds), f"playing the {name} build")
            traces.append(play(out / f"{name}.crumbs", broken, overwrite=True, **how))
    return traces


def _check(traces: list[Path], checks: Path, report: Path) -> None:
    """Run the check files of a folder on traces, draw what broke, write the page of all outcomes, print the summary."""
    figures = FigureWriter()
    with Outputs() as outputs, progress() as show:
        outputs.open("figures", None, "--out", lambda: figures)
        outputs.report(report, show)
        tally = check_sessions(sorted(checks.glob("check_*.py")), traces, outputs.add, show)
        outputs.finish(tally)
    screen = console()
    screen.print(summary(tally, figures.written), crop=False)
    screen.print()


def _shows_at(faults: tuple[str, ...], usual: str) -> str:
    """Return a frame rate at which faults show."""
    return next((FAULTS[name].rate for name in faults if name in FAULTS and FAULTS[name].rate != usual), usual)


def _shows_within(faults: tuple[str, ...]) -> int:
    """Return how long a session must be for faults to show."""
    return max((FAULTS[name].seconds for name in faults if name in FAULTS), default=SECONDS)


def _try_all(checks: list[Path], seed: int) -> None:
    with progress() as show:
        tried = try_all(checks, seed, show)
    console().print(table_of(tried))
    missed = [one.fault for one in tried if FAULTS[one.fault].routine not in {row.routine for row in one.caught}]
    say(f"{len(tried) - len(missed)} of {len(tried)} faults break a check of their own routine.")
    if missed:
        raise SystemExit(BROKE)


def _copy_checks(folder: Path) -> Path:
    for file in sorted(checks_folder().rglob("check_*.py")):
        copy = folder / file.relative_to(checks_folder())
        copy.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(file, copy)
    return folder


def _list_faults() -> None:
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="bold")
    for column in ("routine", "fault", "what goes wrong"):
        table.add_column(column)
    for fault in FAULTS.values():
        table.add_row(fault.routine, fault.name, fault.line)
    for switch, line in SWITCHES.items():
        table.add_row("any", f"{switch}:BEHAVIOUR", line)
    console().print(table)


def _say_where(out: Path, build: str, faults: tuple[str, ...]) -> None:
    names = ", ".join(f"{name} ({_line_of(name)})" for name in faults)
    if names:
        say(f"The {build} build has {names}.")
    checks = out / "checks" / (_NEGATIVE if build == "empty-roll" else "")
    figures = out / f"{build}.figures"
    drawn = f", figures in {figures}" if figures.is_dir() else ""
    say(f"Traces are in {out}, check files in {checks}{drawn}.")
    say(f"All outcomes, with replays of what broke, are on the page {out / 'report' / 'index.html'}.")
    say("Next:")
    say(f"  breadcrumb show {out / f'{build}.crumbs'}")
    say(f"  breadcrumb check {checks} {out / f'{build}.crumbs'}")
    say("  breadcrumb demo --list-faults")


def _line_of(name: str) -> str:
    return FAULTS[name].line if name in FAULTS else SWITCHES[name.partition(":")[0]]
