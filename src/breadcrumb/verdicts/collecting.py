"""The collector: where asserted verdicts go while a runner listens."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from breadcrumb.verdicts.findings import Finding

_collector: ContextVar[list[Finding] | None] = ContextVar("breadcrumb collector", default=None)


@contextmanager
def collecting() -> Iterator[list[Finding]]:
    """Gather the verdicts that are asserted within, in this context and no other."""
    verdicts: list[Finding] = []
    token = _collector.set(verdicts)
    try:
        yield verdicts
    finally:
        _collector.reset(token)


def active_collector() -> list[Finding] | None:
    """Return the list that asserted verdicts go to, if anyone listens."""
    return _collector.get()
