"""Where a session first differs from an accepted one of the same seed and rate, and what follows from it."""

import json
import math
from collections.abc import Callable, Iterable
from pathlib import Path
from subprocess import CompletedProcess
from typing import Any

import pytest

from breadcrumb import Recorder, Trace, UnknownName, compare, open_trace
from breadcrumb.checks import session as session_checks
from breadcrumb.errors import NotComparable
from breadcrumb.testing import make_trace

Cli = Callable[..., CompletedProcess[str]]
KINDS = {"a": "keg", "b": "keg", "lid": "lid"}
EVENTS = [(2, "tap", "a", "lid", {"strength": 1}), (5, "tap", "b"), (7, "ring")]


def session(
    change: Callable[[list[dict[str, dict[str, Any]]]], object] = lambda states: None,
    events: list[tuple[Any, ...]] = EVENTS,
    **more: Any,
) -> Trace:
    """Make a session of two kegs and a lid, but for a change of its states."""
    states: list[dict[str, dict[str, Any]]] = [
        {who: {"x": float(frame), "open": frame > 4, "label": "ale"} for who in "ab"} | {"lid": {"y": 0.5}} for frame in range(10)
    ]  # fmt: skip
    change(states)
    about = {"kinds": KINDS, "declare": ["ring", "tap"], "parameters": {"cap": 6.0}, "units": {"x": "m"}} | more
    return make_trace(states, events=events, name="played", **about)


def put(who: str, frames: range, **values: Any) -> Callable[[list[dict[str, dict[str, Any]]]], object]:
    """Return what sets values of an object on some frames."""
    return lambda states: [states[frame][who].update(values) for frame in frames]


def drop(who: str, frames: range) -> Callable[[list[dict[str, dict[str, Any]]]], object]:
    """Return what takes an object away on some frames."""
    return lambda states: [states[frame].pop(who) for frame in frames]


FIRST: dict[str, tuple[Trace, tuple[Any, ...]]] = {
    # a session, and the first difference from the usual one: what, name, object, frame, words, reference, candidate
    "a value": (session(put("a", range(3, 5), x=9.0)), ("property", "keg.x", "a", 3, "6 m off", "3 m", "9 m")),
    "a flag": (session(put("b", range(4, 5), open=True)), ("property", "keg.open", "b", 4, "differs", "false", "true")),
    "a text": (session(put("a", range(6, 7), label="rum")), ("property", "keg.label", "a", 6, "differs", "'ale'", "'rum'")),
    "another text throughout": (session(put("b", range(10), label="rum")), ("property", "keg.label", "b", 0, "differs", "'ale'", "'rum'")),
    "no text": (session(put("a", range(6, 7), label=None)), ("property", "keg.label", "a", 6, "differs", "'ale'", "missing")),
    "no value": (session(put("a", range(6, 7), x=None)), ("property", "keg.x", "a", 6, "differs", "6 m", "missing")),
    "no number": (session(put("a", range(6, 7), x=math.nan)), ("property", "keg.x", "a", 6, "differs", "6 m", "nan m")),
    "an event is missing": (session(events=EVENTS[1:]), ("event", "tap", "a", 2, "missing", "frame 2", "none")),
    "an event is extra": (session(events=[*EVENTS, (8, "ring")]), ("event", "ring", "", 8, "extra", "none", "frame 8")),
    "an event is late": (session(events=[EVENTS[0], (6, "tap", "b"), EVENTS[2]]), ("event", "tap", "b", 5, "1 frame late", "frame 5", "frame 6")),
    "an event is early": (session(events=[EVENTS[0], (3, "tap", "b"), EVENTS[2]]), ("event", "tap", "b", 3, "2 frames early", "frame 5", "frame 3")),
    "an event has other data": (session(events=[(2, "tap", "a", "lid", {"strength": 2}), *EVENTS[1:]]), ("event", "tap", "a", 2, "strength of its data differs", "strength=1", "strength=2")),
    "an event has no data": (session(events=[(2, "tap", "a", "lid"), *EVENTS[1:]]), ("event", "tap", "a", 2, "strength of its data differs", "strength=1", "no strength")),
    "an object is missing": (session(drop("b", range(10))), ("lifetime", "keg", "b", 0, "missing", "from frame 0", "none")),
    "an object is late": (session(drop("b", range(2))), ("lifetime", "keg", "b", 0, "appears 2 frames late", "from frame 0", "from frame 2")),
    "an object ends early": (session(drop("b", range(8, 10))), ("lifetime", "keg", "b", 8, "ends 2 frames early", "until frame 9", "until frame 7")),
    "frames are missing": (session(lambda states: states.__delitem__(slice(8, None))), ("convention", "frames", "", 8, "missing", "frame 8", "none")),
    "a frame takes longer": (session(times=[*(0.1 * n for n in range(9)), 0.95]), ("convention", "time", "", 9, "0.05 s off", "0.9 s", "0.95 s")),
    "a parameter": (session(parameters={"cap": 7.0}), ("parameter", "cap", "", 0, "differs", "6.0", "7.0")),
    "another parent": (session(parents={"b": "a"}), ("lifetime", "keg", "b", 0, "parent differs", "none", "a")),
    "other parts": (session(lambda states: [one["lid"].update(y=(0.5, 0.5)) for one in states]), ("property", "lid.y", "", 0, "has other parts", "y", "y.x, y.y")),
    "a convention": (session(units={"x": "ft"}), ("convention", "units", "", 0, "differs", "{'x': 'm'}", "{'x': 'ft'}")),
}  # fmt: skip


@pytest.mark.parametrize("name", FIRST)
def test_the_first_difference_has_its_object_frame_and_values(name: str) -> None:
    """It is found from either side, with what each session has; a session is equal to itself, whatever it holds."""
    played, told = FIRST[name]
    found = compare(session(), played).first
    assert found is not None
    assert (found.what, found.name, found.object, found.frame, found.words, found.reference, found.candidate) == told
    back = compare(played, session()).first
    assert back is not None
    assert (back.frame, back.reference, back.candidate) == (told[3], told[6], told[5])
    assert compare(played, played).alike


CAPS: dict[str, tuple[dict[int, float], tuple[int, str, str]]] = {
    # on which frames a parameter is set, and where that differs from 6 on frame 0 and 7 on frame 3
    "another value later on": ({0: 6.0, 3: 8.0}, (3, "7.0", "8.0")),
    "not set again": ({0: 6.0}, (3, "7.0", "none")),
    "set later": ({0: 6.0, 4: 7.0}, (3, "7.0", "7.0 on frame 4")),
}


@pytest.mark.parametrize("name", CAPS)
def test_a_parameter_is_compared_at_each_change(name: str, tmp_path: Path) -> None:
    """A tuning constant that begins alike and changes in play otherwise, or on another frame, is a difference."""
    settings, told = CAPS[name]
    traces = []
    for number, caps in enumerate(({0: 6.0, 3: 7.0}, settings)):
        with Recorder(tmp_path / f"{number}.crumbs") as rec:
            for frame in range(6):
                if frame in caps:
                    rec.parameter("cap", caps[frame])
                rec.frame(frame / 10)
        traces.append(open_trace(tmp_path / f"{number}.crumbs"))
    first = compare(*traces).first
    assert first is not None
    assert (first.name, first.frame, first.reference, first.candidate) == ("cap", *told)


ANGLES = {
    # two angles in degrees, and whether they are alike
    "the same way": ((-180.0, 180.0), True),
    "a turn apart": ((-90.0, 270.0), True),
    "almost the same way": ((359.0, 0.0), False),
    "turns that are counted": ((10.0, 370.0), False),
}


@pytest.mark.parametrize("name", ANGLES)
def test_one_direction_is_one_value(name: str) -> None:
    """An angle is the same a full turn on, unless whole turns are counted; its distance is the short way."""
    (first, second), is_alike = ANGLES[name]
    one, other = (
        make_trace([{"a": {"heading": value}}] * 3, kinds={"a": "keg"}, units={"heading": "deg"}) for value in (first, second)
    )  # fmt: skip
    found = compare(one, other)
    assert found.alike == is_alike
    if name == "almost the same way":
        assert found.first is not None
        assert found.first.largest == 1.0


def many(states: list[dict[str, dict[str, Any]]]) -> None:
    """Let a keg go wrong, then the lid that an event links to it, then the other keg, which nothing links to it."""
    put("a", range(1, 10), x=99.0)(states)
    put("lid", range(4, 10), y=9.0)(states)
    put("b", range(7, 10), label="rum")(states)


ALL_ALIKE_BUT_WHOSE: dict[str, tuple[dict[str, float], dict[str, float], str]] = {
    # what objects of one kind are in both sessions, in the order in which they appear, and what differs first
    "in another order": ({"a": 1.0, "b": 2.0}, {"b": 1.0, "a": 2.0}, "x of a"),
    "one of two is another": ({"c": 1.0, "a": 2.0}, {"a": 1.0, "d": 2.0}, "keg c"),
}


@pytest.mark.parametrize("name", ALL_ALIKE_BUT_WHOSE)
def test_the_same_values_of_other_objects_differ(name: str) -> None:
    """Values are compared by object, although those of all objects together are the same, one after the other."""
    *both, first = ALL_ALIKE_BUT_WHOSE[name]
    mine, yours = (
        make_trace([{who: {"x": x} for who, x in one.items()}] * 9, kinds=dict.fromkeys("abcd", "keg")) for one in both
    )
    found = compare(mine, yours)
    told = [one for group in found.groups for one in (group.first, *group.followed)]
    assert found.groups[0].first.called == first
    assert "1 off" in [one.words for one in told if one.called == "x of a"]


MISSING_ELSEWHERE: list[Any] = ["ale", True, 1.0]


@pytest.mark.parametrize("value", MISSING_ELSEWHERE)
def test_a_value_that_is_missing_on_another_frame_differs(value: Any) -> None:
    """Both sessions lack a value once, but not on the same frame."""
    mine, yours = (
        make_trace([{"a": {"v": None if n == gap else value}} for n in range(9)], kinds={"a": "keg"}) for gap in (3, 5)
    )
    first = compare(mine, yours).first
    assert first is not None
    assert (first.frame, first.reference, first.times) == (3, "missing", 2)


def run_of(there: range, frames: Iterable[int] = range(10)) -> Trace:
    """Return a session of two kegs that move by a metre from frame to frame, of which one is there for a while."""
    states = [{who: {"x": float(n)} for who in ("a", "b") if who == "a" or n in there} for n in range(10)]
    return make_trace(states, kinds=KINDS, frames=list(frames))


AS_MANY: dict[str, tuple[Trace, Trace, list[tuple[str, int, str]]]] = {
    # two sessions that have as many samples, and where a property differs: of whom, from which frame on, by how much
    "an object is there later": (run_of(range(8)), run_of(range(2, 10)), []),
    "a frame is left out": (run_of(range(10)), run_of(range(10), [*range(6), *range(7, 11)]), [("a", 7, "1 off"), ("b", 7, "1 off")]),
}  # fmt: skip


@pytest.mark.parametrize("name", AS_MANY)
def test_values_are_compared_on_their_own_frame(name: str) -> None:
    """Values are those of one frame in both sessions, although these have as many samples of the same objects."""
    mine, yours, told = AS_MANY[name]
    every = [one for group in compare(mine, yours).groups for one in (group.first, *group.followed)]
    assert every
    assert [(one.object, one.frame, one.words) for one in every if one.what == "property"] == told


def test_what_follows_from_a_difference_is_in_its_group() -> None:
    """What is linked by an event within a second, or has the same symptom, follows; what has neither is a group by itself."""
    groups = compare(session(), session(many)).groups
    told = [(one.first.called, [each.called for each in one.followed]) for one in groups]
    assert told == [("x of a", ["y of lid"]), ("label of b", [])]
    (group,) = compare(
        session(), session(lambda states: (put("a", range(1, 9), x=99.0)(states), put("b", range(5, 9), x=9.0)(states)))
    ).groups
    assert [one.called for one in (group.first, *group.followed)] == ["x of a", "x of b"]
    (group,) = compare(session(), session(put("a", range(2, 9), x=99.0), events=EVENTS[1:])).groups
    assert [(one.what, one.frame) for one in (group.first, *group.followed)] == [("event", 2), ("property", 2)]


def test_of_what_begins_on_one_frame_that_which_acts_on_others_comes_first() -> None:
    """An event comes before a lifetime, and that before a property; of two properties, that of the object with more links."""
    both = session(lambda states: (put("b", range(6, 7), x=9.0)(states), put("lid", range(6, 7), y=9.0)(states)))
    (group,) = compare(session(), both).groups
    assert [one.called for one in (group.first, *group.followed)] == ["y of lid", "x of b"]


def test_tolerances_and_what_is_ignored_name_what_is_there() -> None:
    """Values within the tolerance are alike; a name that neither session has is an error with the nearest one."""
    played = session(put("a", range(3, 5), x=3.25))
    assert compare(session(), played).first is not None
    for how in (
        {"tol": {"x": 1.5}},
        {"tol": {"keg.x": 1.5}},
        {"ignore": ["keg.x"]},
        {"ignore": ["keg.*"]},
        {"ignore": ["keg"]},
    ):
        assert compare(session(), played, **how).alike, how
    assert not compare(session(), played, tol={"lid.y": 9.0}).alike
    assert not compare(session(), session(put("a", range(3, 5), x=None)), tol={"x": 99.0}).alike
    with pytest.raises(NotComparable, match="neither events nor objects"):
        compare(session(), played, ignore=["*"])
    assert not compare(session(), session(events=EVENTS[1:]), ignore=["keg"]).alike
    for wrong in ({"tol": {"keg.xx": 1.0}}, {"ignore": ["kge.*"]}):
        with pytest.raises(UnknownName):
            compare(session(), played, **wrong)


def test_sessions_without_anything_in_common_are_refused() -> None:
    """No time in common, or nothing recorded, is an error that says so; other seeds are noted."""
    with pytest.raises(NotComparable, match="no game time in common"):
        compare(session(), session(frames=range(100, 110), times=[10 + 0.1 * n for n in range(10)]))
    assert compare(session(), session(frames=range(100, 110))).alike  # other numbers at the same times
    with pytest.raises(NotComparable, match="has no frames"):
        compare(session(), make_trace([], kinds={}))
    with pytest.raises(NotComparable, match="neither events nor objects"):
        compare(make_trace([{}] * 3, kinds={}), make_trace([{}] * 3, kinds={}))
    assert compare(session(seed=1), session(seed=2)).notes == ("the seed differs: 1 and 2",)


def test_the_command_says_where_two_sessions_differ(bay: Callable[..., Path], cli: Cli) -> None:
    """It names the first difference with both values and what followed, in the terminal and as JSON, and ends with 0, 1, 2 or 3."""
    good, bad = bay(), bay("barrel-tired")
    done = cli("compare", good, bad)
    assert (done.returncode, done.stdout.splitlines()[0]) == (
        1,
        "FIRST   position of barrel-1  frame 25 (0.417 s)  0.0001215 m off",
    )
    assert "then 50 more:" in done.stdout
    told = json.loads(cli("compare", good, bad, "--json").stdout)
    assert (told["groups"][0]["first"]["frame"], len(told["groups"][0]["followed"])) == (25, 50)
    alike = cli("compare", good, good)
    assert (alike.returncode, alike.stdout.strip().endswith("all are equal")) == (0, True)
    assert (
        cli("compare", good, bad, "--ignore", "barrel*", "--ignore", "contact", "--tol", "position=x").returncode == 2
    )
    assert cli("compare", good, "nothing.crumbs").returncode == 2
    assert cli("compare", good, bad, "--anchor", "shift.strat").returncode == 2
    slow = cli("compare", good, bay(rate="30"))
    assert (slow.returncode, slow.stdout.splitlines()[0]) == (
        0,
        "NOTE    frames at other times: compared by game time, within 0.0333 s",
    )
    assert cli("compare", good, bay("barrel-tired", rate="30"), "--anchor", "shift.start").returncode == 1
    nothing = cli("compare", good, good, "--ignore", "*")
    assert (nothing.returncode, "neither events nor objects" in nothing.stderr) == (3, True)


def test_a_division_by_restarts_is_none_of_the_game() -> None:
    """A session that a check file divides at moments of its own is compared as it was recorded."""
    divided = session().with_restarts(session().events("tap"))
    assert compare(session(), divided).alike
    assert compare(divided, session()).alike


DRAWN: dict[str, tuple[Any, Any, str, list[float], list[float]]] = {
    # a property of one session on ten frames, of the other one, what is drawn of frames 3 to 5, and what is allowed
    "a number": (float, lambda n: n + (n > 3), "v", [3, 5, 6], [3, 4, 5]),
    "a flag": (lambda n: True, lambda n: n < 4, "v", [1, 0, 0], [1, 1, 1]),
    "a vector": (lambda n: (float(n), 0.0), lambda n: (n + 3 * (n > 3), 4 * (n > 3)), "distance from the reference", [0, 5, 5], [0, 0, 0]),
    "a text": (lambda n: "lit", lambda n: "lit" if n < 4 else "out", "", [], []),
}  # fmt: skip


@pytest.mark.parametrize("name", DRAWN)
def test_a_figure_has_the_values_of_both_sessions(name: str) -> None:
    """A rule that breaks keeps the values of the property that differs first, and those of the accepted session."""
    good, bad, drawn, values, allowed = DRAWN[name]
    made = [
        make_trace([{"a": {"v": of(n)}, "b": {"v": good(0)}} for n in range(10)], kinds=dict.fromkeys("ab", "keg"))
        for of in (good, bad)
    ]
    excerpt = session_checks.same_as(made[1], made[0]).evidence.first
    assert excerpt is not None
    assert (excerpt.object, excerpt.frame, excerpt.name) == ("a", 4, drawn)
    assert [list(some[3:6]) for some in (excerpt.values, excerpt.low, excerpt.high)] == [values, allowed, allowed]


@pytest.mark.parametrize("rate", [10, 20])
def test_the_values_of_the_reference_are_those_of_the_same_time(rate: int) -> None:
    """At another frame rate a figure has the values that the accepted session had at the time; none where it has none."""
    times = [n / rate for n in range(rate)]
    good = make_trace([{"a": {"v": 2 * t}} for t in times], kinds={"a": "keg"}, times=times)
    bad = make_trace([{"a": {"v": n / 5 if n < 6 else 9.0}} for n in range(13)], kinds={"a": "keg"})
    excerpt = session_checks.same_as(bad, good).evidence.first
    assert excerpt is not None
    allowed = [pytest.approx(n / 5) for n in range(10)]
    assert list(excerpt.low[:10]) == list(excerpt.high[:10]) == allowed
    assert excerpt.low[-1] is None
