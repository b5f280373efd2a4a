"""Running checks on traces, one after the other."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from pathlib import Path

from breadcrumb.errors import Broken, NeverExercised, TraceError
from breadcrumb.run.loading import Check, load_checks, where_it_raised
from breadcrumb.run.results import Result, RunResult
from breadcrumb.trace.opened import Trace, open_trace
from breadcrumb.trace.vocabulary import Vocabulary, knowing
from breadcrumb.verdicts.collecting import collecting
from breadcrumb.verdicts.evidence import Evidence
from breadcrumb.verdicts.findings import Finding


def run_checks(
    files: Iterable[Path], traces: Sequence[Path], progress: Callable[[int, int, str], None] | None = None
) -> RunResult:
    """Run every check of the files on every trace.

    Args:
        files: check files.
        traces: recorded sessions.
        progress: called with the number of steps done, the number of all steps, and what comes next.

    Returns:
        The results. A trace that cannot be read is a problem of the run; the others are checked all the same.

    Raises:
        CheckFileError: a check file cannot be loaded.
    """
    checks = [check for file in files for check in load_checks(file)]
    steps = 2 * len(traces)
    problems: list[str] = []
    vocabulary, readable = Vocabulary(), []
    for place, path in enumerate(traces):
        _tell(progress, place, steps, f"opening {path.name}")
        try:
            vocabulary |= open_trace(path).vocabulary
            readable.append(path)
        except TraceError as error:
            problems.append(str(error))
    results: list[Result] = []
    seen: dict[str, None] = {}
    with knowing(vocabulary) as here:
        for place, path in enumerate(readable):
            _tell(progress, len(traces) + place, steps, f"checking {path.name}")
            try:
                trace = open_trace(path)
            except TraceError as error:
                problems.append(str(error))
                continue
            seen |= dict.fromkeys(trace.contents)
            results += [run_check(check, trace, path) for check in checks]
    _tell(progress, steps, steps, "done")
    problems += [f"{name} was neither seen nor declared in any session of this run" for name in sorted(here.unknown)]
    return RunResult(tuple(results), tuple(problems), tuple(what for what in seen if what not in here.looked_at))


def run_check(check: Check, trace: Trace, path: Path) -> Result:
    """Run one check on one trace."""
    error = ""
    with collecting() as findings:
        try:
            check.function(trace)
        except (Broken, NeverExercised):
            pass  # the verdict was handed over before it raised
        except AssertionError as plain:
            where = where_it_raised(plain, check.file)
            error = f"{where}: a plain assertion failed ({str(plain) or 'no message'}); "
            error += "judge(condition, words) gives a verdict"
        except Exception as wrong:  # a check is the user's code and may raise anything
            error = f"{where_it_raised(wrong, check.file)}: {type(wrong).__name__}: {wrong}"
    return Result(check, path, trace.label, tuple(map(_slim, findings)), error)


def _slim(finding: Finding) -> Finding:
    """Return what a run keeps of a verdict: thousands of sessions fit only if those that held leave their evidence."""
    return replace(finding, evidence=Evidence(), tallies=()) if finding.outcome == "held" else finding


def _tell(progress: Callable[[int, int, str], None] | None, done: int, steps: int, words: str) -> None:
    if progress is not None:
        progress(done, steps, words)
