"""Writing a trace, wherever it came from, to another place: as a folder, or as that folder zipped."""

import shutil
import tempfile
import zipfile
from pathlib import Path

from breadcrumb.model.trace import TraceData
from breadcrumb.store.folder import write_folder
from breadcrumb.store.locations import ZIPPED


def write_copy(data: TraceData, target: Path) -> None:
    """Write a trace to a path where nothing is yet; a name that ends in `.zip` makes one file of it.

    Raises:
        OSError: it cannot be written; then nothing is left there.
    """
    making = Path(tempfile.mkdtemp(prefix="making-", dir=target.parent))
    try:
        made = making / "trace"
        write_folder(data, made)
        if target.suffix == ZIPPED:
            made = _zipped(made, making / "zipped")
        made.replace(target)
    finally:
        shutil.rmtree(making, ignore_errors=True)


def _zipped(folder: Path, file: Path) -> Path:
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as packed:  # what is in it is compressed already
        for path in sorted(folder.rglob("*")):
            packed.write(path, path.relative_to(folder).as_posix())
    return file
