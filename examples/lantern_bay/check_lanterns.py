"""The lanterns: each is back on its own hook 5.5 s after it was last let go, as it hung there, and at rest."""

import numpy as np

from breadcrumb import Spans, frames, judge, seconds
from breadcrumb.checks import movement, triggers, values

RETURNS = seconds(5.5)
SLOWING = 1.2  # m/s each second
HOOKS = {"lantern-quay": (4.0, 14.0, 2.0), "lantern-shed": (-35.0, 9.0, 2.0), "pocket-lamp": (8.0, 15.0, 2.0)}  # m
TURNS = {"lantern-quay": 0.0, "lantern-shed": 110.0, "pocket-lamp": 0.0}  # deg
THROWN = ("lantern-quay", "lantern-shed")


def thrown(trace):
    """Letting go of a lantern, once on a frame, whatever comes of it."""
    let_go = trace.events("input.let_go").with_subject("on")
    _, which, count = np.unique([let_go.frames, let_go.on], axis=1, return_inverse=True, return_counts=True)
    once = count[which.ravel()] == 1
    return let_go.where(np.isin(let_go.subjects, THROWN) & once).with_name("a throw")


def check_a_lantern_comes_back_after_its_last_let_go(trace):
    returned = trace.events("lantern.returned")
    for name in THROWN:
        thrown = trace.events("lantern.let_go", on=name)
        gripped = trace.events("lantern.gripped", on=name)
        assert triggers.leads_to(thrown, returned, within=(RETURNS, RETURNS), unless=gripped, retrigger=True)
        assert triggers.only_after(
            trace.events("lantern.returned", by=name), thrown, within=(RETURNS, RETURNS), time_tol=frames(1)
        )


def check_the_pocket_lamp_comes_back_at_once(trace):
    thrown = trace.events("lantern.let_go", on="pocket-lamp")
    assert triggers.leads_to(thrown, trace.events("lantern.returned"), within=frames(0), occasions=3)


def check_a_lantern_comes_back_to_its_own_hook(trace):
    lantern, back = trace.all("lantern"), trace.events("lantern.returned")
    hooks = np.array([HOOKS[name] for name in back.subjects]).reshape(-1, 3)
    assert values.equals(lantern.position.at(back), hooks, occasions=3)
    assert values.equals(lantern.yaw.at(back), np.array([TURNS[name] for name in back.subjects]))
    assert values.equals(lantern.velocity.at(back), (0.0, 0.0, 0.0))


def check_a_lantern_that_came_back_stays(trace):
    lantern, back = trace.all("lantern"), trace.events("lantern.returned")
    assert values.equals(lantern.velocity.norm().after(back, frames(1)), 0.0)


def check_a_thrown_lantern_flies(trace):
    speed = trace.all("lantern").velocity.norm().at(thrown(trace))
    assert values.equals(speed, np.hypot(*thrown(trace)["value"].reshape(-1, 2).T), tol=1e-9, occasions=3)


def check_a_thrown_lantern_slows_down(trace):
    lantern = trace.all("lantern")
    handled = trace.events("lantern.let_go") | trace.events("lantern.gripped")
    handled |= trace.events("lantern.returned")
    flying = lantern.lifetimes - Spans.following(handled, frames(0), own_frame=True)
    assert movement.slows_by(lantern, SLOWING, velocity=lantern.velocity, during=flying, tol=0.001)


def check_a_lantern_is_held_until_it_is_let_go(trace):
    gripped = trace.all("lantern").gripped
    let_go = trace.events("input.let_go").with_subject("on")
    held = trace.events("lantern.gripped").outside(Spans.following(let_go, frames(0), own_frame=True))
    assert judge(gripped.at(held), "a grip holds", occasions=3)
    assert triggers.leads_to(gripped.falls(), let_go, within=frames(0))
