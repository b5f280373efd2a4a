"""The tally stacks: each box lands on the one before, on its own stack, until the stack is full or the shift over."""

import numpy as np

from breadcrumb import Spans, frames
from breadcrumb.checks import triggers, values

STEP = {"stack-quay": 0.7, "stack-shed": 0.5}  # m
FULL = {"stack-quay": 4.9, "stack-shed": 2.5}  # m


def at_once(moments, delivery):
    """Return how many boxes are delivered on the frame of each moment."""
    first, last = (np.searchsorted(delivery.frames, moments.frames, side=side) for side in ("left", "right"))
    return last - first


def check_each_box_lands_on_the_one_before(trace):
    for name, step in STEP.items():
        delivery = trace.events("delivery", on=name)
        top = trace.one(id=name).top
        boxes = np.round(top.before(delivery, frames(1)).values / step) + at_once(delivery, delivery)
        due = boxes % round(FULL[name] / step) * step
        assert values.equals(top.at(delivery), due, tol=1e-9, occasions=3)


def check_a_stack_changes_at_its_own_deliveries_only(trace):
    for name in STEP:
        delivered = Spans.following(trace.events("delivery", on=name), frames(0), own_frame=True)
        assert values.unchanged(trace.one(id=name).top, except_during=delivered)


def check_a_full_stack_is_cleared(trace):
    for name in STEP:
        cleared, delivery = trace.events("stack.cleared", on=name), trace.events("delivery", on=name)
        by_one = cleared.where(at_once(cleared, delivery) == 1).with_name("clearing by one box")
        assert values.equals(trace.one(id=name).top.at(by_one), 0.0)
    assert triggers.only_after(trace.events("stack.cleared"), trace.events("delivery"), within=frames(0))


def check_a_new_shift_clears_the_stacks(trace):
    start = trace.restarts
    for name, step in STEP.items():
        landed = at_once(start, trace.events("delivery", on=name)) * step
        assert values.equals(trace.one(id=name).top.at(start), landed, tol=1e-9)
