"""`breadcrumb check --watch`: running again what changed, while check files are written and sessions recorded."""

import time
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import TypeAlias

from breadcrumb.cli.console import console, fail, progress, say
from breadcrumb.errors import CheckFileError
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.lock import lock_file
from breadcrumb.report.summary import summary
from breadcrumb.run.finding import find_traces
from breadcrumb.run.results import HELD, WRONG
from breadcrumb.run.running import Plan, Which, check_sessions
from breadcrumb.store.locations import SUFFIX, is_remote
from breadcrumb.trace.vocabulary import Vocabulary

_QUIET_MS, _STEP_MS, _WAIT_MS = 200, 50, 250
"""After which quiet time a change is run, how often that is looked at, and how often where nothing changes."""
_PATTERN = "*?["
State: TypeAlias = tuple[tuple[str, int, int], ...]
"""The name, size and time of each file of a trace."""


@dataclass
class Watched:
    """Check files and traces, and what the traces were like when they were checked."""

    files: list[Path]
    patterns: list[Path]
    """The traces, as they were named."""
    states: dict[Path, State] = field(default_factory=dict)
    names: Vocabulary = field(default_factory=Vocabulary)
    """The names that the traces know together."""
    has_across: bool = False
    """Whether there were checks of several sessions."""
    recorded: list[Path] = field(default_factory=list)
    """The traces that changed, but were still being recorded when they were last looked at."""

    def places(self) -> list[Path]:
        """Return the folders in which something may change."""
        folders = {file.parent for file in self.files} | set(map(_folder_of, self.patterns))
        return [folder for folder in sorted(folders) if folder.is_dir()]

    def traces(self) -> list[Path]:
        """Return the traces that are there."""
        found = find_traces(self.patterns)
        return [one for one in found if is_remote(one) or (one.exists() and SUFFIX in one.suffixes)]

    def note(self, traces: Iterable[Path]) -> None:
        """Note what traces are like, now that they were checked: opening one may have changed its files."""
        self.states |= {trace: _state(trace) for trace in traces}

    def changed_files(self, paths: Iterable[Path]) -> list[Path]:
        """Return the check files that are different if these paths changed: a helper changes all of its folder."""
        code = {path.resolve() for path in paths if path.suffix == ".py"}
        own = [file for file in self.files if file.resolve() in code]
        helpers = code - {file.resolve() for file in own}
        return [
            file
            for file in self.files
            if file in own or any(one.is_relative_to(file.parent.resolve()) for one in helpers)
        ]

    def changed_traces(self) -> list[Path]:
        """Return the traces that are new, or whose files are different, and that are recorded to their end."""
        changed = [one for one in self.traces() if self.states.get(one) != _state(one)]
        self.recorded = [one for one in changed if _is_being_recorded(one)]
        return [one for one in changed if one not in self.recorded]


@dataclass(frozen=True)
class Due:
    """What is to be run because something changed."""

    changed: list[Path]
    files: list[Path]
    traces: list[Path]
    which: Which = "all"


def watch(watched: Watched, plan: Plan) -> int:
    """Run everything once, and then what changes, until Ctrl-C.

    Returns:
        The exit code of the last run.
    """
    try:
        import watchfiles
    except ImportError:
        fail("--watch needs watchfiles; install it with pip install 'breadcrumb[watch]'")
    code = None
    changed = partial(watchfiles.watch, debounce=_QUIET_MS, step=_STEP_MS, rust_timeout=_WAIT_MS, yield_on_timeout=True)
    try:
        for changes in changed(*watched.places(), raise_interrupt=True):
            if code is None:  # the first run is within the loop, so that what changes meanwhile is seen
                code = _run(watched, Due([], watched.files, watched.traces()), plan) if watched.traces() else HELD
                say(f"watching {', '.join(map(str, watched.places()))}; Ctrl-C ends it")
            if changes or watched.recorded:  # nothing tells that a recording ended but its lock
                code = _run_changed(watched, [Path(path) for _, path in changes], plan, code)
    except KeyboardInterrupt:
        if code is None:  # nothing was checked
            raise
    return HELD if code is None else code


def _run_changed(watched: Watched, paths: list[Path], plan: Plan, code: int) -> int:
    """Run what is due now that these paths changed, and return the exit code of the last run, or the given one."""
    for due in _due(watched, paths):
        say(f"\n{time.strftime('%H:%M:%S')}  changed: {', '.join(one.name for one in due.changed)}")
        code = _run(watched, due, plan)
    return code


def _due(watched: Watched, paths: list[Path]) -> Iterator[Due]:
    """Yield what is to be run: changed check files on all traces; the others on changed traces, and across all."""
    files, traces = watched.changed_files(paths), watched.changed_traces()
    if files and watched.traces():
        yield Due(files, files, watched.traces())
    others = [file for file in watched.files if file not in files]
    if traces and others:
        yield Due(traces, others, traces, "each")
        if watched.has_across:
            yield Due(traces, others, watched.traces(), "across")


def _run(watched: Watched, due: Due, plan: Plan) -> int:
    try:
        with progress() as show:
            asked = replace(plan, names=watched.names, which=due.which)
            tally = check_sessions(due.files, due.traces, lambda one: None, show, asked)
    except CheckFileError as error:  # a file that is being written
        say(f"WRONG   {error}")
        return WRONG
    watched.note(due.traces)
    watched.names |= tally.names
    watched.has_across |= tally.has_across
    console().print(summary(tally, references=plan.references), crop=False)
    return tally.exit_code


def _folder_of(pattern: Path) -> Path:
    """Return the folder in which the traces of a name or a pattern lie, or will lie."""
    parts = pattern.parts
    fixed = next((number for number, part in enumerate(parts) if any(sign in part for sign in _PATTERN)), len(parts))
    folder = Path(*parts[:fixed]) if fixed else Path()
    return folder.parent if folder.suffix == SUFFIX else folder


def _state(trace: Path) -> State:
    """Return what the files of a trace are like; of one that lies elsewhere, nothing is known."""
    if is_remote(trace):
        return ()
    found = []
    with suppress(OSError):  # a file may go while it is looked at
        for file in sorted(trace.iterdir()) if trace.is_dir() else [trace]:
            stat = file.stat()
            found.append((file.name, stat.st_size, stat.st_mtime_ns))
    return tuple(found)


def _is_being_recorded(trace: Path) -> bool:
    if trace.is_dir() and not _state(trace):  # its folder was made, and nothing written yet
        return True
    try:
        with (trace / FILE_NAME).open("rb") as file:
            return not lock_file(file)
    except OSError:
        return False
