"""The data of events, which are JSON: most events are never asked for theirs."""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, overload

from breadcrumb.model.freezing import frozen
from breadcrumb.store.damage import refusing_damage

_MOST_DIGITS = 20
"""Whole numbers with more digits do not fit into 64 bits."""


class EventData(Sequence[Mapping[str, Any]]):
    """The data of events, each read when it is first asked for: reading all takes longer than to open the rest."""

    def __init__(self, texts: Sequence[str | None], where: Path | str) -> None:
        self._texts, self._where = texts, where
        self._read: dict[str, Mapping[str, Any]] = {}

    def __len__(self) -> int:
        return len(self._texts)

    @overload
    def __getitem__(self, index: int) -> Mapping[str, Any]: ...
    @overload
    def __getitem__(self, index: slice) -> "EventData": ...
    def __getitem__(self, index: int | slice) -> "Mapping[str, Any] | EventData":
        """Return the data of an event, or those of several.

        Raises:
            TraceError: they are damaged.
        """
        if isinstance(index, slice):
            some = EventData(self._texts[index], self._where)
            some._read = self._read
            return some
        text = self._texts[index] or "{}"
        found = self._read.get(text)
        if found is None:
            with refusing_damage(self._where):
                found = self._read[text] = _mapping(text)
        return found


def plain(text: str) -> Any:
    """Return what JSON says; a whole number beyond 64 bits is one that arrays can hold."""
    return json.loads(text, parse_int=_whole)


def _whole(digits: str) -> int | float:
    value = int(digits) if len(digits) <= _MOST_DIGITS else float(digits)
    return value if isinstance(value, float) or -(2**63) <= value < 2**63 else float(value)


def _mapping(text: str) -> Mapping[str, Any]:
    data = plain(text)
    if not isinstance(data, dict):
        raise TypeError(f"expected the data of an event, found {type(data).__name__}")
    found: Mapping[str, Any] = frozen(data)
    return found
