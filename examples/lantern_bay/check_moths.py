"""The moths: while a swarm is at a lamp, that lamp's oil falls by 3.5 every 0.9 s, and nobody else's."""

from breadcrumb import Spans, all_of, frames, judge, seconds
from breadcrumb.checks import values

DRINK = 3.5  # l
EVERY = seconds(0.9)


def shifts(trace):
    """Each shift as a trace by itself, since its lamps are filled up when it starts."""
    start = trace.events("shift.start")
    for shift in Spans.between(start, start) - Spans.following(start, frames(0), own_frame=True):
        yield trace.during(shift)


def visits(trace):
    """While a swarm is at a lamp, for each lamp."""
    return Spans.between(trace.events("moths.came"), trace.events("moths.gone"))


def check_oil_falls_only_while_moths_are_there(trace):
    restart = Spans.following(trace.events("shift.start"), frames(0), own_frame=True)
    assert values.unchanged(trace.all("lamp").oil, except_during=visits(trace) | restart)


def check_moths_drink_a_lamps_oil(trace):
    drunk = [
        values.drains(shift.all("lamp").oil, DRINK, every=EVERY, during=visits(shift), tol=1e-9)
        for shift in shifts(trace)
    ]
    assert all_of(*drunk).with_sentence("a lamp's oil falls by 3.5 l every 0.9 s while moths are at it")


def check_oil_never_falls_below_nothing(trace):
    assert judge(trace.all("lamp").oil, "a lamp has no less than no oil")


def check_swarms_do_not_shrink(trace):
    assert values.unchanged(trace.all("swarm").moths)
