import logging
import math
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from breadcrumb import BreadcrumbError, Recorder, Trace, open_trace
from breadcrumb.errors import Misuse, TraceExists
from breadcrumb.journal import writing
from missing import with_none


class Slotted:
    """An object without a `__dict__`."""

    __slots__ = ("x",)

    def __init__(self) -> None:
        self.x = 1.5


def boom(thing: Any) -> float:
    """Raise, as a game's own code may."""
    raise RuntimeError(f"no depth for {thing.x}")


READERS: dict[str, tuple[Any, Any]] = {
    "an attribute": ("x", 1.5),
    "a dotted attribute": ("body.mass", 4.0),
    "a whole number": ("count", 3.0),
    "a function": (lambda thing: thing.x * 2, 3.0),
    "a vector of attributes": (("x", "y"), [1.5, 2.5]),
    "a vector of three, mixed": (("x", "body.mass", lambda thing: 7.0), [1.5, 4.0, 7.0]),
    "an attribute that is a vector": ("place", [1.0, 2.0, 3.0]),
    "an array": ("array", [5.0, 6.0]),
    "a NumPy number": ("single", 0.25),
    "a flag": ("lit", True),
    "a NumPy flag": ("dark", False),
    "a text": ("state", "idle"),
    "infinity": ("far", math.inf),
}


@pytest.mark.parametrize("name", READERS)
def test_every_sort_of_reader_gives_what_the_object_had(tmp_path: Path, name: str) -> None:
    """Numbers, flags, texts and vectors come back as they were, from attributes and from functions."""
    reader, expected = READERS[name]
    thing = SimpleNamespace(
        x=1.5, y=2.5, count=3, body=SimpleNamespace(mass=4), place=(1, 2, 3), array=np.array([5.0, 6.0]),
        single=np.float32(0.25), lit=True, dark=np.bool_(False), state="idle", far=math.inf,
    )  # fmt: skip
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(thing, id="one", kind="thing", value=reader)
        rec.frame(0.0)
        rec.frame(0.1)
    values = open_trace(tmp_path / "a.crumbs").one("thing").signal("value").values.tolist()
    assert values == [expected, expected]


UNREADABLE: dict[str, tuple[Any, str]] = {
    "no such attribute": ("nope", "thing.value could not be read 3 times (AttributeError)"),
    "a function that raises": (boom, "thing.value could not be read 3 times (RuntimeError)"),
    "an object": (lambda thing: object(), "thing.value changed its type 3 times; recorded as missing"),
    "an attribute of a slotted object": ("x.y", "thing.value could not be read 3 times (AttributeError)"),
}


@pytest.mark.parametrize("name", UNREADABLE)
def test_what_cannot_be_read_is_missing_counted_and_said_once(
    tmp_path: Path, name: str, caplog: pytest.LogCaptureFixture
) -> None:
    """A reader that fails costs the game nothing: the value is missing, the rest is recorded."""
    reader, said = UNREADABLE[name]
    with caplog.at_level(logging.WARNING), Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(Slotted(), id="one", kind="thing", value=reader, x="x")
        for frame in range(3):
            rec.frame(frame / 10)
    trace = open_trace(tmp_path / "a.crumbs")
    assert not trace.one("thing").signal("value").usable.any()
    assert trace.one("thing").x.values.tolist() == [1.5] * 3
    assert trace.notes == (said,)
    assert len(caplog.records) == 1


def test_none_is_a_missing_value_and_no_trouble(tmp_path: Path) -> None:
    """A property that is None for a while is missing on those frames, whatever its type, and NaN stays a value."""
    thing = SimpleNamespace(n=1.0, flag=True, text="a", place=(1.0, 2.0))
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(thing, id="one", kind="thing", n="n", flag="flag", text="text", place="place")
        rec.frame(0.0)
        thing.n = thing.flag = thing.text = thing.place = None
        rec.frame(0.1)
        thing.n, thing.flag, thing.text, thing.place = math.nan, False, "b", (3.0, 4.0)
        rec.frame(0.2)
    trace = open_trace(tmp_path / "a.crumbs")
    one = trace.one("thing")
    assert [one.signal(name).usable.tolist() for name in ("n", "flag", "text", "place")] == [[True, False, True]] * 4
    assert math.isnan(one.n.values[2])
    assert with_none(one.text) == ["a", None, "b"]
    assert trace.notes == ()


def test_objects_appear_and_leave_by_themselves_and_ids_are_used_again(tmp_path: Path) -> None:
    """A pool's id has one lifetime for each stay; a new object with an id that was just freed begins a new lifetime."""
    pool: list[Any] = []
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch_each(lambda: pool, kind="flare", id="name", x="x")
        rec.frame(0.0)
        for frame in range(1, 7):
            pool[:] = (
                [] if frame in (3, 4) else [SimpleNamespace(name="flare-1", x=float(frame))] if frame == 6 else pool
            )
            if frame in (1, 5):
                pool[:] = [SimpleNamespace(name="flare-1", x=float(frame))]
            rec.frame(frame / 10)
    flares = open_trace(tmp_path / "a.crumbs").all("flare")
    assert flares.ids == ("flare-1",)
    assert flares.appears.frames.tolist() == [1, 5, 6]
    assert flares.leaves.frames.tolist() == [3, 6]
    assert flares.x.values.tolist() == [1.0, 1.0, 5.0, 6.0]
    assert flares.x.rate().usable.tolist() == [False, True, False, False]


def test_an_id_that_is_used_again_has_its_own_samples_alone(tmp_path: Path) -> None:
    """One object is asked for by its id: what others of its kind were like between its stays is not among its values."""
    first, between, again = (SimpleNamespace(name=name, x=x) for name, x in (("a", 1.0), ("b", 2.0), ("a", 3.0)))
    there: list[Any] = []
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch_each(lambda: there, kind="flare", id="name", x="x")
        for frame, there in enumerate(([first], [between], [again], [between, again])):  # noqa: B007 - it is read
            rec.frame(frame / 10)
    trace = open_trace(tmp_path / "a.crumbs")
    assert [trace.one(id=name).x.values.tolist() for name in "ab"] == [[1.0, 3.0, 3.0], [2.0, 2.0]]


def test_nameless_objects_are_numbered_by_first_sight(tmp_path: Path) -> None:
    """Without a reader of ids, each object has its own, however the list is ordered, and events may name the object."""
    things = [SimpleNamespace(x=n) for n in range(3)]
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch_each(lambda: things, kind="buoy", x="x")
        rec.frame(0.0)
        things.reverse()
        gone = things.pop()
        rec.event("buoy.lost", by=gone, data={"at": np.array([1.0, 2.0])})
        rec.frame(0.1)
    trace = open_trace(tmp_path / "a.crumbs")
    assert trace.all("buoy").ids == ("buoy-1", "buoy-2", "buoy-3")
    assert trace.one(id="buoy-3").x.values.tolist() == [2.0, 2.0]
    lost = trace.events("buoy.lost")
    assert lost.subjects == ("buoy-1",)
    assert lost["at"].tolist() == [[1.0, 2.0]]


TROUBLES = {
    "two objects with one id": "id-twice",
    "an object listed twice": "listed-twice",
    "an id that cannot be read": "id-unreadable",
    "time falls": "time-fell",
    "the frame number falls": "frame-number-fell",
    "a source that raises": "group-not-recorded",
    "an event by a stranger": "unwatched-named",
}


@pytest.mark.parametrize("name", TROUBLES)
def test_the_game_goes_on_whatever_it_hands_over(tmp_path: Path, name: str) -> None:
    """Nothing raises into the game loop: what is wrong is counted in the trace, and strict recorders raise it."""
    twin, other = SimpleNamespace(name="same", x=1.0), SimpleNamespace(name="same", x=2.0)
    sources: dict[str, Callable[[], list[Any]]] = {
        "two objects with one id": lambda: [twin, other],
        "an object listed twice": lambda: [twin, twin],
        "an id that cannot be read": lambda: [SimpleNamespace(x=1.0)],
        "a source that raises": lambda: [1 // 0],
    }

    def record(strict: bool) -> Trace:
        path = tmp_path / f"{strict}.crumbs"
        with Recorder(path, strict=strict) as rec:
            rec.watch_each(sources.get(name, lambda: [twin]), kind="buoy", id="name", x="x")
            rec.frame(1.0, frame=5)
            if name == "an event by a stranger":
                rec.event("bell.rung", by=object())
            rec.frame(0.5 if name == "time falls" else 1.1, frame=2 if name == "the frame number falls" else 6)
        return open_trace(path)

    trace = record(strict=False)
    assert TROUBLES[name] in {fact.code for fact in trace.facts}
    assert trace.clock.frames.tolist() == [5, 6]
    assert (np.diff(trace.clock.times) >= 0).all()
    with pytest.raises((BreadcrumbError, ZeroDivisionError)):
        record(strict=True)


MISUSES: dict[str, tuple[dict[str, Any], str]] = {
    "no attribute name": ({"x": "a b"}, "expected an attribute name"),
    "code": ({"x": "__import__('os').abort()"}, "expected an attribute name"),
    "a keyword": ({"x": "class"}, "expected an attribute name"),
    "a number": ({"x": 3}, "expected an attribute name"),
    "no name": ({"properties": {"": "x"}}, "a text of one letter or more"),
    "half a letter": ({"properties": {"\ud800": "x"}}, "without lone surrogates"),
    "a name given twice": ({"properties": {"x": "x"}, "x": "x"}, "'x' is given twice"),
    "a parent given twice": ({"properties": {"parent": "x"}, "parent": "x"}, "'parent' is given twice"),
}


@pytest.mark.parametrize("name", MISUSES)
def test_what_cannot_be_a_reader_is_refused_before_the_game_starts(tmp_path: Path, name: str) -> None:
    """A wrong reader is an error of `watch`, and its text is never run as code."""
    properties, words = MISUSES[name]
    with Recorder(tmp_path / "a.crumbs") as rec, pytest.raises(Misuse, match=words):
        rec.watch(SimpleNamespace(), id="one", kind="thing", **properties)


def test_a_recording_is_not_overwritten_unasked(tmp_path: Path) -> None:
    """A second recording of the same name is refused, overwrites when told to, and never a folder of other things."""
    path = tmp_path / "a.crumbs"
    Recorder(path, take=1).close()
    with pytest.raises(TraceExists, match="overwrite=True"):
        Recorder(path)
    Recorder(path, overwrite=True, take=2).close()
    assert open_trace(path).about["take"] == 2
    other = tmp_path / "mine.crumbs"
    other.mkdir()
    (other / "thesis.txt").write_text("dear to me")
    with pytest.raises(TraceExists, match="is not a trace"):
        Recorder(other, overwrite=True)
    with pytest.raises(Misuse, match=r"mine\.crumbs"):
        Recorder(tmp_path / "mine")


def test_an_exception_in_the_game_leaves_a_whole_trace(tmp_path: Path) -> None:
    """Leaving the recorder through an error seals the trace; events since the last frame are kept as late ones."""

    def play() -> None:
        with Recorder(tmp_path / "a.crumbs") as rec:
            rec.frame(0.0)
            rec.event("bell.rung")
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        play()
    trace = open_trace(tmp_path / "a.crumbs")
    assert trace.notes == ()
    assert trace.data.session.events.late.tolist() == [True]


def test_a_full_disk_ends_the_recording_and_not_the_game(tmp_path: Path) -> None:
    """When nothing more can be written the game goes on, and what was recorded before opens."""
    script = """
import resource, sys
from types import SimpleNamespace
from breadcrumb import Recorder
resource.setrlimit(resource.RLIMIT_FSIZE, (20_000, 20_000))
import signal; signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
thing = SimpleNamespace(x=0.0)
with Recorder(sys.argv[1]) as rec:
    rec.watch(thing, id="one", kind="thing", x="x")
    for frame in range(2000):
        thing.x = frame * 1.5
        rec.frame(frame / 60)
print("the game went on")
"""
    path = tmp_path / "full.crumbs"
    command = [sys.executable, "-c", script, str(path)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert done.stdout == "the game went on\n"
    assert "the recording stopped: frame" in done.stderr
    trace = open_trace(path)
    assert 100 < trace.clock.size < 2000
    (fact,) = trace.facts
    assert (fact.code, fact.detail) == ("stopped", f"frame {trace.clock.size} (File too large)")
    assert trace.one("thing").x.values.tolist() == [frame * 1.5 for frame in range(trace.clock.size)]


@pytest.mark.parametrize("many", [3, 5_000])
def test_a_write_that_takes_only_a_part_is_gone_on_with(
    many: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A disk that takes fewer bytes than it is given is given the rest: small and large frames are recorded whole."""
    write, places = os.write, np.zeros(many)
    monkeypatch.setattr(os, "write", lambda file, data: write(file, data[: max(1, len(data) // 2)]))
    monkeypatch.setattr(writing, "_writev", lambda file, parts: os.write(file, b"".join(parts)))
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch_arrays("barrel", np.arange(many), x=places)
        for frame in range(5):
            places += 1.0
            rec.frame(frame / 60)
    monkeypatch.undo()
    trace = open_trace(tmp_path / "a.crumbs")
    assert (trace.facts, trace.clock.size) == ((), 5)
    assert trace.all("barrel").x.values.reshape(many, 5).tolist() == [[1.0, 2.0, 3.0, 4.0, 5.0]] * many


def test_a_recording_stops_at_the_limit_that_it_was_given(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    """No more than that is written, part by part; the game goes on, and the trace says where it stopped and why."""
    thing, limit = SimpleNamespace(x=0.0), 0.02
    with Recorder(tmp_path / "a.crumbs", most_mib=limit) as rec:
        rec.watch(thing, id="one", kind="thing", x="x")
        for frame in range(2000):
            thing.x = frame * 1.5
            if frame == 100:
                rec.continue_in(tmp_path / "b.crumbs")
            rec.frame(frame / 60)
    size = (tmp_path / "b.crumbs" / "journal.bin").stat().st_size
    assert 0.8 * limit * 2**20 < size < limit * 2**20 + 500
    assert "the limit of 0.02 MiB is reached" in caplog.text
    whole, cut = (open_trace(tmp_path / f"{part}.crumbs") for part in "ab")
    assert whole.facts == ()
    (fact,) = cut.facts
    assert (fact.code, fact.detail) == (
        "stopped",
        f"frame {cut.clock.frames[-1] + 1} (the limit of 0.02 MiB is reached)",
    )
    assert cut.one("thing").x.values.tolist() == [frame * 1.5 for frame in cut.clock.frames]


@pytest.mark.parametrize("limit", [0, -1.0, "1", math.nan])
def test_a_limit_that_is_none_is_refused(limit: Any, tmp_path: Path) -> None:
    """Nothing is made of a limit that is no number of MiB above 0."""
    with pytest.raises(Misuse, match="most_mib: expected a number of MiB above 0"):
        Recorder(tmp_path / "a.crumbs", most_mib=limit)
    assert not (tmp_path / "a.crumbs").exists()


def test_the_recorder_loads_the_standard_library_alone(tmp_path: Path) -> None:
    """A game that records imports neither NumPy nor any other package."""
    script = "import sys; from breadcrumb import Recorder; print({name.split('.')[0] for name in sys.modules})"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    loaded = set(eval(done.stdout))
    assert not loaded & {"numpy", "pyarrow", "click", "rich", "matplotlib", "msgspec", "logging", "asyncio"}


def test_arrays_are_recorded_as_objects_are(tmp_path: Path) -> None:
    """Rows of arrays become objects that appear and leave by their ids, with the values of each frame."""
    world = {
        "ids": np.array([7, 8]),
        "at": np.array([[0.0, 1.0], [5.0, 6.0]]),
        "n": np.array([1, 2]),
        "lit": np.array([True, False]),
    }
    with Recorder(tmp_path / "a.crumbs", strict=True) as rec:
        rec.watch_arrays(
            "barrel",
            lambda: world["ids"],
            properties={name: (lambda name=name: world[name]) for name in ("at", "n", "lit")},
        )
        rec.frame(0.0)
        world["at"][:, 0] += 0.5
        rec.frame(0.1)
        world = {
            "ids": np.array([8, 9, 10]),
            "at": np.array([[6.0, 6.0], [1, 1], [2, 2]]),
            "n": np.arange(3, dtype=np.float32),
            "lit": np.ones(3, bool),
        }
        rec.frame(0.2)
        rec.frame(0.3)
        world = {"ids": np.zeros(0, int), "at": np.zeros((0, 2)), "n": np.zeros(0), "lit": np.zeros(0, bool)}
        rec.frame(0.4)
    for _ in ("from the journal", "from Parquet"):
        barrels = open_trace(tmp_path / "a.crumbs").all("barrel")
        assert barrels.ids == ("7", "8", "9", "10")
        assert barrels.at.values.tolist() == [
            [0, 1], [0.5, 1], [5, 6], [5.5, 6], [6, 6], [6, 6], [1, 1], [1, 1], [2, 2], [2, 2]
        ]  # fmt: skip
        assert barrels.n.values.tolist() == [1, 1, 2, 2, 0, 0, 1, 1, 2, 2]
        assert barrels.lit.values.tolist() == [True, True, False, False, *[True] * 6]
        assert barrels.leaves.frames.tolist() == [2, 4, 4, 4]


def test_a_group_that_cannot_be_read_has_no_sample_and_lifetimes_on(tmp_path: Path) -> None:
    """On a frame on which the source raises nothing is recorded as if it were still true; the lifetimes go on."""
    thing, fails = SimpleNamespace(x=1.0), [False]
    array, ids = np.array([1.0, 2.0]), np.arange(2)

    def source() -> list[Any]:
        if fails[0]:
            raise OSError("not now")
        return [thing]

    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch_each(source, kind="buoy", x="x")
        rec.watch_arrays("barrel", ids, x=lambda: array)
        for frame in range(4):
            fails[0] = frame == 2
            array = np.arange(3.0) if frame == 2 else np.array([1.0, 2.0])
            rec.frame(frame / 10)
    trace = open_trace(tmp_path / "a.crumbs")
    assert trace.one("buoy").x.frames.tolist() == [0, 1, 3]
    assert trace.one(id="0").x.frames.tolist() == [0, 1, 3]
    assert trace.all("buoy").leaves.count == trace.all("barrel").leaves.count == 0
    assert len(trace.notes) == 2


@pytest.mark.parametrize("wrapped", [True, False], ids=["told by id", "told by identity"])
def test_fresh_wrappers_are_told_apart_by_their_ids(wrapped: bool, tmp_path: Path) -> None:
    """Where a source makes a wrapper of each object on every frame, ids tell objects apart; without that, it is noted."""
    there, uses = ["b1", "b2", "b3"], {"b1": 0}

    def source() -> list[Any]:
        return [SimpleNamespace(name=name, uses=uses.get(name), x=float(frame)) for name in there]

    with Recorder(tmp_path / "a.crumbs", strict=True) as rec:
        rec.watch_each(source, kind="barrel", id="name", generation="uses", x="x", wrapped=wrapped)
        for frame in range(14):
            there = ["b3", "b1"] if frame >= 12 else ["b2", "b1", "b3"] if frame == 5 else there
            uses["b1"] += frame == 8
            rec.frame(frame / 10)
    trace = open_trace(tmp_path / "a.crumbs")
    assert any("wrapped=True" in note for note in trace.notes) is not wrapped
    if wrapped:
        assert [trace.one(id=name).lifetimes.count for name in ("b1", "b2", "b3")] == [2, 1, 1]
        assert trace.all("barrel").leaves.subjects == ("b1", "b2")
        assert trace.one(id="b3").x.values.tolist() == [float(n) for n in range(14)]
        with pytest.raises(Misuse, match="wrapped: expected id= beside it"):
            Recorder(tmp_path / "b.crumbs").watch_each(source, kind="barrel", wrapped=True)
