"""The API reference: it builds without a warning, and has everything that is public."""

import re
import subprocess
import sys
import zlib
from functools import cached_property
from importlib import import_module
from inspect import getmembers_static
from pathlib import Path
from runpy import run_path

import breadcrumb

REFERENCE = Path(__file__).parents[1] / "docs" / "reference"
CHECKS = ("movement", "collisions", "triggers", "spawns", "values", "rays", "session")


def test_the_reference_builds_without_a_warning_and_leaves_nothing_public_out(tmp_path: Path) -> None:
    """Each name that `import breadcrumb` has, each check, and each public method of its types has an entry."""
    command = [
        sys.executable,
        "-m",
        "sphinx",
        "-q",
        "-W",
        "--keep-going",
        "-b",
        "html",
        str(REFERENCE),
        str(tmp_path / "out"),
    ]
    done = subprocess.run(command, check=False, capture_output=True, text=True, timeout=300)
    assert (done.returncode, done.stderr) == (0, "")
    packed = (tmp_path / "out" / "objects.inv").read_bytes().split(b"\n", 4)[4]
    found = {line.split(" ", 1)[0] for line in zlib.decompress(packed).decode().splitlines()}
    checks = {
        f"breadcrumb.checks.{name}.{one}"
        for name in CHECKS
        for one in import_module(f"breadcrumb.checks.{name}").__all__
    }
    named = {f"breadcrumb.{name}" for name in breadcrumb.__all__}
    wanted = checks | named | {f"breadcrumb.{owner}.{member}" for owner, member in _members()}
    assert wanted <= found, wanted - found
    vocabulary = (REFERENCE.parent / "vocabulary.md").read_text("utf-8")
    assert {
        name for name in checks if f"{name.rpartition('.')[2]}`" not in re.sub(r"\([^`]*\)", "", vocabulary)
    } == set()


def test_every_operation_has_an_example_that_runs() -> None:
    """Each public operation stands in an example of its own docstring, of another one, or of a page of the docs."""
    pages = [path.read_text("utf-8") for path in REFERENCE.parent.glob("*.md")]
    blocks = [text for page in pages for text in re.findall(r"^```python\n(.*?)^```", page, re.MULTILINE | re.DOTALL)]
    modules = [path.read_text("utf-8") for path in Path(breadcrumb.__file__).parent.rglob("*.py")]
    blocks += [line for text in modules for line in text.splitlines() if line.lstrip().startswith((">>>", "..."))]
    examples = "\n".join(blocks)
    without = {f"{owner}.{member}" for owner, member in _members() if not re.search(rf"\.{member}\b", examples)}
    assert without == set()


def _members() -> set[tuple[str, str]]:
    """Return the public types with their members that users call, each once: those of all signals as those of `Signal`."""
    types = {
        name: getattr(breadcrumb, name) for name in breadcrumb.__all__ if isinstance(getattr(breadcrumb, name), type)
    }
    internal = run_path(str(REFERENCE / "conf.py"))["INTERNAL"]
    return {
        (name, member)
        for name, made in types.items() if not issubclass(made, Exception)
        for member, what in getmembers_static(made)
        if not (member.startswith("_") or member in internal or hasattr(tuple, member))
        and (callable(what) or isinstance(what, property | cached_property | classmethod | staticmethod))
        and (made is breadcrumb.Signal or not (issubclass(made, breadcrumb.Signal) and hasattr(breadcrumb.Signal, member)))
    }  # fmt: skip


def test_every_public_function_says_what_it_takes_and_returns_and_has_an_example() -> None:
    """A sentence, its arguments, and an example that runs stand in the docstring of each function and each type."""
    for name in breadcrumb.__all__:
        made = getattr(breadcrumb, name)
        told = made.__doc__ or ""
        assert told.partition("\n")[0].endswith("."), name
        if not isinstance(made, type):
            assert "Example:" in told, name
