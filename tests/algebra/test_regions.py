"""Regions put together, regions that are there at times, and tiled levels."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import shapely

from breadcrumb import Box, Capsule, Circle, Polygon, Shape, Tiles, Trace, TurnedBox, Verdict
from breadcrumb.checks import collisions, movement
from breadcrumb.errors import Misuse
from breadcrumb.testing import make_trace

WEST, EAST, HOLE = Box((0, 0), (4, 4)), Box((4, 0), (8, 4)), Circle((4, 2), 1.0)
NAN = float("nan")
LEVEL = ["........", "..##....", "........", "########"]


def walker(*places: tuple[float, float], shape: Shape | None = None) -> Trace:
    """Return a session of a keg on these places, and of a bell that rings on the second frame."""
    states = [{"keg": {"position": place}} for place in places]
    events = [(1, "bell.rung", None)] if len(places) > 1 else []
    shapes = {} if shape is None else {"keg": shape}
    return make_trace(
        states,
        kinds={"keg": "keg"},
        events=events,
        shapes=shapes,
        axes={"x": "right", "y": "up"},
        units={"position": "m"},
    )


def bay() -> Any:
    """Return two boxes side by side, less a circle on their border."""
    return (WEST | EAST) - HOLE


@pytest.mark.parametrize(
    ("how", "combined"),
    [("or", WEST | EAST), ("and", Box((0, 0), (5, 5)) & EAST), ("without", WEST - HOLE), ("both", bay())],
)
def test_what_is_put_together_has_the_inside_that_it_says(how: str, combined: Any) -> None:
    """A point is in regions that were put together as Shapely has it, wherever it is."""
    shapes = {
        "or": shapely.box(0, 0, 8, 4),
        "and": shapely.box(4, 0, 5, 4),
        "without": shapely.box(0, 0, 4, 4) - shapely.Point(4, 2).buffer(1.0, quad_segs=256),
        "both": shapely.box(0, 0, 8, 4) - shapely.Point(4, 2).buffer(1.0, quad_segs=256),
    }
    x, y = np.random.default_rng(1).uniform(-2, 10, (2, 5000))
    depth = combined.depth([x, y])
    off = np.abs(shapely.distance(shapely.boundary(shapes[how]), shapely.points(x, y)))
    clear = (off > 0.01) & (np.abs(depth) > 1e-9)
    np.testing.assert_array_equal((depth > 0)[clear], shapely.contains(shapes[how], shapely.points(x, y))[clear])
    assert (depth <= off + 0.01).all(), "it is never deeper inside than the border is far"
    drawn = [shapely.LinearRing(outline) for outline in combined.outlines()]
    area = sum(shapely.Polygon(ring).area * (1 if ring.is_ccw else -1) for ring in drawn)
    assert area == pytest.approx(shapes[how].area, rel=0.01), "what is drawn is as large as what is inside"


@pytest.mark.parametrize(
    "shape", [None, Shape.circle(0.4), Shape.box(0.8, 0.8), Shape.capsule((-0.2, 0), (0.2, 0), 0.2)]
)
def test_a_body_crosses_what_is_put_together(shape: Shape | None) -> None:
    """A body on the border of two regions side by side is inside both together, and outside what was taken away."""
    assert (
        movement.stays_inside(walker((1, 1), (4, 0.5), (7, 1), shape=shape).all("keg"), WEST | EAST).outcome == "held"
    )
    gone = movement.stays_inside(walker((1, 1), (4, 2), (7, 1), shape=shape).all("keg"), bay())
    assert gone.first is not None
    assert (gone.first.frame, gone.breach_count) == (1, 1)
    outside = movement.stays_outside(
        walker((9, 1), (8.3, 2), (3, 1), shape=shape).all("keg"), WEST & Box((2, 0), (9, 9))
    )
    assert outside.first is not None
    assert outside.first.frame == 2
    assert collisions.touching(
        walker((9, 1), (5, 2), (3, 0.7), shape=shape).all("keg"), WEST - HOLE
    ).first.tolist() == [2]


def test_a_region_may_be_there_at_times() -> None:
    """A region during spans is touched only while it is there, and nothing is inside it at any other time."""
    trace = walker((1, 1), (1, 1), (1, 1), (9, 9))
    ring = Circle((1, 1), 0.5).during((trace.one("keg").position.x < 5).spans())
    assert movement.stays_outside(trace.all("keg"), ring).breach_count == 3
    assert movement.stays_inside(trace.all("keg"), ring).breach_count == 1
    assert str(ring).startswith("the circle of 0.5 about (1, 1) during ")


def test_what_does_not_fit_together_is_refused() -> None:
    """Regions of other dimensions, and points without a time, are errors."""
    with pytest.raises(Misuse, match="as many dimensions"):
        WEST | Box((0, 0, 0), (1, 1, 1))
    trace = walker((1, 1))
    with pytest.raises(Misuse, match="without a time"):
        WEST.during((trace.one("keg").position.x < 5).spans()).depth([np.zeros(1), np.zeros(1)])


@pytest.mark.parametrize("up", [True, False])
@pytest.mark.parametrize("size", [1.0, (2.0, 1.5)])
def test_a_level_of_tiles_is_as_deep_as_its_boxes(up: bool, size: Any) -> None:
    """How far places are from the border of what is solid, up to half a tile, is what Shapely says of all tiles."""
    draw = np.random.default_rng(4)
    level = Tiles(draw.random((12, 15)) < 0.35, size, origin=(-3, 4), up=up)
    boxes = shapely.union_all([shapely.Polygon(one) for one in level.outlines()])
    x, y = draw.uniform(-12, 35, 20_000), draw.uniform(-25, 30, 20_000)
    points, half = shapely.points(x, y), np.min(size) / 2
    away = np.where(
        shapely.contains(boxes, points),
        shapely.distance(shapely.boundary(boxes), points),
        -shapely.distance(boxes, points),
    )
    np.testing.assert_allclose(level.depth([x, y]), np.clip(away, -half, half), atol=1e-9)
    assert np.isnan(level.depth([np.array([np.nan]), np.array([0.0])])).all()


RULES: dict[str, tuple[Shape | None, tuple[float, float], str]] = {
    # a shape, a place where it is in a tile, and what is said
    "a point": (None, (2.5, 2.6), "0.4 m inside the tile in row 1, column 2"),
    "a box": (Shape.box(0.8, 1.0), (4, 1.4), "0.1 m inside the tile in row 3, column 3"),
    "a circle": (Shape.circle(0.5), (4.5, 1.3), "0.2 m inside the tile in row 3, column 4"),
    "a long box": (Shape.box(7.0, 0.25), (4, 0.9), "0.225 m inside the tile in row 3, column 0"),
}


@pytest.mark.parametrize("rule", RULES)
def test_a_breach_names_the_tile(rule: str) -> None:
    """What stays outside a level holds until it is in a tile; the breach says which one."""
    shape, place, said = RULES[rule]
    level = Tiles(LEVEL, 1.0, origin=(0, 4))
    trace = walker((0.5, 1.7), place, (0.5, 1.7), shape=None if shape is None else shape)
    if rule == "a long box":
        trace = walker((4, 1.7), place, (4, 1.7), shape=shape)
    verdict: Verdict = movement.stays_outside(trace.all("keg"), level)
    assert verdict.first is not None
    assert (verdict.first.frame, verdict.first.words) == (1, said)
    assert (
        movement.stays_outside(
            walker((0.5, 1.7), (6.0, 1.7), shape=shape if rule != "a long box" else None).all("keg"), level
        ).outcome
        == "held"
    )


WRONG: dict[str, tuple[Callable[[], Any], str]] = {
    "rows of two lengths": (lambda: Tiles(["..", "#"], 1.0), "rows of one length, found [1, 2]"),
    "no rows": (lambda: Tiles([], 1.0), "rows of one length, found none"),
    "no side": (lambda: Tiles(["#"], 0.0), "sides longer than 0"),
    "tiles of no size": (lambda: Tiles(["#"], NAN), "Tiles: expected finite numbers, found nan"),
    "an endless box": (lambda: Box((0, -math.inf), (1, 1)), "Box: expected finite numbers, found -inf"),
    "a box of no place": (lambda: Box((NAN, 0), (1, 1)), "Box: expected finite numbers, found nan"),
    "a circle of no place": (lambda: Circle((0, NAN), 1.0), "Circle: expected finite numbers, found nan"),
    "an endless circle": (lambda: Circle((0, 0), math.inf), "Circle: expected finite numbers, found inf"),
    "a corner of no place": (lambda: Polygon(((0, 0), (1, NAN), (0, 1))), "Polygon: expected finite numbers"),
    "a turn of no angle": (lambda: TurnedBox((0, 0), (1, 1), NAN), "TurnedBox: expected finite numbers"),
    "a capsule of no end": (lambda: Capsule((0, 0), (1, NAN), 1.0), "Capsule: expected finite numbers"),
}


@pytest.mark.parametrize("wrong", WRONG)
def test_what_is_no_region_is_refused(wrong: str) -> None:
    """Rows of other lengths, tiles without a side, and what is nowhere or endless, are errors."""
    make, said = WRONG[wrong]
    with pytest.raises(Misuse) as caught:
        make()
    assert said in str(caught.value)


def test_a_polygon_with_a_notch_holds_bodies_by_its_corners_too() -> None:
    """A corner that points inward may reach into the side of a body whose own corners are all inside."""
    notched = Polygon(((0, 0), (8, 0), (8, 4), (4, 1), (0, 4)))
    trace = walker((4, 0.6), (4, 0.6), shape=Shape.box(2.0, 0.7))
    assert movement.stays_inside(trace.all("keg"), notched).outcome == "held"
    wide = walker((4, 0.8), (4, 0.8), shape=Shape.box(2.0, 0.7))
    assert movement.stays_inside(wide.all("keg"), notched).outcome == "broken"
