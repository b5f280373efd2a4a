"""Checking sessions in several processes: the same results, and one that goes wrong costs itself alone."""

import os
import pickle
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from breadcrumb import Misuse, Recorder
from breadcrumb.errors import CheckFileError, TraceError, UnknownName
from breadcrumb.run.running import run_checks, usual_jobs

Cli = Callable[..., "subprocess.CompletedProcess[str]"]
CHECKS = """
import os, signal, time
from breadcrumb import judge


def check_kegs_stay_low(trace):
    assert judge(trace.all("keg").y < 3, "kegs stay low")


def check_a_bell_rings(trace):
    assert judge(trace.events("ring").count > 0, "a bell rings")


def check_by_name(trace):
    if trace.label == DIES:
        os.kill(os.getpid(), signal.SIGKILL)
    if trace.label == HANGS:
        open(__file__ + ".hangs", "w").close()
        time.sleep(600)
    assert judge(True, "it is named")
"""
NAMES = ("calm", "high", "wild", "mild", "late")
BAD: dict[str, tuple[int, str, str, str]] = {
    # how many processes, what a check does in the session named wild: die or hang; and what is told of it
    "it dies": (2, "wild", "", "the process that checked it was killed by SIGKILL"),
    "it hangs": (2, "", "wild", "it exceeded the time limit of 5 s"),
    "it hangs alone": (1, "", "wild", "it exceeded the time limit of 5 s"),
}


@pytest.fixture(scope="module")
def sessions(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Five short sessions, of which one breaks a check and only one has a bell."""
    folder = tmp_path_factory.mktemp("sessions")

    class Keg:
        x, y = 0.0, 0.0

    for name in NAMES:
        keg = Keg()
        with Recorder(folder / f"{name}.crumbs", build=name) as rec:
            rec.watch(keg, id="keg-1", kind="keg", position=("x", "x"), y="y")
            for frame in range(6):
                keg.y = frame * (name == "high")
                if name == "calm" and frame == 3:
                    rec.event("ring", by="keg-1")
                rec.frame(frame / 10)
    return folder


def checks(folder: Path, dies: str = "", hangs: str = "") -> Path:
    """Write the check file."""
    path = folder / "check_kegs.py"
    path.write_text(f"{CHECKS}\n\nDIES, HANGS = {dies!r}, {hangs!r}\n")
    return path


def paths(folder: Path) -> list[Path]:
    """Return the traces in a fixed order."""
    return [folder / f"{name}.crumbs" for name in NAMES]


@pytest.mark.parametrize("how", [{"jobs": 2}, {"jobs": 3, "timeout": 60.0}, {"jobs": 1, "timeout": 60.0}])
def test_results_are_the_same_in_any_number_of_processes(how: dict[str, Any], sessions: Path, tmp_path: Path) -> None:
    """What is found, in which order, and which names are known is the same as in one process, an unreadable trace included."""
    traces = [*paths(sessions), sessions / "nothing.crumbs"]
    alone = run_checks([checks(tmp_path)], traces)
    assert run_checks([tmp_path / "check_kegs.py"], traces, **how) == alone
    assert ([one.outcome for one in alone.results].count("broken"), len(alone.problems)) == (5, 1)


@pytest.mark.parametrize("how", BAD)
def test_a_session_that_goes_wrong_costs_itself_alone(how: str, sessions: Path, tmp_path: Path) -> None:
    """A process that dies, or hangs for too long, is a problem of the run by the name of its session; the others are checked."""
    jobs, dies, hangs, told = BAD[how]
    run = run_checks([checks(tmp_path, dies, hangs)], paths(sessions), jobs=jobs, timeout=5.0)
    assert run.problems == (f"{sessions / 'wild.crumbs'}: {told}",)
    assert [Path(one).stem for one in run.sessions] == [name for name in NAMES if name != "wild"]
    assert run.exit_code == 2


def test_an_error_in_a_check_file_is_the_same_from_any_process(sessions: Path, tmp_path: Path) -> None:
    """What is wrong with a check is raised with its words, although it was found in another process."""
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import judge\n\n\ndef check_it(trace):\n"
        "    assert judge(True, 'one', id='same')\n    assert judge(True, 'two', id='same')\n"
    )
    said = []
    for jobs in (1, 2):
        with pytest.raises(CheckFileError) as raised:
            run_checks([tmp_path / "check_it.py"], paths(sessions), jobs=jobs)
        said.append(str(raised.value))
    assert said[0] == said[1]


ERRORS = [
    CheckFileError("check_it.py", "expected Python"), Misuse("no"), UnknownName("kind", "kge", ["keg"], "trace it"), TraceError("it"),
]  # fmt: skip


@pytest.mark.parametrize("error", ERRORS, ids=lambda one: type(one).__name__)
def test_errors_come_back_from_a_process_as_they_are(error: Exception) -> None:
    """Pickled and back, an error has its type, its message and its attributes."""
    back = pickle.loads(pickle.dumps(error))
    assert (type(back), str(back), vars(back)) == (type(error), str(error), vars(error))


def test_an_interrupt_leaves_what_was_found(sessions: Path, tmp_path: Path) -> None:
    """After Ctrl-C the summary tells of the sessions that were checked, and how many there were."""
    args = ["check", str(checks(tmp_path, hangs="mild")), *map(str, paths(sessions)), "--jobs", "2", "--no-figures"]
    script = "from breadcrumb.cli import main; main()"
    command = [sys.executable, "-c", script, *args, "--report", str(tmp_path / "night")]
    process = subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, start_new_session=True
    )
    while not (tmp_path / "check_kegs.py.hangs").exists():
        time.sleep(0.05)
    time.sleep(3)  # by then those that began before it are checked
    os.killpg(process.pid, signal.SIGINT)
    said, errors = process.communicate(timeout=60)
    assert errors.strip() == "Stopped by Ctrl-C."
    assert "interrupted, with 3 of 5 sessions checked" in said
    assert "BROKEN  check_kegs_stay_low" in said
    assert (process.returncode, (tmp_path / "night" / "index.html").is_file()) == (130, True)


def test_the_command_takes_the_number_of_processes(sessions: Path, tmp_path: Path, cli: Cli) -> None:
    """`--jobs` and `--timeout` are numbers above 0, and what is said is the same with and without them."""
    told = [
        cli("check", checks(tmp_path), *paths(sessions), "--no-figures", *more)
        for more in ((), ("--jobs", "2"), ("--jobs", "1", "--timeout", "60"))
    ]
    assert len({(done.returncode, done.stdout) for done in told}) == 1
    assert (told[0].returncode, "5 broken" in told[0].stdout) == (1, True)
    for wrong in (("--jobs", "0"), ("--timeout", "0"), ("--timeout", "soon")):
        assert cli("check", tmp_path / "check_kegs.py", *paths(sessions), *wrong).returncode == 2


def test_few_sessions_are_checked_in_this_process() -> None:
    """Of a few sessions none is worth a process of its own; never are there more processes than sessions."""
    assert (usual_jobs(1), usual_jobs(4)) == (1, 1)
    assert 1 <= usual_jobs(5) <= 5
