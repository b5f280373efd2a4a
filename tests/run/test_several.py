"""Checks for some sessions, and checks of several sessions."""

from pathlib import Path
from typing import Any

import pytest

from breadcrumb import Misuse, NeverExercised, Trace, Traces, UnknownName, for_sessions, open_trace
from breadcrumb.run.running import run_checks

HEAD = "from breadcrumb import all_of, for_sessions, judge\nfrom breadcrumb.checks import session\n\n\n"
HELD = '    assert judge(trace.all("keg").x < 9, "near")\n'
APPLIES: dict[str, tuple[str, list[str], int, str]] = {
    # to which sessions, those in which it is judged, the exit code, what is said
    "a pattern": ("build='1.*'", ["calm", "high", "wild", "mild", "late"], 0, ""),
    "one build": ("build='1.1'", ["high", "late"], 0, ""),
    "a number": ("tick_rate=20", ["high", "mild"], 0, ""),
    "one of several": ("seed=(0, 2)", ["calm", "high", "late"], 0, ""),
    "two fields": ("seed=0, tick_rate=10", ["calm"], 0, ""),
    "none": ("build='2.*'", [], 3, ""),
    "a field that none has": ("mood='calm'", [], 3, ""),
    "a typing error": ("biuld='1.1'", [], 2, "check_it is for sessions with biuld, which none has; did you mean build?"),
}  # fmt: skip


@pytest.mark.parametrize("jobs", [1, 2])
@pytest.mark.parametrize("name", APPLIES)
def test_a_check_applies_to_some_sessions(name: str, jobs: int, sessions: list[Path], tmp_path: Path) -> None:
    """Elsewhere it has no outcome; if it applies to none, it is untested in the run; a slip in the name of a field is an error."""
    wanted, judged, code, said = APPLIES[name]
    path = tmp_path / "check_it.py"
    path.write_text(f"{HEAD}@for_sessions({wanted})\ndef check_it(trace):\n{HELD}\n\ndef check_all(trace):\n{HELD}")
    run = run_checks([path], sessions, jobs=jobs)
    assert [one.session for one in run.results if one.check.name == "check_it"] == judged
    assert (run.exit_code, run.problems) == (code, (said,) if said else ())
    assert [one.name for one in run.tally.never_exercised] == ([] if judged else ["check_it"])


@pytest.mark.parametrize(("wanted", "outcomes"), [("build='1.1'", ["held"]), ("build='2.*'", [])])
def test_a_check_of_several_sessions_is_given_those_to_which_it_applies(
    wanted: str, outcomes: list[str], sessions: list[Path], tmp_path: Path
) -> None:
    """If it applies to none, it is not run on none, but untested in the run."""
    path = tmp_path / "check_it.py"
    path.write_text(f'{HEAD}@for_sessions({wanted})\ndef check_it(traces):\n    assert judge(len(traces) < 3, "few")\n')
    run = run_checks([path], sessions)
    assert [one.outcome for one in run.results] == outcomes
    assert len(run.tally.never_exercised) == 1 - len(outcomes)


def test_for_sessions_says_something() -> None:
    """Without a field it would mean nothing."""
    with pytest.raises(Misuse, match="expected a metadata field"):
        for_sessions()


ACROSS: dict[str, tuple[str, str, str]] = {
    # what a check of several sessions asserts, its outcome, and a part of what is said
    "a count": ('judge(len(traces) == 5, "all are there")', "held", ""),
    "a mean": ('judge(traces.mean(lambda t: t.one("keg").x.mean()) <= 0.2, "near")', "held", ""),
    "a mean too large": ('judge(traces.mean(lambda t: t.one("keg").x.mean()) <= 0.1, "near")', "broken", "allowed at most 0.1"),
    "any rate": ('session.same_at_any_rate(traces, lambda t: t.one("keg").x, tol=1e-9)', "held", ""),
    "frame by frame": ('session.same_at_any_rate(traces, lambda t: t.one("keg").x, per_frame=True)', "broken", "0.05 too low"),
    "one rate": ('session.same_at_any_rate(traces.where(tick_rate=20), lambda t: t.one("keg").x)', "untested", "frames at the same times"),
    "what no session has": ('judge(len(traces.where(build="3")) > 0, "x")', "untested", "0 of 1 sessions with build=3"),
    "fewer than needed": ('judge(len(traces.where(build="1.1", at_least=3)) > 0, "x")', "untested", "2 of 3 sessions with build=1.1"),
    "not one": ('judge(traces.where(build="1.1").one().one("keg").x < 9, "x")', "untested", "expected one session, found 2"),
    "a field that none has": ('judge(len(traces.where(mood="calm")) > 0, "x")', "untested", "0 of 1 sessions with mood=calm"),
    "a typing error": ('judge(len(traces.where(biuld="1.1")) > 0, "x")', "error", "did you mean 'build'?"),
    "a plain assert": ('len(traces) > 9', "broken", "len(traces) > 9"),
    "no group": ('all_of(*[judge(True, "x") for one in traces.by("seed") if len(one) > 9])', "error", "all_of"),
    "groups": ('judge(sum(len(one) > 1 for one in traces.by("seed")) == 2, "x")', "held", ""),
}  # fmt: skip


@pytest.mark.parametrize("name", ACROSS)
def test_a_check_of_several_sessions_runs_once(name: str, sessions: list[Path], tmp_path: Path) -> None:
    """It is given all sessions of the run; it is untested if no session fits, and a wrong field is an error."""
    claim, outcome, said = ACROSS[name]
    (tmp_path / "check_it.py").write_text(f"{HEAD}def check_it(traces):\n    assert {claim}\n")
    run = run_checks([tmp_path / "check_it.py"], sessions)
    (result,) = run.results
    assert (result.outcome, result.session, result.trace) == (outcome, "all 5 sessions", "")
    told = " ".join(
        (result.error, result.why_untested, *(line for one in result.broken for line in one.explain().splitlines()))
    )
    assert said in told
    assert len(run.sessions) == 5


def test_sessions_are_opened_when_they_are_asked_for(sessions: list[Path]) -> None:
    """Choosing sessions opens none; a slice is of sessions too."""
    traces = Traces.of(map(open_trace, sessions))
    opened: list[str] = []

    def noted(trace: Trace) -> Trace:
        opened.append(trace.label)
        return trace

    watched = traces.opened_by(noted)
    assert (len(watched.where(seed=0)), len(watched[1:3]), opened) == (2, 2, [])
    assert [one.label for one in watched[1:3]] == ["high", "wild"] == opened
    with pytest.raises(NeverExercised):
        watched.where(build="3.*")
    with pytest.raises(UnknownName, match="did you mean"):
        watched.by("biuld")


def test_restarts_of_a_file_divide_each_of_several_sessions(sessions: list[Path], tmp_path: Path) -> None:
    """What a file declares for its checks holds for the sessions that a check of several is given."""
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import Restarts, judge\n\nRESTARTS = Restarts('ring')\n\n\ndef check_it(traces):\n"
        "    assert judge(sum(one.restarts.count for one in traces) == 1, 'one rings')\n"
    )
    assert [one.outcome for one in run_checks([tmp_path / "check_it.py"], sessions).results] == ["held"]


def test_checks_of_several_sessions_select_their_own(sessions: list[Path], tmp_path: Path) -> None:
    """`only` and the selection of sessions hold for them, too."""
    (tmp_path / "check_it.py").write_text(
        f'{HEAD}def check_few(traces):\n    assert judge(len(traces) == 2, "two")\n\n\ndef check_it(trace):\n{HELD}'
    )
    how: dict[str, Any] = {"only": ["it/few"], "about": {"build": "1.1"}}
    run = run_checks([tmp_path / "check_it.py"], sessions, **how)
    assert [(one.check.name, one.outcome) for one in run.results] == [("check_few", "held")]
