"""What the library says is plain technical English: wordings of its first drafts are found nowhere."""

import ast
import re
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from breadcrumb.cli.main import main
from breadcrumb.verdicts.words import breach_words
from vocabulary import ROWS

ROOT = Path(__file__).parents[1]
ABOUT_DATA = ("src/breadcrumb/testing/names.py", "src/breadcrumb/testing/conformance.py")
"""Tables of odd names and values."""

GONE: dict[str, str] = {
    r"\bframe in hand|\bone in hand": "the current frame",
    r"tells? the same to|\bthe same as JSON": "prints JSON",
    r"asks? (nothing|for nothing) of any": "works offline",
    r"\bthe whole job\b": "Tutorial",
    r"^#+ work on it": "Contributing",
    r"\bthe (house|door)\b|\b(first|ground|upper) floor\b|\b(a|the|every|each|any|no|only) rooms?\b": "architecture, packages, layers, public API",
    r"given? (this|the) object out|\bout again\b|\banother life\b": "a pooled object was reused; this starts a new lifetime",
    r"\blives\b|\blife\b|\blife-?time is over\b": "lifetime, lifetimes",
    r"first value decides": "the first value fixes the type",
    r"nobody in particular": "without a subject",
    r"rests? in between|come in storms|\bnever floods|touch only its own": "is the cooldown respected?",
    r"^where to\.?$|^where; |draws what is drawn": "output directory; random seed",
    r"first line must tell": "shared secret that senders must present",
    r"\bno one truth\b": "has no truth value",
    r"\bthere too long\b|\btoo deep\b|\bdeeper than\b": "lived 13 frames; allowed 12",
    r"\+- |\b(?<![\d.])1 (causes|samples|moments|frames|lifetimes|pairs|steps|events)\b(?! x)": "1 cause tested; ±",
    r"\bidle check|\bdead checks?\b|\bis idle\b|\bput (it |them )?to the test\b": "untested; never exercised",
    r"\bno valid \w+|\bis none of the\b|\bthat is none\b": "invalid; is not one of",
    r"\bat the (least|most)\b, |\bin the middle, ": "minimum, median, maximum",
    r"\b(tap|game|listener|session) hung up|\bhear(s|d)? (web|pages|other)": "closed the connection; accepts",
    r"\bturn(s|ed)? (a check|a rule|it|red|exactly)\b.*\bred\b|\bturned red\b": "breaks a check",
    r"\bdeparts?\b|\bdeparture of the\b|\bpart ways\b": "differ, first difference",
    r"\bsay (overwrite|--|\.with|at which)": "use, pass",
    r"\b(the|its|their|at|a) begin\b": "the start",
    r"\bdrought\b|\bwrap and all\b|\bmeans just that\b|\bthe other way round than\b": "plain terms",
    r" or same_across$": "a rename that went too far",
}
"""What was said once, as a pattern, and what is said instead."""


def _strings(path: Path) -> Iterator[tuple[int, str]]:
    """Yield the texts and docstrings of a Python file; what a text is formatted with is left out."""
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            yield node.lineno, node.value


def _files(*patterns: str) -> list[Path]:
    found = sorted(file for pattern in patterns for file in ROOT.glob(pattern))
    return [file for file in found if file.relative_to(ROOT).as_posix() not in ABOUT_DATA]


def _lines_of(*patterns: str) -> Iterator[tuple[str, str]]:
    for file in _files(*patterns):
        for line, text in enumerate(file.read_text(encoding="utf-8").splitlines(), 1):
            yield f"{file.relative_to(ROOT)}:{line}", text


def _texts() -> Iterator[tuple[str, str]]:
    for file in _files("src/**/*.py", "clients/**/*.py"):
        yield from ((f"{file.relative_to(ROOT)}:{line}", text) for line, text in _strings(file))


def _comments() -> Iterator[tuple[str, str]]:
    mark = re.compile(r"(?:^|\s)(?:#|//) ")
    for where, text in _lines_of("src/**/*.py", "clients/**/*.py", "clients/**/*.js"):
        if mark.search(text):
            yield where, mark.split(text, maxsplit=1)[-1]


def _help() -> Iterator[tuple[str, str]]:
    context = main.make_context("breadcrumb", [], resilient_parsing=True)
    for name in main.list_commands(context):
        command = main.get_command(context, name)
        assert command is not None
        help = command.get_help(command.make_context(f"breadcrumb {name}", [], resilient_parsing=True))
        yield from ((f"breadcrumb {name} --help", line) for line in help.splitlines())


SAID: dict[str, Callable[[], Iterator[tuple[str, str]]]] = {
    "messages and docstrings": _texts,
    "comments": _comments,
    "pages": lambda: _lines_of("src/**/*.html", "src/**/*.js"),
    "help": _help,
    "documents": lambda: _lines_of("README.md", "CHANGELOG.md", "docs/*.md"),
}
"""Where something is said, and what."""


@pytest.mark.parametrize("what", SAID)
def test_wordings_of_first_drafts_are_found_nowhere(what: str) -> None:
    """Messages, docstrings, comments, pages, help and documents use the standard term."""
    found, lines = [], 0
    for where, text in SAID[what]():
        lines += 1
        for pattern, instead in GONE.items():
            if re.search(pattern, text, re.IGNORECASE | re.MULTILINE):
                found.append(f"{where}: {text.strip()[:100]!r}; say: {instead}")
    assert lines > 60
    assert found == []


OLD: dict[str, str] = {
    "the frame in hand is lost": "the current frame",
    "--json tells the same to programs.": "prints JSON",
    "It asks nothing of any network.": "works offline",
    "## Work on it": "Contributing",
    "Every import goes down the house": "architecture, packages, layers, public API",
    "a pool has given this object out again": "a pooled object was reused; this starts a new lifetime",
    "whether tap is no one truth": "has no truth value",
    "Where to.": "output directory; random seed",
    "a flare is there too long": "lived 13 frames; allowed 12",
    "1 causes tested": "1 cause tested; ±",
    "5 m/s (+- 0.5 m/s)": "1 cause tested; ±",
}


@pytest.mark.parametrize("text", OLD)
def test_each_pattern_finds_what_it_is_for(text: str) -> None:
    """The patterns find the first drafts' own wordings."""
    assert OLD[text] in [
        instead for pattern, instead in GONE.items() if re.search(pattern, text, re.IGNORECASE | re.MULTILINE)
    ]


OUTCOMES = ("held", "broken", "untested", "undecided")


@pytest.mark.parametrize("name", ROWS)
def test_no_sentence_of_a_check_is_in_the_old_wording(name: str) -> None:
    """Every check is explained in every outcome without a wording of the first drafts, and ends no line in a blank."""
    row = ROWS[name]
    sessions = [(outcome, getattr(row, outcome)) for outcome in OUTCOMES]
    for outcome, trace in sessions:
        if trace is None:
            continue
        explained = row.check(trace).explain()
        for pattern, instead in GONE.items():
            assert not re.search(pattern, explained, re.IGNORECASE | re.MULTILINE), (
                f"{outcome}: {explained}\nsay: {instead}"
            )
        assert "  " not in explained.splitlines()[0].removeprefix("HELD  ").partition("  ")[2], explained


NEEDS: dict[str, Callable[[str], bool]] = {
    "frame and time": lambda words: bool(re.match(r"frame \d+ \(\d+(\.\d+)? s\)", words)),
    "what was measured": lambda words: "; measured " in words,
    "what was allowed": lambda words: ", allowed " in words,
}


@pytest.mark.parametrize("name", ROWS)
def test_every_breach_says_who_when_what_and_how_much(name: str) -> None:
    """The line of the first breach has object, frame, time, the difference in words, measured and allowed."""
    first = ROWS[name].check(ROWS[name].broken).first
    assert first is not None
    said = breach_words(first)
    for what, is_there in NEEDS.items():
        assert is_there(said), f"{what}: {said}"
    assert not first.object or re.search(rf"{first.object}( \(lifetime \d+\))?: ", said)
    assert first.words
    assert "np." not in said
    assert not re.search(r"\d\.\d{7,}|\d{16,}", said), said
