"""Restarts: what lies between two of them is judged by itself, held against references on each part alone."""

import gc
import random
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from breadcrumb import Duration, Misuse, Recorder, Restarts, Spans, Trace, Verdict, frames, open_trace, seconds
from breadcrumb.checks import movement, triggers, values
from breadcrumb.errors import CheckFileError, UnknownName
from breadcrumb.run.running import run_checks
from breadcrumb.testing import differences, make_trace
from references.comparing import CASES, arguments
from references.drawing import STEP, draw_scene, trace_of
from references.plain import Scene
from replayed import replay_data

PAIRS = 12
ANEW = "round.start"


def one_after_the_other(first: Scene, second: Scene) -> Trace:
    """Return two sessions as one, in which a restart begins the second one."""
    rows = first["rows"]
    frame, time = rows[-1]["frame"] + 1 - second["rows"][0]["frame"], rows[-1]["time"] + STEP
    every = [*rows, *({**row, "frame": row["frame"] + frame, "time": row["time"] + time} for row in second["rows"])]
    anew = {"row": len(rows), "name": ANEW, "by": None, "on": None, "data": None}
    later = [{**one, "row": one["row"] + len(rows)} for one in second["events"]]
    return trace_of({"rows": every, "events": [*first["events"], anew, *later]}, restarts=[ANEW])


def _pairs() -> list[tuple[Scene, Scene, Trace]]:
    found: list[tuple[Scene, Scene, Trace]] = []
    seed = 0
    while len(found) < PAIRS:
        first, second = (draw_scene(random.Random(f"{seed} {which}")) for which in ("first", "second"))
        seed += 1
        there = [{who for row in scene["rows"] for who in row["objects"]} for scene in (first, second)]
        stays = second["rows"][0]["objects"].keys() <= first["rows"][-1]["objects"].keys()
        begin = second["rows"][0]["objects"]
        present = all(one["by"] is None or one["by"] in begin for one in second["events"] if not one["row"])
        if stays and present and there[0] == there[1]:  # nothing is gone or new at the restart, and kinds are the same
            found.append((first, second, one_after_the_other(first, second)))
    return found


@pytest.fixture(scope="module")
def pairs() -> list[tuple[Scene, Scene, Trace]]:
    """Pairs of sessions, and each as one with a restart between the two."""
    return _pairs()


WHOLE = ("happens_once", "silent_once_gone", "carries_over")
"""Checks of the whole session."""


@pytest.mark.parametrize("name", [name for name in CASES if not name.endswith(WHOLE)])
def test_each_episode_is_judged_by_itself(name: str, pairs: list[tuple[Scene, Scene, Trace]]) -> None:
    """Two sessions with a restart between them have the breaches, and what was tested, of the two by themselves."""
    wrong = []
    for seed, (first, second, trace) in enumerate(pairs):
        drawn = arguments(CASES[name], first, random.Random(f"{seed} {name}"))
        one, other = (CASES[name].plainly(scene, **drawn) for scene in (first, second))
        verdict = CASES[name].check(trace, **drawn)
        on_restart = any(row == 0 for row, _ in other.breaches)
        if other.undecided or on_restart:  # what looks back, and what is on the frame of the restart, differ
            same = verdict.tested >= one.tested and (not one.breaches or verdict.outcome == "broken")
        else:
            rows = [row for row, _ in one.breaches] + [row + len(first["rows"]) for row, _ in other.breaches]
            frames = trace.clock.frames
            found = (verdict.tested, verdict.breach_count, verdict.first.frame if verdict.first else None)
            same = found == (one.tested + other.tested, len(rows), frames[min(rows)] if rows else None)
        if not same:
            wrong.append(f"pair {seed}, {drawn}: {one}, {other}\n{verdict.explain()}")
    assert not wrong, f"{len(wrong)} of {len(pairs)}\n{wrong[0]}"


def _played(events: list[tuple[Any, ...]]) -> Trace:
    """Return a barrel whose number rises from 0 in each of two rounds of four frames, and what happens."""
    states = [{"a": {"n": float(row % 4), "x": float(row % 4)}} for row in range(8)]
    told = [(0, ANEW), (4, "early", "a"), (4, ANEW), *events]
    return make_trace(states, kinds={"a": "barrel"}, events=told, declare=["tap", "ring"], restarts=[ANEW])


def _rung(*rows: int) -> list[tuple[Any, ...]]:
    return [(row, "ring", "a") for row in rows]


def _taps(*rows: int) -> list[tuple[Any, ...]]:
    return [(row, "tap", "a") for row in rows]


RULES: dict[str, tuple[list[tuple[Any, ...]], Callable[[Trace], Verdict], str, int, int]] = {
    # what happens, what is asked, the outcome, how much was tested, and how much was cut
    "a wait that a restart ends is cut": (
        _taps(1, 3, 5) + _rung(2, 6),
        lambda t: triggers.leads_to(t.events("tap"), t.events("ring"), within=frames(2)),
        "held", 2, 1,
    ),
    "what was broken before stays broken": (
        _taps(0),
        lambda t: triggers.leads_to(t.events("tap"), t.events("ring"), within=frames(2)),
        "broken", 1, 0,
    ),
    "a timer that outlives a restart is a breach": (
        _taps(3) + _rung(5),
        lambda t: triggers.only_after(t.events("ring"), t.events("tap"), within=frames(5)),
        "broken", 1, 0,
    ),
    "an effect on the frame of a restart breaks nothing": (
        _taps(3) + _rung(4),
        lambda t: triggers.only_after(t.events("ring"), t.events("tap"), within=frames(5)),
        "untested", 0, 0,
    ),
    "a new cause on the frame of a restart is judged": (
        _taps(4),
        lambda t: triggers.leads_to(t.events("tap"), t.events("ring"), within=frames(2)),
        "broken", 1, 0,
    ),
    "an event that was told before the restart is not of the new episode": (
        [],
        lambda t: triggers.leads_to(t.events("early"), t.events("ring"), within=frames(0)),
        "untested", 0, 0,
    ),
    "a value that is put back has not fallen": ([], lambda t: values.never_falls(t.one("barrel").n), "held", 6, 0),
    "the whole session falls": (
        [], lambda t: values.never_falls(t.without_restarts().one("barrel").n), "broken", 7, 0,
    ),
    "values on the frame of a restart are judged": (
        [], lambda t: movement.stays_between(t.one("barrel").n, 0.5, 9), "broken", 8, 0,
    ),
    "a check of restarts sees the whole session": (
        [], lambda t: values.equals(t.one("barrel").n.at(t.restarts), 0.0), "held", 2, 0,
    ),
    "what a restart must lead to is judged": (
        _rung(0, 4),
        lambda t: triggers.leads_to(t.restarts, t.events("ring").without_subject(), within=frames(0)),
        "held", 2, 0,
    ),
    "what lies between two restarts is counted anew": (
        _taps(2, 5),
        lambda t: triggers.respects_cooldown(t.events("tap"), frames(9)),
        "untested", 0, 0,
    ),
    "spans end with their episode": (
        _taps(2),
        lambda t: triggers.never_happens(
            t.events("ring"), during=Spans.between(t.events("tap"), t.events("ring")), occasions=2
        ),
        "held", 2, 0,
    ),
    "all that was cut is told": (
        _taps(3),
        lambda t: triggers.leads_to(t.events("tap"), t.events("ring"), within=frames(9)),
        "untested", 0, 1,
    ),
}  # fmt: skip


@pytest.mark.parametrize("rule", RULES)
def test_a_restart_cuts_what_lies_across_it(rule: str) -> None:
    """Waits, looks back, changes and spans end at a restart; on its frame values and new causes alone are judged."""
    events, ask, outcome, tested, cut = RULES[rule]
    verdict = ask(_played(events))
    assert (verdict.outcome, verdict.tested, verdict.cut) == (outcome, tested, cut), verdict.explain()


def test_an_entry_may_be_missing_in_an_episode_and_not_in_all() -> None:
    """What no moment of a session has cannot be matched by; of one episode, none needs to have it."""
    told = [
        (1, "tap", "a", None, {"door": 1}),
        (2, "ring", "a", None, {"door": 1}),
        (4, ANEW),
        (5, "tap", "a"),
        (6, "ring", "a"),
    ]
    states = [{"a": {"x": 0.0}}] * 8
    trace = make_trace(states, kinds={"a": "barrel"}, events=told, restarts=[ANEW])
    tap, ring = trace.events("tap"), trace.events("ring")
    verdict = triggers.happens_in_order(tap, ring, within=frames(2), match="door")
    assert (verdict.outcome, verdict.parts[0].tested) == ("held", 2)
    with pytest.raises(UnknownName, match=r"the data of tap has no entry 'dor'; did you mean 'door'\?"):
        triggers.happens_in_order(tap, ring, within=frames(2), match="dor")


def test_what_a_restart_removes_or_puts_there_breaks_nothing() -> None:
    """An event of what is gone by then is of neither episode, and what appears with the restart is no breach."""
    states = [{"a": {"n": 0.0}}] * 4 + [{"b": {"n": 0.0}}] * 4
    told = [(4, ANEW), (4, "tap", "a")]
    trace = make_trace(states, kinds={"a": "keg", "b": "spark"}, events=told, declare=["ring"], restarts=[ANEW])
    waited = triggers.leads_to(trace.events("tap"), trace.events("ring"), within=frames(1))
    assert (waited.outcome, waited.tested) == ("untested", 0)
    assert triggers.never_happens(trace.all("spark").appears).outcome == "held"
    assert triggers.never_happens(trace.without_restarts().all("spark").appears).first is not None


def test_spans_and_values_before_end_at_a_restart() -> None:
    """A span that a restart cuts has no length, and the value before a moment of nobody is that of its episode."""
    trace = _played([*_taps(2), *_rung(6), (4, "bell"), (6, "bell")])
    cut = Spans.between(trace.events("tap"), trace.events("ring"))
    assert (cut.last.tolist(), np.isnan(cut.lengths()).tolist()) == ([3], [True])
    assert Spans.following(trace.events("tap"), frames(5)).last.tolist() == [3]
    before = trace.one("barrel").n.before(trace.events("bell"), frames(1))
    assert before.usable.tolist() == [False, True]


def test_restarts_are_kept_and_can_be_given() -> None:
    """Declared restarts come with the trace, others can be given, and a breach says in which episode it is."""
    trace = _played(_taps(2, 6))
    assert trace.restarts.frames.tolist() == [0, 4]
    assert trace.events("tap").episodes.tolist() == [1, 2]
    assert trace.one("barrel").n.episode_times.tolist() == pytest.approx([0.0, 0.1, 0.2, 0.3] * 2)
    given = trace.with_restarts(trace.events("tap"))
    assert given.restarts.frames.tolist() == [2, 6]
    assert trace.without_restarts().one("barrel").n.previous().usable.tolist() == [False, *[True] * 7]
    broken = movement.stays_between(trace.one("barrel").n.at(trace.events("tap")), 9, 99)
    assert (broken.first.episode, broken.worst.episode) == (1, 1)  # type: ignore[union-attr]
    late = movement.stays_between(given.one("barrel").n.at(trace.events(ANEW)), 0, 99, id="a", occasions=1)
    assert late.outcome == "held"
    rung = _played(_rung(6))
    second = triggers.only_after(rung.events("ring"), rung.events("tap"), within=frames(2))
    assert "frame 6 (0.600 s, episode 2)" in second.explain()
    assert "no cause since the restart" in second.explain()


PUT_BACK = [0.0, 1, 2, 3, 3, 1.5, 0, 1, 2, 3, 3, 1.5, 0, 1]
AGAIN = [(4, "again"), (10, "again")]


@pytest.mark.parametrize("over", [frames(2), seconds(0.2)], ids=str)
def test_a_restart_may_take_a_while(over: Duration) -> None:
    """While things are put back, what changes breaks nothing; it is one restart and one episode, also in an excerpt."""
    states = [{"a": {"n": n}} for n in PUT_BACK]
    trace = make_trace(states, kinds={"a": "keg"}, events=AGAIN)
    at_once, slow = (trace.with_restarts(trace.events("again"), **how) for how in ({}, {"over": over}))
    assert values.never_falls(at_once.one("keg").n).first.frame == 5  # type: ignore[union-attr]
    assert values.never_falls(slow.one("keg").n).outcome == "held"
    assert slow.restarts.frames.tolist() == [4, 10]
    assert slow.one("keg").n.episodes.tolist() == [1] * 4 + [2] * 6 + [3] * 4
    assert slow.one("keg").n.episode_times[9] == pytest.approx(0.5)
    fell = movement.stays_between(slow.one("keg").n, 1, 3)
    assert (fell.first.episode, fell.worst.frame) == (1, 0)  # type: ignore[union-attr]
    excerpt = slow.during(Spans.between(slow.events("again"), slow.events("again"))[0])
    assert excerpt.restarts.frames.tolist() == [4]


def test_a_check_file_declares_restarts_for_all_its_checks(tmp_path: Path) -> None:
    """They take the place of those of the session in every check of the file; two that differ are an error."""
    trace = tmp_path / "rounds.crumbs"
    keg = SimpleNamespace(n=0.0)
    with Recorder(trace) as rec:
        rec.watch(keg, id="a", kind="keg", n="n")
        for frame in range(6):
            keg.n = float(frame % 3)
            if frame == 3:
                rec.event("again")
            rec.frame(t=frame / 10)
    checks = tmp_path / "check_kegs.py"
    body = "from breadcrumb import Restarts\nfrom breadcrumb.checks import values\n\n{}\n\n"
    body += "def check_it_fills(trace):\n    assert values.never_falls(trace.one('keg').n)\n"
    for given, outcome in (("", "broken"), ("ANEW = Restarts('again')", "held"), ("ANEW = Restarts('gain')", "error")):
        checks.write_text(body.format(given))
        (result,) = run_checks([checks], [trace]).results
        assert result.outcome == outcome, given
    checks.write_text(body.format("ANEW, OTHERS = Restarts('again'), Restarts('again', 'over')"))
    with pytest.raises(CheckFileError, match="one declaration of Restarts, found ANEW and OTHERS"):
        run_checks([checks], [trace])
    with pytest.raises(Misuse, match="found none"):
        Restarts()


def test_the_worst_breach_is_of_all_episodes() -> None:
    """Margin, worst breach and its figure are those of the worst episode; a value that is no number is worse than any."""
    rows = [1.0, 5.0, 0.0, 8.0, 0.0, float("nan")]
    for many, worst, margin in ((4, 3, -5.0), (6, 5, None)):
        trace = make_trace(
            [{"keg-1": {"x": x}} for x in rows[:many]], kinds={"keg-1": "keg"}, restarts=[ANEW],
            events=[(frame, ANEW) for frame in (2, 4)[: many // 2 - 1]],
        )  # fmt: skip
        found = movement.stays_between(trace.one("keg").x, high=3.0)
        shown = [getattr(one, "frame", None) for one in (found.first, found.worst, found.evidence.worst)]
        assert (shown, getattr(found.margin, "value", None)) == ([1, worst, worst], margin)


def test_a_check_of_episodes_leaves_nothing_behind() -> None:
    """What a check looked at in each episode is freed as it ends: large sessions cannot wait for a garbage collector."""
    _, _, trace = _pairs()[0]
    place = trace.all("barrel").position.x
    gc.collect()
    gc.set_debug(gc.DEBUG_SAVEALL)
    try:
        assert movement.stays_between(place, -1e9, 1e9, except_during=(place > 99).spans()).outcome == "held"
        gc.collect()
        left = [one for one in gc.garbage if type(one).__module__.startswith("breadcrumb")]
    finally:
        gc.set_debug(0)
        gc.garbage.clear()
    assert left == []


def test_restarts_come_through_every_format(tmp_path: Path, cli: Callable[..., Any]) -> None:
    """What is declared in the recorder is in the trace, in frame lines and back, and `show` names the frames."""
    with Recorder(tmp_path / "rounds.crumbs", strict=True) as rec:
        rec.declare(restarts=[ANEW])
        for frame in range(4):
            if frame in (0, 2):
                rec.event(ANEW)
            rec.frame(t=frame / 10)
    assert open_trace(tmp_path / "rounds.crumbs").restarts.frames.tolist() == [0, 2]
    assert cli("convert", "rounds.crumbs", "rounds.jsonl").returncode == 0
    assert cli("convert", "rounds.jsonl", "back.crumbs").returncode == 0
    first, back = (open_trace(tmp_path / f"{name}.crumbs") for name in ("rounds", "back"))
    assert differences(first, back) == ()
    assert "2 restarts, on frames 0, 2" in cli("show", "back.crumbs").stdout
    assert "restart" in cli("show", "back.crumbs", "--around", "2").stdout
    assert cli("replay", "back.crumbs", "--out", "back.html", "--no-open").returncode == 0
    assert replay_data(tmp_path / "back.html")["restarts"] == [0, 2]
