"""What a report gathers from sessions that it is given one after the other."""

from pathlib import Path
from typing import Any

import pytest

from breadcrumb import Trace, judge
from breadcrumb.report import reporting
from breadcrumb.report.gathering import Gathered
from breadcrumb.report.reporting import ReportWriter
from breadcrumb.run.results import Result
from breadcrumb.run.running import run_checks
from breadcrumb.run.tallies import RunResult
from breadcrumb.testing import make_trace
from breadcrumb.verdicts.verdict import Verdict
from replayed import replay_data

CHECKS = """
from breadcrumb import judge


def check_a_keg_stays_low(trace):
    assert judge(trace.all("keg").y < 3, "a keg stays low")


def check_a_keg_stays_slow(trace):
    assert judge(trace.all("keg").speed < 5, "a keg stays slow")


def check_a_lid_is_shut(trace):
    assert judge(trace.all("lid").open < 1, "a lid is shut")
"""


def session(folder: Path, name: str, heights: list[float], event: int | None = None) -> Path:
    """Record a keg at some heights, with a bump on a frame."""
    from breadcrumb import Recorder

    class Keg:
        id, x = "keg-1", 0.0

    keg = Keg()
    with Recorder(folder / f"{name}.crumbs", build=name.partition("-")[0], level="cellar", seed=name) as rec:
        rec.parameter("lift", max(heights) > 3)
        rec.declare(events=["bump"], kinds=["lid"])
        rec.watch(keg, id="keg-1", kind="keg", position=("x", "x"), y=lambda one: one.y)
        for frame, height in enumerate(heights):
            keg.y = height  # type: ignore[attr-defined]
            if frame == event:
                rec.event("bump", by="keg-1")
            rec.frame(frame / 10)
    return folder / f"{name}.crumbs"


@pytest.fixture
def run(tmp_path: Path) -> RunResult:
    """Five sessions: one holds, three break alike, of which two were bumped, and one breaks elsewhere first."""
    (tmp_path / "check_it.py").write_text(CHECKS)
    traces = [
        session(tmp_path, "calm", [0, 1, 2]),
        session(tmp_path, "high-1", [0, 1, 4]),
        session(tmp_path, "bumped-1", [0, 4, 4], event=1),
        session(tmp_path, "bumped-2", [0, 2, 5], event=2),
        session(tmp_path, "high-2", [0, 7, 4]),
    ]
    return run_checks([tmp_path / "check_it.py"], traces)


def test_sessions_that_broke_in_the_same_way_are_one_group(run: RunResult) -> None:
    """The first rule, its kind and the events on that frame tell ways apart, whichever frame it is; the most frequent is first."""
    gathered = Gathered()
    new = [gathered.add([one for one in run.results if one.trace == trace]) for trace in run.sessions]
    assert new == [False, True, True, False, False]
    told = [(one.sessions, one.first.around, [Path(each).stem for each in one.named]) for one in gathered.worst_groups]
    assert told == [(2, (), ["high-1", "high-2"]), (2, ("bump",), ["bumped-1", "bumped-2"])]
    assert [one.sentence for one in gathered.worst_rules] == ["a keg stays low", "a lid is shut", "a keg stays slow"]
    assert gathered.worst_rules[0].margins.tolist() == [1.0, -1.0, -1.0, -2.0, -4.0]
    assert {what: gathered.count(what) for what in ("broken", "untested", "held")} == {
        "broken": 4,
        "untested": 5,
        "held": 6,
    }


def test_builds_and_parameters_are_told_with_the_sessions_that_broke(run: RunResult) -> None:
    """Each build, level and parameter has a row for each value, with how many sessions broke; what differs stands first."""
    gathered = Gathered()
    for one in run.recordings:
        gathered.add([each for each in run.results if each.trace == one.trace], one.about)
    told = [(name, value, build.sessions, build.broken) for name, value, build in gathered.metadata_rows(4)]
    assert told == [
        ("build", "high", 2, 2),
        ("build", "bumped", 2, 2),
        ("build", "calm", 1, 0),
        ("parameter lift", "True", 4, 4),
        ("parameter lift", "False", 1, 0),
        ("level", "cellar", 5, 4),
    ]


def test_a_report_replays_the_part_of_a_long_session_around_its_first_breach(
    run: RunResult, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The page holds so many values, around where something broke first, and the rules that broke there; its title says so."""
    monkeypatch.setattr(reporting, "_MOST_VALUES", 6)
    (high,) = (trace for trace in run.sessions if Path(trace).stem == "bumped-2")
    writer = ReportWriter(tmp_path / "out")
    writer.add(next(one for one in run.found if one.trace == high))
    (page,) = (tmp_path / "out" / "replays").iterdir()
    data = replay_data(page)
    assert data["label"] == "bumped-2, frames 1 to 2"
    assert [(one["sentence"], one["frame"]) for one in data["rules"]] == [("a keg stays low", 2)]


def test_the_rule_that_broke_first_is_told_by_its_frame_not_by_its_place() -> None:
    """A check further down the file that broke on an earlier frame is the first one."""
    trace: Trace = make_trace([{"a": {"x": float(n), "y": 9.0 * (n == 1)}} for n in range(4)], kinds={"a": "keg"})
    late, early = judge(trace.all("keg").x < 3, "late"), judge(trace.all("keg").y < 3, "early")
    gathered = Gathered()
    gathered.add([_result(late), _result(early)])
    assert [one.sentence for one in gathered.broken["a.crumbs"]] == ["early", "late"]


def _result(verdict: Verdict) -> Any:
    from breadcrumb.run.results import CheckInfo

    return Result.of(CheckInfo(f"check_{verdict.sentence}", "check_it.py", 1), "a.crumbs", "a", (verdict,))
