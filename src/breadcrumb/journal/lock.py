"""A lock on an open file that ends with the process, however the process ends."""

import sys
from typing import IO


def lock_file(file: int | IO[bytes]) -> bool:
    """Take the exclusive lock of an open file without waiting; tell whether it was free.

    Example:
        >>> import tempfile
        >>> with tempfile.TemporaryFile() as file:
        ...     lock_file(file)
        True
    """
    if sys.platform == "win32":  # which refuses to delete an open file, and so protects a recording as well
        return True
    import fcntl

    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True
