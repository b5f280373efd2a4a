"""Chart stakes: a tap sets one where its ray first meets water or slipway, at the slope there, and on the sky none."""

import numpy as np

from breadcrumb import Signal, Spans, frames, seconds
from breadcrumb.checks import spawns, triggers, values

PAUSE = seconds(0.45)
SLOPE = 8.0  # deg, up toward the west
WEST, SOUTH, EAST, NORTH = -40.0, -11.0, -34.0, 1.0  # m, the slipway


def ground(trace):
    """Return the place and the slope of what each tap's ray first meets; NaN on the sky."""
    taps, eye = trace.events("input.tap"), trace.one(id="eye-shore")
    ray = Signal.from_data(taps, "screen", unit="px", space="screen").to_ray(eye)
    start, way = ray.origin.values.reshape(-1, 3), ray.direction.values.reshape(-1, 3)
    rise = np.tan(np.radians(SLOPE))
    far = (rise * (EAST - start[:, 0]) - start[:, 2]) / (way[:, 2] + rise * way[:, 0])
    slip = start + (way.T * np.where(far > 0, far, np.nan)).T
    on_it = (slip[:, 0] >= WEST) & (slip[:, 0] <= EAST) & (slip[:, 1] >= SOUTH) & (slip[:, 1] <= NORTH)
    water = ray.on_plane("z", 0.0).values.reshape(-1, 3)
    return np.where(on_it[:, None], slip, water), np.where(on_it, SLOPE, 0.0)


def counting(trace):
    """Return the taps that must set a stake: the first on the ground, and not in the pause after one that did."""
    taps, (place, _) = trace.events("input.tap"), ground(trace)
    hits = taps.where(~np.isnan(place[:, 0]))
    rested = hits.once_per_frame().outside(Spans.following(trace.events("stake.set"), PAUSE))
    return rested.with_name("a tap on the ground")


def check_a_tap_sets_one_stake(trace):
    placed = trace.events("stake.set")
    assert triggers.leads_to(counting(trace), placed, within=frames(0), occasions=3)
    assert triggers.only_after(placed, counting(trace), within=frames(0))
    assert spawns.one_for_each(placed, trace.all("stake"), within=frames(0), match="subject")


def check_taps_have_a_pause(trace):
    assert triggers.respects_cooldown(trace.events("stake.set").with_subject("by"), PAUSE)


def check_a_stake_stands_where_the_tap_meets_the_ground(trace):
    placed, taps = trace.events("stake.set"), trace.events("input.tap")
    place, slope = ground(trace)
    hits = np.flatnonzero(~np.isnan(place[:, 0]))
    of = hits[np.searchsorted(taps.frames[hits], placed.frames).clip(max=len(hits) - 1)]
    stake = trace.all("stake")
    assert values.equals(stake.position.at(placed), place[of], tol=1e-6, occasions=3)
    assert values.equals(stake.pitch.at(placed), slope[of])


def check_stakes_never_move(trace):
    assert values.unchanged(trace.all("stake").position)
