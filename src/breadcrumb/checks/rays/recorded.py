"""Whether rays that a game records report what they first meet."""

from collections.abc import Sequence
from typing import Unpack

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.rays import first_bodies, hits_of_region
from breadcrumb.algebra.region import Region
from breadcrumb.checks.declaration import Common, check, without_unit
from breadcrumb.errors import Misuse
from breadcrumb.geometry.rays import Rays
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.trace.bodies import body_of
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase, tolerance
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import number

_NOTHING, _REGION = NOBODY, NOBODY - 1
"""Stand for no object: where nothing is met, and where a region is."""


@check("{moments} reports the first that it meets within {at_most}", unit=without_unit)
def reports_first_hit(
    moments: Moments,
    shapes: Sequence[Region | Objects],
    *,
    at_most: float,
    origin_key: str = "origin",
    direction_key: str = "direction",
    distance_key: str = "distance",
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that recorded rays report what is first on their way, and how far it is.

    A ray without a distance says that it met nothing. What it met is the event's `on`; a region has no id, so that `on`
    may be anything there.

    Args:
        moments: the rays; their `by` is who sends them, and is not met.
        shapes: all that they may meet: objects with their shapes, and regions that stand still.
        at_most: how long the rays are.
        origin_key: the entry of their data that holds where they begin, of two or three numbers.
        direction_key: that holds where they point, a vector of any length.
        distance_key: that holds how far what they met is, if they met anything.
        tol: how far off that may be, in the unit of positions.

    Returns:
        A verdict on every ray. Untested if there is none; undecided where a body was not recorded on its frame. Its
        margin is `tol` less the largest deviation; what is told to the wrong object has none to spare.

    Raises:
        Misuse: a ray has no origin or direction, a shape has another number of dimensions, or `at_most` is below 0.

    Example:
        >>> from breadcrumb import Shape
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"a": {"position": (5.0, 0.0)}}]
        >>> ray = {"origin": [0.0, 0.0], "direction": [1.0, 0.0], "distance": 4.0}
        >>> trace = make_trace(
        ...     states, kinds={"a": "rock"}, events=[(0, "ray", "eye", "a", ray)], shapes={"rock": Shape.circle(1.0)}
        ... )
        >>> reports_first_hit(trace.events("ray"), [trace.all("rock")], at_most=9.0, tol=0.01).outcome
        'held'
    """
    tol, at_most = tolerance(tol), tolerance(at_most, "reports_first_hit: at_most")
    session = moments.session
    cast = _cast(moments, origin_key, direction_key)
    due, who, unknown = _first(cast, moments, shapes)
    due = np.where(due <= at_most, due, np.inf)
    told = _distances(moments, distance_key)
    missed, none = np.isinf(told), np.isinf(due)
    both = ~missed & ~none
    off = np.where(both, np.abs(np.where(both, told, 0.0) - np.where(both, due, 0.0)), 0.0)
    off = np.where(missed & ~none, at_most - np.where(none, 0.0, due), off)
    off = np.where(~missed & none, np.maximum(at_most - np.where(missed, 0.0, told), 0.0), off)
    on = np.where(none, _NOTHING, who)
    elsewhere = both & (on != _REGION) & (moments.on != on)
    margin = np.where(missed == none, tol - off, -np.maximum(off, _LEAST))
    margin = np.where(elsewhere, np.minimum(margin, -_LEAST), margin)
    kept = np.flatnonzero(~unknown)

    def phrase(index: int) -> Phrase:
        ray = int(kept[index])
        found = _said(told[ray], _NOTHING if missed[ray] else int(moments.on[ray]), session.names)
        allowed = _said(due[ray], int(on[ray]), session.names)
        return Phrase(found, allowed, f"reports {found}, and {allowed} is first")

    judged = moments.with_subject("by").pick(kept)
    evaluation = Evaluation(
        session, judged.clock_index, judged.lifetime, judged.subject, margin[kept], phrase, of="rays",
        undecided=moments.count - len(kept), unseen=moments.unseen, exact=not tol, allowed=tol or None,
        plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


_LEAST = 1e-9
"""How far off what is reported wrongly is at least."""


def _cast(moments: Moments, origin_key: str, direction_key: str) -> Rays:
    """Return the rays that moments tell.

    Raises:
        Misuse: one has no origin or direction.
    """
    if not moments.count:
        return Rays(list(np.zeros((2, 0))), list(np.zeros((2, 0))))
    start, way = (moments[key] for key in (origin_key, direction_key))
    for key, told in ((origin_key, start), (direction_key, way)):
        if told.ndim != 2 or told.dtype.kind != "f" or not np.isfinite(told).all() or told.shape != start.shape:
            raise Misuse(f"reports_first_hit: expected vectors of one size in the entry {key!r} of {moments.label}")
    length = np.linalg.norm(way, axis=1, keepdims=True)
    if not length.all():
        raise Misuse(f"reports_first_hit: expected a direction of some length in the entry {direction_key!r}")
    return Rays(list(start.T), list((way / length).T))


def _first(cast: Rays, moments: Moments, shapes: Sequence[Region | Objects]) -> tuple[Floats, Ints, Bools]:
    """Return how far what each ray first meets is, who it is, and whether that is unknown."""
    due, who = np.full(moments.count, np.inf), np.full(moments.count, _NOTHING)
    unknown = np.zeros(moments.count, np.bool_)
    own = moments.with_subject("by").lifetime
    for shape in shapes:
        if isinstance(shape, Objects):
            bodies = body_of(shape)
            place = bodies.place
            if place.track.unseen:
                continue
            unknown |= bodies.unknown_on[moments.clock_index]
            met = first_bodies(cast, moments.clock_index, own, bodies)
            names, far = np.append(place.track.name, _NOTHING)[met.body], met.distance
        else:
            far = hits_of_region(cast, shape) if moments.count else due
            names = np.full(moments.count, _REGION)
        nearer = far < due
        due, who = np.where(nearer, far, due), np.where(nearer, names, who)
    return due, who, unknown


def _distances(moments: Moments, key: str) -> Floats:
    """Return the distances that rays tell; infinity of those that tell none."""
    told = [one.get(key) for one in moments.data]
    return np.array([np.inf if one is None else float(one) for one in told]) if moments.count else np.zeros(0)


def _said(far: float, who: int, names: Sequence[str]) -> str:
    if np.isinf(far):
        return "nothing"
    return f"{names[who] if who >= 0 else 'a region' if who == _REGION else 'something'} at {number(float(far))}"
