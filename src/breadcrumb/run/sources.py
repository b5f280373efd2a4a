"""Where check files are read from: the disk, or copies that travelled with a task to another machine."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

_PYTHON = ".py"
_PACKAGE = "__init__.py"


@dataclass(frozen=True)
class Sources:
    """Check files, and the modules and packages of their folders."""

    files: tuple[Path, ...] = ()
    """The check files."""
    copies: Mapping[Path, bytes] = field(default_factory=dict)
    """The contents of Python files, by their paths; without any, files are read from the disk."""

    @classmethod
    def at(cls, files: Iterable[Path]) -> "Sources":
        """Return check files on the disk, each once."""
        return cls(tuple(dict.fromkeys(files)))

    def copied(self) -> "Sources":
        """Return the same files with their contents, and those of the modules and packages in their folders.

        Other folders within them, such as virtual environments, are left out.

        Raises:
            OSError: a file cannot be read.
        """
        found = set(self.files)
        for folder in {file.parent for file in self.files}:
            found |= set(_python_of(folder))
        return Sources(self.files, {path: path.read_bytes() for path in sorted(found)})

    def is_file(self, path: Path) -> bool:
        """Tell whether there is a file."""
        return path.resolve() in self._resolved if self.copies else path.is_file()

    def read(self, path: Path) -> bytes:
        """Return the content of a file.

        Raises:
            OSError: it cannot be read.
        """
        copy = self._resolved.get(path.resolve())
        return path.read_bytes() if copy is None else copy

    def modules(self, folder: Path) -> set[str]:
        """Return the names of the modules and packages in a folder."""
        inside = [one for one in self._resolved if one.is_relative_to(folder)] if self.copies else folder.glob("*.py")
        names = {one.stem for one in inside if one.parent == folder}
        packages = [one.parent for one in inside] if self.copies else list(folder.iterdir())
        return names | {one.name for one in packages if one.parent == folder and self.is_file(one / _PACKAGE)}

    @cached_property
    def _resolved(self) -> dict[Path, bytes]:
        return {path.resolve(): content for path, content in self.copies.items()}


def _python_of(folder: Path) -> Iterator[Path]:
    """Yield the modules of a folder, and those of the packages in it."""
    yield from folder.glob(f"*{_PYTHON}")
    for package in folder.glob(f"*/{_PACKAGE}"):
        yield from _python_of(package.parent)
