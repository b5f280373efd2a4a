"""The results of a run are plain data: they pickle, go to JSON and back, and have a published schema."""

import json
import pickle
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
import pytest

from breadcrumb.run.results import Result, RunEnd, schema
from breadcrumb.run.running import run_checks
from breadcrumb.run.tallies import RunResult

DOCS = Path(__file__).parents[2] / "docs"

OUTCOMES = """
from breadcrumb import judge
from breadcrumb.checks import movement


def check_held(trace):
    assert movement.stays_between(trace.all("skiff").speed, 0, 6, tol=float("inf"))


def check_broken(trace):
    assert judge(trace.all("skiff").speed < 5, "skiffs are slower")


def check_untested(trace):
    assert judge(trace.all("skiff").speed.at(trace.events("error")) < 1, "no error")


def check_silent(trace):
    pass


def check_error(trace):
    trace.nothing
"""


@pytest.fixture(scope="module")
def run(tmp_path_factory: pytest.TempPathFactory, bay: Callable[..., Path]) -> RunResult:
    """A run with every outcome."""
    file = tmp_path_factory.mktemp("run") / "check_outcomes.py"
    file.write_text(OUTCOMES)
    return run_checks([file], [bay(), bay("barrel-tired")])


def test_a_run_pickles(run: RunResult) -> None:
    """All of a run, evidence and all, is equal in another process."""
    assert pickle.loads(pickle.dumps(run)) == run


def test_every_result_goes_to_json_and_back(run: RunResult) -> None:
    """A result is one line of JSON, and equal when it is read again; what is no result is refused."""
    for result in run.results:
        line = result.to_json()
        assert b"\n" not in line
        assert Result.from_json(line) == result
        small = result.without_evidence()
        assert Result.from_json(small.to_json()) == small
        assert len(small.to_json()) <= len(line)
    assert {result.outcome for result in run.results} == {"held", "broken", "untested", "error"}
    with pytest.raises(ValueError, match="outcome"):
        Result.from_json(run.results[0].to_json().replace(b'"outcome":"held"', b'"outcome":"fine"'))


def _at(line: Any, root: dict[str, Any], part: dict[str, Any], path: str = "$") -> list[str]:
    """Return where a value is not what a JSON Schema says; only the words that ours has are known here."""
    if "$ref" in part:
        return _at(line, root, root["$defs"][part["$ref"].rpartition("/")[2]], path)
    if "anyOf" in part:
        tried = [_at(line, root, one, path) for one in part["anyOf"]]
        return [] if any(not wrong for wrong in tried) else min(tried, key=len)
    if "enum" in part:
        return [] if line in part["enum"] else [f"{path}: {line!r}"]
    kinds = {
        "object": dict, "array": list, "string": str, "integer": int, "boolean": bool, "null": type(None),
        "number": (int, float),
    }  # fmt: skip
    kind: Any = kinds.get(part.get("type", ""), object)
    if not isinstance(line, kind):
        return [f"{path}: expected {part['type']}, found {line!r}"]
    wrong: list[str] = []
    if isinstance(line, dict):
        named = part.get("properties", {})
        wrong += [f"{path}: {name} is missing" for name in part.get("required", ()) if name not in line]
        wrong += [f"{path}.{name} is unknown" for name in line if named and name not in named]
        for name, value in line.items():
            more = part.get("additionalProperties")
            wrong += _at(value, root, named.get(name, more if isinstance(more, dict) else {}), f"{path}.{name}")
    if isinstance(line, list) and "items" in part and isinstance(part["items"], dict):
        for index, value in enumerate(line):
            wrong += _at(value, root, part["items"], f"{path}[{index}]")
    return wrong


def test_the_published_schema_is_that_of_the_results(constraints: Callable[[Any], Any]) -> None:
    """docs/results.schema.json demands what the types say."""
    assert constraints(json.loads((DOCS / "results.schema.json").read_text())) == constraints(schema())


def test_every_line_of_a_run_fits_the_schema(run: RunResult) -> None:
    """The lines of all outcomes and the last one fit the published schema, and a changed one does not."""
    published = json.loads((DOCS / "results.schema.json").read_text())
    lines = [result.to_json() for result in run.results] + [msgspec.json.encode(run.tally.end())]
    for line in lines:
        assert _at(json.loads(line), published, published) == []
    wrong = json.loads(lines[0]) | {"outcome": "fine"}
    assert _at(wrong, published, published)
    lacking = {name: value for name, value in json.loads(lines[0]).items() if name != "session"}
    assert _at(lacking, published, published)


def test_the_end_of_a_run_counts_its_results(run: RunResult) -> None:
    """The last line says the exit code, how many results have each outcome, and what was never exercised."""
    end = run.tally.end()
    assert end.counts == {"held": 2, "broken": 2, "known": 0, "untested": 4, "error": 2}
    assert (end.exit_code, end.sessions) == (2, 2)
    assert set(end.never_exercised) == {"outcomes/check_untested", "outcomes/check_silent"}
    assert msgspec.json.decode(msgspec.json.encode(end), type=RunEnd) == end


def test_numbers_that_json_does_not_have_come_back(run: RunResult) -> None:
    """An infinite tolerance is a text among the parameters, and a margin without bound is null, not an error."""
    held = next(result for result in run.results if result.check.name == "check_held")
    assert held.findings[0].rule.parameters["tol"] == "inf"
    json.loads(held.to_json(), parse_constant=lambda name: pytest.fail(f"{name} is no JSON"))
