"""The summary of a run in a terminal: what broke, what was untested, what is closest to breaking."""

import shlex
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import TypeAlias

from rich.console import Console, ConsoleOptions, Group, RenderableType, RenderResult
from rich.table import Table
from rich.text import Text

from breadcrumb.report.figures import FIGURES_OF_A_CHECK
from breadcrumb.report.machines import result_words
from breadcrumb.report.naming import Titles, titles_of
from breadcrumb.run.results import ACROSS, CheckInfo, ResultOutcome
from breadcrumb.run.tallies import CheckTally, RunResult, Tally
from breadcrumb.verdicts.words import breach_words, explanation, margin_words

_EXPLAINED = 3
_TIGHTEST = 5
_LISTED = 12
_LINES = 16

_STYLES = {
    "known": "bold blue",
    "broken": "bold red",
    "error": "bold magenta",
    "untested": "bold yellow",
    "held": "bold green",
}


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


def summary(run: Tally, figures: Figures | None = None, references: Sequence[Path] = ()) -> RenderableType:
    """Return the summary of a run, with the paths of its figures; accepted sessions are named in the next command."""
    return Group(*_parts(run, figures or {}), *_next(run, references))


def brief(run: RunResult, name: str) -> list[str]:
    """Return in a few lines what came of one session: the counts, and each check that did not hold."""
    lines = [f"{name} checked: {_counts(run.tally).plain.partition(': ')[2]}"]
    lines += [f"  WRONG     {problem}" for problem in run.problems]
    for result in run.results:
        if result.outcome != "held":
            lines.append(f"  {result.outcome.upper():8}  {result.check.name}: {result_words(result)}")
    return lines


def _parts(run: Tally, figures: Figures) -> Iterator[RenderableType]:
    titles = {**titles_of(run.sessions), ACROSS: f"all {_many(len(run.sessions), 'session')}"}
    for problem in run.problems:
        yield _Lines(Text.assemble(("WRONG   ", _STYLES["error"]), problem), _HEAD)
    for check, one in run.with_outcome("error"):
        words = f"{check.name} {_where(one, 'error', run, titles)}: {one.first['error'].error}"
        yield _Lines(Text.assemble(("WRONG   ", _STYLES["error"]), words), _HEAD)
    yield from _broken_parts(run, figures, titles)
    yield from _known_parts(run, titles)
    yield from _untested_parts(run, titles)
    yield from _tightest_parts(run, titles)
    yield from _notes(run, titles)
    yield from _situations(run)
    yield _counts(run)


def _broken_parts(run: Tally, figures: Figures, titles: Titles) -> Iterator[RenderableType]:
    ordered = sorted(run.with_outcome("broken"), key=lambda one: (-run.broke_first[one[0]], one[1].begin))
    for number, (check, one) in enumerate(ordered):
        finding = one.first["broken"].first_broken
        where = _where(one, "broken", run, titles) + _before_others(check, run, others=len(ordered) > 1)
        yield _Lines(Text.assemble(("BROKEN  ", _STYLES["broken"]), (check.name, "bold"), f"  {where}"), _HEAD)
        if number < _EXPLAINED:
            _, *details = explanation(finding, _LINES)
            yield _Lines("\n".join((f"        {finding.sentence}", *(f"      {line}" for line in details))))
        elif finding.first is not None:
            yield _Lines(f"          {breach_words(finding.first)}")
        figure = figures.get((one.first["broken"].trace, finding.rule.id))
        if figure is not None:
            yield Text.assemble("        figure  ", (str(figure), "underline"))
        yield Text("")
    if figures and any(one.counts["broken"] > FIGURES_OF_A_CHECK for _, one in ordered):
        yield Text(f"figures are of the first {FIGURES_OF_A_CHECK} sessions in which a check broke\n")


def _known_parts(run: Tally, titles: Titles) -> Iterator[RenderableType]:
    broken = [one for one in run.known.values() if one.state == "broken"]
    for one in broken[:_LISTED]:
        where = f"in {one.broken} of {_many(one.judged, 'session')}, first in {titles[one.first]}"
        words = f"  {where}: {one.failure.reason}"
        yield _Lines(Text.assemble(("KNOWN   ", _STYLES["known"]), (one.failure.rule, "bold"), words), _HEAD)
    if len(broken) > _LISTED:
        yield Text(f"        and {len(broken) - _LISTED} more known failures")
    if broken:
        yield Text("")


def _before_others(check: CheckInfo, run: Tally, *, others: bool) -> str:
    """Say where a check was the first one to break, if it was not the only one."""
    sessions = run.broke_first[check]
    if not sessions or not others:
        return ""
    return f"; broke first in {_many(sessions, 'session')}" if len(run.sessions) > 1 else "; broke first"


def _next(run: Tally, references: Sequence[Path]) -> Iterator[RenderableType]:
    """Say which check broke first, if several did, and what shows the moment."""
    for check, sessions in run.broke_first.most_common(1):
        if len(list(run.with_outcome("broken"))) > 1:
            where = f"  broke first in {sessions} of {_many(run.broke_first.total(), 'broken session')}"
            yield _Lines(Text.assemble(("FIRST   ", "bold"), (check.name, "bold"), where), _HEAD)
        result = run.checks[check].first["broken"]
        trace = result.trace or _path_of(result.first_broken.session, run)
        if result.first_broken.first is not None and trace:
            accepted = (word for path in references for word in ("--reference", str(path)))
            yield next_line("replay", trace, "--check", result.check.file, *accepted)


def _path_of(session: str, run: Tally) -> str:
    """Return the path of the session of a name; empty if there are several."""
    paths = [path for path, label in run.sessions.items() if label == session]
    return paths[0] if len(paths) == 1 else ""


def _where(one: CheckTally, outcome: ResultOutcome, run: Tally, titles: Titles) -> str:
    """Say in how many sessions a check had an outcome, and name the first one."""
    first, count, sessions = titles[one.first[outcome].trace], one.counts[outcome], len(run.sessions)
    if one.first[outcome].trace == ACROSS:
        return f"in {first}"
    if count > 1:
        return f"in {count} of {sessions} sessions, first in {first}"
    return f"in {first}, 1 of {sessions} sessions" if sessions > 1 else f"in {first}"


def _untested_parts(run: Tally, titles: Titles) -> Iterator[RenderableType]:
    never = set(run.never_exercised)
    untested = [(check, one) for check, one in run.checks.items() if one.counts["untested"] or check in never]
    for check, one in untested[:_LISTED]:
        words = f"  {_why_untested(one, run, titles, in_every_session=check in never)}"
        yield _Lines(Text.assemble(("UNTESTED  ", _STYLES["untested"]), (check.name, "bold"), words), _HEAD)
    if len(untested) > _LISTED:
        yield Text(f"        and {len(untested) - _LISTED} more untested checks")
    if untested:
        yield Text("")


def _why_untested(one: CheckTally, run: Tally, titles: Titles, *, in_every_session: bool) -> str:
    if not one.counts:
        return "applies to no session: " + ", ".join(f"{name}={words}" for name, words in one.applies_to.items())
    where = _where(one, "untested", run, titles)
    if in_every_session and one.first["untested"].trace != ACROSS:
        where = "in every session to which it applies" if one.applies_to else "in every session"
    return f"{where}: {one.first['untested'].why_untested}"


def _tightest_parts(run: Tally, titles: Titles) -> Iterator[RenderableType]:
    if not run.tightest:
        return
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="dim", title_justify="left")
    table.add_column("tightest margins", no_wrap=True, justify="right")
    table.add_column("rule", ratio=1)
    table.add_column("session", no_wrap=True)
    for one in sorted(run.tightest.values(), key=lambda one: one.share)[:_TIGHTEST]:
        table.add_row(margin_words(one.margin), one.sentence, titles[one.trace])
    yield table
    yield Text("")


def _notes(run: Tally, titles: Titles) -> Iterator[RenderableType]:
    notes = [f"{titles[one.trace]}: {fact.words}" for one in run.recordings for fact in one.facts]
    several = "several rules have this ID, told apart as ~2, ~3 by their order; pass id= to name them"
    notes += [f"{id}: {several}" for id in run.repeated]
    notes += _notes_on_asserts(run)
    notes += [one.note for one in run.known.values() if one.note]
    for note in notes[:_LISTED]:
        yield _Lines(Text.assemble(("NOTE    ", "bold"), note), _HEAD)
    if len(notes) > _LISTED:
        yield Text(f"        and {len(notes) - _LISTED} more notes")


def _notes_on_asserts(run: Tally) -> Iterator[str]:
    """Say, once for each check, which verdicts were never asserted, and once for all which checks are plain."""
    for check, one in run.checks.items():
        if one.unasserted:
            made = f"{_many(one.unasserted, 'verdict')} that it makes; they count all the same"
            yield f"{check.file}:{check.line}: {check.name} never asserts {made}"
    plain = sum(one.plain for one in run.checks.values())
    if plain:
        yield f"{_many(plain, 'check')} held with plain asserts alone; judge(condition, words) gives a margin too"


def _situations(run: Tally) -> Iterator[RenderableType]:
    """Say how many of the situations that checks name occurred, and which never did."""
    situations = run.situations
    never = [one for one in situations if not one.times]
    for one in never[:_LISTED]:
        words = Text.assemble(("NEVER   ", _STYLES["untested"]), one.words, (f"  a situation of {one.check}", "dim"))
        yield _Lines(words, _HEAD)
    if len(never) > _LISTED:
        yield Text(f"        and {len(never) - _LISTED} more situations")
    if situations:
        met = len(situations) - len(never)
        yield Text(f"{met} of {_many(len(situations), 'situation')} occurred; --report and --json tell how often")


def _counts(run: Tally) -> Text:
    checks = len(run.checks)
    text = Text(
        f"{_many(checks, 'check')} on {_many(len(run.sessions), 'session')}: {'' if checks else 'nothing was run'}"
    )
    outcomes: tuple[ResultOutcome, ...] = ("broken", "error", "untested", "known", "held")
    counts = [(run.count(outcome), outcome) for outcome in outcomes]
    for number, (count, outcome) in enumerate((count, outcome) for count, outcome in counts if count):
        text.append(", " if number else "")
        text.append(f"{count} {'raised an error' if outcome == 'error' else outcome}", style=_STYLES[outcome])
    if run.never_exercised:
        never = _many(len(run.never_exercised), "check")
        text.append(f"; no session exercised {never}", style=_STYLES["untested"])
    return text


def _many(count: int, what: str) -> str:
    return f"{count} {what}" if count == 1 else f"{count} {what}s"


def next_line(*command: str) -> Text:
    """Return the line that names the command to go on with, to be copied."""
    return Text.assemble(("NEXT    ", "bold"), shlex.join(("breadcrumb", *command)), no_wrap=True, overflow="ignore")
