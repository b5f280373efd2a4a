"""Every case, and how a check and its reference are compared."""

import random
from typing import Any

from breadcrumb import Trace
from references.asking import Case
from references.movement_cases import MOVEMENT
from references.plain import Scene
from references.spawn_cases import SPAWNS
from references.trigger_cases import TRIGGERS
from references.value_cases import VALUES

CASES: dict[str, Case] = TRIGGERS | VALUES | SPAWNS | MOVEMENT
WANTED = ("held", "broken", "undecided", "", "")
DRAWS = 8


def arguments(case: Case, scene: Scene, draw: random.Random, wanted: str | None = None) -> dict[str, Any]:
    """Draw arguments; of several draws, the first that finds what is wanted: some of each, if nothing is said."""
    wanted = draw.choice(WANTED) if wanted is None else wanted
    drawn: dict[str, Any] = {}
    for _ in range(DRAWS):
        drawn = case.draw(draw)
        if not wanted or wanted in found_by(case, scene, drawn):
            break
    return drawn


def found_by(case: Case, scene: Scene, drawn: dict[str, Any]) -> set[str]:
    """Return the outcome of a reference, and `undecided` if something is."""
    answer = case.plainly(scene, **drawn)
    return {answer.outcome, "undecided"} if answer.undecided else {answer.outcome}


def disagreement(case: Case, scene: Scene, trace: Trace, drawn: dict[str, Any]) -> str:
    """Return how the check and its reference differ; empty if they do not."""
    mine, yours = case.plainly(scene, **drawn), case.check(trace, **drawn)
    first = min((row for row, _ in mine.breaches), default=None)
    frame = None if first is None else scene["rows"][first]["frame"]
    found = (mine.outcome, mine.tested, mine.undecided, len(mine.breaches), frame)
    told = (
        yours.outcome.value, yours.tested, yours.undecided + yours.missing, yours.breach_count,
        yours.first.frame if yours.first is not None else None,
    )  # fmt: skip
    whose = {who for row, who in mine.breaches if row == first}
    if found == told and (yours.first is None or yours.first.object in whose):
        return ""
    return f"reference {found} {whose or ''}\ncheck     {told} {yours.first.object if yours.first else ''}"
