"""The signal mast: hails boats in reach and no others, smokes, and turns a beam and a beacon."""

from breadcrumb import seconds, situation
from breadcrumb.checks import rays, session, spawns, triggers, values

LOOKS_EVERY = seconds(0.7125)
PICTURES = [(1, seconds(0.25)), (2, seconds(0.1)), (3, seconds(0.5)), (2, seconds(0.1)), (0, None)]
BEAM_REACH = 25.0  # m
APART = 1.5  # m


def check_boats_are_hailed_in_reach_and_nowhere_else(trace):
    looks, hails = trace.events("mast.looks"), trace.events("mast.hails")
    far = trace.all("skiff").position.distance_to(trace.one("mast"))
    hailed = trace.all("skiff").position.at(hails.with_subject("on"))
    west, south = hailed.x < trace.one("mast").position.x.at(hails), hailed.y < trace.one("mast").position.y.at(hails)
    for quadrant, inside in {
        "NE": ~west & ~south,
        "NW": west & ~south,
        "SW": west & south,
        "SE": ~west & south,
    }.items():
        situation(inside, f"a boat is hailed to the {quadrant}")
    in_reach = far <= trace.parameter("mast.reach")
    assert triggers.leads_to_only_if(looks, hails, condition=in_reach, within=seconds(0), near=4.0)


def check_the_mast_looks_out_again_and_again(trace):
    looks = trace.events("mast.looks", on="heron")
    assert triggers.repeats_every(looks, LOOKS_EVERY, remainder="dropped")


def check_the_mast_reports_no_error(trace):
    assert triggers.never_happens(trace.events("error", by="mast"))


def check_puffs_rise_apart(trace):
    assert spawns.appears_apart(trace.all("puff"), APART)


def check_puffs_rise_alike(trace):
    assert spawns.appears_alike(trace.all("puff"), except_for=["position", "place"])


def check_puffs_that_are_gone_stay_as_they_are(trace):
    gone = (~trace.all("puff").alive).spans()
    assert session.only_these_change(trace, [], among=["puff"], during=gone)


def check_puffs_are_where_the_headland_has_them(trace):
    puffs = trace.all("puff")
    assert values.equals(puffs.place.to_world(), puffs.position, tol=1e-6)


def check_the_beacon_plays_its_pictures(trace):
    assert values.plays_sequence(trace.one("beacon").picture, PICTURES, at=trace.events("beacon.begins"))


def check_the_beacon_names_a_flare_in_the_air(trace):
    assert values.refers_to(trace.one("beacon").target, trace.all("flare"), or_none=True)


def check_the_beam_ends_on_hulls_alone(trace):
    mast = trace.one("mast")
    ray = {"origin": mast.position.plan, "direction": mast.beam.unit_vector().plan, "at_most": BEAM_REACH}
    assert rays.ends_where_it_hits(mast.spot, [trace.all("skiff")], otherwise="nothing", tol=1e-6, **ray)


def check_the_last_end_of_the_beam_is_kept(trace):
    mast = trace.one("mast")
    ray = {"origin": mast.position.plan, "direction": mast.beam.unit_vector().plan, "at_most": BEAM_REACH}
    assert rays.ends_where_it_hits(mast.last_spot, [trace.all("skiff")], otherwise="hold", tol=1e-6, **ray)
