"""Mutants of checks: each reference must tell the check from ten changes of its code, drawn at random.

    python benchmarks/mutants.py --mutants 10 --scenes 200

A mutant has one comparison turned, one sign or one small number changed, one `and` for an `or`, or one call of a
NumPy function for its opposite, somewhere in the module of the check, where the check runs. It is noticed if the check
then finds something else than its reference on any of the scenes, or cannot run. They are drawn until so many were
noticed; what was not is printed, to be read: margins and words are compared elsewhere, and some change nothing.
"""

import argparse
import ast
import copy
import importlib
import random
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "shared"))

from breadcrumb import Trace
from references.comparing import CASES, Case, arguments, disagreement
from references.drawing import draw_scene, trace_of
from references.plain import Scene

TURNED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
SIGNS: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd,
}  # fmt: skip
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


def lines_run(module: ModuleType, case: Case, scenes: list[tuple[Scene, Trace]], name: str) -> set[int]:
    """Return the lines of a module that a check runs."""
    run: set[int] = set()

    def trace(frame: Any, event: str, _: Any) -> Any:
        if frame.f_code.co_filename != module.__file__:
            return None
        if event == "line":
            run.add(frame.f_lineno)
        return trace

    for seed, (scene, traced) in enumerate(scenes[:20]):
        drawn = arguments(case, scene, random.Random(f"{seed} {name}"))
        sys.settrace(trace)
        try:
            case.check(traced, **drawn)
        finally:
            sys.settrace(None)
    return run


def mutate(module: ModuleType, tree: ast.Module, index: int) -> tuple[str, dict[str, Any]]:
    """Run a module's code with one place changed; return where and how, and the names that it had before."""
    mutant = copy.deepcopy(tree)
    node: Any = list(places(mutant))[index]
    before = ast.unparse(node)
    change(node)
    said = f"line {node.lineno}: {before} -> {ast.unparse(node)}"
    saved = dict(vars(module))
    exec(compile(ast.fix_missing_locations(mutant), str(module.__file__), "exec"), vars(module))
    return said, saved


def is_killed(name: str, case: Case, scenes: list[tuple[Scene, Trace]]) -> bool:
    """Return whether the check, as it now is, finds something else than its reference on a scene, or fails."""
    for seed, (scene, traced) in enumerate(scenes):
        drawn = arguments(case, scene, random.Random(f"{seed} {name}"))
        try:
            if disagreement(case, scene, traced, drawn):
                return True
        except Exception:
            return True
    return False


def attack(name: str, scenes: list[tuple[Scene, Trace]], wanted: int) -> tuple[int, list[str]]:
    """Return how many mutants of a check its reference told from it, and those that it did not on the way there."""
    case, first = CASES[name], name.split()[0]
    package, check = first.split(".")
    checks = importlib.import_module(f"breadcrumb.checks.{package}")
    module = sys.modules[vars(checks)[check].__wrapped__.__module__]
    source = Path(str(module.__file__)).read_text(encoding="utf-8")
    tree = ast.parse(source)
    run = lines_run(module, case, scenes, name)
    indices = [n for n, node in enumerate(places(tree)) if getattr(node, "lineno", 0) in run]
    random.Random(name).shuffle(indices)
    killed, survivors = 0, []
    for index in indices:
        if killed == wanted:
            break
        said, saved = mutate(module, tree, index)
        own = vars(checks)[check]
        setattr(checks, check, vars(module)[check])
        try:
            if is_killed(name, case, scenes):
                killed += 1
            else:
                survivors.append(f"{Path(str(module.__file__)).name} {said}")
        finally:
            setattr(checks, check, own)
            vars(module).update(saved)
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
