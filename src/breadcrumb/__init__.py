"""Breadcrumb records what a game's objects were like on every frame, and checks that scripts still do what they did.

Record with `Recorder`, open with `open_trace`, assert with the functions of `breadcrumb.checks`.
"""

import sys
from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from breadcrumb.algebra.combining import active_count, sum_over_objects, vector
    from breadcrumb.algebra.durations import Duration, frames, seconds
    from breadcrumb.algebra.moments import Moments
    from breadcrumb.algebra.regions import Box, Capsule, Circle, Polygon, TurnedBox
    from breadcrumb.algebra.signals import Signal
    from breadcrumb.algebra.sorts import Angle, Flag, Number, Quaternion, Reference, Text, Vector
    from breadcrumb.algebra.spans import Spans
    from breadcrumb.algebra.tiles import Tiles
    from breadcrumb.checks.conditions import judge
    from breadcrumb.checks.situations import situation
    from breadcrumb.comparison.comparing import compare
    from breadcrumb.errors import BreadcrumbError, Broken, Misuse, NeverExercised, TraceError, UnknownName
    from breadcrumb.record.recorder import Recorder
    from breadcrumb.record.shapes import Shape
    from breadcrumb.report.drawing import draw_against, draw_intervals, draw_over_time, draw_paths
    from breadcrumb.run.applying import for_sessions
    from breadcrumb.run.restarts import Restarts
    from breadcrumb.run.traces import Traces
    from breadcrumb.trace.from_tables import trace_from_table
    from breadcrumb.trace.objects import Objects
    from breadcrumb.trace.opened import Trace, open_trace
    from breadcrumb.verdicts.verdict import Verdict, all_of, any_of

__all__ = [
    "Angle",
    "Box",
    "BreadcrumbError",
    "Broken",
    "Capsule",
    "Circle",
    "Duration",
    "Flag",
    "Misuse",
    "Moments",
    "NeverExercised",
    "Number",
    "Objects",
    "Polygon",
    "Quaternion",
    "Recorder",
    "Reference",
    "Restarts",
    "Shape",
    "Signal",
    "Spans",
    "Text",
    "Tiles",
    "Trace",
    "TraceError",
    "Traces",
    "TurnedBox",
    "UnknownName",
    "Vector",
    "Verdict",
    "active_count",
    "all_of",
    "any_of",
    "compare",
    "draw_against",
    "draw_intervals",
    "draw_over_time",
    "draw_paths",
    "for_sessions",
    "frames",
    "judge",
    "open_trace",
    "seconds",
    "situation",
    "sum_over_objects",
    "trace_from_table",
    "vector",
]

_PLACES = {
    "errors": ("BreadcrumbError", "Broken", "Misuse", "NeverExercised", "TraceError", "UnknownName"),
    "algebra.combining": ("active_count", "sum_over_objects", "vector"),
    "algebra.durations": ("Duration", "frames", "seconds"),
    "algebra.moments": ("Moments",),
    "algebra.regions": ("Box", "Capsule", "Circle", "Polygon", "TurnedBox"),
    "algebra.signals": ("Signal",),
    "algebra.sorts": ("Angle", "Flag", "Number", "Quaternion", "Reference", "Text", "Vector"),
    "algebra.spans": ("Spans",),
    "algebra.tiles": ("Tiles",),
    "record.recorder": ("Recorder",),
    "record.shapes": ("Shape",),
    "report.drawing": ("draw_against", "draw_intervals", "draw_over_time", "draw_paths"),
    "run.applying": ("for_sessions",),
    "run.restarts": ("Restarts",),
    "run.traces": ("Traces",),
    "trace.from_tables": ("trace_from_table",),
    "trace.objects": ("Objects",),
    "trace.opened": ("Trace", "open_trace"),
    "checks.conditions": ("judge",),
    "comparison.comparing": ("compare",),
    "checks.situations": ("situation",),
    "verdicts.verdict": ("Verdict", "all_of", "any_of"),
}
"""Where each name is defined. Names are loaded when they are asked for: a game that records loads no NumPy."""


def __getattr__(name: str) -> Any:
    if name == "open_trace" and "IPython" in sys.modules:  # a notebook shows tables
        import_module("breadcrumb.report.notebook").register()
    for place, names in _PLACES.items():
        if name in names:
            return getattr(import_module(f"breadcrumb.{place}"), name)
    raise AttributeError(f"module 'breadcrumb' has no attribute {name!r}")


def __dir__() -> list[str]:
    return __all__
