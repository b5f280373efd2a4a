"""Making the folder that a recording goes into."""

import os
from typing import Any

from breadcrumb.errors import Misuse, TraceExists
from breadcrumb.journal.layout import ABOUT_NAME, FILE_NAME
from breadcrumb.journal.lock import lock_file
from breadcrumb.journal.writing import JournalWriter

SUFFIX = ".crumbs"


def begin(folder: str, overwrite: bool, about: dict[str, Any], most_mib: Any) -> JournalWriter:
    """Make the folder of a trace, and begin its journal.

    Raises:
        Misuse: the name is not that of a trace, or the limit is no number of MiB.
        TraceExists: there is something at this path already.
        OSError: the folder cannot be made.
    """
    if "\0" in folder:
        raise Misuse(f"expected the path of a folder, found {folder!r}, with a NUL in it")
    if not folder.endswith(SUFFIX):
        raise Misuse(f"expected a name that ends in {SUFFIX}, found {folder!r}; record into {folder}{SUFFIX}")
    if most_mib is not None and not (isinstance(most_mib, int | float) and most_mib > 0):
        raise Misuse(f"most_mib: expected a number of MiB above 0, or None for no limit; found {most_mib!r}")
    if os.path.exists(folder):
        if not overwrite:
            raise TraceExists(f"{folder} exists; record under another name, or pass overwrite=True to replace it")
        _remove_trace(folder)
    os.makedirs(folder)
    return JournalWriter(os.path.join(folder, FILE_NAME), about, most_mib)


def _remove_trace(folder: str) -> None:
    """Remove a trace that nobody records into.

    Raises:
        TraceExists: it is something else, or is being recorded.
    """
    import shutil  # here: rarely needed

    if not os.path.isdir(folder) or os.path.islink(folder):
        raise TraceExists(f"{folder} is a file or a link, and no trace; it is not overwritten")
    there = os.listdir(folder)
    if there and not {FILE_NAME, ABOUT_NAME} & set(there):
        raise TraceExists(f"{folder} is not a trace; it is not overwritten")
    aside = f"{folder.rstrip(os.sep)}.removed-{os.getpid()}"
    try:
        if FILE_NAME in there:
            with open(os.path.join(folder, FILE_NAME), "rb") as journal:
                if not lock_file(journal):
                    raise TraceExists(f"{folder} is being recorded; end that recording, or record under another name")
        os.rename(folder, aside)  # a system that does not lock refuses this while somebody writes in it
    except PermissionError as error:
        raise TraceExists(f"{folder} cannot be replaced ({error.strerror}); is it being recorded?") from None
    shutil.rmtree(aside)
