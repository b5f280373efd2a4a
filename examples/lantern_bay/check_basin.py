"""The basin: barrels bounce off its walls by the normal, and leave through the open gate alone."""

from itertools import pairwise

import numpy as np

from breadcrumb import Capsule, Polygon, Signal, Spans, frames, judge, seconds
from breadcrumb.checks import collisions, movement, spawns, triggers

CORNERS = ((18, 6), (30, 6), (30, 14), (26, 18), (18, 18))  # m
BASIN = Polygon(CORNERS)
WALLS = [Capsule(*ends, 0.001) for ends in pairwise((*CORNERS, CORNERS[0]))]
ON_THE_WALL = 0.001  # m
RADIUS = 0.6  # m
EVERY = seconds(6)
TWO_FRAMES = seconds(0.05)  # the first one is left out, and what happens within one is seen at its end
TIME_TO_PASS = seconds(0.65)  # from the gate's line until a barrel has sunk


def gate_is_open(trace):
    return Spans.between(trace.events("gate.open"), trace.events("gate.shut")).grown(TIME_TO_PASS).without_subject()


def check_barrels_stay_in_the_basin(trace):
    assert movement.stays_inside(
        trace.all("barrel"), BASIN, tol=ON_THE_WALL, except_during=gate_is_open(trace), occasions=3
    )


def check_barrels_pass_the_open_gate_only(trace):
    depth = trace.all("barrel").position.plan.depth_in(BASIN)
    passing = (depth < RADIUS - ON_THE_WALL).rises().with_name("a barrel's passing the wall")
    is_open = Spans.between(trace.events("gate.open"), trace.events("gate.shut")).without_subject()
    assert triggers.never_happens(passing, except_during=is_open.grown(frames(1)))


def check_barrels_bounce_by_the_normal(trace):
    barrel, contact = trace.all("barrel"), trace.events("contact")
    assert collisions.bounces(barrel, at=contact, velocity=barrel.velocity, tol=0.001, occasions=3)
    assert collisions.bounces(barrel, at=contact, tol=0.001, id="bounces-by-position")


def check_barrels_turn_on_the_wall(trace):
    contact = trace.events("contact")
    wall = contact.where(np.array([name.startswith("wall") for name in contact.with_subject("on").subjects], bool))
    touched = Signal.from_data(wall, "point", unit="m").depth_in(BASIN)
    assert judge(ON_THE_WALL - abs(touched), "each contact is on a wall")


def check_a_contact_names_the_wall_that_it_is_on(trace):
    contact = trace.events("contact")
    point, on = Signal.from_data(contact, "point", unit="m"), np.array(contact.with_subject("on").subjects, str)
    on_its_wall = on == "boom"
    for number, wall in enumerate(WALLS, 1):
        on_its_wall |= (on == f"wall-{number}") & (point.depth_in(wall).values >= 0)
    elsewhere = contact.where(~on_its_wall).with_name("a contact beside the wall that it names")
    assert triggers.never_happens(elsewhere)


def check_a_contact_is_told_once(trace):
    contact = trace.events("contact").with_subject("by")
    wall, last = np.array(contact.with_subject("on").subjects), {}
    again = []
    for barrel, frame, met in zip(contact.subjects, contact.frames, wall, strict=True):
        before, at = last.get(barrel, ("", frame))
        again.append(met == before and frame - at <= 1)
        last[barrel] = met, frame
    twice = contact.where(np.array(again, bool)).with_name("a contact with the wall of the frame before")
    assert triggers.never_happens(twice)


def check_barrels_keep_their_speed(trace):
    barrel = trace.all("barrel")
    assert movement.keeps_speed(barrel, velocity=barrel.velocity, tol=0.001)


def check_barrels_move_as_fast_as_they_say(trace):
    barrel = trace.all("barrel")
    between_contacts = (barrel.velocity.rate().norm() < 0.001).spans()
    moved = (barrel.position.rate() - barrel.velocity).norm().during(between_contacts)
    assert judge(0.001 - moved, "a barrel moves as fast as its velocity says")


def check_a_barrel_that_leaves_sinks_once(trace):
    assert triggers.leads_to(trace.all("barrel").leaves, trace.events("barrel.sunk"), within=frames(0))


def check_the_basin_is_empty_when_a_shift_starts(trace):
    start = Spans.following(trace.restarts, frames(0), own_frame=True)
    assert spawns.count_stays(trace.all("barrel"), at_most=1, during=start, occasions=2)


def check_a_barrel_is_dropped_every_six_seconds(trace):
    start = trace.restarts
    dropped = trace.all("barrel").lifetimes.starts().with_name("a barrel being dropped")
    assert triggers.leads_to(start, dropped, within=frames(0))
    shift = Spans.between(start, start) - Spans.following(start, frames(0), own_frame=True)
    assert triggers.repeats_every(dropped, EVERY, first=EVERY, during=shift, time_tol=TWO_FRAMES)
