"""A trace made of a table of pandas: a row for each sample of an object."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from breadcrumb.errors import Misuse
from breadcrumb.model.columns import OURS, column_name, property_and_part
from breadcrumb.model.facts import FROM_TABLE, Fact
from breadcrumb.model.session import NOBODY, Clock, ColumnData, Events, Ints, Lifetimes, Session
from breadcrumb.store.memory import MemoryTrace
from breadcrumb.store.rows import KindTable

if TYPE_CHECKING:
    import pandas as pd

KIND = "kind"
DEFAULT_KIND = "object"
_VECTORS = ("xy", "xyz", "xyzw")
"""The parts that columns of one name must have to be a vector."""


def trace_of_table(table: "pd.DataFrame", label: str, kind: str, about: Mapping[str, Any]) -> MemoryTrace:
    """Return a trace with the samples of a table; see `breadcrumb.trace_from_table`.

    Raises:
        Misuse: a column that is needed is missing, or two rows contradict one another.
    """
    rows = table.reset_index() if any(name in OURS for name in table.index.names) else table.reset_index(drop=True)
    rows.columns = [str(name) for name in rows.columns]
    clock, clock_index = _clock(rows)
    who = _Who.of(rows, kind, clock, clock_index)
    order = np.lexsort((clock_index, who.lifetime))
    lifetime, clock_index = who.lifetime[order], clock_index[order]
    twice = np.flatnonzero((np.diff(lifetime) == 0) & (np.diff(clock_index) == 0))
    if len(twice):
        id, frame = who.names[who.of_lifetime[lifetime[twice[0]], 0]], clock.frames[clock_index[twice[0]]]
        raise Misuse(f"{label}: expected one row of an object on each frame, found two of {id} on frame {frame}")
    lifetimes = _lifetimes(who, lifetime, clock_index, clock.size, label)
    columns = _columns([name for name in rows.columns if name not in (*OURS, KIND)])
    tables = {}
    for index, name in enumerate(who.kinds):
        mine = np.flatnonzero(lifetimes.kind[lifetime] == index)
        found = {to: _column(rows[name_of].iloc[order[mine]]) for name_of, to in columns.items()}
        known = {to: one for to, one in found.items() if one.valid is None or one.valid.any()}
        if known:
            tables[name] = KindTable(lifetime[mine], clock_index[mine], known)
    session = Session(
        label, about, clock, lifetimes, _no_events(), who.names, who.kinds, facts=(Fact(FROM_TABLE, count=len(rows)),)
    )
    return MemoryTrace(session, tables)


class _Who(NamedTuple):
    """Of which lifetime each row is."""

    lifetime: Ints
    names: tuple[str, ...]
    kinds: tuple[str, ...]
    of_lifetime: Ints
    """The name and the kind of each lifetime, a row each."""

    @classmethod
    def of(cls, rows: "pd.DataFrame", kind: str, clock: Clock, clock_index: Ints) -> "_Who":
        """Return whose the rows are, lifetimes in the order in which they begin.

        Raises:
            Misuse: a row has no id, or an object has rows of two kinds.
        """
        import pandas as pd

        ids = rows["id"] if "id" in rows else pd.Series([kind] * len(rows))
        kinds = rows[KIND] if KIND in rows else pd.Series([kind] * len(rows))
        for name, given in (("id", ids), (KIND, kinds)):
            if given.isna().any() or (given.astype(str) == "").any():
                raise Misuse(
                    f"expected a text in the column {name!r} of each row, and row {_first_empty(given)} has none"
                )
        id_of, names = pd.factorize(ids.astype(str))
        kind_of, every = pd.factorize(kinds.astype(str))
        which = rows["lifetime"].to_numpy() if "lifetime" in rows else np.zeros(len(rows), np.int64)
        pairs = pd.DataFrame({"id": id_of, "lifetime": which, "kind": kind_of, "at": clock_index})
        first = pairs.groupby(["id", "lifetime"], sort=False).agg(
            at=("at", "min"), kinds=("kind", "nunique"), kind=("kind", "first")
        )
        if (first["kinds"] > 1).any():
            id = names[first.index[int((first["kinds"] > 1).argmax())][0]]
            raise Misuse(f"expected rows of one kind for each id, found {id} as several")
        first = first.sort_values("at", kind="stable")
        number = pd.Series(np.arange(len(first)), index=first.index)
        lifetime = number.loc[pd.MultiIndex.from_arrays([id_of, which])].to_numpy()
        of_lifetime = np.stack([first.index.get_level_values(0).to_numpy(), first["kind"].to_numpy()], axis=1)
        return cls(lifetime.astype(np.int64), tuple(names), tuple(every), of_lifetime.astype(np.int64))


def _first_empty(given: "pd.Series[Any]") -> int:
    return int((given.isna() | (given.astype(str) == "")).to_numpy().argmax()) + 1


def _clock(rows: "pd.DataFrame") -> tuple[Clock, Ints]:
    """Return the clock of a table, and the clock index of each row.

    Raises:
        Misuse: there are no times, or a frame has two, or times fall.
    """
    if "t" not in rows:
        raise Misuse(f"expected a column 't' with the game time in seconds, found {', '.join(rows.columns)}")
    times = _numbers(rows, "t")
    if "frame" not in rows:
        distinct, clock_index = np.unique(times, return_inverse=True)
        return Clock(np.arange(len(distinct)), distinct), clock_index.astype(np.int64)
    numbers = _numbers(rows, "frame")
    if not (numbers == np.rint(numbers)).all():
        raise Misuse("expected whole numbers in the column 'frame'")
    frames, first, clock_index = np.unique(numbers.astype(np.int64), return_index=True, return_inverse=True)
    at = times[first]
    other = np.flatnonzero(at[clock_index] != times)
    if len(other):
        raise Misuse(
            f"expected one time for each frame, found {at[clock_index[other[0]]]:g} and {times[other[0]]:g} s on frame "
            f"{frames[clock_index[other[0]]]}"
        )
    falls = np.flatnonzero(np.diff(at) < 0)
    if len(falls):
        raise Misuse(f"expected times that never fall, found {at[falls[0] + 1]:g} s on frame {frames[falls[0] + 1]}")
    return Clock(frames, at), clock_index.astype(np.int64)


def _numbers(rows: "pd.DataFrame", name: str) -> Any:
    import pandas as pd

    values = pd.to_numeric(rows[name], errors="coerce").to_numpy(np.float64)
    wrong = np.flatnonzero(~np.isfinite(values))
    if len(wrong):
        raise Misuse(
            f"expected a number in the column {name!r} of row {wrong[0] + 1}, found {rows[name].iloc[wrong[0]]!r}"
        )
    return values


def _lifetimes(who: _Who, lifetime: Ints, clock_index: Ints, size: int, label: str) -> Lifetimes:
    """Return the lifetimes, each from its first row to its last one.

    Raises:
        Misuse: two lifetimes of one id overlap.
    """
    count = len(who.of_lifetime)
    first = np.searchsorted(lifetime, np.arange(count))
    begin, last = clock_index[first], clock_index[np.append(first[1:], len(lifetime)) - 1] if count else first
    name = who.of_lifetime[:, 0]
    order = np.lexsort((begin, name))
    overlap = (name[order][1:] == name[order][:-1]) & (begin[order][1:] <= last[order][:-1])
    if overlap.any():
        id = who.names[name[order][int(overlap.argmax())]]
        raise Misuse(f"{label}: expected one lifetime of {id} after the other, found two that overlap")
    appear = np.where(begin > 0, begin, NOBODY)
    leave = np.where(last + 1 < size, last + 1, NOBODY)
    nobody = np.full(count, NOBODY)
    return Lifetimes(name.copy(), who.of_lifetime[:, 1].copy(), nobody, appear, begin, last, leave)


def _columns(names: Sequence[str]) -> dict[str, str]:
    """Return under which name each column goes into the trace: the parts of vectors together, any other as it is."""
    parts: dict[str, str] = {}
    for name in names:
        prop, part = property_and_part(name)
        parts[prop] = parts.get(prop, "") + (part or " ")
    found = {}
    for name in names:
        prop, part = property_and_part(name)
        together = not part or "".join(sorted(parts[prop], key="xyzw".find)) in _VECTORS
        found[name] = name if together else column_name(name)
    return found


def _column(values: "pd.Series[Any]") -> ColumnData:
    """Return a column as flags, numbers or texts, whichever it holds; what is missing in pandas is missing."""
    import pandas as pd

    valid = values.notna().to_numpy()
    known = None if valid.all() else valid
    if pd.api.types.is_bool_dtype(values.dtype) or (
        values.dtype == object and valid.any() and all(isinstance(one, bool) for one in values[valid])
    ):
        return ColumnData(values.fillna(False).astype(bool).to_numpy().copy(), known)
    if pd.api.types.is_numeric_dtype(values.dtype):
        return ColumnData(values.to_numpy(np.float64, na_value=0.0).copy(), known)
    codes, texts = pd.factorize(values.astype(object).where(valid, "").astype(str), sort=True)
    return ColumnData(codes.astype(np.int64), known, tuple(texts))


def _no_events() -> Events:
    nothing = np.zeros(0, np.int64)
    return Events(nothing, nothing, nothing, (), nothing, nothing, (), np.zeros(0, np.bool_))
