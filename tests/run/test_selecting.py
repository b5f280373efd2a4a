"""Judging some of the rules, and some of the sessions."""

from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess
from types import SimpleNamespace

import pytest

from breadcrumb import Recorder
from breadcrumb.errors import CheckFileError
from breadcrumb.run.running import run_checks

Cli = Callable[..., CompletedProcess[str]]
FILES = {
    "check_kegs.py": """
from breadcrumb import judge


def check_kegs_stay_low(trace):
    assert judge(trace.all("keg").y < 3, "kegs stay low", id="low")
    assert judge(trace.all("keg").y > -1, "kegs stay up", id="up")


def check_by_hand(trace):
    assert trace.one("keg").y.values[0] == 0
""",
    "check_lids.py": """
from breadcrumb import judge


def check_lids_are_shut(trace):
    assert judge(trace.all("keg").x < 1, "lids are shut")
""",
}
EVERY = ["kegs/by_hand", "kegs/low", "kegs/up", "lids/lids_are_shut/judge/keg.x"]
ONLY: dict[str, tuple[tuple[str, ...], list[str]]] = {
    # patterns, and the rules that are left; a check by hand has the name of its function
    "nothing": ((), EVERY),
    "a file": (("lids/*",), EVERY[3:]),
    "a file by its name": (("lids",), EVERY[3:]),
    "a check": (("kegs/by_hand",), EVERY[:1]),
    "a whole ID": (("lids/lids_are_shut/judge/keg.x",), EVERY[3:]),
    "what is judged": (("*/judge/*",), EVERY[3:]),
    "two": (("kegs/by_*", "lids/*"), [EVERY[0], EVERY[3]]),
}


@pytest.fixture
def trace(tmp_path: Path) -> Path:
    """A keg that stays where it is, and the check files."""
    for name, text in FILES.items():
        (tmp_path / name).write_text(text)

    class Keg:
        x = y = 0.0

    keg = Keg()
    with Recorder(tmp_path / "calm.crumbs", build="7.1", level="cellar") as rec:
        rec.parameter("lift", 3)
        rec.watch(keg, id="keg-1", kind="keg", x="x", y="y")
        for frame in range(4):
            rec.frame(frame / 10)
    return tmp_path / "calm.crumbs"


def _files(trace: Path) -> list[Path]:
    return [trace.parent / name for name in FILES]


@pytest.mark.parametrize("name", ONLY)
def test_patterns_leave_the_rules_whose_id_fits(name: str, trace: Path) -> None:
    """A pattern fits IDs, or their beginning up to a slash; the others are not judged, or not told."""
    patterns, left = ONLY[name]
    run = run_checks(_files(trace), [trace], only=patterns)
    found = [one.rule.id for result in run.results for one in result.findings]
    found += [f"{one.check.stem}/{one.check.name.removeprefix('check_')}" for one in run.results if not one.findings]
    assert (sorted(found), run.problems) == (left, ())


def test_a_pattern_that_fits_nothing_is_an_error(trace: Path) -> None:
    """A pattern without a check is told with the nearest name; one whose rule no check makes is a problem of the run."""
    with pytest.raises(CheckFileError, match=r"kegz/\*.*did you mean kegs\?"):
        run_checks(_files(trace), [trace], only=["kegz/*"])
    run = run_checks(_files(trace), [trace], only=["lids/*", "lids/lids_are_shut/judge/keg.z"])
    assert run.problems == ("--only lids/lids_are_shut/judge/keg.z: no rule that was judged has such an ID",)
    assert run.exit_code == 2


STOPS: dict[str, tuple[str, str, str, dict[str, str]]] = {
    # what stands before the rule "up", the pattern, what stands behind it, and the outcome where the session "wild" differs
    "behind a broken rule": ("assert judge(trace.one('keg').y < 3, 'low', id='low')", "it/up", "", {"wild": "untested"}),
    "behind a failed plain assert": ("assert trace.one('keg').y.values[-1] < 3", "it/up", "", {"wild": "untested"}),
    "between two": (
        "assert judge(trace.one('keg').y < 9, 'low', id='low')", "it/low",
        "assert judge(trace.one('keg').y < 3, 'x', id='x')", {"wild": "untested"},
    ),
    "the broken rule itself": ("assert judge(trace.one('keg').y < 3, 'low', id='low')", "it/low", "", {"wild": "broken"}),
    "behind one that is never asserted": ("judge(trace.one('keg').y < 3, 'low', id='low')", "it/up", "", {}),
    "behind an error": ("trace.one('keg').z if trace.label == 'wild' else 0", "it/up", "", {"wild": "error"}),
}  # fmt: skip


@pytest.mark.parametrize("name", STOPS)
def test_a_rule_that_a_session_did_not_reach_never_counts_as_held(name: str, tmp_path: Path) -> None:
    """If a rule that is not selected stops the check, it is untested in that session, since a selected one may stand behind."""
    first, pattern, last, other = STOPS[name]
    lines = [first, "assert judge(trace.one('keg').y > -1, 'up', id='up')", last or "pass"]
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import judge\n\n\ndef check_it(trace):\n" + "".join(f"    {line}\n" for line in lines)
    )
    for label, top in (("calm", 0.0), ("wild", 5.0)):
        keg = SimpleNamespace(y=0.0)
        with Recorder(tmp_path / f"{label}.crumbs") as rec:
            rec.watch(keg, id="keg-1", kind="keg", y="y")
            for frame in range(4):
                keg.y = top * (frame == 3)
                rec.frame(frame / 10)
    traces = [tmp_path / f"{label}.crumbs" for label in ("calm", "wild")]
    run = run_checks([tmp_path / "check_it.py"], traces, only=[pattern])
    assert {one.session: one.outcome for one in run.results} == {"calm": "held", "wild": "held"} | other
    for result in run.with_outcome("untested"):
        assert "the check stopped at" in result.why_untested


SESSIONS = {
    # what is wanted, and whether the session has it
    "its build": ({"build": "7.1"}, True),
    "a pattern": ({"build": "7.*", "level": "c*"}, True),
    "a parameter": ({"parameter lift": "3"}, True),
    "another build": ({"build": "7.2"}, False),
    "one of two": ({"build": "7.1", "level": "attic"}, False),
    "what it does not tell": ({"mood": "calm"}, False),
}


@pytest.mark.parametrize("name", SESSIONS)
def test_sessions_are_chosen_by_what_was_told_of_them(name: str, trace: Path) -> None:
    """All that is wanted must fit; a run in which no session fits is wrong, and says what was wanted."""
    wanted, is_there = SESSIONS[name]
    run = run_checks(_files(trace), [trace], about=wanted)
    assert (bool(run.results), bool(run.problems)) == (is_there, not is_there)
    assert all("no session of the run has" in problem for problem in run.problems)


def test_the_command_takes_patterns(trace: Path, cli: Cli) -> None:
    """`--only` and `--sessions` choose rules and sessions, in one process and in two."""
    folder = trace.parent
    for more in ((), ("--jobs", "2")):
        done = cli("check", folder, trace, "--only", "kegs/low", "--sessions", "build=7.1", *more)
        assert (done.returncode, "1 check on 1 session: 1 held" in done.stdout) == (0, True), done.stdout + done.stderr
    done = cli("check", folder, trace, "--sessions", "build=8")
    assert (done.returncode, "no session of the run has build=8" in done.stdout) == (2, True)
    done = cli("check", folder, trace, "--sessions", "build")
    assert (done.returncode, "expected NAME=PATTERN" in done.stderr) == (2, True)
