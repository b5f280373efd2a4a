"""Plain asserts of check files: what a failed one says, without any help of the test runner."""

import ast
import linecache
import sys
import traceback
from collections.abc import Iterator
from types import FrameType
from typing import Any

from breadcrumb.record.plain import words_of
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.rules import Rule
from breadcrumb.verdicts.verdict import Verdict

_LONGEST_VALUE = 120
_MOST_VALUES = 8
_PURE = ("len", "sum", "min", "max", "abs", "round", "sorted", "set", "list", "tuple", "any", "all", "float", "int")
"""Functions that may be called once more to see what they gave."""
_LOOKED_AT = (ast.Name, ast.Attribute, ast.Subscript, ast.Constant, ast.Load, ast.Slice, ast.UnaryOp, ast.USub)


def plain_breach(error: BaseException, session: str) -> Verdict:
    """Return the verdict that a failed plain assert makes: broken, without a frame and without a margin."""
    at = traceback.extract_tb(error.__traceback__)[-1]
    frame = _last_frame(error)
    statement = _assert_at(at.filename, at.lineno or 0)
    said = words_of(error).splitlines()
    source = "" if statement is None else ast.unparse(statement.test)
    sentence = " ".join(said) or (f"assert {source}" if source else "an assert")
    details = [f"{at.filename}:{at.lineno}", *([f"  assert {source}"] if source else [])]
    if statement is not None and frame is not None:
        details += [f"  {words}" for words in _values(statement.test, frame)]
    rule = Rule(sentence[: 2 * _LONGEST_VALUE], "assert")
    return Verdict(rule, Outcome.BROKEN, session, tested=1, of="asserts", breach_count=1, details=tuple(details))


def _last_frame(error: BaseException) -> FrameType | None:
    trail = error.__traceback__
    while trail is not None and trail.tb_next is not None:
        trail = trail.tb_next
    return None if trail is None else trail.tb_frame


def _assert_at(file: str, line: int) -> ast.Assert | None:
    try:
        tree = ast.parse("".join(linecache.getlines(file)))
    except SyntaxError:  # it changed since it was loaded
        return None
    found = (one for one in ast.walk(tree) if isinstance(one, ast.Assert))
    return next((one for one in found if one.lineno <= line <= (one.end_lineno or one.lineno)), None)


def _values(test: ast.expr, frame: FrameType) -> Iterator[str]:
    """Yield what the parts of a condition are, as far as they can be looked at without running the game's code."""
    seen: dict[str, None] = {}
    for node in ast.walk(test):
        if isinstance(node, ast.Name | ast.Attribute | ast.Subscript | ast.Call) and _is_pure(node):
            seen[ast.unparse(node)] = None
    told = 0
    for source in seen:
        try:
            value = eval(source, frame.f_globals, frame.f_locals)  # the check's own expression, once more
            words = repr(value)
        except Exception:  # what is no longer there, or raises when it is looked at, is left out
            continue
        if callable(value) or told == _MOST_VALUES:
            continue
        told += 1
        yield f"{source} = {words if len(words) <= _LONGEST_VALUE else words[: _LONGEST_VALUE - 1] + '…'}"


def _is_pure(node: ast.AST) -> bool:
    if isinstance(node, ast.Call):
        named = isinstance(node.func, ast.Name) and node.func.id in _PURE
        return named and not node.keywords and all(map(_is_pure, node.args))
    return isinstance(node, _LOOKED_AT) and all(map(_is_pure, ast.iter_child_nodes(node)))


def as_raised(value: Any) -> bool:
    """Tell whether an exception is what a test runner raises for a test that fails by itself."""
    return _is_of_pytest(value, "Failed")


def skip_reason(error: BaseException) -> str | None:
    """Return why a check skipped itself; None if it did not."""
    if _is_of_pytest(error, "Skipped") or type(error).__qualname__ == "SkipTest":
        return words_of(error) or "no reason given"
    return None


def _is_of_pytest(error: BaseException, name: str) -> bool:
    """Tell whether an exception is a test runner's; whoever raises one has imported it."""
    outcomes = sys.modules.get("_pytest.outcomes")
    return outcomes is not None and isinstance(error, getattr(outcomes, name))
