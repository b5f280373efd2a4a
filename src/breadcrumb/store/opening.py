"""Opening whatever lies at a path: a trace, a recording that was never opened, or neither."""

import mmap
import os
import shutil
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import BinaryIO

from breadcrumb.errors import NotATrace, TraceError, near_names
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.lock import lock_file
from breadcrumb.journal.reading import JournalReader, Loss
from breadcrumb.model.facts import CUT, DAMAGED, EMPTY, IN_MEMORY, Fact
from breadcrumb.model.trace import TraceData
from breadcrumb.store.damage import refusing_damage
from breadcrumb.store.folder import ABOUT, STATES, FolderTrace, write_folder
from breadcrumb.store.locations import (
    ZIPPED,
    Location,
    folder_location,
    is_remote,
    open_plain_file,
    other_location,
)
from breadcrumb.store.memory import MemoryTrace, trace_from_journal

_MAKING = "making-"
_TOLD = 6
"""How many other traces are named where one was expected and not found."""
DAMAGED_NAME = "journal.damaged.bin"
"""What a damaged journal is called once the trace was opened: it holds more than could be read of it."""


def open_data(path: str | Path) -> TraceData:
    """Open a trace; a recording that is opened for the first time is turned into Parquet on the way.

    Raises:
        NotATrace: there is nothing, or something else, at this path.
        TraceError: a part of the trace is missing or damaged.
        TraceTooNew: a newer version of the library wrote it.
        TraceTooOld: it was written in a format that is not read any more.
    """
    folder = Path(path)
    if is_remote(path) or (folder.suffix == ZIPPED and folder.is_file()):
        return _open_elsewhere(other_location(path))
    if not folder.is_dir():
        raise NotATrace(_what_is_there(folder))
    try:
        return _open_journal(folder)
    except FileNotFoundError:
        pass  # it was opened before, or another process has turned it into Parquet this very moment
    if os.path.lexists(folder / ABOUT):
        return FolderTrace(folder_location(folder))
    raise NotATrace(
        f"{folder}: expected a trace, that is a folder with {ABOUT} or {FILE_NAME} in it; found neither. "
        "Name the folder whose name ends in .crumbs"
    )


def _open_elsewhere(place: Location) -> TraceData:
    if not place.has(FILE_NAME):
        return FolderTrace(place)
    with refusing_damage(place.path(FILE_NAME)), place.open(FILE_NAME) as file:
        journal = JournalReader(file.read(), place.path(FILE_NAME))
        trace = trace_from_journal(journal, place.label)
        facts = (*_facts(journal, free=True), Fact(IN_MEMORY, detail="it was never opened where it was recorded"))
        return _with_facts(trace, *facts)


def _what_is_there(path: Path) -> str:
    if path.exists():
        return f"{path}: expected a trace, that is a folder NAME.crumbs or a file NAME.crumbs.zip; found a file"
    there = sorted(other.name for other in path.parent.glob("*.crumbs")) if path.parent.is_dir() else []
    if not there:
        return f"{path}: expected a trace, found nothing; there is no trace in {path.parent} either"
    told = there if len(there) <= _TOLD else near_names(path.name, there) or there[:_TOLD]
    more = f" and {len(there) - len(told)} more" if len(there) > len(told) else ""
    return f"{path}: expected a trace, found nothing; in {path.parent} there is {', '.join(told)}{more}"


def _open_journal(folder: Path) -> TraceData:
    """Open a journal, and turn it into Parquet if nothing else holds it.

    Raises:
        FileNotFoundError: there is none, or none any more.
    """
    path = folder / FILE_NAME
    with open_plain_file(path) as file:
        free = lock_file(file)
        if free:
            path.stat()  # whoever held it may have turned it into Parquet before this process got hold of it
        return _take_over(folder, file, free=free)


def _take_over(folder: Path, file: BinaryIO, *, free: bool) -> TraceData:
    path = folder / FILE_NAME
    with refusing_damage(path):
        journal = JournalReader(_mapped(file), str(path))
        trace = trace_from_journal(journal, folder.stem)
        facts, damaged = _facts(journal, free=free), bool(journal.losses)
        del journal  # it may be as large as all that it holds
        if not free:
            return _with_facts(
                trace, *facts, Fact(IN_MEMORY, detail="it is still being recorded, or being opened elsewhere")
            )
        trace = _with_facts(trace, *facts)
        try:
            _convert(trace, folder, keep=damaged)
        except OSError as error:
            return _with_facts(trace, Fact(IN_MEMORY, detail=f"the folder cannot be written ({error.strerror})"))
        return trace


def _mapped(file: BinaryIO) -> bytes | mmap.mmap:
    """Return what is in a file, mapped into memory where a file that is mapped can be removed."""
    if os.name == "nt" or not os.fstat(file.fileno()).st_size:
        return file.read()
    return mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)


def _with_facts(trace: MemoryTrace, *facts: Fact) -> MemoryTrace:
    return replace(trace, session=replace(trace.session, facts=(*facts, *trace.session.facts)))


def _facts(journal: JournalReader, *, free: bool) -> tuple[Fact, ...]:
    damaged = tuple(Fact(DAMAGED, detail=_between(loss)) for loss in journal.losses)
    if journal.last is None:
        return (*damaged, Fact(EMPTY))
    if journal.seal is not None or not free:
        return damaged
    return (*damaged, Fact(CUT, detail=str(journal.last.frame)))


def _between(loss: Loss) -> str:
    if loss.after is None or loss.before is None:
        return f"before frame {loss.before}" if loss.before is not None else f"after frame {loss.after}"
    return f"between frames {loss.after} and {loss.before}"


def _convert(trace: MemoryTrace, folder: Path, *, keep: bool) -> None:
    """Write the trace's files beside the journal, check them, move them into place, and only then drop the journal.

    Whenever this is interrupted the journal is still there, and still the truth. One that is damaged is kept under
    another name.
    """
    for left in folder.glob(f"{_MAKING}*"):  # by a process that was killed at it
        shutil.rmtree(left, ignore_errors=True)
    making = Path(tempfile.mkdtemp(prefix=_MAKING, dir=folder))
    try:
        write_folder(trace, making)
        for made in making.iterdir():
            place = folder / made.name
            if place.is_dir():
                shutil.rmtree(place)
            made.replace(place)
        if not (folder / STATES).is_dir() or not (folder / ABOUT).is_file():
            raise TraceError(f"{folder}: a file that was just written is gone; does something else write here?")
        _sync(folder)
        if keep:
            (folder / FILE_NAME).replace(folder / DAMAGED_NAME)
        else:
            (folder / FILE_NAME).unlink()
    finally:
        shutil.rmtree(making, ignore_errors=True)


def _sync(folder: Path) -> None:
    for path in (folder, *folder.rglob("*")):
        if path.is_dir() and os.name == "nt":
            continue
        number = os.open(path, os.O_RDONLY)
        try:
            os.fsync(number)
        finally:
            os.close(number)
