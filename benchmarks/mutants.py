"""Mutants of checks: each reference must tell the check from ten changes of its code, drawn at random.

    python benchmarks/mutants.py --mutants 10 --scenes 200

A mutant has one comparison turned, one sign or one small number changed, one `and` for an `or`, or one call of a
NumPy function for its opposite, somewhere where the check runs, in its module or in those it is made of. It is noticed
if the check then finds something else than its reference on any of the scenes, or cannot run. They are drawn until so
many were noticed; what was not is printed, to be read: margins and words are compared elsewhere, and some change
nothing.
"""

import argparse
import ast
import copy
import inspect
import random
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "shared"))

from breadcrumb import Trace
from breadcrumb.checks.declaration import DECLARED
from references.asking import Case
from references.comparing import CASES, arguments, disagreement
from references.drawing import draw_scene, trace_of
from references.plain import Scene

TURNED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
SIGNS: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip
ATTACKED = (
    "breadcrumb.checks.collisions",
    "breadcrumb.checks.dealing",
    "breadcrumb.checks.movement",
    "breadcrumb.checks.s",
    "breadcrumb.checks.triggers",
    "breadcrumb.checks.values",
    "breadcrumb.verdicts.comparing",
    "breadcrumb.algebra.along",
    "breadcrumb.algebra.durations",
)
CALLS = {"minimum": "maximum", "maximum": "minimum", "min": "max", "max": "min", "argmin": "argmax", "argmax": "argmin"}


def can_change(node: ast.AST) -> bool:
    """Return whether there is another way to write a node."""
    if isinstance(node, ast.Compare):
        return type(node.ops[0]) in TURNED
    if isinstance(node, ast.BinOp):
        return type(node.op) in SIGNS
    if isinstance(node, ast.Constant):
        return type(node.value) in (int, float) and node.value in (0, 1, 2, -1)
    if isinstance(node, ast.UnaryOp):
        return isinstance(node.op, ast.Invert | ast.Not)
    return isinstance(node, ast.BoolOp) or (isinstance(node, ast.Attribute) and node.attr in CALLS)


def places(tree: ast.AST) -> Iterator[ast.AST]:
    """Give every node that can be changed."""
    return filter(can_change, ast.walk(tree))


def change(node: Any) -> None:
    """Change a node in place."""
    if isinstance(node, ast.Compare):
        node.ops[0] = TURNED[type(node.ops[0])]()
    elif isinstance(node, ast.BinOp):
        node.op = SIGNS[type(node.op)]()
    elif isinstance(node, ast.Constant):
        node.value = node.value + 1  # type: ignore[operator]
    elif isinstance(node, ast.BoolOp):
        node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
    elif isinstance(node, ast.UnaryOp):
        node.op = ast.UAdd() if isinstance(node.op, ast.Invert) else node.op
        if isinstance(node.op, ast.Not):
            node.operand = ast.UnaryOp(ast.Not(), node.operand)
    else:
        node.attr = CALLS[node.attr]


Places = list[tuple[ModuleType, ast.Module, int]]


def run_places(case: Case, scenes: list[tuple[Scene, Trace]], name: str) -> Places:
    """Return every place that a check runs, in its own module and in those that it is made of."""
    modules = {str(one.__file__): one for key, one in sys.modules.items() if key.startswith(ATTACKED)}
    run: set[tuple[str, int]] = set()

    def trace(frame: Any, event: str, _: Any) -> Any:
        if frame.f_code.co_filename not in modules:
            return None
        if event == "line":
            run.add((frame.f_code.co_filename, frame.f_lineno))
        return trace

    for seed, (scene, traced) in enumerate(scenes[:20]):
        drawn = arguments(case, scene, random.Random(f"{seed} {name}"))
        sys.settrace(trace)
        try:
            case.check(traced, **drawn)
        finally:
            sys.settrace(None)
    found: Places = []
    for file in sorted({file for file, _ in run}):
        tree = ast.parse(Path(file).read_text(encoding="utf-8"))
        found += [(modules[file], tree, n) for n, node in enumerate(places(tree)) if (file, node.lineno) in run]  # type: ignore[attr-defined]
    return found


def functions(space: dict[str, Any], module: str) -> dict[str, Any]:
    """Return the functions of a module and of its classes, by their names; of a check, what it wraps."""
    found = {}
    for value in space.values():
        owned = list(vars(value).values()) if isinstance(value, type) and value.__module__ == module else [value]
        for one in owned:
            plain = inspect.unwrap(getattr(one, "__func__", getattr(one, "fget", None) or getattr(one, "func", one)))
            if inspect.isfunction(plain) and plain.__module__ == module:
                found[plain.__qualname__] = plain
    return found


def mutate(module: ModuleType, tree: ast.Module, index: int) -> tuple[str, dict[Any, Any]]:
    """Give the functions of a module the code of one in which a place is changed; return where, and what they had."""
    mutant = copy.deepcopy(tree)
    node: Any = list(places(mutant))[index]
    before = ast.unparse(node)
    change(node)
    said = f"{Path(str(module.__file__)).name} line {node.lineno}: {before} -> {ast.unparse(node)}"
    space = dict(vars(module))
    declared = dict(DECLARED)
    exec(compile(ast.fix_missing_locations(mutant), str(module.__file__), "exec"), space)
    DECLARED.clear()
    DECLARED.update(declared)
    mine, changed = functions(dict(vars(module)), module.__name__), functions(space, module.__name__)
    saved = {one: one.__code__ for one in mine.values()}
    for name, one in mine.items():
        if name in changed and one.__code__.co_freevars == changed[name].__code__.co_freevars:
            one.__code__ = changed[name].__code__
    return said, saved


def is_killed(case: Case, scenes: list[tuple[Scene, Trace]], asked: list[dict[str, Any]]) -> bool:
    """Return whether the check, as it now is, finds something else than its reference on a scene, or fails."""
    for (scene, traced), drawn in zip(scenes, asked, strict=True):
        try:
            if disagreement(case, scene, traced, drawn):
                return True
        except Exception:
            return True
    return False


def attack(name: str, scenes: list[tuple[Scene, Trace]], wanted: int) -> tuple[int, list[str]]:
    """Return how many mutants of a check its reference told from it, and those that it did not on the way there."""
    found = run_places(CASES[name], scenes, name)
    random.Random(name).shuffle(found)
    asked = [arguments(CASES[name], scene, random.Random(f"{n} {name}")) for n, (scene, _) in enumerate(scenes)]
    killed, survivors = 0, []
    for module, tree, index in found:
        if killed == wanted:
            break
        said, saved = mutate(module, tree, index)
        try:
            if is_killed(CASES[name], scenes, asked):
                killed += 1
            else:
                survivors.append(said)
        finally:
            for function, code in saved.items():
                function.__code__ = code
    return killed, survivors


def main() -> None:
    """Attack every check that has a reference, and say what was not noticed."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument("--mutants", type=int, default=10, help="of each check")
    parser.add_argument("--scenes", type=int, default=200, help="on which they are compared")
    parser.add_argument("--only", default="", help="a part of the name of the checks")
    asked = parser.parse_args()
    begin = time.monotonic()
    drawn = [draw_scene(random.Random(seed)) for seed in range(asked.scenes)]
    scenes = [(scene, trace_of(scene)) for scene in drawn]
    noticed = missed = 0
    for name in (name for name in CASES if asked.only in name):
        killed, survivors = attack(name, scenes, asked.mutants)
        noticed, missed = noticed + killed, missed + len(survivors)
        print(f"{name}: {killed} noticed, {len(survivors)} not", *survivors, sep="\n    ", flush=True)
    print(f"{noticed} mutants noticed, {missed} not, in {time.monotonic() - begin:.0f} s")


if __name__ == "__main__":
    main()
