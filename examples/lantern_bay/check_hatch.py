"""The ticket hatch and the harbour clock: one ticket for each boat that comes alongside, at the tariff of the hour."""

import numpy as np

from breadcrumb import Spans, frames, judge, seconds
from breadcrumb.checks import triggers, values

TARIFFS = (3, 5, 4)
HOUR = 10.0  # s
JUMP = 9.0  # deg
EVERY = 0.7  # s


def tariff(at):
    """Return the tariff of the hour on each frame or at each moment."""
    return np.take(TARIFFS, (at.episode_times / HOUR + 1e-9).astype(int) % len(TARIFFS))


def check_each_boat_alongside_gets_one_ticket(trace):
    alongside, issued = trace.events("sensor.begin", on="hatch"), trace.events("ticket.issued")
    assert triggers.only_after(issued, alongside, within=frames(2))
    assert triggers.leads_to(alongside, issued, within=frames(2), occasions=3)


def check_a_ticket_costs_the_tariff_of_the_hour(trace):
    issued = trace.events("ticket.issued")
    assert triggers.carries_data(issued, "tariff", tariff(issued).astype(float))


def check_tickets_are_numbered(trace):
    issued = trace.events("ticket.issued")
    assert triggers.carries_data(issued, "number", np.arange(1.0, issued.count + 1))


def check_the_caption_shows_the_tariff(trace):
    caption = trace.one("hatch").caption
    now = tariff(caption)
    right = [(caption == f"{price} d") == (now == price) for price in TARIFFS]
    assert judge(right[0] & right[1] & right[2], "the caption shows the tariff of the hour")


def check_the_roll_is_never_empty(trace):
    assert judge(trace.one("hatch").tickets > 0, "there are tickets on the roll")
    assert triggers.never_happens(trace.events("error", by="hatch"))


def check_the_clock_jumps_on_time(trace):
    jump, every = trace.events("clock.jump"), seconds(EVERY)
    shift = Spans.between(trace.restarts, trace.restarts)
    assert triggers.repeats_every(jump, every, first=every, during=shift, time_tol=trace.clock.longest_frame)


def check_the_hand_shows_the_jumps(trace):
    turn = trace.one("clock").hand.turn_about("z")
    jumps = np.floor(turn.episode_times / EVERY + 1e-9)
    assert values.equals(turn, (jumps * JUMP + 180) % 360 - 180, tol=1e-6)
