"""Where the samples of lifetimes stand."""

import random
from typing import Any

import numpy as np
import pytest

from breadcrumb.testing import make_trace


@pytest.mark.parametrize("seed", range(12))
def test_samples_are_found_as_in_their_sorted_keys(seed: int) -> None:
    """With and without frames on which an object is missing, a place is what a search of all keys finds."""
    draw = random.Random(seed)
    names, is_whole = [f"k{n}" for n in range(draw.randint(1, 6))], seed % 3 == 0
    states: list[dict[str, dict[str, Any]]] = [{} for _ in range(draw.randint(1, 20))]
    for name in names:
        first, last = sorted((draw.randrange(len(states)), draw.randrange(len(states))))
        for frame in range(first, last + 1):
            if is_whole or draw.random() < 0.8:
                states[frame][name] = {"x": 1.0}
    if not any(states):
        states[0] = {names[0]: {"x": 1.0}}
    trace = make_trace(states, kinds=dict.fromkeys(names, "keg"))
    track = trace.all("keg").x.track
    size, many = trace.data.session.clock.size, trace.data.session.lifetimes.size
    lifetime, clock_index = (one.ravel() for one in np.mgrid[-1 : many + 1, 0 : size + 1])
    for taken in (track, track.take(np.arange(0, track.size, 2))):
        for side in ("left", "right"):
            due = np.searchsorted(taken.key, taken.keys(lifetime, clock_index), side=side)
            assert taken.place(lifetime, clock_index, side).tolist() == due.tolist()
        known = {
            pair: n for n, pair in enumerate(zip(taken.lifetime.tolist(), taken.clock_index.tolist(), strict=True))
        }
        found = taken.find(lifetime, clock_index).tolist()
        assert found == [known.get(pair, -1) for pair in zip(lifetime.tolist(), clock_index.tolist(), strict=True)]
