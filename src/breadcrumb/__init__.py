"""Breadcrumb records what a game's objects were like on every frame, and checks that scripts still do what they did.

Record with `Recorder`, open with `open_trace`, assert with the functions of `breadcrumb.checks`.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from breadcrumb.algebra.along import sum_over_objects
    from breadcrumb.algebra.durations import Duration, frames, seconds
    from breadcrumb.algebra.moments import Moments
    from breadcrumb.algebra.regions import Box, Capsule, Circle, Polygon, TurnedBox
    from breadcrumb.algebra.signals import Signal
    from breadcrumb.algebra.spans import Spans
    from breadcrumb.checks.conditions import judge
    from breadcrumb.errors import BreadcrumbError, Broken, Misuse, NeverExercised, TraceError, UnknownName
    from breadcrumb.record.recorder import Recorder
    from breadcrumb.report.drawing import draw_against, draw_intervals, draw_over_time, draw_paths
    from breadcrumb.trace.objects import Objects
    from breadcrumb.trace.opened import Trace, open_trace
    from breadcrumb.verdicts.verdict import Verdict, all_of, any_of

__all__ = [
    "Box",
    "BreadcrumbError",
    "Broken",
    "Capsule",
    "Circle",
    "Duration",
    "Misuse",
    "Moments",
    "NeverExercised",
    "Objects",
    "Polygon",
    "Recorder",
    "Signal",
    "Spans",
    "Trace",
    "TraceError",
    "TurnedBox",
    "UnknownName",
    "Verdict",
    "all_of",
    "any_of",
    "draw_against",
    "draw_intervals",
    "draw_over_time",
    "draw_paths",
    "frames",
    "judge",
    "open_trace",
    "seconds",
    "sum_over_objects",
]

_PLACES = {
    "errors": ("BreadcrumbError", "Broken", "Misuse", "NeverExercised", "TraceError", "UnknownName"),
    "algebra.along": ("sum_over_objects",),
    "algebra.durations": ("Duration", "frames", "seconds"),
    "algebra.moments": ("Moments",),
    "algebra.regions": ("Box", "Capsule", "Circle", "Polygon", "TurnedBox"),
    "algebra.signals": ("Signal",),
    "algebra.spans": ("Spans",),
    "record.recorder": ("Recorder",),
    "report.drawing": ("draw_against", "draw_intervals", "draw_over_time", "draw_paths"),
    "trace.objects": ("Objects",),
    "trace.opened": ("Trace", "open_trace"),
    "checks.conditions": ("judge",),
    "verdicts.verdict": ("Verdict", "all_of", "any_of"),
}
"""Where each name is defined. Names are loaded when they are asked for: a game that records loads no NumPy."""


def __getattr__(name: str) -> Any:
    for place, names in _PLACES.items():
        if name in names:
            return getattr(import_module(f"breadcrumb.{place}"), name)
    raise AttributeError(f"module 'breadcrumb' has no attribute {name!r}")


def __dir__() -> list[str]:
    return __all__
