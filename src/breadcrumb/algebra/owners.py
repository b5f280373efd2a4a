"""Values of objects told as those of what owns them, so that two groups can be compared."""

from dataclasses import replace
from typing import TypeVar

import numpy as np

from breadcrumb.algebra.participants import lifetimes_at
from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints

S = TypeVar("S", bound=Samples)


def owned(signal: S, owner: object) -> S:
    """Return a signal by the lifetimes of owners: the parents, or what a text of the same objects names.

    Raises:
        Misuse: two objects have one owner on a frame, or nothing says who owns them.
    """
    track = signal.track
    names, called = _owners(signal, owner)
    lifetime = lifetimes_at(track.session, names, track.clock_index)
    kept = np.flatnonzero(lifetime != NOBODY)
    order = kept[np.lexsort((track.clock_index[kept], lifetime[kept]))]
    moved = Track(track.session, lifetime[order], track.clock_index[order], whose=f"{called} of {track.whose}")
    twice = np.flatnonzero(np.diff(moved.key) == 0)
    if len(twice):
        who, frame = track.session.who(int(moved.lifetime[twice[0]])), int(moved.frames[twice[0]])
        raise Misuse(f"of: two of {signal.title} have {who} as their {called} on frame {frame}; select one of them")
    taken = signal.take(order)
    return replace(taken, track=moved, owner=f"{called} of {signal.owner}" if signal.owner else "")


def _owners(signal: Samples, owner: object) -> tuple[Ints, str]:
    """Return who owns each sample, as an index into the session's names, and what owners are called."""
    track = signal.track
    if isinstance(owner, Samples):
        if owner.texts is None or not owner.track.same_as(track):
            raise Misuse(f"of: expected a text of the same objects that names another one, found {owner.title}")
        ids = {id: index for index, id in enumerate(track.session.names)}
        known = np.array([*(ids.get(text, NOBODY) for text in owner.texts), NOBODY])
        return known[np.where(owner.usable, owner.parts[0], -1)], owner.name
    if owner != "parent":
        raise Misuse(f"of: expected 'parent' or a text that names another object, found {owner!r}")
    return track.session.lifetimes.parent[track.lifetime] if track.size else track.lifetime, "parent"
