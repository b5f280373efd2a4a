"""The checks of movement and of collisions beside their references."""

import random
from typing import Any

from breadcrumb import Box, Circle, Duration, frames, seconds
from breadcrumb.checks import collisions
from breadcrumb.checks import movement as movement_checks
from references import movement, touching
from references.asking import Case, barrels, draw_duration, draw_scope, excuses, spans
from references.drawing import STEP

REGIONS = (
    {"low": (-4.0, -4.0), "high": (4.0, 4.0)},
    {"centre": (0.0, 0.0), "radius": 5.0},
    {"low": (3.0, -1.0), "high": (9.0, 1.0)},
    {"low": (-30.0, -30.0), "high": (30.0, 30.0)},
)


def _region(told: dict[str, Any]) -> Box | Circle:
    return Circle(told["centre"], told["radius"]) if "radius" in told else Box(told["low"], told["high"])


def _draw_keys(draw: random.Random) -> list[tuple[Duration, float]]:
    make = frames if draw.random() < 0.5 else lambda count: seconds(count * STEP)
    times = sorted(draw.sample(range(5), draw.choice((2, 3))))
    return [(make(count), draw.choice((0.0, 1.0, 1.0, 2.0))) for count in times]


MOVEMENT: dict[str, Case] = {
    "movement.stays_between": Case(
        lambda d: (
            d.choice(({"low": 0.0, "high": 2.0}, {"low": 1.0, "high": None}, {"low": None, "high": 3.0}))
            | {"tol": d.choice((0.0, 1.0)), "scope": draw_scope(d)}
        ),
        movement.stays_between,
        lambda t, low, high, tol, scope: movement_checks.stays_between(
            barrels(t).n, low, high, tol=tol, **spans(t, scope)
        ),
    ),
    "movement.stays_inside": Case(
        lambda d: {
            "region": d.choice(REGIONS),
            "radius": d.choice((0.0, 0.5)),
            "tol": d.choice((0.0, 1.0)),
            "scope": draw_scope(d),
        },
        movement.stays_inside,
        lambda t, region, radius, tol, scope: movement_checks.stays_inside(
            barrels(t), _region(region), radius=radius, tol=tol, **spans(t, scope)
        ),
    ),
    "movement.stays_outside": Case(
        lambda d: {
            "region": d.choice(REGIONS[:3]),
            "radius": d.choice((0.0, 0.5)),
            "tol": d.choice((0.0, 1.0)),
            "scope": draw_scope(d),
        },
        lambda scene, **drawn: movement.stays_inside(scene, **drawn, sign=-1),
        lambda t, region, radius, tol, scope: movement_checks.stays_outside(
            barrels(t), _region(region), radius=radius, tol=tol, **spans(t, scope)
        ),
    ),
    "movement.stays_on_line": Case(
        lambda d: {
            "along": d.choice(((1.0, 0.0), (0.0, 2.0), (3.0, 4.0))),
            "through": d.choice((None, (0.0, 0.0))),
            "tol": d.choice((0.0, 1.0)),
            "scope": draw_scope(d),
        },
        movement.stays_on_line,
        lambda t, along, through, tol, scope: movement_checks.stays_on_line(
            barrels(t), along, through=through, tol=tol, **spans(t, scope)
        ),
    ),
    "movement.never_teleports": Case(
        lambda d: {"most": d.choice((0.5, 1.0, 2.0, 3.0)), "scope": draw_scope(d), "excused": d.random() < 0.4},
        movement.never_teleports,
        lambda t, most, scope, excused: movement_checks.never_teleports(
            barrels(t), most, **excuses(t, excused), **spans(t, scope)
        ),
    ),
    "movement.teleports_to": Case(
        lambda d: {
            "places": d.choice(([(0.0, 0.0)], [(0.0, 0.0), (2.0, 0.0), (-2.0, 1.0)], "lamp")),
            "tol": d.choice((0.0, 2.0, 4.0)),
        },
        movement.teleports_to,
        lambda t, places, tol: movement_checks.teleports_to(
            barrels(t), t.one("lamp").position if places == "lamp" else places, at=t.events("hit"), tol=tol
        ),
    ),
    "movement.lands_on": Case(
        lambda d: {"place": d.choice(((0.0, 0.0), "lamp")), "tol": d.choice((0.0, 2.0, 4.0))},
        movement.lands_on,
        lambda t, place, tol: movement_checks.lands_on(
            barrels(t), t.one("lamp") if place == "lamp" else place, at=t.events("hit"), tol=tol
        ),
    ),
    "movement.follows": Case(
        lambda d: {
            "offset": d.choice(((0.0, 0.0), (1.0, 0.0))),
            "tol": d.choice((0.0, 2.0, 6.0)),
            "scope": draw_scope(d),
        },
        movement.follows,
        lambda t, offset, tol, scope: movement_checks.follows(
            barrels(t), t.one("lamp"), offset=offset, tol=tol, **spans(t, scope)
        ),
    ),
    "movement.keeps_speed": Case(
        lambda d: {
            "speed": d.choice((None, 8.0, 0.0)),
            "tol": d.choice((0.001, 4.0)),
            "rel_tol": d.choice((0.0, 0.5)),
            "scope": draw_scope(d),
        },
        movement.keeps_speed,
        lambda t, speed, tol, rel_tol, scope: movement_checks.keeps_speed(
            barrels(t), speed, tol=tol, rel_tol=rel_tol, **spans(t, scope)
        ),
    ),
    "movement.keeps_velocity": Case(
        lambda d: {
            "expected": d.choice((None, (8.0, 0.0))),
            "tol": d.choice((0.001, 4.0)),
            "scope": draw_scope(d),
            "excused": d.random() < 0.4,
        },
        movement.keeps_velocity,
        lambda t, expected, tol, scope, excused: movement_checks.keeps_velocity(
            barrels(t), expected, tol=tol, **excuses(t, excused), **spans(t, scope)
        ),
    ),
    "movement.moves": Case(
        lambda d: {"least": d.choice((0.5, 1.0, 2.0)), "within": draw_duration(d, 1)},
        movement.moves,
        lambda t, least, within: movement_checks.moves(barrels(t), least, within=within),
    ),
    "movement.undisturbed": Case(
        lambda d: {"tol": d.choice((0.001, 4.0))},
        movement.undisturbed,
        lambda t, tol: movement_checks.undisturbed(barrels(t), at=t.events("hit"), tol=tol),
    ),
    "movement.heads_toward": Case(
        lambda d: {
            "target": d.choice(((50.0, 0.0), (0.0, 50.0), (1.0, 1.0))),
            "away": d.random() < 0.3,
            "tol": d.choice((5.0, 60.0)),
        },
        movement.heads_toward,
        lambda t, target, away, tol: movement_checks.heads_toward(
            barrels(t), target, at=t.events("hit"), away=away, tol=tol
        ),
    ),
    "movement.turns_at": Case(
        lambda d: {"rate": d.choice((80.0, 80.0, 0.0)), "tol": d.choice((0.001, 50.0)), "scope": draw_scope(d)},
        movement.turns_at,
        lambda t, rate, tol, scope: movement_checks.turns_at(barrels(t).yaw, rate, tol=tol, **spans(t, scope)),
    ),
    "movement.faces": Case(
        lambda d: {
            "target": d.choice(((50.0, 0.0), (1.0, 1.0))),
            "tol": d.choice((30.0, 120.0, 170.0)),
            "scope": draw_scope(d),
        },
        movement.faces,
        lambda t, target, tol, scope: movement_checks.faces(barrels(t), target, tol=tol, **spans(t, scope)),
    ),
    "movement.eases": Case(
        lambda d: {"by": d.choice((0.0, 0.0, 1.0)), "over": draw_duration(d, 1), "tol": d.choice((0.001, 1.0))},
        movement.eases,
        lambda t, by, over, tol: movement_checks.eases(barrels(t).n, by=by, over=over, at=t.events("hit"), tol=tol),
    ),
    "movement.follows_keys": Case(
        lambda d: {"keys": _draw_keys(d), "tol": d.choice((0.001, 1.0, 2.0))},
        movement.follows_keys,
        lambda t, keys, tol: movement_checks.follows_keys(barrels(t).n, keys, at=t.events("hit"), tol=tol),
    ),
    "movement.returns_to": Case(
        lambda d: {
            "place": d.choice(((0.0, 0.0), (2.0, 0.0))),
            "within": draw_duration(d, 1),
            "at_rest": d.random() < 0.5,
            "unless": d.random() < 0.3,
            "tol": d.choice((1.0, 3.0, 6.0)),
        },
        movement.returns_to,
        lambda t, place, within, at_rest, unless, tol: movement_checks.returns_to(
            barrels(t),
            place,
            after=t.events("hit"),
            within=within,
            at_rest=at_rest,
            unless=t.events("stop") if unless else None,
            tol=tol,
        ),
    ),
    "collisions.never_overlaps": Case(
        lambda d: {
            "others": d.choice(("lamp", "barrels")),
            "reach": d.choice((1.0, 2.0, 4.0)),
            "tol": d.choice((0.0, 1.0)),
            "scope": draw_scope(d),
        },
        touching.never_overlaps,
        lambda t, others, reach, tol, scope: collisions.never_overlaps(
            barrels(t),
            t.one("lamp") if others == "lamp" else barrels(t),
            radius=(reach / 2, reach / 2),
            tol=tol,
            **spans(t, scope),
        ),
    ),
    "collisions.never_touches": Case(
        lambda d: {"region": d.choice(REGIONS[:3]), "radius": d.choice((0.0, 0.75)), "scope": draw_scope(d)},
        touching.never_touches,
        lambda t, region, radius, scope: collisions.never_touches(
            barrels(t), _region(region), radius=radius, **spans(t, scope)
        ),
    ),
    "collisions.never_tunnels": Case(
        lambda d: {
            "barrier": d.choice((((1.3, -9.0), (1.3, 9.0)), ((-9.0, 0.7), (9.0, 0.7)), ((-1.7, -0.4), (2.6, 1.6)))),
            "scope": draw_scope(d),
            "excused": d.random() < 0.3,
        },
        touching.never_tunnels,
        lambda t, barrier, scope, excused: collisions.never_tunnels(
            barrels(t), barrier, **excuses(t, excused), **spans(t, scope)
        ),
    ),
}
