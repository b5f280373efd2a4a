"""Mutated streams, journals and folders: nothing but our own errors comes of them, and no value that was not recorded.

    python benchmarks/mutating.py --seed 0 --count 20000

Runs in pieces: each seed mutates other bytes. It says how many were tried, what they came to, and how long it took; the
first attack that ended otherwise than in a trace or in an error of ours is printed with its number, and ends the run.
"""

import argparse
import collections
import random
import resource
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace

import numpy as np

from breadcrumb import Recorder, Trace, open_trace
from breadcrumb.errors import TraceError
from breadcrumb.journal.reading import parse_journal
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.lines import BadLine
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.store.memory import trace_from_journal

MEMORY = 2 << 30
FRAMES = 40
SPLICES = (b"[" * 2000, b'"', b"\\ud800", b"1e999", b"null", b"\x00" * 9, b"\xff\xff\xff\x7f", b"9" * 400, b"{", b"}")
Attack = Callable[[random.Random, Path], str]


def record(path: Path) -> None:
    """Record a session with objects that come and go, flags, texts, vectors and events."""
    boats = [SimpleNamespace(x=float(n), at=(n, 0.0), lit=False, mood="calm", name=f"boat-{n}") for n in range(4)]
    with Recorder(path, units={"x": "m"}) as rec:
        rec.watch_each(lambda: boats[: 2 + frame % 3], kind="boat", id="name", x="x", at="at", lit="lit", mood="mood")
        for frame in range(FRAMES):
            for boat in boats:
                boat.x, boat.lit, boat.mood = float(frame), frame % 3 == 0, f"mood {frame // 5}"
            rec.event("bell.rung", by=boats[0], data={"frame": frame})
            rec.frame(frame / 10)


def mutated(draw: random.Random, content: bytes) -> bytes:
    """Return bytes in which something is another: flipped, cut, doubled, zeroed, or spliced in."""
    changed = bytearray(content)
    for _ in range(draw.choice((1, 1, 2, 5))):
        at, size = draw.randrange(len(changed) + 1), draw.choice((1, 4, 40))
        way = draw.randrange(6)
        if way == 0 and at < len(changed):
            changed[at] ^= 1 << draw.randrange(8)
        elif way == 1:
            del changed[at : at + size]
        elif way == 2:
            changed[at:at] = changed[at : at + size]
        elif way == 3:
            changed[at : at + size] = bytes(len(changed[at : at + size]))
        elif way == 4:
            changed[at:at] = draw.choice(SPLICES)
        else:
            del changed[at:]
    return bytes(changed)


def holds_what_was_recorded(trace: Trace) -> None:
    """Assert that each sample of a boat is what was recorded on its frame."""
    if "boat" not in trace.kinds:
        return
    for id in trace.all("boat").ids:
        boat = trace.one(id=id)
        if "x" in boat.properties:
            assert boat.x.values.tolist() == [float(frame) for frame in boat.x.frames], "a wrong number"
            known = boat.mood.take(np.flatnonzero(boat.mood.usable))
            moods = zip(known.values, known.frames, strict=True)
            assert all(mood == f"mood {frame // 5}" for mood, frame in moods), "a wrong text"


def attack_journal(journal: bytes) -> Attack:
    """Return an attack on a journal: bytes are changed, and the checksums stay what they were."""

    def attack(draw: random.Random, folder: Path) -> str:
        try:
            trace = Trace(trace_from_journal(parse_journal(mutated(draw, journal), "journal"), "journal"))
        except TraceError:
            return "refused"
        holds_what_was_recorded(trace)
        return "read"

    return attack


def attack_lines(lines: bytes) -> Attack:
    """Return an attack on a stream of frame lines."""

    def attack(draw: random.Random, folder: Path) -> str:
        writer = SessionWriter(lambda about: folder / "it.crumbs")
        outcome = "taken"
        try:
            for line in mutated(draw, lines).split(b"\n"):
                writer.take(line)
        except BadLine:
            outcome = "refused"
        finally:
            writer.close()
        if writer.path is not None:
            open_trace(writer.path)
        return outcome

    return attack


def attack_folder(trace: Path) -> Attack:
    """Return an attack on a trace's files."""
    files = [path.relative_to(trace) for path in sorted(trace.rglob("*")) if path.is_file()]

    def attack(draw: random.Random, folder: Path) -> str:
        shutil.copytree(trace, folder / "it.crumbs")
        name = folder / "it.crumbs" / draw.choice(files)
        name.write_bytes(mutated(draw, name.read_bytes()))
        try:
            opened = open_trace(folder / "it.crumbs")
            for kind in opened.kinds:
                for prop in opened.all(kind).properties:
                    signal = opened.all(kind)[prop]
                    _ = signal.take(np.flatnonzero(signal.usable)).values
            if name.name != "about.json":  # which may have another name in place of a column's
                holds_what_was_recorded(opened)
        except TraceError:
            return "refused"
        return "read"

    return attack


def main() -> None:
    """Attack as often as asked, and say what came of it."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--count", type=int, default=3000)
    asked = parser.parse_args()
    resource.setrlimit(resource.RLIMIT_AS, (2 * MEMORY, 2 * MEMORY))
    base = Path(tempfile.mkdtemp(prefix="breadcrumb-mutating-"))
    try:
        record(base / "one.crumbs")
        journal = (base / "one.crumbs" / "journal.bin").read_bytes()
        lines = b"".join(frame_lines(open_trace(base / "one.crumbs").data))
        attacks = {
            "journals": attack_journal(journal),
            "streams": attack_lines(lines),
            "folders": attack_folder(base / "one.crumbs"),
        }
        run(attacks, base, asked.seed, asked.count)
    finally:
        shutil.rmtree(base)


def run(attacks: dict[str, Attack], base: Path, seed: int, count: int) -> None:
    """Attack each in turn, in a folder of its own."""
    outcomes: collections.Counter[tuple[str, str]] = collections.Counter()
    begin, slowest = time.perf_counter(), 0.0
    outside = sorted(path.name for path in base.iterdir())
    for number in range(count):
        name = list(attacks)[number % len(attacks)]
        folder, started = base / "attack", time.perf_counter()
        folder.mkdir()
        try:
            outcomes[name, attacks[name](random.Random(f"{seed}/{number}"), folder)] += 1
        except Exception:
            print(f"attack {number} of seed {seed}, on {name}, was not answered as it should be:")
            raise
        shutil.rmtree(folder)
        slowest = max(slowest, time.perf_counter() - started)
    assert sorted(path.name for path in base.iterdir()) == outside, "something was written outside of its folder"
    for (name, outcome), times in sorted(outcomes.items()):
        print(f"{name:9} {outcome:8} {times:8}")
    most, seconds = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, time.perf_counter() - begin
    print(f"{count} attacks in {seconds:.0f} s; the slowest took {slowest:.2f} s; at most {most:.0f} MiB")


if __name__ == "__main__":
    main()
