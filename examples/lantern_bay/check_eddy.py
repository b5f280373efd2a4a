"""The tide eddy: driftwood is pulled in and round by a law of its own, and the eddy stays."""

import numpy as np

from breadcrumb import for_sessions, judge
from breadcrumb.checks import movement, values

EDDY = (-14.0, -4.0)  # m
PULL, SIDEWAYS = 18.0, 0.6  # m2/s2, share
NEAREST, FARTHEST = 1.6, 21.0  # m
DRAG = 0.5  # of the speed each second
ELASTIC, LINE = 6.0, 3.0  # N/m, m
A_FRAME_OF_CHANGE = 0.25  # m/s2: how far the law bends within the longest frame


def pulled(drift):
    """Return the acceleration that the law gives each piece."""
    place, velocity = drift.position.plan, drift.velocity.plan
    away = np.subtract(EDDY, place.values)
    distance = np.hypot(*away.T)
    share = np.where(distance <= FARTHEST, PULL / (np.maximum(distance, NEAREST) * distance), 0.0)
    x, y = away.T
    pull = np.stack([x - SIDEWAYS * y, y + SIDEWAYS * x], axis=1) * share[:, None]
    return velocity * -DRAG + drift.line_force / drift.mass + pull


@for_sessions(tide="usual")
def check_driftwood_is_pulled_by_the_law(trace):
    drift = trace.all("driftwood")
    place, velocity = drift.position.plan, drift.velocity.plan
    assert movement.accelerates_like(place, pulled(drift), velocity=velocity, tol=A_FRAME_OF_CHANGE)


def check_driftwood_moves_as_fast_as_it_says(trace):
    drift = trace.all("driftwood")
    off = (drift.position.rate() - drift.velocity).norm()
    assert judge(0.5 - off, "driftwood moves about as fast as its velocity says")


def check_nothing_beyond_its_reach_is_pulled(trace):
    assert values.unchanged(trace.one(id="drift-3").position)


def check_the_eddy_stays(trace):
    assert values.equals(trace.one("eddy").position.plan, EDDY)


def check_the_line_pulls_both_logs_alike(trace):
    one, other = trace.one(id="log-1"), trace.one(id="log-2")
    assert values.opposes(other.line_force, one.line_force)
    apart = other.position.plan - one.position.plan
    length = apart.norm()
    force = np.maximum(length.values - LINE, 0.0) * ELASTIC / length.values
    assert values.equals(one.line_force, (apart.values.T * force).T, tol=1e-6)
