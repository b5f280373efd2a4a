"""What is damaged, or was written by something else, is refused in words, whatever it makes reading stumble over."""

import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from zipfile import BadZipFile

import pyarrow as pa

from breadcrumb.errors import TraceError

_STUMBLES = (
    *(pa.ArrowException, BadZipFile, zlib.error, OSError, EOFError, LookupError, TypeError, ValueError),
    *(AttributeError, OverflowError, RuntimeError),  # a zip file's flags may ask for what there is not
)


@contextmanager
def refusing_damage(path: Path | str) -> Iterator[None]:
    """Turn whatever reading a file stumbles over into one error that names it.

    Raises:
        TraceError: the file is missing, cut short, damaged, or holds something else.
    """
    try:
        yield
    except TraceError:
        raise
    except FileNotFoundError:
        raise TraceError(f"{path} is missing; the trace is incomplete, copy it again from its source") from None
    except _STUMBLES as error:
        problem = f"{type(error).__name__}: {str(error).splitlines()[0] if str(error) else 'no details'}"
        raise TraceError(f"{path} is damaged or cut short ({problem}); copy it again from its source") from None
