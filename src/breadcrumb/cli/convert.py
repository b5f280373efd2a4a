"""`breadcrumb convert`."""

import shutil
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import BinaryIO

import click

from breadcrumb.cli.console import fail
from breadcrumb.errors import TraceError
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.lines import BadLine
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.store.keeping import write_copy
from breadcrumb.store.places import SUFFIX, ZIPPED, is_remote
from breadcrumb.trace.opened import open_trace

_STREAM = Path("-")


@click.command(
    "convert",
    epilog="Example: breadcrumb convert lantern-bay/correct.crumbs correct.jsonl",
)
@click.argument("source", type=click.Path(path_type=Path))
@click.argument("target", type=click.Path(path_type=Path))
@click.option("--overwrite", is_flag=True, help="Replace what is there under the target's name.")
def command(source: Path, target: Path, overwrite: bool) -> None:
    """Turn frame lines into a trace, a trace into frame lines, or pack and unpack a trace.

    A name that ends in .crumbs is a trace, one that ends in .crumbs.zip is a trace in one file; any other is a file of
    frame lines, and - is the standard input or output. A trace may be read from a URL.
    """
    if not _is_trace(source) and not _is_trace(target):
        fail(f"expected a trace on one side, found {source} and {target}; a trace's name ends in {SUFFIX}")
    if is_remote(target):
        fail(f"{target}: a trace can be read from a URL, not written to it; name a file or folder of this machine")
    if target != _STREAM and target.exists():
        if not overwrite:
            fail(f"{target} exists; name another one, or say --overwrite to replace it")
        shutil.rmtree(target) if target.is_dir() else target.unlink()
    try:
        if not _is_trace(source):
            _read_lines(source, target)
        elif _is_trace(target):
            write_copy(open_trace(source).data, target)
        else:
            _write_lines(source, target)
    except TraceError as error:
        fail(error)
    except OSError as error:
        fail(f"{error.filename or target}: {error.strerror}")


def _is_trace(path: Path) -> bool:
    return path.name.removesuffix(ZIPPED).endswith(SUFFIX)


def _read_lines(source: Path, target: Path) -> None:
    if target.suffix == ZIPPED:
        fail(f"{target}: frame lines become a folder first; name {target.stem}, and pack that")
    writer = SessionWriter(lambda about: target)
    problem = ""
    try:
        if source == _STREAM:
            _take_all(writer, sys.stdin.buffer)
        else:
            with source.open("rb") as file:
                _take_all(writer, file)
    except BadLine as error:
        problem = f"{source}: {error}"
    writer.close()
    if problem:
        kept = f"the {writer.frames} frames before it are in {target}" if writer.frames else "no frame came before it"
        fail(f"{problem}; {kept}")
    trace = open_trace(target)
    click.echo(f"{trace.clock.size} frames in {target}" + "".join(f"; note: {note}" for note in trace.notes), err=True)


def _take_all(writer: SessionWriter, lines: Iterable[bytes]) -> None:
    for line in lines:
        writer.take(line)


def _write_lines(source: Path, target: Path) -> None:
    lines = frame_lines(open_trace(source).data)
    if target == _STREAM:
        _write_all(sys.stdout.buffer, lines)
        return
    with target.open("wb") as file:
        _write_all(file, lines)


def _write_all(file: BinaryIO, lines: Iterable[bytes]) -> None:
    file.writelines(lines)
