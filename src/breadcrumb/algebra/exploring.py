"""Tables of pandas of signals and spans, to explore a session by hand."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.participants import Participants
from breadcrumb.algebra.samples import Samples, Sort
from breadcrumb.algebra.tables import categories
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints, Session

if TYPE_CHECKING:
    import pandas as pd

_INDEX = ["id", "lifetime", "frame", "t"]
_PARTS = "xyzw"


def series_of(signal: Samples) -> "pd.Series[Any]":
    """Return the values of a signal of one part as a series, by id, lifetime, frame and time.

    Raises:
        Misuse: it has several parts.
    """
    if len(signal.parts) > 1 and not signal.track.unseen:
        raise Misuse(f"to_series: {signal.title} is {signal.sort.words}; use to_frame(), or a part of it, such as .x")
    table = frame_of(signal)
    series: pd.Series[Any] = table[table.columns[0]]
    return series


def frame_of(signal: Samples) -> "pd.DataFrame":
    """Return the values of a signal as a table with a column for each part, by id, lifetime, frame and time."""
    import pandas as pd

    track = signal.track
    many = len(signal.parts) > 1
    columns = {
        f"{signal.name}.{axis}" if many else str(signal.name): _column(signal, values)
        for axis, values in zip(_PARTS, signal.parts, strict=False)
    }
    index = _index(track.session, track.lifetime, track.clock_index, track.name)
    return pd.DataFrame(columns, index=pd.MultiIndex.from_arrays(list(index.values()), names=_INDEX))


def pairs_of(participants: Participants) -> dict[str, Any]:
    """Return both participants as columns by and on, if there are two anywhere."""
    by, on = participants.names
    if not ((by != NOBODY) & (on != NOBODY)).any():
        return {}
    names = participants.session.names
    return {"by": categories(by, names), "on": categories(on, names)}


def frame_of_spans(
    session: Session, lifetime: Ints, first: Ints, last: Ints, more: Mapping[str, Any]
) -> "pd.DataFrame":
    """Return spans as a table: whose, from which frame and time to which, and how long each lasts.

    What is still going on at the end of the session has its last frame there, and no length.
    """
    import pandas as pd

    clock = session.clock
    name = np.append(session.lifetimes.name, NOBODY)[lifetime]
    index, last = _index(session, lifetime, first, name), np.minimum(last, clock.size - 1)
    return pd.DataFrame(
        {
            "id": index["id"], "lifetime": index["lifetime"], "first": index["frame"], "last": clock.frames[last],
            "begin": index["t"], "end": clock.times[last], **more,
        }
    )  # fmt: skip


def _column(signal: Samples, values: NDArray[Any]) -> Any:
    """Return one part with what is missing missing in pandas too."""
    import pandas as pd

    if signal.texts is not None:
        codes = values if signal.valid is None else np.where(signal.valid, values, NOBODY)
        return pd.Categorical.from_codes(codes, pd.Index(signal.texts, dtype=object))
    if signal.sort is Sort.FLAG:
        return pd.array(values, "boolean") if signal.valid is None else _with_missing(values, signal.valid)
    return np.asarray(values) if signal.valid is None else np.where(signal.valid, values, np.nan)


def _with_missing(values: NDArray[Any], valid: NDArray[np.bool_]) -> Any:
    import pandas as pd

    return pd.arrays.BooleanArray(np.array(values, np.bool_), ~valid)


def _index(session: Session, lifetime: Ints, clock_index: Ints, name: Ints) -> Mapping[str, Any]:
    ids = np.array([*session.names, None], object)[name]
    ordinal = np.append(session.lifetimes.ordinal, 0)[lifetime]
    clock = session.clock
    return {"id": ids, "lifetime": ordinal, "frame": clock.frames[clock_index], "t": clock.times[clock_index]}
