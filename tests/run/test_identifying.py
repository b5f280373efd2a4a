"""Rules are joined by their IDs, from session to session and from build to build, never by their sentences."""

from collections.abc import Callable
from pathlib import Path

import pytest

from breadcrumb import Trace
from breadcrumb.errors import CheckFileError
from breadcrumb.run.loading import load_all
from breadcrumb.run.results import Result
from breadcrumb.run.running import run_checks
from breadcrumb.run.sources import Sources
from breadcrumb.run.tallies import RunResult

HEAD = (
    "from breadcrumb import Box, frames, judge, seconds\n"
    "from breadcrumb.checks import collisions, movement, session, spawns, triggers, values\n"
    "LIMIT = {limit}\n\n"
    "def helped(trace):\n"
    "    return values.equals(trace.one('lamp').pitch, 0, tol={helper})\n\n"
)

Run = Callable[..., RunResult]


@pytest.fixture
def run(tmp_path: Path, bay: Callable[..., Path]) -> Run:
    """Run one check function with this body in a file of this stem, on the correct build."""

    def go(
        body: str,
        *,
        stem: str = "lamps",
        function: str = "heads",
        limit: float = 6.0,
        helper: float = 0.5,
        before: str = "",
    ) -> RunResult:
        file = tmp_path / f"check_{stem}.py"
        lines = "".join(f"    {line}\n" for line in body.splitlines())
        file.write_text(HEAD.format(limit=limit, helper=helper) + f"{before}\n\ndef check_{function}(trace):\n{lines}")
        return run_checks([file], [bay()])

    return go


def _ids(run: RunResult) -> list[str]:
    (result,) = run.results
    assert result.outcome != "error", result.error
    return [finding.rule.id for finding in result.findings]


IDS: dict[str, tuple[str, list[str]]] = {
    "a property of a kind": ("assert values.unchanged(trace.all('lamp').oil, tol=99)", ["unchanged/lamp.oil"]),
    "a part of a vector": (
        "assert movement.stays_between(trace.all('skiff').position.x, low=-99)", ["stays_between/skiff.position.x"],
    ),
    "what is computed": (
        "p = trace.all('skiff').position\nassert movement.stays_between((p - (1, 2, 0)).norm() * 2, low=0)",
        ["stays_between/skiff.position"],
    ),
    "one object by its id": (
        "assert movement.stays_between(trace.one(id='heron').speed, low=0)", ["stays_between/heron.speed"],
    ),
    "the one object of a kind": (
        "assert movement.stays_between(trace.one('trolley').position.z, low=-99)",
        ["stays_between/one(trolley).position.z"],
    ),
    "objects": ("assert movement.never_teleports(trace.all('skiff'), 99)", ["never_teleports/skiff"]),
    "events": (
        "assert triggers.respects_rate_limit(trace.events('contact'), 99, per=seconds(1))",
        ["respects_rate_limit/contact"],
    ),
    "events of somebody": (
        "assert triggers.never_happens(trace.events('contact', by='heron', on='nobody'))",
        ["never_happens/contact(by=heron,on=nobody)"],
    ),
    "those that appear": (
        "assert triggers.respects_rate_limit(trace.all('barrel').appears, 99, per=seconds(1))",
        ["respects_rate_limit/barrel.appears"],
    ),
    "when a flag rises": (
        "assert triggers.respects_rate_limit(trace.all('skiff').resting.rises(), 99, per=seconds(1))",
        ["respects_rate_limit/skiff.resting.rises"],
    ),
    "under another name": (
        "named = trace.events('contact').with_name('a bump')\n"
        "assert triggers.respects_rate_limit(named, 99, per=seconds(1))",
        ["respects_rate_limit/contact"],
    ),
    "the session": ("assert session.runs_clean(trace)", ["runs_clean/session"]),
    "a condition": (
        "assert judge(trace.all('skiff').speed <= LIMIT, 'skiffs are slow')", ["judge/skiff.speed"],
    ),
    "twice the same": (
        "speed = trace.all('skiff').speed\n"
        "assert movement.stays_between(speed, high=6)\n"
        "assert movement.stays_between(speed, low=0)\n"
        "assert movement.stays_between(speed, low=-1)",
        ["stays_between/skiff.speed", "stays_between/skiff.speed~2", "stays_between/skiff.speed~3"],
    ),
    "other scope and limits are the same rule": (
        "skiff = trace.all('skiff')\n"
        "assert movement.stays_inside(skiff, Box((-99, -99), (99, 99)), tol=1)\n"
        "assert movement.stays_inside(skiff, Box((-90, -99), (99, 99)), during=skiff.resting.spans())",
        ["stays_inside/skiff", "stays_inside/skiff~2"],
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", IDS)
def test_an_id_is_file_function_check_and_subject(what: str, run: Run) -> None:
    """The ID says which file, function, check and subject; limits, scope, wording and helpers are no part of it."""
    body, expected = IDS[what]
    assert _ids(run(body)) == [f"lamps/heads/{one}" for one in expected]


def test_a_given_name_stands_for_function_check_and_subject(run: Run) -> None:
    """`id=` makes the ID `file/name`, and a rule beside it without one keeps its own, with no number."""
    body = (
        "speed = trace.all('skiff').speed\n"
        "assert movement.stays_between(speed, high=6, id='top-speed')\n"
        "assert movement.stays_between(speed, low=0)"
    )
    found = run(body)
    assert _ids(found) == ["lamps/top-speed", "lamps/heads/stays_between/skiff.speed"]
    assert tuple(found.tally.repeated) == ()


def test_a_repeated_id_is_noted_once(run: Run) -> None:
    """Rules that only their order tells apart are named by the run, so that one may give them a name."""
    found = run(IDS["twice the same"][0])
    assert tuple(found.tally.repeated) == ("lamps/heads/stays_between/skiff.speed",)


def test_one_name_for_two_rules_is_an_error(run: Run) -> None:
    """A name that is given twice in a session could stand for either rule, so that it stands for none."""
    body = "speed = trace.all('skiff').speed\n" + "assert movement.stays_between(speed, low=0, id='it')\n" * 2
    with pytest.raises(CheckFileError, match="id='it' is given to two rules"):
        run(body)


def test_two_files_of_one_stem_are_an_error(tmp_path: Path) -> None:
    """IDs begin with the stem, so that two files of one stem are told before anything runs."""
    files = [tmp_path / folder / "check_it.py" for folder in ("one", "two")]
    for file in files:
        file.parent.mkdir()
        file.write_text("def check_it(trace):\n    pass\n")
    with pytest.raises(CheckFileError, match="same name"):
        load_all(Sources.at(files))
    assert len(load_all(Sources.at(files[:1]))) == 1


def test_a_name_with_a_slash_cannot_look_like_another_id(run: Run) -> None:
    """Characters that part an ID are quoted in its parts, and so are control characters."""
    body = "assert movement.stays_between(trace.all('skiff').speed, low=0, id='a/b~2\\n')"
    assert _ids(run(body)) == ["lamps/a%2Fb%7E2%0A"]


def _rule(found: RunResult) -> tuple[str, dict[str, object], str]:
    (result,) = found.results
    (finding,) = result.findings
    return finding.rule.id, dict(finding.rule.parameters), finding.rule.digest


LIMITED = "assert movement.stays_between(trace.all('skiff').speed, high=LIMIT, tol=0.5)"


def test_a_changed_limit_keeps_the_id_and_shows_as_a_parameter(run: Run) -> None:
    """A constant of the module reaches the rule as a parameter, and its digest changes with it."""
    one, other = _rule(run(LIMITED, limit=6)), _rule(run(LIMITED, limit=6.5))
    assert one[0] == other[0]
    assert (one[1]["high"], other[1]["high"]) == (6, 6.5)
    assert one[2] != other[2]


CODE: dict[str, tuple[str, str, dict[str, float], bool]] = {
    # the body before and after, other constants after, and whether the digest tells them apart
    "the same": ("assert helped(trace)", "assert helped(trace)", {}, False),
    "a comment and a blank line": ("assert helped(trace)", "\nassert helped(trace)  # why", {}, False),
    "a helper's limit": ("assert helped(trace)", "assert helped(trace)", {"helper": 0.25}, True),
    "a constant that it names": (LIMITED, LIMITED, {"limit": 7}, True),
    "a constant that it does not name": ("assert helped(trace)", "assert helped(trace)", {"limit": 7}, False),
    "a number in an array": (
        "assert judge(trace.all('skiff').speed < [9, 9, 9][0], 'x')",
        "assert judge(trace.all('skiff').speed < [8, 9, 9][0], 'x')", {}, True,
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", CODE)
def test_the_digest_changes_with_the_code_and_what_it_names(what: str, run: Run) -> None:
    """A digest is of the syntax tree with the constants and helpers that it names, not of comments or other lines."""
    before, after, constants, differs = CODE[what]
    (one,), (other,) = run(before).results, run(after, **constants).results
    assert one.check.digest
    assert (one.check.digest != other.check.digest) is differs


def test_the_digest_changes_with_each_lambda_of_a_line(run: Run) -> None:
    """Of several lambdas that begin on one line, a change of any is a change of the check that calls it."""
    body = "assert judge(trace.all('skiff').speed < slow(9), 'x')"
    digests = {
        run(body, before=f"fast, slow = lambda n: n + 1, lambda n: n + {more}").results[0].check.digest
        for more in (2, 3)
    }
    assert len(digests) == 2


def test_ids_are_the_same_in_every_session(examples: Path, bay: Callable[..., Path], correct: Trace) -> None:
    """The suite gives one set of IDs whatever broke: an ID is no matter of outcomes."""
    files = sorted((examples / "lantern_bay").glob("check_*.py"))
    found = run_checks(files, [bay(), bay("barrel-tired")])
    by_session: dict[str, dict[str, str]] = {}
    for result in found.results:
        by_session.setdefault(result.session, {}).update(
            {finding.rule.id: finding.sentence for finding in result.findings}
        )
    one, other = by_session.values()
    assert len(one) > 150
    reached = set(one) & set(other)
    assert len(reached) > 0.9 * len(one)
    assert {one[id] for id in reached} == {other[id] for id in reached}
    assert set(other) <= set(one)
    assert tuple(found.tally.repeated) == ()


def test_a_rule_that_was_not_reached_has_no_outcome(run: Run) -> None:
    """A rule behind an assertion that broke was not asked: it is not among the findings of that session."""
    body = (
        "speed = trace.all('skiff').speed\n"
        "assert movement.stays_between(speed, high=1)\n"
        "assert movement.stays_between(speed, low=0)"
    )
    (result,) = run(body).results
    assert isinstance(result, Result)
    assert [finding.outcome for finding in result.findings] == ["broken"]
