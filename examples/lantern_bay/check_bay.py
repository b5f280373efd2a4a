"""The bay as a whole: no errors, no numbers that are none, no leaks, no storms, and nobody stands still."""

import numpy as np

from breadcrumb import frames, judge, seconds
from breadcrumb.checks import session, triggers, values

TICKS = 720  # a second


def check_the_session_runs_clean(trace):
    assert session.runs_clean(trace)


def check_properties_keep_their_types(trace):
    assert session.keeps_types(trace)


def check_each_frame_plays_its_time(trace):
    assert values.equals(trace.clock.steps / TICKS, trace.clock.dt, tol=1e-6)


def check_nothing_leaks(trace):
    count = trace.one("bay").things_afloat
    alive = np.zeros(len(count) + 1)
    for kind in ("flare", "barrel"):
        first, last = (np.searchsorted(count.frames, one.frames) for one in trace.all(kind).lifetimes.edges())
        np.add.at(alive, first, 1)
        np.add.at(alive, last + 1, -1)
    assert values.equals(count, np.cumsum(alive)[:-1])


def check_ripples_do_not_storm(trace):
    assert triggers.respects_rate_limit(trace.events("bay.ripple"), 2, per=seconds(1))


def check_a_shift_starts_once(trace):
    started = trace.without_restarts().events("shift.start")
    assert triggers.respects_cooldown(started, frames(1), match="any")


def check_the_buoys_never_stand_still(trace):
    assert judge(trace.all("buoy").yaw.rate() > 0, "buoys turn on every frame")
