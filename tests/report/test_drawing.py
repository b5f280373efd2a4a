"""Figures of sessions: what is on them, and the command that draws them."""

from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess
from typing import Any

import numpy as np
import pytest
from PIL import Image

import breadcrumb
from breadcrumb.errors import Misuse
from breadcrumb.testing import make_trace
from forms import FORMS, WORLDS, scene

Cli = Callable[..., CompletedProcess[str]]

DRAWN: dict[str, tuple[list[str], list[str]]] = {
    "all": ([], ["paths.png", "over-time.png"]),
    "paths of two": (["--path", "heron", "--path", "flare"], ["paths.png"]),
    "over time": (["--signal", "heron.speed", "--signal", "flare.position.x", "--signal", "heron.caption",
                   "--signal", "skiff.resting", "--event", "flare.thrown", "--lifetimes", "flare"], ["over-time.png"]),
    "against": (["--against", "heron.position.x", "heron.speed"], ["against.png"]),
    "intervals": (["--intervals", "contact"], ["intervals.png"]),
    "a part, all at once": (["--from", "600", "--to", "20s", "--path", "heron", "--intervals", "contact"],
                            ["paths.png", "intervals.png"]),
}  # fmt: skip
WRONG = {
    "a property": (["--signal", "heron.spead"], "did you mean 'speed'?"),
    "no property": (["--signal", "heron"], "expected an object or a kind and its property, such as heron.speed"),
    "a part": (["--signal", "heron.position.w"], "position of heron has no part 'w'; it has 3"),
    "an object": (["--path", "herron"], "did you mean 'heron'"),
    "no number": (["--against", "heron.caption", "heron.speed"], "expected two numbers, and caption of heron is none"),
    "turned round": (["--from", "20", "--to", "10"], "expected a frame that is not before frame 20"),
    "several in one file": (["--out", "one.png"], "expected a folder, since there are 2 figures: paths, over-time"),
}


@pytest.mark.parametrize("name", DRAWN)
def test_the_command_draws_what_it_is_asked_for(name: str, cli: Cli, bay: Callable[..., Path], tmp_path: Path) -> None:
    """Each option gives a figure of its own, and says where it is; without options all is drawn."""
    options, files = DRAWN[name]
    done = cli("draw", bay(), *options, "--out", "here")
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout.split() == [str(Path("here") / file) for file in files]
    for file in files:
        with Image.open(tmp_path / "here" / file) as picture:
            assert picture.width == 1280
            assert len(picture.convert("RGB").getcolors(1 << 20) or []) > 50


def test_a_figure_may_be_a_drawing_in_lines(cli: Cli, bay: Callable[..., Path], tmp_path: Path) -> None:
    """A name that ends in .svg gives SVG."""
    assert cli("draw", bay(), "--path", "heron", "--out", "heron.svg").returncode == 0
    assert "<svg" in (tmp_path / "heron.svg").read_text()[:800]


@pytest.mark.parametrize("name", WRONG)
def test_what_cannot_be_drawn_is_said(name: str, cli: Cli, bay: Callable[..., Path]) -> None:
    """A wrong name or choice ends with exit code 2, words that help, and no figure."""
    options, words = WRONG[name]
    done = cli("draw", bay(), *options)
    assert done.returncode == 2
    assert words in done.stderr
    assert "Traceback" not in done.stderr


WAYS = {
    "y up": ({"x": "east", "y": "north"}, 2, ("x, east [m]", "y, north [m]"), (False, False)),
    "y down": ({"x": "right", "y": "down"}, 2, ("x, right [m]", "y, down [m]"), (False, True)),
    "z back": ({"x": "right", "y": "up", "z": "back"}, 3, ("x, right [m]", "z, back [m]"), (False, True)),
    "x west": ({"x": "west", "y": "south"}, 2, ("x, west [m]", "y, south [m]"), (True, True)),
}


@pytest.mark.parametrize("name", WAYS)
def test_a_plan_obeys_the_axes_of_the_session(name: str) -> None:
    """Axes have the session's names, leave out the one that points up, and go the way that they point."""
    axes, parts, labels, reversed_ = WAYS[name]
    states = [{"heron": {"position": (0.1 * n, 1.0, 2.0)[:parts]}} for n in range(5)]
    trace = make_trace(states, kinds={"heron": "skiff"}, axes=axes, units={"position": "m"})
    (plan,) = breadcrumb.draw_paths(trace.one("skiff")).axes
    assert (plan.get_xlabel(), plan.get_ylabel()) == labels
    assert (plan.xaxis.get_inverted(), plan.yaxis.get_inverted()) == reversed_


def _small() -> breadcrumb.Trace:
    """Return a boat that goes east and jumps back, with a gap in what is known, and a lamp with two lifetimes."""
    xs = [0.0, 1.0, 2.0, None, 4.0, 5.0, 6.0, 80.0, 81.0, 82.0]
    states: list[dict[str, Any]] = [{"heron": {"x": x, "position": None if x is None else (x, 0.0)}} for x in xs]
    for frame in (1, 2, 6, 7):
        states[frame]["lamp"] = {"name": {1: "$x$", 2: None}.get(frame, "b")}
    events = [(frame, "bell", "heron") for frame in (0, 2, 3, 9)]
    return make_trace(states, kinds={"heron": "skiff", "lamp": "lamp"}, events=events)


def test_a_path_is_drawn_within_lifetimes_and_jumps_are_dotted() -> None:
    """Where a position is missing there is a gap, later steps are less pale, and a jump is another line."""
    (axes,) = breadcrumb.draw_paths(_small().one("skiff")).axes
    (trail,) = axes.collections
    steps: Any = trail.get_segments()  # type: ignore[attr-defined]
    assert [(step[0][0], step[-1][0]) for step in steps] == [(0, 1), (1, 2), (4, 5), (5, 6), (80, 81), (81, 82)]
    alphas = np.asarray(trail.get_colors())[:, 3]  # type: ignore[attr-defined]
    assert (np.diff(alphas) > 0).all()
    dotted = [line for line in axes.lines if line.get_linestyle() == ":"]
    assert np.asarray(dotted[0].get_xdata())[:2].tolist() == [6.0, 80.0]


def test_values_over_time_are_those_of_the_signals() -> None:
    """A line for each lifetime with its gaps, texts by their names whatever is in them, lanes below."""
    trace = _small()
    x, name = trace.one("skiff").x, trace.one("lamp").name
    figure = breadcrumb.draw_over_time(x, name, events=[trace.events("bell")], spans=[trace.one("lamp").lifetimes])
    numbers, texts, lanes = figure.axes
    np.testing.assert_array_equal(np.asarray(numbers.lines[0].get_ydata()), x.values)
    assert [label.get_text() for label in texts.get_yticklabels()] == ["$x$", "b"]
    np.testing.assert_array_equal([np.asarray(line.get_ydata()) for line in texts.lines], [[0, np.nan], [1, 1]])
    assert [label.get_text() for label in lanes.get_yticklabels()] == ["lamp: lifetimes of the lamp", "bell"]
    figure.canvas.draw()


def test_intervals_have_their_median() -> None:
    """The line stands where half of the intervals are shorter."""
    above, _ = breadcrumb.draw_intervals(_small().events("bell")).axes
    assert np.asarray(above.lines[0].get_ydata()).tolist() == pytest.approx([0.2, 0.1, 0.6])
    assert np.asarray(above.lines[1].get_ydata()).tolist() == pytest.approx([0.2, 0.2])


def test_nothing_to_draw_is_an_error() -> None:
    """A figure that would be empty is refused."""
    with pytest.raises(Misuse, match="found nothing to draw"):
        breadcrumb.draw_over_time()


@pytest.mark.parametrize("form", FORMS)
def test_paths_show_bodies(form: str) -> None:
    """The path of objects that have a shape ends in it, as wide as it is."""
    trace = scene(FORMS[form], WORLDS["y down"], -3.0, 2.0)
    figure = breadcrumb.draw_paths(trace.all("crate"))
    patches = figure.axes[0].patches
    reached = np.concatenate([patch.get_path().vertices for patch in patches])
    assert (reached[:, 0].min(), reached[:, 0].max()) == pytest.approx((1.0, 3.0), abs=0.01)
    assert not breadcrumb.draw_paths(trace.all("crate").position).axes[0].patches
