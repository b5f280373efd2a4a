"""The moths: while a swarm is at a lamp, that lamp's oil falls by 3.5 every 0.9 s, and nobody else's."""

from breadcrumb import Spans, frames, judge, seconds
from breadcrumb.checks import values

DRINK = 3.5  # l
EVERY = seconds(0.9)


def shifts(trace):
    """Each shift as a trace by itself, since its lamps are filled up when it starts."""
    start = trace.events("shift.start")
    for shift in Spans.between(start, start) - Spans.following(start, frames(0), own_frame=True):
        yield trace.during(shift)


def visits(trace, lamp):
    return Spans.between(
        trace.events("moths.came", on=lamp).about("on"), trace.events("moths.gone", on=lamp).about("on")
    )


def check_moths_drink_a_lamps_oil(trace):
    for shift in shifts(trace):
        for name in ("lamp-quay", "lamp-head", "lamp-barge"):
            oil = shift.one(id=name).oil
            assert values.drains(oil, DRINK, every=EVERY, during=visits(shift, name), tol=1e-9)


def check_oil_never_falls_below_nothing(trace):
    assert judge(trace.all("lamp").oil, "a lamp has no less than no oil")


def check_swarms_do_not_shrink(trace):
    assert values.unchanged(trace.all("swarm").moths)
