"""The type matrix: every check with a wrong type of each argument is an error that says expected, found, and instead."""

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pytest

from breadcrumb import Box, BreadcrumbError, Misuse, Trace, Verdict, frames, judge, seconds
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values
from breadcrumb.checks.declaration import DECLARED, Common
from breadcrumb.testing import make_trace

MODULES = {
    one.__name__.rpartition(".")[2]: one for one in (collisions, movement, rays, session, spawns, triggers, values)
}
ANGLES = {"unit": "deg"}


def _trace() -> Trace:
    state = {"x": 1.0, "yaw": 10.0, "position": (1.0, 2.0), "q": (0.0, 0.0, 0.0, 1.0), "lit": True, "mood": "calm"}
    states = [{"a": state, "b": state}] * 3
    events = [(1, "tap", "a", None)]
    return make_trace(states, kinds={"a": "keg", "b": "keg"}, angles=ANGLES, units={"x": "m"}, events=events)


TRACE = _trace()
KEGS, TAP = TRACE.all("keg"), TRACE.events("tap")
SAMPLES: dict[str, Any] = {
    "objects": KEGS,
    "number": KEGS.x,
    "angle": KEGS.yaw,
    "vector": KEGS.position,
    "quaternion": KEGS.q,
    "flag": KEGS.lit,
    "text": KEGS.mood,
    "moments": TAP,
    "spans": KEGS.lit.spans(),
    "segments": KEGS.x.per(KEGS.lit.spans()),
    "trace": TRACE,
    "traces": [TRACE],
    "duration": seconds(0.1),
    "durations": (frames(1), frames(2)),
    "region": Box((-9, -9), (9, 9)),
    "plain number": 2.5,
    "plain count": 2,
    "no number": float("nan"),
    "plain bool": True,
    "plain text": "tap",
    "point": (1.0, 2.0),
    "points": [(1.0, 2.0), (3.0, 4.0)],
    "texts": ["calm", "wild"],
    "array": np.zeros(3),
    "shapes": [Box((-9, -9), (9, 9))],
    "pictures": [(1.0, seconds(0.1)), (2.0, None)],
    "keys": [(seconds(0), 1.0), (seconds(0.1), 2.0)],
    "mapping": {"calm": ["wild"]},
    "function": len,
    "none": None,
}
"""One of everything that somebody might hand to a check."""

FUNCTIONS: dict[str, Any] = {
    "form": str,
    "measure": lambda trace: trace.one(id="a").x,
    "law": lambda moving: (moving.position if moving is KEGS else moving) * 0.0,
    "curve": lambda share: share,
}
"""What goes where a function is taken."""

MOVING = {"objects", "number", "angle", "vector"}
ANY_SIGNAL = {"number", "angle", "vector", "quaternion", "flag", "text"}
AMOUNT, MEASURE = {"number", "angle"}, {"number", "angle", "vector"}
PLAIN = {"plain number", "plain count"}
PLACE = {"objects", "vector", "point"}
WITHIN = {"duration", "durations"}

BY_NAME: dict[str, set[str]] = {
    # what an argument of this name takes in every check, but for those of ROWS
    **{key: {"spans", "none"} for key in ("during", "except_during")},
    **{key: {"moments"} for key in ("at", "after", "cause", "effect", "begins", "ends", "moments", "steps")},
    **{key: {"moments", "none"} for key in ("except_at", "unless")},
    **{key: {"duration", "none"} for key in ("time_tol", "lag", "first", "delay")},
    **{key: {"duration"} for key in ("over", "every", "per", "period")},
    **dict.fromkeys(("tol", "rel_tol", "rate", "peak", "share", "significance"), PLAIN),
    **dict.fromkeys(("friction", "amplitude", "centre"), PLAIN),
    "off": {"objects", "none"},
    **{key: PLAIN | {"none"} for key in ("speed", "base", "below")},
    **{
        key: {"plain text"}
        for key in (
            "match",
            "normal_key",
            "origin_key",
            "direction_key",
            "distance_key",
            "low_key",
            "high_key",
            "value_key",
            "zone_key",
            "key",
            "angle",
            "pattern",
            "words",
            "id",
        )
    },
    **{
        key: {"plain bool"}
        for key in ("only", "at_rest", "away", "swept", "retrigger", "relative", "or_none", "per_frame")
    },
    "objects": {"objects", "vector"},
    "others": {"objects", "vector"},
    "velocity": {"vector", "number", "none"},
    "offset": {"point", "none"},
    "radius": PLAIN | {"point", "none"},
    "trace": {"trace"},
    "within": WITHIN,
    "times": {"plain count"},
    "occasions": {"plain count"},
    "occasions_each": {"plain count"},
    "tested": {"plain count", "none"},
}
OWN: dict[str, dict[str, set[str]]] = {
    "judge": {"condition": {"flag", "number", "plain bool"}},
    "movement.keeps_speed": {"objects": MOVING},
    "movement.slows_by": {"objects": MOVING},
    "movement.undisturbed": {"objects": MOVING},
    "movement.teleports_to": {"places": {"vector", "point", "points"}},
    "movement.follows": {"leader": {"objects", "vector"}},
    "movement.returns_to": {"place": PLACE, "within": {"duration"}},
    "movement.lands_on": {"target": PLACE},
    "movement.eases": {
        "signal": AMOUNT, "to": {*AMOUNT, *PLAIN, "point", "array", "none"}, "by": {*AMOUNT, *PLAIN, "point", "array", "none"},
        "curve": {"plain text", "function", "points", "text"}, "over": {"duration", "number"},
        "delay": {"duration", "number", "none"},
    },
    "movement.follows_arc": {"signal": AMOUNT},
    "movement.follows_keys": {"signal": AMOUNT, "keys": {"keys"}},
    "movement.oscillates": {"signal": AMOUNT},
    "movement.stays_between": {"signal": AMOUNT, "low": PLAIN | {"none"}, "high": PLAIN | {"none"}},
    "movement.stays_inside": {"region": {"region", "objects"}, "radius": PLAIN | {"none"}},
    "movement.stays_outside": {"region": {"region", "objects"}, "radius": PLAIN | {"none"}},
    "movement.stays_on_line": {"along": {"point", "points"}, "through": {"point", "none"}},
    "movement.never_teleports": {"objects": MOVING, "at_most": PLAIN},
    "movement.keeps_velocity": {"objects": MOVING, "expected": {*PLAIN, "vector", "number", "point", "none"}},
    "movement.accelerates_like": {
        "objects": MOVING, "law": {"vector", "number", "function"}, "smooth": {"plain count", "none"},
    },
    "movement.moves": {"objects": MOVING, "at_least": PLAIN, "within": {"duration"}},
    "movement.steps_by": {"signal": AMOUNT, "amount": {*AMOUNT, *PLAIN, "point", "array"}, "limits": {"point", "none"}},
    "movement.heads_toward": {"target": PLACE},
    "movement.faces": {"objects": {"objects"}, "target": PLACE},
    "movement.turns_at": {"signal": {"angle"}},
    "collisions.bounces": {"restitution": {*PLAIN, "mapping"}},
    "collisions.reports_every_touch": {"touches": {"spans"}},
    "collisions.never_touches": {"others": {"objects", "vector", "region"}},
    "collisions.never_tunnels": {"barrier": {"points", "region", "objects", "vector"}},
    "collisions.passes_through": {"objects": {"objects"}, "others": {"objects", "vector", "region"}},
    "collisions.rests_on": {"surface": {"number", *PLAIN}},
    "rays.ends_where_it_hits": {
        "signal": {"vector"}, "origin": {"vector"}, "direction": {"vector"}, "shapes": {"shapes"},
        "otherwise": PLAIN, "at_most": {*PLAIN, "none"},
    },
    "rays.reports_first_hit": {"shapes": {"shapes"}, "at_most": PLAIN},
    "rays.picks_nearest": {"objects": {"objects"}, "origin": {"objects"}, "at_most": PLAIN, "radius": PLAIN | {"none"}},
    "session.runs_clean": {"allow": {"mapping", "none"}},
    "session.keeps_pace": {"at_most": {"duration"}},
    "session.same_as": {"reference": {"trace"}, "tol": {"mapping"}, "ignore": {"texts"}, "anchors": {"texts"}},
    "session.consistent_with": {"references": {"traces"}, "ignore": {"texts"}, "players": {"texts"}},
    "session.same_at_any_rate": {"traces": {"traces"}, "measure": {"function"}},
    "session.only_these_change": {"allowed": {"texts"}, "among": {"texts"}},
    "spawns.appears_alike": {"objects": {"objects"}, "except_for": {"texts"}},
    "spawns.appears_apart": {"objects": {"objects"}, "at_least": PLAIN | {"none"}, "at_most": PLAIN | {"none"}},
    "spawns.appears_at": {"objects": {"objects"}, "place": PLACE},
    "spawns.appears_with": {"objects": {"objects"}, "values": {"mapping", "none"}},
    "spawns.spreads_over": {"signal": MEASURE, "places": {"point", "points"}},
    "spawns.leaves_when": {"objects": {"objects"}, "when": {"moments", "region"}},
    "spawns.count_stays": {"objects": {"objects"}, "at_least": {"plain count", "none"}, "at_most": {"plain count", "none"}},
    "spawns.silent_once_gone": {"objects": {"objects"}},
    "spawns.dies_with": {"objects": {"objects"}, "owner": {"objects"}, "within": {"duration", "none"}},
    "spawns.outlives": {"objects": {"objects"}, "owner": {"objects"}, "delay": WITHIN},
    "spawns.one_for_each": {"objects": {"objects"}},
    "spawns.lasts": {"objects": {"objects"}, "duration": WITHIN},
    "triggers.leads_to_only_if": {"condition": {"flag"}, "near": PLAIN | {"none"}},
    "triggers.repeats_every": {"remainder": set()},
    "triggers.happens_in_order": {"within": {"duration"}},
    "triggers.happens_once": {"each": {"objects", "none"}},
    "triggers.affects_only": {"signal": ANY_SIGNAL},
    "triggers.respects_cooldown": {"at_least": {"duration"}},
    "triggers.respects_rate_limit": {"at_most": {"plain count"}},
    "values.equals": {
        "signal": ANY_SIGNAL, "expected": {*ANY_SIGNAL, *PLAIN, "plain bool", "plain text", "point", "array"},
    },
    "values.same_across": {"segments": {"segments"}},
    "values.shows": {
        "signal": {"text"}, "value": {*AMOUNT, "flag", "text"}, "form": {"plain text", "function"},
    },
    "values.conserves": {"signal": MEASURE},
    "values.opposes": {"signal": MEASURE, "other": MEASURE},
    "values.carries_over": {"signal": AMOUNT, "step": PLAIN},
    "values.drains": {"signal": {"number"}, "amount": PLAIN, "low": PLAIN, "during": {"spans"}},
    "values.unchanged": {"signal": ANY_SIGNAL},
    "values.never_falls": {"signal": {"number"}},
    "values.never_rises": {"signal": {"number"}},
    "values.changes_by": {"signal": AMOUNT, "amount": {*AMOUNT, *PLAIN, "point", "array"}},
    "values.toggles": {"signal": {"flag"}},
    "values.restores": {"signal": ANY_SIGNAL, "during": {"spans"}},
    "values.moves_through": {"signal": {"text", "number"}, "legal": {"mapping"}},
    "values.never_missing": {"signal": ANY_SIGNAL},
    "values.plays_sequence": {"signal": {"number", "text"}, "pictures": {"pictures"}},
    "values.refers_to": {"signal": {"text"}, "objects": {"objects"}},
    "values.one_of": {"signal": {*AMOUNT, "text"}, "allowed": {"point", "texts", "array"}},
    "values.lasts": {"state": {"flag", "spans"}, "duration": WITHIN},
}  # fmt: skip
"""What arguments of a check take that those of other checks do not."""
ANYTHING = {"triggers.carries_data": {"value"}, "spawns.appears_with": {"properties"}}
"""Arguments that may be anything at all."""


def _taken(check: str, argument: str) -> set[str]:
    return OWN.get(check, {}).get(argument, BY_NAME.get(argument, set()))


def _arguments() -> Iterator[tuple[str, str]]:
    for check, declaration in DECLARED.items():
        for argument in declaration.signature.parameters:
            if argument not in ANYTHING.get(check, set()):
                yield check, argument


def _call(check: str, argument: str, sample: str) -> Callable[[], Verdict]:
    """Return a call of a check in which one argument is a sample, and every other one something that it takes."""
    module, _, name = check.rpartition(".")
    function: Any = getattr(MODULES[module], name) if module else judge
    declaration = DECLARED[check]
    given: dict[str, Any] = {}
    samples = SAMPLES | {"function": FUNCTIONS.get(argument, len)}
    for other in declaration.required - {argument} - Common.__annotations__.keys():
        fits = sorted(_taken(check, other)) or ["points"]
        given[other] = (SAMPLES | {"function": FUNCTIONS.get(other)})[
            next((one for one in fits if one != "plain number"), fits[0])
        ]
    if declaration.several:
        first, given = (
            (SAMPLES[sample], given) if argument == declaration.several else (TAP, given | {argument: samples[sample]})
        )
        return lambda: function(first, TAP, **given)
    return lambda: function(**given, **{argument: samples[sample]})


def _refusal(call: Callable[[], Verdict]) -> str:
    try:
        return f"a verdict: {call().outcome}"
    except Misuse as error:
        return str(error)


@pytest.mark.parametrize(("check", "argument"), list(_arguments()))
def test_a_wrong_type_is_an_error_that_says_what_was_expected(check: str, argument: str) -> None:
    """Whatever an argument does not take is refused with what was expected and found; nothing of it holds."""
    assert argument in OWN.get(check, {}) or argument in BY_NAME, "a new argument needs its row"
    for sample in SAMPLES.keys() - _taken(check, argument):
        said = _refusal(_call(check, argument, sample))
        assert said.startswith(f"{check}: {argument}: expected "), (sample, said)
        assert ", found " in said


@pytest.mark.parametrize(("check", "argument"), list(_arguments()))
def test_a_right_type_is_taken(check: str, argument: str) -> None:
    """What an argument takes is never refused for its type."""
    for sample in _taken(check, argument):
        try:
            _call(check, argument, sample)()
        except Exception as error:
            if not isinstance(error, BreadcrumbError) or f": {argument}: expected" in str(error):
                pytest.fail(f"{check}({argument}={sample}): {type(error).__name__}: {error}")


INSTEAD = {
    # what the message names, of a check that is given this for its first argument
    ("movement.stays_between", "vector"): r"take a part of it, such as \.x, or its norm\(\)",
    ("movement.stays_between", "flag"): r"judge\(flag, words\)",
    ("movement.stays_between", "text"): r"values\.one_of",
    ("judge", "array"): r"with_values\(array, name\)",
    ("movement.turns_at", "number"): r"units=\{'yaw': 'deg'\}",
    ("movement.stays_inside", "quaternion"): r"turn_about",
    ("triggers.never_happens", "flag"): r"rises\(\) or falls\(\)",
    ("triggers.never_happens", "spans"): r"starts\(\) or ends\(\)",
    ("triggers.never_happens", "objects"): r"appears or leaves",
    ("triggers.never_happens", "plain text"): r"trace\.events\(name\)",
    ("values.lasts", "objects"): r"lifetimes",
    ("values.lasts", "moments"): r"Spans\.following",
    ("values.never_falls", "angle"): r"unwrapped\(\)",
    ("values.toggles", "number"): r"compare it first",
    ("values.equals", "objects"): r"one of their properties",
    ("values.equals", "plain text"): r"objects\['kind'\]",
    ("spawns.count_stays", "vector"): r"trace\.all\(kind\)",
}


@pytest.mark.parametrize(("check", "sample"), INSTEAD)
def test_the_message_says_what_to_use_instead(check: str, sample: str) -> None:
    """A likely slip is answered with what does what was meant."""
    first = next(iter(DECLARED[check].signature.parameters))
    with pytest.raises(Misuse, match=INSTEAD[check, sample]):
        _call(check, DECLARED[check].several or first, sample)()


def test_a_flag_or_a_region_as_a_scope_or_a_limit_is_an_error() -> None:
    """What is not spans, a region or a number is refused where one belongs, with the way to write it."""
    with pytest.raises(Misuse, match=r"during: expected spans or None, found lit of every keg.*take its spans\(\)"):
        movement.stays_between(KEGS.x, 0, 3, during=KEGS.lit)
    with pytest.raises(Misuse, match=r"region: expected a region.*write Box"):
        movement.stays_inside(KEGS.position, (0, 1))  # type: ignore[arg-type] # what is refused
    with pytest.raises(Misuse, match=r"low: expected a number or None.*judge\(signal < limit, words\)"):
        movement.stays_between(KEGS.x, KEGS.x)
