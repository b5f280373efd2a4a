"""Objects with size and turn: one scene for each shape, and every check that bodies matter to."""

import math
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import numpy as np
import pytest

from breadcrumb import Box, Capsule, Circle, Polygon, Shape, Trace, TurnedBox, Verdict, frames
from breadcrumb.checks import collisions, movement, rays, spawns
from breadcrumb.errors import Misuse
from breadcrumb.testing import make_trace
from forms import ARMS, EIGHT, FORMS, WORLDS, arm, scene

ALL = pytest.mark.parametrize(("form", "world"), [(form, world) for form in FORMS for world in WORLDS])


RULES: dict[str, Callable[[Trace], Verdict]] = {
    "never_touches": lambda t: collisions.never_touches(t.all("crate"), t.all("rock")),
    "never_overlaps": lambda t: collisions.never_overlaps(t.all("crate"), t.one("rock")),
    "never_overlaps, of a group": lambda t: collisions.never_overlaps(t.all("crate"), t.all("rock")),
}


@ALL
@pytest.mark.parametrize("rule", RULES)
def test_bodies_touch_by_their_surfaces(form: str, world: str, rule: str) -> None:
    """A rule of what touches holds as long as the surfaces are apart, and breaks on the first frame on which they meet."""
    shape, here = FORMS[form], WORLDS[world]
    assert RULES[rule](scene(shape, here, -5.0, -3.0, -2.01)).outcome == "held"
    broken = RULES[rule](scene(shape, here, -5.0, -2.01, -1.9, -3.0))
    assert broken.outcome == "broken"
    assert broken.first is not None
    assert (broken.first.frame, broken.first.object, broken.breach_count) == (2, "a", 1)
    assert RULES[rule](scene(shape, here, None, None)).outcome == "untested"
    unknown = RULES[rule](scene(shape, here, -5.0, -1.0, -5.0, missing=(1,)))
    assert (unknown.outcome, unknown.tested) == ("held", 2)


@ALL
def test_how_deep_bodies_overlap_is_told(form: str, world: str) -> None:
    """An overlap is as deep as one of the two must move to part them; what is no deeper than allowed is none."""
    shape, here = FORMS[form], WORLDS[world]
    trace = scene(shape, here, -5.0, -1.9)
    deep = 0.1 * shape.share
    broken = collisions.never_overlaps(trace.all("crate"), trace.all("rock"), tol=deep - 0.001)
    assert broken.margin is not None
    assert broken.margin.value == pytest.approx(-0.001, abs=1e-6)
    assert collisions.never_overlaps(trace.all("crate"), trace.all("rock"), tol=deep + 0.001).outcome == "held"
    assert broken.first is not None
    assert str(shape.shape) in broken.rule.sentence or shape.shape.form == "edges"


@ALL
def test_bodies_are_inside_a_region_as_a_whole(form: str, world: str) -> None:
    """All of a body must be inside a region, or outside; and it is gone once all of it is."""
    shape, here = FORMS[form], WORLDS[world]
    trace = scene(shape, here, 0.0, 1.0, 1.9, 2.1, 5.0)
    size = (3.0, 4.0, 4.0)[: shape.parts]
    region = Box(tuple(-one for one in size), size)
    inside = movement.stays_inside(trace.all("crate"), region)
    assert inside.first is not None
    assert inside.first.frame == 3
    beyond = Box((5.5, *(-one for one in size[1:])), (9.0, *size[1:]))
    outside = movement.stays_outside(trace.all("crate"), beyond)
    assert outside.first is not None
    assert outside.first.frame == 4
    assert outside.first.words == f"{0.5:g} m inside"
    gone = spawns.leaves_when(trace.all("crate"), region, within=frames(0))
    assert gone.tested + gone.undecided == 1
    assert spawns.leaves_when(scene(shape, here, 0.0, 3.9).all("crate"), region, within=frames(0)).tested == 0


@ALL
def test_the_lowest_point_of_a_body_rests(form: str, world: str) -> None:
    """A body rests on what its lowest point is on, in whichever way up is."""
    shape, here = FORMS[form], WORLDS[world]
    if shape.shape.form == "box" and shape.parts == 3 and shape.turned:
        return  # its lowest corner is that of a turned box in plan, which is judged there
    height = -shape.low if here.up == "up" else shape.low
    trace = scene(shape, here, 0.0, 1.0)
    offset = shape.shape.offset
    if offset and here.up == "down":
        height = 1.5
    rested = collisions.rests_on(trace.all("crate"), height, tol=1e-9)
    assert rested.outcome == "held", rested.explain()
    assert collisions.rests_on(trace.all("crate"), height + 0.01, tol=1e-3).outcome == "broken"
    assert collisions.rests_on(trace.all("crate"), 0.0, below=0.0).outcome == "held"


@ALL
def test_what_passes_through_between_two_frames_is_found(form: str, world: str) -> None:
    """A body that is on one side of another one, and on the next frame on the other side, has tunnelled; no other has."""
    shape, here = FORMS[form], WORLDS[world]
    trace = scene(shape, here, -9.0, -5.0, 4.0, 6.0)
    through = collisions.never_tunnels(trace.all("crate"), trace.all("rock"))
    assert through.first is not None
    assert (through.first.frame, through.breach_count) == (2, 1)
    slowly = scene(shape, here, -5.0, -2.5, -1.0, 1.0, 2.5)
    assert getattr(collisions.never_tunnels(slowly.all("crate"), slowly.one("rock")).first, "frame", None) == 4
    bounces = scene(shape, here, -5.0, -2.05, -2.05, -5.0)
    assert collisions.never_tunnels(bounces.all("crate"), bounces.one("rock")).outcome == "held"


@ALL
def test_rays_meet_bodies_and_touches_are_reported(form: str, world: str) -> None:
    """A ray ends at the surface of a body, and a touch is told by the bodies' surfaces."""
    shape, here = FORMS[form], WORLDS[world]
    trace = scene(shape, here, -5.0, -3.0, -1.9, -3.0)
    position: Any = trace.one("crate").position
    east = position * 0.0 + (1.0, *[0.0] * (shape.parts - 1))
    if not shape.shape.offset:
        assert rays.first_hit(position, east, [trace.all("rock")]).values == pytest.approx([4.0, 2.0, 0.9, 2.0])
    touches = collisions.touching(trace.all("crate"), trace.all("rock"))
    assert touches.first.tolist() == [2]


@pytest.mark.parametrize("case", ARMS)
def test_a_body_turns_as_the_session_says(case: str) -> None:
    """Where a turned body is follows from the sense of angles and the way the axes point, or from the quaternion."""
    place, kegs = ARMS[case][-1], arm(case).all("crate")
    assert collisions.touching(kegs, Circle(place, 0.01)).count == 1
    assert collisions.touching(kegs, Circle(tuple(-part for part in place), 0.01)).count == 0
    assert collisions.touching(kegs, Circle((place[0], -place[1], *place[2:]), 0.01)).count == 0


def test_two_fast_bodies_meet_between_frames() -> None:
    """Two that pass through one another within a step touch on its end if the sweep is asked for, and tunnel."""
    about = WORLDS["y up"].about
    states = [{"a": {"position": (-4.0 + 8 * n, 0.0)}, "b": {"position": (4.0 - 8 * n, 0.5)}} for n in range(2)]
    trace = make_trace(states, kinds={"a": "keg", "b": "keg"}, shapes={"keg": Shape.box(1.0, 1.0)}, **about)
    kegs = trace.all("keg")
    assert collisions.touching(kegs, kegs).count == 0
    assert collisions.touching(kegs, kegs, swept=True).first.tolist() == [1, 1]
    assert collisions.never_tunnels(kegs, kegs).breach_count == 2


def test_what_lies_in_plan_touches_at_any_height() -> None:
    """A circle, or a box of two sides, is seen in plan: a sphere touches it as it does seen from above."""
    about = WORLDS["y up"].about
    states = [{"a": {"position": (0.0, 9.0, 0.0)}, "b": {"position": (x, 0.0, 0.0)}} for x in (3.0, 1.9)]
    for shape, touches in ((Shape.circle(1.0), [1]), (Shape.box(2.0, 2.0), [1]), (Shape.sphere(1.0), [])):
        trace = make_trace(
            states, kinds={"a": "hull", "b": "ball"}, shapes={"hull": shape, "ball": Shape.sphere(1.0)}, **about
        )
        hulls, balls, nobody = trace.all("hull"), trace.all("ball"), trace.all("ghost")
        assert collisions.touching(hulls, balls).first.tolist() == touches
        for one, other in ((nobody, hulls), (nobody, balls), (nobody, nobody)):
            assert collisions.never_touches(one, other).outcome == "untested"
            assert collisions.never_overlaps(one, other).outcome == "untested"
            assert collisions.never_tunnels(one, other).outcome == "untested"
            assert movement.stays_outside(one, other).outcome == "untested"
        assert collisions.never_touches(hulls, nobody).outcome == "held"
        assert collisions.touching(hulls, nobody, swept=True).count == 0


def test_a_turn_is_followed_between_frames() -> None:
    """A bar that sweeps past something within one step touches it, although it does not on either frame."""
    about = WORLDS["y up"].about
    states: list[dict[str, dict[str, Any]]] = [
        {"bar": {"position": (0.0, 0.0), "angle": 120.0 * n}, "keg": {"position": (0.0, 2.0)}} for n in range(2)
    ]
    shapes = {"bar": Shape.box(6.0, 0.2, turn="angle"), "keg": Shape.circle(0.3)}
    trace = make_trace(states, kinds={"bar": "bar", "keg": "keg"}, shapes=shapes, **about)
    assert collisions.touching(trace.all("bar"), trace.all("keg")).count == 0
    assert collisions.touching(trace.all("bar"), trace.all("keg"), swept=True).first.tolist() == [1]
    assert collisions.touching(trace.all("bar"), Circle((0, 2), 0.3), swept=True).first.tolist() == [1]
    assert collisions.touching(trace.all("bar"), Circle((0, 2), 0.3)).count == 0


def test_a_body_that_is_not_known_is_not_judged() -> None:
    """Where a size or a turn is missing nothing is said of the body; where it is no number it is a breach."""
    about = WORLDS["y up"].about
    for told, tested, outcome in ((None, 1, "held"), (math.nan, 2, "broken")):
        states = [{"a": {"position": (x, 0.0), "angle": 0.0 if x else told}} for x in (1.0, 0.0)]
        trace = make_trace(states, kinds={"a": "keg"}, shapes={"keg": Shape.box(1.0, 1.0, turn="angle")}, **about)
        verdict = collisions.never_touches(trace.all("keg"), Circle((9.0, 9.0), 1.0))
        assert (verdict.tested, verdict.outcome) == (tested, outcome), told


EVERY = {
    "flat": Shape.circle(1.0), "ball": Shape.sphere(1.0), "crate": Shape.box(1, 1, 1), "plate": Shape.box(1, 1),
    "sail": Shape.polygon([(0, 0), (1, 0), (0, 1)]), "ghost": None,
}  # fmt: skip


@pytest.mark.parametrize("one", EVERY)
@pytest.mark.parametrize("other", EVERY)
def test_any_two_shapes_give_a_verdict_or_say_why_not(one: str, other: str) -> None:
    """In space, whatever the shapes are of which something is asked, and if nobody was seen, there is an answer."""
    states = [
        {kind: {"position": (3.0 * n, 0.0, 0.1 * row)} for n, (kind, shape) in enumerate(EVERY.items()) if shape}
        for row in range(4)
    ]
    ray = {"origin": [0.0, 0.0, 0.0], "direction": [1.0, 0.0, 0.0]}
    trace = make_trace(
        states, kinds={kind: kind for kind, shape in EVERY.items() if shape},
        events=[(2, "hit", one, other), (2, "ray", one, None, ray)], axes={"x": "east", "y": "north", "z": "up"},
        shapes={kind: shape for kind, shape in EVERY.items() if shape},
    )  # fmt: skip
    mine, yours, hit = trace.all(one), trace.all(other), trace.events("hit")
    east = mine.position * 0.0 + (1.0, 0.0, 0.0)
    asked: list[Callable[[], Any]] = [
        lambda: collisions.never_touches(mine, yours, swept=True),
        lambda: collisions.never_overlaps(mine, yours),
        lambda: collisions.never_tunnels(mine, yours),
        lambda: collisions.passes_through(mine, yours),
        lambda: collisions.bounces(mine, at=hit, off=yours),
        lambda: collisions.rests_on(mine, 0.0),
        lambda: movement.stays_inside(mine, yours),
        lambda: movement.stays_outside(mine, yours),
        lambda: rays.picks_nearest(hit, yours, origin=mine, at_most=9.0),
        lambda: rays.reports_first_hit(trace.events("ray"), [yours], at_most=9.0),
        lambda: rays.first_hit(mine.position, east, [yours]),
        lambda: rays.first_hit(mine.position.plan, east.plan, [yours]),
        lambda: spawns.leaves_when(mine, Box((-9, -9), (9, 9)), within=frames(1)),
    ]
    for ask in asked:
        with suppress(Misuse):
            assert repr(ask())


REGIONS: dict[str, Any] = {
    "a box": Box((-1, -1), (1, 1)), "a circle": Circle((0, 0), 1.0), "a polygon": Polygon(tuple(EIGHT)),
    "a turned box": TurnedBox((0, 0), (2, 2), 90), "a capsule": Capsule((0, -1), (0, 1), 1.0),
}  # fmt: skip


@pytest.mark.parametrize("region", REGIONS)
def test_regions_are_touched_like_bodies(region: str) -> None:
    """What touches a region is known from the surface of the body; and what goes through one between frames."""
    trace = scene(FORMS["turned box"], WORLDS["y up"], -5.0, -2.01, -1.99, 0.0, 3.0)
    assert collisions.touching(trace.all("crate"), REGIONS[region]).first.tolist() == [2]
    fast = scene(FORMS["turned box"], WORLDS["y up"], -5.0, 5.0)
    assert collisions.never_tunnels(fast.all("crate"), REGIONS[region]).outcome == "broken"
    assert collisions.touching(fast.all("crate"), REGIONS[region]).count == 0
    assert collisions.touching(fast.all("crate"), REGIONS[region], swept=True).first.tolist() == [1]
    with pytest.raises(Misuse, match="a region of one piece"):
        collisions.touching(fast.all("crate"), REGIONS[region] | Box((8, 8), (9, 9)), swept=True)


WRONG: dict[str, tuple[Callable[[], Any], str]] = {
    "no radius": (lambda: Shape.circle(0), "expected lengths above 0, or names of properties; found [0]"),
    "one side": (lambda: Shape.of({"box": [1]}), "expected two or three sides, found [1]"),
    "two forms": (
        lambda: Shape.of({"box": [1, 1], "circle": 1}),
        "expected one of circle, sphere, box, capsule, polygon, edges",
    ),
    "no points": (lambda: Shape.of({"capsule": [1, 2, 3]}), "expected two points and a radius"),
    "a turn that is no name": (lambda: Shape.of({"box": [1, 1], "turn": 3}), "expected the name of a property at turn"),
    "a polygon in space": (lambda: Shape.polygon([(0, 0, 0), (1, 0, 0), (0, 1, 0)]), "expected points of two numbers"),
    "crossing itself": (
        lambda: collisions.touching(
            scene(FORMS["box"], WORLDS["y up"], 0.0)
            .all("crate")
            .with_shape(Shape.polygon([(0, 0), (1, 1), (1, 0), (0, 1)])),
            Circle((0, 0), 1.0),
        ),
        "does not cross itself",
    ),
    "three sides in plan": (
        lambda: collisions.touching(
            scene(FORMS["box"], WORLDS["y up"], 0.0).all("crate").with_shape(Shape.box(1, 1, 1)), Circle((0, 0), 1.0)
        ),
        "a box of 1 x 1 x 1 has 3 dimensions",
    ),
}


@pytest.mark.parametrize("wrong", WRONG)
def test_a_shape_that_is_none_is_refused(wrong: str) -> None:
    """What is no shape, or does not fit the position, is an error that says what was expected."""
    make, said = WRONG[wrong]
    with pytest.raises(Misuse) as caught:
        make()
    assert said in str(caught.value)


@pytest.mark.parametrize(
    "shape",
    [Shape.circle("size"), Shape.box("size", 1.0), Shape.capsule((0, 0), (0, 1), "size")],
    ids=lambda shape: shape.form,
)
@pytest.mark.parametrize("rule", [collisions.never_touches, collisions.never_overlaps])
def test_a_negative_size_never_holds(shape: Shape, rule: Callable[..., Verdict]) -> None:
    """No rule of what touches holds for bodies whose recorded size is below zero, though no surface is then near another."""
    for size, outcomes in ((0.1, {"held"}), (-1.0, {"broken", "untested"})):
        frame = {name: {"position": (x, 0.0), "size": size} for name, x in (("a", 0.0), ("b", 1.5))}
        trace = make_trace([frame] * 3, kinds={"a": "crate", "b": "rock"}, axes={"x": "right", "y": "up"})
        crates, rocks = trace.all("crate").with_shape(shape), trace.all("rock").with_shape(shape)
        assert rule(crates, rocks).outcome in outcomes


def test_the_own_shape_gives_way_to_a_radius() -> None:
    """A radius takes the place of the shape that was recorded, and 0 makes points; `with_shape` another one."""
    trace = scene(FORMS["box"], WORLDS["y up"], -1.5)
    crates, rocks = trace.all("crate"), trace.all("rock")
    for verdict, outcome in (
        (collisions.never_touches(crates, rocks), "broken"),
        (collisions.never_touches(crates, rocks, radius=0), "held"),
        (collisions.never_touches(crates, rocks, radius=(0, 0)), "held"),
        (collisions.never_touches(crates, rocks, radius=0.6), "broken"),
        (collisions.never_touches(crates.with_shape(Shape.circle(0.4)), rocks), "held"),
    ):
        assert verdict.outcome == outcome, verdict.rule.sentence


def test_each_shape_survives_every_way_it_is_told() -> None:
    """Declared with the object, with the session, or in a check file, a shape is the same, in words and as data."""
    for form in FORMS.values():
        assert Shape.of(form.shape.as_data()) == form.shape
        assert np.array_equal(Shape.of(form.shape.as_data()).points, form.shape.points)


@ALL
def test_a_body_may_be_inside_another_one_that_moves(form: str, world: str) -> None:
    """All of a body is inside another one as long as no corner reaches out of it, however that one moves."""
    shape, here = FORMS[form], WORLDS[world]
    trace = scene(shape, here, -3.0, 0.95, 0.5, 1.05, 5.0)
    crates, rock = trace.all("crate"), trace.one("rock")
    if form == "polygon with a notch":
        with pytest.raises(Misuse, match="a body that is convex"):
            movement.stays_inside(crates, rock)
        return
    inside = movement.stays_inside(crates, rock, radius=0.0 if shape.shape.offset else 0.03)
    if shape.shape.offset:  # of a circle half a metre off, the edge is nearer along the first axis
        assert inside.breach_count == 4
        return
    assert inside.first is not None
    assert [inside.tested - inside.breach_count, inside.first.frame] == [2, 0]
    outside = movement.stays_outside(crates, rock)
    assert outside.first is not None
    assert (outside.first.frame, outside.breach_count) == (1, 3)


TWO_SPACES: dict[str, Callable[[Any, Any], Any]] = {
    "overlaps": lambda one, other: collisions.never_overlaps(one, other, radius=(1, 1)),
    "touches": lambda one, other: collisions.touching(one, other, radius=(1, 1)),
    "walls": lambda one, other: collisions.never_tunnels(one, other, radius=(1, 1)),
    "insides": movement.stays_inside,
    "a ray": lambda one, other: rays.first_hit(other.position, other.position * 0 + (1, 0), [one]),
    "a pick": lambda one, other: rays.picks_nearest(one.appears, one, origin=other, at_most=3),
}


@pytest.mark.parametrize("name", TWO_SPACES)
def test_bodies_of_two_spaces_never_meet(name: str) -> None:
    """A place in an area, or in its owner's space, is no place in the world: to bring the two together is an error."""
    states = [{"a": {"position": (0.0, 0.0)}, "b": {"position": (0.5, 0.0)}}] * 3
    spaces, areas = {"crate.position": "quay"}, {"quay": {"origin": [10, 5]}}
    trace = make_trace(
        states,
        kinds={"a": "crate", "b": "skiff"},
        areas=areas,
        spaces=spaces,
        shapes={"skiff": {"circle": 1.0}, "crate": {"circle": 1.0}},
    )
    with pytest.raises(Misuse, match=r"in (quay|world) space and the second in (quay|world)"):
        TWO_SPACES[name](trace.all("crate"), trace.one("skiff"))
