"""Mutated input is taken or refused in words: never a traceback, never a file elsewhere."""

import json
import os
import random
import shutil
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from breadcrumb import BreadcrumbError, Recorder, open_trace
from breadcrumb.journal.layout import MAGIC, RECORD
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.lines import BadLine
from breadcrumb.listen.sessions import SessionWriter

ROUNDS = int(os.environ.get("BREADCRUMB_ROUNDS", "200"))
"""Of each test; 20,000 make a hundred thousand of them all."""


@pytest.fixture(scope="module")
def small(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A recording with every sort of content, not yet opened."""
    path = tmp_path_factory.mktemp("small") / "small.crumbs"

    class Thing:
        x, lit, state, owner = 1.0, True, "idle", None

    things, barrels = [Thing(), Thing()], np.zeros((3, 2))
    with Recorder(path, game="Lantern Bay", units={"x": "m"}, spaces={"x": "parent"}) as rec:
        rec.parameter("cap", 6.0, "m/s")
        rec.watch_each(lambda: things, kind="skiff", parent="owner", x="x", lit="lit", state="state")
        rec.watch_each(lambda: things[:1], kind="moth", every=2, x="x")
        rec.watch_arrays("barrel", [1, 2, 3], place=barrels)
        for frame in range(6):
            things[0].x, things[0].lit, things[0].state = frame * 0.5, frame % 2 == 0, "abc"[frame % 3]
            barrels += 0.25
            if frame == 3:
                things.pop()
                rec.parameter("cap", 7.0, "m/s")
                rec.brief_lifetime("spark", parent=things[0])
            rec.event("bell", by=things[0], data={"n": frame, "at": [1, 2.5]})
            rec.frame(frame / 60, wall=frame / 50, steps=1, scale=1.0, paused=False)
    return path


def _mutated(content: bytes, draw: random.Random) -> bytes:
    """Return the content with a few bytes changed, cut out, doubled or moved."""
    mutated = bytearray(content)
    for _ in range(draw.randint(1, 3)):
        at, size = draw.randrange(len(mutated)), draw.randint(1, 12)
        kind = draw.randrange(4)
        if kind == 0:
            mutated[at] = draw.choice((0, 1, 0x22, 0x2C, 0x7B, 0xFF, draw.randrange(256)))
        elif kind == 1:
            del mutated[at : at + size]
        elif kind == 2:
            mutated[at:at] = mutated[at : at + size]
        else:
            mutated[at : at + size] = draw.choice(
                (b"null", b"-1", b"1e999", b'"', b"[]", b"{}", b"99999999999999999999")
            )
        if not mutated:
            return b""
    return bytes(mutated)


def _use(path: Path) -> None:
    """Open a trace and look at everything in it."""
    trace = open_trace(path)
    for kind in trace.kinds:
        for prop in trace.all(kind).properties:
            signal = trace.all(kind).signal(prop)
            _ = signal.take(np.flatnonzero(signal.usable)).values
        _ = trace.all(kind).appears.lifetime, trace.all(kind).lifetimes.lengths()
    for name in trace.event_names:
        _ = trace.events(name).subjects, trace.events(name).lifetime


def _journal(content: bytes, draw: random.Random) -> bytes:
    """Mutate the bodies of some records, and give them right checksums again, so that they are believed."""
    out, at = bytearray(content[: len(MAGIC)]), len(MAGIC)
    while at < len(content):
        length, _ = RECORD.unpack_from(content, at)
        body = content[at + RECORD.size : at + RECORD.size + length]
        if at > len(MAGIC) and draw.random() < 0.25:
            body = body[:1] + _mutated(body[1:], draw)
        out += RECORD.pack(len(body), zlib.crc32(body)) + body
        at += RECORD.size + length
    return bytes(out)


def test_mutated_journals_are_read_or_refused(small: Path, tmp_path: Path) -> None:
    """A journal whose records are wrong but have right checksums opens up to there, or is an error of ours."""
    content = (small / "journal.bin").read_bytes()
    draw = random.Random(2)
    opened = 0
    for _ in range(ROUNDS):
        path = tmp_path / "it.crumbs"
        path.mkdir()
        (path / "journal.bin").write_bytes(_journal(content, draw))
        try:
            _use(path)
            _use(path)
            opened += 1
        except BreadcrumbError as error:
            assert str(path) in str(error)
        shutil.rmtree(path)
    assert 0 < opened < ROUNDS
    assert list(tmp_path.iterdir()) == []


def test_mutated_folders_are_read_or_refused(small: Path, tmp_path: Path) -> None:
    """A trace one of whose files is damaged opens, or is an error that names the file."""
    whole = tmp_path / "whole.crumbs"
    shutil.copytree(small, whole)
    open_trace(whole)
    draw = random.Random(2)
    refused = 0
    for _ in range(ROUNDS):
        path = tmp_path / "it.crumbs"
        shutil.copytree(whole, path)
        file = draw.choice(sorted(one for one in path.rglob("*") if one.is_file()))
        file.write_bytes(_mutated(file.read_bytes(), draw))
        try:
            _use(path)
        except BreadcrumbError as error:
            refused += 1
            assert str(path) in str(error)
        shutil.rmtree(path)
    assert refused > ROUNDS // 4


def test_mutated_zips_are_read_or_refused(small: Path, tmp_path: Path) -> None:
    """A zipped trace that is damaged, in the archive or in a file within it, opens, or is an error that names it."""
    whole = tmp_path / "whole.crumbs"
    shutil.copytree(small, whole)
    open_trace(whole)
    files = {file.relative_to(whole).as_posix(): file.read_bytes() for file in whole.rglob("*") if file.is_file()}
    draw = random.Random(4)
    refused = 0
    path = tmp_path / "it.zip"
    for number in range(ROUNDS):
        hit = draw.choice(sorted(files))
        with zipfile.ZipFile(path, "w") as archive:
            for name, content in files.items():
                archive.writestr(name, _mutated(content, draw) if number % 2 and name == hit else content)
        if number % 2 == 0:
            path.write_bytes(_mutated(path.read_bytes(), draw))
        try:
            _use(path)
        except BreadcrumbError as error:
            refused += 1
            assert str(path) in str(error)
    assert refused > ROUNDS // 4
    assert sorted(one.name for one in tmp_path.iterdir()) == ["it.zip", "whole.crumbs"]


def _json_changed(line: bytes, draw: random.Random) -> bytes:
    """Change one value somewhere in a line of JSON, so that it is still JSON."""
    content = json.loads(line)
    at: object = content
    while isinstance(at, dict | list) and at:
        keys: list[object] = list(at) if isinstance(at, dict) else list(range(len(at)))
        key = draw.choice(keys)
        if draw.random() < 0.4 or not isinstance(at[key], dict | list):  # type: ignore[call-overload]
            at[key] = draw.choice([None, -1, 3, 1e300, "NaN", "x", "", [], {}, [1, 2], True, {"a": 1}, "heron", 2**70])  # type: ignore[call-overload]
            break
        at = at[key]  # type: ignore[call-overload]
    return json.dumps(content).encode()


IN_COLUMNS = (
    {"frame": 6, "t": 1.0, "columns": {"barrel": {"ids": ["1", "2"], "values": {"place": [[1, 2], [3.5, None]]}}}},
    {"frame": 7, "t": 1.0, "unsampled": ["barrel"], "appear": [{"id": "q", "kind": "quay", "parent": "1"}]},
    {
        "frame": 8,
        "t": 1.5,
        "columns": {"quay": {"ids": ["q"], "values": {"lit": [True], "n": ["NaN"]}}},
        "leave": ["2"],
    },
)

MUTATIONS: dict[str, Callable[[bytes, random.Random], bytes]] = {"bytes": _mutated, "values": _json_changed}


@pytest.mark.parametrize("how", MUTATIONS)
def test_mutated_frame_lines_are_taken_or_refused(how: str, small: Path, tmp_path: Path) -> None:
    """A stream with a wrong line ends in a refusal that names the line; the frames before it make a trace."""
    source = tmp_path / "source.crumbs"
    shutil.copytree(small, source)
    lines = list(frame_lines(open_trace(source).data))
    lines[-1:-1] = [json.dumps(line).encode() for line in IN_COLUMNS]
    draw = random.Random(3)
    refused = past_the_first = 0
    for _ in range(ROUNDS):
        path = tmp_path / "it.crumbs"
        writer = SessionWriter(lambda about: tmp_path / "it.crumbs")
        at = draw.randrange(len(lines))
        stream = [*lines[:at], MUTATIONS[how](lines[at], draw), *lines[at + 1 :]]
        try:
            for line in stream:
                writer.take(line)
        except BadLine as error:
            refused += 1
            assert error.line >= at + 1
        writer.close()
        past_the_first += writer.frames > 1
        if path.exists():
            _use(path)
            shutil.rmtree(path)
    assert refused > ROUNDS // 4
    assert past_the_first > ROUNDS // 2
