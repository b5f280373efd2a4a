"""Running checks on traces, one after the other."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path

from breadcrumb.errors import TraceError
from breadcrumb.run.checking import run_check
from breadcrumb.run.loading import load_all
from breadcrumb.run.results import Recording, Result, RunResult
from breadcrumb.trace.opened import Trace, open_trace
from breadcrumb.trace.vocabulary import Vocabulary, knowing

_OF_THE_RECORDING = ("started_at", "moment", "fixed_step")
"""What is told of a session that says when and how it was recorded, and not of what."""


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
    checks = load_all(dict.fromkeys(files))
    steps = 2 * len(traces)
    problems: list[str] = []
    vocabulary, readable = Vocabulary(), []
    for index, path in enumerate(traces):
        _tell(progress, index, steps, f"opening {path.name}")
        try:
            vocabulary |= open_trace(path).vocabulary
            readable.append(path)
        except TraceError as error:
            problems.append(str(error))
    results: list[Result] = []
    seen: dict[str, None] = {}
    recordings: list[Recording] = []
    with knowing(vocabulary) as here:
        for index, path in enumerate(readable):
            _tell(progress, len(traces) + index, steps, f"checking {path.name}")
            try:
                trace = open_trace(path)
            except TraceError as error:
                problems.append(str(error))
                continue
            seen |= dict.fromkeys(trace.contents)
            recordings.append(Recording(str(path), trace.label, trace.facts, _about(trace)))
            results += [run_check(check, trace, path) for check in checks]
    _tell(progress, steps, steps, "done")
    problems += [f"{name} was neither seen nor declared in any session of this run" for name in sorted(here.unknown)]
    unseen = tuple(what for what in seen if what not in here.looked_at)
    return RunResult(tuple(results), tuple(problems), unseen, tuple(_repeated(results)), tuple(recordings))


def _about(trace: Trace) -> dict[str, str]:
    """Return what was told of a session, and the first value of each parameter, in words."""
    session = trace.data.session
    plain = ((name, value) for name, value in session.about.items() if isinstance(value, str | int | float))
    told = {name: str(value) for name, value in plain if name not in _OF_THE_RECORDING}
    for one in session.parameters:
        told.setdefault(f"parameter {one.name}", f"{one.value} {one.unit}".rstrip())
    return told


def _repeated(results: Iterable[Result]) -> Iterator[str]:
    """Yield the IDs that several rules of a check have, without the number that tells them apart, each once."""
    ids = (finding.rule.id.partition("~") for result in results for finding in result.findings)
    yield from dict.fromkeys(id for id, numbered, _ in ids if numbered)


def _tell(progress: Callable[[int, int, str], None] | None, done: int, steps: int, words: str) -> None:
    if progress is not None:
        progress(done, steps, words)
