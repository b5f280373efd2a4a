"""Shapes are declared with what is recorded, and are the same wherever the trace goes."""

import json
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess
from types import SimpleNamespace

import numpy as np
import pytest

from breadcrumb import Misuse, Recorder, Shape, open_trace

Cli = Callable[..., CompletedProcess[str]]
SHAPES = {
    "keg": Shape.circle("size", offset=(0, 0.5)),
    "crate": Shape.box(2, 1, 0.5, turn="orientation"),
    "hull": Shape.capsule((-1, 0), (1, 0), 0.5, turn="angle"),
    "reef": Shape.polygon([(0, 0), (2, 0), (0, 1)]),
}


def record(rec: Recorder, frames: int = 3) -> None:
    """Record an object of each kind, in each way there is."""
    thing = SimpleNamespace(x=0.0, y=0.0, size=1.0, angle=0.0)
    rec.watch(thing, id="keg", kind="keg", position=("x", "y"), size="size", shape=SHAPES["keg"])
    rec.watch_each(lambda: [thing], kind="hull", position=("x", "y"), angle="angle", shape=SHAPES["hull"])
    rec.watch_arrays("crate", np.arange(2), position=np.zeros((2, 3)), shape=SHAPES["crate"])
    for frame in range(frames):
        rec.frame(t=frame / 60)


def test_shapes_go_where_the_trace_goes(cli: Cli, tmp_path: Path) -> None:
    """Opened, in a second part, and as frame lines and back, each kind has the shape that it was recorded with."""
    first, second = tmp_path / "first.crumbs", tmp_path / "second.crumbs"
    with Recorder(first, shapes={"reef": SHAPES["reef"]}) as rec:
        record(rec)
        rec.continue_in(second)
        rec.frame(t=1.0)
    lines, again = tmp_path / "lines.jsonl", tmp_path / "again.crumbs"
    assert cli("convert", first, lines).returncode == 0
    assert json.loads(lines.read_text().splitlines()[0])["about"]["shapes"]["crate"] == {
        "box": [2, 1, 0.5],
        "turn": "orientation",
    }
    assert cli("convert", lines, again).returncode == 0
    for path in (first, first, second, again):
        trace = open_trace(path)
        assert {kind: trace.all(kind).shape for kind in ("keg", "crate", "hull")} == {
            kind: SHAPES[kind] for kind in ("keg", "crate", "hull")
        }, path
        assert Shape.of(trace.about["shapes"]["reef"]) == SHAPES["reef"]
    shown = cli("show", first).stdout
    assert "a circle of radius .size at (0, 0.5)" in shown
    assert {kind["kind"]: kind["shape"] for kind in json.loads(cli("show", first, "--json").stdout)["kinds"]}[
        "hull"
    ] == str(SHAPES["hull"])


def test_a_kind_has_one_shape(tmp_path: Path) -> None:
    """A second shape for a kind is refused when it is declared, and the first one stays."""
    thing = SimpleNamespace(x=0.0, y=0.0)
    with Recorder(tmp_path / "two.crumbs") as rec:
        rec.watch(thing, id="a", kind="keg", position=("x", "y"), shape=Shape.circle(1.0))
        rec.watch(SimpleNamespace(x=1.0, y=0.0), id="b", kind="keg", position=("x", "y"), shape=Shape.circle(1.0))
        with pytest.raises(
            Misuse, match="one for all of the kind keg, found a circle of radius 2 and another one before"
        ):
            rec.watch(thing, id="c", kind="keg", position=("x", "y"), shape=Shape.circle(2.0))
        rec.frame(t=0.0)
    assert open_trace(tmp_path / "two.crumbs").all("keg").shape == Shape.circle(1.0)


@pytest.mark.parametrize(
    ("shapes", "said"),
    [
        ({"keg": {"ring": 1}}, "expected one of circle, sphere, box, capsule, polygon, edges"),
        ({"keg": {"box": ["a"]}}, "expected two or three sides"),
        ({"keg": 3}, "expected one of circle"),
        ([1], "expected a shape by kind at shapes"),
    ],
)
def test_what_is_no_shape_is_refused_where_it_is_told(shapes: object, said: str, cli: Cli, tmp_path: Path) -> None:
    """A session whose first line tells a shape that is none is not begun; nor is a recording."""
    lines = tmp_path / "wrong.jsonl"
    lines.write_text(json.dumps({"breadcrumb": 2, "about": {"shapes": shapes}}) + "\n" + '{"frame": 0, "t": 0}\n')
    made = cli("convert", lines, tmp_path / "wrong.crumbs")
    assert made.returncode != 0
    assert said in made.stderr
    assert not (tmp_path / "wrong.crumbs").exists()
    with pytest.raises(Misuse) as caught:
        Recorder(tmp_path / "refused.crumbs", shapes=shapes)
    assert said in str(caught.value)
