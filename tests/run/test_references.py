"""A check that takes `reference` compares each session with the accepted one, `references` with all of its level."""

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess
from types import SimpleNamespace

import pytest

from breadcrumb import Recorder

Cli = Callable[..., CompletedProcess[str]]
CHECK = """
from breadcrumb.checks import session


def check_same_as_accepted(trace, reference):
    assert session.same_as(trace, reference, tol={"y": 0.01})
"""


CHECK_ALL = """
from breadcrumb.checks import session


def check_consistent_with_accepted(trace, references):
    assert len(references) >= 5 and all(one.about["level"] == trace.about["level"] for one in references)
    assert all(one.about != trace.about for one in references)
    assert session.consistent_with(trace, references)
"""


def record(path: Path, last: float = 3.0, **about: object) -> Path:
    """Record a keg that rises, to another height on the last frame."""
    keg = SimpleNamespace(y=0.0)
    with Recorder(path, **about) as rec:  # type: ignore[arg-type]
        rec.watch(keg, id="keg-1", kind="keg", y="y")
        for frame in range(4):
            keg.y = last if frame == 3 else float(frame)
            rec.frame(frame / 10)
    return path


@pytest.fixture
def cellar(tmp_path: Path) -> Path:
    """A check file, accepted sessions of two seeds and two rates, and a new build's."""
    (tmp_path / "check_cellar.py").write_text(CHECK)
    (tmp_path / "check_all.py").write_text(CHECK_ALL)
    for seed, rate in ((1, 30), (1, 60), (2, 60)):
        record(tmp_path / f"accepted/{seed}-{rate}.crumbs", level="cellar", seed=seed, tick_rate=rate, build="1.0")
    record(tmp_path / "same.crumbs", 3.005, level="cellar", seed=1, tick_rate=60, build="1.1")
    record(tmp_path / "other.crumbs", 3.5, level="cellar", seed=1, tick_rate=60, build="1.1")
    record(tmp_path / "new.crumbs", level="attic", seed=1, tick_rate=60, build="1.1")
    record(tmp_path / "twice/1.crumbs", level="cellar", seed=1, tick_rate=60)
    record(tmp_path / "twice/2.crumbs", level="cellar", seed=1, tick_rate=60)
    for seed in range(7):
        record(tmp_path / f"good/{seed}.crumbs", level="cellar", seed=seed, build="1.0")
    record(tmp_path / "good/attic.crumbs", 9.0, level="attic", seed=1, build="1.0")
    return tmp_path


CASES: dict[str, tuple[str, list[str], int, str, str]] = {
    # a session, where the accepted ones are, the exit code, the outcome in pytest, and what is said
    "the same": ("same.crumbs", ["accepted"], 0, "1 passed", "1 held"),
    "another value": ("other.crumbs", ["accepted"], 1, "1 failed", "first frame 3 (0.300 s) keg-1: y 0.5 off; measured 3.5, allowed 3"),
    "no reference": ("same.crumbs", [], 2, "1 failed", "no accepted session was named: add --reference PATH"),
    "another level": ("new.crumbs", ["accepted"], 3, "1 untested", "none of 3 accepted sessions has level attic, seed 1"),
    "the session itself": ("accepted/2-60.crumbs", ["accepted"], 3, "1 untested", "the accepted session is this session itself"),
    "two that fit": ("same.crumbs", ["twice"], 2, "1 failed", "expected one accepted session like this one, found"),
    "as several": ("same.crumbs", ["good"], 0, "1 passed", "1 held"),
    "one of several": ("good/3.crumbs", ["good"], 0, "1 passed", "1 held"),
    "no references": ("same.crumbs", [], 2, "1 failed", "this check takes references, and no accepted session was named"),
    "another level than all": ("new.crumbs", ["accepted"], 3, "1 untested", "none of 3 accepted sessions has level attic"),
    "a pair": ("same.crumbs", ["twice"], 1, "1 failed", "1 broken"),
}  # fmt: skip


OF_ALL = "as several", "one of several", "no references", "another level than all", "a pair"


@pytest.mark.parametrize("name", CASES)
def test_a_session_is_compared_with_the_accepted_one(name: str, cellar: Path, cli: Cli) -> None:
    """It is that of the same level and seed; without any the check is an error; command, processes and pytest agree."""
    trace, references, code, told, words = CASES[name]
    file = "check_all.py" if name in OF_ALL else "check_cellar.py"
    options = [option for one in references for option in ("--reference", str(cellar / one))]
    for more in ((), ("--jobs", "2"), ("--timeout", "60")):
        done = cli("check", cellar / file, cellar / trace, "--no-figures", *options, *more)
        assert (done.returncode, words in " ".join(done.stdout.split())) == (code, True), done.stdout + done.stderr
    command = [sys.executable, "-m", "pytest", "-q", file, "--crumbs", trace, "-p", "no:cacheprovider"]
    done = subprocess.run([*command, *options], cwd=cellar, capture_output=True, text=True, check=False)
    assert told in done.stdout, done.stdout


def test_the_next_command_names_the_references(cellar: Path, cli: Cli) -> None:
    """What the summary ends with shows the same breach, given the same accepted sessions."""
    done = cli("check", cellar / "check_cellar.py", cellar / "other.crumbs", "--no-figures", "--reference", cellar / "accepted/1-60.crumbs")  # fmt: skip
    command = done.stdout.splitlines()[-1].partition("breadcrumb ")[2].split()
    assert command[-2:] == ["--reference", str(cellar / "accepted/1-60.crumbs")]
    done = cli(*command, "--no-open")
    assert (done.returncode, done.stderr) == (0, ""), done.stderr


def test_a_reference_that_cannot_be_read_is_an_error(cellar: Path, cli: Cli) -> None:
    """Nothing is judged without it, and the error names it."""
    done = cli("check", cellar / "check_cellar.py", cellar / "same.crumbs", "--reference", cellar / "nothing.crumbs")
    assert (done.returncode, "nothing.crumbs" in done.stderr) == (2, True), done.stderr
    done = cli("listen", "--check", cellar / "check_cellar.py", "--reference", cellar / "nothing.crumbs", "--out", cellar / "in")  # fmt: skip
    assert (done.returncode, "nothing.crumbs" in done.stderr) == (2, True), done.stderr


@pytest.mark.parametrize(("file", "accepted"), [("check_cellar.py", "accepted"), ("check_all.py", "good")])
def test_a_session_that_was_sent_is_compared_with_the_accepted_one(
    file: str, accepted: str, cellar: Path, cli: Cli
) -> None:
    """The listener runs the check on each session when it ends, with the reference or the references it was given."""
    lines = ['{"breadcrumb": 2, "about": {"level": "cellar", "seed": 1, "tick_rate": 60}}']
    lines += ['{"frame": 0, "t": 0.0, "appear": [{"id": "keg-1", "kind": "keg"}], "state": {"keg-1": {"y": 0.0}}}']
    lines += [f'{{"frame": {n}, "t": {n / 10}, "state": {{"keg-1": {{"y": {n}.0}}}}}}' for n in range(1, 4)]
    lines += ['{"end": true}']
    (cellar / "sent.jsonl").write_text("\n".join(lines) + "\n")
    done = cli("listen", cellar / "sent.jsonl", "--check", cellar / file, "--reference", cellar / accepted, "--out", cellar / "in")  # fmt: skip
    assert (done.returncode, "1 held" in done.stdout) == (0, True), done.stdout + done.stderr


def test_a_check_file_with_restarts_takes_a_reference(cellar: Path, cli: Cli) -> None:
    """Both sessions are compared whole, however the file divides them."""
    text = CHECK.replace("from breadcrumb.checks", "from breadcrumb import Restarts\nfrom breadcrumb.checks")
    (cellar / "check_cellar.py").write_text(f'{text}\n\nRESTARTS = Restarts("again")\n')
    for session in ("accepted/1-60", "same", "other"):
        keg = SimpleNamespace(y=0.0)
        with Recorder(cellar / f"{session}.crumbs", overwrite=True, level="cellar", seed=1, tick_rate=60) as rec:
            rec.watch(keg, id="keg-1", kind="keg", y="y")
            for frame in range(6):
                keg.y = 9.0 if (session, frame) == ("other", 5) else float(frame)
                if frame == 3:
                    rec.event("again")
                rec.frame(frame / 10)
    for session, code in (("same", 0), ("other", 1)):
        done = cli("check", cellar / "check_cellar.py", cellar / f"{session}.crumbs", "--no-figures", "--reference", cellar / "accepted")  # fmt: skip
        assert done.returncode == code, done.stdout


def test_a_fixture_called_reference_of_the_users_own_is_left_alone(cellar: Path) -> None:
    """A test that takes a trace and a reference of its own is given that."""
    (cellar / "conftest.py").write_text("import pytest\n\n\n@pytest.fixture\ndef reference():\n    return 7\n")
    own = "def test_own(trace, reference):\n    assert reference == 7 and judge(trace.all('keg').y < 9, 'low')\n"
    (cellar / "test_own.py").write_text(f"from breadcrumb import judge\n\n\n{own}")
    command = [sys.executable, "-m", "pytest", "-q", "test_own.py", "--crumbs", "same.crumbs", "-p", "no:cacheprovider"]
    done = subprocess.run(command, cwd=cellar, capture_output=True, text=True, check=False)
    assert "1 passed" in done.stdout, done.stdout
