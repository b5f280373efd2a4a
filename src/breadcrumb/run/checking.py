"""Running one check on one session, and what comes of it: the same in the command and in pytest."""

import inspect
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeAlias

from breadcrumb.errors import Broken, NeverExercised
from breadcrumb.record.plain import words_of
from breadcrumb.run.identifying import identified
from breadcrumb.run.loading import SKIPPED, Check, where_it_raised
from breadcrumb.run.plainly import as_raised, plain_breach, skip_reason
from breadcrumb.run.results import Result
from breadcrumb.run.traces import Traces
from breadcrumb.trace.opened import Trace
from breadcrumb.trace.reading import Reads, noting_reads
from breadcrumb.verdicts.collecting import collecting
from breadcrumb.verdicts.evidence import Evidence
from breadcrumb.verdicts.verdict import Verdict

Known: TypeAlias = Mapping[str, str]
_NONE: Known = {}


@dataclass(frozen=True, slots=True)
class Ran:
    """What came of a check, and what it raised."""

    result: Result
    raised: BaseException | None = None


def run_check(
    check: Check,
    given: Trace | Traces,
    session: str,
    trace: str,
    known: Known = _NONE,
    accepted: Callable[[str], Any] | None = None,
) -> Ran:
    """Run one check on one trace, or on the sessions of a run; accepted sessions are looked for if it takes any."""
    wanted = check.takes_accepted
    if accepted is None or not wanted:
        return observe(check, lambda: check.function(given), session, trace, known)
    return observe(check, lambda: check.function(given, accepted(wanted)), session, trace, known)


def observe(check: Check, call: Callable[[], Any], session: str, trace: str, known: Known = _NONE) -> Ran:
    """Call a check, and find out what came of it.

    Args:
        check: the check.
        call: calls it.
        session: the trace's name.
        trace: the path or URL of the trace.
        known: the IDs of rules whose failure is known, with the reason; at these the check does not stop.

    Raises:
        KeyboardInterrupt: the user ended it.
        CheckFileError: one name was given to two rules.
    """
    reason = getattr(check.function, SKIPPED, "")
    if reason:
        return Ran(Result.of(check.info, trace, session, (), why=f"skipped: {reason}"))
    raised: BaseException | None = None
    error = ""
    passes = _passing(check, known) if known else None
    with collecting(passes) as collector, noting_reads() as reads, check.namespace.active():
        try:
            error = _never_ran(call())
        except KeyboardInterrupt:
            raise
        except BaseException as wrong:  # a check is the user's code and may raise anything, or end the process
            raised = wrong
    findings, unasserted = collector.counted(returned=raised is None)
    why = words_of(raised) if isinstance(raised, NeverExercised) else ""
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
        check.info, trace, session, named, error, plain=plain, unasserted=unasserted,
        why=why or _why_nothing_was_tested(reads, findings), situations=collector.situations, known=known,
    )  # fmt: skip
    return Ran(result, raised)


def _passing(check: Check, known: Known) -> Callable[[Sequence[Verdict], Verdict], bool]:
    """Return what tells whether a broken verdict is a known failure, at which the check goes on."""

    def passes(made: Sequence[Verdict], verdict: Verdict) -> bool:
        named = identified(made, check.info)
        return any(one is verdict and name.rule.id in known for one, name in zip(made, named, strict=True))

    return passes


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
