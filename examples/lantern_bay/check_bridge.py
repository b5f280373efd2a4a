"""The drawbridge: it waits, eases, stops exactly there, and says so; its lamp swells; the gangway goes further."""

import numpy as np

from breadcrumb import frames, seconds
from breadcrumb.checks import collisions, movement, triggers, values

UP = 68.0  # deg
FLAT = {"leaf-west": (0, 0, 0, 1), "leaf-east": (0, 0, 1, 0)}  # as the leaves lie when they are shut
MOVING = 2.6  # s
WAIT = seconds(0.8)
SWELLING = ([0, 0.36, 0.6], [0, 1.3, 1])  # s, share of its size
FURTHER, REACHING = 3.0, 1.5  # m, s
FASTEST = 3 * UP / MOVING  # deg/s: half-way through a cubic easing in and out


def cubic(u):
    """Return how far a cubic easing in and out is."""
    u = np.clip(u, 0, 1)
    return np.where(u < 0.5, 4 * u**3, 1 - 4 * (1 - u) ** 3)


def since(moments, signal, key):
    """Return an entry of the last of some moments before each sample; NaN where there was none in its shift."""
    last = np.searchsorted(moments.frames, signal.frames, side="right") - 1
    same_shift = np.r_[moments.episodes, 0][last] == signal.episodes
    return np.where(same_shift, np.r_[moments[key], np.nan][last], np.nan)


def check_the_bridge_waits_for_people_to_leave(trace):
    bell, moving = trace.events("bell.rung"), trace.events("bridge.moving")
    assert triggers.leads_to(bell, moving, within=(WAIT, WAIT), retrigger=True)
    assert triggers.only_after(moving, bell, within=(WAIT, WAIT), time_tol=trace.clock.longest_frame)


def check_leaves_ease_along_their_curve(trace):
    angle, moving = trace.all("leaf").angle, trace.events("bridge.moving")
    start, end = since(moving, angle, "from"), since(moving, angle, "to")
    due = start + (end - start) * cubic((angle.times - since(moving, angle, "at")) / MOVING)
    assert values.equals(angle, due, tol=1e-6)


def check_leaves_begin_where_they_are(trace):
    moving, west = trace.events("bridge.moving"), trace.one(id="leaf-west")
    a_step = FASTEST * trace.clock.longest_frame.value
    assert values.equals(west.angle.before(moving, frames(1)), moving["from"], tol=a_step, occasions=3)


def check_leaves_stop_where_they_should(trace):
    moving, done = trace.events("bridge.moving"), trace.events("bridge.done")
    assert triggers.carries_data(moving.where(lambda data: data["to"] != 0), "to", UP)
    target = moving["to"][np.searchsorted(moving.frames, done.frames, side="right") - 1]
    for leaf in ("leaf-west", "leaf-east"):
        assert values.equals(trace.one(id=leaf).angle.at(done), target, tol=1e-9)


def check_the_bridge_says_when_it_is_done(trace):
    moving, done = trace.events("bridge.moving"), trace.events("bridge.done")
    exact = (seconds(MOVING), seconds(MOVING))
    assert triggers.leads_to(moving, done, within=exact, retrigger=True, time_tol=trace.clock.longest_frame)


def check_both_leaves_move_as_one(trace):
    east, west = trace.one(id="leaf-east").angle, trace.one(id="leaf-west").angle
    assert values.equals(east, west)


def check_the_bridges_lamp_swells(trace):
    size, moving = trace.one("bridge_lamp").size, trace.events("bridge.moving")
    passed = size.times - since(moving, size, "at")
    due = np.interp(passed, *SWELLING)
    assert values.equals(size, np.where(passed > MOVING, np.nan, due), tol=1e-6)


def check_the_gangway_goes_further_each_time(trace):
    reach, called = trace.one("gangway").reach, trace.events("gangway.call")
    before, rest = reach.before(called, frames(1)).values, reach.before(called, frames(2)).values
    at_rest = called.where(before == rest).with_name("a call at rest")
    assert values.equals(reach.at(at_rest), reach.before(at_rest, frames(1)).values, tol=1e-6, occasions=3)
    assert movement.eases(reach, at=called, by=FURTHER, over=seconds(REACHING), curve="cubic in-out", tol=1e-6)


def check_the_gangway_turns_its_wheel_once_round(trace):
    wheel, called = trace.one("gangway").wheel, trace.events("gangway.call")
    assert movement.eases(wheel, at=called, by=360.0, over=seconds(REACHING), tol=1e-6)


def check_leaves_turn_with_their_picture(trace):
    for leaf, flat in FLAT.items():
        one = trace.one(id=leaf)
        assert values.equals(one.orientation.turn_from(flat), one.angle, tol=1e-6)


def check_leaves_never_run_into_one_another(trace):
    west, east = trace.one(id="leaf-west"), trace.one(id="leaf-east")
    assert collisions.never_overlaps(west, east)
