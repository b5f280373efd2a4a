"""Checks of the kegs in the pool; metres and seconds."""

from breadcrumb import Polygon, frames, seconds
from breadcrumb.checks import collisions, movement, session, triggers

POOL = Polygon(((0, 0), (12, 0), (12, 8), (8, 12), (0, 12)))
INTO_THE_WALL = 0.1  # the engine finds a contact once a keg is in the wall, and pushes it out again
SOLVED_TO = 0.01  # m/s, how well the engine solves a corner
RELEASE_EVERY = seconds(2)


def check_session_runs_clean(trace):
    assert session.runs_clean(trace)


def check_kegs_stay_in_the_pool(trace):
    assert movement.stays_inside(trace.all("keg"), POOL, tol=INTO_THE_WALL)


def check_kegs_bounce_off_the_walls(trace):
    keg = trace.all("keg")
    assert collisions.bounces(keg, at=trace.events("contact.begin"), velocity=keg.velocity, tol=SOLVED_TO, occasions=20)


def check_kegs_come_every_two_seconds(trace):
    assert triggers.respects_cooldown(trace.all("keg").appears, RELEASE_EVERY, match="any", occasions=20)


def check_a_keg_in_the_net_is_taken_up_once(trace):
    keg = trace.all("keg")
    assert triggers.leads_to(trace.events("net.touched"), keg.leaves, within=frames(1), occasions=3)
