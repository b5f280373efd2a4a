"""Texts, and references to other objects by their ids."""

from dataclasses import dataclass

from breadcrumb.algebra.samples import Sort
from breadcrumb.algebra.signals import Signal


@dataclass(frozen=True, eq=False, repr=False)
class Text(Signal, sort=Sort.TEXT):
    """A text on each sample, such as a state or a caption."""


@dataclass(frozen=True, eq=False, repr=False)
class Reference(Text, sort=Sort.REFERENCE):
    """The id of another object on each sample."""
