"""Restarts that a check file declares for all its checks."""

import functools
from collections.abc import Callable
from dataclasses import dataclass
from operator import or_
from typing import Any

from breadcrumb.algebra.durations import Duration, duration
from breadcrumb.errors import Misuse
from breadcrumb.run.traces import Traces
from breadcrumb.trace.opened import Trace
from breadcrumb.trace.restarting import AT_ONCE


@dataclass(frozen=True, init=False)
class Restarts:
    """Which events begin the game anew, for every check of the file in which this stands.

    Args:
        events: the names of the events. They take the place of those that the session declares.
        over: for how long behind each of them things are still put back.

    Raises:
        Misuse: there is no name, or something else than names.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> RESTARTS = Restarts("bell.rung")
        >>> RESTARTS.divide(small_trace()).restarts.frames.tolist()
        [2]
    """

    events: tuple[str, ...]
    over: Duration

    def __init__(self, *events: str, over: Duration = AT_ONCE) -> None:
        """Take the names."""
        if not events or not all(isinstance(one, str) for one in events):
            raise Misuse(
                f"Restarts: expected one name of an event or more, found {', '.join(map(repr, events)) or 'none'}"
            )
        object.__setattr__(self, "events", events)
        object.__setattr__(self, "over", duration(over, "over"))

    def divide(self, trace: Trace) -> Trace:
        """Return a session, divided at these restarts."""
        return trace.with_restarts(functools.reduce(or_, map(trace.events, self.events)), over=self.over)

    def before(self, check: Callable[..., Any]) -> Callable[..., Any]:
        """Return a check to which each session is given divided at these restarts."""

        @functools.wraps(check)
        def divided(*given: Trace | Traces) -> Any:
            return check(
                *(one.opened_by(self.divide) if isinstance(one, Traces) else self.divide(one) for one in given)
            )

        return divided
