"""What the docs tell a reader to save and to type, done to the letter."""

import os
import re
import shlex
import shutil
import subprocess
from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import Any, NamedTuple

import msgspec
import pytest

from breadcrumb import Trace, open_trace
from breadcrumb.checks import collisions, rays, spawns
from breadcrumb.checks.declaration import DECLARED
from breadcrumb.errors import Broken
from breadcrumb.run.running import run_checks

ROOT = Path(__file__).parents[1]
Cli = Callable[..., "subprocess.CompletedProcess[str]"]


def _blocks(page: str, language: str) -> list[str]:
    """Return the fenced blocks of a page that are in a language."""
    return re.findall(
        rf"^```{language}\n(.*?)^```", (ROOT / "docs" / page).read_text("utf-8"), re.MULTILINE | re.DOTALL
    )


def test_the_page_on_frame_lines(tmp_path: Path, cli: Cli) -> None:
    """Its file becomes a trace and comes back the same by its commands, and its other lines fit its schema's types."""
    lines, columns = _blocks("frame-lines.md", "json")
    (tmp_path / "session.jsonl").write_text(lines, "utf-8")
    convert, to_pipe, back = _blocks("frame-lines.md", "console")[0].splitlines()
    for command in (convert, back):
        assert cli(*shlex.split(command)[1:]).returncode == 0
    with (tmp_path / "session.jsonl").open() as piped:
        assert cli(*shlex.split(to_pipe.partition(" < ")[0])[1:], stdin=piped).returncode == 0
    for name in ("session.crumbs", "piped.crumbs"):
        trace = open_trace(tmp_path / name)
        assert trace.one("skiff").position.values.tolist() == [[0, 0], [0.1, 0]]
        assert trace.events("bell.rung").data == ({"times": 3},)
        assert trace.one("skiff").leaves.frames.tolist() == [2]
    first, *rest = (msgspec.json.decode(line) for line in lines.splitlines())
    again = [msgspec.json.decode(line) for line in (tmp_path / "again.jsonl").read_text().splitlines()]
    assert again[0]["about"].items() >= first["about"].items()
    assert len(again) == len(rest) + 1
    appear = '{"frame": 2, "t": 0.04, "appear": [{"id": "b1", "kind": "barrel"}, {"id": "b2", "kind": "barrel"}]}\n'
    (tmp_path / "many.jsonl").write_text('{"breadcrumb": 2}\n' + appear + columns + '{"end": true}\n')
    assert cli("convert", "many.jsonl", "many.crumbs").returncode == 0
    assert open_trace(tmp_path / "many.crumbs").all("barrel").position.values[1::2].tolist() == [[0, 1], [2, 3]]


@pytest.mark.skipif(shutil.which("node") is None and "BREADCRUMB_CI" not in os.environ, reason="Node is not installed")
@pytest.mark.xdist_group("the usual port")  # a game alone must not find the listener of another process
@pytest.mark.parametrize("heard", [True, False], ids=["heard", "alone"])
def test_the_page_on_javascript(heard: bool, tmp_path: Path, listen: Callable[..., Any], cli: Cli) -> None:
    """Its game sends a session to a listener on the usual port; alone, it leaves a file that becomes the same trace."""
    shutil.copy(ROOT / "clients" / "javascript" / "breadcrumb-sender.js", tmp_path)
    (tmp_path / "game.js").write_text(_blocks("recording-javascript.md", "js")[0], "utf-8")
    listening = listen("--port", "26937") if heard else None
    done = subprocess.run(["node", "game.js"], cwd=tmp_path, capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout == ""
    if listening is None:
        assert cli("convert", "night.jsonl", "night.crumbs").returncode == 0
    trace = open_trace(tmp_path / "night.crumbs") if listening is None else listening.trace("Lantern-Bay-1.crumbs")
    assert trace.clock.size == 60
    assert trace.one("skiff").lit.rises().frames.tolist() == [30]
    assert trace.events("bell.rung", by="heron").frames.tolist() == [30]


def test_the_walkthrough(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """Its first check is too strict for the correct build, as it says; with its tolerance it holds there and finds a fault."""
    strict, tolerance, sentences = _blocks("walkthrough.md", "python")
    said = _blocks("walkthrough.md", "text")[0]
    file = tmp_path / "check_arrival.py"
    file.write_text(strict)
    (found,) = run_checks([file], [bay()]).results
    (verdict,) = found.findings
    assert verdict.first is not None
    assert f"frame {verdict.first.frame} (1.850 s)  heron: {verdict.first.words}" in said
    assert f"{verdict.breach_count} of {verdict.tested} moments broken" in said
    file.write_text(re.sub(r"^ALLOWED = .*\n", tolerance, strict, flags=re.MULTILINE))
    outcomes = [run_checks([file], [path]).results[0].outcome for path in (bay(), bay("whirlpool-wrong-exit"))]
    assert outcomes == ["held", "broken"]
    file = tmp_path / "check_sentences.py"
    file.write_text(sentences)
    assert {found.outcome for found in run_checks([file], [bay()]).results} == {"held"}
    for fault, check in (("lantern-early", "hook"), ("flare-long", "burn"), ("lamp-stops-at-sensor", "light")):
        results = run_checks([file], [bay(fault)]).results
        assert {found.outcome for found in results if check in found.check.name} == {"broken"}


def test_the_page_on_looking(tmp_path: Path, cli: Cli, bay: Callable[..., Path], examples: Path) -> None:
    """Its commands make the replay and the report that it names, in the folder of the demo."""
    home = tmp_path / "lantern-bay"
    shutil.copytree(examples / "lantern_bay", home / "checks", ignore=shutil.ignore_patterns("negative"))
    for name, path in (("correct", bay()), ("faulty", bay("whirlpool-to-and-fro"))):
        shutil.copytree(path, home / f"{name}.crumbs")
    said = [cli(*shlex.split(line)[1:]) for block in _blocks("looking.md", "console") for line in block.splitlines()]
    assert [(done.returncode, done.stderr) for done in said] == [(0, ""), (1, "")]
    assert (home / "faulty.replay.html").is_file()
    assert (tmp_path / "night" / "index.html").is_file()


def test_figures_of_checks_show_one_that_holds_and_one_that_is_broken(
    correct: Trace, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Each case that the figures of the docs draw on a correct session holds in the right way and breaks in the wrong one."""
    monkeypatch.syspath_prepend(str(ROOT / "docs"))
    cases = import_module("figure_cases").cases(correct)
    found = {name: [case(right).outcome.value for right in (True, False)] for name, case in cases.items()}
    assert {name: outcomes for name, outcomes in found.items() if outcomes != ["held", "broken"]} == {}


NEEDS = {
    "R": 16,
    "I": 8,
    "M": 13,
    "O": 7,
    "E": 10,
    "C": 9,
    "T": 9,
    "Z": 9,
    "S": 10,
    "P": 12,
    "X": 8,
    "L": 9,
    "N": 7,
    "G": 7,
    "D": 7,
    "F": 4,
    "U": 6,
    "Q": 8,
}
"""How many rows the page of needs has, by the letter of their names."""
PLANNED = {"U6"}


class Need(NamedTuple):
    """A row of the page of needs."""

    name: str
    want: str
    write: str
    page: str = ""
    test: str = ""


def _needs() -> list[Need]:
    text = (ROOT / "docs" / "needs.md").read_text("utf-8")
    rows = (re.split(r"(?<!\\)\|", line)[1:-1] for line in text.splitlines() if re.match(r"\| [A-Z]\d+ \|", line))
    return [Need(*(cell.strip().replace("\\|", "|") for cell in row)) for row in rows]


def test_each_need_has_a_row_with_a_page_and_a_test_that_exist() -> None:
    """All are there, none is said to be met in part, and those that are planned are known to be; links and names lead somewhere."""
    needs = _needs()
    assert [one.name for one in needs] == [f"{letter}{n}" for letter, most in NEEDS.items() for n in range(1, most + 1)]
    assert {one.name for one in needs if one.write == "planned"} == PLANNED
    tests = {
        name
        for file in (ROOT / "tests").rglob("test_*.py")
        for name in re.findall(r"^def (test_\w+)", file.read_text("utf-8"), re.MULTILINE)
    }
    for one in needs:
        if one.name in PLANNED:
            continue
        assert one.test.strip("`") in tests, one
        assert re.fullmatch(r"\[.+\]\(.+\)", one.page), one


def test_each_link_of_the_docs_leads_somewhere() -> None:
    """Each relative link of each page is a file, and what stands behind # is a heading of it."""
    pages = [*ROOT.glob("*.md"), *ROOT.glob("docs/*.md"), *ROOT.glob("examples/*.md"), *ROOT.glob("clients/**/*.md")]
    wrong = []
    for page in pages:
        for link in re.findall(r"\]\((?!https?:)([^)\s]+)\)", page.read_text("utf-8")):
            path, _, heading = link.partition("#")
            file = page.parent / path if path else page
            words = re.findall(r"^#+ (.+)", file.read_text("utf-8"), re.MULTILINE) if heading and file.exists() else []
            slugs = {re.sub(r"[^\w -]", "", one.lower()).replace(" ", "-") for one in words}
            if not file.exists() or (heading and heading not in slugs):
                wrong.append(f"{page.relative_to(ROOT)}: {link}")
    assert len(pages) > 15
    assert wrong == []


def test_the_first_screen_of_the_readme(bay: Callable[..., Path], tmp_path: Path, cli: Cli) -> None:
    """The check that goes in breaks as it says, on a build with the fault, line by line."""
    readme = (ROOT / "README.md").read_text("utf-8")
    assert len(readme.splitlines()) <= 150
    check, said = (re.search(rf"^```{one}\n(.*?)^```", readme, re.MULTILINE | re.DOTALL) for one in ("python", "text"))
    assert check is not None
    assert said is not None
    (tmp_path / "check_bay.py").write_text(check[1], "utf-8")
    done = cli("check", "check_bay.py", bay("flare-stays"), "--no-figures")
    lines = [line.strip() for line in done.stdout.splitlines()]
    first, *others = (line.strip() for line in said[1].splitlines())
    assert (done.returncode, first.removeprefix("BROKEN").strip() in lines) == (1, True), done.stdout
    assert [line for line in others if line not in lines] == []


def test_what_the_page_of_needs_says_to_write_runs(
    tmp_path: Path, cli: Cli, bay: Callable[..., Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Every command ends well, every expression of Python has a value, and every rule holds in the correct session."""
    monkeypatch.chdir(tmp_path)
    (tmp_path / "lantern-bay").mkdir()
    (tmp_path / "lantern-bay" / "correct.crumbs").symlink_to(bay())
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import judge\ndef check_it(trace):\n    assert judge(trace.all('skiff').speed <= 6, 'slow')\n"
    )
    names: dict[str, Any] = {}
    exec(_blocks("needs.md", "python")[0], names)
    for one in _needs():
        code = one.write.strip("`")
        if code.startswith("breadcrumb "):
            done = cli(*shlex.split(code)[1:])
            assert done.returncode == 0, (one, done.stderr)
        elif code != "planned":
            found = eval(code, names)
            assert getattr(found, "outcome", "held") == "held", (one, found)
    names["rec"].close()


def test_keys_of_the_page_are_those_that_checks_read() -> None:
    """The page of keys has each default of an argument that names a key."""
    table = re.findall(
        r"^\| .+? \| (.+?) \| .+ \| `(.+?)` \|$", (ROOT / "docs" / "keys.md").read_text("utf-8"), re.MULTILINE
    )
    told = {read.rstrip(")=").replace("(", " "): keys.strip("`") for keys, read in table if read.endswith("_key=)")}
    assert all(module.__name__ for module in (collisions, rays, spawns))  # which are declared when they are loaded
    defaults = {
        f"{name} {one.name}": one.default
        for name, declared in DECLARED.items() for one in declared.signature.parameters.values() if one.name.endswith("_key")
    }  # fmt: skip
    assert told == defaults


def test_each_recipe_holds_in_the_correct_build_and_breaks_in_the_faulty_one() -> None:
    """Forty sentences, each with its lines: they pass, having tested something, in one session, and raise in the other."""
    first, *recipes, session = _blocks("recipes.md", "python")
    sentences = re.findall(r"^\*\*(.+?)\*\*", (ROOT / "docs" / "recipes.md").read_text("utf-8"), re.MULTILINE)
    assert len(recipes) == len(sentences) == 40
    names: dict[str, Any] = {}
    exec(session, names)
    exec(first, names)
    for good in (True, False):
        trace = names["play"](good)
        for sentence, lines in zip(sentences, recipes, strict=True):
            things = {
                "trace": trace,
                "skiff": trace.one("skiff"),
                "lamp": trace.one("lamp"),
                "flares": trace.all("flare"),
            }
            try:
                exec(lines, names | things)
                broke = ""
            except Broken as error:
                broke = str(error)
            assert bool(broke) is not good, (sentence, broke)
