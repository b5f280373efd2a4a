"""From log records to error events."""

import logging
import os
from collections.abc import Callable
from typing import Any

from breadcrumb.record.plain import plain_text, words_of

EVENT = "error"
"""The name of the event that a script error is recorded as."""

_OWN = "breadcrumb"  # what the recorder itself logs is in the trace already


class _Handler(logging.Handler):
    """Hands log records to a recorder."""

    def __init__(self, level: int | str, tell: Callable[..., None]) -> None:
        super().__init__(level)
        self._tell = tell

    def emit(self, record: logging.LogRecord) -> None:
        """Record a log record as an event; what cannot be formatted is told unformatted."""
        if record.name.split(".")[0] == _OWN:
            return
        try:
            message = plain_text(record.getMessage())
        except Exception as error:  # the game's arguments may not fit its own format, or have no text
            message = plain_text(record.msg) if isinstance(record.msg, str) else words_of(error)
        data = {
            "message": message,
            "level": record.levelname,
            "logger": record.name,
            "where": f"{os.path.basename(record.pathname)}:{record.lineno}",
        }
        who = {role: getattr(record, role) for role in ("by", "on") if hasattr(record, role)}
        if record.exc_info and record.exc_info[0] is not None:
            data["raised"] = record.exc_info[0].__name__
        self._tell(EVENT, data=data, **who)


def attach(logger: Any, level: int | str, tell: Callable[..., None]) -> Callable[[], None]:
    """Let a logger's records be told from now on; return what ends that."""
    source = logging.getLogger(logger) if isinstance(logger, str) else logger
    handler = _Handler(level, tell)
    source.addHandler(handler)
    return lambda: source.removeHandler(handler)
