"""What every check costs on 10 million samples, and six of them against what one would write in pandas.

    python benchmarks/every_check.py

The session is that of checks.py: 1,000 objects on 10,000 frames, whose flag rises 20,000 times. A pass is `min` and
`max` over the position, 160 MB. Whether a check holds does not matter here, and some break nearly everywhere.
"""

import statistics
import time
import warnings
from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd
from sessions import FRAMES, OBJECTS, TEXTS, crowd, slow_barrel

from breadcrumb import Box, Circle, Moments, Spans, Trace, frames, seconds
from breadcrumb.algebra.region import Region
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values

ROUNDS = 3
BOX = Box((-41, -23), (41, 23))
KEYS = [(seconds(0), 10.0), (seconds(1), 20.0)]
Checks = dict[str, Callable[[], Any]]


def of_movement(trace: Trace, at: Moments, on: Spans) -> Checks:
    """Return the checks of movement."""
    all_, position = trace.all("barrel"), trace.all("barrel").position
    one = trace.one(id="b0")
    return {
        "stays_between": lambda: movement.stays_between(position.x, -41, 41),
        "stays_inside": lambda: movement.stays_inside(position, BOX),
        "stays_outside": lambda: movement.stays_outside(position, Circle((90, 0), 2.0)),
        "stays_on_line": lambda: movement.stays_on_line(all_, through=(0, 0), along=(1, 0), tol=50.0),
        "keeps_speed": lambda: movement.keeps_speed(all_, 5.0, tol=9.0),
        "keeps_velocity": lambda: movement.keeps_velocity(all_, tol=99.0),
        "never_teleports": lambda: movement.never_teleports(all_, 9.0),
        "moves": lambda: movement.moves(all_, at_least=0.1, within=seconds(1)),
        "slows_by": lambda: movement.slows_by(all_, 1.7, tol=9.0),
        "accelerates_like": lambda: movement.accelerates_like(position, position * 0.0, tol=999.0),
        "faces": lambda: movement.faces(all_, (90.0, 0.0), angle="yaw", tol=180.0),
        "turns_at": lambda: movement.turns_at(all_.yaw, 69.0, tol=1.0),
        "heads_toward": lambda: movement.heads_toward(all_, (90.0, 0.0), at=at, tol=180.0),
        "teleports_to": lambda: movement.teleports_to(all_, [(0.0, 0.0)], at=at, tol=99.0),
        "lands_on": lambda: movement.lands_on(all_, (0.0, 0.0), at=at, tol=99.0),
        "returns_to": lambda: movement.returns_to(all_, (0.0, 0.0), after=at, within=seconds(1), at_rest=False),
        "undisturbed": lambda: movement.undisturbed(all_, at=at, tol=99.0),
        "steps_by": lambda: movement.steps_by(all_.heat, 0.0, at=at, tol=1.0),
        "follows": lambda: movement.follows(all_, one, tol=99.0),
        "eases": lambda: movement.eases(all_.heat, at=at, by=0.0, over=seconds(1), tol=1.0),
        "follows_arc": lambda: movement.follows_arc(all_.heat, at=at, peak=0.5, over=seconds(1), tol=1.0),
        "follows_keys": lambda: movement.follows_keys(all_.heat, at=at, keys=KEYS, tol=20.0),
        "oscillates": lambda: movement.oscillates(position.x, centre=0, amplitude=20, period=seconds(30), tol=99.0),
    }  # fmt: skip


def of_contacts_and_rays(trace: Trace, at: Moments, on: Spans) -> Checks:
    """Return the checks of collisions and rays."""
    all_, position, one = trace.all("barrel"), trace.all("barrel").position, trace.one(id="b0")
    hits = at.with_data(normal=np.tile([1.0, 0.0], (at.count, 1)))
    east = position * 0.0 + (1.0, 0.0)
    crates: list[Region] = [Circle((9, 9), 2.0), Box((-9, -9), (-5, -5))]
    return {
        "touching": lambda: collisions.touching(position, Circle((9, 9), 2.0), radius=0.5),
        "bounces": lambda: collisions.bounces(all_, at=hits, tol=9.0),
        "rests_on": lambda: collisions.rests_on(position, -30.0, tol=99.0),
        "reports_every_touch": lambda: collisions.reports_every_touch(at, on),
        "never_tunnels": lambda: collisions.never_tunnels(position, ((60.0, -30.0), (60.0, 30.0))),
        "never_overlaps": lambda: collisions.never_overlaps(one.position, position, tol=1.0),
        "never_touches": lambda: collisions.never_touches(position, Circle((90, 0), 2.0)),
        "passes_through": lambda: collisions.passes_through(all_, Circle((9, 9), 2.0), tol=9.0),
        "ends_where_it_hits": lambda: rays.ends_where_it_hits(
            position, crates, origin=position, direction=east, otherwise=46.0, tol=99.0
        ),
        "picks_nearest": lambda: rays.picks_nearest(at.with_subject("by"), all_, origin=one, at_most=1.0),
    }  # fmt: skip


def of_triggers(trace: Trace, at: Moments, on: Spans) -> Checks:
    """Return the checks of triggers."""
    off = trace.all("barrel").lit.falls()
    data = at.with_data(k=np.arange(at.count))
    return {
        "leads_to": lambda: triggers.leads_to(at, off, within=frames(300)),
        "only_after": lambda: triggers.only_after(off, at, within=frames(300)),
        "pairs_up": lambda: triggers.pairs_up(at, off),
        "respects_cooldown": lambda: triggers.respects_cooldown(at, seconds(2)),
        "repeats_every": lambda: triggers.repeats_every(at, frames(500)),
        "happens_in_order": lambda: triggers.happens_in_order(at, off, within=frames(300)),
        "never_happens": lambda: triggers.never_happens(at),
        "happens_once": lambda: triggers.happens_once(at, each=trace.all("barrel")),
        "carries_data": lambda: triggers.carries_data(data, "k", 1.0),
        "affects_only": lambda: triggers.affects_only(at, trace.all("barrel").heat),
        "respects_rate_limit": lambda: triggers.respects_rate_limit(at, 99, per=seconds(1)),
    }


def of_lifetimes_and_values(trace: Trace, at: Moments, on: Spans) -> Checks:
    """Return the checks of spawns, values and the session."""
    all_, heat, slow = trace.all("barrel"), trace.all("barrel").heat, slow_barrel()
    return {
        "one_for_each": lambda: spawns.one_for_each(at, all_, within=seconds(1), match="any"),
        "appears_at": lambda: spawns.appears_at(all_, (0, 0), tol=99.0),
        "appears_with": lambda: spawns.appears_with(all_, lit=True),
        "lasts": lambda: spawns.lasts(all_, (seconds(1), seconds(999))),
        "leaves_when": lambda: spawns.leaves_when(all_, Circle((90, 0), 1.0), within=frames(1)),
        "count_stays": lambda: spawns.count_stays(all_, at_most=OBJECTS, at_least=1),
        "spreads_over": lambda: spawns.spreads_over(heat.at(at), [15.0], tol=9.0),
        "silent_once_gone": lambda: spawns.silent_once_gone(all_),
        "dies_with": lambda: spawns.dies_with(all_, all_, within=seconds(1)),
        "outlives": lambda: spawns.outlives(all_, all_, delay=seconds(1)),
        "equals": lambda: values.equals(heat, 15.0, tol=9.0),
        "changes_by": lambda: values.changes_by(heat, 1.0, at=at),
        "unchanged": lambda: values.unchanged(heat),
        "never_falls": lambda: values.never_falls(heat),
        "never_rises": lambda: values.never_rises(heat),
        "toggles": lambda: values.toggles(all_.lit, at=at),
        "restores": lambda: values.restores(heat, during=on),
        "drains": lambda: values.drains(heat, 0.0, every=seconds(1), during=on),
        "conserves": lambda: values.conserves(heat, tol=1.0),
        "opposes": lambda: values.opposes(heat, heat, tol=99.0),
        "carries_over": lambda: values.carries_over(heat, 1.0),
        "same_across": lambda: values.same_across(trace.one(id="b0").heat.per(on)),
        "moves_through": lambda: values.moves_through(all_.state, dict.fromkeys(TEXTS, TEXTS)),
        "shows": lambda: values.shows(all_.state, all_.state),
        "runs_clean": lambda: session.runs_clean(trace),
        "keeps_types": lambda: session.keeps_types(trace),
        "only_these_change": lambda: session.only_these_change(trace, ["barrel.position.*", "barrel.yaw"]),
        "reports_error": lambda: session.reports_error(trace, "*"),
        "keeps_pace": lambda: session.keeps_pace(trace, seconds(0.02)),
        "same_as": lambda: session.same_as(trace, trace),
        "same_at_any_rate": lambda: session.same_at_any_rate([slow, trace], lambda one: one.one(id="b0").heat),
    }


def in_pandas(trace: Trace) -> dict[str, Callable[[], Any]]:
    """Return six of them as one would write them in pandas, on a table that is there already."""
    x, y, yaw, lit, heat = (
        trace.data.column("barrel", name).values for name in ("position.x", "position.y", "yaw", "lit", "heat")
    )
    lifetime, row = trace.data.index("barrel")
    table = pd.DataFrame({"id": lifetime, "t": row / 60, "x": x, "y": y, "yaw": yaw, "lit": lit, "heat": heat})
    groups = table.groupby("id", sort=False)

    def speeds() -> Any:
        step = groups[["x", "y", "t"]].diff()
        return (np.hypot(step["x"], step["y"]) / step["t"] > 6).groupby(table["id"]).any()

    def turns() -> Any:
        turn = (groups["yaw"].diff() + 180) % 360 - 180
        return ((turn / groups["t"].diff() - 69).abs() > 1).groupby(table["id"]).any()

    return {
        "stays_between": lambda: groups["x"].agg(["min", "max"]),
        "keeps_speed": speeds,
        "turns_at": turns,
        "equals": lambda: (table["heat"] - 15.0).abs().groupby(table["id"]).max(),
        "unchanged": lambda: groups["heat"].diff().abs().groupby(table["id"]).max(),
        "toggles": lambda: (table["lit"] != groups["lit"].shift()).groupby(table["id"]).sum(),
    }


def median_of(work: Callable[[], Any]) -> float:
    """Return how long something takes, in milliseconds."""
    spent = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        work()
        spent.append(time.perf_counter() - start)
    return statistics.median(spent) * 1e3


def main() -> None:
    """Print a line for each check."""
    warnings.simplefilter("ignore")
    trace = crowd()
    lit = trace.all("barrel").lit
    at, on = lit.rises(), lit.spans()
    x, y = (trace.data.column("barrel", f"position.{part}").values for part in "xy")
    bare = median_of(lambda: (x.min(), x.max(), y.min(), y.max()))
    print(f"{OBJECTS * FRAMES:,} samples, {at.count:,} moments; a pass takes {bare:.1f} ms")
    other = in_pandas(trace)
    for make in (of_movement, of_contacts_and_rays, of_triggers, of_lifetimes_and_values):
        for name, check in make(trace, at, on).items():
            took = median_of(check)
            beside = f"   pandas / ours {median_of(other[name]) / took:6.1f}" if name in other else ""
            print(f"{name:22} {took:9.1f} ms  {took / bare:8.2f} passes{beside}", flush=True)


if __name__ == "__main__":
    main()
