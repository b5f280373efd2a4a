"""The gull: hop after hop, each from where it stood to where its skiff is."""

import numpy as np

from breadcrumb import Signal, frames, judge, seconds
from breadcrumb.checks import triggers, values

HOP = 0.75  # s
HEIGHT = 1.3  # m
PERCH = (-26.0, 8.0)  # m
SKIFF = 6.0  # m/s: what happens within a frame is seen at its end, and it may move on until then


def hops(trace):
    """Return the hops with which shifts start, and those after landings."""
    hop, start = trace.events("gull.hop"), trace.restarts
    first = np.isin(hop.frames, start.frames) & np.isclose(hop["at"], hop.times, rtol=0, atol=1e-9)
    return hop.where(first).with_name("the first hop"), hop.where(~first).with_name("a hop after a landing")


def passed(trace, signal):
    """Return which hop each sample is in, and the share of it that has passed."""
    hop = trace.events("gull.hop")
    last = np.searchsorted(hop.frames, signal.frames, side="right") - 1
    return last, (signal.times - np.r_[hop["at"], np.nan][last]) / HOP


def check_the_gull_hops_without_a_rest(trace):
    hop, landed = trace.events("gull.hop"), trace.events("gull.landed")
    first, later = hops(trace)
    assert triggers.leads_to(trace.restarts, first, within=frames(0))
    assert triggers.leads_to(landed, later, within=frames(0))
    before = np.searchsorted(hop["at"], later["at"] - 1e-9) - 1
    rest = later["at"] - hop["at"][before]
    assert triggers.carries_data(later.with_data(rest=rest), "rest", HOP, tol=1e-6, occasions=3)
    exact = (seconds(HOP), seconds(HOP))
    assert triggers.leads_to(hop, landed, within=exact, time_tol=trace.clock.longest_frame)


def check_the_first_hop_of_a_shift_starts_on_the_perch(trace):
    assert values.equals(Signal.from_data(hops(trace)[0], "from"), PERCH)


def check_the_gull_flies_in_an_arc(trace):
    height = trace.one("gull").position.z
    _, u = passed(trace, height)
    assert values.equals(height, HEIGHT * 4 * u * (1 - u), tol=1e-6)


def check_the_gull_flies_toward_its_skiff(trace):
    gull, skiff = trace.one("gull").position.plan, trace.one(id="heron").position.plan
    hop, (last, u) = trace.events("gull.hop"), passed(trace, gull)
    start = np.vstack([hop["from"].reshape(-1, 2), [np.nan, np.nan]])[last]
    assert values.equals(gull, start + ((skiff.values - start).T * u).T, tol=1e-6)


def check_the_gull_lands_on_its_skiff(trace):
    _, later = hops(trace)
    jumped = trace.events("whirlpool.moved", by="heron")
    landed = later.where(~np.isin(later.frames, jumped.frames)).with_name(
        "a landing on a skiff that did not jump just then"
    )
    away = (Signal.from_data(landed, "from") - trace.one(id="heron").position.plan.at(landed)).norm()
    assert judge(SKIFF * trace.clock.longest_frame.value - away, "the gull lands on its skiff")
