"""The customs torch: the crate that its ray meets first within 8 m is pale while it is met, and no other."""

import numpy as np

from breadcrumb import all_of, frames, judge
from breadcrumb.checks import rays, triggers, values

LONGEST = 8.0  # m
MIDDLE, SWING, PERIOD = -20.0, 55.0, 9.0  # deg, deg, s
OWN = {
    "crate-1": "brown", "crate-2": "green", "crate-3": "blue", "crate-4": "brown", "crate-5": "red", "crate-6": "green",
}  # fmt: skip


def check_the_torch_swings(trace):
    yaw = trace.one(id="eye-customs").yaw
    assert values.equals(yaw, MIDDLE + SWING * np.sin(2 * np.pi * yaw.episode_times / PERIOD), tol=1e-6)


def met(trace):
    """Return which crate the ray from the middle of the screen meets on each frame, by its number; -1 for none."""
    eye = trace.one(id="eye-customs")
    ray = (eye.screen / 2).to_ray(eye)
    far = [rays.first_hit(ray.origin, ray.direction, [trace.one(id=crate)], at_most=LONGEST) for crate in OWN]
    hidden = rays.first_hit(ray.origin, ray.direction, [trace.one(id="torch-rock")]).values
    distances = np.nan_to_num(np.stack([one.values for one in far] + [hidden]), nan=np.inf)
    nearest = distances.argmin(axis=0)
    return np.where(np.isinf(distances.min(axis=0)) | (nearest == len(OWN)), -1, nearest)


def check_the_crate_that_is_met_first_is_pale(trace):
    which = met(trace)
    pale = [trace.one(id=crate).colour == "pale" for crate in OWN]
    right = [judge(one == (which == number), "a crate is pale while it is met") for number, one in enumerate(pale)]
    assert all_of(*right).with_sentence("a crate is pale while the torch meets it first")


def check_crates_have_their_own_colour_otherwise(trace):
    colours = {crate: trace.one(id=crate).colour for crate in OWN}
    right = [
        values.equals(colour, OWN[crate], except_during=(colour == "pale").spans()) for crate, colour in colours.items()
    ]
    assert all_of(*right).with_sentence("a crate that is not pale has its own colour")


def check_each_find_is_told_once(trace):
    crates = trace.all("crate")
    pale = crates.colour == "pale"
    assert triggers.leads_to(pale.rises(), trace.events("torch.found"), within=frames(0), occasions=3)
    assert triggers.only_after(trace.events("torch.found"), pale.rises(), within=frames(0))
    assert triggers.leads_to(pale.falls(), trace.events("torch.lost"), within=frames(0))
    assert triggers.pairs_up(trace.events("torch.found"), trace.events("torch.lost"))


def check_a_rock_raises_no_error(trace):
    assert triggers.never_happens(trace.events("error", by="torch"))
