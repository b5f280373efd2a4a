"""Expressions of the algebra with what each gives, as a text that is approved; the sessions that they are about."""

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

import breadcrumb
from breadcrumb import Moments, Signal, Spans, Trace
from breadcrumb.algebra.along import smoothed_second_rate
from breadcrumb.algebra.segments import Segments
from breadcrumb.errors import BreadcrumbError
from breadcrumb.testing import make_trace

PROMPT = ">>> "
TIMES = (0.0, 0.1, 0.3, 0.4, 0.5, 0.7, 0.8, 0.9, 1.0, 1.2)
FRAMES = (0, 1, 2, 3, 4, 8, 9, 10, 11, 12)
DATA = {"force": 2.5, "whom": "b", "at": [1.0, 2.0], "hard": True}
EVENTS = [
    (1, "tap", "a", None, DATA), (1, "tap", "b", "a", DATA), (3, "ring"), (3, "hit", "a", "b"), (5, "hit", "b", "a"),
    (6, "parted", "b", "a"), (7, "tap", "a", None, {**DATA, "force": 4.0}), (8, "parted", "a", "b"), (9, "ring"),
]  # fmt: skip


def _keg(who: str, place: int) -> dict[str, Any]:
    far = place * (1.0 if who == "a" else -0.5)
    return {
        "position": (far, 3.0 - 0.25 * place * place), "velocity": (2.0 + place, -1.0), "yaw": float(40 * place % 360 - 180),
        "n": None if (who, place) == ("a", 5) else far * far, "lit": place % 4 > 1, "state": ("idle", "held", "idle")[place % 3],
        "aim": "b" if who == "a" and place < 6 else "a",
    }  # fmt: skip


def _flat() -> Trace:
    states = [{who: _keg(who, place) for who in "ab" if (who, place) != ("b", 4)} for place in range(10)]
    about: dict[str, Any] = {
        "axes": {"x": "east", "y": "north"},
        "units": {"position": "m", "velocity": "m/s", "n": "kg", "yaw": "deg"},
    }
    angles: dict[str, Any] = {"unit": "deg", "zero": "east", "sense": "counter-clockwise"}
    given: dict[str, Any] = {
        "declare": ["error"],
        "parameters": {"keg.cap": 6.0},
        "times": TIMES,
        "frames": FRAMES,
        "angles": angles,
    }
    return make_trace(states, kinds={"a": "keg", "b": "keg"}, events=EVENTS, name="flat", **about, **given)


def _turned(degrees: float) -> tuple[float, float, float, float]:
    half = math.radians(degrees) / 2
    return 0.0, 0.0, math.sin(half), math.cos(half)


def _solid() -> Trace:
    gull = [
        {"position": (n, 2.0 * n, 5.0 - n), "yaw": 0.3 * n, "turn": _turned(40 * n), "top": n > 1} for n in range(6)
    ]
    eye = {
        "position": (0.0, -10.0, 2.0),
        "yaw": 1.5707963267948966,
        "pitch": 0.0,
        "screen": (800.0, 600.0),
        "field_of_view": 1.0,
    }
    angles: dict[str, Any] = {"unit": "rad", "zero": "x", "sense": "counter-clockwise"}
    units: dict[str, Any] = {"field_of_view": "rad", "yaw": "rad", "pitch": "rad"}
    about: dict[str, Any] = {"axes": {"x": "east", "y": "north", "z": "up"}, "angles": angles, "units": units}
    again: dict[str, Any] = {"paused_before": [5], "restarts": ["anew"]}
    kinds = {"g": "gull", "eye": "camera"}
    events = [(2, "anew"), (4, "anew")]
    return make_trace(
        [{"g": one, "eye": eye} for one in gull], kinds=kinds, events=events, name="solid", **about, **again
    )


def _rigged() -> Trace:
    there = {"heron": {"n": 1.0, "on": True}, "jib": {"n": 2.0, "on": False}, "main": {"n": 3.0, "on": True}}
    states = [
        {**there, "main": {"n": 3.0 + place, "on": place > 1}, "pin": {"n": -1.0, "on": True}} for place in range(4)
    ]
    kinds = {"heron": "boat", "jib": "sail", "main": "sail", "pin": "pin"}
    events = [(1, "torn", "jib"), (2, "torn", "main", "heron"), (2, "torn", "heron"), (3, "torn", "pin")]
    parents = {"jib": "heron", "main": "heron", "pin": "jib"}
    return make_trace(states, kinds=kinds, events=events, parents=parents, name="rigged")


def names() -> dict[str, Any]:
    """Return what the expressions may name."""
    flat, solid, rigged = _flat(), _solid(), _rigged()
    of_flat = {"kegs": flat.all("keg"), "a": flat.one(id="a"), "b": flat.one(id="b"), "tap": flat.events("tap")}
    of_flat |= {"hit": flat.events("hit"), "parted": flat.events("parted"), "ring": flat.events("ring")}
    of_solid = {"gull": solid.one("gull"), "eye": solid.one("camera"), "anew": solid.events("anew")}
    of_rigged = {"sails": rigged.all("sail"), "pin": rigged.one("pin"), "torn": rigged.events("torn")}
    public = {name: getattr(breadcrumb, name) for name in breadcrumb.__all__}
    return {
        **public,
        "np": np,
        "smoothed": smoothed_second_rate,
        "rigged": rigged,
        **of_rigged,
        "flat": flat,
        "solid": solid,
        **of_flat,
        **of_solid,
    }


def _number(value: Any) -> str:
    if isinstance(value, float | np.floating):
        return f"{round(float(value), 9) + 0.0:.6g}"
    return f"({', '.join(map(_number, value))})" if isinstance(value, tuple | list) else str(value)


def _values(signal: Signal) -> Iterator[str]:
    """Yield each value, also of a flag that is missing on some samples."""
    for row, known in enumerate(signal.usable.tolist()):
        parts = [part[row].item() for part in signal.parts]
        if known and signal.texts is not None:
            yield signal.texts[parts[0]]
        else:
            yield _number(parts[0] if len(parts) == 1 else tuple(parts)) if known else "-"


def _told(value: Any) -> str:
    if isinstance(value, Signal):
        return f"{value.title} [{value.unit}] {' '.join(_values(value))}"
    if isinstance(value, Moments):
        return f"{value.label}: " + " ".join(
            f"{frame}{who and '/' + who}" for frame, who in zip(value.frames, value.subjects, strict=True)
        )
    if isinstance(value, Spans):
        return f"{value.label}: " + " ".join(
            f"{first}-{last}" for first, last in zip(value.first, value.last, strict=True)
        )
    if isinstance(value, Segments):
        return " | ".join(_told(value[index]) for index in range(len(value)))
    if isinstance(value, np.ndarray):
        return " ".join(map(_number, value.tolist()))
    return _number(value)


def evaluated(text: str) -> str:
    """Return a text of expressions, each with what it gives now."""
    known = names()
    told = []
    for line in text.splitlines():
        if not line.startswith(PROMPT):
            told += [line] if line.startswith("#") else []
            continue
        try:
            given = _told(eval(line.removeprefix(PROMPT), known))
        except (BreadcrumbError, ArithmeticError, AttributeError, LookupError, TypeError) as error:
            given = f"{type(error).__name__}: {error}"
        told += [line, given]
    return "\n".join(told) + "\n"
