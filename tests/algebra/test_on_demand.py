"""Values that are not stored, but computed where they are read, are to every operation what stored ones are."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from breadcrumb import Trace, frames
from breadcrumb.algebra.along import first_of_lifetime
from breadcrumb.algebra.meeting import on_track
from breadcrumb.testing import make_trace

Made = Callable[[Any, bool], Any]
MADE: dict[str, Made] = {
    "a speed": lambda place, stored: place.speed(stored=stored),
    "a rate": lambda place, stored: place.rate(stored=stored),
    "the rate of a number": lambda place, stored: place.x.rate(stored=stored),
    "a length": lambda place, stored: place.norm(stored=stored),
    "the size of a number": lambda place, stored: place.x.norm(stored=stored),
    "the sample before": lambda place, stored: kept(place.previous(), stored),
    "two samples before": lambda place, stored: kept(place.previous(2), stored),
    "the first sample": lambda place, stored: kept(first_of_lifetime(place), stored),
    "a second rate": lambda place, stored: place.second_rate(stored=stored),
    "a change": lambda place, stored: kept(place - place.previous(), stored),
    "the value of a frame": lambda place, stored: kept(on_track(place.take(slice(2, 9)), place.track), stored),
    "the rate of the sample before": lambda place, stored: kept(place.previous().rate(stored=False), stored),
    "the length of a rate": lambda place, stored: place.rate(stored=stored).norm(stored=stored),
}


def kept(one: Any, stored: bool) -> Any:
    """Return a signal that is computed on demand, or the same with its values stored."""
    return replace(one, parts=tuple(map(np.array, one.parts))) if stored else one


OPERATIONS: dict[str, Callable[[Any, Trace], Any]] = {
    "values": lambda one, trace: one.values,
    "an array": lambda one, trace: np.asarray(one),
    "at moments": lambda one, trace: one.at(trace.events("bell")).values,
    "before moments": lambda one, trace: one.before(trace.events("bell"), frames(1)).values,
    "some samples": lambda one, trace: one.take(np.array([9, 4, 4, 1])).values,
    "a part of the samples": lambda one, trace: one.take(slice(3, 8)).values,
    "no sample": lambda one, trace: one.take(slice(0, 0)).values,
    "in spans": lambda one, trace: one.during((trace.all("keg").x > 0).spans()).values,
    "the sample before": lambda one, trace: one.previous().values,
    "a sum": lambda one, trace: (one + one).values,
    "a product": lambda one, trace: (2.0 * one).values,
    "its opposite": lambda one, trace: (-one).values,
    "a square": lambda one, trace: np.square(one).values,
    "its rate": lambda one, trace: one.rate().values,
    "its size": lambda one, trace: one.norm().values,
    "held between limits": lambda one, trace: one.clip(0.5, 1.0).values,
    "the mean": lambda one, trace: float(one.norm().mean()),
    "the highest": lambda one, trace: float(one.norm().max()),
    "compared": lambda one, trace: (one.norm() > 1.0).filled(False).values,
    "its changes": lambda one, trace: one.changes().frames,
    "rounding": lambda one, trace: one.noise,
    "a table": lambda one, trace: one.to_frame().to_numpy(),
}


@pytest.fixture(scope="module")
def trace() -> Trace:
    """Two kegs on a way of no regular speed, of which one comes late, misses a value and has two lifetimes."""
    draw, states = np.random.default_rng(5), list[dict[str, dict[str, Any]]]()
    for n in range(20):
        place = {who: {"position": tuple(draw.normal(size=2)), "x": float(draw.normal())} for who in "ab"}
        states.append({who: one for who, one in place.items() if who == "a" or n not in (0, 1, 9)})
    states[14]["b"]["position"] = None
    times = np.cumsum(draw.uniform(0.01, 0.03, 20)).tolist()
    return make_trace(states, kinds={"a": "keg", "b": "keg"}, times=times, events=[(6, "bell", "a"), (12, "bell", "b")])


@pytest.mark.parametrize("what", MADE)
@pytest.mark.parametrize("done", OPERATIONS)
def test_what_is_not_stored_is_as_what_is_stored(done: str, what: str, trace: Trace) -> None:
    """It makes no difference to what comes of it whether values are stored."""
    place, operation = trace.all("keg").position, OPERATIONS[done]
    stored, computed = (operation(MADE[what](place, is_stored), trace) for is_stored in (True, False))
    np.testing.assert_array_equal(computed, stored)
