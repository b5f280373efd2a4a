"""Where the files of a trace lie: in a folder, in a zip file, or at a URL."""

import os
import re
import stat
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

from breadcrumb.errors import NotATrace, TraceError
from breadcrumb.journal.layout import ABOUT_NAME, FILE_NAME

ZIPPED = ".zip"
SUFFIX = ".crumbs"
_SURELY_HARMLESS, _TIGHTEST = 64 << 20, 200
_URL = re.compile(r"([a-z][a-z0-9+.-]+):/+(.*)", re.IGNORECASE)  # a Path has swallowed one of the slashes


class Location(NamedTuple):
    """The files of one trace, to be read."""

    where: str
    """Its path or URL, for messages."""
    label: str
    """The trace's name."""
    has: Callable[[str], bool]
    """Whether there is a file of this name."""
    open: Callable[[str], BinaryIO]
    """Open a file of this name."""
    folder: Path | None = None
    """The folder, if it is one on this machine."""

    def path(self, name: str) -> str:
        """Return where a file is, for messages."""
        return f"{self.where}/{name}"


def is_remote(path: str | Path) -> bool:
    """Tell whether a path is the URL of something that lies elsewhere."""
    return _URL.fullmatch(str(path)) is not None


def folder_location(folder: Path) -> Location:
    """Return the place of a folder on this machine."""
    return Location(
        str(folder),
        _label(folder.name),
        lambda name: os.path.lexists(folder / name),
        lambda name: open_plain_file(folder / name),
        folder,
    )


def open_plain_file(path: Path) -> BinaryIO:
    """Open a file to be read, if it is one: a pipe or a device would never end.

    Raises:
        FileNotFoundError: there is none.
        TraceError: there is something else.
    """
    if not stat.S_ISREG(path.stat().st_mode):
        raise TraceError(f"{path}: expected a file, found a folder, a pipe or a device")
    return path.open("rb")


def other_location(path: str | Path) -> Location:
    """Return the place of a zipped trace, or of one at a URL.

    Raises:
        NotATrace: there is nothing, or something else.
        TraceError: it cannot be reached.
    """
    import fsspec  # here: it takes a while to load, and most traces are folders

    url = _url(str(path))
    name = url.rstrip("/").rpartition("/")[2]
    try:
        files, root = fsspec.core.url_to_fs(f"zip://::{url}" if name.endswith(ZIPPED) else url)
        root = _root(files, root.rstrip("/"))
    except FileNotFoundError:
        raise NotATrace(f"{path}: expected a trace, found nothing") from None
    except Exception as error:  # each protocol has errors of its own
        raise TraceError(f"{path} cannot be reached or is damaged ({type(error).__name__}: {error})") from None
    if root is None:
        raise NotATrace(f"{path}: expected a trace, that is {ABOUT_NAME} or {FILE_NAME} in it; found neither")
    return Location(
        str(path), _label(name), lambda one: bool(files.isfile(root + one)), lambda one: _open(files, root + one)
    )


def _open(files: Any, path: str) -> Any:
    """Open a file that lies elsewhere.

    Raises:
        TraceError: it is packed so tightly that it was made to fill the memory.
    """
    packed, size = (int(files.info(path).get(name) or 0) for name in ("compress_size", "file_size"))
    if size > _SURELY_HARMLESS and size > _TIGHTEST * packed > 0:
        raise TraceError(f"{path}: expected a file packed to a {_TIGHTEST}th at most, found {packed} bytes for {size}")
    return files.open(path)


def _url(path: str) -> str:
    match = _URL.fullmatch(path)
    if match is None:
        return f"file://{Path(path).absolute().as_posix()}"
    return f"{match[1]}://{'/' if match[1] == 'file' else ''}{match[2]}"


def _root(files: Any, root: str) -> str | None:
    """Return what to put before the name of a file: a zip file may hold the files themselves, or their folder."""
    roots = [f"{root}/" if root else ""]
    roots += [f"{one['name'].rstrip('/')}/" for one in files.ls(root, detail=True) if one["type"] == "directory"]
    return next((one for one in roots if any(files.isfile(one + name) for name in (ABOUT_NAME, FILE_NAME))), None)


def _label(name: str) -> str:
    return name.removesuffix(ZIPPED).removesuffix(SUFFIX)
