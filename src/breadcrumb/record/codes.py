"""Flag and text columns: packed whole, on the frames on which they change."""

import contextlib
import struct
from enum import Enum
from typing import Any

from breadcrumb.journal.layout import MISSING_FLAG, MISSING_TEXT
from breadcrumb.record.plain import plain_text, words_of
from breadcrumb.record.readers import Property, fetch
from breadcrumb.record.state import RecorderState


class CodeColumn:
    """A flag or text column, packed only on the frames on which it changes."""

    def __init__(self, prop: Property, kind: str, state: RecorderState) -> None:
        self.prop, self._kind, self._state = prop, kind, state
        self.column = prop.columns[0]
        self._last: list[int] = []
        self._missing = MISSING_FLAG if self.column.type == "flag" else MISSING_TEXT
        self._codes: dict[Any, int] = {}
        self._know_none()

    def changed(self, things: list[Any], values: list[Any] | None, anew: bool) -> bytes | None:
        """Return the packed column, or None if it is as on the frame before; the values are None if reading failed."""
        codes = None
        if values is not None:
            with contextlib.suppress(Exception):  # an unseen text, a missing value, or what the game's own class raises
                codes = [self._codes[value] for value in values]
        if codes is None:
            codes = [self._code(thing) for thing in things]
        if codes == self._last and not anew:
            return None
        self._last = codes
        return bytes(codes) if self.column.type == "flag" else struct.pack(f"<{len(codes)}I", *codes)

    def forget(self) -> None:
        """Forget the codes of texts: another part of the recording has its own."""
        self._know_none()

    def _know_none(self) -> None:
        flags = {True: 1, False: 0} if self.column.type == "flag" else {}
        self._codes = {None: self._missing, **flags}

    def _code(self, thing: Any) -> int:
        try:
            value = fetch(self.prop.readers, thing)
            if value is None:
                return self._missing
            if self.column.type == "flag":
                if value not in (0, 1):
                    raise OtherType(f"expected true or false, found {value!r}")
                return int(bool(value))
            if not isinstance(value, str | Enum):
                raise OtherType(f"expected a text, found {value!r}")
            text = plain_text(value)
        except Exception as error:  # the game's own code; this value is missing and counted
            cannot_read(self._state, self._kind, self.prop.name, error)
            return self._missing
        code = self._codes[value] = self._state.text_code(text)
        return code


class OtherType(TypeError):
    """A value of another type than the first one of its property."""


def cannot_read(state: RecorderState, kind: str, name: str, error: Exception) -> None:
    """Note that a property cannot be read, or that its value is of another type than the first one."""
    changed = isinstance(error, OtherType)
    code, detail = ("other-type", "") if changed else ("unreadable", type(error).__name__)
    state.trouble(code, f"recorded as missing: {words_of(error)}", kind=kind, property=name, detail=detail)
