"""Objects whose properties a game holds in arrays: each array goes into the frame as a whole."""

from collections.abc import Callable, Mapping
from typing import Any, TypeAlias

from breadcrumb.journal.layout import BLOCK_HEAD, BY_COLUMN, CODES_HEAD, HAS_CODES, HAS_LIVES, HAS_NUMBERS, Column
from breadcrumb.record.groups import Book, Member
from breadcrumb.record.readers import PARTS

ArrayReader: TypeAlias = Any
"""An array, or a function that returns one. NumPy is not imported for it: the array brings its own methods."""


class ArrayGroup:
    """All objects of one kind that are rows of the same arrays."""

    def __init__(self, book: Book, kind: str, ids: ArrayReader, arrays: Mapping[str, ArrayReader]) -> None:
        self._book, self._kind = book, kind
        self._ids = _getter(ids)
        self._arrays = {name: _getter(array) for name, array in arrays.items()}
        self._alive: dict[Any, tuple[int, str]] = {}
        self._key: Any = None
        self._table: int | None = None
        self._lives = b""
        self._numbers: list[bytes] = []
        self._flags: list[bytes] = []
        self.members: dict[int, Member] = {}
        self.gone: dict[int, Member] = {}

    def block(self) -> list[bytes]:
        """Read this frame's arrays; return the packed block in parts, none if nothing changed."""
        ids = self._ids()
        key = ids.tobytes() if hasattr(ids, "tobytes") else list(ids)
        arrays = {name: get() for name, get in self._arrays.items()}
        for name, array in arrays.items():
            if len(array) != len(ids):
                raise ValueError(f"{name}: expected {len(ids)} rows, one for each id, found {len(array)}")
        moved = key != self._key
        if moved:
            self._meet(ids.tolist() if hasattr(ids, "tolist") else key)
            self._key = key
        if self._table is None:
            if not len(ids):
                return []
            self._lay_out(arrays)
        return self._pack(arrays, len(ids), moved)

    def unsampled(self) -> list[bytes]:
        """Return the block that says that no object was read on this frame; their lives go on."""
        self._key = None
        return [] if self._table is None else [BLOCK_HEAD.pack(self._table, HAS_LIVES, 0)]

    def _meet(self, ids: list[Any]) -> None:
        now = set(ids)
        if len(now) < len(ids):
            raise ValueError("an id is listed twice")
        for id in [id for id in self._alive if id not in now]:
            self._book.end_life(*self._alive.pop(id))
        for id in ids:
            if id not in self._alive:
                self._alive[id] = self._book.new_life(self._kind, id, str)
        self._lives = b"".join(self._alive[id][0].to_bytes(4, "little") for id in ids)

    def _lay_out(self, arrays: Mapping[str, Any]) -> None:
        numbers, flags = [], []
        for name, array in arrays.items():
            if array.dtype.kind not in "biuf" or array.ndim > 2 or (array.ndim == 2 and not 2 <= array.shape[1] <= 4):
                raise TypeError(f"{name}: expected numbers, flags or rows of two to four numbers, found {array.dtype}")
            if array.ndim == 2:
                numbers += [Column(f"{name}.{part}", "number") for part in PARTS[: array.shape[1]]]
            elif array.dtype.kind == "b":
                flags.append(Column(name, "flag"))
            else:
                numbers.append(Column(name, "number"))
        self._table = self._book.new_table()
        self._book.notes.append(["table", self._table, self._kind, [*numbers, *flags]])

    def _pack(self, arrays: Mapping[str, Any], rows: int, moved: bool) -> list[bytes]:
        numbers = [array.T.astype("<f8", copy=False).tobytes() for array in arrays.values() if not _is_flag(array)]
        flags = [array.tobytes() for array in arrays.values() if _is_flag(array)]
        holds, parts = BY_COLUMN, [b""]
        if moved:
            holds |= HAS_LIVES
            parts.append(self._lives)
        if numbers != self._numbers or (moved and numbers):
            holds |= HAS_NUMBERS
            parts += numbers
        if flags != self._flags or (moved and flags):
            holds |= HAS_CODES
            parts.append(CODES_HEAD.pack(len(flags)))
            for place, column in enumerate(flags):
                parts += [CODES_HEAD.pack(place), column]
        self._numbers, self._flags = numbers, flags
        if holds == BY_COLUMN:
            return []
        parts[0] = BLOCK_HEAD.pack(self._table, holds, rows)
        return parts


def _is_flag(array: Any) -> bool:
    return bool(array.ndim == 1 and array.dtype.kind == "b")


def _getter(source: ArrayReader) -> Callable[[], Any]:
    return source if callable(source) else lambda: source
