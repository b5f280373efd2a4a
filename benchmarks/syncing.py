"""What syncing to the disk once a second does to a game's frames.

    python benchmarks/syncing.py

Three games play 36,000 frames each, ten minutes at 60 a second: one records 100 objects, with the syncing; the second
reads the same values, and writes as many bytes with `write()`, and never syncs; the third records, the syncing taken
out. Frames are paced a tenth of the usual time, so that a run takes minutes; the three take turns of 100 frames, so
that what else the machine does falls on all alike.
"""

import os
import statistics
import struct
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from unittest.mock import patch

from ways import Body, Frame, Way, recorder

from breadcrumb.journal.writing import JournalWriter

OBJECTS, FRAMES, TURN = 100, 36_000, 100
SLOW = 0.005  # s
PACE = 1 / 600  # s


def plain_writes(bodies: Sequence[Body], path: Path) -> Frame:
    """Return a loop that reads what is recorded, packs it, and writes as many bytes."""
    file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND)
    pack = struct.Struct(f"<d{6 * len(bodies)}d").pack

    def frame(t: float) -> None:
        flat: list[float] = []
        codes: list[object] = []
        for o in bodies:
            flat += (o.x, o.y, o.z, o.vx, o.vy, o.vz)
            codes += (o.lit, o.state)
        os.write(file, pack(t, *flat))

    return frame


def never_synced(bodies: Sequence[Body], folder: Path) -> Way:
    """Return the library's way with the syncing taken out."""
    with patch.object(JournalWriter, "_sync_now_and_then", lambda writer: None):
        return recorder(bodies, folder)


def play(games: dict[str, Frame], bodies: Sequence[Body]) -> dict[str, list[float]]:
    """Play all games in turns; return the seconds that each frame's recording took."""
    spent: dict[str, list[float]] = {name: [] for name in games}
    names = list(games)
    for _ in range(FRAMES // TURN):
        names.append(names.pop(0))
        for name in names:
            for _ in range(TURN):
                for body in bodies:
                    body.move()
                start = time.perf_counter()
                games[name](start)
                spent[name].append(time.perf_counter() - start)
                time.sleep(max(0.0, PACE - (time.perf_counter() - start)))
    return spent


def main() -> None:
    """Print a line for each game."""
    with tempfile.TemporaryDirectory(dir=sys.argv[1] if len(sys.argv) > 1 else None) as folder:
        bodies = [Body(number) for number in range(OBJECTS)]
        parts = [Path(folder) / name for name in ("synced", "unsynced")]
        for part in parts:
            part.mkdir()
        synced, unsynced = recorder(bodies, parts[0]), never_synced(bodies, parts[1])
        games = {
            "recorded, synced once a second": synced.frame,
            "reads and writes the same bytes": plain_writes(bodies, Path(folder) / "plain.bin"),
            "recorded, never synced": unsynced.frame,
        }
        for name, times in play(games, bodies).items():
            ordered = sorted(times)
            slow = sum(one > SLOW for one in times)
            median, p99 = statistics.median(times) * 1e6, ordered[int(len(times) * 0.99)] * 1e6
            said = f"median {median:6.1f} us   p99 {p99:7.1f} us   worst {ordered[-1] * 1e3:6.2f} ms"
            print(f"{name:32} {said}   {slow} frames over 5 ms")
        synced.close()
        unsynced.close()


if __name__ == "__main__":
    main()
