"""Samples as a table, for users who want to go on with pandas."""

from typing import TYPE_CHECKING, Any

import numpy as np

from breadcrumb.algebra.tables import categories
from breadcrumb.model.session import NOBODY, ColumnData
from breadcrumb.model.trace import TraceData

if TYPE_CHECKING:
    import pandas as pd


def table_of_samples(data: TraceData, kind: str) -> "pd.DataFrame":
    """Return a row for each sample: id, lifetime (counted from 1 for each id), frame, t, and a column for each part."""
    import pandas as pd  # here: it takes longer to load than all the rest

    session, names = data.session, data.columns(kind)
    nothing = np.zeros(0, np.int64)
    lifetime, clock_index = data.index(kind) if names else (nothing, nothing)
    columns: dict[str, Any] = {
        "id": categories(session.lifetimes.name[lifetime], session.names),
        "lifetime": session.lifetimes.ordinal[lifetime],
        "frame": session.clock.frames[clock_index],
        "t": session.clock.times[clock_index],
    }
    return pd.DataFrame(columns | {name: _values(data.column(kind, name)) for name in names})


def _values(column: ColumnData) -> Any:
    import pandas as pd

    values, valid = column.values, column.valid
    if column.texts is not None:
        return categories(values if valid is None else np.where(valid, values, NOBODY), column.texts)
    if valid is None:
        return values
    return np.where(valid, values, np.nan) if values.dtype.kind == "f" else pd.arrays.BooleanArray(values, ~valid)
