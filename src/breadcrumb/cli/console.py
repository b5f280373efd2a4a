"""What the commands share: where they print, how they show progress, how they end."""

import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from typing import Any, NoReturn

import click
from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment

from breadcrumb.report.naming import visible
from breadcrumb.run.results import WRONG

_WIDTH_OF_FILES = 240
"""How wide lines may be when they go into a file or another program: there, none is ever broken."""


class _Console(Console):
    """A console on which names of a game neither steer the terminal nor turn into pictures, as `door:key:` would."""

    def __init__(self, **options: Any) -> None:
        super().__init__(highlight=False, emoji=False, **options)

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        for segment in super().render(renderable, options):
            yield segment if segment.control else Segment(visible(segment.text), segment.style)


def console() -> Console:
    """Return where results are printed."""
    if sys.stdout.isatty():
        return _Console()
    return _Console(soft_wrap=True, width=_WIDTH_OF_FILES)


def say(words: object, *, err: bool = False) -> None:
    """Print a line."""
    click.echo(visible(str(words)), err=err)


def fail(problem: object) -> NoReturn:
    """End because the command or an input is wrong."""
    say(f"Error: {problem}", err=True)
    raise SystemExit(WRONG)


@contextmanager
def progress() -> Iterator[Callable[[int, int, str], None]]:
    """Show on the error stream, if that is a terminal, how far long work has come."""
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=_Console(stderr=True), transient=True, disable=not sys.stderr.isatty()) as bar:
        task = bar.add_task("starting", total=None)

        def show(done: int, steps: int, words: str) -> None:
            bar.update(task, completed=done, total=steps, description=words)

        yield show


@contextmanager
def live_lines(now: Callable[[], list[str]]) -> Iterator[Callable[[str], None]]:
    """Print lines one after the other; on a terminal, show below them what goes on now.

    Yields:
        The function that prints a line.
    """
    if not sys.stdout.isatty():
        yield say
        return
    from rich.live import Live
    from rich.text import Text

    with Live(get_renderable=lambda: Text("\n".join(now())), console=console(), transient=True) as live:
        yield lambda words: live.console.print(Text(words))
