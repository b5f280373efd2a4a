"""Waves of long sessions, whose sines are summed up where steps are even, are judged like those of short ones."""

import math
from typing import Any

import pytest

from breadcrumb import seconds
from breadcrumb.algebra.numbers import Number
from breadcrumb.checks import movement
from breadcrumb.testing import make_trace

SHORT, LONG = 300, 12_000
"""How many frames: the lifetimes of the short ones are fitted together, the last one of the long ones by itself."""
WRONG: dict[str, tuple[dict[str, Any], str]] = {
    # how the last of three buoys differs, and what is said of it first; nothing if it is right
    "nothing": ({}, ""),
    "its period": ({"period": 2.02}, "period"),
    "its amplitude": ({"amplitude": 0.36}, "amplitude"),
    "its centre": ({"centre": 0.26}, "centre"),
    "one sample": ({"off_on": 250}, "0.1 m too high"),
}


def bobbing(frames: int, uneven: bool, centre: float = 0.25, amplitude: float = 0.35, period: float = 2.0, off_on: int = -1) -> Number:  # fmt: skip
    """Let three buoys bob in phases of their own, two of them not all the time, at even or uneven steps."""
    times = [n / 60 + (0.004 * math.sin(n) if uneven else 0.0) for n in range(frames)]
    states = []
    for n, t in enumerate(times):
        there = [k for k, is_there in ((1, n < frames - 45), (2, n >= 37)) if is_there]
        right = {f"buoy-{k}": {"z": 0.25 + 0.35 * math.sin(math.pi * t + k)} for k in there}
        z = centre + amplitude * math.sin(2 * math.pi * t / period + 3) + 0.1 * (n == off_on)
        states.append(right | {"buoy-3": {"z": z}})
    kinds = dict.fromkeys(("buoy-1", "buoy-2", "buoy-3"), "buoy")
    height: Number = make_trace(states, kinds=kinds, times=times, units={"z": "m"}).all("buoy").z
    return height


@pytest.mark.parametrize("uneven", [False, True], ids=["even steps", "uneven steps"])
@pytest.mark.parametrize("frames", [SHORT, LONG])
@pytest.mark.parametrize("name", WRONG)
def test_a_wave_is_judged_alike_at_any_length(name: str, frames: int, uneven: bool) -> None:
    """What is right holds to a millionth of a metre and a billionth of a second; what is wrong is found, with its buoy, and its frame if it is one."""
    how, words = WRONG[name]
    due: dict[str, Any] = {"centre": 0.25, "amplitude": 0.35, "period": seconds(2)}
    close = seconds(0.002 if name == "one sample" else 1e-9)
    verdict = movement.oscillates(bobbing(frames, uneven, **how), **due, tol=1e-6, time_tol=close)
    assert verdict.outcome == ("broken" if words else "held"), verdict.explain()
    if words:
        assert words in verdict.explain()
        assert {one.object for one in verdict.tallies if one.first_frame is not None} <= {"buoy-3"}
    if name == "one sample":
        assert "buoy-3 frame 250" in verdict.explain()


@pytest.mark.parametrize("uneven", [False, True], ids=["even steps", "uneven steps"])
@pytest.mark.parametrize("frames", [SHORT, LONG])
def test_the_period_is_found_from_one_that_is_near(frames: int, uneven: bool) -> None:
    """The fit begins at the period that is asked for, and ends at the one that there is, to a billionth of a second."""
    near = 2.0 + 40.0 / frames
    verdict = movement.oscillates(
        bobbing(frames, uneven), centre=0.25, amplitude=0.35, period=seconds(near), tol=999.0, time_tol=seconds(0.2)
    )
    assert verdict.margin is not None
    assert verdict.margin.value == pytest.approx(0.2 - (near - 2.0), abs=1e-9)
