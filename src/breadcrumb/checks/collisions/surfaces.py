"""When objects touch others: geometry, which checks are made from."""

from dataclasses import replace
from typing import Any

import numpy as np

from breadcrumb.algebra.in_regions import gaps_to, seen_with, swept_gaps_to
from breadcrumb.algebra.near_bodies import near_bodies, touches_one
from breadcrumb.algebra.on_demand import Computed
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Flag
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.collisions.finite import known_to_touch
from breadcrumb.checks.collisions.touches import stretches_of_pairs
from breadcrumb.trace.bodies import Radius, bodies_of, body_of, radii
from breadcrumb.trace.objects import Objects

WITH_ANY = "touches any"
"""What the key of touches with any of a group ends with: one may begin anew within another."""


def touching(
    objects: Objects | Signal,
    others: Objects | Signal | Region,
    *,
    radius: Radius = None,
    swept: bool = False,
    tol: float = 0.0,
) -> Spans:
    """Return when objects touch others: geometry, not a check.

    Bodies are those that the objects have, by `rec.watch(..., shape=...)` or `with_shape`; without a shape, points.

    Args:
        objects: objects with a `position`, or a position signal.
        others: one object, a group, positions, or a region that stands still.
        radius: the objects' radius, or a pair of theirs and the others', in the unit of the position, in place of the
            shapes that they have; 0 for points.
        swept: whether two that pass one another between two frames touch on the second one, for games that solve a
            contact inside the step.
        tol: how far apart two surfaces may be and still touch, for engines that tell a contact early; if it is
            negative, how deep they must overlap.

    Returns:
        Spans of the objects, each a stretch of frames on which it touches any of the others; `pairs` are those with
        each of them, and `unknown` those on which a position is missing, so that it may.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> touching(small_trace().one("skiff"), Circle((3, 0), 1.5)).first.tolist()
        [2]
    """
    if not isinstance(others, Objects | Signal):
        seen = seen_with(body_of(objects, radii(radius)[0]), others)
        place = seen.place
        close: Any = Computed(lambda rows: gaps_to(seen, others, rows) <= tol, len(place), np.bool_)
        if swept and not place.track.unseen:
            close = swept_gaps_to(seen, others, np.arange(len(place))) <= tol
        flag = Flag(place.track, "touching", (np.asarray(close),), seen.known, owner=place.owner)
        return _named(flag.spans(), seen.position, f"{others}")
    mine, yours = bodies_of(objects, others, radius)
    position, other = mine.place, yours.place
    alone = other.track.one_at_a_time and not other.track.unseen and bool(other.track.size)
    pairs = (touches_one if alone else near_bodies)(mine, yours, tol, swept=swept)
    flags = np.zeros(position.track.size, np.bool_)
    flags[pairs.mine] = True
    flag = Flag(position.track, "touching", (flags,), known_to_touch(flags, mine, yours), owner=position.owner)
    name = other.owner or other.name
    named = _named(flag.spans(), mine.position, name, "touches" if other.track.one_at_a_time else WITH_ANY)
    return replace(named, pairs=stretches_of_pairs(position.track, pairs.mine, other.track, pairs.yours))


def _named(spans: Spans, position: Signal, others: str, key: str = "touches") -> Spans:
    label = f"{position.owner or position.name} touches {others}".replace("every ", "any ", 1)
    return replace(spans, label=label, key=position.key.then(key))
