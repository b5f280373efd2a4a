"""Flares: one for each throw, straight to the mark, bursting on time, and gone."""

import numpy as np

from breadcrumb import Box, frames, judge, seconds
from breadcrumb.checks import collisions, movement, spawns, triggers

BAY = Box((-40, -22), (40, 22))  # m
THROWER, OTHER = "heron", "tern"
SPEED = 8.5  # m/s
HEIGHT = 1.1  # m above the water
BURNING = seconds(1.4)
BURST = seconds(0.375)  # five pictures
FIRST_REPEAT = seconds(0.65)
REPEAT = seconds(0.35)
ON_THE_SKIFF = 0.9  # m: nearer than this the pointer is on the skiff itself
ALONG_THE_BOW = 0.01  # deg
AIM = 0.02  # sine of how far off the mark a flare may fly: 1 degree
FLIES_IN_A_FRAME = 0.35  # m
SKIFF = 6.0  # m/s: what happens within a frame is seen at its end, and it may move on until then


def pressed(trace):
    return trace.events("flare.thrown").where(lambda data: not data["repeat"]).with_name("a throw by a press")


def from_where_it_is(trace):
    """Throws on frames at whose end the skiff is still about where it threw: no whirlpool has moved it."""
    thrown, moved = trace.events("flare.thrown"), trace.events("whirlpool.moved", by=THROWER)
    return thrown.where(~np.isin(thrown.frames, moved.frames)).with_name("a throw")


def flying(trace):
    return (trace.all("flare").picture == 0).spans()


def bursting(trace):
    return (trace.all("flare").picture > 0).spans()


def check_each_throw_makes_one_flare(trace):
    thrown = trace.events("flare.thrown")
    assert spawns.one_for_each(thrown, trace.all("flare"), within=frames(0), match="subject", occasions=3)


def check_a_press_throws_at_once(trace):
    presses = trace.events("input.key").where(lambda data: data["edge"] == "down").with_name("a press of the key")
    assert triggers.leads_to(presses, pressed(trace), within=frames(0))


def check_a_held_key_repeats_after_a_pause(trace):
    repeated = trace.events("flare.thrown").where(lambda data: data["repeat"]).with_name("a repeated throw")
    released = trace.events("input.key").where(lambda data: data["edge"] == "up").with_name("letting go of the key")
    first = pressed(trace).with_subject("by")
    after = (FIRST_REPEAT, FIRST_REPEAT)
    assert triggers.leads_to(first, repeated, within=after, unless=released, time_tol=trace.clock.longest_frame)
    assert triggers.respects_cooldown(repeated, REPEAT, time_tol=trace.clock.longest_frame)


def check_a_flare_starts_above_its_skiff(trace):
    flare, skiff, thrown = trace.all("flare"), trace.one(id=THROWER), from_where_it_is(trace)
    start = flare.position.at(thrown) - skiff.position.at(thrown)
    assert judge(
        FLIES_IN_A_FRAME + SKIFF * trace.clock.longest_frame.value - start.plan.norm(), "a flare starts at its skiff"
    )
    assert judge(start.z == HEIGHT, "a flare starts 1.1 m above the water")


def check_a_flare_flies_to_the_mark(trace):
    flare, skiff, thrown = trace.all("flare"), trace.one(id=THROWER), from_where_it_is(trace)
    thrown = thrown.where((flare.picture == 0).at(thrown)).with_name("a throw that meets nothing at once")
    mark = trace.one("pointer").screen.to_ray(trace.one(id="eye-above")).on_plane("z", 0.0)
    away = (mark - skiff.position).at(thrown)
    east, north = away.x, away.y
    velocity = flare.velocity.at(thrown)
    moved_on = SKIFF * trace.clock.longest_frame.value
    far = away.plan.norm().with_name("distance to the mark")
    astray = abs(velocity.x * north - velocity.y * east).with_name("astray")
    ahead = (velocity.x * east + velocity.y * north).with_name("ahead")
    aimed = (astray <= ahead * AIM + SPEED * moved_on) & (ahead > 0)
    off_the_bow = velocity.direction().turn_from(skiff.heading.at(thrown))
    bow = abs(off_the_bow).with_name("turn from the bow") < ALONG_THE_BOW
    on_the_skiff = (far < ON_THE_SKIFF + moved_on) & bow
    assert judge(aimed | on_the_skiff, "a flare flies toward the mark on the water, or along the bow")


def check_a_flare_keeps_its_speed(trace):
    flare = trace.all("flare")
    assert movement.keeps_speed(flare, SPEED, velocity=flare.velocity, during=flying(trace), tol=0.001)
    assert movement.keeps_speed(flare, SPEED, during=flying(trace), tol=0.001, id="speed-by-position")


def check_a_flare_flies_straight(trace):
    turning = trace.all("flare").velocity.rate().norm().during(flying(trace))
    assert judge(0.001 - turning, "a flare flies straight")


def check_a_flare_bursts_on_time(trace):
    met = (
        trace.events("flare.burst")
        .where(lambda data: data.get("met") not in (None, THROWER))
        .with_name("meeting something")
    )
    assert triggers.leads_to(
        pressed(trace),
        trace.events("flare.burst"),
        within=(BURNING, BURNING),
        unless=met | trace.all("flare").leaves,
    )


def check_a_flare_that_flies_is_in_nothing_that_it_bursts_on(trace):
    flare = trace.all("flare")
    assert collisions.never_touches(flare, trace.all("float"), during=flying(trace))
    assert collisions.never_touches(flare, trace.one(id=OTHER), during=flying(trace), id="the-other-boat")


def check_a_burst_stands_still(trace):
    flare = trace.all("flare")
    assert movement.keeps_speed(flare, 0.0, velocity=flare.velocity, during=bursting(trace))
    assert movement.keeps_speed(flare, 0.0, during=bursting(trace), tol=0.001, id="burst-by-position")


def check_a_burst_shows_every_picture(trace):
    picture = trace.all("flare").picture
    change = picture.changes()
    assert judge(picture.at(change) - picture.before(change, frames(1)) == 1, "a burst shows each picture in turn")


def check_a_burst_is_over_in_time(trace):
    assert triggers.leads_to(
        trace.events("flare.burst"),
        trace.all("flare").leaves,
        within=(BURST, BURST),
        time_tol=trace.clock.longest_frame,
    )


def check_flares_stay_in_the_bay(trace):
    assert movement.stays_inside(trace.all("flare"), BAY)


def check_a_flare_that_flies_goes_only_over_the_border(trace):
    flare, frame = trace.all("flare"), frames(1)
    begun = {*zip(flare.appears.frames, flare.appears.subjects, strict=True)}
    left = zip(flare.leaves.frames, flare.leaves.subjects, strict=True)
    # when all are in the air, the oldest makes way for the next throw
    gone = flare.leaves.where(np.array([one not in begun for one in left], bool))
    unburst = gone.where(flare.picture.before(gone, frame) == 0).with_name("going unburst")
    assert judge(flare.position.before(unburst, frame).depth_in(BAY) < FLIES_IN_A_FRAME, "it was at the border")


def check_a_flare_that_is_gone_does_nothing(trace):
    assert spawns.silent_once_gone(trace.all("flare"))
