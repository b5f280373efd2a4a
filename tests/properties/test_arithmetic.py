"""NumPy's functions on signals: the values are NumPy's, what is missing stays missing, and what is printed parses back."""

import ast
from collections.abc import Callable
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from breadcrumb import Misuse
from breadcrumb.algebra.operations import OPERATIONS
from breadcrumb.testing import make_trace

FRAMES = 6
NUMBERS = st.one_of(st.integers(-20, 20).map(float), st.floats(-50, 50, allow_nan=False, width=32))
COLUMNS = st.lists(st.none() | NUMBERS, min_size=FRAMES, max_size=FRAMES)
UNARY = sorted({one.__name__ for one in OPERATIONS if one.nin == 1})
BINARY = sorted({one.__name__ for one in OPERATIONS if one.nin == 2})


BASE = make_trace([{"a": {"x": 0.0}}] * FRAMES, kinds={"a": "keg"}).one("keg").x


def _keg(**columns: list[Any]) -> Any:
    """Return signals of one object with these values; None is missing."""
    return SimpleNamespace(**{name: BASE.with_values(_array(column), name) for name, column in columns.items()})


def _array(column: list[float | None]) -> Any:
    return np.array([np.nan if value is None else value for value in column])


def _same(found: Any, expected: Any) -> None:
    np.testing.assert_array_equal(np.asarray(found.values, np.float64), np.asarray(expected, np.float64))


@pytest.mark.parametrize("name", UNARY)
@given(column=COLUMNS)
def test_a_function_of_one_gives_what_numpy_gives(name: str, column: list[float | None]) -> None:
    """Every function of one number that is supported agrees with NumPy, with missing samples too."""
    function = getattr(np, name)
    with np.errstate(all="ignore"):
        _same(function(_keg(x=column).x), function(_array(column)))


@pytest.mark.parametrize("name", BINARY)
@given(left=COLUMNS, right=COLUMNS, plain=NUMBERS)
def test_a_function_of_two_gives_what_numpy_gives(
    name: str, left: list[float | None], right: list[float | None], plain: float
) -> None:
    """Every function of two numbers agrees with NumPy: of two signals, of a plain number on either side, of an array."""
    function = getattr(np, name)
    keg, a, b = _keg(x=left, y=right), _array(left), _array(right)
    there = ~np.isnan(a) & ~np.isnan(b)
    with np.errstate(all="ignore"):
        _same(function(keg.x, keg.y), np.where(there, function(a, b), np.nan))
        _same(function(keg.x, plain), np.where(np.isnan(a), np.nan, function(a, plain)))
        _same(function(plain, keg.x), np.where(np.isnan(a), np.nan, function(plain, a)))
        _same(function(keg.x, b), np.where(there, function(a, b), np.nan))
        _same(function(b, keg.x), np.where(there, function(b, a), np.nan))


def _tree(draw: Any, depth: int) -> Any:
    """Draw an expression of signals as a function of the names in it."""
    if depth == 0 or draw(st.integers(0, 3)) == 0:
        leaf = draw(st.sampled_from(["x", "y", "2", "0.5", "-3"]))
        return lambda names: names[leaf] if leaf in names else ast.literal_eval(leaf)
    sign = draw(st.sampled_from(["+", "-", "*", "/", "//", "%", "**", "neg", "abs", "hypot", "minimum", "clip"]))
    left, right = _tree(draw, depth - 1), _tree(draw, depth - 1)
    known: dict[str, Callable[[Any, Any], Any]] = {
        "+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b, "/": lambda a, b: a / b,
        "//": lambda a, b: a // b, "%": lambda a, b: a % b, "**": lambda a, b: abs(a) ** b, "neg": lambda a, b: -a,
        "abs": lambda a, b: abs(a), "hypot": np.hypot, "minimum": np.minimum, "clip": lambda a, b: np.clip(a, -5, 5),
    }  # fmt: skip
    return lambda names: known[sign](left(names), right(names))


@st.composite
def expressions(draw: Any) -> Any:
    """Expressions of two signals and plain numbers, two or three operations deep."""
    return _tree(draw, draw(st.integers(1, 3)))


@st.composite
def conditions(draw: Any) -> Any:
    """Comparisons of expressions, joined by and, or, not."""
    left, right = draw(expressions()), draw(expressions())
    sign = draw(st.sampled_from(["<", "<=", ">", ">=", "==", "!="]))
    compared: dict[str, Callable[[Any, Any], Any]] = {
        "<": lambda a, b: a < b, "<=": lambda a, b: a <= b, ">": lambda a, b: a > b, ">=": lambda a, b: a >= b,
        "==": lambda a, b: a == b, "!=": lambda a, b: a != b,
    }  # fmt: skip

    def one(names: dict[str, Any]) -> Any:
        return compared[sign](names["x"] + left(names), right(names))

    word = draw(st.sampled_from(["", "and", "or", "not", "=="]))
    if not word:
        return one
    other = draw(conditions())
    joins: dict[str, Any] = {
        "and": lambda a, b: a & b,
        "or": lambda a, b: a | b,
        "not": lambda a, b: ~a & b,
        "==": lambda a, b: a == b,
    }
    return lambda names: joins[word](one(names), other(names))


class _WithSigns(ast.NodeTransformer):
    """Have `and`, `or` and `not` mean what they do for each sample."""

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        self.generic_visit(node)
        sign = ast.BitAnd() if isinstance(node.op, ast.And) else ast.BitOr()
        joined = node.values[0]
        for value in node.values[1:]:
            joined = ast.BinOp(joined, sign, value)
        return joined

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.AST:
        self.generic_visit(node)
        return ast.UnaryOp(ast.Invert(), node.operand) if isinstance(node.op, ast.Not) else node


def _parsed(name: str, names: dict[str, Any]) -> Any:
    tree = ast.fix_missing_locations(_WithSigns().visit(ast.parse(name, mode="eval")))
    functions = {"hypot": np.hypot, "minimum": np.minimum, "maximum": np.maximum, "abs": abs}
    return eval(compile(tree, name, "eval"), {"__builtins__": {}}, names | functions)


@given(build=st.one_of(expressions(), conditions()), left=COLUMNS, right=COLUMNS)
def test_what_is_printed_parses_back_to_the_same_values(build: Any, left: list[Any], right: list[Any]) -> None:
    """The name of a computed signal, read as Python, gives the same values again: brackets are where they matter."""
    keg = _keg(x=left, y=right)
    names = {"x": keg.x, "y": keg.y}
    try:
        made = build(names)
    except (ZeroDivisionError, OverflowError):  # plain numbers among themselves
        return
    if not hasattr(made, "name") or isinstance(made, complex):
        return
    again = _parsed(made.name, names)
    assert made.same_as(again), made.name


UNITS: dict[str, tuple[Callable[[Any], Any], str]] = {
    # what is computed of a distance x in m, a time t in s, a speed v in m/s, an angle yaw in deg, and n of no known unit
    "a sum": (lambda k: k.x + k.x, "m"),
    "a plain number added": (lambda k: 2 + k.x, "m"),
    "an unknown unit added": (lambda k: k.x + k.n, ""),
    "a multiple": (lambda k: 2 * k.x, "m"),
    "a speed times a time": (lambda k: k.v * k.t, "m"),
    "a distance over a time": (lambda k: k.x / k.t, "m/s"),
    "a share": (lambda k: k.x / k.x, ""),
    "an area": (lambda k: k.x * k.x, ""),
    "a rate": (lambda k: k.x.rate(), "m/s"),
    "a rate of a rate": (lambda k: k.v.rate(), "m/s2"),
    "the larger": (lambda k: np.maximum(k.x, 1), "m"),
    "a length": (lambda k: np.hypot(k.x, k.x), "m"),
    "a sine": (lambda k: np.sin(k.yaw), ""),
    "an angle of a sine": (lambda k: np.arcsin(k.n), "rad"),
    "an angle in radians": (lambda k: np.deg2rad(k.yaw), "rad"),
    "a turn": (lambda k: k.yaw - 5, "deg"),
    "a step": (lambda k: k.yaw.step(), "deg"),
}
UNITS_THAT_DIFFER: dict[str, Callable[[Any], Any]] = {
    "m and m/s": lambda k: k.x + k.v,
    "m below s": lambda k: k.x < k.t,
    "the larger of deg and m": lambda k: np.maximum(k.yaw, k.x),
    "deg and rad": lambda k: k.yaw - np.deg2rad(k.yaw),
    "m equal to s": lambda k: k.x == k.t,
}
WITHOUT_MEANING: dict[str, Callable[[Any], Any]] = {
    "a flag times two": lambda k: k.lit * 2,
    "a text plus a number": lambda k: k.mood + 1,
    "a text below a text": lambda k: k.mood < "wild",
    "a number and a flag": lambda k: k.x & k.lit,
    "a number equal to a text": lambda k: k.x == "wild",
    "a flag equal to a number": lambda k: k.lit == 1,
    "a quaternion plus one": lambda k: k.q + 1,
    "the order of vectors": lambda k: k.p < k.p,
    "the sine of a distance": lambda k: np.sin(k.x),
    "a function of NumPy without meaning": lambda k: np.gcd(k.x, 2),
    "a sum of all with add.reduce": lambda k: np.add.reduce(k.x),
    "the speed of a text": lambda k: k.mood.speed(),
    "the spans of a number": lambda k: k.x.spans(),
    "a part of a number": lambda k: k.x.y,
    "the mean of an angle": lambda k: k.yaw.mean(),
    "a truth value": lambda k: bool(k.lit),
    "no such operation": lambda k: k.x.sped(),
}


@pytest.fixture(scope="module")
def keg() -> Any:
    """A keg with a value of every sort."""
    state = {
        "x": 3.0,
        "t": 2.0,
        "v": 1.0,
        "yaw": 30.0,
        "n": 0.5,
        "lit": True,
        "mood": "calm",
        "p": (1.0, 2.0),
        "q": (0.0, 0.0, 0.0, 1.0),
    }
    units = {"x": "m", "t": "s", "v": "m/s"}
    return make_trace([{"a": state}] * 3, kinds={"a": "keg"}, units=units, angles={"unit": "deg"}).one("keg")


@pytest.mark.parametrize("name", UNITS)
def test_the_unit_is_that_of_what_was_computed(keg: Any, name: str) -> None:
    """A result has the unit that follows from those of its sides; of an unknown one nothing follows."""
    compute, unit = UNITS[name]
    assert compute(keg).unit == unit


@pytest.mark.parametrize("name", [*UNITS_THAT_DIFFER, *WITHOUT_MEANING])
def test_what_has_no_meaning_is_an_error(keg: Any, name: str) -> None:
    """Units that differ, and operations that a sort of value does not have, are refused in words; none gives a number."""
    with pytest.raises(
        Misuse, match=r"the first is in .* and the second in" if name in UNITS_THAT_DIFFER else r".{20}"
    ):
        (UNITS_THAT_DIFFER | WITHOUT_MEANING)[name](keg)


SEEN_THROUGH: dict[str, tuple[list[Any], Callable[[Any], Any], Any]] = {
    # values of one property, and what comes of them
    "an angle and a full turn more": ([350.0, 710.0, 10.0], lambda k: (k.yaw == 350).values.tolist(), [True, True, False]),
    "a turn across the wrap": ([170.0, -160.0, -160.0], lambda k: k.yaw.step().values[1:].tolist(), [30.0, 0.0]),
    "no change in a full turn": ([350.0, 710.0, 10.0], lambda k: k.yaw.changes().frames.tolist(), [2]),
    "no change from q to -q": ([(0.0, 0.0, 0.6, 0.8), (0.0, 0.0, -0.6, -0.8), (0.0, 0.0, 0.0, 1.0)], lambda k: k.yaw.changes().frames.tolist(), [2]),
    "q equals -q": ([(0.0, 0.0, 0.6, 0.8)] * 3, lambda k: (k.yaw == (0.0, 0.0, -0.6, -0.8)).values.tolist(), [True] * 3),
    "the turn from q to -q": ([(0.0, 0.0, 0.6, 0.8)] * 3, lambda k: k.yaw.turn_from((0.0, 0.0, -0.6, -0.8)).values.round(9).tolist(), [0.0] * 3),
}  # fmt: skip


@pytest.mark.parametrize("name", SEEN_THROUGH)
def test_comparisons_see_through_representation(name: str) -> None:
    """A full turn more is the same angle, and a quaternion turns the same as its opposite."""
    column, compute, expected = SEEN_THROUGH[name]
    trace = make_trace([{"a": {"yaw": value}} for value in column], kinds={"a": "keg"}, angles={"unit": "deg"})
    assert compute(trace.one("keg")) == expected
