import json
import os
import shutil
import subprocess
import sys
import zipfile
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from breadcrumb import Recorder, open_trace
from breadcrumb.errors import NotATrace, TraceError, TraceTooNew, TraceTooOld
from breadcrumb.journal.lock import lock_file
from breadcrumb.model.trace import TraceData
from breadcrumb.store import recent
from breadcrumb.store.folder import FolderTrace
from breadcrumb.store.keeping import write_copy
from breadcrumb.store.memory import MemoryTrace
from breadcrumb.store.opening import open_data
from breadcrumb.store.sorting import by_lifetime_and_frame
from breadcrumb.trace import recent as recent_objects
from missing import with_none


def _record(path: Path) -> None:
    """Record two kinds with every sort of column, missing values, a reused id, a gap and late events."""
    boats = [SimpleNamespace(name=f"b{n}", x=float(n), lit=n == 0, state="idle", at=(n, 2.0)) for n in range(3)]
    sparks: list[Any] = []
    with Recorder(path, game="Lantern Bay", units={"x": "m"}) as rec:
        rec.declare(events=["never.seen"], kinds=["ghost"])
        rec.parameter("cap", 6.0, "m/s")
        rec.watch_each(lambda: boats, kind="boat", id="name", x="x", lit="lit", state="state", at="at")
        rec.watch_each(lambda: sparks, kind="../spark", x="x")
        for frame in range(6):
            boats[1].x = None if frame == 2 else float("nan") if frame == 3 else frame * 0.1
            boats[0].state = ("idle", "moving")[frame % 2]
            boats[2].lit = None if frame == 4 else True
            sparks[:] = [SimpleNamespace(x=float(frame))] if frame % 2 else []
            rec.event("tick", by="b0", on="wall", data={"frame": frame, "deep": {"a": [1, "é"]}})
            rec.event("tock")
            rec.frame(frame * 0.25, frame=frame if frame < 4 else frame + 10)
        rec.parameter("cap", 7.0, "m/s")
        rec.event("late.one")


def _content(data: TraceData) -> dict[str, Any]:
    """Return all of a trace as plain values."""
    session = data.session
    content: dict[str, Any] = {
        "about": dict(session.about),
        "clock": (session.clock.frames.tolist(), session.clock.times.tolist()),
        "parameters": session.parameters,
        "declared": (session.declared_events, session.declared_kinds, session.facts),
    }
    lifetimes, events, names = session.lifetimes, session.events, [*session.names, None]
    who = [[names[place] for place in one.tolist()] for one in (lifetimes.name, lifetimes.parent, events.by, events.on)]
    content["who"] = who
    content["lifetimes"] = [
        one.tolist() for one in (lifetimes.appear, lifetimes.first, lifetimes.last, lifetimes.leave)
    ]
    content["events"] = [
        [events.kinds[kind] for kind in events.kind], events.clock_index.tolist(), events.order.tolist(), events.late.tolist(),
        [dict(one) for one in events.data],
    ]  # fmt: skip
    for kind in session.kinds:
        content[kind] = [one.tolist() for one in data.index(kind)]
        for name in data.columns(kind):
            column = data.column(kind, name)
            valid = np.ones(len(column.values), bool) if column.valid is None else column.valid
            values = [column.texts[place] for place in column.values] if column.texts else column.values.tolist()
            content[f"{kind} {name}"] = [repr(one) if ok else None for one, ok in zip(values, valid, strict=True)]
    return content


def test_the_first_opening_turns_the_journal_into_the_same_trace_in_parquet(tmp_path: Path) -> None:
    """A trace read from its journal and then from its folder is the same in every value."""
    _record(tmp_path / "a.crumbs")
    first = open_data(tmp_path / "a.crumbs")
    second = open_data(tmp_path / "a.crumbs")
    assert isinstance(first, MemoryTrace)
    assert isinstance(second, FolderTrace)
    assert _content(first) == _content(second)
    assert sorted(path.name for path in (tmp_path / "a.crumbs").iterdir()) == [
        "about.json", "events.parquet", "frames.parquet", "lifetimes.parquet", "parameters.parquet", "states",
    ]  # fmt: skip


def test_any_parquet_reader_opens_the_files(tmp_path: Path) -> None:
    """The files hold what their columns say, with nulls for what is missing, in order of lifetime and frame."""
    _record(tmp_path / "a.crumbs")
    open_trace(tmp_path / "a.crumbs")
    folder = tmp_path / "a.crumbs"
    boats = pq.read_table(folder / "states" / "boat.parquet").to_pydict()
    assert boats["lifetime"] == sorted(boats["lifetime"])
    assert boats["frame"][:6] == [0, 1, 2, 3, 14, 15]
    assert boats["x"][8] is None
    assert boats["x"][9] != boats["x"][9]
    assert boats["state"][:3] == ["idle", "moving", "idle"]
    lifetimes = pq.read_table(folder / "lifetimes.parquet").to_pylist()
    assert lifetimes[3] == {
        "lifetime": 3, "id": "../spark-1", "kind": "../spark", "parent": None, "appear_frame": 1, "first_frame": 1,
        "last_frame": 1, "leave_frame": 2,
    }  # fmt: skip
    assert not (tmp_path / "spark.parquet").exists()


def test_a_crash_during_the_first_opening_loses_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """While the journal is there it is the truth, whatever an interrupted conversion left beside it."""
    _record(tmp_path / "a.crumbs")
    folder = tmp_path / "a.crumbs"
    whole = tmp_path / "copy.crumbs"
    shutil.copytree(folder, whole)
    expected = _content(open_data(folder))
    shutil.copy(folder / "frames.parquet", whole / "frames.parquet")
    (whole / "states").mkdir()
    (whole / "states" / "boat.parquet").write_bytes(b"half a file")
    (whole / "making-x1").mkdir()
    assert _content(open_data(whole)) == expected
    assert _content(open_data(whole)) == expected
    assert not (whole / "making-x1").exists()


def test_objects_of_one_kind_may_have_different_properties(tmp_path: Path) -> None:
    """What one object of a kind has and another has not is missing on the other; nothing is mixed up."""
    heron, tern = SimpleNamespace(x=1.0, name="h"), SimpleNamespace(x=5.0, lit=True)
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(tern, id="tern", kind="skiff", x="x", lit="lit")
        rec.watch(heron, id="heron", kind="skiff", x="x", caption="name")
        for frame in range(3):
            heron.x += 1
            rec.frame(frame / 10)
    for _ in ("from the journal", "from Parquet"):
        skiffs = open_trace(tmp_path / "a.crumbs").all("skiff")
        assert skiffs.x.values.tolist() == [5.0, 5.0, 5.0, 2.0, 3.0, 4.0]
        assert skiffs.lit.usable.tolist() == [True] * 3 + [False] * 3
        assert with_none(skiffs.caption) == [None] * 3 + ["h"] * 3


def test_a_trace_opens_while_it_is_still_recorded(tmp_path: Path) -> None:
    """The frames so far can be looked at, the trace says so, and the recording goes on."""
    thing = SimpleNamespace(x=1.0)
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(thing, id="one", kind="thing", x="x")
        rec.frame(0.0)
        early = open_trace(tmp_path / "a.crumbs")
        rec.frame(0.1)
    assert early.clock.size == 1
    assert early.notes == ("held in memory: it is still being recorded, or being opened elsewhere",)
    assert open_trace(tmp_path / "a.crumbs").clock.size == 2


def test_a_journal_that_another_process_takes_away_was_turned_into_parquet(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whoever finds the journal, but is overtaken by another in opening it, reads what the other wrote."""
    _record(tmp_path / "a.crumbs")

    def overtaken(file: Any) -> bool:
        monkeypatch.undo()
        assert isinstance(open_data(tmp_path / "a.crumbs"), MemoryTrace)
        return lock_file(file)

    monkeypatch.setattr("breadcrumb.store.opening.lock_file", overtaken)
    assert isinstance(open_data(tmp_path / "a.crumbs"), FolderTrace)


def test_a_trace_that_cannot_be_written_opens_in_memory(tmp_path: Path) -> None:
    """A recording on a full or protected medium is held in memory, says so, and stays as it was."""
    _record(tmp_path / "a.crumbs")
    script = """
import resource, signal, sys
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
from breadcrumb import open_trace
trace = open_trace(sys.argv[1])
print(trace.clock.size, trace.notes[0])
"""
    command = [sys.executable, "-c", script, str(tmp_path / "a.crumbs")]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert done.stdout.startswith("6 held in memory: the folder cannot be written")
    assert [path.name for path in (tmp_path / "a.crumbs").iterdir()] == ["journal.bin"]


def _cut(name: str) -> Callable[[Path], None]:
    def cut(folder: Path) -> None:
        content = (folder / name).read_bytes()
        (folder / name).write_bytes(content[: len(content) // 2])

    return cut


def _about(**changes: Any) -> Callable[[Path], None]:
    def change(folder: Path) -> None:
        about = json.loads((folder / "about.json").read_text())
        (folder / "about.json").write_text(json.dumps({**about, **changes}))

    return change


def _replaced_by_a_file(folder: Path) -> None:
    shutil.rmtree(folder)
    folder.write_text("x")


def _replaced_by_others(folder: Path) -> None:
    shutil.rmtree(folder)
    for number in range(20):
        (folder.parent / f"night-{number:02}.crumbs").mkdir()


def _emptied(folder: Path) -> None:
    shutil.rmtree(folder)
    folder.mkdir()


DAMAGE: dict[str, tuple[Callable[[Path], None], type[Exception], str]] = {
    "nothing there": (shutil.rmtree, NotATrace, "found nothing; in .* there is other.crumbs"),
    "nothing among many": (
        _replaced_by_others,
        NotATrace,
        r"in .* there is .*, .* and \d+ more",
    ),
    "a file": (_replaced_by_a_file, NotATrace, "found a file"),
    "an empty folder": (_emptied, NotATrace, "found neither"),
    "a cut table": (_cut("frames.parquet"), TraceError, "damaged or cut short"),
    "a lost table": (
        lambda folder: (folder / "lifetimes.parquet").unlink(),
        TraceError,
        "missing; the trace is incomplete",
    ),
    "a cut description": (_cut("about.json"), NotATrace, "found something else"),
    "a newer format": (_about(format=99), TraceTooNew, "format 99, .* reads format 2; install a newer"),
    "an older format": (_about(format=1), TraceTooOld, "format 1, .* reads format 2; record the session again"),
}


@pytest.mark.parametrize("name", DAMAGE)
def test_what_is_no_whole_trace_is_refused_with_a_reason(tmp_path: Path, name: str) -> None:
    """A path that holds no trace, or a damaged or a newer one, is refused in words that say what to do."""
    damage, error, words = DAMAGE[name]
    _record(tmp_path / "a.crumbs")
    (tmp_path / "other.crumbs").mkdir()
    open_trace(tmp_path / "a.crumbs")
    damage(tmp_path / "a.crumbs")
    with pytest.raises(error, match=words):
        open_trace(tmp_path / "a.crumbs")


@pytest.mark.parametrize(
    ("column", "value"), [("frame", 99), ("frame", 3), ("frame", -2), ("lifetime", 9), ("lifetime", -1)]
)
def test_samples_that_belong_nowhere_are_refused(tmp_path: Path, column: str, value: int) -> None:
    """A sample of a lifetime, or on a frame, that the trace does not have is damage, and never taken for another one's."""
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(SimpleNamespace(x=1.0), id="heron", kind="skiff", x="x")
        for frame in range(0, 10, 2):
            rec.frame(frame / 60, frame=frame)
    assert open_trace(tmp_path / "a.crumbs").one("skiff").x.values.tolist() == [1.0] * 5
    file = tmp_path / "a.crumbs" / "states" / "skiff.parquet"
    table = pq.read_table(file).to_pydict()
    table[column][1] = value
    pq.write_table(pa.table(table), file)
    with pytest.raises(TraceError, match=f"a sample o[fn] a {column} that the trace does not have"):
        _ = open_trace(tmp_path / "a.crumbs").one("skiff").x


def test_columns_of_large_tables_are_mapped_from_the_second_time_on(tmp_path: Path, cli: Callable[..., Any]) -> None:
    """A working copy is made when a large column is first read, is used while it is fresh, and is never packed."""
    path, places, lit = tmp_path / "many.crumbs", np.zeros((10_000, 2)), np.ones(10_000, np.bool_)
    with Recorder(path) as rec:
        rec.watch_arrays("barrel", np.arange(10_000), position=places, lit=lit)
        for frame in range(101):
            places += np.arange(2)
            rec.frame(frame / 60)
    open_trace(path)
    working = path / "working" / "barrel"
    first, again = (open_trace(path).all("barrel") for _ in range(2))
    expected = np.tile(np.arange(1.0, 102.0), 10_000)
    assert np.array_equal(first.position.y.values, expected)
    assert np.array_equal(again.position.y.values, expected)
    assert again.lit.values.all()
    assert (working / "position.y.npy").stat().st_size > 8_000_000
    altered = np.load(working / "position.y.npy")
    altered[0] = 7.0
    np.save(working / "position.y.npy", altered)
    assert open_trace(path).all("barrel").position.y.values[0] == 7.0
    source = path / "states" / "barrel.parquet"
    os.utime(source, (1, 1))
    assert open_trace(path).all("barrel").position.y.values[0] == 1.0
    (working / "position.y.npy").write_bytes(b"cut")
    assert open_trace(path).all("barrel").position.y.values[0] == 1.0
    write_copy(open_trace(path).data, tmp_path / "packed.crumbs.zip")
    assert not any("working" in name for name in zipfile.ZipFile(tmp_path / "packed.crumbs.zip").namelist())
    assert " MB in working/, which may be deleted at any time" in cli("show", path).stdout
    mapped = open_trace(path).all("barrel")
    assert np.array_equal(mapped.position.y.values, expected)
    shutil.rmtree(path / "working")
    assert np.array_equal(mapped.position.y.values, expected)  # what is mapped is there for as long as it is used
    assert np.array_equal(open_trace(path).all("barrel").position.y.values, expected)


@pytest.mark.parametrize("highest", [2**16 - 1, 2**16, 2**16 + 1])
def test_samples_are_in_the_order_of_any_number_of_lifetimes(highest: int) -> None:
    """Numbers that no longer fit into 16 bits are sorted as they are."""
    lifetime = np.array([highest, 3, highest, 0, 3])
    assert by_lifetime_and_frame(lifetime, np.arange(5)).tolist() == [3, 1, 4, 0, 2]


def test_objects_that_were_not_asked_for_lately_are_given_up(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A trace keeps no more objects than fit into a memory, and finds the others anew, with the same values."""
    with Recorder(tmp_path / "it.crumbs") as rec:
        for kind in ("boat", "keg"):
            rec.watch(SimpleNamespace(x=1.0), id=kind, kind=kind, x="x")
        rec.frame(t=0)
    for most, is_kept in ((recent_objects._MOST_BYTES, True), (1, False)):
        monkeypatch.setattr(recent_objects, "_MOST_BYTES", most)
        trace = open_trace(tmp_path / "it.crumbs")
        first = trace.all("boat")
        assert first.x.values.tolist() == [1.0]
        _ = trace.one(id="keg").x
        again = trace.all("boat")
        assert (first is again, again.x.values.tolist()) == (is_kept, [1.0])


def test_columns_that_were_not_asked_for_lately_are_given_up(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A trace keeps no more columns than fit into a memory, and reads the others anew, as they were."""
    _record(tmp_path / "it.crumbs")
    for most, is_kept in ((recent._MOST_BYTES, True), (1, False)):
        monkeypatch.setattr(recent, "_MOST_BYTES", most)
        data = open_trace(tmp_path / "it.crumbs").data
        first = data.column("boat", "x")
        for name in data.columns("boat"):
            data.column("boat", name)
        again = data.column("boat", "x")
        assert (first is again, np.array_equal(first.values, again.values, equal_nan=True)) == (is_kept, True)
