"""The skiffs: no faster than they may be, slowing to a stop by themselves, and inside the bay by their whole hull."""

from breadcrumb import Box, Spans, frames
from breadcrumb.checks import movement, values

BAY = Box((-40, -22), (40, 22))  # m
HULL = 0.9  # m, the radius
CAP = 6.0  # m/s
SLOWING = 1.7  # m/s each second


def steered(trace):
    return trace.events("input.steer")


def coasting(trace):
    """From letting go of all keys until the next key is pressed."""
    let_go = steered(trace).where(lambda data: not data["keys"])
    keys = steered(trace).where(lambda data: bool(data["keys"]))
    return Spans.between(let_go, keys) - Spans.following(keys, frames(0), own_frame=True)


def check_skiffs_keep_to_their_top_speed(trace):
    assert movement.stays_between(trace.all("skiff").speed, 0, CAP)


def check_a_skiff_under_way_goes_at_its_top_speed(trace):
    pressed = steered(trace).where(lambda data: bool(data["keys"]))
    assert values.equals(trace.all("skiff").speed.at(pressed), CAP, occasions=3)


def check_skiffs_slow_down_to_a_stop(trace):
    skiff = trace.all("skiff")
    x, y = (abs(part) for part in (skiff.position.x, skiff.position.y))
    stopped = ((x >= BAY.high[0] - HULL) | (y >= BAY.high[1] - HULL)).spans().with_name("being at the edge")
    free = coasting(trace) - stopped
    assert movement.slows_by(skiff, SLOWING, velocity=skiff.speed, during=free, tol=0.001)


def check_hulls_stay_inside_the_bay(trace):
    assert movement.stays_inside(trace.all("skiff"), BAY)


def check_the_caption_shows_the_warmth(trace):
    skiff = trace.all("skiff")
    assert values.shows(skiff.caption, skiff.warmth, form="{:.1f} C")
