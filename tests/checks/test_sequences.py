"""Pictures in their order, each for its time: held against a look at each sample by itself."""

import random
from collections import Counter
from collections.abc import Sequence

import numpy as np
import pytest

from breadcrumb import frames, seconds
from breadcrumb.checks import values
from breadcrumb.testing import make_trace


@pytest.mark.parametrize(
    ("late", "tol", "outcome"), [(0, None, "held"), (1, None, "broken"), (1, 0.1, "held"), (2, 0.1, "broken")]
)
def test_a_picture_is_as_late_as_it_is_whenever_it_begins(late: int, tol: float | None, outcome: str) -> None:
    """A picture that makes way some frames late is judged alike on all frames, however their times are rounded."""
    time_tol = None if tol is None else seconds(tol)
    for begin in range(1, 40):
        shown = {begin: 1.0, begin + 1: 1.0} | {begin + 2 + frame: 1.0 for frame in range(late)}
        states = [{"f": {"picture": shown.get(frame, 2.0)}} for frame in range(begin + 8)]
        trace = make_trace(states, kinds={"f": "flare"}, events=[(begin, "burst", "f")])
        due = [(1.0, seconds(0.2)), (2.0, seconds(0.4))]
        verdict = values.plays_sequence(trace.all("flare").picture, due, at=trace.events("burst"), time_tol=time_tol)
        assert verdict.outcome == outcome, (begin, verdict.explain())


def _due(since: int, lengths: Sequence[int], tol: int) -> range:
    """Return which pictures may be shown so many frames after a moment."""
    ends = np.cumsum(lengths)[:-1]
    return range(int((ends <= since - tol).sum()), int((ends <= since + tol).sum()) + 1)


@pytest.mark.parametrize("tol", [0, 1, 3])
def test_pictures_are_judged_as_sample_by_sample(tol: int) -> None:
    """Each sample is held against the pictures that may be due on it, of the last moment of its object."""
    outcomes: Counter[str] = Counter()
    for seed in range(80):
        draw = random.Random(seed)
        shown, lengths = [draw.randrange(3) for _ in range(3)], [draw.randint(1, 6) for _ in range(3)]
        taps = {id: {frame for frame in range(24) if draw.random() < 0.12} for id in "ab"}
        states, wrong, tested = [], 0, 0
        for frame in range(24):
            values_now = {}
            for id, mine in taps.items():
                since = frame - max((tap for tap in mine if tap <= frame), default=99)
                due = [shown[which] for which in _due(since, lengths, tol)] if since >= 0 else [0]
                value = draw.choice(due) if draw.random() < 0.95 else draw.randrange(3)
                values_now[id] = {"picture": float(value)}
                if tol <= since < sum(lengths) - tol:
                    tested, wrong = tested + 1, wrong + (value not in due)
            states.append(values_now)
        events = [(frame, "burst", id) for id, mine in taps.items() for frame in sorted(mine)]
        trace = make_trace(states, kinds={"a": "flare", "b": "flare"}, events=events, declare=["burst"])
        pictures = [(float(one), frames(many)) for one, many in zip(shown, lengths, strict=True)]
        bursts = trace.events("burst")
        verdict = values.plays_sequence(trace.all("flare").picture, pictures, at=bursts, time_tol=frames(tol))
        assert (verdict.tested, verdict.breach_count) == (tested, wrong), verdict.explain()
        outcomes[verdict.outcome] += 1
    assert min(outcomes["held"], outcomes["broken"]) > 5
