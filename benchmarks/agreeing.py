"""Checks against their references by brute force, on many random small sessions.

    python benchmarks/agreeing.py --scenes 5000

It says of each check how many sessions held, broke or were untested, and on how many something was undecided. Every
disagreement is printed with its scene, and makes the exit code 1.
"""

import argparse
import random
import sys
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "shared"))

from references.comparing import CASES, arguments, disagreement
from references.drawing import draw_scene, trace_of


def main() -> None:
    """Compare every check with its reference on every scene."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument("--scenes", type=int, default=5000)
    parser.add_argument("--seed", type=int, default=0, help="the number of the first scene")
    parser.add_argument("--only", default="", help="a part of the name of the checks")
    asked = parser.parse_args()
    begin = time.monotonic()
    names = [name for name in CASES if asked.only in name]
    found: dict[str, Counter[str]] = {name: Counter() for name in names}
    wrong = 0
    for seed in range(asked.seed, asked.seed + asked.scenes):
        scene = draw_scene(random.Random(seed))
        trace = trace_of(scene)
        for name in names:
            drawn = arguments(CASES[name], scene, random.Random(f"{seed} {name}"))
            answer = CASES[name].plainly(scene, **drawn)
            found[name].update([answer.outcome, *(["undecided"] if answer.undecided else [])])
            different = disagreement(CASES[name], scene, trace, drawn)
            if different:
                wrong += 1
                print(f"{name}, scene {seed}, {drawn}\n{different}", flush=True)
    for name, counts in found.items():
        shares = (f"{outcome} {counts[outcome] / asked.scenes:.0%}" for outcome in ("held", "broken", "undecided"))
        print(f"{name}: {', '.join(shares)}")
    print(f"{len(names)} checks, {asked.scenes} scenes, {wrong} disagreements, {time.monotonic() - begin:.0f} s")
    sys.exit(bool(wrong))


if __name__ == "__main__":
    main()
