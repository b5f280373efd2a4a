"""The command `breadcrumb`; each of its commands is loaded when it is called, so that help costs nearly nothing."""

from importlib import import_module
from typing import Any

import click

from breadcrumb.errors import near_names

_GROUPS = {
    "Try it": {"demo": "Play Lantern Bay, record it, check it, and show what broke."},
    "Record": {
        "listen": "Record games that send frame lines.",
        "convert": "Turn frame lines or a table into a trace, and back; pack a trace.",
    },
    "Look": {
        "show": "Print what is in a trace.",
        "draw": "Draw paths, values over time, and events.",
        "replay": "Make a page that plays a session, frame by frame.",
    },
    "Check": {
        "check": "Run check files on traces.",
        "compare": "Say where a session first differs from an accepted one.",
    },
}
"""The commands by the order of the work, each with what it does."""
_COMMANDS = [name for group in _GROUPS.values() for name in group]


_STOPPED = 130
"""The exit code of a command that Ctrl-C ended, as shells have it: 128 and the number of the signal."""


class _Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return _COMMANDS

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        command: click.Command = import_module(f"breadcrumb.cli.commands.{cmd_name}").command
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        near = near_names(args[0], _COMMANDS)
        if args[0] not in _COMMANDS and near:
            ctx.fail(f"No such command {args[0]!r}; did you mean {near[0]!r}?")
        return super().resolve_command(ctx, args)

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except KeyboardInterrupt:
            click.echo("\nStopped by Ctrl-C.", err=True)
            raise SystemExit(_STOPPED) from None

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        width = max(map(len, _COMMANDS))
        for title, group in _GROUPS.items():
            with formatter.section(title):
                formatter.write_dl([(name.ljust(width), words) for name, words in group.items()])


@click.group(
    cls=_Commands,
    epilog="Start with: breadcrumb demo",
    context_settings={"help_option_names": ["-h", "--help"]},
)
@click.version_option(package_name="breadcrumb")
def main() -> None:
    """Look at recorded play sessions of a game, and check that its scripts still do what they did."""
