"""A night of sessions: several seeds, frame rates, tides and builds, in the last of which two faults hide."""

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from itertools import product
from multiprocessing import get_context
from pathlib import Path
from typing import Any, NamedTuple

from breadcrumb.demo.eddy import TIDES, USUAL
from breadcrumb.demo.play import play
from breadcrumb.demo.testers import PLAIN
from breadcrumb.demo.time import RATES

BUILDS: dict[str, tuple[str, ...]] = {"0.9.2": (), "0.9.3": ("barrel-per-frame", "gate-ignored")}
"""The builds of the night, and what is broken in each."""


class Night(NamedTuple):
    """One session of the night."""

    name: str
    faults: tuple[str, ...]
    how: dict[str, Any]
    """How it is played."""


def night(sessions: int) -> Iterator[Night]:
    """Yield so many sessions: first those of the tides, then seed by seed each build at each frame rate.

    Example:
        >>> [one.name for one in night(4)]
        ['0.9.2-spring-tide', '0.9.2-slack-tide', '0.9.2-seed-7-at-30', '0.9.2-seed-7-at-60']
    """
    build = next(iter(BUILDS))
    made = [
        Night(f"{build}-{tide}-tide", (), {"tide": tide, "build": build, "seed": PLAIN, "rate": "60"})
        for tide in TIDES
        if tide != USUAL
    ]
    for seed in range(PLAIN, PLAIN + sessions):
        for (build, faults), rate in product(BUILDS.items(), RATES):
            how = {"build": build, "seed": seed, "rate": rate}
            made.append(Night(f"{build}-seed-{seed}-at-{rate}", faults, how))
    yield from made[:sessions]


def play_night(sessions: int, folder: Path, show: Callable[[int, int, str], None]) -> list[Path]:
    """Play so many sessions on all processors, and return their traces.

    Raises:
        OSError: the folder cannot be written.
    """
    played = list(night(sessions))
    traces = []
    with ProcessPoolExecutor(os.cpu_count(), mp_context=get_context("spawn")) as pool:
        for one, trace in zip(played, pool.map(_play, played, [folder] * len(played)), strict=True):
            traces.append(trace)
            show(len(traces), len(played), f"{one.name} was played")
    return traces


def _play(one: Night, folder: Path) -> Path:
    return play(folder / f"{one.name}.crumbs", one.faults, overwrite=True, **one.how)
