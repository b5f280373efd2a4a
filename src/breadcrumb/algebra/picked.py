"""Values that are known at moments alone: those of their data, and those that parameters then had."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.keys import Key
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.samples import SORTS, Sort, recorded_sort
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse


def values_at(moments: Moments, values: Sequence[Any], name: str, unit: str) -> Any:
    """Return values that are known at moments, one for each, as a signal picked at them.

    Raises:
        Misuse: they are not all numbers, all flags, all texts, or all vectors of one length.
    """
    array = np.array(values) if values else np.zeros(0)
    if array.dtype.kind == "U":
        texts, codes = np.unique(array, return_inverse=True)
        return picked_at(moments, (codes,), name, "", "world", Key(name), tuple(texts.tolist()))
    if array.dtype.kind not in "fiub" or array.ndim > 2:
        raise Misuse(f"{name}: expected numbers, flags, texts or vectors, all of one sort; found {values!r}")
    return picked_at(moments, tuple(array.T) if array.ndim == 2 else (array,), name, unit, "world", Key(name))


def data_at(moments: Moments, key: str, unit: str, space: str) -> Any:
    """Return an entry of the data of moments as a signal picked at them; a moment without it is missing.

    Raises:
        UnknownName: no moment has such an entry.
        Misuse: the entries are not all of one sort.
    """
    values, name = moments[key], f"{key} of {moments.label}"
    told = moments.key.then(key)
    if values.dtype.kind == "f":
        return picked_at(moments, tuple(values.T) if values.ndim == 2 else (values,), name, unit, space, told)
    missing = np.array([one is None for one in values], np.bool_)
    sorts = {type(one) for one in values[~missing]}
    if sorts == {bool}:
        found = picked_at(moments, (np.where(missing, False, values).astype(np.bool_),), name, "", space, told)
    elif sorts == {str}:
        texts, codes = np.unique(np.where(missing, "", values).astype(str), return_inverse=True)
        found = picked_at(moments, (codes,), name, "", space, told, tuple(texts.tolist()))
    else:
        raise Misuse(f"{name}: expected numbers, vectors of numbers, texts or flags alone, found {values[0]!r}")
    return replace(found, valid=~missing if missing.any() else None)


def track_at(moments: Moments) -> Track:
    """Return where values stand that are picked at moments."""
    unseen = moments.unseen if moments.count else moments.unseen or f"no {moments.label} to judge"
    return Track(
        moments.session, moments.lifetime, moments.clock_index, moments.rows, moments.participants, unseen,
        moments.label,
    )  # fmt: skip


def picked_at(
    moments: Moments, parts: tuple[NDArray[Any], ...], name: str, unit: str, space: str, key: Key, texts: Any = None
) -> Any:
    """Return values that are known at moments as a signal picked at them; NaN is missing."""
    track = track_at(moments)
    missing = np.isnan(parts[0]) if parts[0].dtype.kind == "f" else np.zeros(len(parts[0]), np.bool_)
    kind: Any = SORTS[Sort.UNSEEN if track.unseen else recorded_sort(parts, texts, unit, ())]
    valid = ~missing if missing.any() else None
    return kind(track, name, parts, valid, unit, texts, space=space, key=key)
