"""The crane: the trolley keeps to its rail and its grip; the magnet lifts what it meets and gives back its weight."""

import numpy as np

from breadcrumb import Box, Spans, frames, judge, seconds
from breadcrumb.checks import collisions, movement, triggers, values

RAIL_WEST, RAIL_EAST = -9.5, 14.0  # m
HALF_WIDTH = 0.7  # m
RAIL_Y, RAIL_Z = -19.0, 6.0  # m
HANG = (0.0, 0.0, -0.8)  # m, from the magnet
LIFTING = 0.9  # m/s
LOW, HIGH = 1.2, 4.5  # m
GRAVITY = 9.81  # m/s2
QUAY = Box((-40, -24, -2), (40, -16, 0))  # m
WEIGHTS = {"load-1": 1.0, "load-2": 0.6, "load-3": 1.4}


def held(trace):
    return (trace.all("load").held_by == "magnet").spans()


def drags(trace, edge):
    return trace.events("input.drag").where(lambda data: data["edge"] == edge).with_name(f"a drag's {edge}")


def lifting(trace):
    return Spans.between(trace.events("magnet.on"), trace.events("magnet.off"))


def check_the_trolley_keeps_to_its_rail(trace):
    place = trace.one("trolley").position
    assert movement.stays_between(place.x, RAIL_WEST + HALF_WIDTH, RAIL_EAST - HALF_WIDTH, tol=1e-9)
    assert values.equals(place.y, RAIL_Y)
    assert values.equals(place.z, RAIL_Z)


def check_a_drag_keeps_its_grip(trace):
    x, moves, begins = trace.one("trolley").position.x, drags(trace, "move"), drags(trace, "begin")
    every = trace.events("input.drag").frames
    moves = moves.where(np.bincount(every)[moves.frames] == 1).with_name("a drag's one move on a frame")
    grip = x.at(begins).values - begins["x"]
    of = np.searchsorted(begins.times, moves.times) - 1
    due = np.clip(moves["x"] + grip[of], RAIL_WEST + HALF_WIDTH, RAIL_EAST - HALF_WIDTH)
    assert values.equals(x.at(moves), due, tol=1e-9, occasions=3)


def check_the_trolley_stands_unless_it_is_dragged(trace):
    dragged = Spans.between(drags(trace, "begin"), drags(trace, "end"))
    x, ends = trace.one("trolley").position.x, drags(trace, "end")
    assert values.equals(x.at(ends), x.before(ends, frames(1)).values, occasions=3)
    assert values.unchanged(x, except_during=dragged)


def check_the_magnet_lifts_what_it_meets(trace):
    met = trace.events("sensor.begin", by="magnet")
    assert triggers.leads_to(met, trace.events("magnet.on"), within=frames(0), occasions=3)
    off = Spans.following(trace.events("magnet.off"), frames(0), own_frame=True)
    held_on = trace.events("magnet.on").outside(off).with_name("lifting that is not called off at once")
    assert values.equals(trace.all("load").held_by.at(held_on), "magnet")


def check_the_magnet_hangs_still_until_it_lifts(trace):
    lowering = Spans.following(trace.events("magnet.off"), seconds(4))
    height = trace.one("magnet").position.z
    assert values.equals(height, LOW, except_during=lifting(trace) | lowering)


def check_the_magnet_rises_steadily(trace):
    height = trace.one("magnet").position.z
    half_way = ((height > LOW) & (height < HIGH)).spans()
    switched = trace.events("magnet.on") | trace.events("magnet.off")
    in_part = Spans.following(switched, frames(0), own_frame=True)
    assert values.equals(height.rate(), LIFTING, during=(half_way & lifting(trace)) - in_part, tol=0.001)


def check_a_held_crate_hangs_below_the_magnet(trace):
    load, magnet = trace.all("load"), trace.one("magnet")
    assert values.equals(load.velocity.z, 0.0, during=held(trace))
    assert values.equals(load.position - magnet.position, HANG, during=held(trace), tol=1e-9)


def check_a_crate_gets_its_own_weight_back(trace):
    for name, weight in WEIGHTS.items():
        load = trace.one(id=name)
        assert values.equals(load.weight, weight, except_during=(load.held_by == "magnet").spans())


def check_a_dropped_crate_falls_by_its_weight(trace):
    load = trace.all("load")
    falling = ((load.held_by == "") & (load.velocity.z < 0)).spans()
    assert values.equals(load.velocity.z.rate(), -GRAVITY * load.weight, during=falling, tol=0.001)


def check_a_drop_ends_on_the_quay(trace):
    load = trace.all("load")
    let_be = (load.held_by == "").spans().lasting(at_least=seconds(2)).starts()
    assert judge(load.velocity.z.after(let_be, seconds(2)) == 0, "a dropped crate comes to rest")


def check_crates_that_nobody_holds_rest_on_the_quay(trace):
    load = trace.all("load")
    standing = ((load.held_by == "") & (load.velocity.z == 0)).spans().lasting(at_least=seconds(0.2))
    assert collisions.rests_on(load, 0.0, during=standing, tol=1e-9, occasions=3)


def check_crates_never_sink_into_the_quay(trace):
    assert movement.stays_outside(trace.all("load"), QUAY, tol=1e-9)
