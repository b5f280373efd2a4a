"""Which body a check is about: that of objects, or one that the check is given."""

from typing import TypeAlias

from breadcrumb.algebra.bodies import Bodies
from breadcrumb.algebra.durations import are_finite
from breadcrumb.algebra.operations import refuse_other_spaces
from breadcrumb.algebra.samples import Sort, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.record.shapes import Shape
from breadcrumb.trace.objects import Objects, position_of

Radius: TypeAlias = float | tuple[float | None, float | None] | None
"""The objects' radius, or a pair of theirs and the others'; None for their own shape, or a point if they have none."""


def body_of(objects: Objects | Signal, radius: float | None = None) -> Bodies:
    """Return the bodies of objects: round ones, if a radius is given, else their own; points if they have none.

    Raises:
        Misuse: the shape does not fit the position, or is made from what is no length; the radius is none.
        UnknownProperty: the objects have no position, or lack a property that the shape names.
    """
    if radius is not None and not (are_finite(radius) and radius >= 0):
        raise Misuse(f"radius: expected a finite number from 0 up, found {radius!r}")
    shape = shape_of(objects) if radius is None else None
    if shape is not None and isinstance(objects, Objects):
        base = objects.signal("position") if objects.has("position") else _from_edges(objects, shape)
        return Bodies.of(shape, base, objects.signal)
    position = position_of(objects)
    form = "sphere" if len(position.parts) == 3 else "circle"
    return Bodies(position, Shape(form, (0.0,)), (radius or 0.0,), None, position.valid)


def bodies_of(objects: Objects | Signal, others: Objects | Signal, radius: Radius) -> tuple[Bodies, Bodies]:
    """Return the bodies of objects and those of others; both in plan, if one of them is seen so.

    Raises:
        Misuse: they are in two spaces.
    """
    one, other = radii(radius)
    mine, yours = body_of(objects, one), body_of(others, other)
    refuse_other_spaces(f"{mine.place.title} and {yours.place.title}", mine.place, yours.place)
    unseen = mine.position.track.unseen or yours.position.track.unseen
    return (mine, yours) if unseen or mine.dimensions == yours.dimensions else (mine.in_plan, yours.in_plan)


def shape_of(objects: object) -> Shape | None:
    """Return the shape that objects have; None of anything else, or if they have none."""
    return objects.shape if isinstance(objects, Objects) else None


def radii(radius: Radius) -> tuple[float | None, float | None]:
    """Return the radius of the objects and that of the others, as far as they are given."""
    return radius if isinstance(radius, tuple) else (radius, None)


def _from_edges(objects: Objects, shape: Shape) -> Signal:
    """Return what stands for the position of objects that have edges alone."""
    edge = objects.signal(str(shape.sizes[0]) if shape.form == "edges" else "position")
    place: Signal = derived(edge, sort=Sort.VECTOR, parts=(edge.parts[0], edge.parts[0]), name="position")
    return place
