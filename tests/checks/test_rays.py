"""Rays and what they may meet: long bodies, and those that were not recorded on every frame."""

import math
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from breadcrumb import Circle, Recorder, Shape, Trace, Verdict, open_trace
from breadcrumb.checks import rays
from breadcrumb.testing import make_trace


def test_a_ray_meets_the_far_end_of_a_long_body() -> None:
    """A body is met wherever the ray comes to it, however far from its position; past its end the ray meets nothing."""
    states = [{"eye": {"position": (-5.0, height)}, "rock": {"position": (0.0, 0.0)}} for height in (4.9, -4.9, 5.1)]
    trace = make_trace(states, kinds={"eye": "eye", "rock": "rock"}, shapes={"rock": Shape.box(2.0, 10.0)})
    eye: Any = trace.one("eye").position
    hit = rays.first_hit(eye, eye * 0.0 + (1.0, 0.0), [trace.all("rock")])
    assert (hit.usable.tolist(), hit.values[:2].tolist()) == ([True, True, False], [4.0, 4.0])


def _watched(path: Path, every: int, lost: tuple[int, ...]) -> Trace:
    """Record an eye that looks east at a rock, which is read on some frames only and has no place on others."""
    eye, rock = SimpleNamespace(position=(0.0, 0.0), end=(4.0, 0.0)), SimpleNamespace(position=(5.0, 0.0))
    with Recorder(path) as rec:
        rec.watch(eye, id="eye", kind="eye", position="position", end="end")
        rec.watch(rock, id="rock", kind="rock", position="position", every=every, shape=Shape.circle(1.0))
        for frame in range(12):
            rock.position = (math.nan, 0.0) if frame in lost else (5.0, 0.0)
            eye.end = (9.0, 0.0) if frame == 7 else (4.0, 0.0)  # where the rock was read, that is wrong
            rec.event("ray", by="eye", on="rock", data={"origin": [0.0, 0.0], "direction": [1.0, 0.0], "distance": 4.0})
            rec.event("pick", by="eye", on="rock")
            rec.frame(frame / 10)
    return open_trace(path)


def _looking(trace: Trace) -> dict[str, Any]:
    eye: Any = trace.one("eye").position
    return {"signal": trace.one("eye").end, "origin": eye, "direction": eye * 0.0 + (1.0, 0.0)}


def _ends(trace: Trace, shapes: Any, otherwise: Any, at_most: float | None = None) -> Verdict:
    return rays.ends_where_it_hits(shapes=shapes, otherwise=otherwise, at_most=at_most, **_looking(trace))


LOOKS: dict[str, Callable[[Trace, Any], Verdict]] = {
    "a beam with a length": lambda t, shapes: _ends(t, shapes, 6.0),
    "a beam that is held": lambda t, shapes: _ends(t, shapes, "hold", at_most=6.0),
    "a beam that ends": lambda t, shapes: _ends(t, shapes, "nothing", at_most=6.0),
    "a ray": lambda t, shapes: rays.reports_first_hit(t.events("ray"), [t.all("rock")], at_most=9.0, tol=0.1),
    "a pick": lambda t, shapes: rays.picks_nearest(t.events("pick"), t.all("rock"), origin=t.one("eye"), at_most=9.0),
}


@pytest.mark.parametrize("target", ["body", "place"])
@pytest.mark.parametrize("look", LOOKS)
def test_nothing_is_said_of_rays_while_what_they_may_meet_was_not_recorded(
    look: str, target: str, tmp_path: Path
) -> None:
    """What is read on every third frame, or has no place on one, is there: no ray meets nothing for want of it."""
    for every, lost, known in ((3, (), (0, 3, 6, 9)), (1, (2, 3), (0, 1, 4, 5, 6, 7, 8, 9, 10, 11))):
        if lost and look == "a pick":
            continue  # what is nearest to no place is a breach
        trace = _watched(tmp_path / f"{every}.crumbs", every, lost)
        shapes = [trace.all("rock") if target == "body" else (trace.one("rock").position, 1.0)]
        verdict = LOOKS[look](trace, shapes)
        is_wrong = look.startswith("a beam") and 7 in known
        assert (verdict.outcome, verdict.breach_count) == ("broken" if is_wrong else "held", is_wrong), (
            verdict.explain()
        )
        assert {one.tested for one in verdict.parts or [verdict]} == {len(known)}


def test_what_a_ray_meets_goes_on_behind_a_restart() -> None:
    """A body that was there before a restart is there once, and is met on all frames."""
    states = [{"eye": {"position": (0.0, 0.0), "end": (4.0, 0.0)}, "rock": {"position": (5.0, 0.0)}}] * 6
    kinds, shapes = {"eye": "eye", "rock": "rock"}, {"rock": Shape.circle(1.0)}
    trace = make_trace(states, kinds=kinds, shapes=shapes, events=[(3, "anew")], restarts=["anew"])
    looking = _looking(trace)
    assert rays.first_hit(looking["origin"], looking["direction"], [trace.all("rock")]).values.tolist() == [4.0] * 6
    assert _ends(trace, [trace.all("rock")], 6.0).tested == 6


def test_a_beam_of_an_unknown_origin_is_not_one_that_meets_nothing() -> None:
    """Where a ray begins at no known place, an end is neither due nor forbidden."""
    states = [{"eye": {"position": (0.0, 0.0) if frame != 2 else None, "end": (4.0, 0.0)}} for frame in range(5)]
    trace = make_trace(states, kinds={"eye": "eye"})
    verdict = _ends(trace, [Circle((5.0, 0.0), 1.0)], "nothing")
    assert (verdict.outcome, verdict.breach_count) == ("held", 0), verdict.explain()
