"""Each reference beside its check: what is drawn for them, and how both are asked."""

import random
from collections.abc import Callable
from typing import Any, NamedTuple

from breadcrumb import Box, Circle, Duration, Trace, Verdict, frames, seconds
from breadcrumb.checks import collisions, triggers
from breadcrumb.checks import movement as movement_checks
from breadcrumb.checks import spawns as spawn_checks
from breadcrumb.checks import values as value_checks
from references import movement, spawns, timing, touching, values
from references.drawing import STEP
from references.plain import Answer, Scene


class Case(NamedTuple):
    """One check and its reference; `draw` gives the arguments of both."""

    draw: Callable[[random.Random], dict[str, Any]]
    plainly: Callable[..., Answer]
    check: Callable[..., Verdict]


def _duration(draw: random.Random, least: int = 0, most: int = 3) -> Duration:
    count = draw.randint(least, most)
    return frames(count) if draw.random() < 0.5 else seconds(count * STEP)


def _window(draw: random.Random) -> tuple[Duration, Duration]:
    make = frames if draw.random() < 0.5 else lambda count: seconds(count * STEP)
    early = draw.choice((0, 0, 0, 1, 2))
    return make(early), make(early + draw.randint(0, 2))


def _scope(draw: random.Random) -> dict[str, Any]:
    return draw.choice(({}, {}, {"during": True}, {"except_during": True}))


def spans(t: Trace, scope: dict[str, Any]) -> dict[str, Any]:
    """Return the scope of a check: the spans of the flag `on`."""
    return {name: t.all("barrel").on.spans() for name in scope}


CASES: dict[str, Case] = {
    "triggers.leads_to": Case(
        lambda d: {
            "within": _window(d),
            "times": d.choice((1, 1, 2)),
            "unless": d.random() < 0.3,
            "retrigger": d.random() < 0.3,
            "scope": _scope(d),
        },
        timing.leads_to,
        lambda t, within, times, unless, retrigger, scope: triggers.leads_to(
            t.events("tap"),
            t.events("ring"),
            within=within,
            times=times,
            retrigger=retrigger,
            unless=t.events("stop") if unless else None,
            **spans(t, scope),
        ),
    ),
    "triggers.only_after": Case(
        lambda d: {"within": _window(d), "scope": _scope(d)},
        timing.only_after,
        lambda t, within, scope: triggers.only_after(
            t.events("ring"), t.events("tap"), within=within, **spans(t, scope)
        ),
    ),
    "triggers.pairs_up": Case(
        lambda d: {"match": d.choice(("subject", "pair"))},
        timing.pairs_up,
        lambda t, match: triggers.pairs_up(t.events("in"), t.events("out"), match=match),
    ),
    "triggers.happens_in_order": Case(
        lambda d: {"within": _duration(d)},
        timing.happens_in_order,
        lambda t, within: triggers.happens_in_order(t.events("tap"), t.events("ring"), within=within),
    ),
    "triggers.respects_cooldown": Case(
        lambda d: {
            "at_least": _duration(d, 1, 4),
            "match": d.choice(("subject", "pair", "any", "times")),
            "slip": d.choice((0, 0, 1)),
            "scope": {},
        },
        lambda scene, at_least, match, slip, scope: timing.respects_cooldown(
            scene, at_least, match, slip * (1 if at_least.unit == "frames" else STEP), scope
        ),
        lambda t, at_least, match, slip, scope: triggers.respects_cooldown(
            t.events("hit"),
            at_least,
            match=match,
            time_tol=Duration(slip * (1 if at_least.unit == "frames" else STEP), at_least.unit) if slip else None,
            **spans(t, scope),
        ),
    ),
    "triggers.respects_rate_limit": Case(
        lambda d: {"limit": d.randint(1, 2), "per": _duration(d, 1), "match": d.choice(("any", "subject"))},
        timing.respects_rate_limit,
        lambda t, limit, per, match: triggers.respects_rate_limit(t.events("tap"), limit, per=per, match=match),
    ),
    "triggers.happens_once": Case(
        lambda d: {}, timing.happens_once, lambda t: triggers.happens_once(t.events("ring"), each=t.all("barrel"))
    ),
    "triggers.happens_once in all": Case(
        lambda d: {}, timing.happens_once_in_all, lambda t: triggers.happens_once(t.events("ring"))
    ),
    "triggers.never_happens": Case(
        lambda d: {"scope": _scope(d)},
        timing.never_happens,
        lambda t, scope: triggers.never_happens(t.events("stop"), **spans(t, scope)),
    ),
    "triggers.carries_data": Case(
        lambda d: {"expected": d.choice((1, 1, 2))},
        timing.carries_data,
        lambda t, expected: triggers.carries_data(t.events("tap"), "times", expected),
    ),
    "triggers.affects_only": Case(
        lambda d: {"name": d.choice(("n", "lit", "mood"))},
        timing.affects_only,
        lambda t, name: triggers.affects_only(t.events("hit"), t.all("barrel")[name]),
    ),
}


LEGAL = (
    {"calm": ["glad"], "glad": ["calm", "cross"], "cross": ["calm"]},
    {"calm": ["glad", "cross"], "glad": ["calm", "cross"], "cross": ["calm", "glad"]},
)


def barrels(t: Trace) -> Any:
    """Return the group that is judged."""
    return t.all("barrel")


def _expected(t: Trace, expected: Any) -> Any:
    return barrels(t)[expected[1:]] if isinstance(expected, str) and expected[0] == "@" else expected


CASES |= {
    "values.equals": Case(
        lambda d: (
            d.choice(
                (
                    {"name": "n", "expected": d.choice((0.0, 1.0, "@m"))},
                    {"name": "mood", "expected": "calm"},
                    {"name": "lit", "expected": True},
                )
            )
            | {"tol": d.choice((0.0, 1.0, 2.0)), "rel_tol": d.choice((0.0, 0.0, 0.5)), "scope": _scope(d)}
        ),
        values.equals,
        lambda t, name, expected, tol, rel_tol, scope: value_checks.equals(
            barrels(t)[name], _expected(t, expected), tol=tol, rel_tol=rel_tol, **spans(t, scope)
        ),
    ),
    "values.opposes": Case(
        lambda d: {"tol": d.choice((0.0, 2.0, 4.0))},
        values.opposes,
        lambda t, tol: value_checks.opposes(barrels(t).n, barrels(t).m, tol=tol),
    ),
    "values.shows": Case(
        lambda d: {}, values.shows, lambda t: value_checks.shows(barrels(t).caption, barrels(t).n, form="{:.0f} kg")
    ),
    "values.one_of": Case(
        lambda d: (
            d.choice(({"name": "n", "allowed": [0.0, 1.0, 2.0]}, {"name": "mood", "allowed": ["calm", "glad"]}))
            | {"scope": _scope(d)}
        ),
        values.one_of,
        lambda t, name, allowed, scope: value_checks.one_of(barrels(t)[name], allowed, **spans(t, scope)),
    ),
    "values.unchanged": Case(
        lambda d: {
            "name": d.choice(("n", "lit", "mood")),
            "tol": d.choice((0.0, 1.0)),
            "scope": _scope(d),
            "excused": d.random() < 0.5,
        },
        values.unchanged,
        lambda t, name, tol, scope, excused: value_checks.unchanged(
            barrels(t)[name], tol=tol, except_at=t.events("hit") if excused else None, **spans(t, scope)
        ),
    ),
    "values.never_falls": Case(
        lambda d: {"tol": d.choice((0.0, 1.0)), "scope": _scope(d)},
        lambda scene, tol, scope: values.never_falls(scene, 1, tol, scope),
        lambda t, tol, scope: value_checks.never_falls(barrels(t).n, tol=tol, **spans(t, scope)),
    ),
    "values.never_rises": Case(
        lambda d: {"tol": d.choice((0.0, 1.0)), "scope": _scope(d)},
        lambda scene, tol, scope: values.never_falls(scene, -1, tol, scope),
        lambda t, tol, scope: value_checks.never_rises(barrels(t).n, tol=tol, **spans(t, scope)),
    ),
    "values.conserves": Case(
        lambda d: {"tol": d.choice((0.0, 1.0)), "rel_tol": d.choice((0.0, 0.5)), "scope": _scope(d)},
        values.conserves,
        lambda t, tol, rel_tol, scope: value_checks.conserves(
            barrels(t).n, tol=tol, rel_tol=rel_tol, **spans(t, scope)
        ),
    ),
    "values.moves_through": Case(
        lambda d: {"legal": d.choice(LEGAL), "scope": _scope(d)},
        values.moves_through,
        lambda t, legal, scope: value_checks.moves_through(barrels(t).mood, legal, **spans(t, scope)),
    ),
    "values.restores": Case(
        lambda d: {"name": d.choice(("n", "lit", "mood")), "tol": d.choice((0.0, 1.0))},
        values.restores,
        lambda t, name, tol: value_checks.restores(barrels(t)[name], during=barrels(t).on.spans(), tol=tol),
    ),
    "values.lasts": Case(
        lambda d: dict(zip(("short", "long"), _window(d), strict=True)),
        values.lasts,
        lambda t, short, long: value_checks.lasts(barrels(t).lit, (short, long) if short != long else long),
    ),
    "values.carries_over": Case(
        lambda d: {"step": d.choice((0.0, 1.0)), "tol": d.choice((0.0, 1.0))},
        values.carries_over,
        lambda t, step, tol: value_checks.carries_over(barrels(t).n, step, tol=tol),
    ),
    "values.changes_by": Case(
        lambda d: {"amount": d.choice((1.0, -1.0)), "only": d.random() < 0.6, "tol": d.choice((0.0, 0.5))},
        values.changes_by,
        lambda t, amount, only, tol: value_checks.changes_by(
            barrels(t).n, amount, at=t.events("hit"), only=only, tol=tol
        ),
    ),
    "values.toggles": Case(
        lambda d: {"only": d.random() < 0.6},
        values.toggles,
        lambda t, only: value_checks.toggles(barrels(t).lit, at=t.events("hit"), only=only),
    ),
    "movement.steps_by": Case(
        lambda d: {
            "amount": d.choice((1.0, -1.0)),
            "only": d.random() < 0.6,
            "tol": d.choice((0.0, 0.5)),
            "limits": d.choice((None, (0.0, 3.0))),
        },
        values.changes_by,
        lambda t, amount, only, tol, limits: movement_checks.steps_by(
            barrels(t).n, amount, at=t.events("hit"), only=only, tol=tol, limits=limits
        ),
    ),
}

CASES |= {
    "spawns.appears_at": Case(
        lambda d: {"place": d.choice(((0.0, 0.0), "lamp")), "tol": d.choice((0.0, 2.0, 4.0))},
        spawns.appears_at,
        lambda t, place, tol: spawn_checks.appears_at(barrels(t), t.one("lamp") if place == "lamp" else place, tol=tol),
    ),
    "spawns.appears_with": Case(
        lambda d: {
            "wanted": d.choice(({"n": 1.0}, {"mood": "calm"}, {"n": 1.0, "lit": True})),
            "tol": d.choice((0.0, 1.0)),
        },
        spawns.appears_with,
        lambda t, wanted, tol: spawn_checks.appears_with(barrels(t), wanted, tol=tol),
    ),
    "spawns.lasts": Case(
        lambda d: dict(zip(("short", "long"), _window(d), strict=True)),
        spawns.lasts,
        lambda t, short, long: spawn_checks.lasts(barrels(t), (short, long) if short != long else long),
    ),
    "spawns.count_stays": Case(
        lambda d: (
            d.choice(({"least": 1, "most": None}, {"least": None, "most": 1}, {"least": 1, "most": 2}))
            | {"scope": _scope(d)}
        ),
        spawns.count_stays,
        lambda t, least, most, scope: spawn_checks.count_stays(
            barrels(t), at_least=least, at_most=most, **spans(t, scope)
        ),
    ),
    "spawns.silent_once_gone": Case(
        lambda d: {}, spawns.silent_once_gone, lambda t: spawn_checks.silent_once_gone(barrels(t))
    ),
    "spawns.one_for_each": Case(
        lambda d: {"within": _window(d), "only": d.random() < 0.6},
        spawns.one_for_each,
        lambda t, within, only: spawn_checks.one_for_each(t.events("born"), barrels(t), within=within, only=only),
    ),
    "spawns.leaves_when": Case(
        lambda d: {"within": _window(d), "only": d.random() < 0.6},
        spawns.leaves_when,
        lambda t, within, only: spawn_checks.leaves_when(barrels(t), t.events("stop"), within=within, only=only),
    ),
}

REGIONS = (
    {"low": (-4.0, -4.0), "high": (4.0, 4.0)},
    {"centre": (0.0, 0.0), "radius": 5.0},
    {"low": (3.0, -1.0), "high": (9.0, 1.0)},
    {"low": (-30.0, -30.0), "high": (30.0, 30.0)},
)


def _region(told: dict[str, Any]) -> Box | Circle:
    return Circle(told["centre"], told["radius"]) if "radius" in told else Box(told["low"], told["high"])


def _excused(t: Trace, excused: bool) -> dict[str, Any]:
    return {"except_at": t.events("hit")} if excused else {}


CASES |= {
    "movement.stays_between": Case(
        lambda d: (
            d.choice(({"low": 0.0, "high": 2.0}, {"low": 1.0, "high": None}, {"low": None, "high": 3.0}))
            | {"tol": d.choice((0.0, 1.0)), "scope": _scope(d)}
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
            "scope": _scope(d),
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
            "scope": _scope(d),
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
            "scope": _scope(d),
        },
        movement.stays_on_line,
        lambda t, along, through, tol, scope: movement_checks.stays_on_line(
            barrels(t), along, through=through, tol=tol, **spans(t, scope)
        ),
    ),
    "movement.never_teleports": Case(
        lambda d: {"most": d.choice((0.5, 1.0, 2.0, 3.0)), "scope": _scope(d), "excused": d.random() < 0.4},
        movement.never_teleports,
        lambda t, most, scope, excused: movement_checks.never_teleports(
            barrels(t), most, **_excused(t, excused), **spans(t, scope)
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
        lambda d: {"offset": d.choice(((0.0, 0.0), (1.0, 0.0))), "tol": d.choice((0.0, 2.0, 6.0)), "scope": _scope(d)},
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
            "scope": _scope(d),
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
            "scope": _scope(d),
            "excused": d.random() < 0.4,
        },
        movement.keeps_velocity,
        lambda t, expected, tol, scope, excused: movement_checks.keeps_velocity(
            barrels(t), expected, tol=tol, **_excused(t, excused), **spans(t, scope)
        ),
    ),
    "movement.moves": Case(
        lambda d: {"least": d.choice((0.5, 1.0, 2.0)), "within": _duration(d, 1)},
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
        lambda d: {"rate": d.choice((80.0, 80.0, 0.0)), "tol": d.choice((0.001, 50.0)), "scope": _scope(d)},
        movement.turns_at,
        lambda t, rate, tol, scope: movement_checks.turns_at(barrels(t).yaw, rate, tol=tol, **spans(t, scope)),
    ),
    "movement.faces": Case(
        lambda d: {
            "target": d.choice(((50.0, 0.0), (1.0, 1.0))),
            "tol": d.choice((30.0, 120.0, 170.0)),
            "scope": _scope(d),
        },
        movement.faces,
        lambda t, target, tol, scope: movement_checks.faces(barrels(t), target, tol=tol, **spans(t, scope)),
    ),
    "movement.eases": Case(
        lambda d: {"by": d.choice((0.0, 0.0, 1.0)), "over": _duration(d, 1), "tol": d.choice((0.001, 1.0))},
        movement.eases,
        lambda t, by, over, tol: movement_checks.eases(barrels(t).n, by=by, over=over, at=t.events("hit"), tol=tol),
    ),
    "movement.returns_to": Case(
        lambda d: {
            "place": d.choice(((0.0, 0.0), (2.0, 0.0))),
            "within": _duration(d, 1),
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
            "scope": _scope(d),
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
        lambda d: {"region": d.choice(REGIONS[:3]), "radius": d.choice((0.0, 0.75)), "scope": _scope(d)},
        touching.never_touches,
        lambda t, region, radius, scope: collisions.never_touches(
            barrels(t), _region(region), radius=radius, **spans(t, scope)
        ),
    ),
    "collisions.never_tunnels": Case(
        lambda d: {
            "barrier": d.choice((((1.3, -9.0), (1.3, 9.0)), ((-9.0, 0.7), (9.0, 0.7)), ((-1.7, -0.4), (2.6, 1.6)))),
            "scope": _scope(d),
            "excused": d.random() < 0.3,
        },
        touching.never_tunnels,
        lambda t, barrier, scope, excused: collisions.never_tunnels(
            barrels(t), barrier, **_excused(t, excused), **spans(t, scope)
        ),
    ),
}


WANTED = ("held", "broken", "undecided", "", "")
DRAWS = 8


def arguments(case: Case, scene: Scene, draw: random.Random) -> dict[str, Any]:
    """Draw arguments; of several draws, the first with which what is wanted of every fifth scene is found."""
    wanted = draw.choice(WANTED)
    drawn: dict[str, Any] = {}
    for _ in range(DRAWS):
        drawn = case.draw(draw)
        found = case.plainly(scene, **drawn)
        if wanted in ("", found.outcome) or (wanted == "undecided" and found.undecided):
            break
    return drawn


def disagreement(case: Case, scene: Scene, trace: Trace, drawn: dict[str, Any]) -> str:
    """Return how the check and its reference differ; empty if they do not."""
    mine, yours = case.plainly(scene, **drawn), case.check(trace, **drawn)
    first = min((row for row, _ in mine.breaches), default=None)
    frame = None if first is None else scene["rows"][first]["frame"]
    found = (mine.outcome, mine.tested, mine.undecided, len(mine.breaches), frame)
    told = (
        yours.outcome.value, yours.tested, yours.undecided + yours.missing, yours.breach_count,
        yours.first.frame if yours.first is not None else None,
    )  # fmt: skip
    whose = {who for row, who in mine.breaches if row == first}
    if found == told and (yours.first is None or yours.first.object in whose):
        return ""
    return f"reference {found} {whose or ''}\ncheck     {told} {yours.first.object if yours.first else ''}"
