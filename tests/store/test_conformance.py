import shutil
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace

import fsspec
import pytest

from breadcrumb import Recorder, Trace, open_trace
from breadcrumb.errors import NotATrace, TraceError
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.store.keeping import write_copy
from breadcrumb.testing import assert_kept, differences, store_sessions
from missing import with_none

GOLDEN = Path(__file__).parent / "golden"
"""A session as each format that is read has it; `_record_golden` made the first two."""


def _record_golden(path: Path) -> None:
    """Record the session that the golden files hold."""
    heron, flares = SimpleNamespace(at=(0.0, 0.0), yaw=350.0, state="moored", n=1), [SimpleNamespace(fuse=1.5)]
    properties = {"hull.left": "n", "lifetime": "state", "position": "at"}
    with Recorder(path, game="Lantern Bay", started_at="2026-11-29T00:00:00Z", units={"position": "m"}) as rec:
        rec.declare(events=["never.seen"], kinds=["ghost"])
        rec.watch(heron, id="heron", kind="skiff", yaw="yaw", properties=properties)
        rec.watch_each(lambda: flares, kind="flare", parent=lambda _: heron, fuse="fuse")
        for frame in range(6):
            heron.at = (frame / 10, -frame)
            heron.yaw = None if frame == 2 else 350.0 + frame
            heron.state = 7 if frame == 3 else "adrift" if frame else "moored"
            flares = flares[:1] if frame < 4 else []
            rec.event("tick", by=heron, on="wall", data={"frame": frame, "é": [1, None]})
            if frame in (0, 3):
                rec.parameter("skiff.cap", 6.0 + frame, unit="m/s")
            rec.frame(frame * 0.25, frame=2 * frame, wall=frame * 0.3)
            if frame == 4:
                rec.pause()
                rec.frame(1.1)
                rec.resume()
        rec.event("late.one")


@pytest.fixture
def elsewhere() -> Iterator[str]:
    """A URL under which files can be kept that are not on this machine's disk."""
    yield "memory://traces"
    fsspec.filesystem("memory").rm("/traces", recursive=True)


def _folder(trace: Trace, folder: Path) -> Path:
    write_copy(trace.data, folder / "kept.crumbs")
    return folder / "kept.crumbs"


def _zip(trace: Trace, folder: Path) -> Path:
    write_copy(trace.data, folder / "kept.crumbs.zip")
    return folder / "kept.crumbs.zip"


def _zip_of_the_folder(trace: Trace, folder: Path) -> Path:
    """Zip a trace as a file manager does: with the folder's own name in front."""
    path = _folder(trace, folder)
    return Path(shutil.make_archive(str(folder / "by hand.crumbs"), "zip", folder, path.name))


def _lines(trace: Trace, folder: Path) -> Path:
    writer = SessionWriter(lambda about: folder / "kept.crumbs")
    for line in frame_lines(trace.data):
        writer.take(line)
    writer.close()
    return folder / "kept.crumbs"


WAYS: dict[str, Callable[[Trace, Path], Path]] = {
    "a folder": _folder,
    "a zip file": _zip,
    "a zip file of the folder": _zip_of_the_folder,
    "frame lines": _lines,
}


@pytest.mark.parametrize("way", WAYS)
def test_every_way_of_keeping_a_trace_gives_back_every_value(way: str) -> None:
    """Sessions with every sort of content come back bit for bit from each store, and again when opened again."""

    def keep(trace: Trace, folder: Path) -> Trace:
        path = WAYS[way](trace, folder)
        first = open_trace(path)
        assert first.label == path.name.partition(".")[0]
        assert differences(first, open_trace(path)) == ()
        return first

    assert_kept(keep)


@pytest.mark.parametrize("form", ["folder", "zip", "journal"])
def test_a_trace_at_a_url_opens_like_any_other(form: str, elsewhere: str, tmp_path: Path) -> None:
    """A folder, a zip file, or a recording that was never opened is read where it is, through the URL."""
    trace = open_trace(GOLDEN / "folder.crumbs")
    local = {"zip": _zip, "folder": _folder, "journal": lambda *_: GOLDEN / "journal.crumbs"}[form](trace, tmp_path)
    fsspec.filesystem("memory").put(str(local), f"/traces/{local.name}", recursive=True)
    there = open_trace(f"{elsewhere}/{local.name}")
    assert differences(trace, there) == ()
    assert len(there.notes) == len(trace.notes) + (1 if form == "journal" else 0)
    assert open_trace(Path(f"{elsewhere}/{local.name}")).label == there.label


NOWHERE = {
    "memory://traces/none.crumbs": (NotATrace, "none.crumbs: expected a trace"),
    "nosuchthing://a/b.crumbs": (TraceError, "cannot be reached"),
}


@pytest.mark.parametrize("url", NOWHERE)
def test_a_url_without_a_trace_is_refused_in_words(url: str) -> None:
    """Nothing there, or no way to get there: both are said, with the URL."""
    error, words = NOWHERE[url]
    with pytest.raises(error, match=words):
        open_trace(url)


def test_a_zip_file_that_is_none_is_refused(tmp_path: Path) -> None:
    """A broken zip file and one of something else are refused in words."""
    (tmp_path / "torn.crumbs.zip").write_bytes(b"PK\x03\x04 and so on")
    with zipfile.ZipFile(tmp_path / "other.crumbs.zip", "w") as file:
        file.writestr("../../about.json", "{}")
    for name in ("torn", "other"):
        with pytest.raises(TraceError, match=name):
            open_trace(tmp_path / f"{name}.crumbs.zip")


def test_golden_files_of_each_format_hold_the_same_session(tmp_path: Path) -> None:
    """A folder, a journal and frame lines that were written once are read as the session that made them."""
    _record_golden(tmp_path / "now.crumbs")
    now = open_trace(tmp_path / "now.crumbs")
    shutil.copytree(GOLDEN / "journal.crumbs", tmp_path / "journal.crumbs")
    _take_lines(GOLDEN / "lines-2.jsonl", tmp_path / "lines.crumbs")
    for path in (GOLDEN / "folder.crumbs", tmp_path / "journal.crumbs", tmp_path / "lines.crumbs"):
        kept = open_trace(path)
        assert differences(now, kept) == ()
        assert kept.facts == now.facts
        assert kept.data.session.participants == {"tick": (("skiff", ""),), "late.one": ((None, None),)}
    assert [fact.code for fact in now.facts] == ["other-type", "paused"]
    assert with_none(now.one("skiff")["lifetime"]) == ["moored", "adrift", "adrift", None, "adrift", "adrift"]


def test_frame_lines_of_the_first_format_are_still_read(tmp_path: Path) -> None:
    """Lines that version 1 wrote, with its form of columns, become the same trace as those of today."""
    _take_lines(GOLDEN / "lines-1.jsonl", tmp_path / "old.crumbs")
    old = open_trace(tmp_path / "old.crumbs")
    assert old.one("skiff").position.x.values.tolist() == pytest.approx([0.1, 0.2, 0.3, 0.4, 0.5, 0.6])
    assert old.one("skiff").yaw.usable.tolist() == [True, True, False, True, True, True]
    assert old.all("barrel").position.values.tolist() == [[0, 1], [0, 1], [2, 3], [2, 3]]
    assert old.parameter("skiff.cap", at=old.all("flare").leaves).values.tolist() == [7.0]
    assert old.notes == ("the game could not send 2 frames",)


def _take_lines(file: Path, path: Path) -> None:
    writer = SessionWriter(lambda about: path)
    for line in file.read_bytes().splitlines():
        writer.take(line)
    writer.close()


def test_what_differs_is_said() -> None:
    """Traces that are not the same are told apart by their values, and the first difference is named."""
    sessions = store_sessions()
    found = differences(sessions["everything"], sessions["no samples"])
    assert any(one.startswith("the lifetimes: ") for one in found)
    assert differences(sessions["everything"], sessions["cut"]) != ()
