"""The lamps: each points at its skiff, its light ends on what it first meets, and its glow swells when it is lit."""

from breadcrumb import Polygon, Spans, all_of, frames, judge, seconds
from breadcrumb.checks import movement, rays, triggers, values

FOLLOWS = {"lamp-quay": "heron", "lamp-head": "tern", "lamp-barge": "heron"}
BASIN = Polygon(((18, 6), (30, 6), (30, 14), (26, 18), (18, 18)))  # m
LONGEST = 46.0  # m
GLOW = [(seconds(0), 0.0), (seconds(0.15), 0.35), (seconds(0.45), 0.35), (seconds(0.9), 1.0)]


def lit(trace):
    return trace.events("lamp.switched").where(lambda data: data["burning"]).with_name("a lamp being lit")


def check_lamps_point_at_their_skiffs(trace):
    pairs = [(trace.one(id=lamp), trace.one(id=skiff)) for lamp, skiff in FOLLOWS.items()]
    assert all_of(*(movement.faces(lamp, skiff, angle="yaw", tol=0.001) for lamp, skiff in pairs))


def check_heads_do_not_tilt(trace):
    assert values.equals(trace.all("lamp").pitch, 0.0)


def check_light_ends_on_what_it_first_meets(trace):
    shapes = [trace.all("rock"), BASIN, trace.all("skiff")]
    ends = []
    for name in FOLLOWS:
        lamp = trace.one(id=name)
        origin, end = lamp.position.plan, lamp.light_end.to_world(lamp.position.plan, lamp.yaw)
        ahead = lamp.yaw.unit_vector().plan
        ray = {"origin": origin, "direction": ahead, "otherwise": LONGEST}
        ends.append(rays.ends_where_it_hits(end, shapes, **ray, tol=0.001))
    assert all_of(*ends)


def check_lamps_are_dark_until_they_are_lit(trace):
    lamp = trace.all("lamp")
    start = Spans.following(trace.restarts, frames(0), own_frame=True)
    at_once = Spans.following(lit(trace), frames(0), own_frame=True)
    assert judge(~lamp.burning, "lamps are dark when a shift starts", during=start, except_during=at_once)
    assert triggers.only_after(lamp.burning.rises(), lit(trace), within=frames(0))


def check_a_press_switches_a_lamp_once(trace):
    pressed = trace.events("input.switch").where(lambda data: data["value"] == "down")
    switched = trace.events("lamp.switched")
    assert triggers.leads_to(pressed, switched, within=frames(0), occasions=3)
    assert triggers.only_after(switched, pressed, within=frames(0))
    due = Spans.following(switched, frames(0), own_frame=True)
    assert values.unchanged(trace.all("lamp").burning, except_during=due)
    assert values.toggles(trace.all("lamp").burning, at=switched, only=False)


def check_the_glow_swells(trace):
    lamp = trace.all("lamp")
    assert movement.follows_keys(lamp.glow.during(lamp.burning.spans()), GLOW, at=lit(trace), tol=1e-6)
    assert values.equals(lamp.glow, 0.0, except_during=lamp.burning.spans())


def check_the_glow_rests_at_its_full_value(trace):
    lamp = trace.all("lamp")
    lit_for_long = lamp.burning.spans().lasting(at_least=seconds(1)).starts()
    assert values.equals(lamp.glow.after(lit_for_long, seconds(0.95)), 1.0)
