"""Checks that the suite of Lantern Bay never breaks: each is asked of a correct build in a right and a wrong way."""

from collections.abc import Callable
from typing import TypeAlias

import numpy as np

from breadcrumb import Box, Spans, Trace, Verdict, frames, seconds
from breadcrumb.checks import collisions, movement, spawns, triggers, values

Cases: TypeAlias = dict[str, Callable[[bool], Verdict]]
"""By the name of the check: what gives a verdict that holds, or else one that is broken."""


def cases(trace: Trace) -> Cases:
    """Return all cases on the trace of a correct session."""
    rooms = {"movement": _movement, "collisions": _collisions, "triggers": _triggers, "spawns": _spawns}
    rooms["values"] = _values
    return {f"{room}.{name}": case for room, make in rooms.items() for name, case in make(trace).items()}


def _movement(trace: Trace) -> Cases:
    heron, gull, magnet, trolley = trace.one(id="heron"), trace.one("gull"), trace.one("magnet"), trace.one("trolley")
    called, reach = trace.events("gangway.call").with_subject("on"), trace.one("gangway").reach
    hops, landed = trace.events("gull.hop"), trace.events("gull.landed")
    lantern, back = trace.one(id="lantern-quay"), trace.events("lantern.returned", by="lantern-quay")
    hand, jumps = trace.one("boom").position.y, trace.events("input.boom")
    barrels, contact = trace.all("barrel"), trace.events("contact")
    return {
        "follows": lambda right: movement.follows(
            magnet.position.plan, trolley.position.plan, offset=(0, 0) if right else (0.5, 0)
        ),
        "lands_on": lambda right: movement.lands_on(gull, heron if right else (0, 0, 0), at=landed, tol=3.0),
        "returns_to": lambda right: movement.returns_to(
            lantern, (4, 14, 2) if right else (4, 14, 1), after=back, within=frames(1)
        ),
        "follows_arc": lambda right: movement.follows_arc(
            gull.position.z, 1.3 if right else 1.5, over=seconds(0.75), at=hops, base=0.0, tol=0.01
        ),
        "eases": lambda right: movement.eases(
            reach, at=called, by=3.0, over=seconds(1.5), curve="cubic in-out" if right else "linear", tol=1e-6
        ),
        "never_teleports": lambda right: movement.never_teleports(trace.all("flare"), 0.15 if right else 0.14),
        "stays_on_line": lambda right: movement.stays_on_line(
            trolley, along=(1, 0, 0), through=(0, -19 if right else -18.9, 6), tol=0.05
        ),
        "stays_outside": lambda right: movement.stays_outside(heron, Box((27, -22) if right else (10, -22), (30, 22))),
        "keeps_velocity": lambda right: movement.keeps_velocity(trace.all("rocket" if right else "lantern"), tol=1e-6),
        "moves": lambda right: movement.moves(trace.one(id="drift-1"), 0.05 if right else 3.0, within=seconds(0.5)),
        "steps_by": lambda right: movement.steps_by(
            hand, np.where(jumps["value"] == "n", 1.1, -1.1) if right else 1.1, at=jumps, limits=(8.5, 15.5), tol=1e-9
        ),
        "undisturbed": lambda right: movement.undisturbed(
            trace.one("barge") if right else barrels, at=trace.events("bell.rung") if right else contact, tol=0.001
        ),
        "heads_toward": lambda right: movement.heads_toward(
            trace.one(id="drift-1"), trace.one("eddy"), at=trace.events("shift.start"), away=not right, tol=60.0
        ),
    }


def _collisions(trace: Trace) -> Cases:
    barrels, heron, tern = trace.all("barrel"), trace.one(id="heron"), trace.one(id="tern")
    skiffs, whirlpools = trace.all("skiff"), trace.all("whirlpool")
    entered = trace.events("sensor.begin", on=whirlpools) | trace.events("whirlpool.moved")
    apart = trace.one(id="drift-3")
    return {
        "never_overlaps": lambda right: collisions.never_overlaps(heron, apart if right else tern, radius=(0.9, 0.9)),
        "never_tunnels": lambda right: collisions.never_tunnels(
            heron, [(-45, 22), (45, 22)] if right else [(-5, -22), (-5, 22)]
        ),
        "never_touches": lambda right: collisions.never_touches(
            barrels, heron if right else barrels, radius=(0.6, 0.9)
        ),
        "passes_through": lambda right: collisions.passes_through(
            trace.all("rocket") if right else barrels, Box((-4, -22), (40, 22)), radius=0.6, tol=1e-6
        ),
        "reports_every_touch": lambda right: collisions.reports_every_touch(
            entered, collisions.touching(skiffs, whirlpools, radius=(0.0, 3.0 if right else 2.0)), only=False
        ),
        "rests_on": lambda right: collisions.rests_on(trace.all("crate"), 0.5 if right else 0.4, tol=0.05),
    }


def _triggers(trace: Trace) -> Cases:
    lanterns, gripped = trace.all("lantern"), trace.events("lantern.gripped").with_subject("on")
    let_go, bell, moving = (
        trace.events("lantern.let_go").with_subject("on"),
        trace.events("bell.rung"),
        trace.events("bridge.moving"),
    )
    appears = trace.all("flare").appears
    return {
        "affects_only": lambda right: triggers.affects_only(
            gripped, lanterns.gripped if right else lanterns.position.x
        ),
        "happens_in_order": lambda right: triggers.happens_in_order(
            bell, moving, within=seconds(0.9 if right else 0.5), match="any"
        ),
        "happens_once": lambda right: triggers.happens_once(
            appears if right else gripped, each=trace.all("flare") if right else lanterns
        ),
        "pairs_up": lambda right: triggers.pairs_up(
            gripped, let_go if right else bell, match="subject" if right else "any"
        ),
    }


def _spawns(trace: Trace) -> Cases:
    flares, crew, barrels, rockets = trace.all("flare"), trace.all("crew"), trace.all("barrel"), trace.all("rocket")
    placed = trace.events("crew.placed")
    berths = [(-38.0 + 1.5 * n, 2.0 + 0.5 * (n % 2), 0.5) for n in range(7)]
    sounds = trace.all("sound")
    return {
        "appears_at": lambda right: spawns.appears_at(barrels, (26, 12, 0), tol=9.0 if right else 1.0),
        "appears_with": lambda right: spawns.appears_with(flares, tol=0.1, picture=0 if right else 1),
        "spreads_over": lambda right: spawns.spreads_over(
            crew.position.at(placed), berths[: 7 if right else 3], tol=1e-6
        ),
        "count_stays": lambda right: spawns.count_stays(flares, at_most=8 if right else 2),
        "leaves_when": lambda right: spawns.leaves_when(
            rockets, Box((-39.5, -21.5), (39.5 if right else 30, 21.5)), within=frames(6)
        ),
        "lasts": lambda right: spawns.lasts(sounds, seconds(0.9 if right else 0.5), time_tol=frames(1)),
    }


def _values(trace: Trace) -> Cases:
    lamp, heron = trace.one(id="lamp-quay"), trace.one(id="heron")
    first_shift = Spans.following(trace.events("shift.start"), seconds(30))
    weight, called = trace.one(id="load-1"), trace.events("gangway.call").with_subject("on")
    reach = trace.one("gangway").reach
    return {
        "same_across": lambda right: values.same_across(
            reach.per(Spans.following(called, seconds(1.5))), relative=right, tol=1e-6
        ),
        "carries_over": lambda right: values.carries_over(
            trace.all("load").weight if right else trace.all("driftwood").position.x
        ),
        "conserves": lambda right: values.conserves(
            trace.all("rocket").velocity.norm() if right else heron.speed, tol=1e-6
        ),
        "changes_by": lambda right: values.changes_by(
            trace.one("hatch").tickets, -1.0 if right else -2.0, at=trace.events("ticket.issued"), only=False
        ),
        "never_falls": lambda right: values.never_falls(
            trace.one("gangway").reach if right else heron.speed, during=first_shift
        ),
        "never_rises": lambda right: values.never_rises(lamp.oil if right else lamp.glow, during=first_shift),
        "restores": lambda right: values.restores(
            weight.weight if right else weight.position.x, during=(weight.held_by == "magnet").spans()
        ),
        "toggles": lambda right: values.toggles(
            trace.all("lamp").burning, at=trace.events("lamp.switched" if right else "ray"), only=False
        ),
    }
