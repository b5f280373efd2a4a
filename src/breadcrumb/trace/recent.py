"""The objects of a trace that were asked for last, as many as a given memory holds."""

from collections import OrderedDict
from collections.abc import Callable

import numpy as np

from breadcrumb.algebra.keys import Key
from breadcrumb.model.trace import TraceData
from breadcrumb.trace.objects import Objects, bytes_of
from breadcrumb.trace.selecting import lifetimes_of

_MOST_BYTES = 128 << 20
"""What they may take: about as much as all objects of five minutes of Lantern Bay."""


class RecentObjects:
    """Objects by a key: what they have computed of their samples serves every check."""

    def __init__(self) -> None:
        self._objects: OrderedDict[str, Objects] = OrderedDict()

    def get(self, name: str, make: Callable[[], Objects]) -> Objects:
        """Return objects, made if they are not here; those that were not asked for the longest make room for them."""
        if name not in self._objects:
            self._objects[name] = make()
            while len(self._objects) > 1 and sum(map(bytes_of, self._objects.values())) > _MOST_BYTES:
                self._objects.popitem(last=False)
        self._objects.move_to_end(name)
        return self._objects[name]


def of_kind(data: TraceData, key: Key, called: str, *, is_group: bool) -> Objects:
    """Return all objects of a kind that was there."""
    session = data.session
    lifetimes = np.flatnonzero(session.lifetimes.kind == session.kinds.index(key.kind))
    return Objects(data, key.kind, lifetimes, called, key=key, is_group=is_group)


def of_id(data: TraceData, id: str, label: str) -> Objects:
    """Return the object of an id.

    Raises:
        UnknownName: there is none.
    """
    kind, lifetimes = lifetimes_of(data.session, id, label)
    return Objects(data, kind, lifetimes, id, key=Key(id, kind), is_group=False)
