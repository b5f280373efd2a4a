"""Traces made of tables."""

from typing import TYPE_CHECKING, Any

from breadcrumb.record.conventions import plain_about
from breadcrumb.store.from_table import DEFAULT_KIND, trace_of_table
from breadcrumb.trace.opened import Trace

if TYPE_CHECKING:
    import pandas as pd


def trace_from_table(
    table: "pd.DataFrame", *, kind: str = DEFAULT_KIND, label: str = "made of a table", **about: Any
) -> Trace:
    """Return a trace, held in memory, with the samples of a table of pandas, as `trace.table(kind)` gives one.

    A row is a sample of an object. Needed is a column `t`, in seconds; used are `frame`, `id`, `kind` and `lifetime`,
    as columns or levels of the index; each other column is a property, and `position.x`, `position.y` are parts of one.
    An object is there from its first row to its last one; what is missing in pandas is missing.

    A table tells no events, parameters, parents or contacts, nor what was there without a sample.

    Args:
        table: the rows, in any order.
        kind: the kind of all objects, if there is no such column.
        label: the trace's name.
        about: what else is known of the session, such as `units={"position": "m"}`; see `Recorder`.

    Raises:
        Misuse: there are no times, two rows contradict one another, or a convention is not what it can be.

    Example:
        >>> import pandas as pd
        >>> rows = pd.DataFrame({"t": [0.0, 0.1], "id": "heron", "position.x": [0.0, 1.0], "position.y": [0.0, 0.0]})
        >>> trace_from_table(rows, kind="skiff").one("skiff").speed.values.tolist()
        [nan, 10.0]
    """
    return Trace(trace_of_table(table, label, kind, plain_about(about)))
