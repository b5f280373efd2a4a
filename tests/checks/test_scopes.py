"""What narrows a rule narrows what is judged: outside of its scope nothing breaks, and an empty scope is no pass."""

from collections.abc import Callable
from typing import Any, NamedTuple

import pytest

from breadcrumb import Circle, Spans, Trace, Verdict, frames, seconds
from breadcrumb.checks import collisions, movement, session, spawns, triggers, values
from vocabulary import after, at, crowd, east, kegs, recorded, spark, splash


class Scoped(NamedTuple):
    """A check, a session in which it breaks only while `on`, and what is tested then and not then."""

    check: Callable[..., Verdict]
    trace: Trace
    inside: int
    outside: int


def _during(first: int, last: int) -> list[tuple[Any, ...]]:
    """Return the events that open and close a span without a subject."""
    return [(first, "in", None, None), (last, "out", None, None)]


def _spans(trace: Trace) -> Spans:
    return Spans.between(trace.events("in"), trace.events("out"))


ON = _during(3, 7)

SCOPED: dict[str, Scoped] = {
    "equals": Scoped(
        lambda t, **scope: values.equals(kegs(t).n, 3, **scope),
        crowd({("a", 5): {"n": 4.0}}, ON, n=lambda t: 3.0), 9, 10,
    ),
    "stays_between": Scoped(
        lambda t, **scope: movement.stays_between(kegs(t).n, high=3, **scope),
        crowd({("a", 5): {"n": 4.0}}, ON, n=lambda t: 3.0), 9, 10,
    ),
    "stays_inside": Scoped(
        lambda t, **scope: movement.stays_inside(kegs(t).p, Circle((0, 0), 9), **scope),
        crowd({("a", 5): {"p": (99.0, 0.0)}}, ON, p=east), 9, 10,
    ),
    "count_stays": Scoped(
        lambda t, **scope: spawns.count_stays(kegs(t), at_least=2, **scope), crowd(events=ON, p=east), 5, 5,
    ),
    "never_happens": Scoped(
        lambda t, **scope: triggers.never_happens(t.events("tap"), **scope),
        crowd(events=[*ON, *at("tap", 5)], p=east), 5, 5,
    ),
    "leads_to": Scoped(
        lambda t, **scope: triggers.leads_to(t.events("tap"), t.events("ring"), within=frames(0), **scope),
        crowd(events=[*ON, *at("tap", 1, 5), *at("ring", 1)], p=east), 1, 1,
    ),
    "only_after": Scoped(
        lambda t, **scope: triggers.only_after(t.events("ring"), t.events("tap"), within=frames(0), **scope),
        crowd(events=[*ON, *at("tap", 1), *at("ring", 1, 5)], p=east), 1, 1,
    ),
    "respects_cooldown": Scoped(
        lambda t, **scope: triggers.respects_cooldown(t.events("tap"), seconds(0.2), **scope),
        crowd(events=[*ON, *at("tap", 0, 2, 5, 6, 9)], p=east), 1, 2,
    ),
    "never_touches": Scoped(
        lambda t, **scope: collisions.never_touches(kegs(t).p, Circle((9, 9), 1), **scope),
        crowd({("a", 5): {"p": (9.0, 9.0)}}, ON, p=east), 9, 10,
    ),
    "moves_through": Scoped(
        lambda t, **scope: values.moves_through(kegs(t).state, {"idle": ["held"], "held": ["idle"]}, **scope),
        crowd(
            {("a", 1): {"state": "held"}, ("a", 5): {"state": "lost"}}, ON, state=lambda t: "idle",
        ), 2, 2,
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SCOPED)
def test_a_breach_counts_only_within_the_scope(name: str) -> None:
    """Inside the spans it breaks, outside it holds, and each half tests its own occasions and no others."""
    row = SCOPED[name]
    spans = _spans(row.trace)
    assert spans.count == 1
    assert row.check(row.trace).outcome == "broken"
    inside, outside = row.check(row.trace, during=spans), row.check(row.trace, except_during=spans)
    assert inside.outcome == "broken", inside.explain()
    assert outside.outcome == "held", outside.explain()
    assert (inside.tested, outside.tested) == (row.inside, row.outside)
    assert inside.first is not None
    assert 3 <= inside.first.frame <= 10  # the frames of places 3 to 7


@pytest.mark.parametrize("name", SCOPED)
def test_a_scope_in_which_nothing_lies_is_untested(name: str) -> None:
    """Neither spans that never began nor the rest of a session that is all excepted make a rule hold."""
    row = SCOPED[name]
    never = Spans.between(row.trace.events("stop"), row.trace.events("out"))
    everything = Spans.between(row.trace.events("in"), row.trace.events("stop")).grown(seconds(99))
    assert row.check(row.trace, during=never).outcome == "untested"
    assert row.check(row.trace, except_during=everything).outcome == "untested"


def test_a_slow_frame_while_a_level_loads_may_be_excepted() -> None:
    """A frame belongs to a span by its end, and a share is one of the frames that are left."""
    trace = recorded(0.0, 0.016, 0.032, 0.5, 0.516, 0.532)
    slow = (trace.all("barrel").state == "idle").spans()
    assert session.keeps_pace(trace, seconds(0.02)).outcome == "broken"
    assert session.keeps_pace(trace, seconds(0.02), except_during=slow).outcome == "untested"
    assert session.keeps_pace(trace, seconds(0.02), share=0.8).outcome == "held"
    assert session.keeps_pace(trace, seconds(0.02), during=slow).tested == 5


HALVES: dict[str, tuple[Callable[[Trace, bool], Verdict], Trace, str]] = {
    # each cause has its effect, and something else has it too
    "one_for_each": (
        lambda t, only: spawns.one_for_each(t.events("tap"), t.all("spark"), within=frames(1), only=only),
        spark(1, 4, 6), "nothing else makes one",
    ),
    "leaves_when": (
        lambda t, only: spawns.leaves_when(t.all("sound"), t.events("tap", by="s"), within=frames(0), only=only),
        splash(range(9), range(1, 4)), "only then",
    ),
    "reports_every_touch": (
        lambda t, only: collisions.reports_every_touch(
            t.events("in"), collisions.touching(t.one(id="a").p, Circle((3, 0), 0.6)), only=only
        ),
        crowd(events=at("in", 4, 8), p=east), "at no other time",
    ),
    "drains": (
        lambda t, only: values.drains(kegs(t).n, 1, every=seconds(0.3), during=kegs(t).lit.spans(), only=only),
        crowd(after(3, lambda t: -1.0, "a") | after(8, lambda t: -5.0, "b"), lit=lambda t: t < 0.45, n=lambda t: 0.0),
        "at no other time",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", HALVES)
def test_the_other_half_of_a_rule_is_left_out_by_only(name: str) -> None:
    """`only=False` takes the breach of what nothing causes away and out of the sentence; it makes no pass of nothing."""
    ask, trace, words = HALVES[name]
    strict, loose = ask(trace, True), ask(trace, False)
    assert words in strict.sentence
    assert words not in loose.sentence
    hinted = [part.first.words for part in (strict, *strict.parts) if part.first is not None]
    assert strict.outcome == loose.outcome or any("only=False" in one for one in hinted), strict.explain()
    assert not any("only=False" in part.first.words for part in (loose, *loose.parts) if part.first is not None)
    assert loose.tested <= strict.tested
    assert (loose.outcome == "held") <= (loose.tested > 0)
