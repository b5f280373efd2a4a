"""How far bodies are apart: held against Shapely in plan, and against closed forms and dense sampling elsewhere."""

from typing import NamedTuple

import numpy as np
import pytest
import shapely
from scipy.spatial.transform import Rotation

from breadcrumb.geometry.convex import convex_parts
from breadcrumb.geometry.polygons import Polygons, gaps_of_polygons
from breadcrumb.geometry.rays import Rays, hits_of
from breadcrumb.geometry.rounded_boxes import RoundedBoxes, gaps
from breadcrumb.model.session import Floats

PAIRS = 100_000
FORMS = ("circle", "capsule", "box", "turned box", "hexagon")
KINDS = [(one, other) for index, one in enumerate(FORMS) for other in FORMS[index:]]
EXACT = 1e-9


class Drawn(NamedTuple):
    """Random bodies in plan, and what Shapely makes of them without their radius."""

    body: RoundedBoxes | Polygons
    cores: np.ndarray
    radius: Floats


def drawn(form: str, count: int, draw: np.random.Generator) -> Drawn:
    """Return random bodies of a form."""
    centre = draw.uniform(-3, 3, (2, count))
    angle = draw.uniform(0, 2 * np.pi, count) if form != "box" else np.zeros(count)
    along, across = np.stack((np.cos(angle), np.sin(angle))), np.stack((-np.sin(angle), np.cos(angle)))
    long, wide = draw.uniform(0.2, 1.5, (2, count))
    wide = wide * 0.0 if form == "flat box" else wide
    radius = draw.uniform(0.1, 0.8, count) if form in ("circle", "capsule") else np.zeros(count)
    if form == "circle":
        return Drawn(RoundedBoxes(centre, np.zeros((0, 2, count)), radius), shapely.points(centre.T), radius)
    if form == "capsule":
        ends = np.stack([centre - along * long, centre + along * long])
        return Drawn(
            RoundedBoxes(centre, (along * long)[None], radius), shapely.linestrings(ends.transpose(2, 0, 1)), radius
        )
    if form == "hexagon":
        turns = [angle + np.pi / 3 * n for n in range(6)]
        corners = np.stack([centre + np.stack((long * np.cos(one), wide * np.sin(one))) for one in turns])
        return Drawn(Polygons(corners, radius), shapely.polygons(corners.transpose(2, 0, 1)), radius)
    corners = np.stack([centre + a * along * long + b * across * wide for a, b in ((1, 1), (-1, 1), (-1, -1), (1, -1))])
    body = RoundedBoxes(centre, np.stack((along * long, across * wide)), radius)
    return Drawn(body, shapely.polygons(corners.transpose(2, 0, 1)), radius)


def measured(one: RoundedBoxes | Polygons, other: RoundedBoxes | Polygons, motion: Floats | None = None) -> Floats:
    """Return the gaps of two sorts of bodies."""
    if isinstance(one, RoundedBoxes) and isinstance(other, RoundedBoxes):
        return gaps(one, other, motion)
    both = [body if isinstance(body, Polygons) else Polygons.of(body) for body in (one, other)]
    return gaps_of_polygons(both[0], both[1], motion)


@pytest.mark.parametrize(("one", "other"), KINDS)
def test_in_plan_gaps_are_those_of_shapely(one: str, other: str) -> None:
    """Bodies that are apart are as far apart as Shapely says; others overlap."""
    draw = np.random.default_rng(len(one) * 31 + len(other))
    count = PAIRS // len(KINDS)
    mine, yours = drawn(one, count, draw), drawn(other, count, draw)
    apart = shapely.distance(mine.cores, yours.cores)
    gap = measured(mine.body, yours.body)
    away = apart > EXACT
    np.testing.assert_allclose(gap[away], (apart - mine.radius - yours.radius)[away], atol=EXACT)
    assert (gap[~away] <= EXACT - (mine.radius + yours.radius)[~away]).all()


def moved(body: RoundedBoxes | Polygons, by: Floats) -> RoundedBoxes | Polygons:
    """Return bodies elsewhere."""
    if isinstance(body, Polygons):
        return Polygons(body.corners + by, body.radius)
    return RoundedBoxes(body.centre + by, body.halves, body.radius)


@pytest.mark.parametrize(("one", "other"), KINDS)
def test_an_overlap_is_the_shortest_way_apart(one: str, other: str) -> None:
    """Moving by the depth parts two bodies in some direction, and a little less than it does in none."""
    draw = np.random.default_rng(7)
    mine, yours = drawn(one, 150, draw), drawn(other, 150, draw)
    deep = -np.minimum(measured(mine.body, yours.body), 0.0)
    ways = np.stack([np.array([np.cos(a), np.sin(a)]) for a in np.linspace(0, 2 * np.pi, 360, endpoint=False)])
    parted = {
        share: np.max([measured(moved(mine.body, way[:, None] * deep * share), yours.body) for way in ways], axis=0)
        for share in (0.98, 1.0)
    }
    overlapping = deep > 0
    assert (parted[1.0][overlapping] >= -1e-3).all()
    assert (parted[0.98][overlapping] < 0).all()


@pytest.mark.parametrize(("one", "other"), KINDS)
def test_a_sweep_is_the_smallest_gap_of_the_step(one: str, other: str) -> None:
    """The gap of a straight motion is that of its nearest moment, as many moments of it say."""
    draw = np.random.default_rng(11)
    mine, yours = drawn(one, 200, draw), drawn(other, 200, draw)
    motion = draw.uniform(-2, 2, (2, 200))
    swept = measured(mine.body, yours.body, motion)
    each = np.min([measured(moved(mine.body, -motion * (1 - s)), yours.body) for s in np.linspace(0, 1, 101)], axis=0)
    assert (swept <= each + EXACT).all()
    apart = swept > 0
    assert (each - swept)[apart].max() < 0.03
    assert ((each < 0.03) | (swept > 0)).all()


def boxes(count: int, draw: np.random.Generator, turn: str, sides: int = 3, radius: float = 0.3) -> RoundedBoxes:
    """Return random boxes in space: not turned, turned about one axis, or any way."""
    about = {"aligned": np.zeros((count, 3)), "yawed": draw.normal(size=(count, 3)) * (0, 0, 1)}
    turns = Rotation.from_rotvec(about.get(turn, draw.normal(size=(count, 3)) * 2)).as_matrix()
    half = draw.uniform(0.2, 1.2, (3, count))
    halves = np.stack([turns[:, :, axis].T * half[axis] for axis in range(3)])[:sides]
    return RoundedBoxes(draw.uniform(-2.5, 2.5, (3, count)), halves, draw.uniform(0, radius, count))


def test_in_space_boxes_that_are_not_turned_are_as_far_apart_as_their_sides_say() -> None:
    """Of aligned boxes, the gap is the length of what is between them along each axis."""
    draw = np.random.default_rng(3)
    one, other = boxes(PAIRS // 10, draw, "aligned"), boxes(PAIRS // 10, draw, "aligned")
    between = np.abs(one.centre - other.centre) - np.abs(one.halves).sum(axis=0) - np.abs(other.halves).sum(axis=0)
    wanted = np.where(
        (between < 0).all(axis=0), between.max(axis=0), np.sqrt((np.maximum(between, 0) ** 2).sum(axis=0))
    )
    np.testing.assert_allclose(gaps(one, other), wanted - one.radius - other.radius, atol=EXACT)


@pytest.mark.parametrize("dimensions", [2, 3])
@pytest.mark.parametrize("sides", [(0, 1), (1, 1), (1, 2), (2, 3), (3, 3)])
def test_next_to_no_turn_makes_next_to_no_difference(dimensions: int, sides: tuple[int, int]) -> None:
    """Bodies along the axes are as far apart as if they were turned by a hair, beside such ones in the same columns."""
    draw = np.random.default_rng(13)
    hair = np.where(draw.random(1_000) < 0.5, 1e-12, 0.0) * np.roll(np.eye(dimensions), 1, axis=0)[..., None]

    def turned(body: RoundedBoxes) -> RoundedBoxes:
        return RoundedBoxes(body.centre, body.halves + np.einsum("ijk,sjk->sik", hair, body.halves), body.radius)

    space = (boxes(1_000, draw, "aligned", count) for count in sides)
    one, other = (RoundedBoxes(b.centre[:dimensions], b.halves[:dimensions, :dimensions], b.radius) for b in space)
    np.testing.assert_allclose(gaps(turned(one), turned(other)), gaps(one, other), atol=EXACT)


@pytest.mark.parametrize(("one", "other"), [("turned", "turned"), ("yawed", "yawed")])
@pytest.mark.parametrize("sides", [(0, 1), (0, 3), (1, 1), (1, 3), (3, 3)])
def test_in_space_no_two_points_are_nearer_than_the_gap(one: str, other: str, sides: tuple[int, int]) -> None:
    """Spheres, capsules and boxes are as far apart as alternating projections find their nearest points."""
    draw = np.random.default_rng(5)
    mine, yours = boxes(200, draw, one, sides[0]), boxes(200, draw, other, sides[1])
    core = gaps(mine, yours) + mine.radius + yours.radius
    point = there = mine.centre
    for _ in range(1000):
        there = _nearest(yours, point)
        point = _nearest(mine, there)
    found = np.sqrt(((point - there) ** 2).sum(axis=0))
    np.testing.assert_allclose(np.maximum(core, 0.0), found, atol=5e-3)


def _nearest(body: RoundedBoxes, point: Floats) -> Floats:
    """Return the points of boxes that are nearest to others."""
    result = body.centre.copy()
    for half in body.halves:
        length = np.sqrt((half * half).sum(axis=0))
        along = half / length
        result = result + along * np.clip(((point - body.centre) * along).sum(axis=0), -length, length)
    return result


@pytest.mark.parametrize("form", [*FORMS, "flat box"])
def test_rays_meet_the_surface(form: str) -> None:
    """Where a ray first meets a body, a point of it is on the surface, and none before it is inside."""
    draw = np.random.default_rng(9)
    body = drawn(form, 500, draw).body
    start, angle = draw.uniform(-6, 6, (2, 500)), draw.uniform(0, 2 * np.pi, 500)
    way = np.stack((np.cos(angle), np.sin(angle)))
    far = hits_of(Rays(list(start), list(way)), body)
    assert 10 < np.isfinite(far).sum() < 490

    def gap_at(distance: Floats) -> Floats:
        points = RoundedBoxes(start + way * distance, np.zeros((0, 2, 500)), np.zeros(500))
        return measured(points, body)

    hit = np.isfinite(far) & (far > 0)
    assert np.abs(gap_at(np.where(hit, far, 0.0))[hit]).max() < 1e-6
    before = np.min(
        [gap_at(np.where(np.isfinite(far), far, 12.0) * share * 0.999) for share in np.linspace(0, 1, 50)], 0
    )
    assert (before[far != 0] > -1e-9).all()


@pytest.mark.parametrize("bodies", [1, 70_000])
def test_of_many_rays_each_meets_what_it_meets_alone(bodies: int) -> None:
    """What a ray meets does not depend on how many others are cast, at one body or at one each."""
    draw, count = np.random.default_rng(2), 70_000
    start, angle = draw.uniform(-6, 6, (2, count)), draw.uniform(0, 2 * np.pi, count)
    rays, body = Rays(list(start), [np.cos(angle), np.sin(angle)]), drawn("turned box", bodies, draw).body
    few = [np.arange(begin, begin + 1000) for begin in range(0, count, 1000)]
    alone = [hits_of(rays.take(some), body if bodies == 1 else body.take(some)) for some in few]
    np.testing.assert_array_equal(hits_of(rays, body), np.concatenate(alone))


def test_a_polygon_that_is_not_convex_is_taken_apart() -> None:
    """The parts of a polygon cover it, and nothing else."""
    notched = ((0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (2.0, 1.0), (0.0, 4.0))
    parts = [shapely.Polygon(part) for part in convex_parts(notched)]
    assert len(parts) == 3
    assert shapely.union_all(parts).symmetric_difference(shapely.Polygon(notched)).area == pytest.approx(0, abs=1e-12)
    assert convex_parts(notched[:3]) == (notched[:3],)
