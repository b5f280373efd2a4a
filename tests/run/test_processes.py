"""Checking sessions in several processes: the same results, and one that goes wrong costs itself alone."""

import linecache
import os
import pickle
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from breadcrumb import Misuse
from breadcrumb.errors import CheckFileError, TraceError, UnknownName
from breadcrumb.run.known import KnownFailure
from breadcrumb.run.running import run_checks, usual_jobs
from breadcrumb.run.sessions import Judge, Task
from breadcrumb.run.sources import Sources
from breadcrumb.trace.vocabulary import Vocabulary
from clustering import Cluster

pytestmark = pytest.mark.xdist_group("cluster")

NAMES = ("calm", "high", "wild", "mild", "late")
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
    if trace.label == SLOW:
        open(__file__ + ".slow", "w").close()
        time.sleep(1)
    assert judge(trace.label != "late", "it is not late")


def check_bells_are_rare(traces):
    assert judge(sum(trace.events("ring").count for trace in traces) > 1, "several bells ring")
"""
BAD: dict[str, tuple[dict[str, Any], str, str, str]] = {
    # where it is checked, what a check does in the session named wild: die or hang; and what is told of it
    "it dies": ({"jobs": 2}, "wild", "", "the process that checked it was killed by SIGKILL"),
    "it hangs": ({"jobs": 2}, "", "wild", "it exceeded the time limit of 2 s"),
    "it hangs alone": ({"jobs": 1}, "", "wild", "it exceeded the time limit of 2 s"),
    "it dies on a worker": ({"scheduler": "here"}, "wild", "", "the process that checked it was killed by SIGKILL"),
    "it hangs on a worker": ({"scheduler": "here"}, "", "wild", "it exceeded the time limit of 2 s"),
}
Where = Callable[[dict[str, Any]], dict[str, Any]]


def checks(folder: Path, dies: str = "", hangs: str = "", slow: str = "") -> Path:
    """Write the check file."""
    path = folder / "check_kegs.py"
    path.write_text(f"{CHECKS}\n\nDIES, HANGS, SLOW = {dies!r}, {hangs!r}, {slow!r}\n")
    return path


ANYWHERE: dict[str, dict[str, Any]] = {
    "two processes": {"jobs": 2},
    "three, with a time limit": {"jobs": 3, "timeout": 60.0},
    "one, with a time limit": {"jobs": 1, "timeout": 60.0},
    "a cluster": {"scheduler": "here"},
    "a cluster, with a time limit": {"scheduler": "here", "timeout": 60.0},
}


@pytest.fixture
def where(request: pytest.FixtureRequest) -> Callable[[dict[str, Any]], dict[str, Any]]:
    """Fill in the address of the cluster, which is started if it is asked for."""
    return lambda how: how | ({"scheduler": request.getfixturevalue("cluster").address} if "scheduler" in how else {})


@pytest.mark.parametrize("how", ANYWHERE)
def test_results_are_the_same_anywhere(how: str, where: Where, sessions: list[Path], tmp_path: Path) -> None:
    """What is found, in which order, and which names are known is the same as in one process, an unreadable trace included."""
    traces = [*sessions, tmp_path / "nothing.crumbs"]
    known = [KnownFailure("kegs/by_name/judge", "not yet")]
    alone = run_checks([checks(tmp_path)], traces, known=known)
    assert run_checks([tmp_path / "check_kegs.py"], traces, known=known, **where(ANYWHERE[how])) == alone
    assert ([one.outcome for one in alone.results].count("broken"), len(alone.problems)) == (6, 1)
    assert alone.found[-1].results[0].session == "all 5 sessions"


@pytest.mark.parametrize("how", BAD)
def test_a_session_that_goes_wrong_costs_itself_alone(
    how: str, where: Where, sessions: list[Path], tmp_path: Path
) -> None:
    """A process that dies, or hangs for too long, is a problem of the run by the name of its session; the others are checked."""
    place, dies, hangs, told = BAD[how]
    run = run_checks([checks(tmp_path, dies, hangs)], sessions, timeout=2.0, **where(place))
    assert run.problems == (f"{sessions[2]}: {told}",)
    assert [Path(one).stem for one in run.sessions] == [name for name in NAMES if name != "wild"]
    assert run.exit_code == 2


def test_a_worker_that_dies_costs_nothing_if_another_takes_over(
    cluster: Cluster, sessions: list[Path], tmp_path: Path
) -> None:
    """The session that a killed worker was checking is checked by another one; no result is lost or changed."""
    path = checks(tmp_path, slow="wild")
    alone = run_checks([path], sessions)
    watch = threading.Thread(target=_kill_when, args=(cluster.workers[0], Path(f"{path}.slow")))
    Path(f"{path}.slow").unlink()
    watch.start()
    assert run_checks([path], sessions, scheduler=cluster.address) == alone
    watch.join()
    assert cluster.workers[0].poll() is not None
    cluster.workers[0] = cluster.start_worker()


def _kill_when(process: "subprocess.Popen[bytes]", path: Path) -> None:
    while not path.exists():
        time.sleep(0.02)
    process.kill()


def test_a_check_file_that_fails_on_a_worker_leaves_the_others(
    cluster: Cluster, sessions: list[Path], tmp_path: Path
) -> None:
    """What it imports is here and not there: it is a problem, told once, and the other check files are run."""
    (tmp_path / "check_elsewhere.py").write_text(
        f"import os\nassert os.getpid() == {os.getpid()}, 'only here'\n\n\ndef check_it(trace):\n    assert True\n"
    )
    run = run_checks([checks(tmp_path), tmp_path / "check_elsewhere.py"], sessions, scheduler=cluster.address)
    (problem,) = run.problems
    assert "check_elsewhere.py:2: cannot be loaded: AssertionError: only here" in problem
    assert {one.check.stem for one in run.results} == {"kegs"}


def test_check_files_travel_with_the_task(sessions: list[Path], tmp_path: Path) -> None:
    """What a check file and its helpers found is the same where neither is on the disk, digest and lines included."""
    path = checks(tmp_path)
    (tmp_path / "limits.py").write_text("HIGHEST = 3\n")
    path.write_text(
        path.read_text().replace("< 3", "< HIGHEST").replace("import os", "from limits import HIGHEST\nimport os")
    )
    (tmp_path / "aids").mkdir()
    (tmp_path / "aids" / "__init__.py").write_text("NEAR = 9\n")
    (tmp_path / "env").mkdir()
    (tmp_path / "env" / "large.py").write_text("")
    (tmp_path / "check_plain.py").write_text(
        "from aids import NEAR\n\n\ndef check_plain(trace):\n    assert trace.one('keg').y.values[-1] == 0 * NEAR\n"
    )
    task = Task(Sources.at([path, tmp_path / "check_plain.py"]))
    here, carried = Judge(task).judge(sessions[1], Vocabulary()), replace(task, sources=task.sources.copied())
    carries = {"check_kegs.py", "check_plain.py", "limits.py", "aids/__init__.py"}
    assert {one.relative_to(tmp_path).as_posix() for one in carried.sources.copies} == carries
    shutil.rmtree(tmp_path)
    linecache.clearcache()
    assert Judge(pickle.loads(pickle.dumps(carried))).judge(sessions[1], Vocabulary()) == here
    assert [one.outcome for one in here.results] == ["broken", "broken", "held", "broken"]


NOWHERE = {
    # what there is at the address, and what is said
    "nothing": ("tcp://127.0.0.1:1", "does not answer"),
    "no address": ("nonsense://x", "does not answer"),
}


@pytest.mark.parametrize("name", NOWHERE)
def test_a_scheduler_that_does_not_answer_is_named(name: str, sessions: list[Path], tmp_path: Path, cli: Cli) -> None:
    """The command says which scheduler it tried, and ends with 2."""
    address, said = NOWHERE[name]
    done = cli("check", checks(tmp_path), *sessions, "--scheduler", address)
    assert (done.returncode, f"the scheduler at {address} {said}" in done.stderr) == (2, True), done.stderr


def test_an_error_in_a_check_file_is_the_same_from_anywhere(where: Where, sessions: list[Path], tmp_path: Path) -> None:
    """What is wrong with a check is raised with its words, although it was found in another process or on a worker."""
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import judge\n\n\ndef check_it(trace):\n"
        "    assert judge(True, 'one', id='same')\n    assert judge(True, 'two', id='same')\n"
    )
    said = []
    for how in ({"jobs": 1}, {"jobs": 2}, {"scheduler": "here"}):
        with pytest.raises(CheckFileError) as raised:
            run_checks([tmp_path / "check_it.py"], sessions, **where(how))
        said.append(str(raised.value))
    assert len(set(said)) == 1


ERRORS = [
    CheckFileError("check_it.py", "expected Python"), Misuse("no"), UnknownName("kind", "kge", ["keg"], "trace it"), TraceError("it"),
]  # fmt: skip


@pytest.mark.parametrize("error", ERRORS, ids=lambda one: type(one).__name__)
def test_errors_come_back_from_a_process_as_they_are(error: Exception) -> None:
    """Pickled and back, an error has its type, its message and its attributes."""
    back = pickle.loads(pickle.dumps(error))
    assert (type(back), str(back), vars(back)) == (type(error), str(error), vars(error))


def test_an_interrupt_leaves_what_was_found(sessions: list[Path], tmp_path: Path) -> None:
    """After Ctrl-C the summary tells of the sessions that were checked, and how many there were."""
    args = ["check", str(checks(tmp_path, hangs="mild")), *map(str, sessions), "--jobs", "2", "--no-figures"]
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


def test_the_command_takes_the_number_of_processes(sessions: list[Path], tmp_path: Path, cli: Cli) -> None:
    """`--jobs` and `--timeout` are numbers above 0, and what is said is the same with and without them."""
    told = [
        cli("check", checks(tmp_path), *sessions, "--no-figures", *more)
        for more in ((), ("--jobs", "2"), ("--jobs", "1", "--timeout", "60"))
    ]
    assert len({(done.returncode, done.stdout) for done in told}) == 1
    assert (told[0].returncode, "7 broken" in told[0].stdout) == (1, True)
    for wrong in (("--jobs", "0"), ("--timeout", "0"), ("--timeout", "soon")):
        assert cli("check", tmp_path / "check_kegs.py", *sessions, *wrong).returncode == 2


def test_few_sessions_are_checked_in_this_process() -> None:
    """Of a few sessions none is worth a process of its own; never are there more processes than sessions."""
    assert (usual_jobs(1), usual_jobs(4)) == (1, 1)
    assert 1 <= usual_jobs(5) <= 5


WRITTEN = ("--json", "--junit", "--report", "--out")


@pytest.mark.parametrize("option", WRITTEN)
def test_what_cannot_be_written_costs_itself_alone(option: str, sessions: list[Path], tmp_path: Path) -> None:
    """A full disk is named with what to do, leaves no half of a file, and the summary tells of every session all the same."""
    more = [str(tmp_path / "o" / "it"), *(["--no-figures"] if option in ("--json", "--junit") else [])]
    words = ["check", str(checks(tmp_path)), *map(str, sessions), "--jobs", "2", option, *more]
    script = "import resource as r; r.setrlimit(r.RLIMIT_FSIZE, (2048, 2048)); from breadcrumb.cli import main; main()"
    done = subprocess.run([sys.executable, "-c", script, *words], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (2, ""), done.stderr
    assert (
        f"cannot be written to {tmp_path / 'o' / 'it'} (File too large); name another place with {option}"
        in done.stdout
    )
    assert "4 checks on 5 sessions: 7 broken" in done.stdout
    assert not [one for one in (tmp_path / "o").glob("it*") if one.is_file()]
    assert "\nreport " not in done.stdout
