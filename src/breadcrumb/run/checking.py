"""Running one check on one session, and what comes of it: the same in the command and in pytest."""

import inspect
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from breadcrumb.errors import Broken, NeverExercised
from breadcrumb.record.plain import words_of
from breadcrumb.run.identifying import identified
from breadcrumb.run.loading import SKIPPED, Check, where_it_raised
from breadcrumb.run.plainly import as_raised, plain_breach, skip_reason
from breadcrumb.run.results import Result
from breadcrumb.trace.opened import Trace
from breadcrumb.trace.reading import Reads, noting_reads
from breadcrumb.verdicts.collecting import collecting
from breadcrumb.verdicts.evidence import Evidence
from breadcrumb.verdicts.verdict import Verdict


@dataclass(frozen=True, slots=True)
class Ran:
    """What came of a check, and what it raised."""

    result: Result
    raised: BaseException | None = None


def run_check(check: Check, trace: Trace, path: Path) -> Ran:
    """Run one check on one trace."""
    return observe(check, lambda: check.function(trace), trace.label, path)


def observe(check: Check, call: Callable[[], Any], session: str, path: Path) -> Ran:
    """Call a check, and find out what came of it.

    Args:
        check: the check.
        call: calls it.
        session: the trace's name.
        path: where the trace is.

    Raises:
        KeyboardInterrupt: the user ended it.
        CheckFileError: one name was given to two rules.
    """
    reason = getattr(check.function, SKIPPED, "")
    if reason:
        return Ran(Result.of(check.info, str(path), session, (), why=f"skipped: {reason}"))
    raised: BaseException | None = None
    error = ""
    with collecting() as collector, noting_reads() as reads, check.namespace.active():
        try:
            error = _never_ran(call())
        except KeyboardInterrupt:
            raise
        except BaseException as wrong:  # a check is the user's code and may raise anything, or end the process
            raised = wrong
    findings, unasserted = collector.counted(returned=raised is None)
    why = ""
    if raised is not None and not isinstance(raised, Broken | NeverExercised):
        reason = skip_reason(raised) or ""
        if reason:
            why = f"skipped: {reason}"
        elif _is_plain(raised, check):
            findings.append(plain_breach(raised, session))
        else:
            error = f"{where_it_raised(raised, Path(check.info.file))}: {type(raised).__name__}: {words_of(raised)}"
    plain = reads.asserts if raised is None and reads.anything and not findings else 0
    named = identified(map(_slim, findings), check.info)
    result = Result.of(
        check.info, str(path), session, named, error, plain=plain, unasserted=unasserted,
        why=why or _why_nothing_was_tested(reads, findings), situations=collector.situations,
    )  # fmt: skip
    return Ran(result, raised)


def _why_nothing_was_tested(reads: Reads, findings: list[Verdict]) -> str:
    if findings or not reads.asserts or reads.anything:
        return ""
    return "its plain asserts passed, but all that it read of the trace is empty"


def _is_plain(raised: BaseException, check: Check) -> bool:
    """Tell whether what was raised is a failed assert of the user's own, and no error of what he calls."""
    if as_raised(raised):
        return True
    trail = raised.__traceback__
    while trail is not None and trail.tb_next is not None:
        trail = trail.tb_next
    here = trail is not None and check.namespace.holds(trail.tb_frame.f_code.co_filename)
    return isinstance(raised, AssertionError) and here


def _never_ran(value: Any) -> str:
    """Return what is wrong if a check gave something that has yet to run; empty if it did not."""
    if inspect.iscoroutine(value):
        value.close()
    if inspect.iscoroutine(value) or inspect.isgenerator(value):
        return f"it returned a {type(value).__name__}, of which nothing was run; write it as a plain function"
    return ""


def _slim(finding: Verdict) -> Verdict:
    """Return what a run keeps of a verdict: thousands of sessions fit only if those that held leave their evidence."""
    return replace(finding, evidence=Evidence(), tallies=()) if finding.outcome == "held" else replace(finding)
