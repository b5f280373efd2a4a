"""The raft: gripped near its middle, drawn, let go; then it glides off the other way, slower and slower, to a stop."""

import numpy as np

from breadcrumb import Signal, Spans, frames, judge
from breadcrumb.checks import movement, triggers, values

REACH = 1.3  # m
FACTOR = 2.1  # m/s at a stretch of 1 m
CAP = 6.4  # m/s
SLOWING = 1.9  # m/s each second


def grips(trace):
    return trace.events("input.grip", on="raft")


def let_go(trace):
    return trace.events("input.let_go", on="raft")


def gliding(trace):
    launched = trace.events("raft.launched")
    return Spans.between(launched, launched)


def check_the_raft_is_gripped_near_its_middle_only(trace):
    near = grips(trace).where(lambda data: np.hypot(*data["value"]) <= REACH).with_name("a grip within reach")
    gripped = trace.events("raft.gripped")
    assert triggers.leads_to(near, gripped, within=frames(0), occasions=3)
    assert triggers.only_after(gripped, near, within=frames(0))


def check_a_grip_begins_without_stretch(trace):
    assert values.equals(trace.one("raft").stretch.at(trace.events("raft.gripped")), 0.0)


def check_there_is_no_stretch_unless_it_is_held(trace):
    raft = trace.one("raft")
    assert values.equals(raft.stretch, 0.0, except_during=raft.gripped.spans())


def check_the_label_shows_the_stretch(trace):
    raft = trace.one("raft")
    assert values.shows(raft.label, raft.stretch, form="{:.2f} m", during=raft.gripped.spans())


def check_letting_go_of_a_drawn_raft_launches_it(trace):
    stretched = trace.one("raft").stretch.before(let_go(trace), frames(1)).values > 0
    drawn = let_go(trace).where(stretched).with_name("letting go of a drawn raft")
    launched = trace.events("raft.launched")
    assert triggers.leads_to(drawn, launched, within=frames(0), occasions=3)
    assert triggers.only_after(launched, let_go(trace), within=frames(0))


def check_the_raft_leaves_opposite_to_the_draw(trace):
    launched = trace.events("raft.launched")
    draw, velocity = Signal.from_data(launched, "draw"), trace.one("raft").velocity.at(launched).plan
    stretch = draw.norm().values
    speed = np.minimum(FACTOR * np.sqrt(stretch), CAP)
    assert values.equals(velocity, -(draw.values.T * speed / stretch).T, tol=1e-9)


def check_the_raft_slows_down_to_a_stop(trace):
    raft = trace.one("raft")
    assert movement.slows_by(raft, SLOWING, velocity=raft.speed, during=gliding(trace), tol=0.001)


def check_nothing_turns_the_raft_in_its_glide(trace):
    raft = trace.one("raft")
    moving = (raft.speed > 0).spans()
    way = raft.velocity.plan / raft.speed
    turning = (way.x * way.y.rate() - way.y * way.x.rate()).during(moving)
    kept = turning.outside(Spans.following(trace.events("raft.launched"), frames(0), own_frame=True))
    assert judge(1e-6 - abs(kept), "the raft glides straight on")
