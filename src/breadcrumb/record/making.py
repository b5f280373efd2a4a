"""Making the folder that a recording goes into."""

import os
from typing import Any

from breadcrumb.errors import Misuse, TraceExists
from breadcrumb.journal.layout import ABOUT_NAME, FILE_NAME
from breadcrumb.journal.writing import JournalWriter

SUFFIX = ".crumbs"


def begin(folder: str, overwrite: bool, about: dict[str, Any]) -> JournalWriter:
    """Make the folder of a trace, and begin its journal.

    Raises:
        Misuse: the name is not that of a trace.
        TraceExists: there is something at this path already.
        OSError: the folder cannot be made.
    """
    if not folder.endswith(SUFFIX):
        raise Misuse(f"expected a name that ends in {SUFFIX}, found {folder!r}; record into {folder}{SUFFIX}")
    if os.path.exists(folder):
        if not overwrite:
            raise TraceExists(f"{folder} exists; record under another name, or pass overwrite=True to replace it")
        _remove_trace(folder)
    os.makedirs(folder)
    return JournalWriter(os.path.join(folder, FILE_NAME), about)


def _remove_trace(folder: str) -> None:
    import shutil  # here: rarely needed

    there = os.listdir(folder)
    if there and not {FILE_NAME, ABOUT_NAME} & set(there):
        raise TraceExists(f"{folder} is not a trace; it is not overwritten")
    shutil.rmtree(folder)
