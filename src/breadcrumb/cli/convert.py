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
from breadcrumb.trace.opened import open_trace

_SUFFIX = ".crumbs"
_STREAM = Path("-")


@click.command(
    "convert",
    epilog="Example: breadcrumb convert lantern-bay/correct.crumbs correct.jsonl",
)
@click.argument("source", type=click.Path(path_type=Path))
@click.argument("target", type=click.Path(path_type=Path))
@click.option("--overwrite", is_flag=True, help="Replace what is there under the target's name.")
def command(source: Path, target: Path, overwrite: bool) -> None:
    """Turn frame lines into a trace, or a trace into frame lines.

    A name that ends in .crumbs is a trace; any other is a file of frame lines, and - is the standard input or output.
    """
    if (source.suffix == _SUFFIX) == (target.suffix == _SUFFIX):
        fail(f"expected a trace and frame lines, found {source} and {target}; the name of a trace ends in {_SUFFIX}")
    if target != _STREAM and target.exists():
        if not overwrite:
            fail(f"{target} exists; name another one, or say --overwrite to replace it")
        shutil.rmtree(target) if target.is_dir() else target.unlink()
    try:
        if target.suffix == _SUFFIX:
            _read_lines(source, target)
        else:
            _write_lines(source, target)
    except TraceError as error:
        fail(error)
    except OSError as error:
        fail(f"{error.filename or target}: {error.strerror}")


def _read_lines(source: Path, target: Path) -> None:
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
