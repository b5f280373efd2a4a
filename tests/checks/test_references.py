"""Checks against references by brute force, on random small sessions."""

import random
from functools import cache

import pytest

from breadcrumb import Trace
from references.comparing import CASES, arguments, disagreement
from references.drawing import draw_scene, trace_of
from references.plain import Scene

SCENES = 100


@cache
def _scenes() -> list[tuple[Scene, Trace]]:
    scenes = [draw_scene(random.Random(seed)) for seed in range(SCENES)]
    return [(scene, trace_of(scene)) for scene in scenes]


@pytest.mark.parametrize("name", CASES)
def test_a_check_finds_what_its_reference_finds(name: str) -> None:
    """Outcome, counts, and the first frame and object are those of the reference, which are of several outcomes."""
    case, outcomes = CASES[name], set()
    for seed, (scene, trace) in enumerate(_scenes()):
        drawn = arguments(case, scene, random.Random(f"{seed} {name}"))
        assert not disagreement(case, scene, trace, drawn), f"scene {seed}, {drawn}"
        outcomes.add(case.plainly(scene, **drawn).outcome)
    assert {"held", "broken"} <= outcomes
