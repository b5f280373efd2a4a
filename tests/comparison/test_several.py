"""What a session does that none of several good ones does, whose play differs."""

import json
import math
import random
import warnings
from collections.abc import Callable, Iterator
from pathlib import Path
from subprocess import CompletedProcess
from typing import Any

import numpy as np
import pytest

from breadcrumb import Trace, compare
from breadcrumb.checks import session
from breadcrumb.errors import Misuse, NotComparable, UnknownName
from breadcrumb.store.folder import write_folder
from breadcrumb.testing import make_trace

Cli = Callable[..., CompletedProcess[str]]
RATE = 60


def played(
    seed: int, *, speed: float = 3.0, burns: int = 24, lives: int = 20, offset: float = 0.5, bursts: float = 1.0,
    pause: int = 30, strength: float = 2.0, rate: int = RATE, frames: int = 1800, lights: str = "lit",
    lamp: str = "lamp", as_flag: bool = False, again: int = 0, survives: bool = False,
    has_buoy: bool = True, leaps: bool = False, starts: bool = True, eager: float = 0.03, throws: int = 1, **more: Any,
) -> Trace:  # fmt: skip
    """Play a boat at random: it goes to and fro and throws flares, and its lamp burns after each throw."""
    draw = random.Random(seed)
    states: list[dict[str, dict[str, Any]]] = []
    events: list[tuple[Any, ...]] = [(0, "start")] if starts else []
    flares: dict[str, tuple[int, float]] = {}
    names: list[str] = []
    x, way, until, thrown = draw.uniform(-5, 5), 0, 0, -pause
    for frame in range(frames):
        if frame >= until:
            way, until = draw.choice((-1, 0, 1)), frame + draw.randint(20, 60)
        jumps = leaps and frame % 100 == 50  # for one frame, in the midst of a movement
        x += way * speed * (1.5 if jumps else 1.0) / RATE
        if frame % 70 == 0:
            events.append((frame, "bell", "mark"))
        if again and frame and frame % again == 0:
            events.append((frame, "again"))
            flares, thrown = flares if survives else {}, frame - pause + 5
        if frame - thrown >= pause and draw.random() < eager:
            thrown = frame
            name = f"flare-{len(names)}"
            names.append(name)
            events += [
                (frame, "press", "player", "heron"),
                *[(frame, "throw", "heron", name, {"strength": strength})] * throws,
            ]
            flares[name] = frame, x + offset
        lit = thrown >= 0 and frame - thrown < burns
        states.append({"heron": {"x": x, lamp: lit if as_flag else lights if lit else "dark"}})
        if has_buoy:
            states[-1]["mark"] = {"x": 0.0}
        for name, (since, start) in flares.items():
            if frame < since + lives:
                states[-1][name] = {"x": start + 5.0 * (frame - since) / RATE}
            elif frame == since + lives and draw.random() < bursts:
                events.append((frame, "burst", name))
    kinds = {"heron": "skiff", "mark": "buoy"} | dict.fromkeys(names, "flare")
    times = [frame / rate for frame in range(frames)]
    about = {"name": f"played-{seed}", "seed": str(seed), "units": {"x": "m"}} | more
    return make_trace(states, events=events, kinds=kinds, times=times, restarts=["again"], **about)


GOOD = [played(seed, parameters={"cap": 3.0}) for seed in range(10)]
SAME: dict[str, Any] = {"parameters": {"cap": 3.0}}


@pytest.mark.parametrize(("change", "differs"), [({"pause": 30}, False), ({"pause": 120, "throws": 4}, True)])
def test_what_a_player_does_more_often_explains_what_goes_with_it(change: dict[str, Any], differs: bool) -> None:
    """Several times as many throws differ, unless a player pressed as much more often as in no reference."""
    found = compare([played(seed, eager=1.0, pause=120) for seed in range(10)], played(30, eager=1.0, **change))
    told = [one for group in found.groups for one in (group.first, *group.followed)]
    often = {one.name for one in told if "count: more often" in one.words}
    assert ("throw" in often, "flare" in often) == (differs, False), told
    words = [(one.name, one.words) for one in told]
    assert len(set(words)) == len(words), words


@pytest.mark.parametrize(("seed", "frames"), [*((seed, 1800) for seed in range(20, 26)), (26, 600), (27, 4000)])
def test_other_play_of_the_same_game_is_alike(seed: int, frames: int) -> None:
    """Sessions of the same game differ in everything that is played, and in nothing that is compared, however long."""
    assert compare(GOOD, played(seed, frames=frames, **SAME)).groups == ()


CHANGED: dict[str, tuple[dict[str, Any], tuple[str, str], str]] = {
    # how the game is changed; what differs, and how
    "a speed": ({"speed": 3.3}, ("property", "skiff.x"), "speed: always different"),
    "a lifetime": ({"lives": 22}, ("lifetime", "flare"), "duration: always different"),
    "a duration": ({"burns": 27}, ("property", "skiff.lamp"), "duration of lit: always different"),
    "a place": ({"offset": 0.8}, ("event", "throw"), "x of the flare less x of the skiff"),
    "an event that is missing": ({"bursts": 0.0}, ("event", "burst"), "count: missing"),
    "an event that is rarer": ({"bursts": 0.5}, ("lifetime", "flare"), "ends with"),
    "a cooldown": ({"pause": 20}, ("event", "throw"), "interval"),
    "data": ({"strength": 2.5}, ("event", "throw"), "data strength: always different"),
    "a state": ({"lights": "bright"}, ("property", "skiff.lamp"), "bright is new"),
    "what never moves": ({"speed": 0.0}, ("property", "skiff.x"), "never occurs"),
    "a property that is not recorded": ({"lamp": "light"}, ("property", "skiff.lamp"), "property: missing"),
    "a property that is new": ({"lamp": "light"}, ("property", "skiff.light"), "new"),
    "a property of another type": ({"as_flag": True}, ("property", "skiff.lamp"), "property: has another type"),
    "a kind that is there once": ({"has_buoy": False}, ("lifetime", "buoy"), "count: missing"),
    "an event that occurs once": ({"starts": False}, ("event", "start"), "count: missing"),
    "a parameter": ({"parameters": {"cap": 4.0}}, ("parameter", "cap"), "differs"),
}


@pytest.mark.parametrize("case", CHANGED)
def test_what_no_reference_does_is_found(case: str) -> None:
    """A changed game differs, and the list names what was changed."""
    change, what, words = CHANGED[case]
    found = compare(GOOD, played(30, **(SAME | change)))
    every = [one for group in found.groups for one in (group.first, *group.followed)]
    assert any((one.what, one.name) == what and words in one.words for one in every), every
    assert found.references == len(GOOD)


def test_numbers_and_frames_are_told() -> None:
    """A difference has its first frame, both limits with their unit, and how often it occurs."""
    candidate = played(30, **SAME, speed=3.3)
    one = next(
        one
        for group in compare(GOOD, candidate).groups
        for one in (group.first, *group.followed)
        if one.words.startswith("speed: always different")
    )
    assert (one.object, one.reference, one.candidate) == ("heron", "3 m/s", "3.3 m/s")
    assert one.times > 1
    moved = np.abs(np.diff(candidate.data.column("skiff", "x").values)) * RATE
    assert moved[one.frame - 1] == pytest.approx(3.3)
    assert moved[: one.frame - 1].max(initial=0.0) == 0.0


def test_the_frame_is_that_of_the_value() -> None:
    """What is too fast in the midst of a movement has the frame on which it is, not that on which the movement starts."""
    candidate = played(30, **SAME, leaps=True)
    one = next(
        one
        for group in compare(GOOD, candidate).groups
        for one in (group.first, *group.followed)
        if one.words == "speed: higher than in any reference"
    )
    moved = np.abs(np.diff(candidate.data.column("skiff", "x").values)) * RATE
    assert one.candidate == "4.5 m/s"
    assert one.frame - 1 == np.flatnonzero(moved > 4)[0]


def race(seed: int, *too_fast: tuple[int, str, float]) -> Trace:
    """Let two boats go to and fro at 3 m/s, but for some frames on which one of them is too fast."""
    draw, states = random.Random(seed), list[dict[str, dict[str, Any]]]()
    at, ways = {"a": 0.0, "b": 0.0}, dict[str, int]()
    for frame in range(900):
        ways = {name: draw.choice((-1, 0, 1)) for name in at} if frame % 40 == 0 else ways
        fast = {name: speed for since, name, speed in too_fast if since <= frame < since + 200}
        at = {name: x + ways[name] * fast.get(name, 3.0) / RATE for name, x in at.items()}
        states.append({name: {"x": x} for name, x in at.items()})
    times = [frame / RATE for frame in range(900)]
    return make_trace(states, kinds=dict.fromkeys(at, "skiff"), times=times, units={"x": "m"}, name=f"race-{seed}")


def test_the_first_value_is_the_first_in_time() -> None:
    """Of two boats that are too fast, the one that is so first is told, with its own speed, whichever has the first id."""
    found = compare([race(seed) for seed in range(8)], race(20, (200, "b", 3.5), (600, "a", 4.0))).first
    assert found is not None
    assert (found.object, found.candidate, found.words) == ("b", "3.5 m/s", "speed: higher than in any reference")
    assert 200 <= found.frame < 400 < 600 <= found.last


def test_what_is_ignored_is_not_compared() -> None:
    """What is ignored is not compared, also where events tell it; a name that nothing has is an error."""
    candidate = played(30, **SAME, speed=3.3)
    names = {
        one.name
        for group in compare(GOOD, candidate, ignore=["skiff.x"]).groups
        for one in (group.first, *group.followed)
    }
    assert "skiff.x" not in names
    with pytest.raises(UnknownName):
        compare(GOOD, candidate, ignore=["skif.x"])


def no_number(seed: int) -> Trace:
    """Make a session in which a place is no number on one frame."""
    states = [{"heron": {"x": math.nan if frame == seed else 1.0}} for frame in range(100)]  # fmt: skip
    return make_trace(states, kinds={"heron": "skiff"}, name=f"still-{seed}")


def test_a_place_that_is_no_number_is_found() -> None:
    """A value that is no number differs, if all references have numbers."""
    found = compare([no_number(-1)] * 3 + [no_number(-2) for _ in range(4)], no_number(50))
    assert "no number" in found.groups[0].first.words
    assert found.groups[0].first.frame == 50


def refused() -> Iterator[tuple[str, tuple[Any, ...], dict[str, Any], type[Exception]]]:
    """Yield what cannot be compared."""
    yield "too few", (GOOD[:4], GOOD[5]), {}, Misuse
    yield "the candidate is among five", (GOOD[:5], GOOD[0]), {}, Misuse
    yield "a tolerance", (GOOD, GOOD[5]), {"tol": {"x": 1.0}}, Misuse
    yield "a player whom nobody knows", (GOOD, GOOD[5]), {"players": ["plaier"]}, UnknownName
    yield "a path", (GOOD, "new.crumbs"), {}, Misuse
    yield "anchors", (GOOD, GOOD[5]), {"anchors": ["press"]}, Misuse
    yield "another rate", (GOOD, played(30, rate=30)), {}, NotComparable
    yield "references of two rates", ([*GOOD, played(30, rate=30)], played(31)), {}, NotComparable
    still = [make_trace([{"heron": {"x": 1.0}}] * 9, kinds={"heron": "skiff"}, times=[1.0] * 9) for _ in range(9)]
    yield "no time", (still[1:], still[0]), {}, NotComparable
    yield "one frame", (GOOD, make_trace([{"heron": {"x": 1.0}}], kinds={"heron": "skiff"})), {}, NotComparable
    yield (
        "nothing in common",
        (GOOD, make_trace([{"a": {"y": 1.0}}] * 9, times=[one / RATE for one in range(9)], kinds={"a": "keg"})),
        {},
        NotComparable,
    )


@pytest.mark.parametrize(("given", "how", "error"), [pytest.param(*more, id=name) for name, *more in refused()])
def test_what_cannot_be_compared_is_refused(
    given: tuple[Any, ...], how: dict[str, Any], error: type[Exception]
) -> None:
    """Too few references, other frame rates and what only one reference can have are errors, and not alike."""
    with pytest.raises(error):
        compare(*given, **how)


@pytest.mark.parametrize(("how", "found"), [({}, False), ({"frames": 4000}, False), ({"survives": True}, True)])
def test_what_survives_a_restart_is_found(how: dict[str, Any], found: bool) -> None:
    """What is there after a restart, as it never is, differs; more restarts in a longer session do not."""
    good = [played(seed, again=600, lives=70) for seed in range(7)]
    groups = compare(good, played(30, again=600, lives=70, **how)).groups
    words = [one.words for group in groups for one in (group.first, *group.followed)]
    assert any("after a restart" in one for one in words) == found, words
    assert found or not words


@pytest.mark.parametrize("step", [1e-3, 5.0, 3600.0])
def test_sessions_of_any_step_are_compared(step: float) -> None:
    """Turns of an hour are compared as frames of a millisecond are, without a warning."""

    def turns(seed: int) -> Trace:
        draw = random.Random(seed)
        states = [{"heron": {"x": draw.random()}, "mark": {"x": float(turn % 7)}} for turn in range(40)]
        times = [turn * step for turn in range(40)]
        return make_trace(states, kinds={"heron": "skiff", "mark": "buoy"}, times=times, declare=["never"])

    with warnings.catch_warnings():
        warnings.simplefilter("error")
        assert compare([turns(seed) for seed in range(8)], turns(20)).alike


@pytest.mark.parametrize(("about", "told"), [({}, False), ({"level": "quay"}, True)])
def test_the_notes_tell_another_level(about: dict[str, Any], told: bool) -> None:
    """The notes say if the candidate is of a level that no reference has."""
    notes = compare(GOOD, played(30, **SAME, **about)).notes
    assert any("the level differs: None and quay" in one for one in notes) == told
    assert any("level" in one for one in notes) == told


@pytest.mark.parametrize(("many", "words"), [(6, "fewer than 7"), (10, "0 of 10 differ"), (7, "0 of 7 differ")])
def test_the_notes_tell_what_to_expect(many: int, words: str) -> None:
    """The notes say how many references differ from the others, and warn of few or equal ones."""
    assert words in " ".join(compare(GOOD[:many], played(30)).notes)
    odd = [*GOOD[: many - 1], played(40, **SAME, lives=22)]
    assert f"1 of {many} differ" in compare(odd, played(30)).notes[-1]


def test_a_candidate_among_the_references_is_left_out() -> None:
    """A candidate that is one of the references is compared with the others, and that is said."""
    found = compare([*GOOD, odd := played(30, **SAME, lives=22)], odd)
    assert not found.alike
    assert "left out" in found.notes[0]


def test_the_command_takes_a_directory_of_references(cli: Cli, tmp_path: Path) -> None:
    """A directory stands for its traces, and the exit code, the text and the JSON tell what differs."""
    (tmp_path / "good").mkdir()
    for one in GOOD[:7]:
        write_folder(one.data, tmp_path / "good" / f"{one.label}.crumbs")
    for name, trace in (("same", played(20, **SAME)), ("fast", played(30, **SAME, speed=3.3))):
        write_folder(trace.data, tmp_path / f"{name}.crumbs")
    assert cli("compare", "good", "same.crumbs").returncode == 0
    told = cli("compare", "good", "fast.crumbs")
    assert told.returncode == 1
    assert "7 references" in told.stdout
    assert "3.3 m/s" in told.stdout
    found = json.loads(cli("compare", "good", "fast.crumbs", "--json").stdout)
    assert found["references"] == 7
    assert found["groups"][0]["first"]["object"]
    done = cli("replay", "fast.crumbs", "--reference", "good", "--out", "it.html")
    assert (done.returncode, "3.3 m/s, in the references 3 m/s" in (tmp_path / "it.html").read_text()) == (0, True)


def test_the_command_takes_a_directory_of_candidates(cli: Cli, tmp_path: Path) -> None:
    """Each of them is compared, those that cannot be are told, and one that differs decides the exit code."""
    for name, about in (("good", {}), ("new/fast", {"speed": 3.3}), ("new/none", {"frames": 0}), ("new/same", {})):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        write_folder(played(1, **SAME, **about).data, tmp_path / f"{name}.crumbs")
    done = cli("compare", "good.crumbs", "new")
    assert (done.returncode, done.stdout.splitlines()[-1]) == (1, "3 sessions: 1 alike, 1 different, 1 not compared")
    assert "none has no frames" in done.stderr
    found = json.loads(cli("compare", "good.crumbs", "new", "--json").stdout)
    assert [one["candidate"] for one in found] == ["fast", "same"]
    assert [bool(one["groups"]) for one in found] == [True, False]


def test_a_figure_has_the_property_that_differs_first() -> None:
    """What is drawn around the first breach is what broke there, and not the surest difference, which is later."""
    for how, drawn in (({"speed": 3.3}, (98, "x")), ({"speed": 3.3, "offset": 0.7}, (20, ""))):  # an event is not drawn
        excerpt = session.consistent_with(played(30, **SAME, **how), GOOD).evidence.first  # type: ignore[arg-type]
        assert excerpt is not None
        assert (excerpt.frame, excerpt.name, bool(excerpt.values)) == (*drawn, bool(drawn[1]))


def patrolling(seed: int, speed: float, *, are_put_away: bool) -> Trace:
    """Let a guard walk to and fro and a kite fly round, from other places in each session; neither ever rests.

    At the end they may be put so far away as they are while they are not in use.
    """
    draw, states = random.Random(seed), list[dict[str, dict[str, Any]]]()
    x, way, turn = draw.uniform(-5, 5), 1, draw.uniform(0, 6)
    for _ in range(1800):
        x += way * speed / RATE
        way = -1 if x > 10 else 1 if x < -10 else way
        turn += speed / RATE / 5
        states.append({"guard": {"x": x}, "kite": {"position": (5 * math.cos(turn), 5 * math.sin(turn))}})
    states[-20:] = [{"guard": {"x": 1e18}, "kite": {"position": (1e18, 1e18)}}] * 20 if are_put_away else states[-20:]
    kinds = {"guard": "crew", "kite": "kite"}
    return make_trace(states, kinds=kinds, times=[n / RATE for n in range(1800)], units={"x": "m", "position": "m"})


@pytest.mark.parametrize("are_put_away", [False, True])
@pytest.mark.parametrize(("speed", "found"), [(3.0, set()), (3.15, {"crew.x", "kite.position"})])
def test_the_speed_of_what_never_rests_is_compared(speed: float, found: set[str], are_put_away: bool) -> None:
    """A patrol is one movement without an end; its speed is measured all the same, and another one is found."""
    good = [patrolling(seed, 3.0, are_put_away=are_put_away) for seed in range(7)]
    groups = compare(good, patrolling(20, speed, are_put_away=are_put_away)).groups
    told = [one for group in groups for one in (group.first, *group.followed)]
    assert {one.name for one in told} == found
    for one in told:
        assert (one.words, one.reference, one.candidate) == ("steady speed: always different", "3 m/s", "3.15 m/s")


def leaking(seed: int, *, is_vector: bool, below: bool = False) -> Trace:
    """Fill a tub, or push a raft east, at random and often not at all; once it may be less than nothing."""
    draw, states = random.Random(seed), list[dict[str, dict[str, Any]]]()
    for hold in range(80):
        amount = 0.0 if draw.random() < 0.6 else draw.uniform(0.2, 1.0)
        value = -0.1 if below and hold == 40 else amount
        states += [{"it": {"v": (value, 0.5) if is_vector else value}}] * draw.randint(8, 12)
    return make_trace(states, kinds={"it": "tub"}, times=[n / RATE for n in range(len(states))])


@pytest.mark.parametrize("is_vector", [False, True], ids=["an amount", "a part of a vector"])
def test_an_amount_is_never_below_nothing(is_vector: bool) -> None:
    """One value below 0 is enough if it is an amount of something; a part of a vector may just as well be so once."""
    good = [leaking(seed, is_vector=is_vector) for seed in range(10)]
    assert compare(good, leaking(20, is_vector=is_vector)).alike
    assert compare(good, leaking(20, is_vector=is_vector, below=True)).alike == is_vector
