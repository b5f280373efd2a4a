"""The muster: whoever is aboard stands on a berth of their own, drawn anew each time."""

import numpy as np

from breadcrumb import Spans, frames, seconds
from breadcrumb.checks import movement, spawns, triggers, values

EVERY = seconds(5)
BERTHS = [(-38.0 + 1.5 * n, 2.0 + 0.5 * (n % 2), 0.5) for n in range(7)]  # m


def placed(trace):
    return trace.events("crew.placed")


def check_musters_are_called_every_five_seconds(trace):
    called = trace.events("muster.called")
    assert triggers.leads_to(trace.restarts, called, within=frames(0))
    assert triggers.repeats_every(called, EVERY)


def check_everyone_aboard_is_placed_at_each_muster(trace):
    crew = trace.all("crew")
    called = trace.events("muster.called").for_each(crew.lifetimes)
    aboard = crew.aboard.at(called).filled(False).values | np.isin(called.frames, trace.restarts.frames)
    aboard = called.where(aboard).with_name("a muster with the sailor aboard")
    assert triggers.leads_to(aboard, placed(trace), within=frames(0), occasions=3)
    assert triggers.only_after(placed(trace), aboard, within=frames(0))


def check_the_crew_stand_on_berths(trace):
    crew = trace.all("crew")
    assert movement.teleports_to(crew, BERTHS, at=placed(trace), tol=1e-9)


def check_no_two_share_a_berth(trace):
    assert triggers.respects_cooldown(placed(trace).with_subject("on"), frames(1))


def check_all_berths_are_drawn(trace):
    crew = trace.all("crew")
    assert spawns.spreads_over(crew.position.at(placed(trace)), BERTHS, tol=0.5)


def check_each_shift_draws_anew(trace):
    start = trace.restarts
    berths = np.array([int(name.removeprefix("berth-")) for name in placed(trace).with_subject("on").subjects], float)
    nights = [berths[placed(trace).episodes == number] for number in range(1, start.count + 1)]
    length = min(map(len, nights), default=0)
    anew = np.array([True, *(not np.array_equal(one[:length], nights[0][:length]) for one in nights[1:])])
    assert triggers.carries_data(start.with_data(anew=anew), "anew", True, occasions=2)


def check_one_who_is_ashore_raises_no_error(trace):
    assert triggers.never_happens(trace.events("error", by=trace.all("crew")))


def check_nobody_moves_between_musters(trace):
    moved = Spans.following(placed(trace), frames(0), own_frame=True)
    assert values.unchanged(trace.all("crew").position, except_during=moved)
