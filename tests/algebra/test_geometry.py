"""Angles, spaces, easings, shapes, rays, and what is near what."""

import math
import operator
import re
from contextlib import nullcontext
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from breadcrumb import (
    Box,
    Capsule,
    Circle,
    Polygon,
    Recorder,
    Spans,
    Trace,
    TurnedBox,
    frames,
    open_trace,
    sum_over_objects,
)
from breadcrumb.algebra.along import delayed, following, smoothed_second_rate
from breadcrumb.algebra.easing import CURVES, curve_of
from breadcrumb.algebra.latest import latest
from breadcrumb.algebra.pairs import near_pairs
from breadcrumb.checks.rays import first_hit
from breadcrumb.errors import AngleWarning, Misuse, UnknownName
from breadcrumb.testing import make_trace

CONVENTIONS: dict[str, tuple[dict[str, str], dict[str, str], tuple[float, ...], float]] = {
    # axes, angles, a direction, and its bearing worked out by hand
    "east is 0, counter-clockwise": ({"x": "east", "y": "north"}, {"unit": "deg", "zero": "east", "sense": "counter-clockwise"}, (0.0, 1.0), 90.0),
    "north is 0, clockwise": ({"x": "east", "y": "north"}, {"unit": "deg", "zero": "north", "sense": "clockwise"}, (1.0, 0.0), 90.0),
    "north is 0, clockwise, to the south-west": ({"x": "east", "y": "north"}, {"unit": "deg", "zero": "north", "sense": "clockwise"}, (-1.0, -1.0), 225.0),
    "a screen, y down": ({"x": "right", "y": "down"}, {"unit": "deg", "zero": "right", "sense": "clockwise"}, (0.0, 1.0), 90.0),
    "a screen, counter-clockwise": ({"x": "right", "y": "down"}, {"unit": "deg", "zero": "x", "sense": "counter-clockwise"}, (0.0, 1.0), 270.0),
    "radians": ({"x": "right", "y": "up"}, {"unit": "rad", "zero": "right", "sense": "counter-clockwise"}, (0.0, 2.0), math.pi / 2),
    "z up": ({"z": "up"}, {"unit": "deg", "zero": "x", "sense": "counter-clockwise"}, (0.0, 1.0, 5.0), 90.0),
    "y up, right-handed": ({"y": "up", "handedness": "right"}, {"unit": "deg", "zero": "x", "sense": "counter-clockwise"}, (0.0, 5.0, 1.0), 270.0),
    "y up, left-handed": ({"y": "up", "handedness": "left"}, {"unit": "deg", "zero": "x", "sense": "counter-clockwise"}, (0.0, 5.0, 1.0), 90.0),
    "zero the other way": ({"x": "east", "y": "north"}, {"unit": "deg", "zero": "west", "sense": "counter-clockwise"}, (0.0, -1.0), 90.0),
}  # fmt: skip


@pytest.mark.parametrize("name", CONVENTIONS)
def test_a_bearing_obeys_the_session_s_conventions(name: str) -> None:
    """Zero direction, sense, unit, handedness and the way of y are what `about` says, and nothing is assumed."""
    axes, angles, way, expected = CONVENTIONS[name]
    states = [{"a": {"p": (0.0,) * len(way), "yaw": expected}}]
    trace = make_trace(states, kinds={"a": "skiff"}, axes=axes, angles=angles)
    bearing = trace.one("skiff").p.bearing_to(way)
    assert bearing.values.tolist() == pytest.approx([expected])
    assert bearing.unit == angles["unit"]
    flat = np.array(
        [0.0 if len(way) == 3 and axes.get(axis) == "up" else part for axis, part in zip("xyz", way, strict=False)]
    )
    ahead = trace.one("skiff").yaw.unit_vector().values
    assert ahead == pytest.approx(flat[None] / np.linalg.norm(flat), abs=1e-12)


def test_what_is_not_declared_is_asked_for() -> None:
    """A bearing without a zero direction, and an unwrapping without a unit, say which field is missing."""
    trace = make_trace([{"a": {"p": (0.0, 0.0), "yaw": 1.0}}], kinds={"a": "skiff"}, angles={"unit": "deg"})
    with pytest.raises(Misuse, match="zero"):
        trace.one("skiff").p.bearing_to((1, 1))
    bare = make_trace([{"a": {"yaw": 1.0}}], kinds={"a": "skiff"})
    with pytest.raises(Misuse, match="'yaw': 'deg'"):
        bare.one("skiff").yaw.unwrapped()


def _spinning(step: float, count: int = 120, **about: Any) -> Trace:
    return make_trace([{"a": {"yaw": (step * n) % 360}} for n in range(count)], kinds={"a": "buoy"}, **about)


def test_unwrapping_is_per_lifetime_and_warns_of_doubt() -> None:
    """Laps are counted across the wrap, anew in each lifetime, and steps near half a turn are warned of."""
    yaw = _spinning(70.0, angles={"unit": "deg"}).one("buoy").yaw
    assert yaw.unwrapped().values.tolist() == pytest.approx([70.0 * n for n in range(120)])
    assert yaw.rate().values[1:].tolist() == pytest.approx([700.0] * 119)
    states: list[dict[str, Any]] = [{"a": {"yaw": 350.0}}, {"a": {"yaw": 10.0}}, {}, {"a": {"yaw": 20.0}}]
    two = make_trace(states, kinds={"a": "buoy"}, angles={"unit": "deg"}).one("buoy").yaw
    assert two.unwrapped().values.tolist() == [350.0, 370.0, 20.0]
    with pytest.warns(AngleWarning, match="is ambiguous"):
        _spinning(170.0, angles={"unit": "deg"}).one("buoy").yaw.unwrapped()


def test_radians_declared_as_degrees_are_warned_of() -> None:
    """Values that go once round between -2 pi and 2 pi are plainly no degrees."""
    states = [{"a": {"yaw": 0.1 * n % 6.2}} for n in range(120)]
    trace = make_trace(states, kinds={"a": "buoy"}, angles={"unit": "deg"})
    with pytest.warns(AngleWarning, match="are these radians"):
        trace.one("buoy").yaw.unwrapped()


def test_spaces_go_to_and_fro() -> None:
    """What is relative to a turned owner comes back to the world the same; by an angle and by a quaternion."""
    half = math.radians(30) / 2
    states = [
        {"boat": {"p": (3.0, 4.0, 1.0), "yaw": 30.0, "turn": (0.0, 0.0, math.sin(half), math.cos(half)), "tip": (5.0, 1.0, 2.0)}}
    ]  # fmt: skip
    trace = make_trace(
        states, kinds={"boat": "skiff"}, axes={"z": "up"}, angles={"unit": "deg", "zero": "x", "sense": "counter-clockwise"}
    )  # fmt: skip
    boat = trace.one("skiff")
    by_angle, by_quaternion = (boat.tip.relative_to(boat.p, turn) for turn in (boat.yaw, boat.turn))
    cos, sin = math.cos(math.radians(-30)), math.sin(math.radians(-30))
    for tip in (by_angle, by_quaternion):
        assert tip.values[0].tolist() == pytest.approx([2 * cos + 3 * sin, 2 * sin - 3 * cos, 1.0])
    assert by_angle.to_world(boat.p, boat.turn).values[0].tolist() == pytest.approx([5.0, 1.0, 2.0])
    with pytest.raises(Misuse, match="parent space and the second in world space"):
        _ = by_angle - boat.p


def test_values_of_two_spaces_are_never_mixed() -> None:
    """A declared space is part of a property, and mixing two of them names both."""
    trace = make_trace(
        [{"a": {"p": (0.0, 0.0), "mark": (1.0, 1.0)}}], kinds={"a": "skiff"}, spaces={"mark": "screen"}
    )  # fmt: skip
    with pytest.raises(Misuse, match="world space and the second in screen space"):
        trace.one("skiff").p.distance_to(trace.one("skiff").mark)


@pytest.mark.parametrize("name", CURVES)
def test_every_curve_begins_at_0_and_ends_at_1(name: str) -> None:
    """An easing goes from nothing to all; in-out is half-way at half the time, and out is in the other way round."""
    curve = CURVES[name]
    assert np.asarray(curve(np.array([0.0, 1.0]))).tolist() == pytest.approx([0.0, 1.0])
    if name.endswith("in-out"):
        assert np.asarray(curve(np.array([0.5]))).tolist() == pytest.approx([0.5])
    if name.endswith(" in"):
        u = np.linspace(0, 1, 11)
        assert np.allclose(CURVES[name[:-3] + " out"](u), 1 - np.asarray(curve(1 - u)))


def test_a_wrong_curve_is_an_error() -> None:
    """A misspelt curve names the near ones; key points must go from 0 to 1."""
    with pytest.raises(UnknownName, match="cubic in-out"):
        curve_of("cubic inout")
    with pytest.raises(Misuse, match="rise from 0 to 1"):
        curve_of([(0.0, 0.0), (0.5, 1.0)])
    assert curve_of([(0.0, 0.0), (0.5, 1.0), (1.0, 1.0)])(np.array([0.25])).tolist() == [0.5]


SHAPES: dict[str, tuple[Any, tuple[float, float], float, float]] = {
    # a shape, a point, how deep it is inside, and how far east of x = -10 on y = 0 a ray meets the shape
    "circle": (Circle((0, 0), 2), (1.0, 0.0), 1.0, 8.0),
    "box": (Box((-3, -1), (3, 1)), (2.5, 0.0), 0.5, 7.0),
    "turned box": (TurnedBox((0, 0), (2, 6), 90), (2.5, 0.0), 0.5, 7.0),
    "polygon": (Polygon(((-3, -1), (3, -1), (3, 1), (-3, 1))), (4.0, 0.0), -1.0, 7.0),
    "capsule": (Capsule((-2, 0), (2, 0), 1), (2.0, 0.5), 0.5, 7.0),
    "upright capsule": (Capsule((0, -2), (0, 2), 1), (0.0, 3.5), -0.5, 9.0),
}


@pytest.mark.parametrize("name", SHAPES)
def test_shapes_know_their_inside_and_where_a_ray_meets_them(name: str) -> None:
    """The depth of a point and the first hit of a ray are those worked out by hand."""
    shape, point, depth, hit = SHAPES[name]
    assert shape.depth([np.array([part]) for part in point]).tolist() == pytest.approx([depth])
    states = [{"a": {"p": (-10.0, 0.0), "way": (2.0, 0.0), "back": (-1.0, 0.0)}}]
    lamp = make_trace(states, kinds={"a": "lamp"}).one("lamp")
    assert first_hit(lamp.p, lamp.way, [shape]).values.tolist() == pytest.approx([hit])
    nearby = lamp.p - (-3.0, 0.0)
    assert not first_hit(lamp.p, lamp.back, [shape]).usable.any()
    assert not first_hit(lamp.p, lamp.way, [shape], at_most=hit - 0.1).usable.any()
    assert first_hit(lamp.p, lamp.way, [shape, (nearby, 1.0)]).values.tolist() == pytest.approx([2.0])


@pytest.mark.parametrize("odd", ["nan", "inf"])
@pytest.mark.parametrize("name", SHAPES)
def test_a_ray_that_points_nowhere_meets_nothing(name: str, odd: str) -> None:
    """A direction or an origin that is no number, or infinite, hits no shape that it does not begin in."""
    states = [{"a": {"p": (-10.0, 0.0), "way": (1.0, 0.0), "odd": (float(odd), 0.0)}}]
    lamp = make_trace(states, kinds={"a": "lamp"}).one("lamp")
    for origin, way in ((lamp.p, lamp.odd), (lamp.odd, lamp.way)):
        assert not first_hit(origin, way, [SHAPES[name][0]]).usable.any()


@pytest.mark.parametrize(("radius", "at_most"), [(math.nan, 9.0), (0.0, 9.0), (math.inf, 9.0), (1.0, math.nan)])
def test_a_ray_of_no_length_or_a_ball_of_no_radius_is_an_error(radius: float, at_most: float) -> None:
    """What would meet nothing, whatever is in its way, is refused; and so is a comparison with what is no number."""
    states = [{"a": {"p": (-10.0, 0.0), "n": 0.0}}]
    lamp = make_trace(states, kinds={"a": "lamp"}).one("lamp")
    with pytest.raises(Misuse, match="first_hit: expected"):
        first_hit(lamp.p, lamp.p * 0.0 + (1.0, 0.0), [(lamp.p, radius)], at_most=at_most)
    for compare in (operator.gt, operator.le, operator.eq, operator.ne):
        for sides in ((lamp.n, math.nan), (np.float64("nan"), lamp.n)):
            with pytest.raises(Misuse, match="expected a number to compare with, found nan"):
                compare(*sides)


def test_near_pairs_are_those_of_all_comparisons() -> None:
    """The sweep finds the same pairs as comparing each with each; swept, also those that pass between two frames."""
    draw = np.random.default_rng(3)
    steps = draw.normal(0, [[0.1, 0.1]] * 9 + [[4.0, 0.0]] * 3, (40, 12, 2))  # most drift, some are anywhere
    places = draw.uniform(-5, 5, (12, 2)) + np.cumsum(steps, axis=0)
    there = draw.random((40, 12)) < 0.9
    states = [
        {f"k{n}": {"p": tuple(places[row, n].tolist()) if there[row, n] else None} for n in range(12)}
        for row in range(40)
        if row not in (5, 17)
    ]
    states[20]["k3"] = {"p": (float("nan"), 0.0)}
    p = make_trace(states, kinds={f"k{n}": "keg" for n in range(12)}).all("keg").p
    pairs = near_pairs(p, p, 2.0)
    found = {(int(a), int(b)) for a, b in zip(pairs.mine, pairs.yours, strict=True)}
    values, row, lifetime = p.values, p.track.clock_index, p.track.lifetime
    expected = {
        (a, b)
        for a in range(len(values))
        for b in range(len(values))
        if row[a] == row[b] and lifetime[a] != lifetime[b] and np.hypot(*(values[a] - values[b])) <= 2.0
    }
    assert found == expected
    crossing = [{"a": {"p": (x, 0.0)}, "b": {"p": (-x, 0.1)}} for x in (-5.0, 5.0)]
    two = make_trace(crossing, kinds={"a": "keg", "b": "keg"}).all("keg").p
    assert not len(near_pairs(two, two, 0.5).mine)
    assert near_pairs(two, two, 0.5, swept=True).distance.tolist() == pytest.approx([0.1, 0.1])


def test_values_along_a_lifetime_never_leave_it() -> None:
    """The value behind, the one a while ago, the sum on a frame and the last moment so far stop at a lifetime's borders."""
    states: list[dict[str, Any]] = [{"a": {"n": float(n)}} if n != 3 else {} for n in range(6)]
    trace = make_trace(states, kinds={"a": "keg"}, events=[(1, "tap", "a"), (4, "tap", "a")])
    n = trace.one("keg").n
    assert following(n).usable.tolist() == [True, True, False, True, False]
    assert delayed(n, frames(1)).usable.tolist() == [False, True, True, False, True]
    assert latest(n.track, trace.events("tap")).tolist() == [-1, 0, 0, 1, 1]
    both = make_trace([{"a": {"n": 1.0}, "b": {"n": 2.0}}, {"a": {"n": 4.0}}], kinds={"a": "keg", "b": "keg"})
    assert sum_over_objects(both.all("keg").n).values.tolist() == [3.0, 4.0]


def test_a_smoothed_acceleration_is_that_of_the_best_parabola() -> None:
    """On a parabola with noise it is near the truth where the plain one is far off, and missing at the borders."""
    draw = np.random.default_rng(1)
    heights = [4 - 4.9 * (n / 10) ** 2 + noise for n, noise in enumerate(draw.normal(0, 0.001, 60).tolist())]
    z = make_trace([{"a": {"z": height}} for height in heights], kinds={"a": "keg"}).one("keg").z
    smooth = smoothed_second_rate(z, 15)
    assert smooth.usable.tolist() == [False] * 7 + [True] * 46 + [False] * 7
    assert np.abs(smooth.values[7:53] + 9.8).max() < 0.05
    assert np.abs(z.second_rate().values[2:] + 9.8).max() > 0.1


CAMERAS: dict[str, tuple[dict[str, Any], tuple[float, float], tuple[float, ...]]] = {
    # what the camera has beside its position (0, 0, 10) and a screen of 200 x 100, a point, and the ray worked out by hand
    "the middle, level": ({"field_of_view": 90.0, "yaw": 0.0}, (100.0, 50.0), (1.0, 0.0, 0.0)),
    "the upper edge is half the view up": ({"field_of_view": 90.0, "yaw": 0.0}, (100.0, 0.0), (1.0, 0.0, 1.0)),
    "the right edge is as much farther as the screen is wide": ({"field_of_view": 90.0, "yaw": 0.0}, (200.0, 50.0), (1.0, -2.0, 0.0)),
    "turned to the north": ({"field_of_view": 90.0, "yaw": 90.0}, (200.0, 50.0), (2.0, 1.0, 0.0)),
    "straight down": ({"field_of_view": 90.0, "yaw": 0.0, "pitch": -90.0}, (100.0, 0.0), (1.0, 0.0, -1.0)),
    "rolled onto its right side": ({"field_of_view": 90.0, "yaw": 0.0, "roll": 90.0}, (100.0, 0.0), (1.0, -1.0, 0.0)),
    "by a quaternion, to the north": ({"field_of_view": 90.0, "orientation": (0.0, 0.0, 0.5**0.5, 0.5**0.5)}, (200.0, 50.0), (2.0, 1.0, 0.0)),
    "parallel": ({"view_height": 20.0, "yaw": 0.0, "pitch": -90.0}, (200.0, 50.0), (0.0, 0.0, -1.0)),
}  # fmt: skip


@pytest.mark.parametrize("name", CAMERAS)
def test_a_point_on_the_screen_becomes_a_ray_and_comes_back(name: str) -> None:
    """A ray through a pixel is what the camera's place, turn and lens make it, and what it meets is seen at that pixel."""
    lens, point, expected = CAMERAS[name]
    camera = {"position": (0.0, 0.0, 10.0), "screen": (200.0, 100.0), **lens}
    trace = make_trace(
        [{"eye": camera, "mouse": {"place": point}}], kinds={"eye": "camera", "mouse": "pointer"}, axes={"z": "up"},
        angles={"unit": "deg", "zero": "x", "sense": "counter-clockwise"}, spaces={"place": "screen"},
        units={"field_of_view": "deg", "position": "m"},
    )  # fmt: skip
    eye, place = trace.one("camera"), trace.one("pointer").place
    ray = place.to_ray(eye)
    length = math.hypot(*expected)
    assert ray.direction.values[0].tolist() == pytest.approx([part / length for part in expected])
    there = ray.origin + ray.direction * 7.0
    assert there.on_screen(eye).values[0].tolist() == pytest.approx(list(point))
    water = ray.on_plane("z", 0.0)
    assert water.usable.tolist() == [expected[2] < 0]
    if expected[2] < 0:
        assert water.values[0][2] == pytest.approx(0.0)
        assert water.on_screen(eye).values[0].tolist() == pytest.approx(list(point))
    with pytest.raises(Misuse, match="world space"):
        eye.position.to_ray(eye)


@pytest.mark.parametrize(("name", "value", "said"), [
    ("position", (0.0, 0.0), "a camera's position: expected a vector of 3 parts, found position of the camera, which is a vector of 2 parts"),
    ("screen", 640.0, "a camera's screen: expected a vector of 2 parts, found screen of the camera, which is a number"),
    ("view_height", "tall", "a camera's view_height: expected a number, found view_height of the camera, which is a text"),
    ("yaw", "north", "a camera's yaw: expected an angle, found yaw of the camera, which is a text"),
    ("orientation", (0.0, 0.0, 1.0), "a camera's orientation: expected a quaternion, found orientation of the camera, which is a vector of 3 parts"),
    ("place", (1.0, 2.0, 3.0), "to_ray: expected a vector of 2 parts, found place of the camera, which is a vector of 3 parts"),
    ("screen", (0.0, 0.0), ""),
])  # fmt: skip
def test_a_camera_that_is_recorded_wrongly_is_refused(name: str, value: Any, said: str) -> None:
    """A property of another sort or size is an error that names it, never a place; a screen without size shows nothing."""
    eye = {
        "position": (0.0, 0.0, 9.0),
        "screen": (64.0, 48.0),
        "view_height": 9.0,
        "yaw": 0.0,
        "place": (1.0, 2.0),
        name: value,
    }
    about: dict[str, Any] = {
        "axes": {"z": "up"},
        "angles": {"unit": "deg", "zero": "x", "sense": "clockwise"},
        "spaces": {"place": "screen"},
    }
    camera = make_trace([{"eye": eye}], kinds={"eye": "camera"}, **about).one("camera")
    with pytest.raises(Misuse, match=f"^{re.escape(said)}$") if said else nullcontext():
        assert not camera.place.to_ray(camera).origin.usable.any()


def test_what_is_behind_the_camera_is_not_on_its_screen() -> None:
    """A point behind the eye has no place on the screen, nor has one whose own place is missing."""
    eye = {
        "position": (0.0, 0.0, 0.0),
        "screen": (800.0, 600.0),
        "field_of_view": 90.0,
        "yaw": 0.0,
        "pitch": 0.0,
        "roll": 0.0,
    }
    places = [(5.0, 0.0, 0.0), (-5.0, 0.0, 0.0), None, (5.0, 1.0, 1.0)]
    states: list[dict[str, dict[str, Any]]] = [{"eye": eye, "keg": {"position": place}} for place in places]
    axes = {"x": "east", "y": "north", "z": "up"}
    trace = make_trace(
        states, kinds={"eye": "camera", "keg": "keg"}, axes=axes, units={"field_of_view": "deg"},
        angles={"unit": "deg", "zero": "east", "sense": "counter-clockwise"},
    )  # fmt: skip
    seen = trace.one("keg").position.on_screen(trace.one("camera"))
    assert seen.usable.tolist() == [True, False, False, True]
    assert seen.values[0].tolist() == pytest.approx([400.0, 300.0])
    assert seen.values[3].tolist() == pytest.approx([340.0, 240.0])


def test_a_spin_by_quaternions_is_an_angle() -> None:
    """The turn about an axis is followed through whole turns and through the change of sign of a quaternion."""
    halves = [math.radians(9 * n) / 2 for n in range(120)]
    hands = [(0.0, 0.0, math.sin(half), math.cos(half)) for half in halves]
    states = [{"c": {"hand": tuple(-part for part in hand) if n % 2 else hand}} for n, hand in enumerate(hands)]
    hand = make_trace(states, kinds={"c": "clock"}, angles={"unit": "deg"}).one("clock").hand
    assert hand.turn_about("z").unwrapped().values.tolist() == pytest.approx([9.0 * n for n in range(120)])
    assert np.abs(hand.turn_about("x").values).max() == pytest.approx(0.0)


def test_a_part_of_a_trace_is_a_trace() -> None:
    """In one span alone, lifetimes, moments, parameters and signals are those of its frames, and nothing reaches outside."""
    states: list[dict[str, Any]] = [
        {"a": {"n": float(n)}, **({"b": {"n": 0.0}} if n in (1, 2, 5) else {})} for n in range(8)
    ]
    events = [(1, "bell.rung", "a"), (4, "bell.rung", "a", None, {"k": 4}), (6, "bell.rung", "b")]
    trace = make_trace(states, kinds={"a": "keg", "b": "keg"}, events=events, parameters={"cap": 2.0})
    part = trace.during(((trace.one(id="a").n >= 2) & (trace.one(id="a").n <= 5)).spans()[0])
    kegs = part.all("keg")
    assert (part.clock.frames.tolist(), part.parameter("cap"), part.events("bell.rung")["k"].tolist()) == (
        [2, 3, 4, 5],
        2.0,
        [4.0],
    )
    assert (kegs.appears.frames.tolist(), kegs.leaves.frames.tolist()) == ([5], [3])
    assert part.one(id="a").n.values.tolist() == [2.0, 3.0, 4.0, 5.0]
    assert (part.one(id="a").n.frames.tolist(), kegs.lifetimes.starts().frames.tolist()) == ([2, 3, 4, 5], [2, 2, 5])
    assert [one.values.tolist() for one in trace.all("keg").n.per(trace.one(id="b").lifetimes)] == [[0.0, 0.0], [0.0]]
    with pytest.raises(Misuse, match="has 3"):
        trace.during(trace.all("keg").lifetimes)


def test_a_part_of_a_trace_has_what_appears_before_it_is_sampled(tmp_path: Path) -> None:
    """An object that is sampled on some frames only is there from the frame on which it appears."""
    moths: list[SimpleNamespace] = []
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch_each(lambda: moths, kind="moth", id="name", every=4, x="x")
        for frame in range(10):
            if frame == 3:
                moths.append(SimpleNamespace(name="m", x=1.0))
                rec.event("moth.came")
            rec.frame(frame / 10)
    trace = open_trace(tmp_path / "a.crumbs")
    came = Spans.following(trace.events("moth.came"), frames(0), own_frame=True)
    assert trace.during(came[0]).all("moth").ids == ("m",)
