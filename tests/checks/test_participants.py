"""Moments and spans keep who takes part, and what was once judged wrong for want of it is judged right."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from breadcrumb import Misuse, Spans, Trace, UnknownName, frames, judge
from breadcrumb.checks import movement, spawns, triggers, values
from breadcrumb.testing import make_trace


def _shots(*lifetimes: tuple[str, int, int], events: Any = (), kind: str = "shot") -> Trace:
    """Make a session of a ship that is safe on frames 3 to 5, and of shots, each there from a frame up to another one."""
    states: list[dict[str, dict[str, Any]]] = [{"ship": {"safe": 3 <= n < 6, "n": float(n // 4)}} for n in range(10)]
    for who, first, last in lifetimes:
        for n in range(first, last):
            states[n][who] = {"x": float(n)}
    kinds = {"ship": "ship"} | {who: kind for who, *_ in lifetimes}
    return make_trace(states, kinds=kinds, events=events, declare=["hit", "gone", "lit"])


def _press(steps: tuple[int, ...], *events: int, check: Callable[..., Any] = values.changes_by) -> Any:
    """Judge a counter that rises by these steps from frame to frame, and should by 1 at each press."""
    states = [{"score": {"n": float(sum(steps[: n + 1]))}} for n in range(len(steps))]
    trace = make_trace(states, kinds={"score": "board"}, events=[(n, "press") for n in events], declare=["press"])
    return check(trace.one("board").n, 1.0, at=trace.events("press"))


def _walled() -> Any:
    """Judge two balls that move, while a wall touches one of them."""
    states = [{"red": {"x": float(n > 3)}, "blue": {"x": float(n > 3)}} for n in range(8)]
    events = [(3, "in", "wall", "red"), (5, "out", "wall", "red")]
    trace = make_trace(states, kinds={"red": "ball", "blue": "ball"}, events=events)
    touching = Spans.between(trace.events("in"), trace.events("out"))
    return values.unchanged(trace.all("ball").x, except_during=touching)


def _switched(*frames_: int) -> Any:
    trace = _shots(("s", 4, 7), events=[(n, "lit") for n in frames_])
    return values.toggles(trace.one("ship").safe, at=trace.events("lit"))


def _reused(check: Callable[..., Any], **more: Any) -> Any:
    """Judge a shot of which one lifetime is hit, and the next one gone."""
    trace = _shots(("s", 0, 3), ("s", 5, 9), ("t", 0, 9), events=[(1, "hit", "s"), (6, "gone", "s")])
    return check(trace.events("hit"), trace.events("gone"), **more)


def _safe() -> Any:
    trace = _shots(("s", 4, 7))
    return triggers.never_happens(trace.all("shot").appears, during=trace.one("ship").safe.spans())


def _two_rocks() -> Any:
    events = [(5, "hit", "s", "r1"), (5, "hit", "s", "r2")]
    trace = _shots(("s", 2, 5), ("t", 2, 8), events=events)
    return triggers.leads_to(trace.events("hit"), trace.all("shot").leaves, within=frames(0))


def _two_throws() -> Any:
    trace = _shots(("s", 2, 5), events=[(2, "hit"), (2, "hit")])
    return spawns.one_for_each(trace.events("hit"), trace.all("shot"), within=frames(0))


ONCE_WRONG: dict[str, tuple[Callable[[], Any], str, Any]] = {
    "what one object does in the spans of another": (_safe, "broken", 4),
    "a contact by a wall excuses the ball that it is on": (_walled, "broken", ("blue", 4)),
    "two presses on one frame, one lost": (lambda: _press((0, 0, 1, 0, 0), 2, 2), "broken", 2),
    "two presses on one frame add up": (lambda: _press((0, 0, 2, 0, 0), 2, 2), "held", None),
    "two steps on one frame": (lambda: _press((0, 0, 2, 0, 0), 2, 2, check=movement.steps_by), "held", None),
    "a change that comes twice": (lambda: _press((0, 0, 1, 1, 0), 2), "broken", 3),
    "presses on neighbouring frames": (lambda: _press((0, 0, 1, 1, 0, 0), 2, 3), "held", None),
    "presses on neighbouring frames, seen a frame later": (lambda: _press((0, 0, 0, 1, 1, 0), 2, 3), "held", None),
    "steps on neighbouring frames": (lambda: _press((0, 0, 1, 1, 0), 2, 3, check=movement.steps_by), "held", None),
    "two switches on one frame leave a flag": (lambda: _switched(3, 3, 6), "broken", 3),
    "a switch for each change of a flag": (lambda: _switched(3, 6), "held", None),
    "a reused id does not answer for its former lifetime": (
        lambda: _reused(triggers.leads_to, within=frames(7)), "broken", 8
    ),
    "a reused id is no cause of what its former lifetime did": (
        lambda: _reused(lambda hit, gone, **more: triggers.only_after(gone, hit, **more), within=frames(5)), "broken", 6
    ),
    "a reused id does not end what its former lifetime began": (lambda: _reused(triggers.pairs_up), "untested", None),
    "a reused id has no cooldown from its former lifetime": (
        lambda: _reused(lambda hit, gone: triggers.respects_cooldown(hit | gone, frames(7))), "untested", None
    ),
    "a bullet that hits two rocks and leaves": (_two_rocks, "held", None),
    "two throws that make one flare": (_two_throws, "broken", 2),
    "a name that nothing has": (
        lambda: triggers.never_happens(_shots(events=[(1, "hit", "ship")]).events("hit", by="pirate")), "untested", None
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", ONCE_WRONG)
def test_what_was_once_judged_wrong_is_judged_right(name: str) -> None:
    """Each case has the outcome and the first breach that were worked out by hand."""
    ask, outcome, first = ONCE_WRONG[name]
    verdict = ask()
    assert verdict.outcome == outcome, verdict.explain()
    if first is not None:
        assert verdict.first is not None
        assert first in (verdict.first.frame, (verdict.first.object, verdict.first.frame)), verdict.explain()


MISSPELT: dict[str, Callable[[Trace], Any]] = {
    "by": lambda t: t.events("hit", by="shipp"),
    "on": lambda t: t.events("hit", on="roock"),
    "all": lambda t: t.all("ships"),
    "a plural": lambda t: t.all("enemies"),
}


@pytest.mark.parametrize("where", MISSPELT)
def test_a_name_that_is_nearly_right_is_an_error(where: str) -> None:
    """Names of participants and kinds are looked up: one slip of the keyboard is never an idle pass."""
    trace = _shots(("e", 0, 3), kind="enemy", events=[(1, "hit", "ship", "rock")])
    with pytest.raises(UnknownName, match="did you mean"):
        MISSPELT[where](trace)


def test_moments_keep_their_participants() -> None:
    """Joined, filtered and taken separately, moments keep who did it and whom it was done to."""
    events = [(1, "hit", "s", "ship"), (2, "gone", "t", "ship"), (3, "lit")]
    trace = _shots(("s", 0, 9), ("t", 0, 9), events=events)
    shots, names = trace.all("shot"), trace.data.session.names
    joined = (trace.events("hit") | trace.events("gone")).where(np.array([True, True]))
    assert [names[index] for index in joined.by] == ["s", "t"]
    assert [names[index] for index in joined.on] == ["ship", "ship"]
    assert shots.x.at(joined).values.tolist() == [1.0, 2.0]
    assert trace.one("ship").n.at(joined.with_subject("on")).values.tolist() == [0.0, 0.0]
    both = shots.x.at(trace.events("hit")) + shots.x.at(trace.events("hit").with_subject("by"))
    assert both.values.tolist() == [2.0]
    mixed = Spans.following(joined | trace.events("lit"), frames(1))
    assert judge(shots.x < 9, "near", during=mixed).tested == 4


BALLS: dict[str, Any] = {name: {"x": 0.0} for name in "abc"}


def test_contacts_are_followed_pair_by_pair() -> None:
    """A contact ends with its own partner, whichever of the two the event is by; one of another pair ends nothing."""
    events = [(0, "in", "a", "b"), (1, "in", "a", "c"), (3, "out", "c", "a"), (5, "out", "b", "a")]
    trace = make_trace([BALLS] * 8, kinds=dict.fromkeys(BALLS, "ball"), events=events)
    assert trace.contacts("in", "out").lengths("frames").tolist() == [6.0, 3.0]
    with pytest.raises(Misuse, match="for_both"):
        Spans.between(trace.events("in"), trace.events("out"))


TOLD: dict[str, tuple[list[tuple[Any, ...]], list[float], int, int]] = {
    # the events of a and b, how many frames the contacts last, how many begins are repeated, and ends without a begin
    "one": ([(1, "in"), (3, "out")], [3.0], 0, 0),
    "two parts of one pair": ([(1, "in"), (2, "in"), (3, "out"), (5, "out")], [5.0], 1, 0),
    "told twice": ([(1, "in"), (2, "in"), (3, "out")], [math.nan], 1, 0),
    "an end without a begin": ([(1, "out"), (2, "in"), (3, "out")], [2.0], 0, 1),
    "never ended": ([(1, "in"), (3, "out"), (4, "in")], [3.0, math.nan], 0, 0),
    "ended on its own frame": ([(1, "in"), (1, "out"), (1, "in"), (4, "out")], [1.0, 4.0], 0, 0),
    "out first on a frame": ([(1, "in"), (3, "out"), (3, "in"), (3, "out")], [3.0, 1.0], 0, 0),
    "parted twice": ([(1, "in"), (2, "out"), (3, "out"), (4, "in"), (6, "out")], [2.0, 3.0], 0, 1),
}


@pytest.mark.parametrize("case", TOLD)
def test_contacts_are_counted_as_they_were_told(case: str) -> None:
    """Begins within a contact are told apart from those that begin one; ends of none, and contacts without an end, too."""
    events, lengths, repeated, unbegun = TOLD[case]
    ways = [("a", "b"), ("b", "a")]
    told = [(frame, name, *ways[number % 2]) for number, (frame, name) in enumerate(events)]
    other = [(0, "in", "a", "c"), (7, "out", "c", "a")]
    trace = make_trace([BALLS] * 8, kinds=dict.fromkeys(BALLS, "ball"), events=[*told, *other], declare=["in", "out"])
    contacts = trace.contacts("in", "out")
    mine = contacts.pick(np.arange(1, contacts.count))  # the one of a and c comes first
    assert mine.lengths("frames").tolist() == pytest.approx(lengths, nan_ok=True)
    assert contacts.repeated is not None
    assert contacts.unbegun is not None
    assert (contacts.repeated.count, contacts.unbegun.count) == (repeated, unbegun)


def test_contacts_of_parts_and_of_what_leaves() -> None:
    """With the entry that names the part, each part is a contact of its own; one whose partner leaves ends with it."""
    there = [{name: {"x": 0.0} for name in ("ab" if row < 6 else "a")} for row in range(8)]
    events = [
        (1, "in", "a", "b", {"at": "hull"}),
        (2, "in", "a", "b", {"at": "mast"}),
        (4, "out", "b", "a", {"at": "hull"}),
    ]
    trace = make_trace(there, kinds=dict.fromkeys("ab", "ball"), events=events, declare=["out"])
    parts = trace.contacts("in", "out", part="at")
    assert parts.lengths("frames").tolist() == [4.0, 4.0]
    assert trace.contacts("in", "out").lengths("frames").tolist() == [5.0]
    with pytest.raises(Misuse, match="the entry 'side'"):
        trace.contacts("in", "out", part="side")


def test_a_span_ends_with_its_own_partner() -> None:
    """What one ball began at a wall is not ended by another ball at that wall."""
    events = [(0, "in", "a", "wall"), (1, "in", "b", "wall"), (3, "out", "b", "wall"), (4, "out", "a", "wall")]
    trace = make_trace([BALLS] * 8, kinds=dict.fromkeys(BALLS, "ball"), events=events)
    assert Spans.between(trace.events("in"), trace.events("out")).lengths("frames").tolist() == [5.0, 3.0]


def _guns(on: str) -> Trace:
    tanks = {"t1": {"yaw": 10.0}, "t2": {"yaw": 20.0}}
    states: list[dict[str, Any]] = [tanks | {"g1": {"yaw": 15.0, "on": "t1"}, "g2": {"yaw": 40.0, "on": on}}]
    return make_trace(states * 2, kinds={"t1": "tank", "t2": "tank", "g1": "gun", "g2": "gun"})


def test_groups_are_paired_by_what_owns_them() -> None:
    """A value is told as one of what a text names, and compared with that one's own; two of one owner are refused."""
    trace = _guns("t2")
    guns, tanks = trace.all("gun"), trace.all("tank")
    assert (guns.yaw.of(guns.on) - tanks.yaw).values.tolist() == [5.0, 5.0, 20.0, 20.0]
    with pytest.raises(Misuse, match="of two groups"):
        _ = guns.yaw - tanks.yaw
    guns = _guns("t1").all("gun")
    with pytest.raises(Misuse, match="two of yaw of every gun have t1 as their on on frame 0"):
        guns.yaw.of(guns.on)


BURSTS: dict[str, tuple[tuple[int, str], tuple[Any, ...]]] = {
    # when a burst happens to whom, and how many samples are judged, with the first that is wrong
    "to nobody, of the first": ((1, ""), (5, "g", 4)),
    "to nobody, of the second": ((3, ""), (3, "g", 3)),
    "to another one": ((4, "bell"), (2, "g", 4)),
    "to the first, which is there": ((1, "f"), (2, "", None)),
    "to the first, which is gone": ((3, "f"), (0, "", None)),
}


@pytest.mark.parametrize("name", BURSTS)
def test_what_happens_to_nobody_counts_for_whoever_is_there_alone(name: str) -> None:
    """Of objects of which one at a time is there, each sample has the last moment before it, whoever was there then."""
    (frame, who), told = BURSTS[name]
    pictures = [0, 1, 1, 2, 2, 0]
    states = [{"f" if n < 3 else "g": {"picture": float(one)}, "bell": {"n": 1.0}} for n, one in enumerate(pictures)]
    kinds = {"f": "flare", "g": "flare", "bell": "bell"}
    trace = make_trace(states, kinds=kinds, events=[(frame, "burst", who) if who else (frame, "burst")])
    due = [(1.0, frames(2)), (2.0, frames(1)), (0.0, None)]
    verdict = values.plays_sequence(trace.all("flare").picture, due, at=trace.events("burst"))
    first = verdict.first
    assert (verdict.tested, first.object if first else "", first.frame if first else None) == told


def test_a_verdict_says_what_was_matched_where_there_was_a_choice() -> None:
    """By time, by several kinds, and with nothing: each is told, and what one kind alone would have matched."""
    events = [(1, "hit", "s", "c"), (1, "hit", "wall", "c"), (2, "gone", "s", "d"), (2, "gone", "t", "c")]
    states = [{name: {"x": 0.0} for name in ("s", "t", "c", "d")} for _ in range(6)]
    trace = make_trace(states, kinds={"s": "shot", "t": "shot", "c": "crate", "d": "crate"}, events=events)
    verdict = triggers.leads_to(trace.events("hit"), trace.events("gone"), within=frames(1))
    assert (verdict.outcome, verdict.tested) == ("broken", 1)
    assert verdict.matched == (
        "gone by crate and shot",
        "1 of 2 hit with nothing: crate or shot takes no part in them",
        "of 1 hit, by crate alone 1, by shot alone 1 would have gone in time",
    )
    assert "  matched  gone by crate and shot" in verdict.explain()
    ship = _shots(("s", 0, 9), ("t", 0, 9))
    scoped = judge(ship.all("shot").x < 99, "near", during=ship.one("ship").safe.spans())
    assert (scoped.tested, scoped.matched) == (6, ("safe by time",))


def test_a_breach_is_told_of_the_object_by_which_it_was_matched() -> None:
    """What a ship does to shots is told of the shot where it is matched by shots; its own scope still counts."""
    trace = _shots(("s", 0, 9), ("t", 0, 9), events=[(4, "hit", "ship", "t"), (8, "hit", "ship", "s")])
    hit, safe = trace.events("hit"), trace.one("ship").safe.spans()
    verdict = triggers.leads_to(hit, trace.all("shot").leaves, within=frames(1), during=safe)
    assert verdict.first is not None
    assert (verdict.tested, verdict.first.object, verdict.first.frame) == (1, "t", 5)
    far = values.equals(trace.all("shot").x.at(hit), 9.0)
    assert far.first is not None
    assert far.first.object == "t"


def _two_shots(**more: Any) -> Trace:
    """Make two shots, of which s is lit on frames 2 and 3, and t on frames 5 and 6."""
    states = [
        {"s": {"x": float(n), "lit": n in (2, 3)}, "t": {"x": 10.0 * n, "lit": n in (5, 6)}} for n in range(8)
    ]  # fmt: skip
    return make_trace(states, kinds={"s": "shot", "t": "shot"}, **more)


def test_two_objects_that_are_named_are_matched_by_time() -> None:
    """One named object is read at the instants of another one of its kind, and judged during its spans."""
    trace = _two_shots()
    s, t = trace.one(id="s"), trace.one(id="t")
    assert t.x.at(s.lit.rises()).values.tolist() == [20.0]
    assert judge(t.x < 25, "near", during=s.lit.spans()).first.frame == 3  # type: ignore[union-attr]
    assert trace.all("shot").x.at(s.lit.rises()).values.tolist() == [2.0]
    assert (trace.all("shot").x - s.x).values.tolist() == [0.0] * 8 + [9.0 * n for n in range(8)]


def test_a_name_of_another_kind_does_not_match_by_time() -> None:
    """Events on two walls, or by one ship on shots, still go together by the balls and shots that they share."""
    events = [(1, "left", "a", "wall-l"), (2, "right", "b", "wall-r"), (4, "right", "a", "wall-r")]
    trace = make_trace([BALLS] * 8, kinds=dict.fromkeys(BALLS, "ball"), events=events)
    left, right = trace.events("left", on="wall-l"), trace.events("right", on="wall-r")
    verdict = triggers.leads_to(left, right, within=frames(2))
    assert verdict.first is not None
    assert (verdict.outcome, verdict.first.object, verdict.first.frame) == ("broken", "a", 3)
    shots = _shots(("s", 0, 9), ("t", 0, 9), events=[(4, "hit", "ship", "t")])
    read = shots.one(id="s").x.at(shots.events("hit", by="ship"))
    assert not read.usable.any()


def test_spans_and_samples_of_one_kind_are_matched_by_lifetime() -> None:
    """What happens to one object is not within the spans of another one, and its values are not the other's."""
    trace = _two_shots(events=[(2, "hit", "s"), (2, "hit", "t"), (5, "hit", "t")])
    shots, hit = trace.all("shot"), trace.events("hit")
    lit = shots.lit.spans()
    assert (hit.during(lit).subjects, hit.outside(lit).subjects) == (("s", "t"), ("t",))
    assert (shots.x - shots.x.during(lit) * 2).values[[2, 3, 13, 14]].tolist() == [-2.0, -3.0, -50.0, -60.0]
    assert int((shots.x - shots.x.during(lit)).usable.sum()) == 4


def test_an_event_that_has_a_participant_only_sometimes_is_no_guess() -> None:
    """Where some rows have a participant and others none, it is an error that says how many."""
    trace = _two_shots(events=[(2, "hit", "s"), (3, "hit"), (4, "hit")])
    hit = trace.events("hit")
    with pytest.raises(Misuse, match="2 of 3 hit have no participant"):
        trace.all("shot").x.at(hit)
    with pytest.raises(Misuse, match="hit where selected have nobody as 'on'"):
        trace.all("shot").x.at(hit.where(np.array([True, False, False])).with_subject("on"))
    assert judge(trace.all("shot").x < 99, "near", during=Spans.following(hit.without_subject(), frames(1))).tested == 6
