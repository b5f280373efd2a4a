import re
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from breadcrumb import Recorder
from breadcrumb.cli.main import _COMMANDS

Cli = Callable[..., "subprocess.CompletedProcess[str]"]

GOOD = (
    "from breadcrumb import judge\n\ndef check_it(trace):\n    assert judge(trace.all('skiff').speed <= 6.0, 'slow')\n"
)

BAD_FILES = {
    # what is in the check file, what is said of it
    "a syntax error": ("def check_it(trace:\n    pass\n", r"check_it\.py:1: invalid Python: '\(' was never closed"),
    "a failing import": ("import nothing_of_this_name\n", r"check_it\.py:1: cannot be loaded: ModuleNotFoundError"),
    "an error on loading": ("x = 1\ny = 1 / 0\n", r"check_it\.py:2: cannot be loaded: ZeroDivisionError"),
    "no check": ("def test_it(trace):\n    pass\n", "there is no check in it"),
    "another argument": (
        "def check_it(boat):\n    pass\n",
        r"check_it\.py:1: check_it: expected one argument, trace, or traces for all sessions of the run, or trace and reference or references; found \(boat\)",
    ),
    "a check that raises": (
        "def check_it(trace):\n    {}['a']\n",
        r"check_it in 7-60: .*check_it\.py:2: KeyError: 'a'",
    ),
    "a misspelt kind": ("def check_it(trace):\n    trace.all('skif')\n", "has no kind 'skif'; did you mean 'skiff'"),
    "a misspelt property": (
        "def check_it(trace):\n    trace.all('skiff').sped\n",
        "has no property 'sped'; did you mean 'speed'",
    ),
    "a name nobody knows": (
        "from breadcrumb.checks import movement\nfrom breadcrumb import Box\n\ndef check_it(trace):\n"
        "    assert movement.stays_inside(trace.all('kraken'), Box((0, 0), (1, 1)))\n",
        "kind 'kraken' was neither seen nor declared in any session",
    ),
}


@pytest.mark.parametrize("name", BAD_FILES)
def test_a_bad_check_file_gives_one_clear_message(
    name: str, cli: Cli, tmp_path: Path, bay: Callable[..., Path]
) -> None:
    """The message names file, line and what is wrong; the exit code is 2 and there is no traceback."""
    content, words = BAD_FILES[name]
    (tmp_path / "check_it.py").write_text(content)
    done = cli("check", "check_it.py", bay())
    said = done.stdout + done.stderr
    assert done.returncode == 2, said
    assert len(re.findall(words, said)) == 1, said
    assert "Traceback" not in said


def _journal(content: bytes) -> Callable[[Path], object]:
    def make(path: Path) -> None:
        path.mkdir()
        (path / "journal.bin").write_bytes(content)

    return make


BAD_TRACES: dict[str, tuple[Callable[[Path], object], str]] = {
    "nothing": (lambda path: None, "expected a trace, found nothing"),
    "a file": (lambda path: path.write_text("hello"), "expected a trace, that is a folder NAME.crumbs or a file NAME.crumbs.zip; found a file"),
    "an empty folder": (Path.mkdir, "found neither"),
    "a journal of something else": (_journal(b"\x7fELF and so on"), "expected a journal"
    ),
    "an empty journal": (_journal(b""), "expected a journal"),
}  # fmt: skip


@pytest.mark.parametrize("command", ["check", "show"])
@pytest.mark.parametrize("name", BAD_TRACES)
def test_a_bad_trace_gives_one_clear_message(name: str, command: str, cli: Cli, tmp_path: Path) -> None:
    """What is no trace is said to be none, with what it is; the exit code is 2 and there is no traceback."""
    make, words = BAD_TRACES[name]
    make(tmp_path / "it.crumbs")
    (tmp_path / "check_it.py").write_text(GOOD)
    done = cli(command, *(["check_it.py"] if command == "check" else []), "it.crumbs")
    said = done.stdout + done.stderr
    assert done.returncode == 2, said
    assert said.count(words) == 1, said
    assert "Traceback" not in said


def test_one_bad_trace_does_not_keep_the_others_from_being_checked(
    cli: Cli, tmp_path: Path, bay: Callable[..., Path]
) -> None:
    """The good session is checked and reported, and the run still ends with 2."""
    (tmp_path / "check_it.py").write_text(GOOD)
    done = cli("check", "check_it.py", "nowhere.crumbs", bay())
    assert "expected a trace, found nothing" in done.stdout
    assert "1 check on 1 session: 1 held" in done.stdout
    assert done.returncode == 2


def test_a_broken_check_is_explained_and_drawn(
    cli: Cli, tmp_path: Path, bay: Callable[..., Path], examples: Path
) -> None:
    """The summary names object, frame, measured and allowed, and the figure that it names is there."""
    done = cli("check", examples / "lantern_bay", bay("barrel-tired"), "--out", tmp_path / "figures")
    assert done.returncode == 1, done.stderr
    assert "frame 25 (0.417 s)  barrel-1: 0.162 m/s too low; measured 1.863 m/s, allowed 2.024 m/s" in done.stdout
    figures = [Path(line.split()[-1]) for line in done.stdout.splitlines() if line.strip().startswith("figure ")]
    assert len(figures) == 2
    for figure in figures:
        assert figure.read_bytes().startswith(b"\x89PNG")
    assert (
        done.stdout.index("BROKEN") < done.stdout.index("tightest margins") < done.stdout.index("checks on 1 session")
    )


def test_a_folder_of_traces_stands_for_all_of_them(
    cli: Cli, bay: Callable[..., Path], examples: Path, tmp_path: Path
) -> None:
    """`check` takes files and folders of checks, traces and patterns of traces, and names nothing when all held."""
    files = [examples / "lantern_bay" / f"check_{name}.py" for name in ("whirlpools", "boom")]
    done = cli("check", *files, bay(), bay(seed=8))
    assert done.returncode == 0, done.stdout
    assert "BROKEN" not in done.stdout
    assert "10 checks on 2 sessions: 20 held" in done.stdout
    for name in ("one", "two"):
        shutil.copytree(bay(), tmp_path / "night" / name / "faulty.crumbs")
    night = cli("check", files[0], "night/*/faulty.crumbs")  # no shell has resolved it
    assert (night.returncode, "on 2 sessions: " in night.stdout) == (0, True), night.stdout
    none = cli("check", files[0], "day/*/faulty.crumbs")
    assert (none.returncode, "expected a trace, found nothing" in none.stdout) == (2, True), none.stdout
    alone = cli("check", *files)
    assert (alone.returncode, "no trace to run it on" in alone.stderr) == (2, True)


def test_the_demo_shows_a_pass_and_an_explained_failure(cli: Cli, tmp_path: Path) -> None:
    """Without any option a newcomer gets two traces, checks, figures, a page, and a summary that says where all is."""
    done = cli("demo")
    assert done.returncode == 0, done.stderr
    assert re.search(r"1\d\d checks on 2 sessions: 2 broken, 3\d\d held", done.stdout)
    assert "Traces are in lantern-bay" in done.stdout
    assert len(list((tmp_path / "lantern-bay" / "faulty.figures").glob("*.png"))) == 2
    page = next(line for line in done.stdout.splitlines() if "on the page" in line).split()[-1].rstrip(".")
    assert "check_barrels_bounce_by_the_normal" in (tmp_path / page).read_text("utf-8")
    again = cli(*next(line for line in done.stdout.splitlines() if line.startswith("  breadcrumb check")).split()[1:])
    assert again.returncode == 1
    assert cli("show", "lantern-bay/correct.crumbs").returncode == 0


def test_the_demo_plays_the_faults_it_is_asked_for(cli: Cli) -> None:
    """Faults are listed with a line each and can be combined; one that does not exist is said not to."""
    listed = cli("demo", "--list-faults").stdout
    assert "flare-two" in listed
    assert "every throw makes two flares" in listed
    assert "asleep:BEHAVIOUR" in listed
    done = cli("demo", "--fault", "flare-two", "--fault", "barrel-per-frame", "--seconds", "30", "--seed", "3")
    assert "check_each_throw_makes_one_flare" in done.stdout
    assert "check_barrels_move_as_fast_as_they_say" in done.stdout  # at a rate at which it shows


WRONG_DEMOS = {
    # what is asked of the demo, and what is said
    "a fault that is none": (
        ["--fault", "flare-tow"],
        "no fault 'flare-tow'; breadcrumb demo --list-faults names them",
    ),
    "a script that is no JSON": (["--script", "not.json"], "not.json: expected JSON"),
    "a script with another input": (
        ["--script", "odd.json"],
        "odd.json, input 1: expected 'at' in seconds and 'what' of",
    ),
    "a script that is not there": (["--script", "nowhere.json"], "nowhere.json: No such file or directory"),
}


@pytest.mark.parametrize("name", WRONG_DEMOS)
def test_what_the_demo_cannot_play_is_said(name: str, cli: Cli, tmp_path: Path) -> None:
    """A wrong fault or script is one clear message, and the exit code is 2."""
    words, said = WRONG_DEMOS[name]
    (tmp_path / "not.json").write_text("steer")
    (tmp_path / "odd.json").write_text('[{"at": 1, "what": "fly"}]')
    done = cli("demo", *words)
    assert done.returncode == 2
    assert done.stderr.startswith(f"Error: {said}"), done.stderr


def test_the_demo_plays_a_session_that_must_fail(cli: Cli) -> None:
    """With an empty roll its own checks run, and hold because the errors come."""
    done = cli("demo", "--empty-roll", "--seconds", "60", "--rate", "30")
    assert "3 checks on 1 session: 3 held" in done.stdout, done.stdout + done.stderr
    assert "figures in" not in done.stdout  # nothing broke, so there is none
    assert "breadcrumb check lantern-bay/checks/negative lantern-bay/empty-roll.crumbs" in done.stdout


def test_the_demo_writes_its_script(cli: Cli, tmp_path: Path) -> None:
    """The usual inputs become a file that can be changed and played again."""
    assert cli("demo", "--write-script", "inputs.json").returncode == 0
    assert '"what": "steer"' in (tmp_path / "inputs.json").read_text()


def test_show_says_what_is_in_a_trace(cli: Cli, bay: Callable[..., Path]) -> None:
    """Kinds with their lifetimes, properties with their range and changes, events with their counts."""
    said = cli("show", bay()).stdout
    assert "4321 frames, 0 to 4320; 72.000 s of game time, 60 frames a second" in said
    for row in (
        r"flare +8 +52 +position +m +\(-27\.34, -21\.983, 1\.1\) ",
        r"skiff +2 +2 ",
        r"flare\.thrown +52 +80 \(1\.333 s\)",
        r"error +0 +declared, never",
    ):
        assert re.search(row, said), row


@pytest.mark.parametrize("command", ["", *_COMMANDS])
def test_every_command_has_help_with_an_example(command: str, cli: Cli) -> None:
    """`--help` says what a command does, and gives a line that can be typed."""
    done = cli(*([command] if command else []), "--help")
    assert done.returncode == 0
    assert re.search(r"(Example|Start with): breadcrumb \w", done.stdout)


def test_every_example_works_as_it_stands_after_the_demo(cli: Cli, tmp_path: Path) -> None:
    """What each command's help gives as an example can be typed in the folder in which the demo was run."""
    assert cli("demo", "--seconds", "20").returncode == 0
    help = {command: cli(command, "--help").stdout for command in _COMMANDS if command not in ("demo", "listen")}
    for command, text in help.items():
        (example,) = re.findall(r"Example: breadcrumb ((?:\S+\s+)*\S+)\s*\Z", text)
        words = [found for word in example.split() for found in sorted(map(str, tmp_path.glob(word))) or [word]]
        done = cli(*words)
        assert done.returncode == (command in ("check", "compare")), (words, done.stderr)


def test_hostile_names_are_shown_as_text(cli: Cli, tmp_path: Path) -> None:
    """Markup and control characters in names are neither obeyed nor swallowed."""
    with Recorder(tmp_path / "it.crumbs", game="[red]x[/red]") as rec:
        rec.event("[bold]bell[/bold]", by="[link=x]y")
        rec.frame(0.0)
    said = cli("show", "it.crumbs").stdout
    assert "[red]x[/red]" in said
    assert "[bold]bell[/bold]" in said
    assert "[link=x]y" in said


def test_ctrl_c_ends_a_command_with_130(cli: Cli, bay: Callable[..., Path], tmp_path: Path) -> None:
    """A check that is interrupted ends the run with a line of words and the exit code that shells have for it."""
    (tmp_path / "check_it.py").write_text(
        "import os, signal\n\ndef check_it(trace):\n    signal.signal(signal.SIGINT, signal.default_int_handler)\n"
        "    os.kill(os.getpid(), signal.SIGINT)\n"
    )
    done = cli("check", tmp_path / "check_it.py", bay())
    assert (done.returncode, done.stderr.strip()) == (130, "Stopped by Ctrl-C.")


def test_what_is_not_asserted_and_what_is_plain_is_noted(cli: Cli, bay: Callable[..., Path], tmp_path: Path) -> None:
    """The summary says which verdicts were never asserted, and once how plain checks get a margin."""
    (tmp_path / "check_it.py").write_text(
        GOOD.replace("assert judge", "judge")
        + "\n\ndef check_two(trace):\n    assert len(trace.all('skiff').ids) == 2\n"
    )
    said = cli("check", tmp_path / "check_it.py", bay()).stdout
    assert "check_it.py:3: check_it never asserts 1 verdict that it makes; they count all the same" in said
    assert "1 check held with plain asserts alone; judge(condition, words) gives a margin too" in said
    assert "2 checks on 1 session: 2 held" in said


STEERING = "\x1b]0;owned\x07\x1b[2J\x9b31m\u202eend"


def test_nothing_in_a_trace_steers_the_terminal(cli: Cli, tmp_path: Path) -> None:
    """Control sequences in names, data, texts and file names are shown, in results, errors, lines and summaries alike."""
    with Recorder(tmp_path / "it.crumbs", game=STEERING, about=STEERING) as rec:
        rec.watch(
            SimpleNamespace(mood=STEERING, x=1.0),
            id=STEERING,
            kind=STEERING,
            mood="mood",
            x="x",
            properties={STEERING: "x"},
        )
        for frame in range(3):
            rec.event(STEERING, by=STEERING, on=STEERING, data={STEERING: STEERING})
            rec.frame(frame)
    (tmp_path / "check_it.py").write_text(
        f"from breadcrumb import judge\n\ndef check_it(trace):\n    assert judge(trace.all({STEERING!r}).x < 1, {STEERING!r})\n"
        f"\ndef check_two(trace):\n    raise ValueError({STEERING!r})\n\ndef check_three(trace):\n    assert 0 > 1, {STEERING!r}\n"
    )
    calls = [
        ["show", "it.crumbs"],
        ["show", "it.crumbs", "--around", "1"],
        ["show", "it.crumbs", "--event", STEERING],
        ["show", f"{STEERING}.crumbs"],
        ["check", "check_it.py", "it.crumbs"],
        ["convert", f"{STEERING}.jsonl", "a.crumbs"],
        ["draw", "it.crumbs", "--out", f"{STEERING}.png"],
    ]
    for call in calls:
        done = cli(*call)
        assert "Traceback" not in done.stderr, done.stderr
        for said in (done.stdout, done.stderr):
            assert not set(said) & set("\x1b\x07\x9b\u202e"), (call, said)
        assert "owned" in done.stdout + done.stderr


def test_names_are_printed_as_they_are(cli: Cli, tmp_path: Path) -> None:
    """What stands in a name for a picture or a style elsewhere is printed letter by letter."""
    name = "door:key:[red]"
    with Recorder(tmp_path / "it.crumbs", game=name) as rec:
        rec.watch(SimpleNamespace(mood=name), id=name, kind=name, mood="mood", properties={f"{name}x": "mood"})
        rec.event(f"{name}opened", by=name, data={name: name})
        rec.frame(0.0)
        rec.frame(0.1)
    (tmp_path / "check_it.py").write_text(
        f"from breadcrumb import judge\n\ndef check_it(trace):\n    assert judge(trace.one({name!r}).mood == 'shut', {name!r})\n"
    )
    shown = [["show", "it.crumbs", *more] for more in ([], ["--around", "0"], ["--object", name], ["--at", "0"])]
    for call in (*shown, ["check", "check_it.py", "it.crumbs", "--no-figures"]):
        said = cli(*call).stdout
        assert said.count("door") == said.count(name) > 0, said


ODD: dict[str, dict[str, Any]] = {
    "a text as a position": {"position": "here"},
    "a flag as a position": {"position": True},
    "a position of four parts": {"position": (1.0, 2.0, 3.0, 4.0)},
    "a position that is nowhere": {"position": (float("nan"), float("inf"))},
    "a position that is missing": {"position": None},
    "a text as an angle": {"yaw": "north"},
    "enormous numbers": {"position": (1e308, -1e308)},
}


@pytest.mark.parametrize("name", ODD)
def test_every_command_takes_odd_sessions(name: str, cli: Cli, tmp_path: Path) -> None:
    """Whatever sort of value a property has, and however far frames are apart, commands end in words."""
    with Recorder(tmp_path / "it.crumbs", units={"position": "m"}) as rec:
        rec.watch(SimpleNamespace(**ODD[name]), id="a", kind="skiff", properties={key: key for key in ODD[name]})
        for frame in (0, 1, 3_000_000_000):
            rec.event("rung", by="a", data={"position": "x", "normal": "y", "n": 10**300})
            rec.frame(frame, frame=frame)
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import Box\nfrom breadcrumb.checks import movement\n\n"
        "def check_it(trace):\n    assert movement.stays_inside(trace.one('skiff'), Box((0, 0), (9, 9)))\n"
    )
    for call in (["show", "it.crumbs"], ["show", "it.crumbs", "--around", "3000000000"], ["replay", "it.crumbs"],
                 ["draw", "it.crumbs"], ["convert", "it.crumbs", "it.jsonl"], ["check", "check_it.py", "it.crumbs", "--report", "r"]):  # fmt: skip
        done = cli(*call)
        assert "Traceback" not in done.stderr, (call, done.stderr)
        assert done.returncode in (0, 1, 2, 3)
