"""Shapes: what body the objects of a kind have, as it is declared, on the standard library alone."""

import math
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple, TypeAlias

from breadcrumb.errors import Misuse

Size: TypeAlias = float | str
"""A length, or the name of the recorded property that is one."""

_FORMS = {
    "circle": "a radius",
    "sphere": "a radius",
    "box": "two or three sides",
    "capsule": "two points and a radius",
    "polygon": "three corners or more",
    "edges": "the names of left, right, top and bottom",
}
_PLACED = ("offset", "turn")


class Shape(NamedTuple):
    """What body the objects of a kind have, made by `circle`, `sphere`, `box`, `capsule`, `polygon` or `edges`.

    Lengths are in the unit of the position; each is a number, or the name of a recorded property.

    Example:
        >>> Shape.box(2.0, "length", turn="angle").as_data()
        {'box': [2.0, 'length'], 'turn': 'angle'}
    """

    form: str
    """Which it is: circle, sphere, box, capsule, polygon or edges."""
    sizes: tuple[Size, ...]
    """A radius, two or three sides, or the names of four edges."""
    points: tuple[tuple[float, ...], ...] = ()
    """The two ends of a capsule, or the corners of a polygon."""
    offset: tuple[float, ...] = ()
    """Where its middle is from the position, before it is turned; nothing if it is there."""
    turn: str = ""
    """The recorded angle in plan, or quaternion, that it is turned by; empty if it never turns."""

    @classmethod
    def circle(cls, radius: Size, *, offset: Sequence[float] = (), turn: str = "") -> "Shape":
        """Return a circle in plan: of objects in space, that is how they are seen from above.

        Args:
            radius: its radius.
            offset: where its middle is from the position, in the object's own space.
            turn: the recorded angle or quaternion that turns the offset.

        Example:
            >>> Shape.circle("radius").properties
            ('radius',)
        """
        return cls("circle", (radius,), (), tuple(offset), turn)._checked()

    @classmethod
    def sphere(cls, radius: Size, *, offset: Sequence[float] = (), turn: str = "") -> "Shape":
        """Return a sphere.

        Args:
            radius: its radius.
            offset: where its middle is from the position, in the object's own space.
            turn: the recorded quaternion that turns the offset.

        Example:
            >>> str(Shape.sphere(0.4, offset=(0, 0, 1)))
            'a sphere of radius 0.4 at (0, 0, 1)'
        """
        return cls("sphere", (radius,), (), tuple(offset), turn)._checked()

    @classmethod
    def box(
        cls, width: Size, height: Size, depth: Size | None = None, *, offset: Sequence[float] = (), turn: str = ""
    ) -> "Shape":
        """Return a box, by its sides along the axes of the position in order; of two sides, one in plan.

        Args:
            width: its side along the first axis, as it is at an angle of 0.
            height: along the second one.
            depth: along the third one.
            offset: where its middle is from the position, in the object's own space.
            turn: the recorded angle or quaternion that it is turned by.

        Example:
            >>> str(Shape.box(2.0, 1.0, 0.5, turn="orientation"))
            'a box of 2 x 1 x 0.5, turned by .orientation'
        """
        sizes = (width, height) if depth is None else (width, height, depth)
        return cls("box", sizes, (), tuple(offset), turn)._checked()

    @classmethod
    def capsule(cls, start: Sequence[float], end: Sequence[float], radius: Size, *, turn: str = "") -> "Shape":
        """Return all points no farther than a radius from a line, given in the object's own space.

        Args:
            start: where the line begins, from the position.
            end: where it ends.
            radius: the radius of its ends.
            turn: the recorded angle or quaternion that it is turned by.

        Example:
            >>> str(Shape.capsule((-1, 0), (1, 0), 0.5, turn="angle"))
            'a capsule of radius 0.5 from (-1, 0) to (1, 0), turned by .angle'
        """
        return cls("capsule", (radius,), (tuple(start), tuple(end)), (), turn)._checked()

    @classmethod
    def polygon(cls, corners: Sequence[Sequence[float]], *, offset: Sequence[float] = (), turn: str = "") -> "Shape":
        """Return a polygon in plan, by its corners in order, given in the object's own space.

        Args:
            corners: its corners; one that is not convex needs `pip install 'breadcrumb[polygons]'`.
            offset: where their origin is from the position.
            turn: the recorded angle that it is turned by.

        Example:
            >>> str(Shape.polygon([(0, 0), (2, 0), (1, 1)], turn="angle"))
            'a polygon of 3 corners, turned by .angle'
        """
        return cls("polygon", (), tuple(map(tuple, corners)), tuple(offset), turn)._checked()

    @classmethod
    def edges(cls, left: str, right: str, top: str, bottom: str) -> "Shape":
        """Return a box that is recorded by its edges.

        Args:
            left: the name of the property that is its edge at the low end of the first axis.
            right: that at the high end.
            top: that of one end of the second axis.
            bottom: that of the other one.

        Example:
            >>> str(Shape.edges("left", "right", "top", "bottom"))
            'a box from .left, .right, .top, .bottom'
        """
        return cls("edges", (left, right, top, bottom))._checked()

    @classmethod
    def of(cls, data: Any) -> "Shape":
        """Return the shape that plain data means, as `as_data` gives it.

        Raises:
            Misuse: it means none.

        Example:
            >>> Shape.of({"capsule": [[-1, 0], [1, 0], 0.5], "turn": "angle"}).turn
            'angle'
        """
        found = [form for form in _FORMS if isinstance(data, Mapping) and form in data]
        if len(found) != 1 or set(data) - {found[0], *_PLACED}:
            raise Misuse(f"shape: expected one of {', '.join(_FORMS)}, and if need be offset and turn; found {data!r}")
        form, told = found[0], data[found[0]]
        listed = list(told) if isinstance(told, Sequence) and not isinstance(told, str) else [told]
        points = listed[:2] if form == "capsule" else listed if form == "polygon" else []
        if not all(isinstance(one, Sequence) and not isinstance(one, str) for one in (*points, data.get("offset", ()))):
            raise Misuse(f"Shape.{form}: expected {_FORMS[form]}, and an offset as numbers; found {data!r}")
        sizes = listed[2:] if form == "capsule" else [] if form == "polygon" else listed
        offset, turn = tuple(data.get("offset", ())), data.get("turn", "")
        return cls(form, tuple(sizes), tuple(map(tuple, points)), offset, turn)._checked()

    def as_data(self) -> dict[str, Any]:
        """Return it as plain data, as it stands in `about.shapes` of frame lines.

        Example:
            >>> Shape.circle(0.5).as_data()
            {'circle': 0.5}
        """
        told = [*map(list, self.points), *self.sizes]
        placed = {"offset": list(self.offset), "turn": self.turn}
        return {
            self.form: told[0] if self.form in ("circle", "sphere") else told,
            **{name: value for name, value in placed.items() if value},
        }

    @property
    def dimensions(self) -> int:
        """How many dimensions it has."""
        own = {"sphere": 3, "box": len(self.sizes), "capsule": len(self.points[0]) if self.points else 2}
        return own.get(self.form, 2)

    @property
    def properties(self) -> tuple[str, ...]:
        """The names of the recorded properties that it is made from."""
        named = [one for one in (*self.sizes, self.turn) if isinstance(one, str) and one]
        return tuple(dict.fromkeys(named))

    def __str__(self) -> str:
        said = [f".{one}" if isinstance(one, str) else f"{one:g}" for one in self.sizes]
        words = {
            "circle": f"a circle of radius {said[0]}" if said else "",
            "sphere": f"a sphere of radius {said[0]}" if said else "",
            "box": f"a box of {' x '.join(said)}",
            "edges": f"a box from {', '.join(said)}",
            "polygon": f"a polygon of {len(self.points)} corners",
        }.get(self.form)
        if words is None:
            words = f"a capsule of radius {said[0]} from {_place(self.points[0])} to {_place(self.points[1])}"
        words += f" at {_place(self.offset)}" if self.offset else ""
        return words + (f", turned by .{self.turn}" if self.turn else "")

    def _checked(self) -> "Shape":
        if problem := self._problem():
            raise Misuse(f"Shape.{self.form}: {problem}")
        return self

    def _problem(self) -> str:
        """Return what is wrong with it, in words; empty if nothing is."""
        counts = {"circle": (1,), "sphere": (1,), "box": (2, 3), "capsule": (1,), "polygon": (0,), "edges": (4,)}
        corners = {"capsule": (2,), "polygon": range(3, 1000)}.get(self.form, (0,))
        parts = {len(one) for one in (*self.points, *((self.offset,) if self.offset else ()))}
        allowed = {2, 3} if self.form in ("capsule", "box", "edges") else {self.dimensions}
        if len(self.sizes) not in counts[self.form] or len(self.points) not in corners:
            return f"expected {_FORMS[self.form]}, found {[*self.points, *self.sizes]}"
        if len(parts) > 1 or parts - allowed or not all(map(_is_number, (*self.offset, *sum(self.points, ())))):
            numbers = " or ".join("two" if one == 2 else "three" for one in sorted(allowed))
            return f"expected points of {numbers} numbers, found {[*self.points, self.offset]}"
        if self.form == "edges" and not all(isinstance(one, str) for one in self.sizes):
            return f"expected {_FORMS['edges']}, found {self.sizes}"
        if not all(bool(one) if isinstance(one, str) else _is_number(one) and one > 0 for one in self.sizes):
            return f"expected lengths above 0, or names of properties; found {list(self.sizes)}"
        turn: Any = self.turn
        return "" if isinstance(turn, str) else f"expected the name of a property at turn, found {turn!r}"


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


def _place(point: Sequence[float]) -> str:
    return f"({', '.join(f'{part:g}' for part in point)})"
