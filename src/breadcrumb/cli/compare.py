"""`breadcrumb compare`."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from breadcrumb.cli.console import by_name, console, fail, say
from breadcrumb.comparison.comparing import PLAYERS, compare
from breadcrumb.comparison.differences import Comparison
from breadcrumb.errors import BreadcrumbError, NotComparable
from breadcrumb.model.plurals import counted
from breadcrumb.report.compared import comparison_view
from breadcrumb.report.summary import next_line
from breadcrumb.run.finding import find_traces
from breadcrumb.trace.opened import open_trace

ALIKE, DIFFER, NOTHING_COMPARED = 0, 1, 3
"""The exit codes, besides that of a wrong input."""


@click.command("compare", epilog="\b\nExample: breadcrumb compare lantern-bay/correct.crumbs lantern-bay/faulty.crumbs")
@click.argument("references", metavar="REFERENCE...", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.argument("candidate", type=click.Path(path_type=Path))
@click.option(
    "--tol",
    multiple=True,
    metavar="NAME=NUMBER",
    callback=lambda context, option, given: by_name(given, float, "NAME=NUMBER, such as position=0.01"),
    help="Tolerance of a property, such as position=0.01 or skiff.speed=0.1; may be given several times.",
)
@click.option(
    "--ignore",
    multiple=True,
    metavar="PATTERN",
    help="Leave out a kind, a property or an event, such as 'camera.*'; may be given several times.",
)
@click.option(
    "--anchor",
    "anchors",
    multiple=True,
    metavar="EVENT",
    help="Shift CANDIDATE in time so that this event is at the same time in both; may be given several times.",
)
@click.option(
    "--player",
    "players",
    multiple=True,
    default=PLAYERS,
    show_default=True,
    metavar="NAME",
    help="With several references: who acts in events at will; may be given several times.",
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def command(references: tuple[Path, ...], candidate: Path, as_json: bool, **how: Any) -> None:
    """Say where the session CANDIDATE first differs from the accepted session REFERENCE, and what followed.

    Both are of the same script and seed. At another frame rate, or with --anchor, values, events and lifetimes may be a
    step apart.

    Several REFERENCES, or a directory of them, are good sessions of varied play: at least five, better ten. Then the
    command says what CANDIDATE does that none of them does, the surest first.

    CANDIDATE may be a directory of sessions: each of them is compared, and --json prints a list.

    Exit code: 0 nothing differs, 1 something does, 2 the command or an input is wrong, 3 nothing could be compared.
    """
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
