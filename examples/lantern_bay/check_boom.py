"""The boom: stepped within its limits; barrels bounce off its face and its round ends, and never off its back."""

import numpy as np

from breadcrumb import Signal, frames, judge, vector
from breadcrumb.checks import movement, values

STEP = 1.1  # m
SOUTH, NORTH = 8.5, 15.5  # m
HALF_LENGTH, RADIUS = 1.6, 0.3  # m


def hits(trace):
    return trace.events("contact", on="boom")


def check_the_boom_steps_within_its_limits(trace):
    boom, keys = trace.one("boom"), trace.events("input.boom")
    assert movement.stays_between(boom.position.y, SOUTH, NORTH)
    step = keys.where(np.bincount(keys.frames)[keys.frames] == 1).with_name("one press on a frame")
    way = np.where(step["value"] == "n", STEP, -STEP)
    before = boom.position.y.before(step, frames(1))
    due = np.clip(before.values + way, SOUTH, NORTH)
    assert values.equals(boom.position.y.at(step), due, occasions=3)


def check_barrels_bounce_off_the_boom_by_the_normal(trace):
    hit, boom = hits(trace), trace.one("boom").position.plan
    away = Signal.from_data(hit, "point", unit="m") - boom.before(hit, frames(1))
    along = away.y - np.clip(away.y.values, -HALF_LENGTH, HALF_LENGTH)
    normal = Signal.from_data(hit, "normal")
    assert judge(1e-6 - abs(normal.x * along - normal.y * away.x), "a barrel bounces off the boom by the normal there")


def check_barrels_meet_the_boom_on_its_surface(trace):
    hit, boom = hits(trace), trace.one("boom").position.plan
    away = Signal.from_data(hit, "point", unit="m") - boom.before(hit, frames(1))
    beyond = away.y - np.clip(away.y.values, -HALF_LENGTH, HALF_LENGTH)
    off = vector(away.x, beyond).norm() - RADIUS
    assert judge(1e-6 - abs(off), "a barrel meets the boom on its surface", occasions=3)


def check_barrels_bounce_off_the_front_only(trace):
    assert judge(Signal.from_data(hits(trace), "normal").x, "barrels bounce off the boom's east face only")
