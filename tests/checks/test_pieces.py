"""Large groups that are judged a few lifetimes at a time: it makes no difference to what is found."""

import random
from collections.abc import Callable
from dataclasses import replace

import pytest

from breadcrumb import Circle, Trace, Verdict
from breadcrumb.checks import collisions, movement, pieces, rays
from breadcrumb.checks.declaration import DECLARED
from breadcrumb.verdicts.evidence import Evidence
from references.comparing import CASES, arguments
from references.drawing import draw_scene, trace_of
from references.plain import Scene

SCENES = 12


def _light_ends(trace: Trace, tol: float) -> Verdict:
    place, rock = trace.all("barrel").position, Circle((2, 2), 1.5)
    return rays.ends_where_it_hits(place, [rock], origin=place, direction=place * 0.0 + (1, 0), otherwise=9.0, tol=tol)


def _free_fall(trace: Trace, tol: float) -> Verdict:
    barrels = trace.all("barrel")
    return movement.accelerates_like(barrels, barrels.position * 0.0, tol=tol)


OTHERS: dict[str, Callable[[Trace, float], Verdict]] = {
    "movement.slows_by": lambda trace, tol: movement.slows_by(trace.all("barrel"), 1.0, tol=tol),
    "movement.accelerates_like": _free_fall,
    "rays.ends_where_it_hits": _light_ends,
    "collisions.passes_through": lambda trace, tol: collisions.passes_through(
        trace.all("barrel"), Circle((2, 2), 9.0), tol=tol
    ),
}
"""Calls of the checks that have no reference, with a tolerance."""
WHOLE = pieces.PIECE


def _told(verdict: Verdict) -> tuple[Verdict, list[tuple[str, int]]]:
    """Return a verdict and what its figures show; its objects are sorted, since in pieces they come by lifetimes."""
    shown = verdict.evidence
    figures = [(one.object, one.frame) for one in (shown.first, shown.worst, shown.tightest) if one is not None]
    return replace(verdict, tallies=tuple(sorted(verdict.tallies)), evidence=Evidence()), figures


@pytest.mark.parametrize("name", [name for name, one in DECLARED.items() if one.per_lifetime])
def test_a_group_in_pieces_gives_the_verdict_of_the_whole(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Judged one lifetime at a time, a check finds what it finds in all of them at once."""
    outcomes = set()
    for seed in range(SCENES):
        draw = random.Random(f"{seed} {name} in pieces")
        scene = draw_scene(draw)
        found = []
        call = _call(name, scene, draw, tol=99.0 if seed % 2 else 3.0)
        for piece in (WHOLE, 1):
            monkeypatch.setattr(pieces, "PIECE", piece)
            found.append(_told(call(trace_of(scene))))
        assert found[0] == found[1], f"scene {seed}"
        outcomes.add(found[0][0].outcome)
    assert {"held", "broken"} <= outcomes


def _call(name: str, scene: Scene, draw: random.Random, tol: float) -> Callable[[Trace], Verdict]:
    if name in OTHERS:
        return lambda trace: OTHERS[name](trace, tol)
    case = next(one for full, one in CASES.items() if full.startswith(name))
    drawn = arguments(case, scene, draw)
    return lambda trace: case.check(trace, **drawn)
