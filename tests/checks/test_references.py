"""Checks against references by brute force, on random small sessions."""

import random
from functools import cache

import pytest

from breadcrumb import Trace
from references.comparing import CASES, arguments, disagreement
from references.drawing import ENDS, FORCED, draw_scene, trace_of
from references.plain import Scene

SCENES = 100
OF_EACH = 4


@cache
def _scenes(asked: str, count: int) -> list[tuple[Scene, Trace]]:
    scenes = [draw_scene(random.Random(seed), asked) for seed in range(count)]
    return [(scene, trace_of(scene)) for scene in scenes]


@pytest.mark.parametrize("name", CASES)
def test_a_check_finds_what_its_reference_finds(name: str) -> None:
    """Outcome, counts, and the first frame and object are those of the reference, which are of several outcomes."""
    case, outcomes = CASES[name], set()
    for seed, (scene, trace) in enumerate(_scenes("", SCENES)):
        drawn = arguments(case, scene, random.Random(f"{seed} {name}"))
        assert not disagreement(case, scene, trace, drawn), f"scene {seed}, {drawn}"
        outcomes.add(case.plainly(scene, **drawn).outcome)
    assert {"held", "broken"} <= outcomes


@pytest.mark.parametrize("asked", [*FORCED, *ENDS])
@pytest.mark.parametrize("name", CASES)
def test_it_does_whatever_time_brings(name: str, asked: str) -> None:
    """Gaps, pauses, missing values, both ends, several lifetimes or causes, uneven steps: as the reference has it."""
    for seed, (scene, trace) in enumerate(_scenes(asked, OF_EACH)):
        drawn = arguments(CASES[name], scene, random.Random(f"{seed} {name}"))
        assert not disagreement(CASES[name], scene, trace, drawn), f"scene {seed}, {drawn}"
