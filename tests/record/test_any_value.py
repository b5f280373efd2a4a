"""Whatever a game hands over, and whatever interrupts it: what is written can be read, and is what the game had."""

import datetime as dt
import enum
import os
import signal
import sys
import tempfile
import threading
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import breadcrumb
from breadcrumb import Recorder, Trace, open_trace
from breadcrumb.errors import Misuse, TraceExists
from breadcrumb.journal.reading import read_journal
from breadcrumb.store.memory import trace_from_journal


class Mood(enum.Enum):
    """A value that is a member."""

    CALM = "calm"


class Wild:
    """An object of which everything raises."""

    def __str__(self) -> str:
        raise RuntimeError("wild")

    __repr__ = __hash__ = __eq__ = __len__ = __iter__ = __float__ = __bool__ = __str__  # type: ignore[assignment]


RECURSIVE: list[Any] = []
RECURSIVE.append(RECURSIVE)
DEEP: Any = 1
for _ in range(900):
    DEEP = [DEEP]
VALUES = [
    *(None, True, 0, -1, 7, 2.0, 2.5, 2**63, 2**70, 10**400, 10**5000, float("nan"), float("-inf"), 1e308),
    *(
        "",
        "heron",
        "tern",
        "a\0b",
        "\udcff",
        "line\nend",
        "海" * 400,
        b"\xff",
        Mood.CALM,
        signal.SIGINT,
        Wild(),
        object(),
        Wild,
    ),
    *(RECURSIVE, DEEP, [], {}, {1: 2, Mood.CALM: Wild()}, {"\udcff": "\udcff"}, (n for n in range(3)), {1, "x"}),
    *(
        np.float32(1.5),
        np.int64(3),
        np.bool_(True),
        np.arange(3),
        np.array(Wild(), object),
        np.datetime64("2026-01-01"),
    ),
    *(
        Decimal("1.5"),
        1 + 2j,
        dt.datetime(2026, 1, 1),
        dt.timedelta(1),
        Path("x"),
        lambda: 1,
        len,
        NotImplemented,
    ),
]
NESTED: Any = [["boat"]]
CALLS: dict[str, Callable[[Recorder, SimpleNamespace, Any], Any]] = {
    "event": lambda rec, thing, one: rec.event(one),
    "by": lambda rec, thing, one: rec.event("rung", by=one, on=one),
    "data": lambda rec, thing, one: rec.event("rung", data={"x": one}),
    "all data": lambda rec, thing, one: rec.event("rung", data=one),
    "t": lambda rec, thing, one: rec.frame(one),
    "frame": lambda rec, thing, one: rec.frame(0, frame=one),
    "clock": lambda rec, thing, one: rec.frame(0, wall=one, steps=one, scale=one, paused=one),
    "parameter": lambda rec, thing, one: rec.parameter(one, one, one),
    "declare": lambda rec, thing, one: rec.declare(events=[one], kinds=[NESTED]),
    "declare all": lambda rec, thing, one: rec.declare(events=one, kinds=one),
    "brief": lambda rec, thing, one: rec.brief_lifetime(one, id=one, parent=one),
    "renew": lambda rec, thing, one: rec.renew(one),
    "value": lambda rec, thing, one: setattr(thing, "any", one),
    "id": lambda rec, thing, one: setattr(thing, "id", one),
    "owner": lambda rec, thing, one: setattr(thing, "owner", one),
    "generation": lambda rec, thing, one: setattr(thing, "generation", one),
}
FRAMES = ("t", "frame", "clock")
PACKAGE = f"{Path(breadcrumb.__file__).parent}{os.sep}"


@given(st.lists(st.tuples(st.sampled_from(list(CALLS)), st.integers(0, len(VALUES) - 1)), min_size=1, max_size=25))
def test_whatever_is_handed_over_can_be_read_and_costs_nothing_else(calls: list[tuple[str, int]]) -> None:
    """A boat beside any calls with any values has its value on each frame, and each event is there."""
    boat, other = SimpleNamespace(x=0.0), SimpleNamespace(any=2, id="two", owner=None, generation=0)
    wild = SimpleNamespace(any=1.0, id="one", owner=None, generation=0)
    model: list[float] = []
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.crumbs"
        with Recorder(path) as rec:
            rec.watch(boat, id="boat", kind="skiff", x="x")
            rec.watch_each(
                lambda: [wild, other],
                kind="wild", id="id", parent="owner", generation="generation", any="any", always=lambda _: 3,
            )  # fmt: skip
            for name, which in calls:
                CALLS[name](rec, wild, VALUES[which])
                model += [boat.x] * (name in FRAMES)
                boat.x += 1
                rec.frame(0)
                model.append(boat.x)
        trace = open_trace(path)
        assert trace.one("skiff").x.values.tolist() == model
        events = [name for name, _ in calls if name in ("event", "by", "data", "all data")]
        assert sum(len(trace.events(name)) for name in trace.event_names) == len(events)
        always = trace.all("wild")["always"].values
        assert len(always) == 2 * len(model)
        assert set(always.tolist()) == {3}
        assert "damaged" not in {fact.code for fact in trace.facts}


@pytest.mark.parametrize("place", ["about", "game", "path", "kind", "property"])
def test_what_the_constructor_and_watch_are_given_is_plain_or_refused(tmp_path: Path, place: str) -> None:
    """Any value is taken as it can be read, or refused with an error of ours before anything is recorded."""
    for number, value in enumerate(VALUES):
        path: Any = f"{tmp_path / str(number)}{value if place == 'path' and isinstance(value, str) else ''}.crumbs"
        kind, name = (value if place == one else "skiff" for one in ("kind", "property"))
        if place == "property" and not isinstance(value, str | int | float | Mood | bytes):
            continue  # no key of a mapping
        try:
            with Recorder(path, **({place: value} if place in ("about", "game") else {})) as rec:
                rec.watch(SimpleNamespace(x=1), id="a", kind=kind, properties={name: "x"})
                rec.frame(0)
        except (Misuse, OSError):
            continue
        assert open_trace(path).clock.size == 1


@pytest.mark.skipif(not hasattr(os, "fork"), reason="fork is there on POSIX alone")
def test_only_the_process_that_began_a_recording_writes_it(tmp_path: Path) -> None:
    """A process that is forked off records nothing, and its close() leaves the trace open for its parent."""
    thing = SimpleNamespace(x=0)
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(thing, id="a", kind="skiff", x="x")
        for thing.x in range(6):
            rec.frame(thing.x)
            if thing.x == 2:
                child = os.fork()
                if child == 0:
                    rec.event("rung")
                    rec.frame(99)
                    rec.close()
                    os._exit(0)
                os.waitpid(child, 0)
    trace = open_trace(tmp_path / "a.crumbs")
    assert trace.one("skiff").x.values.tolist() == list(range(6))
    assert trace.facts == ()
    assert trace.event_names == ()


def test_frames_from_several_threads_are_all_recorded(tmp_path: Path) -> None:
    """Threads that record at once take turns."""
    thing = SimpleNamespace(x=0)

    def work() -> None:
        for _ in range(200):
            rec.event("rung", data={"n": 1})
            rec.frame(0)

    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(thing, id="a", kind="skiff", x="x")
        threads = [threading.Thread(target=work) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    trace = open_trace(tmp_path / "a.crumbs")
    assert (trace.clock.size, len(trace.events("rung")), trace.facts) == (800, 800, ())


def _interrupted(line: int, act: Callable[[], None], work: Callable[[], None]) -> bool:
    """Do something, and be interrupted at a line of the recorder's code; tell whether it came to that."""
    left = [line]

    def trace(frame: Any, event: str, arg: Any) -> Any:
        if not frame.f_code.co_filename.startswith(PACKAGE):
            return None
        if event == "line":
            left[0] -= 1
            if left[0] == 0:
                sys.settrace(None)
                act()
                raise KeyboardInterrupt
        return trace

    before = sys.gettrace()
    sys.settrace(trace)
    try:
        work()
    except KeyboardInterrupt:
        return True
    finally:
        sys.settrace(before)
    return False


@pytest.mark.parametrize("closes", [False, True])
def test_an_interrupt_at_any_line_of_a_frame_loses_that_frame_at_most(tmp_path: Path, closes: bool) -> None:
    """Wherever a signal strikes, and a handler closes or the game goes on: every value and event that is there is right."""
    boats = [SimpleNamespace(x=0.0, name=f"b{n}") for n in range(4)]
    line, struck = 0, True
    while struck:
        line += 1
        there, told, path = {2: boats[:2], 3: boats[1:], 4: boats[1:]}, {}, tmp_path / f"{line}.crumbs"
        with Recorder(path) as rec:
            rec.watch_each(
                lambda: there.get(step, boats),  # noqa: B023
                kind="boat",
                id="name",
                x="x",
                name="name",
                even=lambda one: one.x % 2 == 0,
            )
            for step in range(7):
                for boat in boats:
                    boat.x += 1
                told[step] = boats[0].x

                def work() -> None:
                    rec.event("rung", data={"step": step})  # noqa: B023
                    rec.frame(step, frame=step)  # noqa: B023

                if step == 3:
                    struck = _interrupted(line, rec.close if closes else lambda: None, work)
                else:
                    work()
        trace = Trace(trace_from_journal(read_journal(path / "journal.bin"), "a"))
        lost = {3} if struck else set()
        frames = set(trace.clock.frames.tolist())
        assert set(range(3 if closes and struck else 7)) - lost <= frames
        for boat in boats:
            one = trace.one(id=boat.name)
            assert one.x.values.tolist() == [told[frame] for frame in one.x.frames.tolist()]
            assert one.even.values.tolist() == [told[frame] % 2 == 0 for frame in one.x.frames.tolist()]
            assert set(one.x.frames.tolist()) == {n for n in frames if boat in there.get(n, boats)}
        steps = [data["step"] for data in trace.events("rung").data]
        assert steps == sorted(set(steps))
        assert set(steps) | {3} >= frames, "an event is lost with another frame than that which was interrupted"
    assert line > 100


def test_a_trace_that_is_being_recorded_is_not_overwritten(tmp_path: Path) -> None:
    """overwrite=True replaces a finished trace, never a live one, a file or a link."""
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.frame(0)
        with pytest.raises(TraceExists, match="is being recorded"):
            Recorder(tmp_path / "a.crumbs", overwrite=True)
        rec.frame(1)
    assert open_trace(tmp_path / "a.crumbs").clock.size == 2
    (tmp_path / "link.crumbs").symlink_to(tmp_path / "a.crumbs")
    (tmp_path / "file.crumbs").write_text("x")
    for name in ("link", "file"):
        with pytest.raises(TraceExists, match="a file or a link"):
            Recorder(tmp_path / f"{name}.crumbs", overwrite=True)


CHANGES = {
    "another dtype": (np.arange(3) * 1.0, np.arange(3, dtype=np.float32), [0, 1, 2] * 2, ()),
    "more parts": (np.zeros((3, 2)), np.ones((3, 3)), [0] * 3, ("other-type",)),
    "flags": (np.arange(3) * 1.0, np.ones(3, np.bool_), [0, 1, 2], ("other-type",)),
    "texts": (np.arange(3) * 1.0, np.array(["a", "b", "c"]), [0, 1, 2], ("group-not-recorded",)),
    "fewer rows": (np.arange(3) * 1.0, np.zeros(2), [0, 1, 2], ("group-not-recorded",)),
    "a list": (np.arange(3) * 1.0, [1, 2, 3], [0, 1, 2], ("group-not-recorded",)),
}


@pytest.mark.parametrize("name", CHANGES)
def test_arrays_that_change_their_layout_are_unsampled_and_noted(tmp_path: Path, name: str) -> None:
    """Values of another sort or width than at first are never taken for others; what is missing is said."""
    first, second, expected, codes = CHANGES[name]
    arrays = iter([first, second, second])
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch_arrays("rock", np.arange(3), other=np.arange(3) + 10.0, v=lambda: next(arrays))
        for t in range(2):
            rec.frame(t)
    trace = open_trace(tmp_path / "a.crumbs")
    rocks = trace.all("rock")
    signal_of = rocks.v.x if name == "more parts" else rocks.v
    assert sorted(signal_of.values.tolist()) == sorted(expected)
    assert set(rocks.other.values.tolist()) == {10, 11, 12}
    assert tuple(fact.code for fact in trace.facts) == codes
