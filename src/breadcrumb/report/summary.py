"""The summary of a run in a terminal: what broke, what was untested, what is closest to breaking."""

import shlex
from collections import Counter
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import TypeAlias

from rich.console import Console, ConsoleOptions, Group, RenderableType, RenderResult
from rich.table import Table
from rich.text import Text

from breadcrumb.report.figures import FIGURES_OF_A_CHECK
from breadcrumb.report.gathering import breaks_of
from breadcrumb.report.machines import result_words
from breadcrumb.report.naming import Titles, session_titles
from breadcrumb.run.results import CheckInfo, Result, ResultOutcome, RunResult
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import breach_words, explanation, margin_words

_EXPLAINED = 3
_TIGHTEST = 5
_LISTED = 12
_LINES = 16

_STYLES = {"broken": "bold red", "error": "bold magenta", "untested": "bold yellow", "held": "bold green"}


Figures: TypeAlias = Mapping[tuple[str, str], Path]
"""The path of each figure, by the path of the trace and the ID of the rule."""


_HEAD = 8
"""How far lines are indented below what they belong to."""


class _Lines:
    """Lines of which each that is too long goes on below itself, as far indented, or as far as below a head."""

    def __init__(self, text: Text | str, indent: int = 0) -> None:
        self.text = Text(text) if isinstance(text, str) else text
        self.indent = indent

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> RenderResult:
        for line in self.text.split():
            lead = max(len(line.plain) - len(line.plain.lstrip()), self.indent)
            if options.no_wrap or len(line.plain) <= options.max_width or lead >= options.max_width // 2:
                yield line
                continue
            head, rest = line.divide([lead])
            first, *others = rest.wrap(console, options.max_width - lead)
            yield Text.assemble(head, first)
            yield from (Text(" " * lead).append_text(one) for one in others)


def summary(run: RunResult, figures: Figures | None = None) -> RenderableType:
    """Return the summary of a run, with the paths of its figures."""
    return Group(*_parts(run, figures or {}))


def brief(run: RunResult, name: str) -> list[str]:
    """Return in a few lines what came of one session: the counts, and each check that did not hold."""
    lines = [f"{name} checked: {_counts(run).plain.partition(': ')[2]}"]
    lines += [f"  WRONG     {problem}" for problem in run.problems]
    for result in run.results:
        if result.outcome != "held":
            lines.append(f"  {result.outcome.upper():8}  {result.check.name}: {result_words(result)}")
    return lines


def _parts(run: RunResult, figures: Figures) -> Iterator[RenderableType]:
    titles = session_titles(run)
    for problem in run.problems:
        yield _Lines(Text.assemble(("WRONG   ", _STYLES["error"]), problem), _HEAD)
    for result in run.of("error"):
        where = f"{result.check.name} in {titles[result.trace]}"
        yield _Lines(Text.assemble(("WRONG   ", _STYLES["error"]), f"{where}: {result.error}"), _HEAD)
    yield from _broken_parts(run, figures, titles)
    yield from _untested_parts(run, titles)
    yield from _tightest_parts(run, titles)
    yield from _notes(run, titles)
    yield from _situations(run)
    yield _counts(run)
    yield from _next(run)


def _broken_parts(run: RunResult, figures: Figures, titles: Titles) -> Iterator[RenderableType]:
    by_check: dict[CheckInfo, list[Result]] = {}
    for result in run.of("broken"):
        by_check.setdefault(result.check, []).append(result)
    first = _first_to_break(run)
    ordered = sorted(by_check.items(), key=lambda one: (-first[one[0]], min(map(_begin, one[1]))))
    for number, (check, results) in enumerate(ordered):
        finding = results[0].first_broken
        where = _where(results, run, titles) + _before_others(first[check], run, others=len(by_check) > 1)
        yield _Lines(Text.assemble(("BROKEN  ", _STYLES["broken"]), (check.name, "bold"), f"  {where}"), _HEAD)
        if number < _EXPLAINED:
            _, *details = explanation(finding, _LINES)
            yield _Lines("\n".join((f"        {finding.sentence}", *(f"      {line}" for line in details))))
        elif finding.first is not None:
            yield _Lines(f"          {breach_words(finding.first)}")
        figure = figures.get((results[0].trace, finding.rule.id))
        if figure is not None:
            yield Text.assemble("        figure  ", (str(figure), "underline"))
        yield Text("")
    if figures and any(len(results) > FIGURES_OF_A_CHECK for results in by_check.values()):
        yield Text(f"figures are of the first {FIGURES_OF_A_CHECK} sessions in which a check broke\n")


def _first_to_break(run: RunResult) -> Counter[CheckInfo]:
    """Return in how many sessions each check was the first one to break."""
    by_session: dict[str, list[Result]] = {}
    for result in run.of("broken"):
        by_session.setdefault(result.trace, []).append(result)
    return Counter(min(results, key=_begin).check for results in by_session.values())


def _begin(result: Result) -> float:
    """Return when a result broke first; infinity if at no frame."""
    return breaks_of([result])[0].time


def _before_others(sessions: int, run: RunResult, *, others: bool) -> str:
    """Say where a check was the first one to break, if it was not the only one."""
    if not sessions or not others:
        return ""
    return f"; broke first in {_many(sessions, 'session')}" if len(run.sessions) > 1 else "; broke first"


def _next(run: RunResult) -> Iterator[RenderableType]:
    """Say which check broke first, if several did, and what shows the moment."""
    first = _first_to_break(run)
    for check, sessions in first.most_common(1):
        result = next(one for one in run.of("broken") if one.check == check)
        if len({one.check for one in run.of("broken")}) > 1:
            where = f"  broke first in {sessions} of {_many(first.total(), 'broken session')}"
            yield _Lines(Text.assemble(("FIRST   ", "bold"), (check.name, "bold"), where), _HEAD)
        if result.first_broken.first is not None:
            words = f"breadcrumb replay {shlex.quote(result.trace)} --check {shlex.quote(result.check.file)}"
            yield Text.assemble(("NEXT    ", "bold"), words, no_wrap=True, overflow="ignore")  # to be copied


def _where(results: list[Result], run: RunResult, titles: Titles) -> str:
    """Say in how many sessions a check had an outcome, and name the first one."""
    first, sessions = titles[results[0].trace], len(run.sessions)
    if len(results) > 1:
        return f"in {len(results)} of {sessions} sessions, first in {first}"
    return f"in {first}, 1 of {sessions} sessions" if sessions > 1 else f"in {first}"


def _untested_parts(run: RunResult, titles: Titles) -> Iterator[RenderableType]:
    never = set(run.never_exercised)
    once: dict[CheckInfo, list[Result]] = {}
    for result in run.of("untested"):
        once.setdefault(result.check, []).append(result)
    for check, results in list(once.items())[:_LISTED]:
        where = "in every session" if check in never else _where(results, run, titles)
        words = f"  {where}: {results[0].why_untested}"
        yield _Lines(Text.assemble(("UNTESTED  ", _STYLES["untested"]), (check.name, "bold"), words), _HEAD)
    if len(once) > _LISTED:
        yield Text(f"        and {len(once) - _LISTED} more untested checks")
    if once:
        yield Text("")


def _tightest_parts(run: RunResult, titles: Titles) -> Iterator[RenderableType]:
    held = [
        (finding.margin.share, finding, result)
        for result in run.of("held")
        for finding in result.findings
        if finding.margin is not None and finding.margin.share is not None
    ]
    tightest: dict[str, tuple[float, Verdict, Result]] = {}
    for share, finding, result in sorted(held, key=lambda one: one[0]):
        tightest.setdefault(finding.rule.id, (share, finding, result))
    if not tightest:
        return
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim", title_justify="left")
    table.add_column("tightest margins", no_wrap=True, justify="right")
    table.add_column("rule", ratio=1)
    table.add_column("session", no_wrap=True)
    for _, finding, result in list(tightest.values())[:_TIGHTEST]:
        table.add_row(margin_words(finding.margin), finding.sentence, titles[result.trace])
    yield table
    yield Text("")


def _notes(run: RunResult, titles: Titles) -> Iterator[RenderableType]:
    notes = [f"{titles[one.trace]}: {fact.words}" for one in run.recordings for fact in one.facts]
    several = "several rules have this ID, told apart as ~2, ~3 by their order; pass id= to name them"
    notes += [f"{id}: {several}" for id in run.repeated]
    notes += _notes_on_asserts(run)
    for note in notes[:_LISTED]:
        yield _Lines(Text.assemble(("NOTE    ", "bold"), note), _HEAD)
    if len(notes) > _LISTED:
        yield Text(f"        and {len(notes) - _LISTED} more notes")


def _notes_on_asserts(run: RunResult) -> Iterator[str]:
    """Say, once for each check, which verdicts were never asserted, and once for all which checks are plain."""
    unasserted = {result.check: result.unasserted for result in run.results if result.unasserted}
    for check, count in unasserted.items():
        made = f"{_many(count, 'verdict')} that it makes; they count all the same"
        yield f"{check.file}:{check.line}: {check.name} never asserts {made}"
    plain = {result.check for result in run.results if result.plain}
    if plain:
        yield f"{_many(len(plain), 'check')} held with plain asserts alone; judge(condition, words) gives a margin too"


def _situations(run: RunResult) -> Iterator[RenderableType]:
    """Say how many of the situations that checks name came about, and which never did."""
    situations = run.situations
    never = [one for one in situations if not one.times]
    for one in never[:_LISTED]:
        words = Text.assemble(("NEVER   ", _STYLES["untested"]), one.words, (f"  a situation of {one.check}", "dim"))
        yield _Lines(words, _HEAD)
    if len(never) > _LISTED:
        yield Text(f"        and {len(never) - _LISTED} more situations")
    if situations:
        met = len(situations) - len(never)
        yield Text(f"{met} of {_many(len(situations), 'situation')} came about; --report and --json tell how often")


def _counts(run: RunResult) -> Text:
    checks = len({result.check for result in run.results})
    text = Text(
        f"{_many(checks, 'check')} on {_many(len(run.sessions), 'session')}: {'' if checks else 'nothing was run'}"
    )
    outcomes: tuple[ResultOutcome, ...] = ("broken", "error", "untested", "held")
    counts = [(len(run.of(outcome)), outcome) for outcome in outcomes]
    for number, (count, outcome) in enumerate((count, outcome) for count, outcome in counts if count):
        text.append(", " if number else "")
        text.append(f"{count} {'raised an error' if outcome == 'error' else outcome}", style=_STYLES[outcome])
    if run.never_exercised:
        never = _many(len(run.never_exercised), "check")
        text.append(f"; no session exercised {never}", style=_STYLES["untested"])
    return text


def _many(count: int, what: str) -> str:
    return f"{count} {what}" if count == 1 else f"{count} {what}s"
