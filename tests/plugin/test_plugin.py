import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

from breadcrumb.run.running import run_checks

CHECKS = """
from breadcrumb import frames, judge
from breadcrumb.checks import triggers

def check_held(trace):
    assert judge(trace.all("skiff").speed <= 6.0, "slow")

def check_broken(trace):
    assert judge(trace.all("skiff").speed < 6.0, "slower")

def check_untested_then_held(trace):
    assert judge(trace.all("skiff").speed.at(trace.events("error")) < 1, "none")
    assert judge(trace.all("skiff").speed <= 6.0, "slow")

def check_asserts_nothing(trace):
    pass
"""


def _pytest(folder: Path, *words: str | Path) -> "subprocess.CompletedProcess[str]":
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
    return subprocess.run(
        command, cwd=folder, env=environment, capture_output=True, text=True, check=False, timeout=120
    )


def test_pytest_and_the_command_agree_on_every_outcome(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """The same file gives held, broken and untested in both; a check untested in every session is named and fails the run."""
    file = tmp_path / "check_it.py"
    file.write_text(CHECKS)
    run = run_checks([file], [bay()])
    done = _pytest(tmp_path, "check_it.py", "--crumbs", bay())
    words = {"held": "PASSED", "broken": "FAILED", "untested": "UNTESTED"}
    for result in run.results:
        assert f"{words[result.outcome]} check_it.py::{result.check.name}[7-60]" in done.stdout, done.stdout
    assert "1 failed, 1 passed, 2 untested" in done.stdout
    assert "check_asserts_nothing[7-60]: asserted nothing" in done.stdout
    assert "UNTESTED check_it.py::check_untested_then_held: no session exercised it" in done.stdout
    assert done.returncode == 1


def test_a_failure_shows_the_explanation(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """The assertion's message is the explanation, and the traceback ends in the check file."""
    (tmp_path / "check_it.py").write_text(CHECKS)
    done = _pytest(tmp_path, "check_it.py::check_broken", "--crumbs", bay(), bay(seed=8))
    assert "Broken: BROKEN  slower" in done.stdout
    assert "tern: speed is on the limit, which is not allowed; measured 6 m/s, allowed below 6 m/s" in done.stdout
    assert "verdict.py" not in done.stdout


def test_an_untested_check_alone_fails_the_run(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """A run in which nothing broke but no session exercised a check does not end with 0; one in which all held does."""
    (tmp_path / "check_it.py").write_text(CHECKS)
    assert _pytest(tmp_path, "check_it.py::check_untested_then_held", "--crumbs", bay()).returncode == 1
    assert _pytest(tmp_path, "check_it.py::check_held", "--crumbs", f"{bay().parent}/7-6*.crumbs").returncode == 0
    (tmp_path / "night").mkdir()
    shutil.copytree(bay(), tmp_path / "night" / "one.crumbs")
    assert "check_held[one]" in _pytest(tmp_path, "check_it.py::check_held", "--crumbs", "night").stdout


def test_other_test_runs_do_not_pay_for_the_plugin(tmp_path: Path) -> None:
    """Without a trace the plugin loads neither the library nor what it stands on, and leaves other fixtures alone."""
    (tmp_path / "test_it.py").write_text(
        "import sys\nimport pytest\n\n@pytest.fixture\ndef trace():\n    return 3\n\ndef test_it(trace):\n    assert trace == 3\n"
        "    assert not {'breadcrumb', 'numpy', 'pyarrow'} & set(sys.modules)\n"
    )
    done = _pytest(tmp_path, "test_it.py")
    assert done.returncode == 0, done.stdout


def test_a_check_without_a_trace_says_what_to_do(tmp_path: Path) -> None:
    """Asking for a trace that nobody named, or that is not there, is one clear message."""
    for argument in ("trace", "traces"):
        (tmp_path / "test_it.py").write_text(f"def test_it({argument}):\n    pass\n")
        assert "none was given: pass --crumbs PATH" in _pytest(tmp_path, "test_it.py").stdout
    (tmp_path / "test_it.py").write_text("def test_it(trace):\n    pass\n")
    missing = _pytest(tmp_path, "test_it.py", "--crumbs", "nowhere.crumbs")
    assert "--crumbs: there is nothing at nowhere.crumbs" in missing.stdout + missing.stderr


SEVERAL = """
from breadcrumb import for_sessions, judge

def check_sometimes(trace):
    assert judge(trace.all("barrel").velocity.norm().at(trace.events("ring.bell")) < 99, "rings", id="rings")

@for_sessions(level="attic")
def check_the_attic(trace):
    assert judge(trace.all("skiff").speed <= 6.0, "slow")

def check_known(trace):
    assert judge(trace.all("skiff").speed <= 5.0, "slower", id="slower")
    assert judge(trace.all("skiff").speed <= 6.0, "slow")

def check_all(traces):
    assert judge(len(traces) == 2, "two sessions")

@for_sessions(build="0.9.2")
def check_one_build(trace):
    assert judge(trace.all("skiff").speed < 9, "slow")
"""


def test_a_run_in_several_processes_ends_as_one(bay: Callable[..., Path], tmp_path: Path) -> None:
    """Under xdist, what no session exercised, known failures and checks of several sessions are told as without, and as the command does."""
    (tmp_path / "check_it.py").write_text(SEVERAL)
    (tmp_path / "known.toml").write_text('["it/slower"]\nreason = "BAY-12"\n\n["it/gone"]\nreason = "?"\n')
    crumbs = ("--crumbs", bay(), "--crumbs", bay("barrel-tired"), "--known-failures", tmp_path / "known.toml")
    alone, two = (_pytest(tmp_path, "check_it.py", *crumbs, *more) for more in ((), ("-n", "2")))
    told = [
        {
            line
            for line in run.stdout.splitlines()
            if line.startswith(("UNTESTED check_it.py::check_the", "NOTE", "WRONG", "XFAIL"))
        }
        for run in (alone, two)
    ]
    assert told[0] == told[1]
    words = "\n".join(sorted(told[0]))
    assert "NOTE it/gone is a known failure, and no session judged it" in words
    assert "UNTESTED check_it.py::check_the_attic: it applies to no session" in words
    assert words.count("XFAIL") == 2
    assert "WRONG event 'ring.bell' was neither seen nor declared" in words
    assert (alone.returncode, two.returncode) == (1, 1)
    assert all("3 skipped, 2 xfailed" in run.stdout for run in (alone, two)), alone.stdout
