"""The values of recorded parameters."""

from typing import Any

import numpy as np

from breadcrumb.algebra.durations import is_number
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.picked import values_at
from breadcrumb.algebra.quantities import Quantity
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.session import Session


def parameter_of(session: Session, name: str, at: Moments | None) -> Any:
    """Return the one value of a recorded parameter, or a signal of those that it had at some moments.

    Raises:
        UnknownName: it was not recorded.
        Misuse: it changed in play, and no moments were given; or it was not recorded yet at one of them.
    """
    every = session.parameters
    found = [one for one in every if one.name == name]
    if not found:
        raise UnknownName("parameter", name, {one.name for one in every}, session.label)
    values, unit = [one.value for one in found], found[-1].unit
    if at is not None:
        index = np.searchsorted([one.clock_index for one in found], at.clock_index, side="right") - 1
        if (index < 0).any():
            raise Misuse(f"parameter {name!r} of {session.label} was not recorded yet at {at.label}")
        return values_at(at, [values[one] for one in index.tolist()], name, unit)
    if any(value != values[0] for value in values):
        said = f"parameter {name!r} of {session.label} changed during the session: {values}"
        raise Misuse(f"{said}; pass at= to select moments")
    return Quantity(float(values[0]), name, unit, session.label) if is_number(values[0]) else values[0]
