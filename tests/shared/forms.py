"""One scene for each shape: a body that moves along the first axis toward one that stays."""

import math
from typing import Any, NamedTuple

from breadcrumb import Shape, Trace
from breadcrumb.testing import make_trace

DIAGONAL = math.sqrt(2)
EIGHT = [(1, 0.4), (0.4, 1), (-0.4, 1), (-1, 0.4), (-1, -0.4), (-0.4, -1), (0.4, -1), (1, -0.4)]


class Form(NamedTuple):
    """A shape that reaches 1 m to both sides along the first axis."""

    shape: Shape
    turned: dict[str, Any] = {}  # noqa: RUF012  (a tuple's default is shared on purpose)
    """What each object says of its turn and size."""
    low: float = 1.0
    """How far it reaches down."""
    share: float = 1.0
    """How deep an overlap is, as a share of that along the first axis."""
    parts: int = 2


HALF = math.sin(math.pi / 8)
ABOUT_Z = (0.0, 0.0, HALF, math.sqrt(1 - HALF**2))
"""A turn by an eighth about the third axis."""
FORMS = {
    "circle": Form(Shape.circle(1.0)),
    "circle of a recorded radius": Form(Shape.circle("size"), {"size": 1.0}),
    "circle beside its position": Form(Shape.circle(1.0, offset=(0.0, 0.5)), low=0.5),
    "box": Form(Shape.box(2.0, 1.0), low=0.5),
    "turned box": Form(Shape.box(DIAGONAL, DIAGONAL, turn="angle"), {"angle": 45.0}, share=1 / DIAGONAL),
    "box on its side": Form(
        Shape.box("tall", "wide", turn="angle"), {"angle": 90.0, "tall": 1.0, "wide": 2.0}, low=0.5
    ),
    "edges": Form(
        Shape.edges("left", "right", "top", "bottom"), {"left": -1.0, "right": 1.0, "top": -0.5, "bottom": 0.5}, low=0.5
    ),
    "capsule": Form(Shape.capsule((-0.5, 0), (0.5, 0), 0.5), low=0.5),
    "polygon": Form(Shape.polygon(EIGHT)),
    "polygon with a notch": Form(Shape.polygon([(-1, -1), (1, -1), (1, 1), (0, 0.2), (-1, 1)])),
    "sphere": Form(Shape.sphere(1.0), parts=3),
    "box in space": Form(Shape.box(2.0, 3.0, 1.0), low=1.5, parts=3),
    "turned box in space": Form(
        Shape.box(DIAGONAL, DIAGONAL, 2.0, turn="orientation"), {"orientation": ABOUT_Z}, share=1 / DIAGONAL, parts=3
    ),
    "capsule in space": Form(Shape.capsule((0, 0, -2), (0, 0, 2), 1.0), parts=3),
}


class World(NamedTuple):
    """Which way is up."""

    up: str
    sense: str

    @property
    def about(self) -> dict[str, Any]:
        """The conventions of the session."""
        return {
            "axes": {"x": "right", "y": self.up, "handedness": "right" if self.up == "up" else "left"},
            "angles": {"unit": "deg", "zero": "x", "sense": self.sense},
            "units": {"position": "m"},
        }


WORLDS = {"y up": World("up", "counter-clockwise"), "y down": World("down", "clockwise")}


def scene(form: Form, world: World, *places: Any, missing: tuple[int, ...] = ()) -> Trace:
    """Return a session in which `a` is on these places along the first axis, and `b` stays at 0."""
    states = []
    for row, x in enumerate(places):
        state = {}
        for who, at in (("a", x), ("b", 0.0)):
            if at is None:
                continue
            position = None if who == "b" and row in missing else (at, *[0.0] * (form.parts - 1))
            told = {
                name: value + at if form.shape.form == "edges" and name in ("left", "right") else value
                for name, value in form.turned.items()
            }
            if position is None and form.shape.form == "edges":
                told = dict.fromkeys(told)
            state[who] = {"position": position, **told}
        states.append(state)
    kinds = {"a": "crate", "b": "rock"}
    return make_trace(states, kinds=kinds, shapes={"crate": form.shape, "rock": form.shape}, **world.about)


ARMS: dict[str, tuple[str, str, tuple[float, ...], tuple[float, ...]]] = {
    # which way y points, the sense of angles, a turn, and where what lies a metre to the east is then
    "an angle, y up": ("up", "counter-clockwise", (30.0,), (math.sqrt(0.75), 0.5)),
    "an angle, y up, clockwise": ("up", "clockwise", (30.0,), (math.sqrt(0.75), -0.5)),
    "an angle, y down": ("down", "clockwise", (30.0,), (math.sqrt(0.75), 0.5)),
    "an angle, y down, counter-clockwise": ("down", "counter-clockwise", (30.0,), (math.sqrt(0.75), -0.5)),
    "a quaternion": ("up", "counter-clockwise", (0.0, 0.0, math.sqrt(0.5), math.sqrt(0.5)), (0.0, 1.0, 0.0)),
}


def arm(case: str) -> Trace:
    """Return a session of a keg that lies a metre to the east of its position, and is turned about that."""
    up, sense, turn, _ = ARMS[case]
    parts = 2 if len(turn) == 1 else 3
    shape = (
        Shape.circle(0.25, offset=(1, 0), turn="turn")
        if parts == 2
        else Shape.sphere(0.25, offset=(1, 0, 0), turn="turn")
    )
    state = {"position": (0.0,) * parts, "turn": turn[0] if parts == 2 else turn}
    about = {**World(up, sense).about, "units": {"position": "m", "turn": "deg" if parts == 2 else ""}}
    return make_trace([{"a": state}] * 2, kinds={"a": "crate"}, shapes={"crate": shape}, **about)
