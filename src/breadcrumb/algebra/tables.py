"""Texts as columns of pandas, for users who want to go on with that."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from breadcrumb.model.session import NOBODY, Ints


def categories(places: Ints, texts: Sequence[str]) -> Any:
    """Return texts, given as places in a list of the distinct ones, as a column of pandas; NOBODY is missing."""
    import pandas as pd  # here: it takes longer to load than all the rest

    there = places != NOBODY
    used, codes = np.unique(places[there], return_inverse=True)
    every: Ints = np.full(len(places), NOBODY)
    every[there] = codes
    distinct: list[str] = [texts[place] for place in used.tolist()]
    return pd.Categorical.from_codes(every, pd.Index(distinct))
