"""What is to be known of a recording is said wherever it is used; what fails leaves nothing half-written."""

import json
import shutil
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess

import numpy as np
import pytest

from breadcrumb import Recorder, Trace, open_trace
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.model.facts import Fact

Cli = Callable[..., CompletedProcess[str]]

CHECK = (
    "from breadcrumb.checks import values\n\n\ndef check_it(trace):\n"
    "    assert values.never_falls(trace.all('keg').x)\n"
)


class Keg:
    """Something to record."""

    def __init__(self) -> None:
        self.x: float | str = 0.0


def _whole(path: Path) -> None:
    keg = Keg()
    with Recorder(path) as rec:
        rec.watch(keg, id="keg", kind="keg", x="x")
        for frame in range(10):
            keg.x = float(frame)
            rec.frame(frame / 10)


def _cut(path: Path) -> None:
    _whole(path)
    journal = path / FILE_NAME
    journal.write_bytes(journal.read_bytes()[:-60])


def _paused(path: Path) -> None:
    keg = Keg()
    with Recorder(path) as rec:
        rec.watch(keg, id="keg", kind="keg", x="x")
        for frame in range(10):
            if frame == 4:
                rec.pause()
            if frame == 7:
                rec.resume()
            rec.frame(frame / 10)


def _of_another_type(path: Path) -> None:
    keg = Keg()
    with Recorder(path) as rec:
        rec.watch(keg, id="keg", kind="keg", x="x")
        for frame in range(4):
            keg.x = "full" if frame in (1, 2) else float(frame)
            rec.frame(frame / 10)


FACTS: dict[str, tuple[Callable[[Path], None], tuple[Fact, ...], str]] = {
    "whole": (_whole, (), ""),
    "cut": (_cut, (Fact("cut", detail="8"),), "the recording was cut after frame 8"),
    "paused": (
        _paused, (Fact("paused", detail="3", count=3),), "the recording was paused after frame 3, for 3 frames",
    ),
    "of another type": (
        _of_another_type, (Fact("other-type", "keg", "x", count=2),),
        "keg.x changed its type 2 times; recorded as missing",
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", FACTS)
def test_facts_are_records_in_every_store_and_sentences_where_they_are_shown(
    what: str, cli: Cli, tmp_path: Path
) -> None:
    """Facts come from the journal, stay in Parquet, a zip and frame lines, and `show`, `check` and its JSON say them."""
    make, facts, words = FACTS[what]
    make(tmp_path / "a.crumbs")
    (tmp_path / "check_it.py").write_text(CHECK)
    for name in ("a.crumbs", "a.crumbs", "packed.crumbs.zip", "again.crumbs"):
        if name == "packed.crumbs.zip":
            assert cli("convert", "a.crumbs", name).returncode == 0
        if name == "again.crumbs":
            assert cli("convert", "a.crumbs", "lines.jsonl").returncode == 0
            assert cli("convert", "lines.jsonl", name).returncode == 0
        trace = open_trace(tmp_path / name)
        assert [fact for fact in trace.facts if fact.code != "in-memory"] == list(facts), name
        assert trace.notes == tuple(fact.words for fact in trace.facts)
    shown = cli("show", "a.crumbs").stdout
    checked = cli("check", "check_it.py", "a.crumbs", "--json", "run.jsonl", "--report", "out")
    end = json.loads((tmp_path / "run.jsonl").read_text().splitlines()[-1])
    page = (tmp_path / "out" / "index.html").read_text()
    for said in (shown, checked.stdout, page):
        assert (words in said) if words else ("cut" not in said.replace("cut out", ""))
    told = [fact["code"] for one in end["recordings"] for fact in one["facts"]]
    assert told == [fact.code for fact in facts]
    assert checked.returncode == 0, checked.stdout


def test_a_recording_that_was_killed_while_paused_or_before_a_frame_opens(tmp_path: Path) -> None:
    """A recording without a frame says so, and one that ends in a pause has the frames before it."""
    rec = Recorder(tmp_path / "none.crumbs")
    rec.close()
    assert [fact.code for fact in open_trace(tmp_path / "none.crumbs").facts] == ["empty"]
    with Recorder(tmp_path / "b.crumbs") as rec:
        rec.frame(0.0)
        rec.pause()
        rec.frame(0.1)
    assert open_trace(tmp_path / "b.crumbs").clock.size == 1


SAID = {
    Fact("lost-frames", count=1): "the game could not send 1 frame",
    Fact("lost-frames", count=3): "the game could not send 3 frames",
    Fact("unreadable", "keg", "x", "ZeroDivisionError"): "keg.x could not be read once (ZeroDivisionError)",
    Fact("unknown-field", property="mood", count=2): "the field 'mood' is not known and was ignored, 2 times",
    Fact("from-the-future", "keg", "x", "odd", 4): "from-the-future keg.x (odd), 4 times",
}


@pytest.mark.parametrize("fact", SAID, ids=lambda fact: f"{fact.code} {fact.count}")
def test_a_fact_becomes_a_sentence(fact: Fact) -> None:
    """Each code has a sentence with its count; a code that is not known is told as it is."""
    assert fact.words == SAID[fact]


def _frames(count: int) -> list[str]:
    return [
        '{"breadcrumb": 2, "about": {}}',
        '{"frame": 0, "t": 0, "appear": [{"id": "a", "kind": "keg"}], "state": {"a": {"x": 1}}}',
        *(f'{{"frame": {n}, "t": {n / 10}, "state": {{"a": {{"x": {n}}}}}}}' for n in range(1, count)),
        '{"end": true}',
    ]


def _wrong(lines: list[str]) -> str:
    return "\n".join([*lines[:3], '{"frame": 0, "t": 9}', *lines[3:]])


def _opened(path: Path) -> None:
    _whole(path)
    open_trace(path)


def _folder(path: Path) -> None:
    path.mkdir()
    (path / "notes.txt").write_text("mine")


BEFORE: dict[str, Callable[[Path], object]] = {
    "nothing": lambda path: None, "a trace": _whole, "a trace that was opened": _opened,
    "a folder of something else": _folder,
}  # fmt: skip


def _content(path: Path) -> dict[str, bytes]:
    return {file.relative_to(path).as_posix(): file.read_bytes() for file in sorted(path.rglob("*")) if file.is_file()}


@pytest.mark.parametrize("before", BEFORE)
def test_a_failed_conversion_leaves_what_was_there(before: str, cli: Cli, tmp_path: Path) -> None:
    """A bad line in the middle makes no trace, and a trace of that name is as it was, to the byte."""
    target = tmp_path / "it.crumbs"
    BEFORE[before](target)
    was, others = _content(target), sorted(path.name for path in tmp_path.iterdir())
    (tmp_path / "bad.jsonl").write_text(_wrong(_frames(8)))
    done = cli("convert", "bad.jsonl", "it.crumbs", "--overwrite")
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert _content(target) == was
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted([*others, "bad.jsonl"])


def test_a_failed_conversion_to_lines_leaves_the_file_that_was_there(cli: Cli, tmp_path: Path) -> None:
    """A damaged trace makes no frame lines, and a file of that name is as it was."""
    _whole(tmp_path / "a.crumbs")
    open_trace(tmp_path / "a.crumbs")
    (tmp_path / "a.crumbs" / "lifetimes.parquet").write_bytes(b"damaged")
    (tmp_path / "a.jsonl").write_text("mine")
    done = cli("convert", "a.crumbs", "a.jsonl", "--overwrite")
    assert done.returncode == 2
    assert "lifetimes.parquet" in done.stderr
    assert (tmp_path / "a.jsonl").read_text() == "mine"
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a.crumbs", "a.jsonl"]


def test_what_is_converted_replaces_what_was_there_as_a_whole(cli: Cli, tmp_path: Path) -> None:
    """With --overwrite the new trace stands alone under its name, without a file of the old one."""
    target = tmp_path / "it.crumbs"
    _whole(target)
    open_trace(target)
    (tmp_path / "good.jsonl").write_text("\n".join(_frames(3)))
    assert cli("convert", "good.jsonl", "it.crumbs").returncode == 2
    assert cli("convert", "good.jsonl", "it.crumbs", "--overwrite").returncode == 0
    trace = open_trace(target)
    assert isinstance(trace, Trace)
    assert np.array_equal(trace.all("keg").x.values, [1, 1, 2])
    shutil.rmtree(target)
