"""The tally stacks: each box lands on the one before, on its own stack, until the stack is full or the shift over."""

import numpy as np

from breadcrumb import Spans, frames
from breadcrumb.checks import triggers, values

STEP = {"stack-quay": 0.7, "stack-shed": 0.5}  # m
FULL = {"stack-quay": 4.9, "stack-shed": 2.5}  # m


def check_each_box_lands_on_the_one_before(trace):
    for name, step in STEP.items():
        delivery = trace.events("delivery", on=name)
        top = trace.one(id=name).top
        due = top.before(delivery, frames(1)).values + step
        due = np.where(due > FULL[name] - 0.01, 0.0, due)
        assert values.equals(top.at(delivery), due, tol=1e-9, occasions=3)


def check_a_stack_changes_at_its_own_deliveries_only(trace):
    for name in STEP:
        delivered = Spans.following(trace.events("delivery", on=name), frames(0), own_frame=True)
        assert values.unchanged(trace.one(id=name).top, except_during=delivered)


def check_a_full_stack_is_cleared(trace):
    cleared = trace.events("stack.cleared")
    assert values.equals(trace.all("stack").top.at(cleared), 0.0)
    assert triggers.only_after(cleared, trace.events("delivery"), within=frames(0))


def check_a_new_shift_clears_the_stacks(trace):
    start = Spans.following(trace.restarts, frames(0), own_frame=True)
    assert values.equals(trace.all("stack").top, 0.0, during=start)
