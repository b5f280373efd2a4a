"""Loading check files: ordinary Python files with functions whose names start with `check_`."""

import importlib.util
import inspect
import sys
import traceback
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType
from typing import Any

from breadcrumb.errors import CheckFileError, near_names
from breadcrumb.run.identifying import digest_of
from breadcrumb.run.results import CheckInfo

PREFIX = "check_"
ARGUMENT = "trace"


@dataclass(frozen=True, slots=True)
class Check:
    """One check function, and what is to be told of it."""

    info: CheckInfo
    function: Callable[..., Any]


def load_checks(path: Path) -> tuple[Check, ...]:
    """Return the check functions of a file, in the order in which they stand there.

    Raises:
        CheckFileError: the file is not there, is no Python, raises on loading, has no check, or has one that takes
            something else than `trace`.
    """
    if not path.is_file():
        near = near_names(path.name, [other.name for other in path.parent.glob("*.py")]) if path.parent.is_dir() else []
        hint = f"; did you mean {near[0]}?" if near else ""
        raise CheckFileError(str(path), f"expected a Python file with checks, found nothing{hint}")
    module = _load_module(path)
    functions = [
        function
        for name, function in vars(module).items()
        if name.startswith(PREFIX) and inspect.isfunction(function) and function.__module__ == module.__name__
    ]
    if not functions:
        raise CheckFileError(str(path), f"there is no check in it: no function whose name starts with {PREFIX}")
    for function in functions:
        taken = list(inspect.signature(function).parameters)
        if taken != [ARGUMENT]:
            where = f"{path}:{function.__code__.co_firstlineno}"
            found = f"({', '.join(taken)})"
            raise CheckFileError(where, f"{function.__name__}: expected one argument, {ARGUMENT}; found {found}")
    return tuple(Check(info_of(one, path), one) for one in functions)


def load_all(paths: Iterable[Path]) -> list[Check]:
    """Return the check functions of several files.

    Raises:
        CheckFileError: as for `load_checks`; or two files have one name, so that their rules could not be told apart.
    """
    known: dict[str, Path] = {}
    checks: list[Check] = []
    for path in paths:
        first = known.setdefault(path.stem, path)
        if first != path:
            raise CheckFileError(str(path), f"has the same name as {first}; rename one, as rules are told apart by it")
        checks += load_checks(path)
    return checks


def info_of(function: Callable[..., Any], path: Path) -> CheckInfo:
    """Return what is to be told of a check function of a file."""
    return CheckInfo(function.__name__, str(path), function.__code__.co_firstlineno, digest_of(function))


def where_it_raised(error: BaseException, file: Path) -> str:
    """Return the last line of a file that an error passed through, as `file:line`."""
    here = file.resolve()
    lines = [
        frame.lineno for frame in traceback.extract_tb(error.__traceback__) if Path(frame.filename).resolve() == here
    ]
    return f"{file}:{lines[-1]}" if lines else str(file)


def _load_module(path: Path) -> ModuleType:
    name = f"breadcrumb_checks_{path.stem}_{abs(hash(path.resolve())):x}"
    spec = importlib.util.spec_from_file_location(name, path)
    if spec is None or spec.loader is None:
        raise CheckFileError(str(path), "expected a Python file whose name ends in .py")
    module = importlib.util.module_from_spec(spec)
    sys.path.insert(0, str(path.parent.resolve()))  # so that check files can share helpers that lie beside them
    try:
        spec.loader.exec_module(module)
    except SyntaxError as error:
        raise CheckFileError(f"{error.filename or path}:{error.lineno}", f"invalid Python: {error.msg}") from None
    except Exception as error:
        problem = f"cannot be loaded: {type(error).__name__}: {error}"
        raise CheckFileError(where_it_raised(error, path), problem) from None
    finally:
        sys.path.remove(str(path.parent.resolve()))
    return module
