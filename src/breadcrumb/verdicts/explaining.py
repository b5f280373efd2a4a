"""What a condition says of itself: what was compared, with what, and by how much."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from breadcrumb.algebra.conditions import Clause, Condition, condition_of
from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.signals import Signal
from breadcrumb.model.session import Floats, Ints
from breadcrumb.verdicts.excerpts import Course, Limit, PlotSource
from breadcrumb.verdicts.judging import Phrase
from breadcrumb.verdicts.words import amount, number

_LIMITS = {"<": "below", "<=": "at most", ">": "above", ">=": "at least", "==": "", "!=": "other than", "in": ""}
_LIMITS |= {"not in": "none of"}
_LONGEST, _LAST = 60, 20
"""How many letters of an operand's name are told, and how many of them are its end."""
_TOO = {"<": "high", "<=": "high", ">": "low", ">=": "low"}


def phrase_of(condition: Condition, index: int, owner: str) -> Phrase:
    """Return what is said of a sample on which a condition is false: each operand that makes it so.

    Args:
        condition: the condition.
        index: the sample.
        owner: whose it is; what is of others is told with its owner.
    """
    failing = condition.failing(index)
    if len(failing) == 1:
        return _phrase_of_one(failing[0], index, owner)
    sides = list(dict.fromkeys((_name(one.left, owner), _value(one.left, one.row(index))) for one in failing))
    said = [f"{name} is {value}" for name, value in sides]
    measured = sides[0][1] if len(sides) == 1 else ", ".join(f"{name} {value}" for name, value in sides)
    return Phrase(measured, _allowed(condition, failing, index, owner), " and ".join(said))


def values_of(flag: Samples, index: int) -> str:
    """Return what makes a flag false on a sample: each operand with its value, as `x is 5 m and y is 2 m`."""
    condition = condition_of(flag)
    sides = {_name(one.left, flag.owner): _value(one.left, one.row(index)) for one in condition.failing(index)}
    return " and ".join(f"{name} is {value}" for name, value in sides.items())


def _phrase_of_one(clause: Clause, index: int, owner: str) -> Phrase:
    row = clause.row(index)
    found, name = _value(clause.left, row), _name(clause.left, owner)
    if clause.sign in ("is", "is not"):
        return Phrase(found, "true" if clause.sign == "is" else "false", f"{name} is {found}")
    allowed, words = _limit(clause, row, owner), f"{name} is {found}"
    if clause.unit is not None:
        short = -float(clause.margins(np.array([index]))[0])
        way = f"{amount(short, clause.unit)} too {_TOO[clause.sign]}" if short else "on the limit, which is not allowed"
        words = f"{name} is {way}"
    return Phrase(found, allowed, words)


def _allowed(condition: Condition, failing: Sequence[Clause], index: int, owner: str) -> str:
    """Return what is allowed by clauses of which several are false; alternatives for one value are told together."""
    word = getattr(condition, "word", "and")
    names = {_name(clause.left, owner) for clause in failing}
    limits = [_limit(clause, clause.row(index), owner) for clause in failing]
    if len(names) == 1:
        return " and ".join(limits) if word == "and" else _either(limits)
    told = [f"{_name(clause.left, owner)} {limit}" for clause, limit in zip(failing, limits, strict=True)]
    return f" {word} ".join(told)


def _limit(clause: Clause, row: int, owner: str) -> str:
    """Return what a clause allows on a sample, in words."""
    word, right = _LIMITS.get(clause.sign, ""), clause.right
    if clause.sign in ("is", "is not"):
        return "true" if clause.sign == "is" else "false"
    unit = clause.left.unit
    if isinstance(right, Samples):
        named = "" if right.name == "given values" else f" ({_name(right, owner)})"
        return f"{word} {_value(right, row, unit)}{named}".strip()
    if clause.sign in ("in", "not in") and isinstance(right, tuple):
        several = [_plain(one, unit) for one in right]
        return f"{word} {_either(several)}".strip()
    name = getattr(right, "name", "")
    return f"{word} {_plain(right, unit)}{f' ({name})' if name else ''}".strip()


def _either(several: Sequence[str]) -> str:
    """Return alternatives in words: `-5, 0 or 5`."""
    return " or ".join([", ".join(several[:-1]), several[-1]] if len(several) > 1 else several)


def _name(samples: Samples, owner: str) -> str:
    """Return what an operand is called; one of another owner with its owner. Of a long formula, both ends are told."""
    name = str(samples.name) if samples.owner == owner else samples.title
    return name if len(name) <= _LONGEST else f"{name[: _LONGEST - _LAST]}…{name[-_LAST:]}"


def _value(samples: Samples, row: int, unit: str = "") -> str:
    """Return the value on a sample, with its unit."""
    if samples.valid is not None and not samples.valid[row]:
        return "missing"
    if samples.texts is not None:
        return repr(samples.texts[int(samples.parts[0][row])])
    values = [part[row].item() for part in samples.parts]
    return _plain(values[0] if len(values) == 1 else tuple(values), samples.unit or unit)


def _plain(value: Any, unit: str) -> str:
    if isinstance(value, str):
        return repr(value)
    if isinstance(value, bool | np.bool_):
        return "true" if value else "false"
    if isinstance(value, Sequence | np.ndarray):
        return f"({', '.join(number(float(part)) for part in value)}) {unit}".rstrip()
    return amount(float(value), unit)


def plot_of(condition: Condition, flag: Signal) -> PlotSource:
    """Return what a table and a figure show of a condition: each operand, with the limits that it has by itself."""
    found: dict[str, Course] = {}
    if isinstance(condition, Clause) and condition.sign == "is":  # a flag by itself is all there is to see
        return PlotSource(flag)
    for clause in condition.clauses:
        for side in (clause.left, clause.right):
            if isinstance(side, Samples) and side.name != "given values":
                name = _name(side, flag.owner)
                known = found.get(name) or Course(_on(side, name, clause, flag))
                found[name] = _limited(known, condition, clause) if side is clause.left else known
    main = next((one for one in found.values() if one.low is not None or one.high is not None), None)
    if main is None:
        return PlotSource(flag, courses=tuple(found.values()))
    rest = tuple(one for one in found.values() if one is not main)
    return PlotSource(main.samples, main.low, main.high, courses=rest)


def _on(side: Samples, name: str, clause: Clause, flag: Signal) -> Samples:
    """Return an operand on the samples of the flag."""
    rows = slice(None) if clause.rows is None else clause.rows
    valid = None if side.valid is None else side.valid[rows]
    parts = tuple(part[rows] for part in side.parts)
    return replace(side, track=flag.track, name=name, parts=parts, valid=valid, condition=None)


def _limited(course: Course, condition: Condition, clause: Clause) -> Course:
    """Return a course with the limit that a clause sets, unless an alternative has another one."""
    if clause.unit is None or getattr(condition, "word", "and") == "or":
        return course
    limit = _level(clause)
    if clause.sign in ("<", "<="):
        return replace(course, high=course.high or limit)
    return replace(course, low=course.low or limit)


def _level(clause: Clause) -> Limit:
    right = clause.right

    def level(indices: Ints) -> Floats:
        rows = indices if clause.rows is None else clause.rows[indices]
        if isinstance(right, Samples):
            return np.where(right.usable_at(rows), right.parts[0][rows].astype(np.float64), np.nan)
        return np.full(len(indices), float(right))  # type: ignore[arg-type] # margins are of numbers

    return level
