import json
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
    assert run_checks([file], [one, other]).tally.never_exercised == ()
    assert run_checks([file], [one, other]).exit_code == 0
    assert [check.name for check in run_checks([file], [other]).tally.never_exercised] == ["check_shift"]


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


def test_situations_are_counted_over_a_run(tmp_path: Path, cli: Callable[..., Any], bay: Callable[..., Path]) -> None:
    """How often each occurred, and which never did, is in the summary, the JSON and the report; nothing is judged."""
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import judge, situation\n"
        "def check_it(trace):\n"
        "    skiff = trace.all('skiff')\n"
        "    situation(trace.events('whirlpool.moved'), 'a boat is taken')\n"
        "    situation(skiff.speed > 99, 'a boat flies')\n"
        "    situation(trace.all('flare'), 'a flare')\n"
        "    situation(trace.parameter('skiff.cap') == 6, 'the cap is 6')\n"
        "    assert judge(skiff.speed <= 6.0, 'slow')\n"
    )
    sessions = [bay(seed=seed, seconds=20) for seed in (7, 8)]
    done = cli("check", "check_it.py", *sessions, "--json", "out.jsonl", "--report", "page")
    assert (done.returncode, "NEVER   a boat flies  a situation of it/check_it" in done.stdout) == (0, True), (
        done.stdout
    )
    assert "3 of 4 situations occurred" in done.stdout
    found = json.loads((tmp_path / "out.jsonl").read_text().splitlines()[-1])["situations"]
    traces = [open_trace(one) for one in sessions]
    taken = [one.events("whirlpool.moved").count for one in traces]
    assert [(one["words"], one["times"], one["sessions"], one["asked"]) for one in found] == [
        ("a boat is taken", sum(taken), sum(map(bool, taken)), 2), ("a boat flies", 0, 0, 2),
        ("a flare", sum(one.all("flare").lifetimes.count for one in traces), 2, 2), ("the cap is 6", 2, 2, 2),
    ]  # fmt: skip
    page = (tmp_path / "page" / "index.html").read_text()
    assert all(words in page for words in ("a boat flies", '<strong class="untested">never</strong>', "0 of 2"))


SITUATIONS_REFUSED = {
    "no words": ("trace.all('skiff'), ''", "expected it in words behind what is counted"),
    "a bare signal": (
        "trace.all('skiff').speed, 'x'",
        "expected moments, spans, a flag, objects, a whole number or True",
    ),
    "less than nothing": ("-1, 'x'", "expected moments, spans, a flag, objects, a whole number or True, found -1"),
    "twice": ("1, 'x'); situation(2, 'x'", "'x' is named twice in one check"),
}


@pytest.mark.parametrize("name", SITUATIONS_REFUSED)
def test_a_situation_that_cannot_be_counted_is_an_error(name: str, tmp_path: Path, bay: Callable[..., Path]) -> None:
    """A mistake in a situation is an error of the check, with what was expected, and never a count of 0."""
    arguments, said = SITUATIONS_REFUSED[name]
    file = tmp_path / "check_it.py"
    file.write_text(f"from breadcrumb import situation\n\ndef check_it(trace):\n    situation({arguments})\n")
    (result,) = run_checks([file], [bay()]).results
    assert (result.outcome, said in result.error) == ("error", True), result.error
