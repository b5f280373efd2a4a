"""Texts and entries of data as columns, for users who want to go on with them."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.model.session import NOBODY, Ints


def categories(indices: Ints, texts: Sequence[str]) -> Any:
    """Return texts, given as indices into a list of the distinct ones, as a column of pandas; NOBODY is missing."""
    import pandas as pd  # here: it takes longer to load than all the rest

    there = indices != NOBODY
    used, codes = np.unique(indices[there], return_inverse=True)
    every: Ints = np.full(len(indices), NOBODY)
    every[there] = codes
    distinct: list[str] = [texts[index] for index in used.tolist()]
    return pd.Categorical.from_codes(every, pd.Index(distinct))


def array_of(values: list[Any], count: int) -> NDArray[Any]:
    """Return values as floats, as an array of vectors, or as objects, whichever holds them all."""
    if not count:
        return np.zeros(0)
    there = [value for value in values if value is not None]
    kinds = set(map(type, there))
    if all(issubclass(kind, int | float) and kind is not bool for kind in kinds):
        return np.array(values, np.float64)  # None becomes NaN
    sizes = set(map(len, there)) if all(issubclass(kind, list) for kind in kinds) else set()
    if len(sizes) == 1 and 0 not in sizes:
        missing = [None] * sizes.pop()
        parts = [part for value in values for part in (missing if value is None else value)]
        flat = array_of(parts, len(parts))
        if flat.dtype.kind == "f" and flat.ndim == 1:
            return flat.reshape(count, -1)
    array = np.empty(count, object)
    array[:] = values
    return array


def frame_of_moments(
    columns: dict[str, Any],
    order: Ints,
    who: tuple[Ints, Ints],
    names: Sequence[str],
    data: Sequence[Mapping[str, Any]],
) -> Any:
    """Return moments as a table of pandas: their columns, the order, who and whom, and each entry of their data."""
    import pandas as pd  # here: it takes longer to load than all the rest

    columns["order"] = pd.arrays.IntegerArray(order.copy(), order == NOBODY)
    columns |= {role: categories(indices, names) for role, indices in zip(("by", "on"), who, strict=True)}
    for key in dict.fromkeys(key for one in data for key in one):
        values = [one.get(key) for one in data]
        plain = all(value is None or isinstance(value, bool | int | float | str) for value in values)
        columns[f"data.{key}"] = pd.Series(values, dtype=None if plain else object)
    return pd.DataFrame(columns)
