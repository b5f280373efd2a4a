"""`breadcrumb check --watch` runs what changed, as soon as it changed."""

import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace

import pytest

from breadcrumb import Recorder
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.lock import lock_file

PATIENCE = 30.0
CHECK = (
    "from breadcrumb import judge\n\n\ndef check_kegs(trace):\n    assert judge(trace.all('keg').y < {limit}, 'low')\n"
)


class Watching:
    """The command in a process of its own, and what it says."""

    def __init__(self, folder: Path) -> None:
        script = "from breadcrumb.cli import main; main()"
        command = [sys.executable, "-u", "-c", script, "check", "checks", "night", "--watch"]
        self.process = subprocess.Popen(
            command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        self.lines: list[str] = []
        self.reader = threading.Thread(target=self._read, daemon=True)
        self.reader.start()

    def _read(self) -> None:
        assert self.process.stdout is not None
        for line in self.process.stdout:
            self.lines.append(line.rstrip())

    def until(self, words: str) -> list[str]:
        """Wait until something is said, and return what was said since the last time, up to there."""
        deadline = time.monotonic() + PATIENCE
        while not (found := [at for at, line in enumerate(self.lines) if words in line]):
            assert time.monotonic() < deadline, self.lines
            time.sleep(0.02)
        said = self.lines[: found[0] + 1]
        del self.lines[: found[0] + 1]
        return said


def record(folder: Path, name: str, top: float = 0.0) -> None:
    """Record a keg."""
    keg = SimpleNamespace(y=top)
    with Recorder(folder / "night" / f"{name}.crumbs") as rec:
        rec.watch(keg, id="keg-1", kind="keg", y="y")
        rec.frame(0.0)


@pytest.fixture
def watching(tmp_path: Path) -> Iterator[Watching]:
    """The command, watching two check files and one trace, when its first run is over."""
    (tmp_path / "checks").mkdir()
    (tmp_path / "night").mkdir()
    (tmp_path / "checks" / "check_one.py").write_text(CHECK.format(limit=3))
    (tmp_path / "checks" / "check_two.py").write_text("from limits import TOP\n" + CHECK.format(limit="TOP"))
    (tmp_path / "checks" / "limits.py").write_text("TOP = 5\n")
    (tmp_path / "checks" / "check_all.py").write_text(
        "from breadcrumb import judge\n\n\ndef check_all(traces):\n    assert judge(len(traces) < 3, 'few')\n"
    )
    record(tmp_path, "first")
    started = Watching(tmp_path)
    assert "3 checks on 1 session: 3 held" in started.until("Ctrl-C ends it")
    yield started
    started.process.kill()
    started.process.wait()
    started.reader.join()
    started.process.stdout.close()  # type: ignore[union-attr]


def test_what_changes_is_run_again(watching: Watching, tmp_path: Path) -> None:
    """A check file on all traces, a helper with the files that may use it, a new trace with all check files, and nothing else."""
    checks = tmp_path / "checks"
    (checks / "check_one.py").write_text(CHECK.format(limit=-1))
    said = watching.until("NEXT")
    assert any(line.endswith("changed: check_one.py") for line in said), said
    assert "1 check on 1 session: 1 broken" in said
    (checks / "check_one.py").write_text("def check_kegs(trace:\n")
    assert any("invalid Python" in line for line in watching.until("WRONG"))
    (checks / "check_one.py").write_text(CHECK.format(limit=3))
    watching.until("1 check on 1 session: 1 held")
    (checks / "limits.py").write_text("TOP = -5\n")
    assert "3 checks on 1 session: 1 broken, 2 held" in watching.until("NEXT")
    (checks / "limits.py").write_text("TOP = 5\n")
    watching.until("3 checks on 1 session: 3 held")
    record(tmp_path, "second", top=4.0)
    said = watching.until("NEXT")
    assert any(line.endswith("changed: second.crumbs") for line in said), said
    assert "2 checks on 1 session: 1 broken, 1 held" in said
    watching.until("1 check on 2 sessions: 1 held")  # a check of several sessions is run on all of them
    time.sleep(1)  # a run that changed the files of a trace would run again
    assert watching.lines == []
    watching.process.send_signal(signal.SIGINT)
    assert watching.process.wait(PATIENCE) == 0


def test_a_session_is_checked_when_its_lock_is_free(watching: Watching, tmp_path: Path) -> None:
    """A recording that ends some time after its last write is not lost, though no file changes when it ends."""
    record(tmp_path / "elsewhere", "held")
    (tmp_path / "elsewhere" / "night" / "held.crumbs").rename(tmp_path / "held")
    journal = (tmp_path / "held" / FILE_NAME).open("rb")
    assert lock_file(journal)
    (tmp_path / "held").rename(tmp_path / "night" / "held.crumbs")
    time.sleep(1)
    assert watching.lines == []
    journal.close()
    said = watching.until("2 held")
    assert any(line.endswith("changed: held.crumbs") for line in said), said


def test_a_session_is_checked_when_its_recording_ends(watching: Watching, tmp_path: Path) -> None:
    """While a game still records, its trace is left alone."""
    keg = SimpleNamespace(y=0.0)
    with Recorder(tmp_path / "night" / "live.crumbs") as rec:
        rec.watch(keg, id="keg-1", kind="keg", y="y")
        for frame in range(30):
            rec.frame(frame / 10)
            time.sleep(0.03)
        assert watching.lines == []
    said = watching.until("2 held")
    assert any(line.endswith("changed: live.crumbs") for line in said), said


REFUSED = [("--report", "out"), ("--json", "out"), ("--junit", "out"), ("--scheduler", "tcp://x:1")]


@pytest.mark.parametrize("option", REFUSED, ids=lambda one: one[0])
def test_watching_writes_no_files(option: tuple[str, str], tmp_path: Path) -> None:
    """What is for whole runs is refused, and nothing is begun."""
    (tmp_path / "check_it.py").write_text(CHECK.format(limit=3))
    script = "from breadcrumb.cli import main; main()"
    command = [sys.executable, "-c", script, "check", "check_it.py", ".", "--watch", *option]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False, timeout=PATIENCE)
    assert (done.returncode, "leave out" in done.stderr) == (2, True), done.stderr
