"""A session in which the ticket hatch has run out: it says so each time, and issues nothing."""

from breadcrumb import frames
from breadcrumb.checks import session, triggers


def alongside(trace):
    return trace.events("sensor.begin", on="hatch")


def check_each_boat_alongside_is_told_that_the_roll_is_empty(trace):
    told = trace.events("error", by="hatch")
    assert triggers.leads_to(alongside(trace), told, within=frames(2), occasions=3)


def check_nothing_else_goes_wrong(trace):
    assert session.reports_error(trace, "hatch: the roll is empty", times=alongside(trace).count)


def check_no_ticket_is_issued(trace):
    assert triggers.never_happens(trace.events("ticket.issued"))
