from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from breadcrumb import open_trace
from breadcrumb.run.running import run_checks

HEAD = "from breadcrumb import frames, judge\nfrom breadcrumb.checks import triggers\n"

CHECKS = {
    "held": ("    assert judge(trace.all('skiff').speed <= 6.0, 'skiffs are slow')", "held", 0),
    "broken": ("    assert judge(trace.all('skiff').speed < 6.0, 'skiffs are slower')", "broken", 1),
    "broken and then more": (
        "    assert judge(trace.all('skiff').speed < 6.0, 'slower')\n    raise SystemError",
        "broken",
        1,
    ),
    "untested": ("    assert judge(trace.all('skiff').speed.at(trace.events('error')) < 1, 'no error')", "untested", 3),
    "untested and then held": (
        "    assert judge(trace.all('skiff').speed.at(trace.events('error')) < 1, 'a')\n"
        "    assert judge(trace.all('skiff').speed <= 6.0, 'b')",
        "untested",
        3,
    ),
    "asserts nothing": ("    trace.all('skiff').speed", "untested", 3),
    "raises": ("    trace.all('skiff').speed.values[10**9]", "error", 2),
    "misspells a property": ("    assert judge(trace.all('skiff').sped < 6.0, 'x')", "error", 2),
    "misspells an event": (
        "    assert triggers.respects_cooldown(trace.events('whirlpol.moved'), frames(1))",
        "error",
        2,
    ),
}


@pytest.mark.parametrize("name", CHECKS)
def test_a_check_has_one_outcome_and_the_run_its_exit_code(name: str, tmp_path: Path, bay: Callable[..., Path]) -> None:
    """Each way in which a check function can end has its outcome; an error outranks a breach, that an untested check."""
    body, outcome, code = CHECKS[name]
    file = tmp_path / "check_it.py"
    file.write_text(f"{HEAD}\ndef check_it(trace):\n{body}\n")
    run = run_checks([file], [bay()])
    (result,) = run.results
    assert (result.outcome, run.exit_code) == (outcome, code)
    if outcome == "error":
        assert f"{file}:5: " in result.error


def test_a_check_is_never_exercised_only_if_no_session_exercises_it(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """A check that is untested in some sessions is reported as untested there; untested in all of them it fails the run."""
    file = tmp_path / "check_it.py"
    file.write_text(
        f"{HEAD}\n\ndef check_shift(trace):\n"
        "    speed = trace.all('skiff').speed\n"
        "    if trace.about['seed'] == 8:\n"
        "        speed = speed.at(trace.events('error'))\n"
        "    assert judge(speed <= 6.0, 'slow')\n"
    )
    one, other = bay(), bay(seed=8)
    assert run_checks([file], [one, other]).never_exercised == ()
    assert run_checks([file], [one, other]).exit_code == 0
    assert [check.name for check in run_checks([file], [other]).never_exercised] == ["check_shift"]


def test_names_known_in_one_session_are_known_in_all(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """A name that no session of the run knows is an error of the run; one that some session knows is merely untested."""
    file = tmp_path / "check_it.py"
    file.write_text(f"{HEAD}\ndef check_it(trace):\n    assert judge(trace.all('kraken').position.x < 1, 'x')\n")
    run = run_checks([file], [bay()])
    assert run.problems == ("kind 'kraken' was neither seen nor declared in any session of this run",)
    assert run.exit_code == 2


ASKED = {
    # expressions of a trace, of which some are made of several verdicts
    "all of several": "all_of(judge(skiff.speed < 9, 'a'), judge(skiff.warmth < 35, 'b'), judge(skiff.speed < 6, 'c'))",
    "any of several": "any_of(judge(skiff.speed < 3, 'a'), judge(skiff.warmth < 35, 'b'))",
    "a rule of two halves": "values.toggles(skiff.resting, at=trace.events('whirlpool.moved'))",
    "one of many steps": "triggers.happens_in_order(trace.events('bell.rung'), trace.events('gate.open'), within=frames(9))",
}


@pytest.mark.parametrize("name", ASKED)
def test_a_verdict_is_the_same_in_a_run_as_outside(name: str, tmp_path: Path, bay: Callable[..., Path]) -> None:
    """Outcome, counts, first breach and parts are those that a notebook gets."""
    head = "from breadcrumb import all_of, any_of, frames, judge\nfrom breadcrumb.checks import triggers, values\n"
    file = tmp_path / "check_it.py"
    body = f"    skiff = trace.all('skiff')\n    return {ASKED[name]}\n"
    file.write_text(f"{head}\ndef ask(trace):\n{body}\n\ndef check_it(trace):\n    assert ask(trace)\n")
    told: dict[str, Any] = {}
    exec(compile(file.read_text(), str(file), "exec"), told)
    alone = told["ask"](open_trace(bay()))
    (result,) = run_checks([file], [bay()]).results
    assert [_plain(one) for one in result.findings] == [_plain(alone)]
    assert alone.breach_count > 0


def _plain(verdict: Any) -> tuple[Any, ...]:
    same = (
        verdict.outcome.value,
        verdict.tested,
        verdict.undecided,
        verdict.breach_count,
        verdict.first,
        verdict.worst,
    )
    return (*same, verdict.margin, verdict.tallies, *(_plain(part) for part in verdict.parts))
