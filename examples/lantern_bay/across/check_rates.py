"""Rules over several sessions: what is alike at any frame rate, what a stronger tide does, what chance does."""

import numpy as np

from breadcrumb import all_of, frames, judge
from breadcrumb.checks import session

SLOW = (2.0, 5.0)  # m/s
PULLED = 2.0  # m
BOUNCES = 0.1  # m: between two frames, a bounce lies beside the straight line


def check_barrels_roll_alike_at_any_rate(traces):
    groups = [one for one in traces.where(tide="usual").by("build", "seed") if len(one) > 1]
    assert all_of(*map(rolls_alike, groups)).with_sentence("barrel-1 rolls alike at any frame rate")


def check_twice_the_pull_moves_driftwood_twice_as_fast(traces):
    usual, spring = (one_of(traces, tide) for tide in ("usual", "spring"))
    assert judge(abs(push(spring) / push(usual) - 2) <= 0.01, "twice the pull moves driftwood twice as fast")


def check_driftwood_lies_still_without_the_eddy(traces):
    usual, slack = (one_of(traces, tide) for tide in ("usual", "slack"))
    assert judge(way(slack) <= 0.001, "without the eddy driftwood lies still", id="slack")
    assert judge(way(usual) - way(slack) >= PULLED, "the eddy moves driftwood", id="usual")


def check_barrels_start_at_two_to_five_metres_a_second(traces):
    expected = sum(SLOW) / 2
    found = traces.mean(slow_starts)
    assert judge(abs(found - expected) <= 0.5, "slow barrels start at 3.5 m/s on average")


def rolls_alike(group):
    """Judge that the first barrel rolls alike in sessions of one seed and build."""
    finest_first = sorted(group, key=lambda trace: trace.clock.longest_frame.value)
    about = group[0].about
    verdict = session.same_at_any_rate(finest_first, lambda trace: trace.one(id="barrel-1").position.plan, tol=BOUNCES)
    return verdict.with_sentence(f"barrel-1 rolls alike in {about['build']}, seed {about['seed']}")


def one_of(traces, tide):
    """Return the session of a tide that is otherwise like those of the other tides."""
    return traces.where(tide=tide, build="0.9.2", seed=7, tick_rate=60).one()


def push(trace):
    """Return how fast a piece of driftwood is one frame after the start of a shift."""
    return trace.one(id="drift-2").velocity.norm().at(trace.restarts.shift(frames(1))).mean()


def way(trace):
    """Return how far a piece of driftwood came from where it starts."""
    place = trace.one(id="drift-2").position.plan
    return place.distance_to(place.values[0]).max()


def slow_starts(trace):
    """Return the mean speed with which the slow barrels of a session start."""
    speeds = trace.all("barrel").velocity.norm().at(trace.all("barrel").appears).values
    return float(np.mean(speeds[(speeds >= SLOW[0]) & (speeds <= SLOW[1])]))
