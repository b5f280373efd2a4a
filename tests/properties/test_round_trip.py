"""Whatever a game records comes back as it was: from the journal, from Parquet, and through frame lines."""

import math
import struct
from pathlib import Path
from tempfile import TemporaryDirectory
from types import SimpleNamespace
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from breadcrumb import Recorder, Trace, open_trace
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.sessions import SessionWriter

VALUES = {
    "number": st.one_of(st.none(), st.floats(), st.integers(-(2**53), 2**53)),
    "flag": st.one_of(st.none(), st.booleans()),
    "text": st.one_of(st.none(), st.text(max_size=6)),
    "place": st.one_of(st.none(), st.tuples(st.floats(), st.floats())),
}
FIRST = {"number": 0.5, "flag": True, "text": "a", "place": (1.0, 2.0)}
STATE = st.fixed_dictionaries(VALUES)
FRAME = st.fixed_dictionaries(
    {
        "there": st.dictionaries(st.sampled_from("abcd"), STATE, max_size=4),
        "step": st.sampled_from([0.0, 0.001, 0.1, 1 / 60]),
        "events": st.lists(
            st.tuples(
                st.sampled_from(["bell.rung", "gate", "error"]),
                st.sampled_from([None, "a", "b", "wall"]),
                st.dictionaries(st.text(max_size=4), st.one_of(st.integers(), st.text(max_size=4), st.booleans())),
            ),
            max_size=3,
        ),
    }
)


def _record(path: Path, frames: list[dict[str, Any]]) -> None:
    """Record the frames; an object that stays is the same object, so that its lifetime goes on."""
    there: dict[str, SimpleNamespace] = {}
    t = 0.0
    with Recorder(path, strict=True) as rec:
        readers: dict[str, Any] = {name: name for name in VALUES}
        rec.watch_each(there.values, kind="thing", id="id", **readers)
        for frame in [{"there": {"a": FIRST}, "step": 0.0, "events": []}, *frames]:
            for gone in set(there) - set(frame["there"]):
                del there[gone]
            for id, state in frame["there"].items():
                vars(there.setdefault(id, SimpleNamespace(id=id))).update(state)
            for name, by, data in frame["events"]:
                rec.event(name, by=by, data=data)
            t += frame["step"]
            rec.frame(t)


def _through_lines(trace: Trace, folder: Path) -> Trace:
    """Write a trace as frame lines, and read them as another one."""
    writer = SessionWriter(lambda about: folder / "b.crumbs")
    for line in frame_lines(trace.data):
        writer.take(line)
    writer.close()
    again = open_trace(folder / "b.crumbs")
    assert again.notes == ()
    assert (again.clock.frames.tolist(), again.clock.times.tolist()) == (
        trace.clock.frames.tolist(),
        trace.clock.times.tolist(),
    )
    return again


def _bits(value: Any) -> Any:
    """Return a value in a form in which only the same one is equal, NaN and the sign of 0 included."""
    if isinstance(value, tuple):
        return tuple(map(_bits, value))
    if isinstance(value, int | float) and not isinstance(value, bool):
        return "nan" if math.isnan(value) else struct.pack("<d", value)
    return value


def _states(trace: Trace) -> dict[tuple[str, int], dict[str, Any]]:
    things = trace.all("thing")
    found: dict[tuple[str, int], dict[str, Any]] = {}
    for name in VALUES:
        signal = things.signal(name)
        names = [trace.data.session.names[place] for place in signal.track.name]
        for at, (who, row, usable) in enumerate(
            zip(names, signal.track.clock_index.tolist(), signal.usable.tolist(), strict=True)
        ):
            parts = tuple(part[at].item() for part in signal.parts)
            value = signal.texts[parts[0]] if signal.texts else parts if len(parts) > 1 else parts[0]
            found.setdefault((who, row), {})[name] = _bits(value) if usable else None
    return found


@given(st.lists(FRAME, max_size=6))
def test_a_session_comes_back_as_it_was(frames: list[dict[str, Any]]) -> None:
    """Every value of every object on every frame, every event and every lifetime is what the game had."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "a.crumbs"
        _record(path, frames)
        played = [{"there": {"a": FIRST}, "step": 0.0, "events": []}, *frames]
        expected = {
            (who, row): {name: _bits(value) for name, value in state.items()}
            for row, frame in enumerate(played)
            for who, state in frame["there"].items()
        }
        for way in ("from the journal", "from Parquet", "through frame lines"):
            trace = open_trace(path) if way != "through frame lines" else _through_lines(open_trace(path), Path(folder))
            assert _states(trace) == expected
            events = trace.data.session.events
            names = [*trace.data.session.names, None]
            assert [
                (events.clock_index[n], events.kinds[events.kind[n]], names[events.by[n]], dict(events.data[n]))
                for n in range(len(events.clock_index))
            ] == [(row, name, by, data) for row, frame in enumerate(played) for name, by, data in frame["events"]]
            stays = {(who, row) for who, row in expected if (who, row - 1) not in expected}
            lifetimes = trace.data.session.lifetimes
            assert {(trace.data.session.who(n), int(lifetimes.first[n])) for n in range(lifetimes.size)} == stays
