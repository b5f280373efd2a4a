"""A lock on an open file that ends with the process, however the process ends."""

from importlib import import_module
from typing import IO, Any


def lock_file(file: int | IO[bytes]) -> bool:
    """Take the exclusive lock of an open file without waiting; tell whether it was free.

    Example:
        >>> import tempfile
        >>> with tempfile.TemporaryFile() as file:
        ...     lock_file(file)
        True
    """
    try:
        fcntl: Any = import_module("fcntl")
    except ImportError:  # Windows, which refuses to delete an open file, and so protects a recording as well
        return True
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True
