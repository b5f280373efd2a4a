"""The operations of NumPy on signals: what each takes and gives, its unit, and what the result is called."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import reduce
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra import units
from breadcrumb.algebra.conditions import Clause, inverted, joined
from breadcrumb.algebra.durations import is_number
from breadcrumb.algebra.formulas import Formula, Rank, call, infix, prefix, within
from breadcrumb.algebra.meeting import is_given, meet
from breadcrumb.algebra.on_demand import composed
from breadcrumb.algebra.quantities import Quantity
from breadcrumb.algebra.rounding import noise_of
from breadcrumb.algebra.samples import FULL_TURNS, Samples, Sort, both, derived
from breadcrumb.errors import Misuse
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import Bools, Floats

NUMBERS = frozenset({Sort.NUMBER, Sort.ANGLE})
_MEASURED = NUMBERS | {Sort.VECTOR}
_ORDERED: dict[np.ufunc, str] = {np.less: "<", np.less_equal: "<=", np.greater: ">", np.greater_equal: ">="}
_EQUALITY: dict[np.ufunc, str] = {np.equal: "==", np.not_equal: "!="}
_LOGIC: dict[np.ufunc, str] = {np.logical_and: "and", np.logical_or: "or", np.bitwise_and: "and", np.bitwise_or: "or"}
_MIRRORED: dict[np.ufunc, np.ufunc] = {
    np.less: np.greater, np.greater: np.less, np.less_equal: np.greater_equal, np.greater_equal: np.less_equal,
}  # fmt: skip
_NOT = (np.logical_not, np.invert)
Unit: TypeAlias = Callable[[str, str, bool, bool, str], str]
"""Gives the unit of a result from those of the two sides, which of these were given as plain values, and the name."""


def _of_either(first: str, second: str, left: bool, right: bool, what: str) -> str:
    return second if left else first if right else units.shared(first, second, what)


def _of_product(first: str, second: str, left: bool, right: bool, what: str) -> str:
    return second if left else first if right else units.product(first, second)


def _of_quotient(first: str, second: str, left: bool, right: bool, what: str) -> str:
    return "" if left else first if right else units.quotient(first, second)


def _of_first(first: str, second: str, left: bool, right: bool, what: str) -> str:
    return first


def _none(first: str, second: str, left: bool, right: bool, what: str) -> str:
    return ""


def _always(unit: str) -> Unit:
    return lambda *_: unit


@dataclass(frozen=True)
class Operation:
    """What is known of one of NumPy's functions."""

    sign: str = ""
    """Its sign in Python; empty if it is called by its name."""
    rank: Rank = Rank.ATOM
    takes: frozenset[Sort] = _MEASURED
    unit: Unit = _of_first
    linear: bool = False
    """Whether the rounding of a result is no more than that of the sides together."""
    keeps_angles: bool = False
    """Whether what comes of an angle is one."""
    turns: str = ""
    """`in` if it takes an angle, `out` if it gives one in radians."""


OPERATIONS: dict[np.ufunc, Operation] = {
    np.add: Operation("+", Rank.SUM, unit=_of_either, linear=True, keeps_angles=True),
    np.subtract: Operation("-", Rank.SUM, unit=_of_either, linear=True, keeps_angles=True),
    np.multiply: Operation("*", Rank.PRODUCT, unit=_of_product),
    np.divide: Operation("/", Rank.PRODUCT, unit=_of_quotient),
    np.floor_divide: Operation("//", Rank.PRODUCT, unit=_of_quotient),
    np.remainder: Operation("%", Rank.PRODUCT, unit=_of_either, keeps_angles=True),
    np.power: Operation("**", Rank.POWER, unit=_none),
    np.negative: Operation("-", Rank.SIGN, linear=True, keeps_angles=True),
    np.absolute: Operation(linear=True),
    np.minimum: Operation(unit=_of_either, linear=True, keeps_angles=True),
    np.maximum: Operation(unit=_of_either, linear=True, keeps_angles=True),
    np.sign: Operation(unit=_none),
    np.floor: Operation(),
    np.ceil: Operation(),
    np.rint: Operation(),
    np.trunc: Operation(),
    np.square: Operation(unit=_none),
    np.sqrt: Operation(takes=NUMBERS, unit=_none),
    np.cbrt: Operation(takes=NUMBERS, unit=_none),
    np.exp: Operation(takes=NUMBERS, unit=_none),
    np.log: Operation(takes=NUMBERS, unit=_none),
    np.log2: Operation(takes=NUMBERS, unit=_none),
    np.log10: Operation(takes=NUMBERS, unit=_none),
    np.hypot: Operation(takes=NUMBERS, unit=_of_either),
    np.sin: Operation(takes=NUMBERS, unit=_none, turns="in"),
    np.cos: Operation(takes=NUMBERS, unit=_none, turns="in"),
    np.tan: Operation(takes=NUMBERS, unit=_none, turns="in"),
    np.arcsin: Operation(takes=NUMBERS, unit=_always("rad"), turns="out"),
    np.arccos: Operation(takes=NUMBERS, unit=_always("rad"), turns="out"),
    np.arctan: Operation(takes=NUMBERS, unit=_always("rad"), turns="out"),
    np.arctan2: Operation(takes=NUMBERS, unit=_always("rad"), turns="out"),
    np.deg2rad: Operation(takes=NUMBERS, unit=_always("rad"), keeps_angles=True),
    np.rad2deg: Operation(takes=NUMBERS, unit=_always("deg"), keeps_angles=True),
}
OPERATIONS[np.radians], OPERATIONS[np.degrees] = OPERATIONS[np.deg2rad], OPERATIONS[np.rad2deg]
_TAKEN_UNIT = {"deg2rad": "deg", "radians": "deg", "rad2deg": "rad", "degrees": "rad"}
_NAMES = {"absolute": "abs"}

_HINTS = {
    Sort.FLAG: "a flag is no number; use &, | and ~, or its share()",
    Sort.TEXT: "a text has no arithmetic and no order; compare it with == or isin()",
    Sort.REFERENCE: "a reference has no arithmetic and no order; compare it with == or isin()",
    Sort.QUATERNION: "a quaternion has no arithmetic; use turn_about() or turn_from()",
    Sort.VECTOR: "take a part of it, such as .x, or its norm()",
}


def apply(function: np.ufunc, *sides: Any) -> Any:
    """Return what a function of NumPy gives for one or two sides, of which at least one is a signal.

    Raises:
        Misuse: it has no meaning for these signals, or the sides do not fit together.
    """
    if function in _LOGIC:
        return _logic(function, *sides)
    if function in _NOT:
        return _not(sides[0])
    if function in _ORDERED or function in _EQUALITY:
        return _comparison(function, *sides)
    operation = OPERATIONS.get(function)
    if operation is None or len(sides) > 2:
        raise Misuse(
            f"np.{function.__name__} has no meaning for signals; those that have are "
            f"{', '.join(sorted({one.__name__ for one in OPERATIONS}))}; of others, take .values"
        )
    return _arithmetic(function, operation, *sides)


def formula_of(operation: Operation, function: np.ufunc, *names: str) -> Formula:
    """Return what a result is called."""
    if not operation.sign:
        return call(_NAMES.get(function.__name__, function.__name__), *names)
    if len(names) == 1:
        return prefix(operation.sign, names[0], operation.rank)
    return infix(names[0], operation.sign, names[1], operation.rank)


def _arithmetic(function: np.ufunc, operation: Operation, *sides: Any) -> Any:
    owner, names = _names(*sides)
    name = formula_of(operation, function, *names)
    _refuse_other_sorts(operation.takes, name, sides)
    told = [_unit_of(side) for side in sides]
    given = [not isinstance(side, Samples) and not (isinstance(side, Quantity) and side.unit) for side in sides]
    unit = operation.unit(told[0], told[-1], given[0], given[-1] and len(sides) > 1, str(name))
    if operation.rank is Rank.SUM:
        refuse_other_spaces(name, *sides)
    met = _met(*sides)
    parts = _parts_of(function, operation, met, name)
    compute = _of_angle(function, operation, met, str(name))
    results = tuple(composed(compute, some, may_wait=operation.linear) for some in parts)

    rounding = noise_of(results)

    def noise(rows: Rows) -> float | Floats:
        known = [one.noise_over(rows) for one in met]
        if operation.linear:
            return sum(known[1:], start=known[0])
        some = [tuple(one if np.ndim(one) == 0 else one[rows] for one in sides) for sides in parts]
        return _moved(compute, some, [one[rows] for one in results], known) + rounding(rows)

    valid = met[0].valid if len(met) == 1 else both(met[0].valid, met[1].valid)
    changes = {"name": name, "parts": results, "valid": valid, "unit": unit, "owner": owner, "known_noise": noise}
    first = next(one for one, side in zip(met, sides, strict=True) if isinstance(side, Samples))
    return derived(first, sort=_result(operation, met, results), texts=None, **changes)


def _result(operation: Operation, met: tuple[Samples, ...], results: tuple[NDArray[Any], ...]) -> Sort:
    if len(results) > 1:
        return Sort.VECTOR
    angle = any(one.sort is Sort.ANGLE for one in met)
    return Sort.ANGLE if operation.turns == "out" or (angle and operation.keeps_angles) else Sort.NUMBER


def _parts_of(
    function: np.ufunc, operation: Operation, met: tuple[Samples, ...], name: str
) -> list[tuple[NDArray[Any], ...]]:
    """Return the arrays of the sides, part by part; powers are those of floats, whatever was recorded."""
    every = [tuple(map(_plain, some)) for some in zip(*(one.parts for one in met), strict=True)]
    if function is np.power:
        return [tuple(np.asarray(one, np.float64) for one in some) for some in every]
    return every


def _of_angle(function: np.ufunc, operation: Operation, met: tuple[Samples, ...], name: str) -> Callable[..., Any]:
    """Return what computes a function; of an angle, in its own unit."""
    taken = _TAKEN_UNIT.get(function.__name__, "")
    if taken and met[0].unit not in ("", taken):
        raise Misuse(f"{name}: expected an angle in {taken}, and {met[0].title} is in {met[0].unit}")
    if operation.turns != "in" or not met[0].unit or met[0].unit == "rad":
        return function
    if met[0].unit not in FULL_TURNS:
        raise Misuse(f"{name}: expected an angle in deg or rad, and {met[0].title} is in {met[0].unit}")
    return lambda angle: function(np.deg2rad(angle))


def _moved(
    compute: Callable[..., Any],
    parts: list[tuple[NDArray[Any], ...]],
    results: list[NDArray[Any]],
    noise: list[float | Floats],
) -> Floats:
    """Return how far the rounding of the sides may move a result: by computing it with each of them moved."""
    most = np.zeros(len(results[0]))
    with np.errstate(all="ignore"):
        for some, result in zip(parts, results, strict=True):
            for signs in np.ndindex(*(2,) * len(some)):
                sides = (one + (2 * sign - 1) * by for one, sign, by in zip(some, signs, noise, strict=True))
                most = np.fmax(most, np.abs(compute(*sides) - result))
    return np.where(np.isfinite(most), most, 0.0)


def _comparison(function: np.ufunc, left: Any, right: Any) -> Any:
    owner, names = _names(left, right)
    sign = _ORDERED.get(function) or _EQUALITY[function]
    name = infix(names[0], sign, names[1], Rank.COMPARISON)
    if not isinstance(left, Samples):  # a plain value stands on the right, so that a breach is told of the signal
        flag = _comparison(_MIRRORED.get(function, function), right, left)
        return replace(flag, name=name)
    if (is_number(right) or (isinstance(right, np.ndarray) and not right.ndim)) and right != right:
        raise Misuse(f"{name}: expected a number to compare with, found {right}, which no value equals or exceeds")
    left = left.settled(right)
    _refuse_other_sorts(NUMBERS if function in _ORDERED else frozenset(Sort) - {Sort.UNSEEN}, name, (left, right))
    if left.track.unseen:
        return derived(left, sort=Sort.FLAG, name=name, parts=(np.zeros(0, np.bool_),), unit="", texts=None)
    refuse_other_spaces(name, left, right)
    if isinstance(right, Samples | Quantity):
        units.shared(left.unit, _unit_of(right), str(name))
    mine, yours, flags = _compared(function, left, right, str(name))
    valid = both(mine.valid, yours.valid if isinstance(yours, Samples) else None)
    against = yours if isinstance(right, Samples | np.ndarray) else right
    clause = Clause(mine, sign, against, lambda left, right: _compared(function, left, right, str(name))[2], valid)
    return derived(
        mine, sort=Sort.FLAG, name=name, parts=(flags,), valid=valid, unit="", texts=None, owner=owner,
        known_noise=None, condition=clause,
    )  # fmt: skip


def _compared(function: np.ufunc, left: Samples, right: Any, name: str) -> tuple[Samples, Any, Bools]:
    """Return both sides on one track, and whether each sample of them compares so."""
    if left.texts is not None or (isinstance(right, Samples) and right.texts is not None) or isinstance(right, str):
        mine, yours, same = _same_texts(left, right, name)
        return mine, yours, same if function is np.equal else ~same
    mine, yours = meet(left, right)
    if function in _ORDERED or (len(mine.parts) == 1 and mine.sort is not Sort.ANGLE):
        return mine, yours, np.asarray(function(mine.parts[0], _plain(yours.parts[0])))
    same = same_values(mine, yours)
    return mine, yours, same if function is np.equal else ~same


def _plain(values: Any) -> Any:
    """Return values that are all one as that one: NumPy is faster with it."""
    return values[0] if isinstance(values, np.ndarray) and values.strides == (0,) and len(values) else values


def same_values(mine: Samples, yours: Samples) -> Bools:
    """Return whether values are the same: angles but for full turns, quaternions but for their sign."""
    pairs = list(zip(mine.parts, yours.parts, strict=True))
    if mine.sort is Sort.ANGLE:
        full = FULL_TURNS[mine.unit]
        with np.errstate(invalid="ignore"):
            return np.asarray(np.mod(pairs[0][0] - pairs[0][1] + full / 2, full) == full / 2)
    same = reduce(np.logical_and, [one == other for one, other in pairs])
    if mine.sort is Sort.QUATERNION:
        same |= reduce(np.logical_and, [one == -other for one, other in pairs])
    return np.asarray(same)


def _same_texts(left: Samples, right: Any, name: str) -> tuple[Samples, Any, Bools]:
    if left.texts is None or (not isinstance(right, str) and getattr(right, "texts", None) is None):
        raise Misuse(f"{name}: one is a text and the other is not; compare texts with texts")
    if isinstance(right, str):
        code = left.texts.index(right) if right in left.texts else -1
        return left, right, np.asarray(left.parts[0] == code)
    mine, yours = meet(left, right)
    known = {text: code for code, text in enumerate(left.texts)}
    codes = np.array([known.get(text, -1) for text in yours.texts or ()] or [-1])
    return mine, yours, np.asarray(mine.parts[0] == codes[yours.parts[0]])


def _logic(function: np.ufunc, left: Any, right: Any) -> Any:
    word = _LOGIC[function]
    owner, names = _names(left, right)
    name = infix(names[0], word, names[1], Rank.AND if word == "and" else Rank.OR)
    for side in (left, right):
        _refuse_no_flag(side, str(name))
    first = left if isinstance(left, Samples) else right
    if first.track.unseen:
        return replace(first, name=name)
    mine, yours = meet(first, right if first is left else left)
    decided_by = word == "or"
    answer = (np.logical_or if decided_by else np.logical_and)(mine.parts[0], yours.parts[0])
    valid = both(mine.valid, yours.valid)
    if valid is not None:  # one side alone may settle it
        settled = [one.usable & (one.parts[0] == decided_by) for one in (mine, yours)]
        answer = np.where(settled[0] | settled[1], decided_by, answer)
        valid = valid | settled[0] | settled[1]
    return derived(
        mine, sort=Sort.FLAG, name=name, parts=(answer,), valid=valid, owner=owner, known_noise=None,
        condition=joined(word, mine, yours),
    )  # fmt: skip


def _not(flag: Any) -> Any:
    name = prefix("not ", flag.name, Rank.NOT)
    _refuse_no_flag(flag, str(name))
    if flag.track.unseen:
        return replace(flag, name=name)
    return derived(flag, name=name, parts=(~flag.parts[0],), condition=inverted(flag))


def _met(*sides: Any) -> tuple[Samples, ...]:
    """Return the sides on one track, with the same number of parts."""
    if len(sides) == 1:
        return (sides[0],)
    if isinstance(sides[0], Samples):
        return meet(sides[0], sides[1])
    yours, mine = meet(sides[1], sides[0])
    return mine, yours


def _names(*sides: Any) -> tuple[str, tuple[str, ...]]:
    """Return whose the result is, and what the sides are called; those of two owners are called by their owner too."""
    owners = {side.owner for side in sides if isinstance(side, Samples) and side.owner}
    if len(owners) < 2:
        return "".join(owners), tuple(_name(side) for side in sides)
    return "", tuple(side.title if isinstance(side, Samples) and side.owner else _name(side) for side in sides)


def _name(side: Any) -> str:
    if isinstance(side, Samples | Quantity):
        return side.name
    if isinstance(side, np.ndarray) and side.ndim:
        return "given values"
    if isinstance(side, np.generic | np.ndarray):
        side = side.item()
    return Formula(repr(side), Rank.ATOM) if isinstance(side, str | tuple | list) else f"{side}"


def _unit_of(side: Any) -> str:
    """Return the unit of a side; what was not seen goes with any, as nothing says what has become of its unit."""
    return "" if isinstance(side, Samples) and side.track.unseen else str(getattr(side, "unit", ""))


def _refuse_other_sorts(takes: frozenset[Sort], name: str, sides: tuple[Any, ...]) -> None:
    for side in sides:
        if isinstance(side, Samples) and side.sort not in takes and not side.track.unseen:
            raise Misuse(f"{name}: {side.title} is {side.sort.words}; {_HINTS.get(side.sort, 'take .values')}")
        if not isinstance(side, Samples) and not is_given(side):
            raise Misuse(f"{name}: expected a number, a vector or an array of them beside a signal, found {side!r}")
    sorts = {side.sort for side in sides if isinstance(side, Samples) and not side.track.unseen}
    for only in (Sort.FLAG, Sort.QUATERNION):
        if only in sorts and len(sorts) > 1:
            raise Misuse(f"{name}: one is {only.words}, and the other is not")


def _refuse_no_flag(side: Any, name: str) -> None:
    if isinstance(side, Samples) and side.sort is not Sort.FLAG and not side.track.unseen:
        raise Misuse(
            f"{name} needs true or false on each sample, and {side.title} is {side.sort.words}; compare it first"
        )
    if not isinstance(side, Samples) and np.asarray(side).dtype != np.bool_:
        raise Misuse(f"{name} needs true or false on each sample, found {side!r}")


def refuse_other_spaces(name: str, left: Any, right: Any = None) -> None:
    """Refuse to bring values of two spaces together.

    Raises:
        Misuse: says which spaces they are, and how to convert one.
    """
    if not isinstance(left, Samples) or not isinstance(right, Samples):
        return
    if min(len(left.parts), len(right.parts)) < 2 or left.space == right.space:
        return
    raise Misuse(
        f"{within(name, Rank.PHRASE)}: the first is in {left.space} space and the second in {right.space} space; "
        "convert one with relative_to() or to_world()"
    )
