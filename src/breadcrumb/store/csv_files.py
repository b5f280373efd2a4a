"""The samples of a trace as comma-separated values: a row for each sample, or one for each value."""

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from breadcrumb.errors import Misuse
from breadcrumb.model.columns import OURS
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import ColumnData, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.store.from_table import KIND

if TYPE_CHECKING:
    import pandas as pd

_PROPERTY, _VALUE = "property", "value"
_HEAD = ("frame", "t", "id", KIND, "lifetime")


def write_csv(data: TraceData, target: Path, *, long: bool = False) -> None:
    """Write the samples of all kinds.

    Args:
        data: the trace.
        target: the file.
        long: whether each value has a row of its own, with `property` and `value`; else each sample has one, with a
            column for each property.
    """
    import pandas as pd  # here: it takes longer to load than all the rest

    tables = [_table(data, kind) for kind in data.session.kinds]
    rows = pd.concat([pd.DataFrame(columns=list(_HEAD)), *tables], ignore_index=True)
    if long:
        rows = rows.melt(list(_HEAD), var_name=_PROPERTY, value_name=_VALUE).dropna(subset=[_VALUE])
        rows = rows.sort_values(["frame", "id", _PROPERTY], kind="stable")
    else:
        rows = rows.sort_values(["frame"], kind="stable")
    rows.to_csv(target, index=False, lineterminator="\n")


def left_out(session: Session) -> str:
    """Return what of a session a table of samples cannot hold, in words; empty if there is nothing of that."""
    lifetimes = session.lifetimes
    unsampled = int(np.count_nonzero(lifetimes.first < 0))
    found = [
        *([counted(len(session.events.clock_index), "events")] if len(session.events.clock_index) else []),
        *([counted(len(session.parameters), "parameters")] if session.parameters else []),
        *([counted(unsampled, "lifetimes") + " without samples"] if unsampled else []),
        *(["parents"] if (lifetimes.parent >= 0).any() else []),
        *(name for name in ("axes", "angles", "units", "spaces", "areas", "shapes") if session.about.get(name)),
        *(["restarts"] if session.declared_restarts else []),
        *(["facts"] if session.facts else []),
    ]
    return ", ".join(found)


def read_csv(source: Path) -> "pd.DataFrame":
    """Return the rows of a file that `write_csv` wrote, or of another one with such columns.

    Raises:
        Misuse: it is no table with a header.
    """
    import pandas as pd

    try:
        rows = pd.read_csv(source, dtype=str, keep_default_na=False, skipinitialspace=True)
    except (pd.errors.ParserError, pd.errors.EmptyDataError, UnicodeDecodeError) as error:
        raise Misuse(f"{source}: expected comma-separated values with a header: {error}") from None
    if {_PROPERTY, _VALUE} <= set(rows.columns):
        head = [name for name in _HEAD if name in rows.columns]
        try:
            rows = rows.pivot(index=head, columns=_PROPERTY, values=_VALUE).fillna("").reset_index()
        except ValueError:
            raise Misuse(f"{source}: expected one value of a property of an object on each frame, found two") from None
    return rows.assign(**{str(name): _typed(rows[name]) for name in rows.columns if name not in (*OURS, KIND)})


def _table(data: TraceData, kind: str) -> "pd.DataFrame":
    import pandas as pd

    session = data.session
    names = data.columns(kind)
    nothing = np.zeros(0, np.int64)
    lifetime, clock_index = data.index(kind) if names else (nothing, nothing)
    ids = np.array(session.names, object)[session.lifetimes.name[lifetime]]
    head = (session.clock.frames[clock_index], session.clock.times[clock_index], ids, kind)
    told: dict[str, Any] = dict(zip(_HEAD, (*head, session.lifetimes.ordinal[lifetime]), strict=True))
    return pd.DataFrame(told | {name: _told(data.column(kind, name)) for name in names})


def _told(column: ColumnData) -> Any:
    """Return values as they are written; what is missing is None, and NaN stands as a word."""
    values: Any = column.values.astype(object)
    if column.texts is not None:
        values = np.array([*column.texts, ""], object)[column.values]
    elif column.values.dtype == np.bool_:
        values = np.where(column.values, "true", "false").astype(object)
    else:
        values[np.isnan(column.values)] = "NaN"
    if column.valid is not None:
        values[~column.valid] = None
    return values


def _typed(values: "pd.Series[str]") -> Any:
    """Return the texts of a column as numbers or flags, if they all are; an empty one is missing."""
    import pandas as pd

    missing = values == ""
    given = values[~missing]
    if given.isin(["true", "false"]).all() and len(given):
        return (values == "true").astype("boolean").mask(missing)
    numbers = pd.to_numeric(values.mask(missing), errors="coerce")
    named = list(_not_numbers(given))
    is_number = numbers[~missing].notna() | given.isin(named)
    if not is_number.all() or not len(given):
        return values.mask(missing)
    return pd.arrays.FloatingArray(numbers.to_numpy(np.float64, na_value=np.nan), missing.to_numpy())


def _not_numbers(given: "pd.Series[str]") -> Iterator[str]:
    return (text for text in given.unique() if text.lower() == "nan")
