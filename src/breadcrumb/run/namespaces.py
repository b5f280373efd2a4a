"""The name space of a folder of check files: its helpers are its own, and plain asserts in its files are counted."""

import ast
import importlib.util
import linecache
import sys
import sysconfig
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from importlib.machinery import ModuleSpec, SourceFileLoader
from importlib.util import decode_source
from pathlib import Path
from types import CodeType, ModuleType
from typing import Any

from breadcrumb.run.sources import Sources
from breadcrumb.trace.reading import count_assert

_COUNTER = "__breadcrumb_assert_held__"
_INSTALLED = {Path(one).resolve() for name, one in sysconfig.get_paths().items() if name.endswith("lib")} | {
    Path(one).resolve() for name, one in sysconfig.get_paths().items() if name.startswith("stdlib")
}


class Loader(SourceFileLoader):
    """Loads a file of a name space: whenever one of its asserts has passed, that is counted."""

    def __init__(self, fullname: str, path: str, sources: Sources) -> None:
        super().__init__(fullname, path)
        self._sources = sources

    def get_data(self, path: str) -> bytes:
        """Return the content of the file."""
        return self._sources.read(Path(path))

    def get_code(self, fullname: str) -> CodeType:
        """Return the code, compiled from the source: what Python caches has no counters."""
        path = self.get_filename(fullname)
        content = self.get_data(path)
        tree = ast.parse(content, path)
        lines = decode_source(content).splitlines(keepends=True)
        linecache.cache[path] = (len(content), None, lines, path)  # messages and digests tell of what was loaded
        return compile(ast.fix_missing_locations(_Counting(path).visit(tree)), path, "exec", dont_inherit=True)

    def exec_module(self, module: ModuleType) -> None:
        """Run the file."""
        vars(module)[_COUNTER] = count_assert
        super().exec_module(module)


class _Counting(ast.NodeTransformer):
    def __init__(self, path: str) -> None:
        self._path = path

    def visit_Assert(self, node: ast.Assert) -> list[ast.stmt]:
        if isinstance(node.test, ast.Tuple) and node.test.elts:
            where = (self._path, node.lineno, node.col_offset + 1, None)
            raise SyntaxError("this assert is always true, since it asserts a tuple; remove the parentheses", where)
        if isinstance(node.test, ast.Constant):
            return [node]  # it asserts nothing of the trace
        counter = ast.Expr(ast.Call(ast.Name(_COUNTER, ast.Load()), [], []))
        return [node, ast.copy_location(counter, node)]


class Namespace:
    """The modules that the check files of one folder share; another folder's modules of the same names are others."""

    def __init__(self, folder: Path, sources: Sources) -> None:
        self._folder, self._sources = folder.resolve(), sources
        self._names = sources.modules(self._folder)
        self._modules: dict[str, ModuleType] = {}

    def load(self, path: Path, name: str) -> ModuleType:
        """Load a check file.

        Raises:
            Exception: whatever the file raises.
        """
        loader = Loader(name, str(path), self._sources)
        spec = importlib.util.spec_from_file_location(name, path, loader=loader)
        assert spec is not None
        module = importlib.util.module_from_spec(spec)
        importlib.invalidate_caches()
        with self.active():
            sys.modules[name] = module  # dataclasses and pickles look a class up in its module
            loader.exec_module(module)
        return module

    @contextmanager
    def active(self) -> Iterator[None]:
        """Let imports find what lies in the folder, and nothing of other folders under these names."""
        others = {name: one for name, one in self._there() if not self._is_installed(one)}
        for name in others:
            del sys.modules[name]
        sys.modules.update(self._modules)
        sys.path.insert(0, str(self._folder))
        sys.meta_path.insert(0, self)
        try:
            yield
        finally:
            sys.meta_path.remove(self)
            with suppress(ValueError):  # a check may have taken it out
                sys.path.remove(str(self._folder))
            for name, module in self._there():
                if self._is_here(module):
                    self._modules[name] = sys.modules.pop(name)
            sys.modules.update(others)

    def find_spec(self, name: str, path: Sequence[str] | None, target: Any = None) -> ModuleSpec | None:
        """Find a module of the folder, for Python's imports."""
        folders = [self._folder] if path is None else [Path(one) for one in path]
        for folder in folders:
            if not folder.is_relative_to(self._folder):
                continue
            last = name.rpartition(".")[2]
            package = folder / last / "__init__.py"
            if self._sources.is_file(package):
                return importlib.util.spec_from_file_location(
                    name,
                    package,
                    loader=Loader(name, str(package), self._sources),
                    submodule_search_locations=[str(package.parent)],
                )
            module = folder / f"{last}.py"
            if self._sources.is_file(module):
                loader = Loader(name, str(module), self._sources)
                return importlib.util.spec_from_file_location(name, module, loader=loader)
        return None

    def holds(self, file: str) -> bool:
        """Tell whether a file lies in the folder."""
        return Path(file).resolve().is_relative_to(self._folder)

    def _there(self) -> list[tuple[str, ModuleType]]:
        """Return the loaded modules that are called like one of the folder, and what lies in these."""
        tops = [name for name in self._names if name in sys.modules]
        if not any(hasattr(sys.modules[name], "__path__") for name in tops):
            return [(name, sys.modules[name]) for name in tops]
        return [(name, one) for name, one in list(sys.modules.items()) if name.partition(".")[0] in tops]

    def _is_here(self, module: Any) -> bool:
        file = getattr(module, "__file__", None)
        return isinstance(file, str) and self.holds(file)

    def _is_installed(self, module: Any) -> bool:
        """Tell whether a module is Python's or an installed one; such a one is never hidden."""
        file = getattr(module, "__file__", None)
        return not isinstance(file, str) or any(Path(file).resolve().is_relative_to(one) for one in _INSTALLED)
