"""Contacts that name two objects, each two judged by themselves."""

from typing import Any

import pytest

from breadcrumb.checks import collisions
from breadcrumb.testing import make_trace

KINDS = {"a": "keg", "b": "boat", "c": "boat", "d": "boat", "e": "keg"}
Told = tuple[tuple[Any, ...], ...]
B: Told = ((2, "a", "b"), (6, "a", "b"))
# what is told (frame, by, on), the outcome, the frame and words of the first breach, and how much was tested
ROWS: dict[str, tuple[Told, str, int | None, str, int]] = {
    "each of the two": ((*B, (3, "a", "c")), "held", None, "", 6),
    "with by and on the other way round": ((*B, (3, "c", "a")), "held", None, "", 6),
    "by each of the two": ((*B, (2, "b", "a"), (3, "a", "c"), (3, "c", "a")), "held", None, "", 8),
    "a second partner that is not told of": (B, "broken", 3, "touches c without hit", 5),
    "a second touch that is not told of": (((2, "a", "b"), (3, "a", "c")), "broken", 6, "touches b without hit", 5),
    "a wrong partner": ((*B, (3, "a", "c"), (5, "a", "d")), "broken", 5, "hit by a on d, which do not touch", 7),
    "of two that were not asked about": ((*B, (3, "a", "c"), (5, "c", "d")), "broken", 5, "hit without a touch", 7),
    "told again": ((*B, (3, "a", "c"), (5, "a", "c")), "broken", 5, "hit again in one touch", 7),
    "told again the other way round": ((*B, (3, "c", "a"), (5, "c", "a")), "broken", 5, "hit again in one touch", 7),
    "told late": ((*B, (6, "a", "c")), "broken", 3, "hit 3 frames late at c", 6),
    "told late the other way round": ((*B, (5, "c", "a")), "broken", 3, "hit 2 frames late at c", 6),
    "told before it begins": (((0, "a", "b"), *B, (3, "a", "c")), "broken", 0, "hit without a touch", 7),
    "told when it is over": ((*B, (3, "a", "c"), (9, "a", "c")), "broken", 9, "hit without a touch", 7),
    "without partners": (((2, "a"), (3, "a")), "held", None, "", 3),
    "of a partner only sometimes": ((*B, (3, "a")), "held", None, "", 6),
    "of a thing that is no object as well": ((*B, (3, "a", "c"), (3, "a", "wall")), "held", None, "", 7),
    "none": ((), "broken", 2, "touches without hit", 1),
}  # fmt: skip


@pytest.mark.parametrize("of", ["two kinds", "one kind", "two groups"])
@pytest.mark.parametrize("name", ROWS)
def test_a_contact_of_two_tells_of_the_touch_of_these_two(name: str, of: str) -> None:
    """A keg touches boat b on frames 2 to 3 and 6 to 7, and c on 3 to 6; what is missed, wrong or told again is named as that."""
    told, outcome, frame, words, tested = ROWS[name]
    states = [
        {
            "a": {"p": (0.0, 0.0)},
            "b": {"p": (0.5 if n in (2, 3, 6, 7) else 5.0, 0.0)},
            "c": {"p": (0.0, 0.5 if 3 <= n <= 6 else 5.0)},
            "d": {"p": (9.0, 9.0)},
            "e": {"p": (-9.0, -9.0)},
        }
        for n in range(11)
    ]
    kinds = dict.fromkeys(KINDS, "keg") if of == "one kind" else KINDS
    trace = make_trace(states, kinds=kinds, events=[(at, "hit", *who) for at, *who in told], declare=["hit"])
    kegs = trace.all("keg").p if of == "two groups" else trace.one(id="a").p
    others = trace.all("keg" if of == "one kind" else "boat").p
    hits = trace.events("hit")
    touches = collisions.touching(kegs, others, radius=0.5)
    verdict = collisions.reports_every_touch(hits, touches)
    first = verdict.first
    found = (verdict.outcome, None if first is None else first.frame, "" if first is None else first.words)
    assert found[:2] == (outcome, frame)
    assert found[2].startswith(words)
    assert verdict.tested == tested


WHERE = {"gone": (-2.0,), "not known yet": (2.0, 20.0, 20.0, 20.0, 20.0)}
"""Where a boat is on each frame on which it is there."""


@pytest.mark.parametrize("first", ["the group", "the one"])
@pytest.mark.parametrize("when", WHERE)
def test_what_is_not_there_is_not_touched(when: str, first: str) -> None:
    """A keg passes where a boat was before it left, or where it is before that is known: neither is a touch."""
    states: list[dict[str, Any]] = [{"a": {"p": (2.0 - n, 0.0)}, "e": {"p": (9.0, 9.0)}} for n in range(5)]
    for state, x in zip(states, WHERE[when], strict=False):
        state["b"] = {"p": (x, 0.0)}
    trace = make_trace(states, kinds=KINDS)
    boat = trace.one(id="b").p.previous() if when == "not known yet" else trace.one(id="b").p
    kegs = trace.all("keg").p
    verdict = collisions.never_overlaps(*((kegs, boat) if first == "the group" else (boat, kegs)), radius=0.5)
    assert (verdict.outcome, verdict.breach_count) == ("held", 0)
