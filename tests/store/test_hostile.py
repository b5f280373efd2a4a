"""Traces that somebody else made, or damaged: schema, types, sizes and links are checked before anything is used."""

import json
import os
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from breadcrumb import Recorder, Trace, open_trace
from breadcrumb.errors import TraceError
from breadcrumb.store import working
from breadcrumb.store.arrow import column_data

Cli = Callable[..., "subprocess.CompletedProcess[str]"]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A small trace as files."""
    boat = SimpleNamespace(x=1.0, lit=True, mood="calm")
    with Recorder(tmp_path / "a.crumbs", units={"x": "m"}) as rec:
        rec.watch(boat, id="heron", kind="skiff", x="x", lit="lit", mood="mood")
        for boat.x in range(5):
            rec.event("rung", by=boat, data={"n": boat.x, "list": [1, {"deep": 2}]})
            rec.frame(boat.x)
    open_trace(tmp_path / "a.crumbs")
    return tmp_path / "a.crumbs"


def _about(**changes: Any) -> Callable[[Path], None]:
    def change(folder: Path) -> None:
        about = json.loads((folder / "about.json").read_text())
        (folder / "about.json").write_text(json.dumps(about | changes))

    return change


def _write(name: str, content: bytes) -> Callable[[Path], None]:
    return lambda folder: [(folder / name).write_bytes(content)].clear()


def _column(file: str, name: str, make: Callable[[Any], Any]) -> Callable[[Path], None]:
    """Return what puts another column in place of one."""

    def change(folder: Path) -> None:
        table = pq.ParquetFile(folder / file).read()
        index = table.column_names.index(name)
        pq.write_table(table.set_column(index, name, make(table[name])), folder / file)

    return change


def _device(name: str, make: Callable[[Path], object]) -> Callable[[Path], None]:
    def change(folder: Path) -> None:
        (folder / name).unlink(missing_ok=True)
        make(folder / name)

    return change


def _bits(column: Any) -> Any:
    return pa.array(np.arange(len(column)).astype("M8[ns]"))


REFUSED: dict[str, Callable[[Path], None]] = {
    "a number beyond all": _write("about.json", b'{"format": 1e999}'),
    "deep brackets": _write("about.json", b'{"format": 2, "about": ' + b"[" * 100_000),
    "a list as about": _about(about=[1]),
    "texts as facts": _about(facts=["cut"]),
    "a number as declared": _about(declared=3),
    "a number as participants": _about(participants={"rung": 3}),
    "no states": _about(states=None),
    "a column that is not there": _about(states={"skiff": ["x", "y"]}),
    "dates for numbers": _column("states/skiff.parquet", "x", _bits),
    "lists for numbers": _column("states/skiff.parquet", "x", lambda old: pa.array([[1.0]] * len(old))),
    "texts for lifetimes": _column("states/skiff.parquet", "lifetime", lambda old: pa.array(["0"] * len(old))),
    "times that fall": _column("frames.parquet", "t", lambda old: pa.array(np.arange(len(old), 0.0, -1))),
    "a time that is none": _column("frames.parquet", "t", lambda old: pa.array([np.nan] * len(old))),
    "frames that fall": _column("frames.parquet", "frame", lambda old: pa.array(range(len(old), 0, -1))),
    "an event on no frame": _column("events.parquet", "frame", lambda old: pa.array([3_000_000_000] * len(old))),
    "an event before all": _column("events.parquet", "frame", lambda old: pa.array([-7] * len(old))),
    "events without names": _column("events.parquet", "name", lambda old: pa.array([None] * len(old), pa.string())),
    "data that is no JSON": _column("events.parquet", "data", lambda old: pa.array(['{"n": [1}'] * len(old))),
    "data that is a list": _column("events.parquet", "data", lambda old: pa.array(["[1]"] * len(old))),
    "a lifetime without an id": _column("lifetimes.parquet", "id", lambda old: pa.array([None], pa.string())),
    "a lifetime on no frame": _column("lifetimes.parquet", "appear_frame", lambda old: pa.array([99])),
    "a pipe": _device("about.json", os.mkfifo),
    "a pipe as a journal": _device("journal.bin", os.mkfifo),
    "a folder as a journal": _device("journal.bin", os.mkdir),
    "an endless device": _device("about.json", lambda path: path.symlink_to("/dev/zero")),
    "a device among the states": _device("states/skiff.parquet", lambda path: path.symlink_to("/dev/zero")),
    "a loop of links": _device("about.json", lambda path: path.symlink_to(path)),
    "a state file that is gone": lambda folder: (folder / "states/skiff.parquet").unlink(),
}


def _read_all(trace: Trace) -> None:
    for kind in trace.kinds:
        for prop in trace.all(kind).properties:
            _ = trace.all(kind)[prop].values
    for name in trace.event_names:
        _ = trace.events(name).data


@pytest.mark.parametrize("name", REFUSED)
def test_what_is_no_trace_of_ours_is_refused_in_words(name: str, folder: Path, cli: Cli) -> None:
    """Whatever stands where a trace's files should be, reading it ends soon, in one error that names the file."""
    REFUSED[name](folder)
    with pytest.raises(TraceError, match=r"a\.crumbs"):
        _read_all(open_trace(folder))
    done = cli("show", folder)
    assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr


TAKEN: dict[str, tuple[Callable[[Path], None], list[float]]] = {
    "narrow numbers": (_column("states/skiff.parquet", "x", lambda old: old.cast(pa.float32())), [0, 1, 2, 3, 4]),
    "whole numbers": (_column("states/skiff.parquet", "x", lambda old: old.cast(pa.int16())), [0, 1, 2, 3, 4]),
    "plain texts": (_column("states/skiff.parquet", "mood", lambda old: old.cast(pa.string())), [0, 1, 2, 3, 4]),
    "narrow lifetimes": (_column("states/skiff.parquet", "lifetime", lambda old: old.cast(pa.int8())), [0, 1, 2, 3, 4]),
}


@pytest.mark.parametrize("name", TAKEN)
def test_what_another_writer_made_of_our_columns_is_read_as_what_it_is(name: str, folder: Path) -> None:
    """Another type of the same sort of values gives the same values, never the bits of one as another."""
    change, expected = TAKEN[name]
    change(folder)
    boat = open_trace(folder).one("skiff")
    assert boat.x.values.tolist() == expected
    assert boat.mood.values.tolist() == ["calm"] * 5


def test_nothing_is_written_through_a_link(folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A link where the working copy goes makes opening write nothing there."""
    monkeypatch.setattr(working, "LARGE", 1)
    (tmp_path / "outside").mkdir()
    (folder / "working").symlink_to(tmp_path / "outside")
    _read_all(open_trace(folder))
    assert list((tmp_path / "outside").iterdir()) == []


def test_a_kind_of_any_name_and_length_has_a_file(tmp_path: Path) -> None:
    """Kinds whose names are too long for a file, or differ at their ends alone, are kept apart."""
    kinds = ["海" * 60 + end for end in "ab"] + ["k" * 400, "../up", "CON", "a/b"]
    with Recorder(tmp_path / "a.crumbs") as rec:
        for n, kind in enumerate(kinds):
            rec.watch(SimpleNamespace(x=float(n)), id=kind, kind=kind, x="x")
        rec.brief_lifetime("spark")
        rec.frame(0)
    for _ in range(2):
        trace = open_trace(tmp_path / "a.crumbs")
        assert [trace.one(kind).x.values.tolist() for kind in kinds] == [[float(n)] for n in range(len(kinds))]
        assert trace.all("spark").properties == ()


def test_a_kind_without_properties_is_shown_and_replayed(tmp_path: Path, cli: Cli) -> None:
    """An object that was never sampled breaks neither a replay, nor a figure, nor the lines, nor what is shown around it."""
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(SimpleNamespace(x=1.0), id="a", kind="skiff", x="x")
        for t in range(3):
            rec.brief_lifetime("spark")
            rec.event("rung")
            rec.frame(t)
    for words in (["show"], ["show", "--around", "1"], ["replay"], ["draw", "--out", "f.png"], ["convert"]):
        done = cli(words[0], tmp_path / "a.crumbs", *words[1:], *(["a.jsonl"] if words == ["convert"] else []))
        assert done.returncode == 0, (words, done.stderr)


@pytest.mark.parametrize("form", ["files", "memory"])
def test_a_check_cannot_change_a_trace_for_the_next_one(folder: Path, form: str) -> None:
    """Arrays and mappings of a trace refuse to be written to."""
    if form == "memory":
        shutil.rmtree(folder)
        with Recorder(folder, units={"x": "m"}) as rec:
            rec.watch(SimpleNamespace(x=1.0), id="heron", kind="skiff", x="x")
            rec.event("rung", data={"n": 1, "list": [1, {"deep": 2}]})
            rec.frame(0)
    trace = open_trace(folder)
    boat = trace.one("skiff")
    data: Any = trace.events("rung").data[0]
    arrays = [
        trace.clock.frames,
        trace.clock.times,
        boat.x.values,
        boat.x.rate().values,
        trace.data.session.lifetimes.first,
    ]
    arrays += [trace.data.session.events.clock_index, boat.x.frames]
    for array in arrays:
        with pytest.raises(ValueError, match="read-only"):
            array[:1] = 0
    for change in (lambda: data.update(n=2), lambda: data["list"].append(3), data["list"][1].clear):
        with pytest.raises(TypeError, match="cannot be changed"):
            change()
    with pytest.raises(TypeError, match="cannot be changed"):
        trace.about["units"]["x"] = "km"


KEPT: dict[str, Callable[[Path, Path], Path]] = {
    "a folder of sources": lambda folder, tmp: _make(tmp / "sources.crumbs", "main.py"),
    "the source": lambda folder, tmp: folder,
    "a folder that holds the source": lambda folder, tmp: tmp,
    "a link": lambda folder, tmp: _link(tmp / "link.jsonl", folder),
    "a pipe": lambda folder, tmp: _pipe(tmp / "pipe.jsonl"),
}


def _make(folder: Path, name: str) -> Path:
    folder.mkdir()
    (folder / name).write_text("x")
    return folder


def _pipe(path: Path) -> Path:
    os.mkfifo(path)
    return path


def _link(path: Path, target: Path) -> Path:
    path.symlink_to(target)
    return path


@pytest.mark.parametrize("name", KEPT)
def test_convert_overwrites_a_trace_or_a_plain_file_and_nothing_else(
    name: str, folder: Path, tmp_path: Path, cli: Cli
) -> None:
    """What is no trace and no plain file, or is what is read, stays as it is, with one line that says why."""
    target = KEPT[name](folder, tmp_path)
    before = sorted(str(path) for path in tmp_path.rglob("*"))
    done = cli("convert", folder, target, "--overwrite")
    assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr
    assert "not overwritten" in done.stderr or "expected a name that ends in" in done.stderr
    assert sorted(str(path) for path in tmp_path.rglob("*")) == before


def test_convert_replaces_a_trace_only_once_the_new_one_is_whole(folder: Path, tmp_path: Path, cli: Cli) -> None:
    """A source that cannot be read leaves the target; one that can takes its place."""
    cli("convert", folder, "a.jsonl")
    (tmp_path / "bad.jsonl").write_text("nonsense")
    assert cli("convert", "bad.jsonl", folder, "--overwrite").returncode == 2
    assert open_trace(folder).clock.size == 5
    (tmp_path / "a.jsonl").write_text("\n".join((tmp_path / "a.jsonl").read_text().splitlines()[:3]))
    assert cli("convert", "a.jsonl", folder, "--overwrite").returncode == 0
    assert open_trace(folder).clock.size == 2


def test_a_code_beyond_the_texts_is_refused() -> None:
    """A damaged column of texts that refers to one that it does not hold is an error, whatever Arrow lets pass."""
    codes, texts = pa.array([0, 2, 1], pa.int32()), pa.array(["calm", "rough"])
    with pytest.raises(ValueError, match="codes of 2 texts, found 2"):
        column_data(pa.DictionaryArray.from_arrays(codes, texts, safe=False))
