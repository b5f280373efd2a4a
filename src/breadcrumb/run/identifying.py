"""The IDs of rules: what identifies one in results, from session to session and build to build.

An ID is `file/function/check/subject`, with `~2`, `~3` for later rules that are equal in all four, or `file/name` for a
check that was given a name as `id=`. Limits, arrays, wording and scope are no part of it.
"""

import ast
import functools
import hashlib
import inspect
import linecache
import re
from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import fields, is_dataclass, replace
from pathlib import Path
from types import FunctionType
from typing import Any

import numpy as np

from breadcrumb.errors import CheckFileError
from breadcrumb.run.results import CheckInfo
from breadcrumb.verdicts.rules import Rule
from breadcrumb.verdicts.verdict import Verdict

_PREFIX = "check_"
_DIGITS = 16
_NOT_IN_A_PART = re.compile(r"[%/~\x00-\x1f\x7f]")


def rule_id(rule: Rule, check: CheckInfo) -> str:
    """Return the ID of a rule that a check function asserted for the first time.

    Example:
        >>> from breadcrumb.verdicts.rules import Subject
        >>> rule = Rule("the head does not tilt", "values.equals", Subject("pitch", "lamp.pitch", "lamp"))
        >>> rule_id(rule, CheckInfo("check_heads_do_not_tilt", "suite/check_lamps.py", 3))
        'lamps/heads_do_not_tilt/equals/lamp.pitch'
    """
    key = (rule.subject.key,) if rule.subject.key else ()  # the parts of a joined one may share no beginning
    parts = (check.name.removeprefix(_PREFIX), rule.check_name, *key)
    return "/".join(map(_quoted, (check.stem, *((rule.given_id,) if rule.given_id else parts))))


def identified(findings: Iterable[Verdict], check: CheckInfo) -> tuple[Verdict, ...]:
    """Return the verdicts that a check function asserted in one session, each with its ID and the function's digest.

    Raises:
        CheckFileError: one name was given to two rules.
    """
    seen: Counter[str] = Counter()
    named = []
    for finding in findings:
        id = rule_id(finding.rule, check)
        seen[id] += 1
        if seen[id] > 1 and finding.rule.given_id:
            where = f"{check.file}:{check.line}"
            raise CheckFileError(
                where, f"{check.name}: id={finding.rule.given_id!r} is given to two rules of a session"
            )
        id = id if seen[id] == 1 else f"{id}~{seen[id]}"
        named.append(replace(finding, rule=replace(finding.rule, id=id, digest=check.digest)))
    return tuple(named)


def digest_of(function: Callable[..., Any]) -> str:
    """Return a digest of a function's syntax tree, and of the constants and helpers of its file that it names."""
    total = hashlib.sha256()
    seen: set[int] = set()
    _add(function, total, seen)
    return total.hexdigest()[:_DIGITS]


def _add(value: Any, total: "hashlib._Hash", seen: set[int]) -> None:
    if isinstance(value, FunctionType):
        if id(value) in seen:
            return
        seen.add(id(value))
        total.update(_tree(value).encode())
        for name in sorted(_names(value)):
            if name in value.__globals__:
                total.update(name.encode())
                _add_named(value.__globals__[name], value, total, seen)
    elif isinstance(value, np.ndarray):
        total.update(value.tobytes())
    else:
        total.update(_constant(value).encode())


def _constant(value: Any) -> str:
    """Return a text that changes with a constant; of what is none, the name of its type."""
    if value is None or isinstance(value, bool | int | float | str | bytes):
        return repr(value)
    if isinstance(value, list | tuple | set | frozenset):
        parts = map(_constant, value)
        return f"{type(value).__name__}({', '.join(parts if isinstance(value, list | tuple) else sorted(parts))})"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{_constant(key)}: {_constant(one)}' for key, one in value.items())}}}"
    if is_dataclass(value) and not isinstance(value, type):
        return f"{type(value).__name__}({', '.join(_constant(getattr(value, one.name)) for one in fields(value))})"
    return type(value).__name__


def _add_named(value: Any, user: FunctionType, total: "hashlib._Hash", seen: set[int]) -> None:
    """Take up a global that a function names; a helper from elsewhere than beside the check file stands by its name."""
    if isinstance(value, FunctionType):
        here, there = (Path(one.__code__.co_filename).parent for one in (user, value))
        if here != there:
            return
    _add(value, total, seen)


def _names(function: FunctionType) -> set[str]:
    """Return the names that a function, or one within it, looks up outside of itself."""
    codes, names = [function.__code__], set()
    while codes:
        code = codes.pop()
        names |= set(code.co_names)
        codes += [one for one in code.co_consts if inspect.iscode(one)]
    return names


def _tree(function: FunctionType) -> str:
    code = function.__code__
    nodes = _functions_of("".join(linecache.getlines(code.co_filename, function.__globals__))).get(code.co_firstlineno)
    return "".join(map(ast.dump, nodes)) if nodes else code.co_code.hex()  # none: made by exec, or its file is gone


@functools.lru_cache(maxsize=4)
def _functions_of(source: str) -> dict[int, list[ast.AST]]:
    """Return the functions of a file by the line on which each begins; several lambdas may begin on one line."""
    found: dict[int, list[ast.AST]] = {}
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda):
            decorators = getattr(node, "decorator_list", ())
            line = min((one.lineno for one in decorators), default=node.lineno)
            found.setdefault(line, []).append(node)
    return found


def _quoted(part: str) -> str:
    return _NOT_IN_A_PART.sub(lambda match: f"%{ord(match[0]):02X}", part)
