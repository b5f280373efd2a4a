"""Every check takes its arguments in one order and under one set of names, so that a call reads as a sentence."""

import inspect
from types import ModuleType
from typing import Any, get_args

import pytest

import breadcrumb
from breadcrumb.algebra.durations import Duration
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.sorts import Number, Vector
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values

MODULES: tuple[ModuleType, ...] = (movement, collisions, triggers, spawns, values, rays, session)
NO_VERDICT = ("touching", "first_hit")
"""Functions of the check modules that give spans or a signal."""

CHECKS: dict[str, Any] = {
    "judge": breadcrumb.judge,
    **{name: getattr(module, name) for module in MODULES for name in module.__all__ if name not in NO_VERDICT},
    "spawns.lasts": spawns.lasts,
}

JUDGED = {
    "objects": "objects",
    "signal": "a signal",
    "segments": "a signal in pieces, to be compared with one another",
    "moments": "moments",
    "cause": "a cause, before its effect",
    "effect": "an effect, before its cause",
    "state": "a flag, or the spans in which something is so",
    "trace": "the session as a whole",
    "traces": "several sessions",
}
"""What may stand first, and what it means."""

LIMITS = ("at_least", "at_most")
TABLE: dict[str, str] = {
    "at": "at which moments",
    "after": "after which moments",
    "within": "when something is due",
    "over": "how long something takes",
    "every": "the time from one to the next",
    "lag": "how much later",
    "delay": "how long something waits",
    "velocity": "the recorded velocity, instead of the rate of position",
    "radius": "the extent of a round body",
    "size": "the extent of a box",
    "offset": "how far from it",
    "low": "the lowest value",
    "high": "the highest value",
    "at_least": "the smallest count, length or duration",
    "at_most": "the largest count, length or duration",
    "tol": "the allowance in the property's own unit",
    "rel_tol": "the allowance as a share of the expectation",
    "time_tol": "the allowance as a duration",
    "during": "only then",
    "except_during": "not then",
    "except_at": "not at these moments",
    "match": "who belongs together",
    "only": "whether nothing else may do it",
    "occasions": "how many must be tested",
    "occasions_each": "how many must be tested of each object",
    "id": "the rule's name in results",
}
"""The keywords that all checks share, each with its one meaning."""

FAMILIES: dict[str, dict[str, str]] = {
    "what a plain True or False is": {"tested": "how many things it is about"},
    "the shape of a movement": {
        "by": "the change from where it is",
        "curve": "the easing curve",
        "base": "the height at which an arc begins",
        "centre": "the middle of an oscillation",
        "amplitude": "how far an oscillation swings",
        "period": "how long one oscillation takes",
        "through": "a point on the line",
        "limits": "where a step is shortened",
        "smooth": "over how many samples a parabola is fitted",
        "restitution": "the speed after a bounce as a share of the speed before",
        "friction": "the coefficient of friction",
        "off": "what is bounced off",
        "remainder": "what becomes of the rest of a frame behind an instant",
    },
    "where a ray goes": {
        "origin": "where a ray or a choice begins",
        "direction": "which way a ray goes",
        "otherwise": "where a ray ends that meets nothing",
    },
    "what counts": {
        "at_rest": "whether it must stand still there",
        "away": "whether it must head in the opposite direction",
        "relative": "whether pieces are compared from their first value on",
        "per_frame": "whether frames are counted instead of time",
        "swept": "whether the path between frames counts",
        "retrigger": "whether each cause starts the time anew",
        "unless": "what excuses the effect",
        "allow": "which errors are excused",
        "each": "in whose lifetimes it is counted",
        "condition": "on which side of a limit something is",
        "near": "how near a limit it must be tested",
        "among": "which properties are judged at all",
        "except_for": "which properties may differ",
        "ignore": "what is not compared at all",
        "players": "who acts at will",
        "anchors": "which events are at the same time in both sessions",
        "or_none": "whether a reference may name nothing",
        "below": "how far below its position its lowest point is",
    },
    "how many": {
        "times": "exactly how often",
        "per": "in how long a window",
        "first": "when the first one is due",
        "share": "how many of the frames",
        "significance": "how unlikely chance must be",
    },
    "where a value is found": {
        "normal_key": "the entry of a contact that has its normal",
        "zone_key": "the entry of a contact that names the zone of the surface",
        "origin_key": "the entry of a ray that has where it begins",
        "direction_key": "the entry of a ray that has where it points",
        "distance_key": "the entry of a ray that has how far what it met is",
        "low_key": "the entry of a draw that has the lowest value it may have",
        "high_key": "the entry of a draw that has the highest value it may have",
        "value_key": "the entry of a draw that has what was drawn",
        "angle": "the property that is an angle",
        "form": "the text around a number",
    },
}
"""Keywords of single checks, each with its one meaning."""

PLACES: dict[str, str] = {
    "stays_between": "low and high by place: `stays_between(signal, 0, 6)` is a range as everyone writes it",
    "carries_data": "which entry, then its value: an entry of data is no argument of its own",
    "pairs_up": "what begins, then what ends: both are judged",
    "happens_in_order": "any number of steps, all of which are judged",
    "judge": "a condition, then the rule in words: it has no expectation",
}
"""The exceptions to the places of the table, with their reasons."""


def _parameters(name: str) -> list[inspect.Parameter]:
    return list(inspect.signature(CHECKS[name]).parameters.values())


def test_no_two_checks_have_one_name() -> None:
    """An ID names a check by its bare name; only `lasts`, of lifetimes and of states, is told apart by its subject."""
    names = [name for module in MODULES for name in module.__all__]
    assert {name for name in names if names.count(name) > 1} == {"lasts"}
    assert len(CHECKS) == len(names) - len(NO_VERDICT) + 1


def test_the_table_has_no_two_names_for_one_meaning() -> None:
    """Each keyword stands once, with a meaning of its own, and some check takes it."""
    families = [entry for family in FAMILIES.values() for entry in family.items()]
    meanings = [*TABLE.items(), *families]
    assert len({name for name, _ in meanings}) == len(meanings)
    assert len({meaning for _, meaning in meanings}) == len(meanings)
    taken = {parameter.name for name in CHECKS for parameter in _parameters(name)}
    helpers = {name for helper in NO_VERDICT for name in inspect.signature(_helper(helper)).parameters}
    assert {name for name, _ in families} <= taken
    assert set(TABLE) - taken - helpers == {"size"}  # of bodies that are boxes, which come with their own issue
    assert len(PLACES) <= 5


def _helper(name: str) -> Any:
    return next(getattr(module, name) for module in MODULES if name in module.__all__)


@pytest.mark.parametrize("name", CHECKS)
def test_what_is_judged_comes_first_and_the_expectation_second(name: str) -> None:
    """At most two arguments go by place; whatever else there is goes by keyword, and is in the table."""
    by_place = [one.name for one in _parameters(name) if one.kind is one.POSITIONAL_OR_KEYWORD]
    several = [one.name for one in _parameters(name) if one.kind is one.VAR_POSITIONAL]
    if name in PLACES:
        assert len(by_place) > 2 or several or by_place[0] not in JUDGED
    else:
        assert by_place[0] in JUDGED
        assert len(by_place) <= 2
        assert not several
    known = {*TABLE, *(keyword for family in FAMILIES.values() for keyword in family)}
    by_keyword = {one.name for one in _parameters(name) if one.kind is one.KEYWORD_ONLY}
    assert by_keyword <= known, by_keyword - known
    expectations = {"low", "high", *LIMITS, "period", "radius", "velocity", "angle"}
    assert not set(by_place[2:] if name in PLACES else by_place[1:]) & (set(TABLE) - expectations)


@pytest.mark.parametrize("name", CHECKS)
def test_every_check_takes_what_all_share(name: str) -> None:
    """`occasions`, `occasions_each` and `id` go with every check, and stand in its docstring."""
    parameters = inspect.signature(CHECKS[name]).parameters
    shared = {one: parameters[one].default for one in ("occasions", "occasions_each", "id")}
    assert shared == {"occasions": 1, "occasions_each": 0, "id": ""}
    documented = (CHECKS[name].__doc__ or "").partition("Args:")[2].partition("Returns:")[0]
    for parameter in parameters:
        assert f"\n        {parameter}: " in documented, parameter


TYPES: dict[str, tuple[Any, ...]] = {
    **dict.fromkeys(("within", "over", "every", "lag", "delay", "per"), (Duration,)),
    **dict.fromkeys(("during", "except_during"), (Spans,)),
    **dict.fromkeys(("at", "after", "except_at"), (Moments,)),
    "velocity": (Vector, Number),
    "time_tol": (Duration,),
    "tol": (float,),
    "rel_tol": (float,),
    "only": (bool,),
    "occasions": (int,),
    "occasions_each": (int,),
    "id": (str,),
}


def _kinds(annotation: Any) -> set[Any]:
    """Return the types that a union is made of, or that a pair in it is made of."""
    parts = get_args(annotation)
    return {annotation}.union(*map(_kinds, parts)) if parts else {annotation}


@pytest.mark.parametrize("name", CHECKS)
def test_a_keyword_takes_the_same_everywhere(name: str) -> None:
    """Durations are durations, scopes are spans or moments, allowances are numbers, in whichever check they stand."""
    for keyword, expected in TYPES.items():
        parameter = inspect.signature(CHECKS[name]).parameters.get(keyword)
        if parameter is not None and parameter.kind is parameter.KEYWORD_ONLY:
            assert set(expected) <= _kinds(parameter.annotation), keyword


@pytest.mark.parametrize("name", [name for name in CHECKS if "only" in inspect.signature(CHECKS[name]).parameters])
def test_what_nothing_else_may_do_is_on_by_default_and_in_the_first_line(name: str) -> None:
    """`only` is true unless it is turned off, and the first line of the docstring says what it excludes."""
    assert inspect.signature(CHECKS[name]).parameters["only"].default is True
    first = (CHECKS[name].__doc__ or "").partition("\n")[0]
    assert any(
        words in first
        for words in ("at no other time", "nothing else", "not without", "none is", "other times", "by no more")
    )
