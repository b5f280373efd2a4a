"""A session that is compared with one of another frame rate: alike if it is right, and found if it is not."""

import random
from collections.abc import Callable
from itertools import pairwise
from typing import Any

import pytest

from breadcrumb import Trace, UnknownName, compare
from breadcrumb.errors import NotComparable
from breadcrumb.testing import make_trace

LASTS, DROPS, DRUM, BELL, RESTART, AWAY, FAR = 4.0, (0.7, 2.5), 0.35, 1.55, 3.0, 3.85, 1e18
Play = dict[str, Any]
AS_PLANNED: Play = {"lift": lambda t: 0.0, "ends": DROPS[1], "drum": DRUM, "bells": (BELL, 2.4), "label": lambda t: t > BELL, "turn": 0.0, "strength": 1.0, "held": lambda x: x, "picture": lambda n: n, "beats": lambda t: ("drum",), "restarts": 1, "signed": False, "ticks": 1, "says": lambda t: None if t < 1 else "ale", "load": lambda t: None if t < 1 else 2.5}  # fmt: skip
"""What a build may do otherwise."""


def times_of(rate: float | str) -> list[float]:
    """Return the times of the frames: at a steady rate, or at steps that are drawn."""
    if rate == "uneven":
        draw, times = random.Random(4), [0.0]
        while times[-1] < LASTS:
            times.append(times[-1] + draw.uniform(0.011, 0.025))
        return times
    return [n / float(rate) for n in range(int(LASTS * float(rate)) + 1)]


def played(rate: float | str, **other: Any) -> Trace:
    """Play a keg that bounces and turns, a lid that falls in between, a drum whose timer begins anew.

    At the end the keg is put far away, as one that is not in use, and a bell rings as hard.
    """
    play, times = AS_PLANNED | other, times_of(rate)
    states, events, looked, seen = [], list[tuple[Any, ...]](), 0.0, 0.0
    for frame, (before, t) in enumerate(pairwise([-1.0, *times])):
        seen = play["held"](2 * t) if t <= 1.0 else seen
        states.append({"a": {"x": FAR if t >= AWAY else abs(1.0 - (0.8 * t) % 2) + play["lift"](t), "heading": (100 * t + play["turn"] + 180 * play["signed"]) % 360 - 180 * play["signed"], "full": bool(play["label"](t)), "seen": seen, "load": play["load"](t), "says": "blink" if 0.01 < t < 0.016 else play["says"](t), "picture": play["picture"](int(t / 0.6) % 4)}})  # fmt: skip
        if DROPS[0] <= t < play["ends"]:
            states[-1]["lid"] = {"y": 9 - t}
        events += [(frame, "bell", None, None, {"strength": play["strength"] * t}) for due in play["bells"] if before < due <= t]  # fmt: skip
        events += [(frame, "bell", None, None, {"strength": FAR})] * (before < AWAY <= t)
        if int(before / 0.05) != int(t / 0.05):
            events += [(frame, "tick", "a")] * (play["ticks"] if before < BELL <= t else 1)
        events += [(frame, "again")] * play["restarts"] * (before < RESTART <= t)
        if before < RESTART <= t:
            looked = t
        elif t - looked >= play["drum"] - 1e-9:
            looked = t
            events += [(frame, name, "a") for name in play["beats"](t)]
    return make_trace(states, kinds={"a": "keg", "lid": "lid"}, events=events, times=times, restarts=["again"], declare=["bell", "drum", "error", "tick"], units={"heading": "deg", "x": "m"}, name=f"at {rate}")  # fmt: skip


RATES = [(60, 30), (60, 144), (30, 144), (50, 60), (60, "uneven"), (30, "uneven")]


@pytest.mark.parametrize("rates", RATES, ids=lambda pair: f"{pair[0]} and {pair[1]}")
def test_a_right_session_is_alike_at_any_rate(rates: tuple[Any, Any]) -> None:
    """Corners between frames, turns past zero, timers that drift and what begins between frames are no difference."""
    for first, second in (rates, rates[::-1]):
        found = compare(played(first), played(second, signed=True))
        assert found.alike, [group.first for group in found.groups]
        assert found.compared > 100
        assert "compared by game time" in found.notes[0]


WRONG: dict[str, tuple[Play, tuple[str, str, str, float]]] = {
    # what a build does otherwise, and what differs first: what, its name, how, and when
    "a keg that is lifted": ({"lift": lambda t: 0.25 * (t > 1)}, ("property", "keg.x", "outside", 1.0)),
    "a keg that stops": ({"lift": lambda t: -abs(1.0 - (0.8 * t) % 2) * (t > 2)}, ("property", "keg.x", "outside", 2.0)),
    "a turn that is off": ({"turn": 25.0}, ("property", "keg.heading", "outside", 0.0)),
    "a flag that is early": ({"label": lambda t: t > 0.9}, ("property", "keg.full", "outside", 0.9)),
    "a value that is not captured": ({"held": lambda x: min(x, 1.5)}, ("property", "keg.seen", "outside", 0.75)),
    "a life that is long": ({"ends": 2.9}, ("lifetime", "lid", "late", DROPS[1])),
    "a life that is short": ({"ends": 2.0}, ("lifetime", "lid", "early", 2.0)),
    "a slower drum": ({"drum": 0.9}, ("event", "drum", "", DRUM)),
    "a drum that raises errors": ({"beats": lambda t: ("drum", "error") if 2 < t < RESTART else ("drum",)}, ("event", "error", "extra", 2.15)),
    "a tick that comes three times": ({"ticks": 3}, ("event", "tick", "extra", BELL)),
    "a restart that comes twice": ({"restarts": 2}, ("event", "again", "extra", RESTART)),
    "a bell that is missing": ({"bells": (2.4,)}, ("event", "bell", "missing", BELL)),
    "a bell that is late": ({"bells": (BELL + 0.5, 2.4)}, ("event", "bell", "late", BELL)),
    "a bell that rings twice": ({"bells": (BELL, BELL + 0.5, 2.4)}, ("event", "bell", "extra", BELL + 0.5)),
    "a bell that goes on": ({"bells": (BELL, *(BELL + n / 50 for n in range(1, 20)), 2.4)}, ("event", "bell", "extra", BELL)),
    "a picture that is skipped": ({"picture": lambda n: 3 if n == 2 else n}, ("property", "keg.picture", "1 outside", 1.2)),
    "a number that is not missing": ({"load": lambda t: 2.5}, ("property", "keg.load", "differs", 0.0)),
    "a number that is missing": ({"load": lambda t: None if t < 2 else 2.5}, ("property", "keg.load", "differs", 1.0)),
    "a text that is not missing": ({"says": lambda t: "ale"}, ("property", "keg.says", "differs", 0.0)),
    "a text that is missing": ({"says": lambda t: None if t < 2 else "ale"}, ("property", "keg.says", "differs", 1.0)),
    "a bell that is weak": ({"strength": 0.5}, ("event", "bell", "strength of its data", BELL)),
}  # fmt: skip


FEW = "a tick that comes three times"
"""Of many events, uneven steps may decide a few."""


@pytest.mark.parametrize(
    ("name", "rates"), [(name, rates) for name in WRONG for rates in RATES if name != FEW or "uneven" not in rates]
)
def test_what_is_wrong_is_found_at_another_rate(name: str, rates: tuple[Any, Any]) -> None:
    """It is found whichever session is the finer, at the time at which it begins, in the words of the candidate's frames."""
    play, (what, of, words, time) = WRONG[name]
    late = 0.25 if "uneven" in rates else 0.1
    for reference, candidate in (
        (played(rates[0]), played(rates[1], **play)),
        (played(rates[1]), played(rates[0], **play)),
    ):
        found = compare(reference, candidate).first
        assert found is not None
        assert (found.what, found.name, words in found.words) == (what, of, True), found
        assert abs(found.time - time) <= late
        assert candidate.clock.times[candidate.clock.frames.tolist().index(found.frame)] == found.time


def test_a_session_of_another_length_differs() -> None:
    """At another rate, too, a session that ends early is no equal one, and says when it ends."""
    short = make_trace([{"a": {"x": n / 20}} for n in range(30)], kinds={"a": "keg"}, times=[n / 20 for n in range(30)])
    long = make_trace([{"a": {"x": n / 10}} for n in range(30)], kinds={"a": "keg"}, times=[n / 10 for n in range(30)])
    (group,) = compare(long, short).groups
    assert (group.first.name, group.first.words, group.first.candidate, group.followed) == ("time", "ends 1.45 s early", "1.45 s", ())  # fmt: skip


def loaded(seconds: float, change: Callable[[float], float] = lambda since: since) -> Trace:
    """Record a session that begins after so many seconds of loading."""
    times = [n / 20 for n in range(60)]
    states = [{"a": {"x": change(max(t - seconds, 0.0))}} for t in times]
    begin = next(n for n, t in enumerate(times) if t >= seconds)
    return make_trace(states, kinds={"a": "keg"}, events=[(begin, "start")], times=times, name=f"{seconds} s")


def test_anchors_shift_the_candidate_in_time() -> None:
    """After another time of loading, sessions are alike from the anchor on; an anchor that neither has is an error."""
    assert not compare(loaded(0.5), loaded(1.1)).alike
    found = compare(loaded(0.5), loaded(1.1), anchors=["start"], ignore=["keg"])
    assert (found.alike, found.notes[0]) == (True, "aligned at 1 of start; the candidate is shifted by at most 0.6 s")
    wrong = compare(loaded(0.5), loaded(1.1, lambda since: since if since < 1 else 9.0), anchors=["start"]).first
    assert wrong is not None
    assert (wrong.name, wrong.frame) == ("keg.x", 44)
    with pytest.raises(UnknownName):
        compare(loaded(0.5), loaded(1.1), anchors=["begin"])
    with pytest.raises(NotComparable, match="no start in common"):
        compare(loaded(0.5), make_trace([{"a": {"x": 0.0}}] * 3, kinds={"a": "keg"}), anchors=["start"])


@pytest.mark.parametrize("pauses", [(0.3, 0.9), (0.1, 1.3), (0.9, 0.3), (0.0, 0.6), (0.6, 0.0)], ids=str)
def test_each_anchor_shifts_what_comes_after_it(pauses: tuple[float, float]) -> None:
    """Where a round began earlier or later than in the reference, what follows in it is compared at its own time."""
    first, second = (round_of((0.5, 0.5)), round_of(pauses))
    found = compare(first, second, anchors=["round"])
    assert found.alike, found.first
    assert not compare(first, second).alike
    wrong = compare(first, round_of(pauses, scores=3), anchors=["round"]).first
    assert wrong is not None
    assert (wrong.name, wrong.words) == ("score", "extra")
    assert not compare(first, round_of(pauses, jumps=True), anchors=["round"]).alike


def round_of(pauses: tuple[float, float], scores: int = 2, *, jumps: bool = False) -> Trace:
    """Record two rounds of a second, each after a pause, in which a keg stands still; in a round it moves, and scores."""
    times = [n / 20 for n in range(70)]
    begins = [pauses[0], pauses[0] + 1 + pauses[1]]
    since = [min(t - begin for begin in begins if t >= begin - 1e-9) if t >= begins[0] - 1e-9 else 0.0 for t in times]
    frames = [round(20 * begin) for begin in begins]
    late = {frames[1] + n for n in range(1, 8)} if jumps else set[int]()
    states = [{"a": {"x": min(s, 1.0) + 5 * (frame in late)}} for frame, s in enumerate(since)]
    events = [(frame, "round") for frame in frames] + [(frames[1] + 4 * n, "score") for n in range(1, scores + 1)]
    return make_trace(states, kinds={"a": "keg"}, events=events, times=times)


def beamed(rate: int, grazes: int = 0) -> Trace:
    """Play two rounds in which a beam meets rock after rock, and so many times two boats for less than a step at 30."""
    met = [(n / 15, "ray", "lamp", "rock") for n in range(1, 120)] + [(4.1, "round")]
    met += [(n + since, "ray", "lamp", boat) for n in range(grazes) for since, boat in ((0.5, "tern"), (0.52, "heron"))]
    events = [(int(one[0] * rate + 0.999), *one[1:]) for one in sorted(met)]
    times = [n / rate for n in range(8 * rate + 1)]
    states = [{"lamp": {"y": 0.0}}] * len(times)
    return make_trace(states, kinds={"lamp": "lamp"}, events=events, times=times, restarts=["round"])


@pytest.mark.parametrize(("grazes", "alike"), [(1, True), (2, True), (3, False)])
def test_a_few_events_may_begin_and_end_within_a_step(grazes: int, alike: bool) -> None:
    """One in twenty of a name, and two a round, may be missing at another rate: two grazes of two boats, but not three."""
    assert compare(beamed(60, grazes), beamed(30)).alike is alike
    assert compare(beamed(30), beamed(60, grazes)).alike is alike
