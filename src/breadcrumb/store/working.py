"""The working copy: columns of large tables as files that are mapped into memory, made when they are first read.

It stands in a folder of the trace, is never packed or copied with it, and may be deleted at any time. A column is taken
from it only while the Parquet file that it was made from is the same one.
"""

import json
import os
import tempfile
from contextlib import suppress
from pathlib import Path
from typing import Any
from urllib.parse import quote

import numpy as np

from breadcrumb.model.session import ColumnData

FOLDER = "working"
LARGE = 1_000_000
"""How many rows a column must have to be worth it; reading fewer takes less time than one would notice."""


def bytes_on_disk(trace: Path) -> tuple[int, int] | None:
    """Return how many bytes a trace's folder takes, and its working copy apart from that; None if it is no folder."""
    if not trace.is_dir():
        return None
    files = [path for path in trace.rglob("*") if path.is_file() and not path.is_symlink()]
    working = [path for path in files if path.is_relative_to(trace / FOLDER)]
    everything, copied = (sum(path.stat().st_size for path in some) for some in (files, working))
    return everything - copied, copied


class WorkingCopy:
    """The mapped columns of one Parquet file."""

    def __init__(self, source: Path) -> None:
        self._source = source
        self._folder = source.parent.parent / FOLDER / source.stem
        self._stamp: list[int] | None = None

    def load(self, name: str) -> ColumnData | None:
        """Return a column, if it is here and as fresh as its source; its arrays are mapped and cannot be changed."""
        try:
            state = self._source.stat()
            self._stamp = [state.st_mtime_ns, state.st_size]
            about = json.loads(self._path(name, "json").read_text("utf-8"))
            if about["source"] != self._stamp:
                return None
            valid = self._map(name, "valid.npy") if about["valid"] else None
            return ColumnData(self._map(name, "npy"), valid, about["texts"] and tuple(about["texts"]))
        except (OSError, ValueError, LookupError, TypeError):
            return None  # nothing here, or not what it was: the source is the truth

    def keep(self, name: str, column: ColumnData) -> bool:
        """Keep a column that `load` did not find, if it is large and the folder can be written; tell whether it was."""
        if len(column.values) < LARGE or self._stamp is None or self._leads_away:
            return False
        about = {"source": self._stamp, "valid": column.valid is not None, "texts": column.texts}
        with suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            self._put(self._path(name, "npy"), column.values)
            if column.valid is not None:
                self._put(self._path(name, "valid.npy"), column.valid)
            self._put(self._path(name, "json"), json.dumps(about).encode())
            return True
        return False

    @property
    def _leads_away(self) -> bool:
        """Whether a link would have us write outside of the trace."""
        return any(path.is_symlink() for path in (self._folder, self._folder.parent))

    def _path(self, name: str, suffix: str) -> Path:
        return self._folder / f"{quote(name, safe='')}.{suffix}"

    def _map(self, name: str, suffix: str) -> Any:
        return np.asarray(np.load(self._path(name, suffix), mmap_mode="r", allow_pickle=False))

    def _put(self, path: Path, content: Any) -> None:
        """Write a file whole or not at all: another process may be reading it."""
        number, making = tempfile.mkstemp(dir=self._folder)
        with os.fdopen(number, "wb") as file:
            file.write(content) if isinstance(content, bytes) else np.save(file, content, allow_pickle=False)
        Path(making).replace(path)
