import re
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from breadcrumb import Box, Circle, Recorder, Trace, Verdict, frames, judge
from breadcrumb.checks import collisions, movement, rays, spawns, triggers
from breadcrumb.report.figures import FigureWriter, figure_of
from breadcrumb.report.naming import file_name
from breadcrumb.run.running import run_checks
from breadcrumb.run.tallies import RunResult
from breadcrumb.testing import make_trace, small_trace


def _rings(*places: int) -> Verdict:
    """Return the verdict that rings rest, on an event-only session."""
    trace = make_trace([{"a": {"x": 0.0}}] * 6, kinds={"a": "bell"}, events=[(place, "ring", "a") for place in places])
    return triggers.respects_cooldown(trace.events("ring"), frames(3))


def _spark() -> Verdict:
    """Return the verdict on a lifetime without a place."""
    trace = make_trace([{}, {"s": {"x": 0.0}}, {}], kinds={"s": "spark"})
    return spawns.lasts(trace.all("spark"), frames(2))


FIGURES: dict[str, tuple[Callable[[], Verdict], set[str]]] = {
    # a verdict, and the panels of its figure
    "a place outside": (lambda: movement.stays_inside(small_trace().one("skiff"), Box((-1, -1), (2, 1))), {"signal", "events", "path"}),
    "a speed": (lambda: movement.keeps_speed(small_trace().one("skiff"), 9.0), {"signal", "events", "path"}),
    "a condition": (lambda: judge(small_trace().one("skiff").position.x < 2, "west"), {"signal", "events"}),
    "moments": (lambda: _rings(0, 1, 5), {"events"}),
    "a lifetime": (_spark, {"events"}),
    "a pass": (lambda: movement.never_teleports(small_trace().one("skiff"), 3), {"signal", "events", "path"}),
}  # fmt: skip


@pytest.mark.parametrize("name", FIGURES)
def test_a_figure_shows_just_what_was_judged(name: str) -> None:
    """Signals have a panel with their band, movements a path, and events their lanes; the title is the rule."""
    make, panels = FIGURES[name]
    verdict = make()
    figure = figure_of(verdict)
    assert figure is not None
    assert {axes.get_label() for axes in figure.axes} == panels
    assert verdict.sentence.split()[0] in figure.get_suptitle()
    if "signal" in panels:
        (signal,) = (axes for axes in figure.axes if axes.get_label() == "signal")
        labels = {text.get_text() for text in signal.get_legend().get_texts()}  # type: ignore[union-attr]
        assert ("broken" in labels) == (verdict.outcome == "broken")


EAST: dict[str, Any] = {
    "axes": {"x": "east", "y": "north"}, "angles": {"unit": "deg", "zero": "east", "sense": "counter-clockwise"},
}  # fmt: skip


def _mast(check: Callable[[Trace], Verdict]) -> Verdict:
    """Return the verdict on a mast that turns away from a skiff, with a beam that ends behind it."""
    states: list[Any] = [
        {
            "mast": {"position": (0.0, 0.0), "yaw": yaw, "end": (yaw, 0.0), "way": (1.0, 0.0)},
            "heron": {"position": (5.0, 0.0)},
        }
        for yaw in (0.0, 45.0)
    ]
    return check(make_trace(states, kinds={"mast": "mast", "heron": "skiff"}, **EAST))


LINES: dict[str, tuple[Callable[[Trace], Verdict], tuple[tuple[float, float], ...]]] = {
    # a verdict on the mast, and the line that its evidence has
    "the way to an object": (lambda t: movement.faces(t.one("mast"), t.one("skiff")), ((0, 0), (5, 0))),
    "the way to a place": (lambda t: movement.faces(t.one("mast"), (0.0, 3.0)), ((0, 0), (0, 3))),
    "a ray": (
        lambda t: rays.ends_where_it_hits(t.one("mast").end, [Circle((9, 0), 1.0)], origin=t.one("mast").position,
                                          direction=t.one("mast").way, otherwise=20.0),
        ((0, 0), (8, 0)),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", LINES)
def test_a_breach_keeps_the_line_that_it_was_judged_by(name: str) -> None:
    """The way to a target, and a ray up to where it should end, are lines in the evidence, and in the figure."""
    check, line = LINES[name]
    verdict = _mast(check)
    assert verdict.outcome == "broken"
    assert verdict.evidence.first is not None
    assert verdict.evidence.first.lines == (line,)


def test_a_barrier_is_drawn_where_it_was_passed() -> None:
    """The barrier is a line of the path's panel; a region that was passed through is its outline."""
    skiff = small_trace().one("skiff")
    figure = figure_of(collisions.never_tunnels(skiff, [(1.5, -1), (1.5, 1)]))
    assert figure is not None
    (path,) = (axes for axes in figure.axes if axes.get_label() == "path")
    assert "judged by" in {text.get_text() for text in path.get_legend().get_texts()}  # type: ignore[union-attr]
    passed = collisions.never_tunnels(skiff, Box((1.2, -1), (1.4, 1)))
    assert passed.evidence.first is not None
    assert (passed.outcome, len(passed.evidence.first.outlines)) == ("broken", 1)


def test_an_untested_verdict_has_nothing_to_draw() -> None:
    """Without evidence there is no figure."""
    assert figure_of(_rings(1)) is None


def test_figures_stay_in_their_folder_whatever_the_names(tmp_path: Path) -> None:
    """A session or object with a hostile name writes no file elsewhere, and its name is drawn as it is."""
    hostile = "../../x$\\frac{1}$<b>"
    trace_folder = tmp_path / "deep" / "er"
    trace_folder.mkdir(parents=True)

    class Thing:
        x = 1.0

    with Recorder(trace_folder / "it $1 is.crumbs") as rec:
        rec.watch(Thing(), id=hostile, kind=hostile, x="x")
        rec.event(hostile, by=hostile)
        rec.frame(0.0)
    check = tmp_path / "check_it.py"
    check.write_text(
        f"from breadcrumb import judge\n\ndef check_it(trace):\n    assert judge(trace.all({hostile!r}).x < 1, {hostile!r})\n"
    )
    before = {path for path in tmp_path.rglob("*") if path.is_file()}
    run = run_checks([check], [trace_folder / "it $1 is.crumbs"])
    (figure,) = _figures(run, tmp_path / "figures").values()
    assert figure.parent == tmp_path / "figures"
    assert re.fullmatch(r"it_1_is-[0-9a-f]{8}-it--it--judge--[\w.-]+\.png", figure.name)
    new = {path for path in tmp_path.rglob("*") if path.is_file()} - before
    assert {path.parent.name for path in new if path.suffix == ".png"} == {"figures"}


def test_figures_of_sessions_and_rules_of_one_name_are_all_there(tmp_path: Path) -> None:
    """Two sessions of one name, and rules whose names differ in signs alone, have a figure each."""
    traces = [tmp_path / folder / "same.crumbs" for folder in ("a", "b")]
    for trace in traces:
        trace.parent.mkdir()
        with Recorder(trace) as rec:
            rec.watch(SimpleNamespace(x=1.0), id="a", kind="skiff", x="x")
            rec.frame(0.0)
    broken = "judge(trace.all('skiff').x < 1, 'x', id='a {}b')"
    check = tmp_path / "check_it.py"
    check.write_text(
        "from breadcrumb import judge\n\ndef check_it(trace):\n"
        f"    one, two = {broken.format('')}, {broken.format(' ')}\n    return one, two\n"
    )
    run = run_checks([check], traces)
    for out in (tmp_path / "figures", None):
        written = _figures(run, out)
        assert len(written) == len(set(written.values())) == 4
        assert all(path.is_file() for path in written.values())
    assert file_name("海" * 300) != file_name("海" * 301)


def test_a_run_of_many_sessions_says_in_which_a_check_broke(tmp_path: Path, cli: Callable[..., Any]) -> None:
    """Five broken sessions give three figures of a check and one name, with its folder if another is called alike."""
    for number in range(5):
        with Recorder(tmp_path / ("a", "b")[number > 2] / f"{number % 3}.crumbs") as rec:
            rec.watch(SimpleNamespace(x=1.0), id="a", kind="skiff", x="x")
            rec.frame(0.0)
    one = "def check_it_{}(trace):\n    assert judge(trace.all('skiff').x < 1, 'x {}')\n"
    checks = (one.format(n, n) for n in range(5))  # of the fourth and on, only the first breach is told
    (tmp_path / "check_it.py").write_text("from breadcrumb import judge\n\n" + "\n".join(checks))
    said = cli("check", "check_it.py", tmp_path / "a", tmp_path / "b", "--out", "drawn").stdout
    assert len(list((tmp_path / "drawn").iterdir())) == 15
    assert said.count("in 5 of 5 sessions, first in a/0") == 5
    assert "figures are of the first 3 sessions in which a check broke" in said


@pytest.mark.parametrize(
    ("check", "said"), [(movement.stays_inside, "allowed"), (movement.stays_outside, "not allowed")]
)
def test_a_region_is_shown_as_what_it_is(check: Callable[..., Verdict], said: str) -> None:
    """Where an object belongs is drawn as allowed, where it does not as not allowed, and what is at an end is in view."""
    states = [{"heron": {"position": (float(n), 0.0)}} for n in range(5)]
    trace = make_trace(states, kinds={"heron": "skiff"}, axes={"x": "east", "y": "north"})
    figure = figure_of(check(trace.one("skiff"), Box((-1, -1), (2, 1))))
    assert figure is not None
    (path,) = (axes for axes in figure.axes if "path" in axes.get_title(loc="left"))
    assert said in {text.get_text() for text in path.get_legend().get_texts()}  # type: ignore[union-attr]
    below = next(axes for axes in figure.axes if axes.get_xlabel() == "game time [s]")
    assert below.get_xlim()[0] < 0 < 0.4 < below.get_xlim()[1]


def _figures(run: RunResult, out: Path | None) -> dict[tuple[str, str], Path]:
    """Write the figures of a run, session by session."""
    writer = FigureWriter(out)
    for one in run.found:
        writer.add(one)
    return writer.written
