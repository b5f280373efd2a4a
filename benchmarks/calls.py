"""A call of every check on the crowd of `sessions.py`, so that it holds; in `every_check.py` its costs are measured."""

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from sessions import FRAMES, OBJECTS, RATE, TEXTS, slow_barrel

from breadcrumb import Box, Circle, Moments, Spans, Trace, Verdict, frames, seconds
from breadcrumb.algebra.region import Region
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values
from breadcrumb.model.session import NOBODY
from breadcrumb.model.trace import TraceData

BOX = Box((-41, -23), (41, 23))
PICKED_EVERY = 5
FAR = Circle((90, 0), 2.0)
KEYS = [(seconds(0), 10.0), (seconds(1), 20.0)]
STATES = {one: TEXTS[(place + 1) % len(TEXTS)] for place, one in enumerate(TEXTS)}


class Scene(NamedTuple):
    """What checks are called with."""

    trace: Trace
    data: Any
    """What it reads."""
    all_: Any
    """All objects."""
    one: Any
    """One of them."""
    at: Moments
    """When the flag rises."""
    off: Moments
    """When it falls."""
    on: Spans
    """While it is set."""

    @classmethod
    def of(cls, trace: Trace) -> "Scene":
        """Return the scene of a trace."""
        lit = trace.all("barrel").lit
        return cls(trace, trace.data, trace.all("barrel"), trace.one(id="b0"), lit.rises(), lit.falls(), lit.spans())


Call = Callable[[Scene], Verdict]


@lru_cache(maxsize=2)
def _at_walls(data: TraceData) -> Moments:
    """Return when objects bounce off what is left or right of them: found once, so that only the check is measured."""
    barrels = Trace(data).all("barrel")
    moving = barrels.velocity.x > 0
    found: Moments = moving.rises() | moving.falls()
    found = found.where(abs(barrels.position.y.at(found)) < 21)
    return found.with_data(normal=np.tile([1.0, 0.0], (found.count, 1)))


@lru_cache(maxsize=2)
def _told(data: TraceData) -> Moments:
    """Return when the flag rises, with the data of rays and of draws."""
    at = Scene.of(Trace(data)).at
    return at.with_data(
        origin=np.full((at.count, 2), 60.0), direction=np.tile([1.0, 0.0], (at.count, 1)), k=np.ones(at.count),
        low=np.zeros(at.count), high=np.ones(at.count), value=np.linspace(0, 1, at.count),
    )  # fmt: skip


@lru_cache(maxsize=2)
def _when_warm(data: TraceData) -> Moments:
    """Return when the flags of warm objects fall."""
    barrels = Trace(data).all("barrel")
    falls: Moments = barrels.lit.falls()
    return falls.where(barrels.heat.at(falls) > 15)


@lru_cache(maxsize=2)
def _picks(data: TraceData) -> Moments:
    """Return picks by one object, of what is nearest within a metre."""
    x, y = (data.column("barrel", f"position.{axis}").values.reshape(OBJECTS, FRAMES) for axis in "xy")
    at = np.arange(0, FRAMES, PICKED_EVERY)
    away = np.hypot(x[:, at] - x[0, at], y[:, at] - y[0, at])
    away[0] = np.inf
    nearest = away.argmin(axis=0)
    on = np.where(away.min(axis=0) <= 1.0, nearest, NOBODY)
    rows = Moments.of_lifetimes(data.session, "pick", at, np.zeros(len(at), np.int64))
    who = replace(rows.participants, names=(rows.by, on), known=(None, None))
    return replace(rows, participants=who)


MOVEMENT: dict[str, Call] = {
    "stays_between": lambda s: movement.stays_between(s.all_.position.x, -41, 41),
    "stays_inside": lambda s: movement.stays_inside(s.all_.position, BOX),
    "stays_outside": lambda s: movement.stays_outside(s.all_.position, FAR),
    "stays_on_line": lambda s: movement.stays_on_line(s.all_, through=(0, 0), along=(1, 0), tol=50.0),
    "keeps_speed": lambda s: movement.keeps_speed(s.all_, 5.0, tol=9.0),
    "keeps_velocity": lambda s: movement.keeps_velocity(s.all_, tol=99.0),
    "never_teleports": lambda s: movement.never_teleports(s.all_, 9.0),
    "moves": lambda s: movement.moves(s.all_, at_least=0.1, within=seconds(1)),
    "slows_by": lambda s: movement.slows_by(s.all_, 1.7, tol=9999.0),
    "accelerates_like": lambda s: movement.accelerates_like(s.all_.position, s.all_.position * 0.0, tol=9999.0),
    "faces": lambda s: movement.faces(s.all_, (90.0, 0.0), angle="yaw", tol=180.0),
    "turns_at": lambda s: movement.turns_at(s.all_.yaw, 69.0, tol=1.0),
    "heads_toward": lambda s: movement.heads_toward(s.all_, (90.0, 0.0), at=s.at, tol=180.0),
    "teleports_to": lambda s: movement.teleports_to(s.all_, [(0.0, 0.0)], at=s.at, tol=99.0),
    "lands_on": lambda s: movement.lands_on(s.all_, (0.0, 0.0), at=s.at, tol=99.0),
    "returns_to": lambda s: movement.returns_to(
        s.all_, (0.0, 0.0), after=s.at, within=seconds(1), at_rest=False, tol=99.0
    ),
    "undisturbed": lambda s: movement.undisturbed(s.all_, at=s.at, tol=999.0),
    "steps_by": lambda s: movement.steps_by(s.all_.heat, 0.0, at=s.at, tol=1.0),
    "follows": lambda s: movement.follows(s.all_, s.one, tol=999.0),
    "eases": lambda s: movement.eases(s.all_.heat, at=s.at, by=0.0, over=seconds(1), tol=1.0),
    "follows_arc": lambda s: movement.follows_arc(s.all_.heat, at=s.at, peak=0.0, over=seconds(1), tol=1.0),
    "follows_keys": lambda s: movement.follows_keys(s.all_.heat, at=s.at, keys=KEYS, tol=20.0),
    "oscillates": lambda s: movement.oscillates(
        s.all_.position.x, centre=0, amplitude=20, period=seconds(30), tol=999.0, time_tol=seconds(9999)
    ),
}
CONTACTS: dict[str, Call] = {
    "bounces": lambda s: collisions.bounces(s.all_, at=_at_walls(s.data), tol=8.0),
    "rests_on": lambda s: collisions.rests_on(s.all_.position, -30.0, tol=99.0),
    "reports_every_touch": lambda s: collisions.reports_every_touch(s.at, s.on),
    "never_tunnels": lambda s: collisions.never_tunnels(s.all_.position, ((60.0, -30.0), (60.0, 30.0))),
    "never_overlaps": lambda s: collisions.never_overlaps(s.one.position, s.all_.position, tol=99.0),
    "never_touches": lambda s: collisions.never_touches(s.all_.position, FAR),
    "passes_through": lambda s: collisions.passes_through(s.all_, Circle((9, 9), 2.0), tol=99.0),
    "ends_where_it_hits": lambda s: rays.ends_where_it_hits(
        s.all_.position, _crates(), origin=s.all_.position, direction=s.all_.position * 0.0 + (1.0, 0.0),
        otherwise=46.0, tol=99.0,
    ),
    "reports_first_hit": lambda s: rays.reports_first_hit(_told(s.data), _crates(), at_most=1.0),
    "picks_nearest": lambda s: rays.picks_nearest(_picks(s.data), s.all_, origin=s.one, at_most=1.0),
}  # fmt: skip
TRIGGERS: dict[str, Call] = {
    "leads_to": lambda s: triggers.leads_to(s.at, s.off, within=frames(300)),
    "leads_to_only_if": lambda s: triggers.leads_to_only_if(
        s.at, _when_warm(s.data), condition=s.all_.heat > 15, within=frames(300)
    ),
    "only_after": lambda s: triggers.only_after(s.off, s.at, within=frames(300)),
    "pairs_up": lambda s: triggers.pairs_up(s.at, s.off),
    "respects_cooldown": lambda s: triggers.respects_cooldown(s.at, seconds(2)),
    "repeats_every": lambda s: triggers.repeats_every(s.at, frames(500), match="subject"),
    "happens_in_order": lambda s: triggers.happens_in_order(s.at, s.off, within=frames(300)),
    "never_happens": lambda s: triggers.never_happens((s.all_.heat > 1e9).rises()),
    "carries_data": lambda s: triggers.carries_data(_told(s.data), "k", 1.0),
    "affects_only": lambda s: triggers.affects_only(s.at, s.all_.heat),
    "respects_rate_limit": lambda s: triggers.respects_rate_limit(s.at, 999, per=seconds(1)),
}
LIVES: dict[str, Call] = {
    "one_for_each": lambda s: spawns.one_for_each(s.all_.appears, s.all_, within=seconds(1)),
    "appears_at": lambda s: spawns.appears_at(s.all_, (0, 0), tol=99.0),
    "appears_with": lambda s: spawns.appears_with(s.all_, heat=15.0, tol=9.0),
    "appears_alike": lambda s: spawns.appears_alike(s.all_, except_for=["position", "yaw", "lit", "state"], tol=99.0),
    "appears_apart": lambda s: spawns.appears_apart(s.all_, at_least=0.0),
    "spawns.lasts": lambda s: spawns.lasts(s.all_, (seconds(0.5), seconds(9999))),
    "leaves_when": lambda s: spawns.leaves_when(s.all_, s.all_.leaves, within=frames(1)),
    "count_stays": lambda s: spawns.count_stays(s.all_, at_most=OBJECTS, at_least=1),
    "spreads_over": lambda s: spawns.spreads_over(s.all_.heat.at(s.at), [15.0], tol=9.0),
    "draws_evenly": lambda s: spawns.draws_evenly(_told(s.data)),
    "happens_once": lambda s: triggers.happens_once(s.all_.leaves, each=s.all_),
    "silent_once_gone": lambda s: spawns.silent_once_gone(s.all_),
    "dies_with": lambda s: spawns.dies_with(s.all_, s.all_, within=seconds(9999)),
    "outlives": lambda s: spawns.outlives(s.all_, s.all_, delay=(seconds(0), seconds(9999))),
}
VALUES: dict[str, Call] = {
    "equals": lambda s: values.equals(s.all_.heat, 15.0, tol=9.0),
    "one_of": lambda s: values.one_of(s.all_.state, list(TEXTS)),
    "never_missing": lambda s: values.never_missing(s.all_.heat),
    "plays_sequence": lambda s: values.plays_sequence(
        s.all_.state, [(one, frames(500)) for one in TEXTS], at=(s.all_.state == TEXTS[0]).rises()
    ),
    "changes_by": lambda s: values.changes_by(s.all_.heat, 0.0, at=s.at),
    "unchanged": lambda s: values.unchanged(s.all_.heat),
    "never_falls": lambda s: values.never_falls(s.all_.heat),
    "never_rises": lambda s: values.never_rises(s.all_.heat),
    "toggles": lambda s: values.toggles(s.all_.lit, at=s.at | s.off),
    "restores": lambda s: values.restores(s.all_.heat, during=s.on),
    "drains": lambda s: values.drains(s.all_.heat, 0.0, every=seconds(1), during=s.on),
    "conserves": lambda s: values.conserves(s.all_.heat, tol=1.0),
    "opposes": lambda s: values.opposes(s.all_.heat, s.all_.heat, tol=99.0),
    "same_across": lambda s: values.same_across(s.one.heat.per(s.on)),
    "moves_through": lambda s: values.moves_through(s.all_.state, STATES),
    "shows": lambda s: values.shows(s.all_.state, s.all_.state),
    "values.lasts": lambda s: values.lasts(s.all_.lit, (seconds(1), seconds(250 / RATE))),
}
SESSION: dict[str, Call] = {
    "runs_clean": lambda s: session.runs_clean(s.trace),
    "keeps_types": lambda s: session.keeps_types(s.trace),
    "only_these_change": lambda s: session.only_these_change(
        s.trace, ["barrel.position.*", "barrel.yaw", "barrel.lit", "barrel.state"]
    ),
    "reports_error": lambda s: session.reports_error(s.trace, "*", times=0),
    "keeps_pace": lambda s: session.keeps_pace(s.trace, seconds(0.02)),
    "same_as": lambda s: session.same_as(s.trace, s.trace),
    "same_at_any_rate": lambda s: session.same_at_any_rate(
        [slow_barrel(), s.trace], lambda one: one.one(id="b0").heat, tol=99.0
    ),
}
NOT_MEASURED = {
    "carries_over": "no object of the crowd has a second lifetime",
    "refers_to": "no object of the crowd names another one",
    "consistent_with": "it measures sessions of varied play, each of them longer than a check takes",
}
"""The checks that have no call here, and why."""
CALLS = MOVEMENT | CONTACTS | TRIGGERS | VALUES | SESSION
"""Those on objects that are there all the time; `LIVES` are those on objects of which most live for a second."""


def _crates() -> list[Region]:
    return [Circle((9, 9), 2.0), Box((-9, -9), (-5, -5))]
