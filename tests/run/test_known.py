"""Known failures: rules that may be broken, with a reason, in some builds, until a day."""

from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import pytest

from breadcrumb.errors import KnownFailuresError
from breadcrumb.run.known import KnownFailure, read_known_failures
from breadcrumb.run.running import run_checks

Cli = Callable[..., CompletedProcess[str]]
LOW, SLOW, PLAIN = "it/low", "it/it/judge/keg.x", "it/by_hand/assert"
CHECKS = """
from breadcrumb import judge


def check_it(trace):
    assert judge(trace.all("keg").y < 3, "kegs stay low", id="low")
    assert judge(trace.all("keg").x < {limit}, "kegs stay near")


def check_by_hand(trace):
    assert trace.one("keg").y.values[-1] < 9
    assert judge(trace.all("keg").x < 9, "behind")
"""
ALWAYS = KnownFailure(LOW, "a new hull")
CASES: dict[str, tuple[float, tuple[KnownFailure, ...], int, dict[str, str], str]] = {
    # the limit of the second rule, what is known, the exit code, the outcomes of check_it that are not held, what is noted
    "nothing is known": (9, (), 1, {"high": "broken"}, ""),
    "what breaks is known": (9, (ALWAYS,), 0, {"high": "known"}, ""),
    "known in this build": (9, (KnownFailure(LOW, "hull", "1.1"),), 0, {"high": "known"}, ""),
    "known in another build": (9, (KnownFailure(LOW, "hull", "2.*"),), 1, {"high": "broken"}, "no session judged it"),
    "until a day to come": (9, (KnownFailure(LOW, "hull", until="2999-01-01"),), 0, {"high": "known"}, ""),
    "until a day that is over": (9, (KnownFailure(LOW, "hull", until="2026-01-01"),), 1, {"high": "broken"}, "ended on 2026-01-01"),
    "the rule behind it is judged": (0.2, (ALWAYS,), 1, {"high": "broken", "wild": "broken", "calm": "broken", "late": "broken", "mild": "broken"}, ""),
    "another rule is known": (9, (KnownFailure(SLOW, "hull"),), 1, {"high": "broken"}, "held in 4 sessions that judged it"),
    "one that no check has": (9, (ALWAYS, KnownFailure("it/lower", "?")), 0, {"high": "known"}, "no session judged it"),
}  # fmt: skip


@pytest.mark.parametrize("jobs", [1, 2])
@pytest.mark.parametrize("name", CASES)
def test_known_failures_are_told_and_do_not_count(name: str, jobs: int, sessions: list[Path], tmp_path: Path) -> None:
    """A rule that may be broken stops no check and changes no exit code; the rules behind it count; a stale entry is noted."""
    limit, known, code, outcomes, noted = CASES[name]
    (tmp_path / "check_it.py").write_text(CHECKS.format(limit=limit))
    run = run_checks([tmp_path / "check_it.py"], sessions, known=known, jobs=jobs)
    found = {one.session: one.outcome for one in run.results if one.check.name == "check_it"}
    assert ({session: one for session, one in found.items() if one != "held"}, run.exit_code) == (outcomes, code)
    notes = [one.note for one in run.tally.known.values() if one.note]
    assert (len(notes), noted in "".join(notes)) == (bool(noted), True)


def test_a_plain_assert_that_is_known_stops_its_check(sessions: list[Path], tmp_path: Path) -> None:
    """Python's own assert cannot go on; the check counts as known, and the rule behind it has no outcome there."""
    text = CHECKS.format(limit=9).replace("values[-1] < 9", "values[-1] < 3")
    (tmp_path / "check_it.py").write_text(text)
    run = run_checks([tmp_path / "check_it.py"], sessions, known=[ALWAYS, KnownFailure(PLAIN, "hull")])
    (high,) = (one for one in run.results if (one.session, one.check.name) == ("high", "check_by_hand"))
    assert (high.outcome, [one.rule.id for one in high.findings], run.exit_code) == ("known", [PLAIN], 0)


def test_untested_outranks_known(sessions: list[Path], tmp_path: Path) -> None:
    """A check with a known failure whose other rule was never exercised is untested, so that it never passes for tested."""
    text = CHECKS.replace(
        'trace.all("keg").x < {limit}', 'trace.all("keg").x.at((trace.all("keg").y > 99).rises()) < 1'
    )
    (tmp_path / "check_it.py").write_text(text)
    run = run_checks([tmp_path / "check_it.py"], sessions, known=[ALWAYS])
    assert {one.outcome for one in run.results if one.check.name == "check_it"} == {"untested"}
    assert (run.exit_code, run.tally.known[LOW].broken) == (3, 1)


def test_a_known_failure_covers_none_of_several_rules_of_one_id(sessions: list[Path], tmp_path: Path) -> None:
    """A rule that is written before another of the same ID would take its place in the list; so neither is known."""
    text = CHECKS.format(limit=9).replace(', id="low"', "").replace('.x < 9, "kegs', '.y < 2, "kegs')
    (tmp_path / "check_it.py").write_text(text)
    id = "it/it/judge/keg.y"
    run = run_checks([tmp_path / "check_it.py"], sessions, known=[KnownFailure(id, "hull")])
    (high,) = (one for one in run.results if (one.session, one.check.name) == ("high", "check_it"))
    assert [one.rule.id for one in high.broken] == [id, f"{id}~2"]
    assert (high.outcome, run.exit_code) == ("broken", 1)


FILES = {
    # what is in the file, and what is said of it
    "a typing error": ('["it/it"]\nreson = "x"', "found reson; did you mean reason?"),
    "no reason": ('["it/it"]\nbuild = "1.*"', "expected a reason, a text; found None"),
    "no table": ('"it/it" = "x"', "expected a table"),
    "a pattern": ('["it/*"]\nreason = "x"', "expected the whole ID of a rule, found a pattern"),
    "one of several": ('["it/it~2"]\nreason = "x"', "give it an id= in its check"),
    "a time": ('["it/it"]\nreason = "x"\nuntil = 2026-01-01T10:00:00', "expected until as a date"),
    "a number as build": ('["it/it"]\nreason = "x"\nbuild = 7', "expected a build as text"),
    "no TOML": ("it/it: x", "expected TOML"),
    "told twice": ('["it/it"]\nreason = "x"\n["it/it"]\nreason = "y"', "expected TOML"),
}


@pytest.mark.parametrize("name", FILES)
def test_a_list_that_says_something_else_is_an_error(name: str, tmp_path: Path) -> None:
    """The message names the file, what was expected and what was found."""
    content, said = FILES[name]
    (tmp_path / "known.toml").write_text(content)
    with pytest.raises(KnownFailuresError) as raised:
        read_known_failures(tmp_path / "known.toml")
    assert str(raised.value).startswith(f"{tmp_path / 'known.toml'}: ")
    assert said in str(raised.value)


def test_the_command_takes_a_list(sessions: list[Path], tmp_path: Path, cli: Cli) -> None:
    """`--known` is in the summary, in JUnit XML, JSON and the report, and a file that is not there is an error."""
    (tmp_path / "check_it.py").write_text(CHECKS.format(limit=9))
    (tmp_path / "known.toml").write_text(f'["{LOW}"]\nreason = "BAY-12: a new hull"\nuntil = 2999-01-01\n')
    written = ("--junit", tmp_path / "o.xml", "--json", tmp_path / "o.jsonl", "--report", tmp_path / "night")
    done = cli("check", tmp_path / "check_it.py", *sessions, "--known", tmp_path / "known.toml", *written)
    assert done.returncode == 0, done.stdout + done.stderr
    assert f"KNOWN   {LOW}  in 1 of 5 sessions, first in high: BAY-12: a new hull" in done.stdout
    assert "10 checks" not in done.stdout
    assert "2 checks on 5 sessions: 1 known, 9 held" in done.stdout
    assert '<skipped message="known failure: BAY-12: a new hull">' in (tmp_path / "o.xml").read_text()
    assert '"known":[{"failure":{"rule":"it/low"' in (tmp_path / "o.jsonl").read_text()
    assert "Known failures" in (tmp_path / "night" / "index.html").read_text()
    assert cli("check", tmp_path / "check_it.py", *sessions, "--known", tmp_path / "no.toml").returncode == 2
