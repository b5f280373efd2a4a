"""How much occasions tell: those that follow each other in play are often alike."""

from collections.abc import Sequence

import numpy as np

from breadcrumb.model.session import Floats, Ints
from breadcrumb.population.measures import Occasions

_FEWEST = 3
"""How many occasions a session has that can say something of it."""
_MOST = 0.95
"""The greatest correlation that is taken for true."""


def independence(each: Sequence[Occasions]) -> float:
    """Return which share of the occasions counts as independent, from 1 down to a fortieth.

    It is (1 - r) / (1 + r), where r is the correlation of the ranks of one occasion and the next, in time: the
    effective size of a sample of a first-order autoregressive process (Bayley and Hammersley, 1946).
    """
    values = [one.values[np.argsort(one.clock_index, kind="stable")] for one in each]
    _, ranks = np.unique(np.concatenate(values), return_inverse=True)
    parts = np.split(ranks.astype(np.float64), np.cumsum([len(one) for one in values])[:-1])
    pairs = [(one[:-1], one[1:]) for one in parts if len(one) >= _FEWEST]
    if not pairs:
        return 1.0
    before, after = (np.concatenate(side) for side in zip(*pairs, strict=True))
    correlation = min(max(_correlation(before, after), 0.0), _MOST)
    return (1 - correlation) / (1 + correlation)


def stretches_of(one: Occasions, rows: Ints) -> int:
    """Return in how many stretches, in time, some occasions lie: each is another coincidence."""
    order = np.argsort(one.clock_index, kind="stable")
    chosen = np.zeros(len(order), np.bool_)
    chosen[rows] = True
    chosen = chosen[order]
    return int(chosen[0]) + int(np.count_nonzero(chosen[1:] & ~chosen[:-1]))


def _correlation(one: Floats, other: Floats) -> float:
    if not one.std() or not other.std():
        return 0.0
    return float(np.corrcoef(one, other)[0, 1])
