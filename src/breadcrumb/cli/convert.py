"""`breadcrumb convert`."""

import os
import shutil
import sys
import tempfile
from pathlib import Path
from typing import BinaryIO

import click

from breadcrumb.cli.console import fail, say
from breadcrumb.errors import TraceError
from breadcrumb.journal.layout import ABOUT_NAME, FILE_NAME
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.lines import LONGEST_LINE, BadLine
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.model.plurals import counted
from breadcrumb.store.keeping import write_copy
from breadcrumb.store.locations import SUFFIX, ZIPPED, is_remote
from breadcrumb.trace.opened import open_trace

_STREAM = Path("-")


@click.command(
    "convert",
    epilog="Example: breadcrumb convert lantern-bay/correct.crumbs correct.jsonl",
)
@click.argument("source", type=click.Path(path_type=Path))
@click.argument("target", type=click.Path(path_type=Path))
@click.option("--overwrite", is_flag=True, help="Replace the target if it exists.")
def command(source: Path, target: Path, overwrite: bool) -> None:
    """Turn frame lines into a trace, a trace into frame lines, or pack and unpack a trace.

    A name that ends in .crumbs is a trace, one that ends in .crumbs.zip is a trace in one file; any other is a file of
    frame lines, and - is the standard input or output. A trace may be read from a URL.
    """
    if not _is_trace(source) and not _is_trace(target):
        fail(f"expected a trace on one side, found {source} and {target}; a trace's name ends in {SUFFIX}")
    if is_remote(target):
        fail(f"{target}: a trace can be read from a URL, not written to it; name a file or folder of this machine")
    if target != _STREAM and os.path.lexists(target):
        if not overwrite:
            fail(f"{target} exists; name another one, or use --overwrite to replace it")
        if problem := _why_not_replaced(source, target):
            fail(f"{target} {problem}; it is not overwritten")
    try:
        if target == _STREAM:
            sys.stdout.buffer.writelines(frame_lines(open_trace(source).data))
        else:
            _convert(source, target)
    except TraceError as error:
        fail(error)
    except OSError as error:
        fail(f"{error.filename or target}: {error.strerror}")


def _convert(source: Path, target: Path) -> None:
    """Make the target aside, and move it to its name once it is whole: a failure leaves there what was there before."""
    making = Path(tempfile.mkdtemp(prefix="making-", dir=target.parent))
    try:
        made = making / target.name
        said = "" if _is_trace(source) else _read_lines(source, target, made)
        if _is_trace(source) and _is_trace(target):
            write_copy(open_trace(source).data, made)
        elif _is_trace(source):
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


def _take_all(writer: SessionWriter, lines: BinaryIO) -> None:
    while line := lines.readline(LONGEST_LINE + 2):
        writer.take(line.rstrip(b"\r\n"))
