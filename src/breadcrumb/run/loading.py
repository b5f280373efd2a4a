"""Loading check files: ordinary Python files with functions whose names start with `check_`."""

import functools
import inspect
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from types import FunctionType, ModuleType
from typing import Any

from breadcrumb.errors import CheckFileError, near_names
from breadcrumb.record.plain import words_of
from breadcrumb.run.applying import APPLIES, words_of_wanted
from breadcrumb.run.identifying import digest_of
from breadcrumb.run.namespaces import Namespace
from breadcrumb.run.restarts import Restarts
from breadcrumb.run.results import CheckInfo
from breadcrumb.run.sources import Sources

PREFIX = "check_"
ARGUMENT, SEVERAL, REFERENCE, REFERENCES = "trace", "traces", "reference", "references"
"""What a check takes: one session, or all sessions of the run; besides one session, the accepted one, or several."""
SKIPPED = "breadcrumb_skipped"
"""The attribute of a check function that says why a mark skips it: the check is untested, wherever it runs."""
_MARKS = ("skip", "skipif")
"""The marks of pytest that check functions may have."""


@dataclass(frozen=True, slots=True)
class Check:
    """One check function, and what is to be told of it."""

    info: CheckInfo
    function: Callable[..., Any]
    namespace: Namespace

    @property
    def is_across(self) -> bool:
        """Whether it is about several sessions."""
        return _needed(self.function) == [SEVERAL]

    @property
    def takes_accepted(self) -> str:
        """What it is given besides its session: the accepted one, all accepted ones, or nothing."""
        return next((one for one in _needed(self.function) if one in (REFERENCE, REFERENCES)), "")

    @property
    def applies_to(self) -> dict[str, Any]:
        """What the metadata of a session must be for it to apply; nothing if it applies to all."""
        wanted: dict[str, Any] = getattr(self.function, APPLIES, {})
        return wanted

    @property
    def applies_in_words(self) -> dict[str, str]:
        """What the metadata must be, in words."""
        return {name: words_of_wanted(one) for name, one in self.applies_to.items()}


class Loader:
    """Loads check files, each folder's into a name space of its own."""

    def __init__(self, sources: Sources | None = None) -> None:
        self._sources = sources or Sources()
        self._namespaces: dict[Path, Namespace] = {}

    def module(self, path: Path) -> ModuleType:
        """Return the module of a file; whatever in it is a check is a function afterwards.

        Raises:
            CheckFileError: the file is not there, is no Python, raises on loading, has no check, or has a name that
                starts with `check_` and stands for no check.
        """
        if not self._sources.is_file(path):
            there = path.parent.is_dir()
            near = near_names(path.name, [other.name for other in path.parent.glob("*.py")]) if there else []
            hint = f"; did you mean {near[0]}?" if near else ""
            raise CheckFileError(str(path), f"expected a Python file with checks, found nothing{hint}")
        if path.suffix != ".py":
            raise CheckFileError(str(path), "expected a Python file whose name ends in .py")
        module = _load(path, self.namespace_of(path))
        named = {name: one for name, one in vars(module).items() if name.startswith(PREFIX)}
        checks = {name: one for name, one in named.items() if not isinstance(one, ModuleType)}
        if not checks:
            raise CheckFileError(str(path), f"there is no check in it: no function whose name starts with {PREFIX}")
        if hasattr(module, "pytestmark"):
            raise CheckFileError(
                str(path), "expected marks on check functions alone, found pytestmark for the whole file"
            )
        restarts = _restarts_of(module, path)
        for name, one in checks.items():
            function = _as_function(name, one, path)
            setattr(module, name, function if restarts is None else restarts.before(function))
        return module

    def checks(self, path: Path) -> tuple[Check, ...]:
        """Return the check functions of a file, in the order in which they stand there.

        Raises:
            CheckFileError: as for `module`.
        """
        functions = {
            name: one
            for name, one in vars(self.module(path)).items()
            if name.startswith(PREFIX) and isinstance(one, FunctionType)
        }
        return tuple(
            Check(info_of(one, path, name), one, self.namespace_of(path)) for name, one in functions.items()
        )  # fmt: skip

    def namespace_of(self, path: Path) -> Namespace:
        """Return the name space of the folder that a file lies in."""
        folder = path.parent.resolve()
        if folder not in self._namespaces:
            self._namespaces[folder] = Namespace(folder, self._sources)
        return self._namespaces[folder]


def load_all(sources: Sources, unloaded: Callable[[CheckFileError], None] | None = None) -> list[Check]:
    """Return the check functions of several files.

    Args:
        sources: the files.
        unloaded: is given the error of each file that cannot be loaded; without it, the first one is raised.

    Raises:
        CheckFileError: as for `Loader.module`; or two files have one name, so that their rules could not be told apart.
    """
    loader, known, checks = Loader(sources), dict[str, Path](), list[Check]()
    for path in sources.files:
        first = known.setdefault(path.stem, path)
        if first != path:
            raise CheckFileError(str(path), f"has the same name as {first}; rename one, as rules are told apart by it")
        try:
            checks += loader.checks(path)
        except CheckFileError as error:
            if unloaded is None:
                raise
            unloaded(error)
    return checks


def info_of(function: Callable[..., Any], path: Path, name: str) -> CheckInfo:
    """Return what is to be told of a check function of a file."""
    inner = inspect.unwrap(function)
    while isinstance(inner, functools.partial):
        inner = inspect.unwrap(inner.func)
    code = getattr(inner, "__code__", None)
    return CheckInfo(name, str(path), code.co_firstlineno if code is not None else 1, digest_of(inner))


def where_it_raised(error: BaseException, file: Path) -> str:
    """Return the last line of a file that an error passed through, as `file:line`."""
    here = file.resolve()
    lines = [
        frame.lineno for frame in traceback.extract_tb(error.__traceback__) if Path(frame.filename).resolve() == here
    ]
    return f"{file}:{lines[-1]}" if lines else str(file)


def _restarts_of(module: ModuleType, path: Path) -> Restarts | None:
    """Return the restarts that a file declares for its checks, whatever they are called there.

    Raises:
        CheckFileError: there are two declarations that differ.
    """
    found = {one: name for name, one in vars(module).items() if isinstance(one, Restarts)}
    if len(found) > 1:
        raise CheckFileError(str(path), f"expected one declaration of Restarts, found {' and '.join(found.values())}")
    return next(iter(found), None)


def _as_function(name: str, one: Any, path: Path) -> Callable[..., Any]:
    """Return what is called like a check as a function of the trace.

    Raises:
        CheckFileError: it cannot be run as a check.
    """
    inner = inspect.unwrap(one) if callable(one) else one
    code = getattr(inner, "__code__", None)
    where = f"{path}:{code.co_firstlineno}" if code is not None else str(path)
    problem = _why_no_check(one, inner)
    if problem:
        raise CheckFileError(where, f"{name}: {problem}")
    if isinstance(one, FunctionType):
        return _without_marks(one)

    def check(*given: Any) -> Any:
        return one(*given)

    check.__signature__ = inspect.signature(one)  # type: ignore[attr-defined]
    check.__name__ = check.__qualname__ = name
    check.__wrapped__ = one  # type: ignore[attr-defined]
    vars(check).update({APPLIES: getattr(one, APPLIES)} if hasattr(one, APPLIES) else {})
    return check


def _without_marks(function: FunctionType) -> FunctionType:
    """Take the marks off, so that nobody but us acts on them; note why they skip the check, if they do."""
    for mark in vars(function).pop("pytestmark", []):
        if mark.name == "skip" or any(map(bool, mark.args)):
            given = mark.kwargs.get("reason") or (mark.args[0] if mark.name == "skip" and mark.args else "")
            vars(function)[SKIPPED] = str(given or "no reason given")
    return function


def _why_no_check(one: Any, inner: Any) -> str:
    """Return why something that is called like a check cannot be run as one; empty if it can."""
    if isinstance(one, type) or not callable(one):
        what = "a class" if isinstance(one, type) else f"a {type(one).__name__}"
        return f"expected a function of the trace, found {what}; only checks have names that start with {PREFIX}"
    if any(map(inspect.isgeneratorfunction, (one, inner))) or any(map(inspect.iscoroutinefunction, (one, inner))):
        return "expected a function that runs when it is called, found a generator or a coroutine"
    mark = next((one for one in getattr(one, "pytestmark", []) if one.name not in _MARKS), None)
    if mark is not None:
        return f"expected no mark but {' and '.join(_MARKS)}, found {mark.name}; a check means one thing everywhere"
    needed = _needed(one)
    if needed not in ([ARGUMENT], [SEVERAL], [ARGUMENT, REFERENCE], [ARGUMENT, REFERENCES]):
        taken = ", ".join(inspect.signature(one).parameters)
        return (
            f"expected one argument, {ARGUMENT}, or {SEVERAL} for all sessions of the run, or {ARGUMENT} and "
            f"{REFERENCE} or {REFERENCES}; found ({taken})"
        )
    return ""


def _needed(function: Callable[..., Any]) -> list[str]:
    """Return the arguments that a function must be given."""
    any_number = (inspect.Parameter.VAR_POSITIONAL, inspect.Parameter.VAR_KEYWORD)
    taken = inspect.signature(function).parameters.values()
    return [each.name for each in taken if each.default is each.empty and each.kind not in any_number]


def _load(path: Path, namespace: Namespace) -> ModuleType:
    name = f"breadcrumb_checks_{path.stem}_{abs(hash(path.resolve())):x}"
    try:
        return namespace.load(path, name)
    except SyntaxError as error:
        raise CheckFileError(f"{error.filename or path}:{error.lineno}", f"invalid Python: {error.msg}") from None
    except KeyboardInterrupt:
        raise
    except BaseException as error:  # a file may end the process, or skip itself
        problem = f"cannot be loaded: {type(error).__name__}: {words_of(error)}"
        raise CheckFileError(where_it_raised(error, path), problem) from None
