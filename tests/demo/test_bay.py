"""The demo game: the correct build passes at any rate, each fault is caught where it begins, and play is repeatable.

Every 60th fault and one seed are played; BREADCRUMB_EVERY_FAULT=1 plays all of them, and BREADCRUMB_SEEDS=50 so many
seeds.
"""

import os
import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from breadcrumb import Trace, Verdict, compare, open_trace
from breadcrumb.demo.eddy import TIDES
from breadcrumb.demo.faults import FAULTS, ROUTINES, Faults
from breadcrumb.demo.play import play
from breadcrumb.demo.script import SHIFT, Input, in_order, read_script, shift_script, write_script
from breadcrumb.demo.testers import PLAIN, script_of
from breadcrumb.demo.time import SECONDS
from breadcrumb.run.results import Result
from breadcrumb.run.running import run_checks

Find = Callable[[Trace, Trace], tuple[int, set[str]] | None]
SEEDS = int(os.environ.get("BREADCRUMB_SEEDS", "1"))
SESSIONS = [(seed, rate) for seed in range(1, SEEDS + 1) for rate in ("30", "60", "144", "jitter")]
EVERY = bool(os.environ.get("BREADCRUMB_EVERY_FAULT"))
PLAYED = list(FAULTS)[:: 1 if EVERY else 60]
SWITCHED = [f"{switch}:{name}" for switch in ("asleep", "twice") for name in ROUTINES][:: 1 if EVERY else 20]

SHOWS_LATER = {"hatch-deaf": 2, "blanket-sound-stays": 2, "muster-six-berths": 220 * 60}
"""How many frames behind its departure a fault may be caught: the time within which what is missing may still come."""

TOLD_OF = {"bridge-no-wait": {"bell"}}
"""Of whom a fault is told, if not of what the twins differ in: of the cause, where its effect came too early."""

FELT_ELSEWHERE = {
    # a fault, and the routines that it disturbs as the game's physics makes it so
    "bay-starved": set(ROUTINES), "bay-not-a-number": {"eddy"}, "blanket-error": {"bay"}, "muster-error": {"bay"},
    "torch-error": {"bay"}, "mast-errors": {"bay"},
    "barrel-survives": {"boom"}, "ticket-empty-roll": {"bay"}, "whirlpool-to-and-fro": {"flares"},
    "whirlpool-one-side": {"skiffs"}, "whirlpool-takes-all": {"skiffs"},
}  # fmt: skip


DIGITS = re.compile(r"[1-9]\d*\.\d{9,}|\d{12,}")
NOT_WORDS = re.compile(r"\bnp\.|array\(|object at|<lambda>|\bNone\b|dtype")
SHORT = 400
"""The longest line that a terminal still shows in four."""


def _files(examples: Path) -> list[Path]:
    return sorted((examples / "lantern_bay").glob("check_*.py"))


def _about(result: Result) -> str:
    """Return the routine that a check is about."""
    return result.check.stem


@pytest.mark.parametrize(("seed", "rate"), SESSIONS, ids=[f"{seed} at {rate}" for seed, rate in SESSIONS])
def test_the_correct_build_passes_at_every_rate(seed: int, rate: str, bay: Callable[..., Path], examples: Path) -> None:
    """Nothing is broken and nothing untested, whatever the seed and the frame rate."""
    run = run_checks(_files(examples), [bay(seed=seed, rate=rate)])
    assert {result.check.name: result.outcome for result in run.results if result.outcome != "held"} == {}
    assert run.exit_code == 0


@pytest.mark.parametrize("fault", PLAYED)
def test_a_fault_is_caught_at_the_frame_where_it_begins(
    fault: str, bay: Callable[..., Path], examples: Path, departure: Find
) -> None:
    """A check about the routine breaks where the twins part, none about another one, and what breaks explains itself."""
    more: dict[str, Any] = {"rate": FAULTS[fault].rate}
    if FAULTS[fault].seconds != SECONDS:
        more["seconds"] = FAULTS[fault].seconds
    faulty = bay(fault, **more)
    twin = open_trace(bay(**more))
    parting = departure(twin, open_trace(faulty))
    assert parting is not None
    frame, objects = parting
    first = compare(twin, open_trace(faulty)).first
    assert first is not None
    assert (first.frame, not objects or first.object in {*objects, ""} or first.what == "parameter") == (frame, True)
    broken = [
        result for result in run_checks(_files(examples), [faulty]).results if result.outcome in ("broken", "error")
    ]
    own = [result for result in broken if _about(result) == FAULTS[fault].routine]
    found = [one for result in own for one in result.findings if one.outcome == "broken"]
    firsts = [(one.first.frame, one.first.object) if one.first else (0, "") for one in found]
    latest = frame + SHOWS_LATER.get(fault, 0)
    whose = {*objects, *TOLD_OF.get(fault, ()), ""}
    assert any(frame <= at <= latest and who in whose for at, who in firsts), (parting, firsts)
    elsewhere = {_about(result) for result in broken} - {FAULTS[fault].routine}
    assert elsewhere <= FELT_ELSEWHERE.get(fault, set())
    trace = open_trace(faulty)
    for verdict in _broken(broken):
        _explains_itself(verdict, trace)


def _broken(results: list[Result]) -> Iterator[Verdict]:
    for result in results:
        yield from (finding for finding in result.findings if finding.outcome == "broken")


def _explains_itself(verdict: Verdict, trace: Trace) -> None:
    """It names an object of the session, a frame of it, and measured and allowed in its own words."""
    explained, first = verdict.explain(), verdict.first
    assert explained.startswith(f"BROKEN  {verdict.sentence}\n")
    if verdict.of == "values":  # parameters, which have no frame
        assert "; allowed " in explained
        return
    assert first is not None
    assert not first.object or first.object in trace.data.session.names, explained
    assert first.frame in trace.clock.frames
    episode = f", episode {first.episode}" if first.episode > 1 else ""
    assert f"  first  frame {first.frame} ({first.time:.3f} s{episode})  " in explained
    assert f"measured {first.measured}, allowed {first.allowed}" in explained
    assert first.measured != first.allowed or first.excess is not None, explained
    told = "\n".join(line for line in explained.splitlines() if line.startswith(("BROKEN", "  first", "  worst")))
    assert not DIGITS.search(told), told
    assert not NOT_WORDS.search(told), told
    assert max(map(len, told.splitlines())) < SHORT, told
    assert verdict.rule.id
    assert verdict.rule.subject.key or verdict.parts


@pytest.mark.parametrize("switched", SWITCHED)
def test_a_routine_that_sleeps_or_runs_twice_never_passes(
    switched: str, bay: Callable[..., Path], examples: Path
) -> None:
    """A check about it turns red: that something never happens, or happens too often, is never a pass."""
    routine = switched.partition(":")[2]
    run = run_checks([examples / "lantern_bay" / f"check_{routine}.py"], [bay(switched)])
    assert run.with_outcome("broken")
    assert not run.with_outcome("error")


def test_every_switch_in_the_game_is_a_listed_fault() -> None:
    """The code asks about each listed fault and about no other name."""
    package = Path(Faults.__module__.replace(".", "/"))
    folder = Path(__file__).parents[2] / "src" / package.parent
    asked = {
        name
        for file in folder.glob("*.py")
        for name in re.findall(r'"([\w-]+)" (?:not )?in \w+\.?_?\w*\.?faults', file.read_text())
    }
    assert asked == set(FAULTS)


def test_a_script_can_be_written_changed_and_played(tmp_path: Path, play: Callable[..., Path]) -> None:
    """The inputs come back from their file as they were, and another list of them plays another session."""
    inputs = script_of(3)
    write_script(inputs, tmp_path / "script.json")
    again = read_script(tmp_path / "script.json")
    assert [(one.at, one.what, one.on) for one in again] == [(one.at, one.what, one.on) for one in inputs]
    write_script([Input(6, "steer", "heron", "w"), Input(12, "steer", "heron", "")], tmp_path / "west.json")
    skiff = open_trace(play(tmp_path / "west.crumbs", seconds=16, script=tmp_path / "west.json")).one(id="heron")
    assert skiff.heading.values.max() == 180.0
    assert skiff.position.x.values.min() == pytest.approx(-22 - 6 - 6**2 / (2 * 1.7))


def test_each_seed_is_played_as_another_tester_would() -> None:
    """The plain script is that of one seed; others move inputs and add some, but nothing is pressed while it is down."""
    assert script_of(PLAIN) == shift_script(PLAIN)
    for seed in (1, 2, 3):
        inputs = script_of(seed)
        down: set[tuple[str, str]] = set()
        assert inputs == script_of(seed)
        assert len({one.at for one in inputs} & {0, SHIFT - 1}) >= 1
        for one in inputs:
            if one.value in ("down", "up"):
                assert ((one.what, one.on) in down) is (one.value == "up")
                down ^= {(one.what, one.on)}


@pytest.mark.parametrize("name", ["idle", "hammered", "reset every two seconds"])
def test_play_that_nobody_foresaw_breaks_nothing(
    name: str, tmp_path: Path, play: Callable[..., Path], examples: Path
) -> None:
    """No input at all, every input at once in each sixth of a second, and resets besides: nothing is broken."""
    each = {(one.what, one.on, repr(one.value)): one for one in shift_script(PLAIN) if one.what != "point"}
    script = [replace(one, at=at) for at in range(SHIFT // 6) for one in each.values()] if name != "idle" else []
    script += [Input(12, "reset")] if name.startswith("reset") else []
    write_script(in_order(script), tmp_path / "script.json")
    path = play(tmp_path / f"{name}.crumbs", seconds=12, script=tmp_path / "script.json")
    run = run_checks(_files(examples), [path])
    assert {result.check.name: result.outcome for result in run.results if result.outcome in ("broken", "error")} == {}
    assert open_trace(path).restarts.count == (6 if name.startswith("reset") else 2)


def test_a_session_without_tickets_says_so_and_issues_none(
    tmp_path: Path, play: Callable[..., Path], examples: Path
) -> None:
    """The negative session raises exactly the errors that it must, one for each boat that comes alongside."""
    path = play(tmp_path / "empty-roll.crumbs", roll_is_empty=True)
    results = run_checks([examples / "lantern_bay" / "negative" / "check_empty_roll.py"], [path]).results
    assert {result.outcome for result in results} == {"held"}


def test_the_same_seed_plays_the_same_session(tmp_path: Path, play: Callable[..., Path], departure: Find) -> None:
    """Twin sessions of one seed, rate and script agree in every value; another seed plays another session."""
    one, again, other = (
        open_trace(play(tmp_path / f"{name}.crumbs", seed=seed, seconds=20))
        for name, seed in (("one", 7), ("again", 7), ("other", 8))
    )
    assert departure(one, again) is None
    assert compare(one, again).alike
    assert departure(one, other) is not None


@pytest.mark.parametrize("kind", ["skiff", "driftwood", "raft", "leaf", "lantern", "buoy", "magnet"])
def test_values_agree_at_all_steady_rates(kind: str, bay: Callable[..., Path]) -> None:
    """At instants that two rates share, states are the same within a millionth."""
    tables = [open_trace(bay(seed=1, rate=rate)).table(kind) for rate in ("30", "144")]
    slow, fast = (table.assign(tick=(table["t"] * 720).round()).set_index(["id", "tick"]) for table in tables)
    numbers = fast.select_dtypes("float").columns
    shared = slow.index.intersection(fast.index)
    assert len(shared) > 400
    assert (slow.loc[shared, numbers] - fast.loc[shared, numbers]).abs().max().max() < 1e-6


ACROSS: dict[str, tuple[list[str], dict[str, float], set[str]]] = {
    # the faults, tides that are not what they should be, and the rules over several sessions that break
    "correct": ([], {}, set()),
    "by frame, not by time": (["barrel-per-frame"], {}, {"check_barrels_roll_alike_at_any_rate"}),
    "a weak spring tide": ([], {"spring": 1.5}, {"check_twice_the_pull_moves_driftwood_twice_as_fast"}),
    "no slack water": ([], {"slack": 0.1}, {"check_driftwood_lies_still_without_the_eddy"}),
}


@pytest.mark.parametrize("name", ACROSS)
def test_rules_over_several_sessions_catch_their_faults(
    name: str, examples: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """On correct sessions of three rates and three tides all hold; what depends on the rate or the tide breaks its own rule."""
    faults, tides, broken = ACROSS[name]
    for tide, pull in tides.items():
        monkeypatch.setitem(TIDES, tide, pull)
    how: list[dict[str, Any]] = [{"rate": rate} for rate in ("30", "60", "144")]
    how += [{"tide": tide} for tide in ("spring", "slack")]
    paths = [tmp_path / f"{number}.crumbs" for number in range(len(how))]
    for path, one in zip(paths, how, strict=True):
        play(path, faults, seconds=24, build="0.9.2", **one)
    run = run_checks([examples / "lantern_bay" / "across" / "check_rates.py"], paths)
    assert {one.check.name: one.outcome for one in run.results if one.outcome != "held"} == dict.fromkeys(
        broken, "broken"
    )
    assert len(run.results) == 4
