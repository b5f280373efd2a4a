"""Positions that are not numbers: they touch nothing, and never fit a rule either."""

from collections.abc import Callable
from functools import reduce

import numpy as np

from breadcrumb.algebra.bodies import Bodies
from breadcrumb.algebra.signals import Signal
from breadcrumb.model.session import Bools
from breadcrumb.verdicts.judging import Phrase

NO_NUMBER = Phrase("not a number", "a position", "is nowhere: its position is not a number")


def finite(position: Signal) -> Bools:
    """Return on which samples a position is a place."""
    return np.asarray(reduce(np.logical_and, [np.isfinite(one) for one in position.parts]))


def unless_no_number(places: Signal, said: Phrase) -> Callable[[int], Phrase]:
    """Return what is said of a sample: where its position is no place, that.

    Args:
        places: a flag of where it is one.
        said: what is said of it elsewhere.
    """
    numbers = places.parts[0]
    return lambda index: said if numbers[index] else NO_NUMBER


def known_to_touch(touches: Bools, bodies: Bodies, others: Bodies) -> Bools | None:
    """Return on which samples it is known whether it touches any of the others; None if on all."""
    place, other = bodies.place, others.place
    if place.valid is None and other.valid is None and others.finite.all():
        return None
    without = np.isin(place.track.clock_index, other.track.clock_index[~(other.usable & others.finite)])
    return np.asarray(touches | place.usable & ~without)
