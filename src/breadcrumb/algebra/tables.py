"""Texts as columns of pandas, for users who want to go on with that."""

from collections.abc import Sequence
from typing import Any

import numpy as np

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
