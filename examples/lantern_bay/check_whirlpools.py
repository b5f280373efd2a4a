"""The whirlpools: a boat that enters one appears at the other, once, and then has its rest."""

from breadcrumb import Spans, frames, judge, seconds
from breadcrumb.checks import movement, triggers

RADIUS = 3.0  # m
NORTH_OF_IT = 2.4  # m
REST = seconds(2.2)
REST_AS_SEEN = (seconds(2.166), seconds(2.234))
SKIFF = 6.0  # m/s: what happens within a frame is seen at its end, and it may move on until then
LONGEST_STEP = 0.5  # m


def check_a_boat_that_enters_is_moved(trace):
    moved = trace.events("whirlpool.moved").with_subject("by")
    inside = trace.events("sensor.begin", on=trace.all("whirlpool")).outside(Spans.following(moved, REST))
    assert triggers.leads_to(inside.with_name("entering a whirlpool when rested"), moved, within=frames(0), occasions=3)


def check_a_rested_boat_never_gets_into_a_whirlpool(trace):
    skiff = trace.all("skiff")
    rests = skiff.resting.spans().grown(trace.clock.longest_frame)
    for end in trace.all("whirlpool").ids:
        inside = skiff.position.distance_to(trace.one(id=end).position) < RADIUS
        gets_in = inside.rises().outside(rests).with_name(f"getting into {end} without a rest")
        assert triggers.never_happens(gets_in, id=f"never-into-{end}")


def check_a_boat_arrives_north_of_the_other_end(trace):
    moved = trace.events("whirlpool.moved")
    boat = trace.all("skiff").position.at(moved)
    end = trace.all("whirlpool").position.at(moved)
    arrival = (boat - end).plan - (0.0, NORTH_OF_IT)
    assert judge(
        SKIFF * trace.clock.longest_frame.value - arrival.norm(), "a boat arrives 2.4 m north of the other whirlpool"
    )


def check_a_boat_rests_after_it_was_moved(trace):
    moved, resting = trace.events("whirlpool.moved"), trace.all("skiff").resting
    assert triggers.leads_to(resting.rises(), moved, within=frames(0))
    assert judge(resting.at(moved), "a boat that was moved rests")
    assert triggers.leads_to(moved, resting.falls(), within=REST_AS_SEEN)
    assert triggers.respects_cooldown(moved, REST, time_tol=trace.clock.longest_frame, occasions=2)


def check_a_boats_rest_ends(trace):
    moved, resting = trace.events("whirlpool.moved"), trace.all("skiff").resting
    assert judge(~resting.after(moved, REST), "a boat's rest is over 2.2 s after its move")


def check_boats_jump_only_through_whirlpools(trace):
    moved = trace.events("whirlpool.moved")
    assert movement.never_teleports(trace.all("skiff"), at_most=LONGEST_STEP, except_at=moved)
