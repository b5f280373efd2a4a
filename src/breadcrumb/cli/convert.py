"""`breadcrumb convert`."""

import os
import shutil
import sys
import tempfile
from pathlib import Path
from typing import BinaryIO

from breadcrumb.cli.console import fail, say
from breadcrumb.errors import Misuse, TraceError
from breadcrumb.journal.layout import ABOUT_NAME, FILE_NAME
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.lines import LONGEST_LINE, BadLine
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.model.plurals import counted
from breadcrumb.store.csv_files import left_out, read_csv, write_csv
from breadcrumb.store.keeping import write_copy
from breadcrumb.store.locations import SUFFIX, ZIPPED, is_remote
from breadcrumb.trace.from_tables import trace_from_table
from breadcrumb.trace.opened import open_trace

_STREAM = Path("-")
_LINES, _TABLE = (".jsonl", ".ndjson"), ".csv"


def run(source: Path, target: Path, is_long: bool, overwrite: bool) -> None:
    """Convert a trace, frame lines or a table."""
    _refuse_what_is_unknown(source, target, is_long)
    if target != _STREAM and os.path.lexists(target):
        if not overwrite:
            fail(f"{target} exists; name another one, or use --overwrite to replace it")
        if problem := _why_not_replaced(source, target):
            fail(f"{target} {problem}; it is not overwritten")
    try:
        if target == _STREAM:
            sys.stdout.buffer.writelines(frame_lines(open_trace(source).data))
        else:
            _convert(source, target, is_long=is_long)
    except (TraceError, Misuse) as error:
        fail(error)
    except OSError as error:
        fail(f"{error.filename or target}: {error.strerror}")


def _refuse_what_is_unknown(source: Path, target: Path, is_long: bool) -> None:
    for path in (source, target):
        if not (_is_trace(path) or path == _STREAM or path.suffix in (*_LINES, _TABLE)):
            fail(
                f"{path}: expected a name that ends in {SUFFIX}, {SUFFIX}{ZIPPED}, {_LINES[0]} or {_TABLE}, or - for "
                "frame lines on the standard input or output"
            )
    if not _is_trace(source) and not _is_trace(target):
        fail(f"expected a trace on one side, found {source} and {target}; a trace's name ends in {SUFFIX}")
    if is_remote(target):
        fail(f"{target}: a trace can be read from a URL, not written to it; name a file or folder of this machine")
    if is_long and target.suffix != _TABLE:
        fail(f"--long: expected a table as the target, found {target}")


def _convert(source: Path, target: Path, *, is_long: bool) -> None:
    """Make the target aside, and move it to its name once it is whole: a failure leaves there what was there before."""
    making = Path(tempfile.mkdtemp(prefix="making-", dir=target.parent))
    try:
        made = making / target.name
        said = ""
        if source.suffix == _TABLE:
            said = _read_table(source, target, made)
        elif not _is_trace(source):
            said = _read_lines(source, target, made)
        elif _is_trace(target):
            write_copy(open_trace(source).data, made)
        elif target.suffix == _TABLE:
            data = open_trace(source).data
            write_csv(data, made, long=is_long)
            missing = left_out(data.session)
            said = f"{target} holds the samples alone; left out: {missing}" if missing else ""
        else:
            with made.open("wb") as file:
                file.writelines(frame_lines(open_trace(source).data))
        if target.exists():
            target.replace(making / "former")
        made.replace(target)
    finally:
        shutil.rmtree(making, ignore_errors=True)
    if said:
        say(said, err=True)


def _why_not_replaced(source: Path, target: Path) -> str:
    """Return why something that is there may not be replaced; empty if it is a trace or a plain file, and no source."""
    if target.is_symlink():
        return "is a link"
    is_here = source != _STREAM and not is_remote(source) and source.exists()
    if is_here and source.resolve().is_relative_to(target.resolve()):
        return "is what is read, or holds it"
    if target.is_dir() and not any((target / name).is_file() for name in (ABOUT_NAME, FILE_NAME)):
        return "is a folder, and no trace"
    return "" if target.is_dir() or target.is_file() else "is neither a trace nor a plain file"


def _is_trace(path: Path) -> bool:
    return path.name.removesuffix(ZIPPED).endswith(SUFFIX)


def _read_lines(source: Path, target: Path, made: Path) -> str:
    """Turn frame lines into a trace; return what is to be said of it."""
    if target.suffix == ZIPPED:
        fail(f"{target}: frame lines become a folder first; name {target.stem}, and pack that")
    writer = SessionWriter(lambda about: made)
    try:
        if source == _STREAM:
            _take_all(writer, sys.stdin.buffer)
        else:
            with source.open("rb") as file:
                _take_all(writer, file)
    except BadLine as error:
        writer.close()
        hint = (
            f"; breadcrumb listen {source} keeps the {counted(writer.frames, 'frames')} before it"
            if writer.frames
            else ""
        )
        fail(f"{source}: {error}; no trace was made{hint}")
    writer.close()
    if writer.path is None:
        fail(f"{source}: expected frame lines, found none; no trace was made")
    trace = open_trace(made)
    return f"{counted(trace.clock.size, 'frames')} in {target}" + "".join(f"; note: {note}" for note in trace.notes)


def _read_table(source: Path, target: Path, made: Path) -> str:
    """Turn a table into a trace; return what is to be said of it."""
    table = read_csv(source)
    try:
        trace = trace_from_table(table)
    except Misuse as error:
        fail(f"{source}: {error}; no trace was made")
    write_copy(trace.data, made)
    objects = sum(len(trace.all(kind).ids) for kind in trace.kinds)
    what = f"{counted(objects, 'objects')} of {counted(len(trace.kinds), 'kinds')}"
    return f"{counted(trace.clock.size, 'frames')} in {target}, {what}; note: {trace.notes[0]}"


def _take_all(writer: SessionWriter, lines: BinaryIO) -> None:
    while line := lines.readline(LONGEST_LINE + 2):
        writer.take(line.rstrip(b"\r\n"))
