"""What a check takes: its annotations, held against the arguments of each call before anything is computed."""

import inspect
import types
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, Union, get_args, get_origin, get_type_hints

import numpy as np

from breadcrumb.algebra.durations import Duration, is_number
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.quantities import Claim, Quantity
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.samples import Sort
from breadcrumb.algebra.segments import Segments
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Angle, Flag, Number, Quaternion, Reference, Text, Vector
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.opened import Trace

MATCHES = ("subject", "pair", "any")
"""What moments may be matched by, beside an entry of their data."""
_WORDS: dict[Any, str] = {
    Objects: "objects", Signal: "a signal", Number: "a number over time", Angle: "an angle over time",
    Vector: "a vector over time", Quaternion: "a quaternion over time", Flag: "a flag over time",
    Text: "a text over time", Reference: "a reference over time", Moments: "moments", Spans: "spans", Trace: "a trace",
    Duration: "a duration, such as seconds(0.5)", Region: "a region, such as Box(low, high)", float: "a number",
    int: "a whole number from 0 up", bool: "True or False", str: "a text", np.ndarray: "an array",
    Claim: "a comparison of single numbers", type(None): "None",
}  # fmt: skip
_INSTEAD: dict[tuple[str, str], str] = {
    ("vector", "number"): "take a part of it, such as .x, or its norm()",
    ("vector", "flag"): "compare a part of it, such as .x > 0",
    ("quaternion", "angle"): "take its turn_about('z'), or its turn_from() another one",
    ("quaternion", "vector"): "take its turn_about('z'), or its turn_from() another one",
    ("array", "flag"): "put it on the samples that it belongs to, with signal.with_values(array, name)",
    ("array", "signal"): "put it on the samples that it belongs to, with signal.with_values(array, name)",
    ("flag", "spans"): "take its spans()",
    ("flag", "moments"): "take its rises() or falls()",
    ("flag", "number"): "judge(flag, words), values.equals and values.toggles take flags",
    ("flag", "text"): "judge(flag, words), values.equals and values.toggles take flags",
    ("number", "flag"): "compare it first, such as signal > 0",
    ("number", "spans"): "compare it first, and take the spans() of that",
    ("number", "moments"): "compare it first, and take the rises() of that",
    ("number", "angle"): "if it is an angle, record it with units={'yaw': 'deg'}",
    ("angle", "number"): "take its unwrapped(), which is a number",
    ("angle", "flag"): "compare it first, such as signal > 0",
    ("text", "flag"): "compare it first, with == or isin()",
    ("text", "number"): "values.equals, values.one_of and values.moves_through take texts",
    ("text", "spans"): "compare it first, and take the spans() of that",
    ("text", "moments"): "take its changes(), or compare it and take the rises() of that",
    ("moments", "spans"): "use Spans.following(moments, duration) or Spans.between(starts, ends)",
    ("moments", "signal"): "take a signal at them, with .at(moments)",
    ("spans", "moments"): "take their starts() or ends()",
    ("objects", "moments"): "take their appears or leaves",
    ("objects", "spans"): "take their lifetimes",
    ("objects", "signal"): "take one of their properties, such as .position",
    ("signal", "objects"): "give the objects themselves, as trace.all(kind) has them",
    ("signal", "one number"): "a limit that changes is compared by judge(signal < limit, words)",
    ("plain number", "duration"): "write frames(n) or seconds(s)",
    ("plain text", "objects"): "write trace.all(kind) or trace.one(kind)",
    ("plain text", "moments"): "write trace.events(name)",
    ("quantity", "signal"): "a single number is judged by itself, as in judge(trace.parameter('cap') <= 5, words)",
    ("plain", "signal"): "a property that is called like an attribute of objects, such as kind, is objects['kind']",
    ("plain", "region"): "write Box(low, high), Circle(centre, radius) or Polygon(corners)",
}
"""What to use instead, by what was found and what is taken."""


@dataclass(frozen=True)
class Accepted:
    """What one argument may be."""

    name: str
    kinds: tuple[Any, ...]
    """Its alternatives, as classes or as generic types."""

    def accepts(self, value: Any) -> bool:
        """Tell whether a value is one of the alternatives."""
        return any(_is(value, kind) for kind in self.kinds)

    @property
    def words(self) -> str:
        """The alternatives, in words."""
        said = list(dict.fromkeys(_words_of(one) for one in self.kinds))
        return " or ".join([", ".join(said[:-1]), said[-1]] if len(said) > 1 else said)


def accepted_by(function: Callable[..., Any], signature: inspect.Signature) -> tuple[Accepted, ...]:
    """Return what the arguments of a check may be, by its annotations and by those that all checks share."""
    hints = get_type_hints(function)
    taken = []
    for name, parameter in signature.parameters.items():
        kinds = _alternatives(hints.get(name, parameter.annotation))
        if parameter.kind is parameter.VAR_KEYWORD or Any in kinds:
            continue
        taken.append(Accepted(name, kinds))
    return tuple(taken)


def refuse_other_types(check: str, accepted: Sequence[Accepted], bound: Mapping[str, Any]) -> None:
    """Refuse arguments of other types than a check takes.

    Raises:
        Misuse: says what was expected, what was found, and what to use instead.
    """
    for one in accepted:
        if one.name not in bound:
            continue
        value = bound[one.name]
        several = value if isinstance(value, tuple) and one.name == "steps" else (value,)
        for each in several:
            if not one.accepts(each):
                raise Misuse(f"{check}: {one.name}: expected {one.words}, found {_found(each)}{_instead(each, one)}")


def refuse_unknown_entry(check: str, bound: Mapping[str, Any]) -> None:
    """Refuse to match moments by an entry that the data of none of them has: each would go with any other.

    Raises:
        UnknownName: says which entries there are.
    """
    entry = bound.get("match", MATCHES[0])
    several = [one for value in bound.values() for one in (value if isinstance(value, tuple) else (value,))]
    for moments in several if entry not in MATCHES else ():
        if isinstance(moments, Moments) and moments.count and not any(entry in one for one in moments.data):
            known = {*MATCHES, *(name for one in moments.data for name in one)}
            raise UnknownName("entry", entry, known, f"{check}: match: the data of {moments.label}")


def valueless(accepted: Sequence[Accepted], bound: Mapping[str, Any]) -> dict[str, Any]:
    """Return the signals among some arguments that never had a value and seem to be of another sort, as of any sort."""
    return {
        one.name: value.as_unseen()
        for one in accepted
        if isinstance(value := bound.get(one.name), Signal) and value.is_valueless and not one.accepts(value)
    }


def _alternatives(hint: Any) -> tuple[Any, ...]:
    """Return the alternatives of a type."""
    if get_origin(hint) in (Union, types.UnionType):
        return tuple(dict.fromkeys(kind for part in get_args(hint) for kind in _alternatives(part)))
    return (hint,)


def _is(value: Any, kind: Any) -> bool:
    """Tell whether a value is of a type, down to what a list holds."""
    if kind is float:
        return is_number(value) and value == value  # what is no number is no limit either
    if kind is int:
        return is_number(value) and float(value).is_integer() and value >= 0
    if kind is bool:
        return isinstance(value, bool | np.bool_)
    origin = get_origin(kind)
    if origin is Literal:
        return isinstance(value, str) and value in get_args(kind)
    if origin is None:
        return isinstance(value, kind)
    if origin is tuple:
        parts = get_args(kind)
        return isinstance(value, tuple) and len(value) == len(parts) and all(map(_is_one_of, value, parts))
    if origin is np.ndarray:
        return isinstance(value, np.ndarray)
    if not isinstance(value, origin) or isinstance(value, str):
        return False
    if isinstance(value, Mapping) and not issubclass(origin, Mapping):
        return False
    if isinstance(value, Segments):
        return _holds((value.signal,), get_args(kind))
    return issubclass(origin, Mapping) or not issubclass(origin, Collection) or _holds(value, get_args(kind))


def _is_one_of(value: Any, kind: Any) -> bool:
    return any(_is(value, one) for one in _alternatives(kind))


def _holds(values: Any, wanted: tuple[Any, ...]) -> bool:
    alternatives = _alternatives(wanted[0]) if wanted else (Any,)
    return Any in alternatives or all(any(_is(one, kind) for kind in alternatives) for one in values)


def _words_of(kind: Any) -> str:
    if kind in _WORDS:
        return _WORDS[kind]
    origin, inner = get_origin(kind), get_args(kind)
    if origin is Literal:
        return " or ".join(map(repr, inner))
    if origin is tuple and set(inner) == {Duration}:
        return "a pair of durations"
    if origin is tuple:
        first = _words_of(_alternatives(inner[0])[0]).removeprefix("a ")
        return f"a pair of {first}s" if len(set(inner)) == 1 else "a pair"
    if origin is np.ndarray:
        return "an array"
    if origin is not None and issubclass(origin, Mapping):
        return "a mapping"
    if origin is not None and issubclass(origin, Collection):
        return f"a list of {_several(inner)}"
    return "a function" if origin is Callable or callable(origin) else str(getattr(kind, "__name__", kind))


def _several(inner: tuple[Any, ...]) -> str:
    kinds = [one for part in inner for one in _alternatives(part)]
    named = {float: "numbers", str: "texts", Trace: "traces", Duration: "durations"}
    first = kinds[0] if kinds else Any
    if issubclass(get_origin(first) or object, Sequence):
        return "points"
    return named.get(first, "signals" if isinstance(first, type) and issubclass(first, Signal) else "values")


def _found(value: Any) -> str:
    """Return what was found, in words."""
    if isinstance(value, Objects):
        return f"{value.called}, which is an object" if not value.is_group else f"{value.called}, which are objects"
    if isinstance(value, Segments):
        return f"{value.signal.title} in {value.spans.label}"
    if isinstance(value, Signal):
        return f"{value.title}, which is {value.sort.words} over time"
    if isinstance(value, Moments | Spans):
        return f"{value.label}, which are {'moments' if isinstance(value, Moments) else 'spans'}"
    if isinstance(value, types.MethodType | types.FunctionType | types.BuiltinFunctionType):
        return f"the function {value.__name__}()"
    return repr(value) if len(repr(value)) <= 80 else f"{type(value).__name__} {repr(value)[:60]}…"


def _instead(value: Any, accepted: Accepted) -> str:
    """Return what to use instead, as the end of a message."""
    wanted = dict.fromkeys(name for kind in accepted.kinds for name in _kind_names(kind))
    for found in _names(value):
        for target in sorted(wanted, key="signal".__eq__):  # what is said of one sort is said first
            hint = _INSTEAD.get((found, target))
            if hint:
                return f"; {hint}"
    return ""


def _names(value: Any) -> tuple[str, ...]:
    if isinstance(value, Signal):
        sort = Sort.TEXT if value.sort is Sort.REFERENCE else value.sort
        return str(sort), "signal"
    for kind, name in ((Objects, "objects"), (Moments, "moments"), (Spans, "spans")):
        if isinstance(value, kind):
            return (name,)
    if isinstance(value, np.ndarray):
        return ("array",)
    if isinstance(value, Quantity):
        return ("quantity",)
    if is_number(value):
        return "plain number", "plain"
    return ("plain text", "plain") if isinstance(value, str) else ("plain",)


def _kind_names(kind: Any) -> tuple[str, ...]:
    if isinstance(kind, type) and issubclass(kind, Signal):
        return ("signal",) if kind is Signal else (str(kind.sort), "signal")
    named = {Objects: "objects", Moments: "moments", Spans: "spans", Duration: "duration", float: "one number"}
    return (named[kind],) if kind in named else ("region",) if kind is Region else ()
