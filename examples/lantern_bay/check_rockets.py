"""Rockets: one for each shot, along the bow, 3.5 m/s faster than the skiff then was, and steadily."""

from breadcrumb import frames, judge
from breadcrumb.checks import movement, spawns, triggers, values

FASTER = 3.5  # m/s
AHEAD = 0.001  # deg


def check_each_shot_fires_one_rocket(trace):
    assert triggers.leads_to(trace.events("input.fire"), trace.events("rocket.fired"), within=frames(0))
    fired = trace.events("rocket.fired")
    assert spawns.one_for_each(fired, trace.all("rocket"), within=frames(0), match="subject", occasions=3)


def check_a_rocket_leaves_where_the_bow_points(trace):
    fired = trace.events("rocket.fired")
    way = trace.all("rocket").velocity.direction().at(fired)
    off = abs(way.turn_from(trace.one(id="heron").heading.at(fired)))
    assert judge(AHEAD - off, "a rocket leaves where the bow points")


def check_a_rocket_is_faster_than_its_skiff(trace):
    fired = trace.events("rocket.fired")
    speed = trace.all("rocket").velocity.norm().at(fired)
    assert values.equals(speed - trace.one(id="heron").speed.at(fired), FASTER, tol=1e-9)


def check_a_rocket_keeps_its_velocity(trace):
    rocket = trace.all("rocket")
    assert movement.keeps_velocity(rocket, tol=0.001)
    assert movement.keeps_velocity(rocket, rocket.velocity, id="velocity-is-recorded-right")
