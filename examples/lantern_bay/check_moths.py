"""The moths: while a swarm is at a lamp, that lamp's oil falls by 3.5 every 0.9 s, and nobody else's."""

from breadcrumb import Spans, judge, seconds
from breadcrumb.checks import values

DRINK = 3.5  # l
EVERY = seconds(0.9)


def visits(trace):
    """While a swarm is at a lamp, for each lamp."""
    return Spans.between(trace.events("moths.came"), trace.events("moths.gone"))


def check_oil_falls_only_while_moths_are_there(trace):
    assert values.unchanged(trace.all("lamp").oil, except_during=visits(trace))


def check_moths_drink_a_lamps_oil(trace):
    assert values.drains(trace.all("lamp").oil, DRINK, every=EVERY, during=visits(trace), tol=1e-9)


def check_oil_never_falls_below_nothing(trace):
    assert judge(trace.all("lamp").oil, "a lamp has no less than no oil")


def check_swarms_do_not_shrink(trace):
    assert values.unchanged(trace.all("swarm").moths)
