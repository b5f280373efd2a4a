"""Texts, and references to other objects by their ids."""

from dataclasses import dataclass

from breadcrumb.algebra.samples import Sort
from breadcrumb.algebra.signals import Signal


@dataclass(frozen=True, eq=False, repr=False)
class Text(Signal, sort=Sort.TEXT):
    """A text on each sample, such as a state or a caption.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"gate": {"state": state}} for state in ("shut", "shut", "open")]
        >>> state = make_trace(states, kinds={"gate": "gate"}).one("gate").state
        >>> state.changes().frames.tolist(), (state == "open").values.tolist()
        ([2], [False, False, True])
    """


@dataclass(frozen=True, eq=False, repr=False)
class Reference(Text, sort=Sort.REFERENCE):
    """The id of another object on each sample.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"boat": {"ring": "r1", "x": 1.0}, "r1": {"x": 0.5}}]
        >>> trace = make_trace(states, kinds={"boat": "boat", "r1": "ring"})
        >>> ring = trace.one("boat").ring
        >>> ring, (ring == "r1").values.tolist()
        (<ring of the boat: reference, 1 sample, frames 0 to 0>, [True])
    """
