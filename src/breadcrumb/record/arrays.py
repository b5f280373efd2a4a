"""Objects whose properties a game holds in arrays: each array goes into the frame as a whole."""

from collections.abc import Callable, Collection, Mapping
from typing import Any, TypeAlias

from breadcrumb.journal.layout import BLOCK_HEAD, BY_COLUMN, CODES_HEAD, HAS_CODES, HAS_LIFETIMES, HAS_NUMBERS, Column
from breadcrumb.journal.writing import Block
from breadcrumb.record.codes import OtherType, cannot_read
from breadcrumb.record.plain import plain_text
from breadcrumb.record.readers import PARTS
from breadcrumb.record.state import RecorderState

ArrayReader: TypeAlias = Any
"""An array, or a function that returns one. NumPy is not imported for it: the array brings its own methods."""


class ArrayGroup:
    """All objects of one kind that are rows of the same arrays."""

    def __init__(self, state: RecorderState, kind: str, ids: ArrayReader, arrays: Mapping[str, ArrayReader]) -> None:
        self._state, self._kind = state, kind
        self._ids = _getter(ids)
        self._arrays = {name: _getter(array) for name, array in arrays.items()}
        self._alive: dict[Any, tuple[int, str]] = {}
        self._key: Any = None
        self._layout: list[Any] = []
        self._rows = 0
        self._anew = True
        self._table: int | None = None
        self._columns: list[Column] = []
        self._lifetimes = b""
        self._numbers: list[bytes] = []
        self._flags: list[bytes] = []

    def meet(self) -> None:
        """See who is there now: begin and end lifetimes."""
        ids = self._ids()
        packed = hasattr(ids, "tobytes") and ids.dtype.kind != "O"  # bytes of objects are their addresses
        key: Any = (ids.dtype.str, ids.tobytes()) if packed else list(ids)
        if key == self._key:
            return
        listed = ids.tolist() if packed else key
        now = set(listed)
        if len(now) < len(listed):
            raise ValueError("an id is listed twice")
        for id in [id for id in self._alive if id not in now]:
            self._state.leaves(self._alive.pop(id)[1])
        for id in listed:
            if id not in self._alive:
                self._alive[id] = self._state.begins(self._kind, id, plain_text)
        self._key, self._rows, self._anew = key, len(listed), True
        self._lifetimes = self._packed_lifetimes(listed)

    def blocks(self) -> list[Block]:
        """Read the arrays; return the packed block, none if nothing changed."""
        arrays = {name: get() for name, get in self._arrays.items()}
        for name, array in arrays.items():
            if len(array) != self._rows:
                raise ValueError(f"{name}: expected {self._rows} rows, one for each id, found {len(array)}")
        if self._table is None and not self._rows:
            return []
        layout = [(array.dtype, array.shape[1:]) for array in arrays.values()]
        if layout != self._layout:
            columns = _columns_of(arrays)
            if self._table is None:
                self._columns, self._table = columns, self._state.new_table(self._kind, columns)
            elif columns != self._columns:
                self._note_other_types(columns)
                return self.unsampled()
            self._layout = layout
        return self._pack(arrays)

    def _note_other_types(self, columns: list[Column]) -> None:
        """Note which arrays hold another sort of values than at first; another dtype of numbers is the same sort."""
        for name in self._arrays:
            if [one for one in columns if one.property == name] != [
                one for one in self._columns if one.property == name
            ]:
                error = OtherType("expected values of the sort that the array had at first, found another one")
                cannot_read(self._state, self._kind, name, error)

    def unsampled(self) -> list[Block]:
        """Return the block that says that no object was read on this frame; their lifetimes go on."""
        self._anew = True
        return [] if self._table is None else [[BLOCK_HEAD.pack(self._table, HAS_LIFETIMES, 0)]]

    def name_of(self, thing: Any) -> None:
        """Return None: rows of arrays are named by their ids alone."""

    def renew(self, thing: Any) -> bool:
        """Return False: a row of arrays begins a new lifetime with a new id."""
        return False

    def next_part(self) -> None:
        """Note everything again that holds now, for another part of the recording."""
        for id, (_, name) in self._alive.items():
            self._alive[id] = self._state.appears(name, self._kind, seen=False), name
        self._key = None  # so that the lifetimes are packed again
        if self._table is not None:
            self._table = self._state.new_table(self._kind, self._columns)

    def retell(self) -> None:
        """Let the next block say everything again, and not only what changed."""
        self._anew = True

    def recover(self) -> Collection[str]:
        """Put in order what an interrupted frame left behind, and return the ids of the objects that are there."""
        alive = self._state.alive
        self._alive = {
            id: (lifetime, name) for id, (lifetime, name) in self._alive.items() if alive.get(name) == lifetime
        }
        self._key, self._numbers, self._flags, self._anew = None, [], [], True
        return {name for _, name in self._alive.values()}

    def _packed_lifetimes(self, ids: list[Any]) -> bytes:
        return b"".join(self._alive[id][0].to_bytes(4, "little") for id in ids)

    def _pack(self, arrays: Mapping[str, Any]) -> list[Block]:
        numbers = [array.T.astype("<f8", copy=False).tobytes() for array in arrays.values() if not _is_flag(array)]
        flags = [array.tobytes() for array in arrays.values() if _is_flag(array)]
        anew, self._anew = self._anew, False
        holds, parts = BY_COLUMN, [b""]
        if anew:
            holds |= HAS_LIFETIMES
            parts.append(self._lifetimes)
        if numbers != self._numbers or (anew and numbers):
            holds |= HAS_NUMBERS
            parts += numbers
        if flags != self._flags or (anew and flags):
            holds |= HAS_CODES
            parts.append(CODES_HEAD.pack(len(flags)))
            for place, column in enumerate(flags):
                parts += [CODES_HEAD.pack(place), column]
        self._numbers, self._flags = numbers, flags
        if holds == BY_COLUMN:
            return []
        parts[0] = BLOCK_HEAD.pack(self._table, holds, self._rows)
        return [parts]


def _columns_of(arrays: Mapping[str, Any]) -> list[Column]:
    numbers, flags = [], []
    for name, array in arrays.items():
        if array.dtype.kind not in "biuf" or array.ndim > 2 or (array.ndim == 2 and not 2 <= array.shape[1] <= 4):
            raise TypeError(f"{name}: expected numbers, flags or rows of two to four numbers, found {array.dtype}")
        if array.ndim == 2:
            numbers += [Column(name, part, "number") for part in PARTS[: array.shape[1]]]
        elif array.dtype.kind == "b":
            flags.append(Column(name, "", "flag"))
        else:
            numbers.append(Column(name, "", "number"))
    return [*numbers, *flags]


def _is_flag(array: Any) -> bool:
    return bool(array.ndim == 1 and array.dtype.kind == "b")


def _getter(source: ArrayReader) -> Callable[[], Any]:
    return source if callable(source) else lambda: source
