"""All sorts of signals, and what stands for one of which nothing was seen."""

from dataclasses import dataclass

from breadcrumb.algebra.flags import Flag
from breadcrumb.algebra.numbers import Angle, Number
from breadcrumb.algebra.quaternions import Quaternion
from breadcrumb.algebra.samples import Sort
from breadcrumb.algebra.texts import Reference, Text
from breadcrumb.algebra.vectors import Vector

__all__ = ["Angle", "Flag", "Number", "Quaternion", "Reference", "Text", "Unseen", "Vector"]


@dataclass(frozen=True, eq=False, repr=False)
class Unseen(Number, Angle, Vector, Quaternion, Flag, Reference, sort=Sort.UNSEEN):
    """A signal of a kind that was not seen: it has the operations of every sort, and no samples."""
