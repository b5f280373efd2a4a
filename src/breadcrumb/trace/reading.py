"""What a check reads of a trace, and which plain asserts it passes: both decide whether it tested anything."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass


@dataclass
class Reads:
    """What was read in a context, and how many asserts passed in it."""

    anything: bool = False
    """Whether something that was read is not empty."""
    asserts: int = 0


_reads: ContextVar[Reads | None] = ContextVar("breadcrumb reads", default=None)


@contextmanager
def noting_reads() -> Iterator[Reads]:
    """Take note of what is read, in this context."""
    reads = Reads()
    token = _reads.set(reads)
    try:
        yield reads
    finally:
        _reads.reset(token)


def note_read(*, empty: bool) -> None:
    """Take note that something was read of a trace."""
    reads = _reads.get()
    if reads is not None and not empty:
        reads.anything = True


def count_assert() -> None:
    """Take note that a plain assert of a check file passed."""
    reads = _reads.get()
    if reads is not None:
        reads.asserts += 1
