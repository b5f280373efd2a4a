"""Checks of the crates on the quay; lengths in pixels, y down, 60 frames a second."""

from breadcrumb import Box, judge, seconds
from breadcrumb.checks import movement, session, spawns, triggers

YARD = Box((0, 0), (600, 400))  # the quay's face is at y = 400
INTO_THE_QUAY = 1  # the engine pushes a crate out again once it is in
DROP_EVERY = seconds(2)
FALL = (seconds(0.8), seconds(0.9))  # from the crane to the quay
STAYS = seconds(4)


def check_session_runs_clean(trace):
    assert session.runs_clean(trace)


def check_each_drop_makes_one_crate(trace):
    assert spawns.one_for_each(trace.events("crate.dropped"), trace.all("crate"), within=seconds(0))


def check_crates_come_every_two_seconds(trace):
    assert triggers.respects_cooldown(trace.events("crate.dropped"), DROP_EVERY, match="any", occasions=20)


def check_crates_stay_in_the_yard(trace):
    assert movement.stays_inside(trace.all("crate"), YARD, tol=INTO_THE_QUAY)


def check_crates_fall_straight(trace):
    crate = trace.all("crate")
    assert judge(0.001 - abs(crate.velocity.x), "a crate never moves sideways")


def check_a_crate_lands_in_time_and_rings_once(trace):
    crate = trace.all("crate")
    assert triggers.leads_to(crate.appears, trace.events("porter.rung"), within=FALL, occasions=20)


def check_a_crate_is_taken_away_after_four_seconds(trace):
    rung, gone = trace.events("porter.rung").once_per_frame(), trace.all("crate").leaves
    assert triggers.leads_to(rung, gone, within=(STAYS, STAYS), occasions=20)


def check_each_crate_is_weighed(trace):
    crate = trace.all("crate")
    weighed = trace.events("sensor.begin", on="scale")
    assert triggers.leads_to(crate.appears, weighed, within=seconds(1), occasions=20)
