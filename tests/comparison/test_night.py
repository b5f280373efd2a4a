"""What several references have in common beyond limits: clocks, beginnings, counts, waits of one object."""

import random
from typing import Any

import pytest

from breadcrumb import Trace, compare
from breadcrumb.testing import make_trace

RATE, FRAMES = 30, 1200
LAMPS = {"lamp-head": 15, "lamp-quay": 30}
"""How many frames after its switch each lamp is lit."""


def next_stage(draw: random.Random, stage: int, *, skips: bool) -> int:
    """Return the stage of a halyard on the next frame; now and then it begins anew."""
    if draw.random() < 0.002:
        return 0
    return (stage + (2 if skips else 1)) % 4 if draw.random() < 0.04 else stage


def bell_tolls(wind: random.Random, frame: int, too_strong: int) -> list[tuple[Any, ...]]:
    """Return the event that a bell tolls, which it mostly does with its full strength."""
    if frame % 290 != 50:
        return []
    strength = 6.0 if frame // 290 < too_strong else min(5.0, wind.uniform(4.9, 9.0))
    return [(frame, "toll", "hatch", None, {"strength": strength})]


def night(
    seed: int, *, clock: float = 0.1, lit: bool = False, moths: float = 0.0, falls: int = 8, crew: int = 3,
    quay: int = 30, edge: float = 20.0, tickets: float = 1.0, skips: bool = False,
    colour: str = "pale", home: float = -30.0, aboard: int = 0, flood: float = 4.0, frames: int = FRAMES, is_open: bool = True,
    gusts: int = 0, gust: float = 6.0, tolls: int = 0,
) -> Trace:  # fmt: skip
    """Play a night: a clock runs, lamps are switched at random, a boat rows to both ends of the bay and back."""
    draw = random.Random(seed)
    wind = random.Random(f"wind of {seed}")
    oil_falls = set(draw.sample(range(100, FRAMES), falls))
    x, way, hit, oil, stage, level, blows, due = draw.uniform(-9, 9), 1, -99, 50.0, 0, 0.0, 0.0, dict[str, int]()
    bunks = [draw.choice((0.5, 0.5, 0.5, 0.5, 0.5, 0.5, 2.5)) for _ in range(3)]
    burning, pale = dict.fromkeys(LAMPS, lit), False
    states: list[dict[str, dict[str, Any]]] = []
    events: list[tuple[Any, ...]] = []
    for frame in range(frames):
        x = max(min(x + way * 0.3, edge), -20.0)
        way = -way if x in (edge, -20.0) or draw.random() < 0.01 else way
        for name in LAMPS:
            if name not in due and frame > 20 and draw.random() < 0.02:
                due[name] = frame + (quay if name == "lamp-quay" else LAMPS[name])
                events.append((frame, "switch", name))
            elif due.get(name) == frame:
                burning[name] = not burning[name]
                events.append((frame, "lights", name))
                del due[name]
        if frame % 60 == 59:
            events.append((frame, "placed", f"crew-{draw.randint(1, 2) if crew == 2 else 1 + frame // 60 % 3}"))
        if draw.random() < 0.03:
            events.append((frame, "enters", "hatch"))
            if draw.random() < tickets:
                events.append((frame, "ticket", "hatch"))
        if draw.random() < 0.03 and frame - hit > 40:
            hit, pale = frame, True
        elif frame - hit == 12:
            pale = False
        if frame % 100 == 0:
            level = flood if frame == 600 or (frame > 800 and flood > 4.0) else draw.uniform(0.0, 3.9)
        events += bell_tolls(wind, frame, tolls)
        if frame % 40 == 0:
            blows = gust if frame % 200 == 80 and frame // 200 < gusts else wind.uniform(0.0, 3.0)
        stage = next_stage(draw, stage, skips=skips)
        oil -= 1.0 if frame in oil_falls else 0.0
        state: dict[str, dict[str, Any]] = {
            "clock": {"hand": clock * frame % 7.0}, "hatch": {"open": is_open}, "swarm": {"moths": 40.0 - moths * (frame // 60)},
            "heron": {"x": x, "colour": colour if pale else "blue"}, "tank": {"oil": oil, "level": level}, "halyard": {"stage": str(stage)},
            "wind": {"gust": blows}, "kite": {"height": home if frame < 40 else draw.uniform(0, 5)},
        }  # fmt: skip
        state |= {name: {"burning": on, "label": f"{seed} {frame}"} for name, on in burning.items()}
        state |= {f"crew-{number}": {"aboard": number <= aboard, "bunk": bunks[number - 1]} for number in (1, 2, 3)}
        states.append(state)
    kinds = dict.fromkeys(LAMPS, "lamp") | {f"crew-{number}": "crew" for number in (1, 2, 3)} | {"heron": "skiff"}
    kinds |= {one: one for one in ("clock", "hatch", "swarm", "tank", "halyard", "kite", "wind")}
    units = {"x": "m", "hand": "rad", "oil": "l", "height": "m", "bunk": "m", "level": "m"}
    times = [frame / RATE for frame in range(frames)]
    return make_trace(states, events=events, kinds=kinds, times=times, units=units, name=f"night-{seed}")


GOOD = [night(seed) for seed in range(10)]


@pytest.mark.parametrize("seed", range(20, 32))
def test_another_night_is_alike(seed: int) -> None:
    """Nights differ in when lamps are switched, who boards and where the boat goes, and in nothing that is compared."""
    assert compare(GOOD, night(seed)).groups == ()


CASES: dict[str, tuple[dict[str, Any], str, str, str]] = {
    # how the game is changed; what differs, whose, and how it is told
    "a clock is fast": ({"clock": 0.11}, "clock.hand", "", "each second: not as in all references"),
    "lamps burn at the start": ({"lit": True}, "lamp.burning", "", "at the start: differs"),
    "an object begins elsewhere": ({"home": -29.0}, "kite.height", "kite", "at the start: differs"),
    "a swarm shrinks": ({"moths": 1.0}, "swarm.moths", "", "changes: more often"),
    "oil falls less often": ({"falls": 2}, "tank.oil", "", "changes: less often"),
    "one of the crew is left out": ({"crew": 2}, "placed", "crew-3", "count: missing"),
    "one lamp waits longer": ({"quay": 33}, "lights", "lamp-quay", "seconds after switch: always different"),
    "the edge is farther": ({"edge": 20.7}, "skiff.x", "", "higher than in any reference"),
    "a level that is reached once is higher": ({"flood": 4.3}, "tank.level", "", "higher than in any reference"),
    "some tickets are missing": ({"tickets": 0.8}, "enters", "", "with ticket on the same frame: no is new"),
    "a stage is left out": ({"skips": True}, "halyard.stage", "", "new"),
    "another colour, among a thousand texts": ({"colour": "green"}, "skiff.colour", "", "green is new"),
}


@pytest.mark.parametrize("case", CASES)
def test_what_all_references_have_in_common_is_compared(case: str) -> None:
    """A changed night differs, and the list names what was changed and how."""
    change, name, owner, words = CASES[case]
    found = compare(GOOD, night(30, **change))
    every = [one for group in found.groups for one in (group.first, *group.followed)]
    assert any(one.name == name and words in one.words and owner in one.object for one in every), every


@pytest.mark.parametrize(
    ("change", "alike", "begins_otherwise"),
    [
        ({"aboard": 1}, True, False),
        ({"aboard": 2}, False, False),
        ({"aboard": 3}, False, True),
        ({"is_open": False}, False, False),
    ],
)
def test_what_can_be_drawn_at_the_start_is_alike(change: dict[str, Any], alike: bool, begins_otherwise: bool) -> None:
    """If one object is otherwise all the time, as where it is drawn, nothing differs; if all of a kind are, it does."""
    found = compare(GOOD, night(40, **change))
    words = [one.words for group in found.groups for one in (group.first, *group.followed)]
    assert found.alike == alike, words
    assert any("at the start" in one for one in words) == begins_otherwise, words


@pytest.mark.parametrize(("tolls", "alike"), [(2, True), (3, False)])
def test_a_limit_that_was_rarely_reached_is_surely_exceeded_by_three(tolls: int, alike: bool) -> None:
    """Of a limit that a few dozen occasions reached, two beyond it can be chance, and three cannot."""
    found = compare(GOOD[:7], night(43, tolls=tolls))
    told = [one.words for group in found.groups for one in (group.first, *group.followed) if one.name == "toll"]
    assert any("higher than in any reference" in words for words in told) != alike, told


@pytest.mark.parametrize(("gusts", "gust", "alike"), [(5, 6.0, False), (4, 6.0, True), (5, 3.9, True)])
def test_what_is_far_outside_several_times_differs(gusts: int, gust: float, alike: bool) -> None:
    """Five gusts twice as strong as any differ, though more would be needed if they were but a little stronger."""
    found = compare(GOOD, night(42, gusts=gusts, gust=gust))
    told = [one.words for group in found.groups for one in (group.first, *group.followed) if one.name == "wind.gust"]
    assert (told == []) == alike
    assert all("far higher than in any reference" in words for words in told), told


@pytest.mark.parametrize(("frames", "alike"), [(FRAMES, False), (2 * FRAMES, True)])
def test_a_longer_session_may_go_where_no_reference_came(frames: int, alike: bool) -> None:
    """A level that rises higher, and moths that at last come and go, differ only in a session as long as the others."""
    found = compare(GOOD, night(41, frames=frames, flood=4.3, moths=0.1))
    told = {one.name for group in found.groups for one in (group.first, *group.followed)}
    assert told.isdisjoint({"tank.level", "swarm.moths"}) == alike, told
