import json
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from breadcrumb import open_trace
from breadcrumb.listen.lines import BadLine, schema
from breadcrumb.listen.sessions import SessionWriter
from missing import with_none

Cli = Callable[..., "subprocess.CompletedProcess[str]"]

FIRST = '{"breadcrumb": 2, "about": {"game": "Lantern Bay", "declare": {"events": ["gong"], "kinds": ["ghost"]}}}'
FRAMES = (
    FIRST,
    '{"frame": 0, "t": 0.0, "appear": [{"id": "heron", "kind": "skiff"}], "state": {"heron": {"at": [0, 1], "lit": true, "name": "h", "n": 1}}}',
    "",
    '{"frame": 1, "t": 0.1, "state": {"heron": {"at": [2.5, 1]}}, "events": [{"name": "bell", "by": "heron", "data": {"n": 1}}], "mood": 3}',
    '{"frame": 4, "t": 0.1, "appear": [{"id": "s", "kind": "spark"}], "leave": ["s"], "state": {"heron": {"n": null, "depth": "x"}}}',
    '{"frame": 5, "t": 0.2, "appear": [{"id": "heron", "kind": "skiff"}], "leave": ["heron"], "state": {"heron": {"n": "NaN"}}, "parameters": [{"name": "cap", "value": 6, "unit": "m/s"}]}',
    '{"end": true}',
)


def _take(path: Path, *lines: str) -> None:
    """Take all lines into a trace, and close it whatever happens."""
    writer = SessionWriter(lambda about: path)
    try:
        for line in lines:
            writer.take(line.encode())
    finally:
        writer.close()


def test_frame_lines_become_a_trace(tmp_path: Path) -> None:
    """Values carry on until they change; lifetimes, events, gaps, missing values and late properties are as told."""
    _take(tmp_path / "a.crumbs", *FRAMES)
    for _ in ("from the journal", "from Parquet"):
        trace = open_trace(tmp_path / "a.crumbs")
        heron = trace.all("skiff")
        assert trace.clock.frames.tolist() == [0, 1, 4, 5]
        assert heron.at.values.tolist()[:3] == [[0, 1], [2.5, 1], [2.5, 1]]
        assert heron.lit.usable.tolist() == [True, True, True, False]
        assert heron.n.usable.tolist() == [True, True, False, True]
        assert heron.n.values[3] != heron.n.values[3]
        assert with_none(heron.depth) == [None, None, "x", None]
        assert heron.appears.frames.tolist() == [5]
        assert trace.all("spark").lifetimes.count == 0
        assert trace.all("spark").appears.frames.tolist() == [4]
        assert trace.events("bell").data == ({"n": 1},)
        assert trace.parameter("cap") == 6
        assert trace.events("gong").count == 0
        assert trace.notes == ("the field 'mood' is not known and was ignored, once",)


BAD = {
    # the line, what is said of it
    "no JSON": ("{frame: 2}", "expected one JSON object, found something else"),
    "a list": ("[1, 2]", "Expected object, got array"),
    "no frame": ('{"t": 3}', "expected frame and t, or end, found neither"),
    "a text as a frame": ('{"frame": "2", "t": 1}', "Expected int | null, got str, at frame"),
    "an object as a value": ('{"frame": 2, "t": 1, "state": {"heron": {"at": {"x": 1}}}}', "got object, at state"),
    "a frame that falls": ('{"frame": 1, "t": 1}', "expected a number above 1, as frame numbers rise; found 1, at frame"),
    "a time that falls": ('{"frame": 2, "t": 0.05}', "expected 0.1 or later, as time never falls; found 0.05, at t"),
    "a stranger": ('{"frame": 2, "t": 1, "state": {"tern": {}}}', "expected the id of an object that appeared, found 'tern', at state"),
    "a stranger leaves": ('{"frame": 2, "t": 1, "leave": ["tern"]}', "expected the id of an object that is there, found 'tern', at leave"),
    "appears twice": ('{"frame": 2, "t": 1, "appear": [{"id": "heron", "kind": "skiff"}]}', "found 'heron', at appear; let it leave first"),
    "another type": ('{"frame": 2, "t": 1, "state": {"heron": {"lit": 3}}}', "expected a flag, as before, found a number, at state.heron.lit"),
    "another number of parts": ('{"frame": 2, "t": 1, "state": {"heron": {"at": 3}}}', "another number of parts, at state.heron.at"),
    "too many parts": ('{"frame": 2, "t": 1, "state": {"heron": {"far": [1, 2, 3, 4, 5]}}}', "expected two to four numbers, found 5, at state.heron.far"),
    "a text in a vector": ('{"frame": 2, "t": 1, "state": {"heron": {"at": ["east", 1]}}}', "expected a number, NaN, Infinity or -Infinity, found 'east'"),
    "no name": ('{"frame": 2, "t": 1, "state": {"heron": {"": 1}}}', "expected the name of a property, found an empty text"),
    "leaves twice": ('{"frame": 2, "t": 1, "leave": ["heron", "heron"]}', "expected each id once, found one twice, at leave"),
    "more parts": ('{"frame": 2, "t": 1, "state": {"heron": {"at": [1, 2, 3]}}}', "expected 2 numbers, as before, found [1.0, 2.0, 3.0], at state.heron.at"),
    "a huge number": ('{"frame": 2, "t": 1, "state": {"heron": {"n": 1e999}}}', "Number out of range"),
    "columns without ids": ('{"frame": 2, "t": 1, "columns": {"skiff": {"values": {"n": [1]}}}}', "missing required field ids, at columns"),
    "columns of a stranger": ('{"frame": 2, "t": 1, "columns": {"skiff": {"ids": ["tern"], "values": {}}}}', "expected the id of a skiff that appeared, found 'tern'"),
    "an id that is none": ('{"frame": 2, "t": 1, "columns": {"skiff": {"ids": [[1]], "values": {}}}}', "Expected str, got array, at columns"),
    "a short column": ('{"frame": 2, "t": 1, "columns": {"skiff": {"ids": ["heron"], "values": {"n": []}}}}', "expected 1 values, one for each id, found 0, at columns.skiff.values.n"),
    "a mixed column": ('{"frame": 2, "t": 1, "columns": {"skiff": {"ids": ["heron", "heron"], "values": {"n": [1, "x"]}}}}', "expected a number, as before, found a text, at state.heron.n"),
    "an unsampled stranger": ('{"frame": 2, "t": 1, "unsampled": ["tern"]}', "expected an object or kind that appeared, found 'tern', at unsampled"),
    "half a step": ('{"frame": 2, "t": 1, "steps": 0.5}', "Expected int | null, got float, at steps"),
    "behind the end": ('{"end": true}\n{"frame": 2, "t": 1}', "expected nothing after the line that ends the session"),
}  # fmt: skip


@pytest.mark.parametrize("name", BAD)
def test_a_bad_line_is_refused_and_the_frames_before_it_are_kept(name: str, tmp_path: Path) -> None:
    """The error names the line, the field, what was expected and what was found; nothing of the line is applied."""
    lines, words = BAD[name]
    with pytest.raises(BadLine) as caught:
        _take(tmp_path / "a.crumbs", *FRAMES[:4], *lines.split("\n"))
    assert words in str(caught.value), caught.value
    assert caught.value.line == 5 + lines.count("\n")
    trace = open_trace(tmp_path / "a.crumbs")
    assert trace.clock.frames.tolist() == [0, 1]
    assert trace.one("skiff").at.values.tolist() == [[0, 1], [2.5, 1]]
    assert trace.data.session.is_cut == ("end" not in lines)


BAD_FIRST = {
    "no first line": ('{"frame": 0, "t": 0}', "expected a first line such as"),
    "a newer version": ('{"breadcrumb": 9}', "expected frame lines of version 1 to 2, found 9"),
    "a bad declaration": ('{"breadcrumb": 1, "about": {"declare": {"events": "gong"}}}', "at about.declare"),
    "bad units": ('{"breadcrumb": 1, "about": {"units": "m"}}', "expected texts by name at units, found 'm', in about"),
}


@pytest.mark.parametrize("name", BAD_FIRST)
def test_a_bad_first_line_makes_no_trace(name: str, tmp_path: Path) -> None:
    """What does not begin as frame lines do leaves nothing behind."""
    line, words = BAD_FIRST[name]
    with pytest.raises(BadLine, match=words):
        _take(tmp_path / "a.crumbs", line)
    assert list(tmp_path.iterdir()) == []


IN_FULL = (
    '{"breadcrumb": 2, "about": {"game": "Lantern Bay"}, "mood": 1}',
    '{"frame": 0, "t": 0, "appear": [{"id": "a", "kind": "skiff", "hull": 1}, {"id": "b", "kind": "skiff"}, {"id": "lamp", "kind": "lamp", "parent": "a"}]}',
    '{"frame": 1, "t": 1, "columns": {"skiff": {"ids": ["a", "b"], "values": {"at": [[0, 1], [2, 3]], "lit": [true, null], "n": [1, "NaN"]}}}, "state": {"lamp": {"on": null}}}',
    '{"frame": 2, "t": 1, "wall": 9.5, "steps": 2, "scale": 0.5, "paused": true, "unsampled": ["a", "lamp"], "columns": {"skiff": {"ids": ["b"], "values": {"n": [5]}}}}',
    '{"frame": 3, "t": 2, "state": {"lamp": {"parent": "b", "on": "yes"}}, "events": [{"name": "bell", "colour": 1}, {"name": "bell", "colour": 2}]}',
    '{"frame": 4, "t": 3, "unsampled": ["skiff"], "state": {"lamp": {"parent": null}}}',
    '{"end": true}',
)


def test_frame_lines_in_full_become_a_trace(tmp_path: Path) -> None:
    """Columns, frames without samples, clocks, parents that change and unknown fields are as they are told."""
    _take(tmp_path / "a.crumbs", *IN_FULL)
    trace = open_trace(tmp_path / "a.crumbs")
    one, other, lamp = (trace.one(id=id) for id in ("a", "b", "lamp"))
    assert one.at.frames.tolist() == [0, 1, 3]
    assert other.at.values.tolist()[1:] == [[2, 3]] * 3
    assert other.n.values.tolist()[2:] == [5, 5]
    assert other.lit.usable.tolist() == [False] * 4
    assert with_none(one.lit)[1:] == [True, True]
    assert with_none(lamp.parent) == ["a", "a", "b", None]
    assert with_none(lamp.signal("on")) == [None, None, "yes", "yes"]
    assert [
        told.values[2] for told in (trace.clock.wall, trace.clock.steps, trace.clock.scale, trace.clock.paused)
    ] == [9.5, 2, 0.5, True]
    unknown = {fact.property: fact.count for fact in trace.facts if fact.code == "unknown-field"}
    assert unknown == {"mood": 1, "appear.hull": 1, "events.colour": 2}


def test_the_published_schema_is_that_of_the_types(constraints: Callable[[Any], Any]) -> None:
    """`docs/frame-lines.schema.json` demands what the decoder's types say."""
    published = Path(__file__).parents[2] / "docs" / "frame-lines.schema.json"
    assert constraints(json.loads(published.read_text())) == constraints(schema())


def test_a_trace_goes_to_frame_lines_and_back_without_loss(cli: Cli, tmp_path: Path, bay: Callable[..., Path]) -> None:
    """The lines of a trace, and of the trace made of them, are the same, through a file and through a pipe."""
    assert cli("convert", bay(seconds=20), "one.jsonl").returncode == 0
    done = cli("convert", "one.jsonl", "two.crumbs")
    assert (done.returncode, done.stderr) == (0, "1201 frames in two.crumbs\n")
    piped = cli("convert", "-", "three.crumbs", input=(tmp_path / "one.jsonl").read_text())
    assert piped.returncode == 0, piped.stderr
    lines = (tmp_path / "one.jsonl").read_text()
    assert cli("convert", "two.crumbs", "-").stdout == lines
    assert cli("convert", "three.crumbs", "-").stdout == lines


def test_convert_says_what_is_wrong(cli: Cli, tmp_path: Path) -> None:
    """Bad lines, missing files and names that are taken give one message and the exit code 2."""
    (tmp_path / "bad.jsonl").write_text("\n".join((*FRAMES[:4], "nonsense")))
    (tmp_path / "none.jsonl").write_text("nonsense")
    (tmp_path / "cut.jsonl").write_text("\n".join(FRAMES[:4]))
    for words, said in {
        ("bad.jsonl", "a.crumbs"): "listen bad.jsonl keeps the 2 frames before it",
        ("none.jsonl", "b.crumbs"): "no trace was made\n",
        ("cut.jsonl", "cut.jsonl"): "expected a trace on one side",
        ("nowhere.jsonl", "c.crumbs"): "nowhere.jsonl: No such file or directory",
        ("nowhere.crumbs", "c.jsonl"): "expected a trace, found nothing",
        ("a.jsonl", "b.jsonl"): "expected a trace on one side",
    }.items():
        done = cli("convert", *filter(None, words))
        assert done.returncode == 2
        assert said in done.stderr
        assert done.stderr.count("\n") == 1
        assert sorted(path.name for path in tmp_path.iterdir()) == ["bad.jsonl", "cut.jsonl", "none.jsonl"]
    assert "note: the recording was cut after frame 1" in cli("convert", "cut.jsonl", "d.crumbs").stderr
    assert "d.crumbs exists; name another one, or use --overwrite" in cli("convert", "cut.jsonl", "d.crumbs").stderr
    assert cli("convert", "bad.jsonl", "d.crumbs", "--overwrite").returncode == 2
    assert open_trace(tmp_path / "d.crumbs").clock.size == 2
    assert cli("convert", "cut.jsonl", "d.crumbs", "--overwrite").returncode == 0
