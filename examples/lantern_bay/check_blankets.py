"""Warm blankets: each warms the skiff that touches it once, up to a limit, and is gone; its sound plays on."""

import numpy as np

from breadcrumb import Spans, frames, judge, seconds
from breadcrumb.checks import spawns, triggers, values

WARMS = 1.8  # C
WARMEST = 37.0  # C
SOUND = seconds(0.9)
LAID_OUT = 7


def used(trace):
    return trace.events("blanket.used")


def touches(trace):
    """A boat touching a blanket, whatever part of it does."""
    touched = trace.events("sensor.begin", by=trace.all("skiff"), on=trace.all("blanket"))
    return touched.where(lambda data: data.get("side") == "hull").with_name("a boat's touch")


def check_blankets_are_laid_out(trace):
    start = Spans.following(trace.restarts, frames(1), own_frame=True)
    assert spawns.count_stays(trace.all("blanket"), at_least=LAID_OUT, at_most=LAID_OUT, during=start)


def check_a_touch_uses_a_blanket_up(trace):
    assert triggers.leads_to(touches(trace), used(trace), within=frames(0), match="pair", occasions=3)
    gone = trace.all("blanket").leaves
    assert triggers.leads_to(used(trace), gone, within=frames(0))
    assert triggers.only_after(gone, used(trace), within=frames(0))


def check_a_blanket_warms_its_boat_once(trace):
    warmth = trace.all("skiff").warmth
    before = warmth.before(used(trace), frames(1)).values
    assert values.equals(warmth.at(used(trace)), np.minimum(before + WARMS, WARMEST), tol=1e-9, occasions=3)
    due = Spans.following(used(trace), frames(0), own_frame=True)
    assert values.unchanged(warmth, except_during=due)


def check_warmth_has_a_limit(trace):
    assert judge(WARMEST - trace.all("skiff").warmth, "no skiff is warmer than 37.0 C")


def check_a_blankets_sound_plays_where_it_lay(trace):
    started = trace.events("sound.start")
    assert spawns.one_for_each(started, trace.all("sound"), within=frames(0), match="subject")
    ended = trace.events("sound.end")
    assert triggers.leads_to(started, ended, within=(SOUND, SOUND), time_tol=trace.clock.longest_frame)
    lay = trace.all("blanket").position.before(started, frames(1))
    assert values.equals(trace.all("sound").position.at(started), lay.values)


def check_a_sound_ends_after_its_time(trace):
    gone, ended = trace.all("sound").leaves, trace.events("sound.end")
    assert triggers.only_after(gone, ended, within=frames(0))
    assert triggers.leads_to(ended, gone, within=frames(0))


def check_a_blanket_that_is_gone_is_silent(trace):
    assert spawns.silent_once_gone(trace.all("blanket"))


def check_a_barrels_touch_raises_no_error(trace):
    assert triggers.never_happens(trace.events("error", by=trace.all("blanket")))
