"""Finding the traces and the check files that a path stands for."""

import glob
from collections.abc import Iterable
from pathlib import Path

from breadcrumb.errors import CheckFileError
from breadcrumb.store.locations import SUFFIX, ZIPPED, is_remote


def find_traces(paths: Iterable[Path]) -> list[Path]:
    """Return the traces that paths and patterns stand for, each once: any other folder stands for those in it."""
    found: dict[Path, None] = {}
    for path in (match for pattern in paths for match in _matches(pattern)):
        is_folder_of_traces = path.is_dir() and path.suffix != SUFFIX
        within = sorted((*path.glob(f"*{SUFFIX}"), *path.glob(f"*{SUFFIX}{ZIPPED}"))) if is_folder_of_traces else []
        found |= dict.fromkeys(within or [path])
    return list(found)


def _matches(path: Path) -> list[Path]:
    """Return what a pattern such as `night/*.crumbs` matches; itself if it is a path, or matches nothing."""
    if is_remote(path) or path.exists():
        return [path]
    return [Path(name) for name in sorted(glob.glob(str(path)))] or [path]  # noqa: PTH207 - a Path may be absolute


def find_check_files(path: Path) -> list[Path]:
    """Return the check files that a path stands for: a folder stands for its `check_*.py`.

    Raises:
        CheckFileError: the folder has none.
    """
    if not path.is_dir():
        return [path]
    files = sorted(path.glob("check_*.py"))
    if not files:
        raise CheckFileError(str(path), "there is no check file in this folder: no file check_*.py")
    return files
