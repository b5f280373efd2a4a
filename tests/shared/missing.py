"""Values of a signal with None where one is missing, of which flags and texts have no array."""

from typing import Any

import numpy as np

from breadcrumb import Signal


def with_none(signal: Signal) -> list[Any]:
    """Return the value of each sample, None where it is missing."""
    known = iter(signal.take(np.flatnonzero(signal.usable)).values.tolist())
    return [next(known) if there else None for there in signal.usable.tolist()]
