"""Each way in which a check file can end, or hide a verdict, has one outcome, in the command and in pytest alike."""

import os
import re
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from breadcrumb.errors import CheckFileError
from breadcrumb.run.loading import load_all
from breadcrumb.run.running import run_checks
from breadcrumb.run.sources import Sources

HEAD = """
import functools, sys, unittest
import numpy as np
import pytest
from breadcrumb import all_of, any_of, judge
from breadcrumb.checks import movement

def held(trace): return judge(trace.all("skiff").speed <= 6.0, "slow")
def broken(trace): return judge(trace.all("skiff").speed < 6.0, "slower")
def untested(trace): return judge(trace.all("skiff").speed.at(trace.events("error")) < 1, "none")
class Wild(Exception):
    def __str__(self): raise RuntimeError
"""

ENDINGS = {
    # the body of a check; its outcome; words that are said of it
    "made, never asserted": ("broken(trace)", "broken", "slower"),
    "held, never asserted": ("held(trace)", "held", ""),
    "untested, never asserted": ("untested(trace)", "untested", "none"),
    "another one asserted": ("assert held(trace); broken(trace)", "broken", "slower"),
    "in a list": ("assert [broken(trace)]", "broken", "slower"),
    "returned": ("return broken(trace)", "broken", "slower"),
    "its outcome asserted": ("assert broken(trace).outcome", "error", "assert the verdict itself"),
    "its outcome printed": ("print(broken(trace).outcome, broken(trace).explain())", "broken", "slower"),
    "its outcome compared": ("if broken(trace).outcome == 'broken': assert held(trace)", "held", ""),
    "its outcome matched": ("match broken(trace).outcome:\n        case 'broken': assert held(trace)", "held", ""),
    "its outcome looked up": ("assert broken(trace).outcome in ('broken', 'held'); assert held(trace)", "held", ""),
    "joined": ("assert any_of(broken(trace), held(trace))", "held", ""),
    "joined, never asserted": ("all_of(broken(trace), held(trace))", "broken", "slower"),
    "renamed": ("assert held(trace).with_sentence('mine'); broken(trace).with_sentence('my own')", "broken", "my own"),
    "asserted and caught": ("try:\n        assert broken(trace)\n    except AssertionError: pass", "broken", "slower"),
    "broken before another": ("assert broken(trace); later = held(trace)", "broken", "slower"),
    "made, then another broke": ("one = untested(trace); assert broken(trace); assert one", "broken", "slower"),
    "sys.exit": ("sys.exit(0)", "error", "SystemExit"),
    "quit behind a held one": ("assert held(trace); raise SystemExit", "error", "SystemExit"),
    "an exception without a text": ("raise Wild", "error", "Wild"),
    "a base exception": ("raise GeneratorExit", "error", "GeneratorExit"),
    "skipped": ("pytest.skip('no harbour')", "untested", "skipped: no harbour"),
    "skipped behind a broken one": (
        "broken(trace) and None; assert held(trace); pytest.skip('late')",
        "broken",
        "slower",
    ),
    "skipped as unittest does": ("raise unittest.SkipTest('later')", "untested", "skipped: later"),
    "failed": ("pytest.fail('by hand')", "broken", "by hand"),
    "a plain assert": ("assert len(trace.all('skiff').ids) == 3, 'three boats'", "broken", "three boats"),
    "a plain assert that holds": ("assert len(trace.all('skiff').ids) == 2", "held", ""),
    "a plain assert of nothing": (
        "assert trace.events('error').count == 0",
        "untested",
        "all that it read of the trace is empty",
    ),
    "a plain assert not reached": (
        "for one in trace.events('error').frames: assert one > 3",
        "untested",
        "asserted nothing",
    ),
    "a plain assert that is caught": (
        "try:\n        assert len(trace.all('skiff').ids) == 3\n    except AssertionError: pass",
        "untested",
        "asserted nothing",
    ),
    "an assert of a library": ("np.testing.assert_allclose(trace.all('skiff').x.values, 0)", "error", "x"),
    "an assert of a helper": ("from helper import two; two(trace)", "broken", "ids"),
    "an assert of a helper that holds": ("from helper import two; two(trace, 2)", "held", ""),
    "a bare condition": ("assert trace.all('skiff').speed < 6.0", "error", "truth value"),
    "a constant": ("trace.all('skiff'); assert True", "untested", "asserted nothing"),
    "nothing": ("pass", "untested", "asserted nothing"),
}
HELPER = "def two(trace, n=3):\n    assert len(trace.all('skiff').ids) == n\n"
WHOLE = {
    # definitions; the outcome of each check in them
    "a partial": ("def check(trace, limit): assert judge(trace.all('skiff').speed < limit, 'x')\ncheck_it = functools.partial(check, limit=6.0)\ndel check", "broken"),
    "a cached one": ("@functools.cache\ndef check_it(trace): assert broken(trace)", "broken"),
    "a callable object": ("class It:\n    def __call__(self, trace): assert broken(trace)\ncheck_it = It()", "broken"),
    "a decorator without wraps": ("def twice(f):\n    def inner(trace): f(trace); f(trace)\n    return inner\n@twice\ndef check_it(trace): assert broken(trace)", "broken"),
    "imported": ("from helper import check_it", "broken"),
    "a skip mark": ("@pytest.mark.skip(reason='not yet')\ndef check_it(trace): assert broken(trace)", "untested"),
    "a skipif mark": ("@pytest.mark.skipif(True, reason='not here')\ndef check_it(trace): assert broken(trace)", "untested"),
    "a skipif mark that does not apply": ("@pytest.mark.skipif(False, reason='x')\ndef check_it(trace): assert broken(trace)", "broken"),
    "a limit of its own": ("def check_it(trace, limit=6.0): assert judge(trace.all('skiff').speed < limit, 'x')", "broken"),
    "a generator that is returned": ("def check_it(trace): return (broken(trace) for _ in range(3))", "error"),
}  # fmt: skip
REFUSED = {
    "a class": ("class check_it:\n    pass", "expected a function of the trace, found a class"),
    "a number": ("def check_it(trace): pass\ncheck_limit = 3", "found a int"),
    "a generator": ("def check_it(trace):\n    yield", "a generator or a coroutine"),
    "a coroutine": ("async def check_it(trace): pass", "a generator or a coroutine"),
    "another mark": (
        "@pytest.mark.xfail\ndef check_it(trace): pass",
        "expected no mark but skip and skipif, found xfail",
    ),
    "a mark for all": (
        "pytestmark = pytest.mark.skip\ndef check_it(trace): pass",
        "found pytestmark for the whole file",
    ),
    "another argument": ("def check_it(session): pass", "expected one argument, trace"),
    "a tuple": ("def check_it(trace):\n    assert (held(trace), 'slow')", "remove the parentheses"),
    "no check": ("def helper(trace): pass", "there is no check in it"),
    "quit in the file": ("def check_it(trace): pass\nquit()", "cannot be loaded: SystemExit"),
    "skipped as a whole": (
        "def check_it(trace): pass\npytest.skip('all', allow_module_level=True)",
        "cannot be loaded: Skipped",
    ),
}
WORDS = {"held": "PASSED", "broken": "FAILED", "untested": "UNTESTED", "error": "FAILED"}


def _pytest(folder: Path, *words: str | Path) -> str:
    command = [
        sys.executable,
        "-m",
        "pytest",
        "-p",
        "no:cacheprovider",
        "-rA",
        "--rootdir",
        str(folder),
        *map(str, words),
    ]
    environment = {key: value for key, value in os.environ.items() if not key.startswith("PYTEST")}
    done = subprocess.run(
        command, cwd=folder, env=environment, capture_output=True, text=True, check=False, timeout=200
    )
    return done.stdout


@pytest.fixture(scope="module")
def ends(
    tmp_path_factory: pytest.TempPathFactory, bay: Callable[..., Path]
) -> tuple[dict[str, tuple[str, str]], dict[str, str]]:
    """The outcome of every row and what is said of it, in the command; and the word that pytest has for each."""
    folder = tmp_path_factory.mktemp("ends")
    (folder / "helper.py").write_text(HEAD + HELPER + "def check_it(trace): assert broken(trace)\n")
    rows = [f"def check_it(trace):\n    {body}\n" for body, _, _ in ENDINGS.values()]
    rows += [f"{source}\n" for source, _ in WHOLE.values()]
    files = []
    for number, row in enumerate(rows):
        files.append(folder / f"check_{number:02}.py")
        files[-1].write_text(HEAD + row)
    run = run_checks(files, [bay()])
    names = [*ENDINGS, *WHOLE]
    said: dict[str, tuple[str, str]] = {}
    for name, result in zip(names, run.results, strict=True):
        explained = [one.explain() for one in result.findings if one.outcome == "broken"]
        said[name] = (result.outcome, "\n".join([result.error, result.why_untested, *explained]))
    found = re.findall(
        r"^(PASSED|FAILED|UNTESTED) check_(\d+)\.py::check_it\[", _pytest(folder, "--crumbs", bay()), re.MULTILINE
    )
    return said, {names[int(number)]: word for word, number in found}


@pytest.mark.parametrize("name", [*ENDINGS, *WHOLE])
def test_every_ending_has_one_outcome_everywhere(
    name: str, ends: tuple[dict[str, tuple[str, str]], dict[str, str]]
) -> None:
    """What a check makes counts, asserted or not; what ends it is said; pytest gives the same outcome as the command."""
    said, words = ends
    expected, told = (ENDINGS[name][1], ENDINGS[name][2]) if name in ENDINGS else (WHOLE[name][1], "")
    outcome, text = said[name]
    assert outcome == expected, text
    assert told in text
    assert words[name] == WORDS[outcome]


@pytest.mark.parametrize("name", REFUSED)
def test_what_is_called_like_a_check_and_cannot_run_is_an_error(
    name: str, tmp_path: Path, bay: Callable[..., Path]
) -> None:
    """A name that starts with check_ and stands for no check is refused, by the command and by pytest."""
    source, told = REFUSED[name]
    (tmp_path / "check_it.py").write_text(f"{HEAD}\n{source}\n")
    with pytest.raises(CheckFileError, match=re.escape(told)):
        load_all(Sources.at([tmp_path / "check_it.py"]))
    if name in ("a class", "quit in the file"):  # starting pytest for each would take a while
        assert told in _pytest(tmp_path, "check_it.py", "--crumbs", bay())


def test_a_failed_plain_assert_says_line_and_values(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """It has no frame and no margin; it says where it stands, and what the parts of its condition are."""
    file = tmp_path / "check_it.py"
    file.write_text(
        "def check_it(trace):\n    boats, expected = trace.all('skiff').ids, 3\n    assert len(boats) == expected, 'three boats'\n"
    )
    ((verdict,),) = (result.findings for result in run_checks([file], [bay()]).results)
    assert (verdict.first, verdict.margin, verdict.rule.id) == (None, None, "it/it/assert")
    explained = verdict.explain()
    for words in (
        "BROKEN  three boats",
        f"{file}:3",
        "assert len(boats) == expected",
        "len(boats) = 2",
        "expected = 3",
    ):
        assert words in explained


def test_two_folders_have_helpers_of_their_own(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """The checks of each folder run with the helper beside them, also if they import it while they run."""
    for folder, limit in (("a", 99.0), ("b", 1.0)):
        (tmp_path / folder).mkdir()
        (tmp_path / folder / "helpers.py").write_text(f"LIMIT = {limit}\n")
        (tmp_path / folder / f"check_{folder}.py").write_text(
            "from breadcrumb import judge\nimport helpers\n\n"
            "def check_early(trace):\n    assert judge(trace.all('skiff').speed < helpers.LIMIT, 'early')\n\n"
            "def check_late(trace):\n    from helpers import LIMIT\n    assert judge(trace.all('skiff').speed < LIMIT, 'late')\n"
        )
    run = run_checks([tmp_path / "a/check_a.py", tmp_path / "b/check_b.py"], [bay()])
    assert [result.outcome for result in run.results] == ["held", "held", "broken", "broken"]
    assert "helpers" not in sys.modules
