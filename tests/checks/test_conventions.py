"""One session in several worlds: y up or down, degrees or radians, another zero, another sense, moved and turned."""

import math
from collections.abc import Callable
from typing import Any, NamedTuple

import pytest

from breadcrumb import Box, Circle, Trace, Verdict, seconds
from breadcrumb.checks import collisions, movement
from breadcrumb.checks.rays import first_hit
from breadcrumb.testing import make_trace

Point = tuple[float, float]


class World(NamedTuple):
    """How a world is told: its axes and angles, and how it lies in the one that the tests are written in."""

    y_down: bool = False
    unit: str = "deg"
    zero: str = "east"
    clockwise: bool = False
    shift: Point = (0.0, 0.0)
    turn: float = 0.0
    """By which angle, in degrees, everything is turned about the origin, counter-clockwise as seen."""

    def place(self, x: float, y: float) -> Point:
        """Return a point, told in this world."""
        u, v = self.way(x, y)
        return u + self.shift[0], v + self.shift[1]

    def way(self, x: float, y: float) -> Point:
        """Return a direction, told in this world."""
        cos, sin = math.cos(math.radians(self.turn)), math.sin(math.radians(self.turn))
        u, v = x * cos - y * sin, x * sin + y * cos
        return u, -v if self.y_down else v

    def angle(self, degrees: float) -> float:
        """Return a direction's angle, given as degrees from the east, counter-clockwise, told in this world."""
        from_zero = degrees + self.turn - {"east": 0.0, "north": 90.0, "west": 180.0}[self.zero]
        return self.size((-from_zero if self.clockwise else from_zero) % 360.0)

    def size(self, degrees: float) -> float:
        """Return the size of an angle in this world's unit."""
        return degrees if self.unit == "deg" else math.radians(degrees)

    def about(self) -> dict[str, Any]:
        """Return what is recorded of the world."""
        return {
            "axes": {"x": "east", "y": "south" if self.y_down else "north"},
            "angles": {
                "unit": self.unit,
                "zero": self.zero,
                "sense": "clockwise" if self.clockwise else "counter-clockwise",
            },
            "units": {"position": "m", "yaw": self.unit, "spin": self.unit},
        }


WORLDS = {
    "as written": World(),
    "y down": World(y_down=True),
    "y down, clockwise": World(y_down=True, clockwise=True),
    "radians": World(unit="rad"),
    "a compass": World(zero="north", clockwise=True),
    "a compass on a screen, in radians": World(y_down=True, unit="rad", zero="north", clockwise=True),
    "zero in the west": World(zero="west"),
    "moved far away": World(shift=(1000.0, -2000.0)),
    "turned": World(turn=37.0),
    "all at once": World(True, "rad", "north", True, (-50.0, 80.0), 123.0),
}
STEP = 0.1


def sail(world: World, *, wrong: bool) -> Trace:
    """Tell how a boat sails east, bounces off a pier and comes back, while a lamp turns after it and a buoy spins."""
    states: list[dict[str, dict[str, Any]]] = []
    for n in range(12):
        x = 0.5 * min(n, 12 - n)
        bearing = math.degrees(math.atan2(-4.0, x - 1.0))
        boat = {"position": world.place(x, 0.2 if wrong and n == 5 else 0.0)}
        lamp = {"position": world.place(1.0, 4.0), "yaw": world.angle(bearing + (7.0 if wrong and n == 4 else 0.0))}
        buoy = {"spin": world.angle((340 + 27 * n * STEP * (1.5 if wrong and n > 8 else 1)) % 360)}
        states.append({"boat": boat, "lamp": lamp, "buoy": buoy})
    events = [(7, "contact", "boat", None, {"normal": list(world.way(-1.0, 0.0))}), (2, "tap", "boat")]
    kinds = {"boat": "skiff", "lamp": "lamp", "buoy": "buoy"}
    return make_trace(states, kinds=kinds, events=events, **world.about())


def verdicts(world: World, *, wrong: bool) -> dict[str, tuple[Verdict, float]]:
    """Judge the session; each verdict comes with what its margin is counted in, in the world as written."""
    trace = sail(world, wrong=wrong)
    boat, lamp, buoy = trace.one("skiff"), trace.one("lamp"), trace.one("buoy")
    tap, contact = trace.events("tap"), trace.events("contact")
    degree = world.size(1.0)
    sense = -1.0 if world.clockwise else 1.0
    return {
        "faces": (movement.faces(lamp, boat, tol=2 * degree), degree),
        "turns at": (movement.turns_at(buoy.spin, sense * 27 * degree, tol=degree), degree),
        "heads toward": (movement.heads_toward(boat, world.place(9.0, 0.0), at=tap, tol=3 * degree), degree),
        "keeps its speed": (movement.keeps_speed(boat, 5.0, tol=0.5), 1.0),
        "never jumps": (movement.never_teleports(boat, 0.6), 1.0),
        "stays inside": (movement.stays_inside(boat, Circle(world.place(1.5, 0.0), 1.6)), 1.0),
        "stays on its line": (movement.stays_on_line(boat, along=world.way(1.0, 0.0), tol=0.1), 1.0),
        "bounces": (collisions.bounces(boat, at=contact, tol=0.5), 1.0),
        "never overlaps": (collisions.never_overlaps(boat, lamp, radius=(1.0, 2.5)), 1.0),
        "keeps its velocity": (movement.keeps_velocity(boat, except_at=contact, tol=0.5), 1.0),
        "comes back": (
            movement.returns_to(boat, world.place(0.5, 0.0), after=contact, within=seconds(0.4), at_rest=False, tol=0.1), 1.0
        ),
        "is not disturbed": (movement.undisturbed(boat, at=tap, tol=0.5), 1.0),
        "jumps to": (movement.teleports_to(boat, world.place(1.0, 0.0), at=tap, tol=0.2), 1.0),
    }  # fmt: skip


BREAKS = {"faces", "turns at", "stays on its line", "keeps its velocity"}


@pytest.mark.parametrize("wrong", [False, True], ids=["right", "wrong"])
@pytest.mark.parametrize("name", WORLDS)
def test_a_session_has_the_same_verdicts_in_every_world(name: str, wrong: bool) -> None:
    """Moving, turning and mirroring the world, and telling its angles otherwise, change no outcome and no margin."""
    mine, yours = verdicts(World(), wrong=wrong), verdicts(WORLDS[name], wrong=wrong)
    for rule, (verdict, unit) in yours.items():
        expected = mine[rule][0]
        assert (verdict.outcome, verdict.breach_count) == (expected.outcome, expected.breach_count), verdict.explain()
        assert verdict.outcome == ("broken" if wrong and rule in BREAKS else mine[rule][0].outcome)
        if expected.margin is not None:
            assert verdict.margin is not None
            assert verdict.margin.value / unit == pytest.approx(expected.margin.value, abs=1e-5)
    assert all(verdict.outcome == "held" for verdict, _ in mine.values()) or wrong


@pytest.mark.parametrize("name", WORLDS)
def test_rays_and_offsets_are_the_same_in_every_world(name: str) -> None:
    """The first hit is as far away, and a place in a turned owner's space the same, wherever the world lies."""
    world = WORLDS[name]
    way, tip = world.way(1.0, 0.0), world.place(3.0, 1.0)
    states = [{"boat": {"position": world.place(0.0, 1.0), "yaw": world.angle(90.0), "way": way, "tip": tip}}]
    boat = make_trace(states, kinds={"boat": "skiff"}, **world.about()).one("skiff")
    hit = first_hit(boat.position, boat.way, [Circle(world.place(8.0, 1.0), 2.0)])
    assert hit.values.tolist() == pytest.approx([6.0])
    own = boat.tip.relative_to(boat.position, boat.yaw)
    assert own.norm().values.tolist() == pytest.approx([3.0])
    assert own.to_world(boat.position, boat.yaw).values[0].tolist() == pytest.approx(list(tip))


@pytest.mark.parametrize(
    "check",
    [
        lambda keg: movement.never_teleports(keg, 2.0),
        movement.keeps_speed,
        lambda keg: movement.stays_inside(keg, Box((-1, -1, -1), (9, 9, 9))),
        lambda keg: collisions.never_touches(keg, Circle((99, 0, 0), 1.0)),
    ],
    ids=["never_teleports", "keeps_speed", "stays_inside", "never_touches"],
)
def test_a_breach_in_depth_is_told_where_nothing_says_which_way_is_up(check: Callable[[Any], Verdict]) -> None:
    """There is no path in plan to show then; that keeps no check from saying what it measured."""
    states = [{"a": {"position": (99.0 if n == 5 else float(n), 0.0, 0.0)}} for n in range(6)]
    verdict = check(make_trace(states, kinds={"a": "keg"}).one("keg"))
    assert verdict.outcome == "broken"
    assert verdict.first is not None
    assert verdict.first.frame == 5
    assert verdict.evidence.first is not None
    assert verdict.evidence.first.path == ()
