"""Checks against their references by brute force, on many random small sessions.

    python benchmarks/agreeing.py --scenes 5000

It says of each check how many sessions held, broke or left something undecided. Of what is rare with a check, more
sessions are looked for, until it is a share that says something. Every disagreement is printed with its scene, and
makes the exit code 1.
"""

import argparse
import random
import sys
import time
from collections import Counter
from pathlib import Path
from typing import Any

from breadcrumb import Trace

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "shared"))

from references.comparing import CASES, arguments, disagreement, found_by
from references.drawing import draw_scene, trace_of
from references.plain import Scene

SHARES = {"held": 0.15, "broken": 0.15, "undecided": 0.05}
PATIENCE = 2000
"""How many sessions are looked through for what is rare before it is given up: some checks leave nothing undecided."""


class Comparison:
    """What was found of one check."""

    def __init__(self, name: str) -> None:
        self.name, self.case = name, CASES[name]
        self.found: Counter[str] = Counter()
        self.scenes = self.wrong = 0

    def draw(self, seed: int, scene: Scene, wanted: str | None = None) -> dict[str, Any]:
        """Draw arguments for a scene."""
        return arguments(self.case, scene, random.Random(f"{seed} {self.name}"), wanted)

    def compare(self, seed: int, scene: Scene, trace: Trace, drawn: dict[str, Any]) -> None:
        """Compare check and reference once; print how they differ."""
        self.scenes += 1
        self.found.update(found_by(self.case, scene, drawn))
        different = disagreement(self.case, scene, trace, drawn)
        if different:
            self.wrong += 1
            print(f"{self.name}, scene {seed}, {drawn}\n{different}", flush=True)

    def look_for_what_is_rare(self, begin: int) -> None:
        """Compare more scenes from a number on, of those alone in which the reference finds what is too rare."""
        for rare, share in SHARES.items():
            seed, last = begin, begin
            while self.found[rare] < share * self.scenes and seed - last < PATIENCE:
                scene = draw_scene(random.Random(seed))
                drawn = self.draw(seed, scene, rare)
                if rare in found_by(self.case, scene, drawn):
                    self.compare(seed, scene, trace_of(scene), drawn)
                    last = seed
                seed += 1

    def __str__(self) -> str:
        shares = ", ".join(f"{what} {self.found[what] / self.scenes:.1%}" for what in SHARES)
        return f"{self.name}: {self.scenes} sessions, {shares}"


def main() -> None:
    """Compare every check with its reference on every scene."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument("--scenes", type=int, default=5000)
    parser.add_argument("--seed", type=int, default=0, help="the number of the first scene")
    parser.add_argument("--only", default="", help="a part of the name of the checks")
    asked = parser.parse_args()
    begin, end = time.monotonic(), asked.seed + asked.scenes
    every = [Comparison(name) for name in CASES if asked.only in name]
    for seed in range(asked.seed, end):
        scene = draw_scene(random.Random(seed))
        trace = trace_of(scene)
        for one in every:
            one.compare(seed, scene, trace, one.draw(seed, scene))
    for one in every:
        one.look_for_what_is_rare(end)
        print(one, flush=True)
    wrong = sum(one.wrong for one in every)
    print(f"{len(every)} checks, {wrong} disagreements, {time.monotonic() - begin:.0f} s")
    sys.exit(bool(wrong))


if __name__ == "__main__":
    main()
