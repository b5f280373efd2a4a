"""What every store must keep, and what every sender of frame lines must send."""

import json
import math
import random
import struct
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path
from types import SimpleNamespace
from typing import Any, NamedTuple

from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.reading import read_journal
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.record.recorder import Recorder
from breadcrumb.store.memory import trace_from_journal
from breadcrumb.testing.names import odd_names
from breadcrumb.testing.sameness import differences
from breadcrumb.trace.opened import Trace

_FRAMES = 40
_STEP = 1 / 60


def store_sessions() -> Mapping[str, Trace]:
    """Return sessions that a store must keep value for value, by what they are about.

    Example:
        >>> sorted(store_sessions())
        ['cut', 'empty', 'everything', 'no samples']
    """
    return {name: _recorded(play, sealed=name != "cut") for name, play in _PLAYS.items()}


def assert_kept(keep: Callable[[Trace, Path], Trace]) -> None:
    """Assert that a store gives back every one of `store_sessions` as it was.

    Args:
        keep: writes a trace into an empty folder, and opens what it wrote.

    Raises:
        AssertionError: says which session differs, and where.

    Example:
        >>> assert_kept(lambda trace, folder: trace)
    """
    for name, trace in store_sessions().items():
        with tempfile.TemporaryDirectory(prefix="breadcrumb-") as folder:
            found = differences(trace, keep(trace, Path(folder)))
            assert not found, f"session {name!r}: {'; '.join(found)}"


class Call(NamedTuple):
    """One call of a sender, by its name, with its arguments by name."""

    call: str
    args: Mapping[str, Any]


def sender_script() -> tuple[Call, ...]:
    """Return the calls that a sender must turn into the same trace in every language.

    The calls are `open` (about), `appear` (id, kind, parent), `leave` (id), `state` (id, properties), `event` (name,
    by, on, data), `frame` (number, t) and `close`. The numbers are awkward ones, and random bits.
    """
    return tuple(_script(random.Random(7)))


def script_as_json() -> str:
    """Return the script as JSON Lines, a call a line, for a driver in another language.

    A number that JSON does not have is an object, such as `{"non-finite": "-Infinity"}`.
    """
    return "".join(
        json.dumps(_jsonable({"call": one.call, **one.args}), allow_nan=False) + "\n" for one in sender_script()
    )


def assert_sent(trace: Trace) -> None:
    """Assert that the trace of a sender that was given the script is the one that the script means.

    Raises:
        AssertionError: says what differs.
    """
    found = differences(trace_of_script(), trace)
    assert not found, "; ".join(found)


def trace_of_script() -> Trace:
    """Return the trace that the script means."""
    lines = list(_lines(sender_script()))
    with tempfile.TemporaryDirectory(prefix="breadcrumb-") as folder:
        path = Path(folder) / "script.crumbs"
        writer = SessionWriter(lambda about: path)
        for line in lines:
            writer.take(json.dumps(_named(line), allow_nan=False).encode())
        writer.close()
        return Trace(trace_from_journal(read_journal(path / FILE_NAME), "script"))


# Sessions for stores


def _recorded(play: Callable[[Recorder], None], *, sealed: bool) -> Trace:
    with tempfile.TemporaryDirectory(prefix="breadcrumb-") as folder:
        path = Path(folder) / "played.crumbs"
        rec = Recorder(path, strict=True, game="Lantern Bay", units={"position": "m"}, spaces={"grip": "parent"})
        play(rec)
        rec.close()
        journal = read_journal(path / FILE_NAME)
        return Trace(trace_from_journal(journal if sealed else journal._replace(seal=None), "played"))


def _play_everything(rec: Recorder) -> None:
    """Record every sort of value, lifetime, event and clock."""
    draw = random.Random(3)
    boat = SimpleNamespace(at=[0.0, -0.0, 1.0], turn=(0.0, 0.0, 0.0, 1.0), lit=True, state="idle", n=1, holder=None)
    hands = [SimpleNamespace(name=f"hand é\n{n}", holder=boat, grip=(0.5, n)) for n in range(2)]
    sparks: list[SimpleNamespace] = []
    rec.declare(events=["never.seen"], kinds=["ghost"])
    rec.watch_each(lambda: hands, kind="hand", id="name", parent="holder", grip="grip")
    rec.watch(boat, id="heron", kind="skiff", at="at", turn="turn", lit="lit", state="state", n="n")
    rec.watch_each(lambda: sparks, kind="../spark", id=lambda spark: f"s{spark.age % 3}", age="age", every=3)
    for frame in range(_FRAMES):
        boat.at = [draw.uniform(-40, 40), math.inf if frame == 7 else -0.0, draw.random() * 1e-300]
        boat.n = None if frame % 5 == 2 else math.nan if frame == 3 else draw.getrandbits(60)
        boat.lit = None if frame == 4 else frame % 3 == 0
        boat.state = (None, "idle", "漂う 🏮", 'quo"ted\\')[frame % 4]
        hands[1].holder = None if frame > 20 else hands[0] if frame > 10 else boat
        sparks[:] = [SimpleNamespace(age=frame)] if frame % 4 < 2 else []
        if frame in (5, 25):
            rec.parameter("skiff.cap", frame / 3, "m/s")
            rec.brief_lifetime("spray", parent=boat)
            rec.renew(hands[0])
        rec.event("tick", by=boat, on="wall", data={"frame": frame, "deep": {"a": [1, None, "é", True]}})
        rec.event("tock")
        told = {"wall": frame * 0.02, "steps": 2, "scale": 0.5, "paused": frame == 9} if 8 < frame < 30 else {}
        rec.frame(frame // 2 * _STEP, frame=frame if frame < 20 else 3 * frame, **told)  # type: ignore[arg-type]
    rec.event("late.one", by="nobody seen")


def _play_without_samples(rec: Recorder) -> None:
    for frame in range(3):
        rec.brief_lifetime("spark", id="again")
        rec.frame(frame * _STEP)


_PLAYS: Mapping[str, Callable[[Recorder], None]] = {
    "everything": _play_everything,
    "cut": _play_everything,
    "no samples": _play_without_samples,
    "empty": lambda rec: None,
}

# The script for senders


def _script(draw: random.Random) -> "list[Call]":
    calls: list[Call] = []

    def call(called: str, /, **args: Any) -> None:
        calls.append(Call(called, args))

    call("open", about={"game": "Lantern Bay", "seed": 7, "units": {"at": "m"}, "declare": {"events": ["never.seen"]}})
    call("appear", id="heron", kind="skiff", parent=None)
    call("appear", id="händ\n1", kind="hand", parent="heron")
    call("appear", id="odd", kind="odd", parent=None)
    call("state", id="odd", properties={name: number for number, name in enumerate(odd_names())})
    for frame in range(_FRAMES):
        if frame == 8:
            call("leave", id="händ\n1")
        if frame in (8, 20):
            call("appear", id="händ\n1", kind="hand", parent=None)
        if frame == 16:
            call("leave", id="händ\n1")
        if frame % 6 == 3:  # there and gone within one frame
            call("appear", id=f"spark-{frame}", kind="spark", parent="heron")
            call("leave", id=f"spark-{frame}")
        numbers = [_number(draw) for _ in range(3)]
        call("state", id="heron", properties={"at": numbers, "lit": (None, True, False)[frame % 3]})
        awkward = AWKWARD[frame % len(AWKWARD)]
        call("state", id="heron", properties={"n": awkward, "turn": [0, -0.0, _number(draw), awkward], "two": [1, 2.5]})
        if not 16 <= frame < 20 and frame % 2:
            call("state", id="händ\n1", properties={"name": TEXTS[frame % len(TEXTS)], "grip": frame})
        call("event", name="tick", by="heron", on="wall", data={"n": frame, "deep": {"a": [1.5, None, "é", True]}})
        call("event", name="tock", by=None, on=None, data=None)
        call("frame", number=frame if frame < 12 else 3 * frame, t=frame // 2 * _STEP)
    call("close")
    return calls


AWKWARD = (
    0.1,
    -0.0,
    5e-324,
    1.7976931348623157e308,
    1 / 3,
    math.nan,
    math.inf,
    -math.inf,
    2**53,
    -1e-7,
    1e21,
    123456789.123,
)
TEXTS = ("", "plain", 'quo"ted \\ back', "line\nbreak\ttab\u0000", "é ü 漢字", "🏮", "</script>", "\u2028")


def _number(draw: random.Random) -> float:
    """Return random bits as a number; they need all digits to come back."""
    value: float = struct.unpack("<d", draw.getrandbits(64).to_bytes(8, "little"))[0]
    return value if math.isfinite(value) else 0.5


def _lines(calls: tuple[Call, ...]) -> "list[dict[str, Any]]":
    """Return the frame lines that the calls mean."""
    lines: list[dict[str, Any]] = []
    now: dict[str, Any] = {}
    for call, args in calls:
        if call == "open":
            lines.append({"breadcrumb": 2, "about": args["about"]})
        elif call == "appear":
            now.setdefault("appear", []).append(args)
        elif call == "leave":
            now.setdefault("leave", []).append(args["id"])
        elif call == "state":
            now.setdefault("state", {}).setdefault(args["id"], {}).update(args["properties"])
        elif call == "event":
            now.setdefault("events", []).append(args)
        elif call == "frame":
            lines.append({"frame": args["number"], "t": args["t"], **now})
            now = {}
        else:
            lines.append({"end": True})
    return lines


def _named(value: Any) -> Any:
    return _mapped(value, str)


def _jsonable(value: Any) -> Any:
    return _mapped(value, lambda name: {"non-finite": name})


def _mapped(value: Any, stand_in: Callable[[str], Any]) -> Any:
    """Return plain data with a stand-in for numbers that JSON does not have."""
    if isinstance(value, Mapping):
        return {key: _mapped(one, stand_in) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [_mapped(one, stand_in) for one in value]
    if isinstance(value, float) and not math.isfinite(value):
        return stand_in("NaN" if math.isnan(value) else "Infinity" if value > 0 else "-Infinity")
    return value
