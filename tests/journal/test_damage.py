"""Damaged journals of real recordings: which frames survive, and that nothing in them is another value than was recorded."""

import random
import shutil
from pathlib import Path
from types import SimpleNamespace

import pytest

from breadcrumb import Recorder, Trace, open_trace
from breadcrumb.journal.layout import MAGIC, RECORD
from breadcrumb.journal.reading import read_journal
from breadcrumb.store.memory import trace_from_journal
from missing import with_none

FRAMES = 700
KINDS = {"boat": 3, "rock": 2}


@pytest.fixture(scope="module")
def journal(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A recording in which boats move, come and go, rocks stand still, and texts and flags change now and then."""
    folder = tmp_path_factory.mktemp("damage") / "a.crumbs"
    boats = [SimpleNamespace(name=f"boat-{n}", x=0.0, mood="", lit=False) for n in range(3)]
    rocks = [SimpleNamespace(name=f"rock-{n}", x=n + 0.5) for n in range(2)]
    with Recorder(folder) as rec:
        rec.watch_each(lambda: boats[: _boats(frame)], kind="boat", id="name", x="x", mood="mood", lit="lit")
        rec.watch_each(lambda: rocks, kind="rock", id="name", x="x")
        for frame in range(FRAMES):
            for n, boat in enumerate(boats):
                boat.x, boat.mood, boat.lit = _value(n, frame)
            rec.event("rung", data={"frame": frame})
            rec.frame(frame / 60)
    return folder / "journal.bin"


def _boats(frame: int) -> int:
    return 2 + (frame // 50) % 2


def _value(n: int, frame: int) -> tuple[float, str, bool]:
    return n * 1000.0 + frame, f"mood {frame // 90}", frame % 7 == 0


def _assert_true(trace: Trace) -> None:
    """Assert that each sample that is there is what was recorded, and each lifetime what it was as far as is known."""
    frames = trace.clock.frames.tolist()
    assert [data["frame"] for data in trace.events("rung").data] == frames
    for n in range(3):
        if f"boat-{n}" not in trace.all("boat").ids:
            continue
        boat = trace.one(id=f"boat-{n}")
        seen = boat.x.frames.tolist()
        assert boat.x.values.tolist() == [_value(n, frame)[0] for frame in seen]
        assert all(mood in (None, _value(n, frame)[1]) for mood, frame in zip(with_none(boat.mood), seen, strict=True))
        assert boat.lit.values.tolist() == [_value(n, frame)[2] for frame in seen]
        assert all(n < _boats(frame) for frame in seen)
    for n in range(2):
        if f"rock-{n}" in trace.all("rock").ids:
            assert set(trace.one(id=f"rock-{n}").x.values.tolist()) <= {n + 0.5}


def _ends(content: bytes) -> list[int]:
    """Return where each record ends; behind the second one, the reserve, frame 0 begins."""
    ends, at = [], len(MAGIC)
    while at < len(content):
        at += RECORD.size + RECORD.unpack_from(content, at)[0]
        ends.append(at)
    return ends


@pytest.mark.parametrize("seed", range(40))
def test_every_frame_that_is_whole_survives_and_holds_what_was_recorded(
    journal: Path, tmp_path: Path, seed: int
) -> None:
    """Flipped, zeroed, removed and doubled bytes cost the frames that they are in, and no value is a wrong one."""
    draw, content = random.Random(seed), bytearray(journal.read_bytes())
    ends = _ends(bytes(content))
    first = draw.randrange(2, FRAMES)
    last = min(first + draw.choice((0, 0, 3, 40)), FRAMES)
    begin, end = ends[first] + draw.randrange(20), ends[last + 1] - draw.randrange(1, 5)
    if seed % 4 == 0:
        content[begin] ^= 1 << draw.randrange(8)
        last = first
    elif seed % 4 == 1:
        content[begin:end] = bytes(end - begin)
    elif seed % 4 == 2:
        del content[begin:end]
    else:
        content[ends[first] : ends[first]] = content[ends[first] : end]
        last = first - 1  # it is there twice: first cut short, then whole
    (tmp_path / "journal.bin").write_bytes(content)
    trace = Trace(trace_from_journal(read_journal(tmp_path / "journal.bin"), "damaged"))
    lost = set(range(first - 1, last))
    assert trace.clock.frames.tolist() == [frame for frame in range(FRAMES) if frame not in lost]
    _assert_true(trace)
    standing = [frame for frame in (299, 599) if frame >= last]
    for kind in KINDS if standing else ():
        behind = [trace.one(id=id).x.frames[-1] for id in trace.all(kind).ids]
        assert max(behind) == FRAMES - 1, "behind the frame that says everything, objects have samples again"


def test_a_damaged_recording_is_told_and_kept(journal: Path, tmp_path: Path) -> None:
    """Opening says between which frames something is lost, and keeps the journal; the second opening says it too."""
    folder = tmp_path / "a.crumbs"
    shutil.copytree(journal.parent, folder)
    content = bytearray((folder / "journal.bin").read_bytes())
    content[_ends(bytes(content))[101] + 30] ^= 1
    (folder / "journal.bin").write_bytes(content)
    for _ in range(2):
        trace = open_trace(folder)
        assert trace.notes == ("the journal is damaged between frames 99 and 101; what was recorded there is lost",)
        assert (folder / "journal.damaged.bin").read_bytes() == content
        assert trace.clock.size == FRAMES - 1
        _assert_true(trace)


def test_who_left_in_a_lost_frame_is_gone_behind_it(journal: Path, tmp_path: Path) -> None:
    """A lifetime that ended in a frame that is lost ends on the first frame that is known again."""
    content = bytearray(journal.read_bytes())
    content[_ends(bytes(content))[101] + 30] ^= 1  # boat-2 leaves on frame 100
    (tmp_path / "journal.bin").write_bytes(content)
    session = trace_from_journal(read_journal(tmp_path / "journal.bin"), "damaged").session
    first = next(n for n in range(session.lifetimes.size) if session.who(n) == "boat-2")
    assert session.clock.frames[session.lifetimes.leave[first]] == 101
