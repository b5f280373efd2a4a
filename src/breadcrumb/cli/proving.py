"""Playing every fault of Lantern Bay, to see which checks it breaks."""

import os
import tempfile
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

from rich.markup import escape
from rich.table import Table

from breadcrumb.demo.faults import FAULTS
from breadcrumb.demo.play import play
from breadcrumb.model.plurals import counted
from breadcrumb.run.results import Result
from breadcrumb.run.running import run_checks


@dataclass(frozen=True, slots=True)
class Caught:
    """One check that a fault broke."""

    routine: str
    check: str
    frame: int
    object: str
    margin: str


@dataclass(frozen=True, slots=True)
class Tried:
    """What became of one fault."""

    fault: str
    caught: tuple[Caught, ...]
    wrong: tuple[str, ...]
    """What kept checks from being judged: nothing, unless the checks themselves are wrong."""


def try_fault(fault: str, checks: Sequence[Path], seed: int) -> Tried:
    """Play one fault at a rate at which it shows, and run all checks on it."""
    known = FAULTS[fault]
    with tempfile.TemporaryDirectory(prefix="breadcrumb-") as folder:
        path = Path(folder) / f"{fault}.crumbs"
        play(path, [fault], seed=seed, rate=known.rate, seconds=known.seconds)
        run = run_checks(checks, [path])
    wrong = (*run.problems, *(f"{result.check.name}: {result.error}" for result in run.with_outcome("error")))
    return Tried(fault, tuple(_caught(result) for result in run.with_outcome("broken")), wrong)


def try_all(checks: Sequence[Path], seed: int, show: Callable[[int, int, str], None]) -> list[Tried]:
    """Try every fault, on all processors."""
    done: list[Tried] = []
    with ProcessPoolExecutor(os.cpu_count(), mp_context=get_context("spawn")) as pool:
        for tried in pool.map(try_fault, FAULTS, [checks] * len(FAULTS), [seed] * len(FAULTS)):
            done.append(tried)
            show(len(done), len(FAULTS), f"{tried.fault} was played")
    return done


def table_of(tried: Iterable[Tried]) -> Table:
    """Return the table of faults and of the checks that they broke; those of the fault's own routine first."""
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="bold")
    for column in ("fault", "broken check", "first frame", "object", "margin"):
        table.add_column(column, justify="right" if column in ("first frame", "margin") else "left")
    for one in tried:
        own = FAULTS[one.fault].routine
        rows = sorted(one.caught, key=lambda caught: (caught.routine != own, caught.frame))
        for number, row in enumerate(rows):
            check = row.check if row.routine == own else f"[dim]{row.check} ({row.routine})[/dim]"
            table.add_row("" if number else one.fault, check, str(row.frame), row.object, row.margin)
        if not rows:
            table.add_row(one.fault, "[bold red]none[/bold red]")
        if one.wrong:
            table.add_row(
                "",
                f"[bold magenta]{counted(len(one.wrong), 'checks')} raised an error: "
                f"{escape(one.wrong[0])}[/bold magenta]",
            )
    return table


def _caught(result: Result) -> Caught:
    broken = result.first_broken
    assert broken.first is not None
    margin = "" if broken.margin is None else f"{broken.margin.value:.4g} {broken.margin.unit}".rstrip()
    routine = result.check.stem
    return Caught(routine, result.check.name, broken.first.frame, broken.first.object, margin)
