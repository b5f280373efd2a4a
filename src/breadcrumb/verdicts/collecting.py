"""The collector: where asserted verdicts go while a runner listens."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from breadcrumb.verdicts.verdict import Verdict

_collector: ContextVar["list[Verdict] | None"] = ContextVar("breadcrumb collector", default=None)


@contextmanager
def collecting() -> Iterator["list[Verdict]"]:
    """Gather the verdicts that are asserted within, in this context and no other."""
    verdicts: list[Verdict] = []
    token = _collector.set(verdicts)
    try:
        yield verdicts
    finally:
        _collector.reset(token)


def active_collector() -> "list[Verdict] | None":
    """Return the list that asserted verdicts go to, if anyone listens."""
    return _collector.get()
