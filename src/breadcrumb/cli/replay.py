"""`breadcrumb replay`."""

import math
import sys
import webbrowser
from pathlib import Path

from breadcrumb.cli.console import fail, say
from breadcrumb.comparison.comparing import compare
from breadcrumb.errors import BreadcrumbError
from breadcrumb.report.around import row_of
from breadcrumb.report.judged import BrokenRule, broken_rules, departures
from breadcrumb.report.replaying import write_replay
from breadcrumb.run.finding import find_check_files, find_traces
from breadcrumb.run.running import run_checks
from breadcrumb.trace.opened import open_trace
from breadcrumb.verdicts.excerpts import excerpts_of

_JUDGED = 20_000
"""Of how many samples the judged values are shown, around each breach."""


def run(
    trace: Path,
    checks: tuple[Path, ...],
    references: tuple[Path, ...],
    at: float | None,
    out: Path | None,
    opens: bool | None,
) -> None:
    """Make the page of a session."""
    try:
        opened = open_trace(trace)
        files = [file for path in checks for file in find_check_files(path)]
        broken: list[BrokenRule] = []
        if files:
            with excerpts_of(math.inf, _JUDGED):
                run = run_checks(files, [trace], references=references)
            broken = broken_rules(run.results)
            for problem in (*run.problems, *(f"{one.check.name}: {one.error}" for one in run.with_outcome("error"))):
                say(f"WRONG   {problem}", err=True)
        accepted = [open_trace(path) for path in find_traces(references)]
        beside = accepted[0] if len(accepted) == 1 else None
        if accepted:
            found = compare(beside or accepted, opened)
            broken = sorted((*broken, *departures(found)), key=lambda one: one.first.time)
        label = opened.data.session.label
        path = out or (trace.parent if trace.parent.is_dir() else Path()) / f"{label}.replay.html"
        row = None if at is None else row_of(opened, at)
        write_replay(opened, path, broken=broken, at=row, reference=beside)
    except BreadcrumbError as error:
        fail(error)
    except OSError as error:
        fail(f"{error.filename or 'the replay'} cannot be written ({error.strerror}); name another place with --out")
    say(path)
    if opens or (opens is None and sys.stdout.isatty()):
        webbrowser.open(path.resolve().as_uri())
