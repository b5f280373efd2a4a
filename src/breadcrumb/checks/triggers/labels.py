"""Which moments belong together: those of one subject, of one pair, of equal data, or all."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints


def labels(match: str, *several: Moments) -> list[Ints]:
    """Return a number for each moment of each of several lots; moments with equal numbers belong together.

    Args:
        match: `"subject"`, `"pair"` (by and on), `"any"`, or an entry of the data that must be equal.
        several: the lots.

    Raises:
        Misuse: the subjects of two lots are of different kinds.
    """
    if match == "any":
        return [np.zeros(moments.count, np.int64) for moments in several]
    if match == "pair":
        return [moments.by * (len(moments.session.names) + 1) + moments.on for moments in several]
    if match == "subject":
        _have_kinds_in_common(*several)
        return [moments.subject for moments in several]
    known: dict[Any, int] = {}
    return [
        np.array([known.setdefault(_comparable(one.get(match)), len(known)) for one in moments.data], np.int64)
        for moments in several
    ]


def by_label(label: Ints, moments: Moments) -> Ints:
    """Return the order in which moments of one label follow one another, label by label."""
    return np.lexsort((np.arange(moments.count), moments.order, moments.clock_index, label))


def _have_kinds_in_common(*several: Moments) -> None:
    kinds = [_kinds_of(moments) for moments in several]
    if len(kinds) > 1 and all(kinds[:2]) and not kinds[0] & kinds[1]:
        raise Misuse(
            f"{several[0].label} is of {', '.join(sorted(kinds[0]))} and {several[1].label} of "
            f"{', '.join(sorted(kinds[1]))}: nothing pairs them; pass match='any', match= an entry of their data, or "
            "use .with_subject('on') or .with_subject('by')"
        )


def _comparable(value: Any) -> Any:
    """Return an entry of the data in a form that equal entries share."""
    if isinstance(value, list | tuple):
        return tuple(_comparable(part) for part in value)
    if isinstance(value, Mapping):
        return tuple((key, _comparable(value[key])) for key in sorted(value))
    return float(value) if isinstance(value, int | float) else value


def _kinds_of(moments: Moments) -> set[str]:
    session = moments.session
    seen = np.zeros(session.lifetimes.size + 1, np.bool_)
    seen[moments.lifetime] = True  # NOBODY is the one more at the end
    return {session.kinds[kind] for kind in np.unique(session.lifetimes.kind[seen[:NOBODY]]).tolist()}
