import shutil
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

import fsspec
import pytest

from breadcrumb import Trace, open_trace
from breadcrumb.errors import NotATrace, TraceError
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.store.keeping import write_copy
from breadcrumb.testing import assert_kept, differences, store_sessions

FORMAT_1 = Path(__file__).parent / "format-1"


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
    trace = open_trace(FORMAT_1 / "folder.crumbs")
    local = {"zip": _zip, "folder": _folder, "journal": lambda *_: FORMAT_1 / "journal.crumbs"}[form](trace, tmp_path)
    fsspec.filesystem("memory").put(str(local), f"/traces/{local.name}", recursive=True)
    there = open_trace(f"{elsewhere}/{local.name}")
    assert differences(trace, there) == ()
    assert len(there.notes) == (1 if form == "journal" else 0)
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


def test_traces_of_the_first_format_still_open(tmp_path: Path) -> None:
    """A folder and a journal that version 0.1 wrote hold the same session, with every value as it was."""
    shutil.copytree(FORMAT_1 / "journal.crumbs", tmp_path / "journal.crumbs")
    old = open_trace(FORMAT_1 / "folder.crumbs")
    assert differences(old, open_trace(tmp_path / "journal.crumbs")) == ()
    heron = old.one("skiff")
    assert heron.position.x.values.tolist() == pytest.approx([0.1, 0.2, 0.3, 0.4, 0.5, 0.6])
    assert heron.yaw.usable.tolist() == [True, True, False, True, True, True]
    assert old.clock.frames.tolist() == [0, 2, 4, 6, 8, 10]
    assert old.parameter("skiff.cap", at=old.all("flare").leaves).tolist() == [7.0]
    assert old.events("late.one").count == 1


def test_what_differs_is_said() -> None:
    """Traces that are not the same are told apart by their values, and the first difference is named."""
    sessions = store_sessions()
    found = differences(sessions["everything"], sessions["no samples"])
    assert any(one.startswith("the lives: ") for one in found)
    assert differences(sessions["everything"], sessions["cut"]) != ()
