"""`breadcrumb listen`."""

import asyncio
import ipaddress
import signal
import sys
from contextlib import ExitStack
from pathlib import Path

from breadcrumb.cli.console import fail, live_lines
from breadcrumb.errors import CheckFileError, TraceError
from breadcrumb.listen.limits import Limits
from breadcrumb.listen.listener import Listener, Live
from breadcrumb.model.plurals import counted
from breadcrumb.run.finding import find_check_files
from breadcrumb.run.loading import load_all
from breadcrumb.run.references import References
from breadcrumb.run.results import WRONG
from breadcrumb.run.sources import Sources

_STREAM = Path("-")


def run(
    sources: tuple[Path, ...],
    host: str,
    port: int,
    out: Path,
    checks: tuple[Path, ...],
    references: tuple[Path, ...],
    token: str,
    allow_origin: tuple[str, ...],
    games: int,
    session_mib: int,
    free_mib: int,
) -> None:
    """Record games until Ctrl-C, and check their sessions if check files are named."""
    if not _is_loopback(host) and not token:
        fail(f"listening on {host} lets other machines send; set a token with --token or BREADCRUMB_TOKEN")
    limits = Limits(games, session_mib, free_mib)
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        fail(f"traces cannot go to {out}: {error.strerror}")
    try:
        files = [file for path in checks for file in find_check_files(path)]
        loaded = load_all(Sources.at(files))  # so that a file that cannot be loaded is told before a game connects
        accepted = References.at(references)
    except (CheckFileError, TraceError) as error:
        fail(error)
    live: list[Live] = []
    with ExitStack() as stack:
        say = stack.enter_context(live_lines(lambda: [_words(one) for one in live]))
        listener = Listener(out, say, limits, token, frozenset(allow_origin), live)
        checker = None
        if files:
            from breadcrumb.cli.checking import SessionChecker  # here: without --check nobody pays for it

            several = ", ".join(check.info.name for check in loaded if check.is_across)
            if several:
                say(f"not run here, as they are about several sessions: {several}; run breadcrumb check afterwards")
            checker = stack.enter_context(SessionChecker(files, say, accepted))
            listener.on_trace = checker.check
        try:
            asyncio.run(_take_files(listener, sources) if sources else _listen(listener, host, port))
        except OSError as error:
            fail(f"cannot listen on {host}:{port}: {error.strerror or error}")
        if checker is not None:
            checker.check_rest(listener.traces)  # those that ended because the listener stopped
    if sources and listener.problems:
        raise SystemExit(WRONG)
    if checker is not None:
        raise SystemExit(checker.exit_code)


def _words(one: Live) -> str:
    return f"  {one.name}: {counted(one.frames, 'frames')} so far, {one.bytes / 1e6:.1f} MB"


async def _listen(listener: Listener, host: str, port: int) -> None:
    def started(found: int) -> None:
        listener.tell(f"listening on {host}:{found}, traces go to {listener.out}, Ctrl-C ends it")

    await listener.listen(host, port, started, _stopped_by_signals())


async def _take_files(listener: Listener, sources: tuple[Path, ...]) -> None:
    for source in sources:
        if source != _STREAM and not source.exists():
            listener.tell(f"waiting for {source}, which is not there yet")
    files: list[Path | int] = [sys.stdin.fileno() if source == _STREAM else source for source in sources]
    await listener.take_sources(files, _stopped_by_signals())


def _stopped_by_signals() -> asyncio.Event:
    stop, numbers, loop = asyncio.Event(), (signal.SIGINT, signal.SIGTERM), asyncio.get_running_loop()

    def stopped() -> None:
        stop.set()
        for number in numbers:
            loop.remove_signal_handler(number)  # so that a second one ends what takes too long

    if sys.platform != "win32":
        for number in numbers:
            loop.add_signal_handler(number, stopped)
    return stop


def _is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"
