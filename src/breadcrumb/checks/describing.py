"""Describing the arguments of checks: in words for a rule's sentence, and as plain data for its record."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, is_dataclass
from typing import Any

import numpy as np

from breadcrumb.algebra.arithmetic import called
from breadcrumb.algebra.durations import Duration, is_number, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.segments import Segments
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.trace.bodies import shape_of
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.rules import Plain, Subject
from breadcrumb.verdicts.words import GIVEN_DIGITS, amount, number, times_words

_LISTED = 3
"""How many of several points are told one by one."""
_NUMBERS_KEPT = 24
"""How many numbers of a list a rule keeps; of more it keeps their type alone."""
_LETTERS_KEPT = 200
_MATCHED = {"subject": "for each subject", "pair": "for each pair", "any": "regardless of subject"}


def in_words(value: Any, how: str, unit: Callable[[], str]) -> str:
    """Return an argument in words.

    Args:
        value: the argument.
        how: `title` and `who` for what a signal is and whose, or whose alone; `count` for a number without a unit,
            `signed` for one with its sign; `window` for when something is due; `plain` for a text without quotes;
            `name` for what a thing is called; `match` for what belongs together; empty for the usual way.
        unit: gives the unit of numbers.
    """
    if how in _WAYS:
        return _WAYS[how](value, unit)
    if is_number(value):
        return amount(float(value), unit(), GIVEN_DIGITS)
    if isinstance(value, np.ndarray):
        return "given values"
    for kind, words in _WORDS:
        if isinstance(value, kind):
            return words(value)
    return getattr(value, "__name__", None) or str(value)


def subject_of(value: Any) -> Subject:
    """Return the subject that the first argument of a check makes."""
    if isinstance(value, Objects):
        return Subject(value.called, value.key.text, value.key.kind)
    if isinstance(value, Segments):
        return subject_of(value.signal)
    if isinstance(value, Signal):
        return Subject(value.title, value.key.text, value.key.kind)
    if isinstance(value, Moments | Spans):
        return Subject(value.label, value.key.text, value.key.kind)
    if isinstance(value, Trace):
        return Subject("the session", "session")
    if not isinstance(value, Sequence) or not len(value):
        return Subject("")
    return Subject("the sessions", "sessions") if isinstance(value[0], Trace) else subject_of(value[0])


def as_data(value: Any) -> Plain:
    """Return an argument as plain data: at most a few hundred bytes, never a representation, never samples.

    Example:
        >>> from breadcrumb import Circle, seconds
        >>> as_data(seconds(0.35)), as_data(Circle((0, 0), 2.0)), as_data(float("inf"))
        ({'s': 0.35}, {'region': 'Circle', 'centre': [0, 0], 'radius': 2.0}, 'inf')
    """
    if value is None or isinstance(value, bool | np.bool_):
        return None if value is None else bool(value)
    if isinstance(value, str):
        return _short(value)
    if is_number(value):
        return _number(value)
    if isinstance(value, Duration):
        return {value.unit: value.value}
    if isinstance(value, Objects):
        return {"all" if value.is_group else "one": value.key.text}
    if isinstance(value, Segments):
        return {**as_data(value.signal), "per": as_data(value.spans)}
    if isinstance(value, Signal):
        return {"signal": _short(value.name), "key": value.key.text, "unit": value.unit}
    if isinstance(value, Moments | Spans):
        what = "moments" if isinstance(value, Moments) else "spans"
        return {what: _short(value.label), "key": value.key.text}
    if isinstance(value, Trace):
        return {"session": value.label}
    if is_dataclass(value) and not isinstance(value, type):  # a region
        return {"region": type(value).__name__, **{name: as_data(part) for name, part in asdict(value).items()}}
    return _collection(value)


def _collection(value: Any) -> Plain:
    if isinstance(value, np.ndarray):
        return {"array": str(value.dtype)}
    if isinstance(value, Mapping):
        return {str(key): as_data(part) for key, part in list(value.items())[:_NUMBERS_KEPT]}
    if callable(value):
        return {"function": getattr(value, "__name__", type(value).__name__)}
    if isinstance(value, Sequence | set | frozenset):
        parts = sorted(value) if isinstance(value, set | frozenset) else value
        return [as_data(part) for part in parts] if len(parts) <= _NUMBERS_KEPT else {"array": type(parts[0]).__name__}
    return {"value": type(value).__name__}


def _number(value: Any) -> Plain:
    plain = value.item() if isinstance(value, np.generic) else float(value) if isinstance(value, float) else value
    return plain if np.isfinite(plain) else str(plain)


def _short(text: str) -> str:
    return str(text) if len(text) <= _LETTERS_KEPT else f"{text[: _LETTERS_KEPT - 1]}…"


def _window_words(value: Any, _: Callable[[], str]) -> str:
    return window(value).when


def _name_words(value: Any, _: Callable[[], str]) -> str:
    if isinstance(value, Signal):
        return value.owner or value.name
    return in_words(value, "", str)


def _title_words(value: Any, _: Callable[[], str]) -> str:
    if isinstance(value, Objects):
        return value.called
    if isinstance(value, Trace):
        return "the session"
    if isinstance(value, Segments):
        return str(value.signal.title)
    if isinstance(value, Sequence):
        return _title_words(value[0], _)
    return str(value.label if isinstance(value, Moments | Spans) else value.title)


def _signed_words(value: Any, unit: Callable[[], str]) -> str:
    return f"{float(value):+g} {unit()}".rstrip() if is_number(value) else in_words(value, "", unit)


def body_words(arguments: Mapping[str, Any], value: Any, unit: Callable[[], str]) -> str:
    """Return which bodies a check is about, as the end of a sentence; nothing if it is about points.

    Args:
        arguments: all arguments of the check.
        value: the radius that it was given, if it was; or moments, which are about no bodies.
        unit: gives the unit of lengths.
    """
    if isinstance(value, Moments):
        return ""
    given = value if isinstance(value, tuple) else (value if is_number(value) else None, None)
    if all(map(is_number, given)):
        return f" with radii of {' and '.join(amount(float(one), unit(), GIVEN_DIGITS) for one in given)}"
    things = [one for name, one in arguments.items() if isinstance(one, Objects | Signal) and name != "origin"]
    shapes = [shape_of(one) for one in (*things, None, None)[:2]]
    bodies = [
        f"a radius of {amount(float(radius), unit(), GIVEN_DIGITS)}" if radius is not None else shape and str(shape)
        for radius, shape in zip(given, shapes, strict=True)
    ]
    if not any(bodies):
        return ""
    mine, yours = (one or "a point" for one in bodies)
    return f" with {mine}" + (f" against {yours}" if bodies[1] else "")


def _share_words(value: float | Mapping[str, float]) -> str:
    if isinstance(value, Mapping):
        return ", ".join(f"{float(share):.4g} at {zone}" for zone, share in value.items())
    return f"{float(value):.4g}"


def _barrier_words(value: Any) -> str:
    if isinstance(value, Objects):
        return value.called
    if isinstance(value, Signal):
        return str(value.owner or value.name)
    if isinstance(value, Region):
        return str(value)
    return f"the barrier from {_point_words(value[0])} to {_point_words(value[-1])}"


def _pair_words(value: Mapping[str, Any], _: Callable[[], str]) -> str:
    told = [f"{name} {in_words(one, '', str)}" for name, one in value.items()]
    return " and ".join([", ".join(told[:-1]), told[-1]] if len(told) > 1 else told)


_END_WORDS = {"hold": "where it was", "nothing": "nowhere"}

_WAYS: dict[str, Callable[[Any, Callable[[], str]], str]] = {
    "title": _title_words,
    "who": lambda value, unit: value.called if isinstance(value, Objects) else str(value.owner or value.name),
    "name": _name_words,
    "count": lambda value, unit: number(float(value), GIVEN_DIGITS) if is_number(value) else str(value),
    "signed": _signed_words,
    "any": lambda value, unit: f"any {value.key.kind}" if value.is_group else value.called,
    "outside": lambda value, unit: value.label if isinstance(value, Moments) else f"leaving {value}",
    "only_then": lambda value, unit: ", and only then" if isinstance(value, Moments) else "",
    "across": lambda value, unit: (
        f"every span of {value.spans.label}" if isinstance(value, Segments) else f"{len(value)} segments"
    ),
    "reasons": lambda value, unit: ", ".join(f"{pattern} ({reason})" for pattern, reason in value.items()),
    "measured": lambda value, unit: "what is measured" if value.__name__ == "<lambda>" else value.__name__,
    "times": lambda value, unit: times_words(int(value)),
    "several": lambda value, unit: ", ".join(in_words(one, "", unit) for one in value),
    "percent": lambda value, unit: f"{100 * float(value):.4g} %",
    "barrier": lambda value, unit: _barrier_words(value),
    "share": lambda value, unit: f"{float(value):.4g}",
    "shares": lambda value, unit: _share_words(value),
    "window": _window_words,
    "plain": lambda value, unit: str(value.name if isinstance(value, Signal) else value),
    "size": lambda value, unit: str(len(value)),
    "labels": lambda value, unit: ", ".join(one.label for one in value),
    "kind": lambda value, unit: str(value.key.kind),
    "one_of": lambda value, unit: f"a {value.key.kind}" if value.is_group else value.called,
    "counted": lambda value, unit: ", counted from the one before" if value == "dropped" else "",
    "end": lambda value, unit: _END_WORDS.get(value) or f"after {in_words(value, '', unit)}",
    "names": lambda value, unit: ", ".join(map(str, value)),
    "pairs": _pair_words,
    "match": lambda value, unit: _MATCHED.get(value, f"for each {value!r}"),
}


def _point_words(value: Sequence[Any]) -> str:
    if len(value) == 2 and all(isinstance(one, Duration) for one in value):
        return f"{value[0]} to {value[1]}"
    if not value or not all(is_number(one) for one in value):
        points = [in_words(one, "", str) for one in value]
        if len(points) > _LISTED:
            return f"one of {len(points)} places"
        return points[0] if len(points) == 1 else f"one of {', '.join(points)}"
    return f"({', '.join(f'{float(part):g}' for part in value)})"


_WORDS: list[tuple[Any, Callable[[Any], str]]] = [
    (bool, lambda value: "true" if value else "false"),
    (str, repr),
    (Objects, lambda value: value.called),
    (Segments, lambda value: f"every span of {value.spans.label}"),
    (Signal, called),
    (Moments | Spans, lambda value: value.label),
    (Mapping, lambda value: ", ".join(map(str, value))),
    (Sequence, _point_words),
    (Duration, str),
]
