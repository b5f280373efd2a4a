"""`breadcrumb compare`."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from breadcrumb.cli.console import console, fail, say
from breadcrumb.comparison.comparing import compare
from breadcrumb.comparison.differences import Comparison
from breadcrumb.errors import BreadcrumbError, NotComparable
from breadcrumb.model.plurals import counted
from breadcrumb.report.compared import comparison_view
from breadcrumb.report.summary import next_line
from breadcrumb.run.finding import find_traces
from breadcrumb.trace.opened import open_trace

ALIKE, DIFFER, NOTHING_COMPARED = 0, 1, 3
"""The exit codes, besides that of a wrong input."""


def run(references: tuple[Path, ...], candidate: Path, as_json: bool, **how: Any) -> None:
    """Compare sessions with accepted ones, and end with the exit code."""
    found, codes = list[Comparison](), list[int]()
    candidates = find_traces([candidate])
    try:
        accepted = {path.resolve(): open_trace(path) for path in find_traces(references)}
        several = list(accepted.values())
        for path in candidates:
            trace = accepted.get(path.resolve()) or open_trace(path)  # once, so that it is known to be one of them
            try:
                found.append(compare(several[0] if len(several) == 1 else several, trace, **how))
            except NotComparable as error:
                say(f"Error: {error}", err=True)
                codes.append(NOTHING_COMPARED)
                continue
            codes.append(ALIKE if found[-1].alike else DIFFER)
            if not as_json:
                _print(found[-1], path, references)
    except BreadcrumbError as error:
        fail(error)
    if as_json and found:
        import msgspec  # here: only what leaves the process pays for it

        told = found[0] if candidates == [candidate] else found
        click.echo(msgspec.json.format(msgspec.json.encode(told), indent=1).decode())
    elif len(codes) > 1:
        say(f"{counted(len(codes), 'sessions')}: {', '.join(_counts(codes))}")
    raise SystemExit(DIFFER if DIFFER in codes else max(codes))


def _print(found: Comparison, candidate: Path, references: tuple[Path, ...]) -> None:
    console().print(comparison_view(found), crop=False)
    if not found.alike:
        accepted = (word for path in references for word in ("--reference", str(path)))
        console().print(next_line("replay", str(candidate), *accepted), crop=False)


def _counts(codes: list[int]) -> Iterator[str]:
    """Say how many sessions there are of each outcome."""
    for code, words in ((ALIKE, "alike"), (DIFFER, "different"), (NOTHING_COMPARED, "not compared")):
        if many := codes.count(code):
            yield f"{many} {words}"
