"""What a recorder can be told beyond objects and events: parents, pools, sampling, pauses, parts, clocks, errors."""

import logging
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from breadcrumb import Recorder, Trace, open_trace
from breadcrumb.errors import Misuse
from breadcrumb.testing import differences
from missing import with_none

Game = Callable[[Recorder, Callable[..., None]], None]


@pytest.fixture
def record(tmp_path: Path) -> Callable[[Game], Trace]:
    """Let a game play with a strict recorder, ten frames a second, and open what it recorded."""

    def play(game: Game) -> Trace:
        with Recorder(tmp_path / "a.crumbs", strict=True) as rec:
            count = iter(range(1000))
            game(rec, lambda **told: rec.frame(next(count) / 10, **told))
        return open_trace(tmp_path / "a.crumbs")

    return play


def test_a_parent_may_be_an_object_an_id_or_none_and_may_change(record: Callable[[Game], Trace]) -> None:
    """The parent that a lifetime began with is kept with it, and who it is on each frame is a property."""
    boat, lamp = SimpleNamespace(x=0.0), SimpleNamespace(owner=None, x=1.0)

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        rec.watch(lamp, id="lamp", kind="lamp", parent="owner", x="x")
        rec.watch(boat, id="heron", kind="skiff", x="x")
        for lamp.owner in (boat, boat, None, "quay"):
            frame()

    trace = record(game)
    assert with_none(trace.one("lamp").parent) == ["heron", "heron", None, "quay"]
    lifetimes, names = trace.data.session.lifetimes, trace.data.session.names
    assert [names[place] for place in lifetimes.parent.tolist() if place >= 0] == ["heron"]


def test_events_of_an_object_may_be_those_of_its_parts(record: Callable[[Game], Trace]) -> None:
    """A contact that names the part that touched is found by the owner, through the parents, however many there are."""

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        for id, parent in (("heron", None), ("bow", "heron"), ("lamp", "bow"), ("tern", None), ("keel", "tern")):
            rec.watch(SimpleNamespace(x=0.0, owner=parent), id=id, kind="part", parent="owner", x="x")
        for by in ("heron", "bow", "lamp", "tern", "keel", "wall"):
            rec.event("contact", by=by, on="wall")
        frame()

    trace = record(game)
    assert trace.events("contact", by="heron").subjects == ("heron",)
    assert trace.events("contact", by="heron", parts=True).subjects == ("heron", "bow", "lamp")
    assert trace.events("contact", by=trace.one(id="tern"), parts=True).subjects == ("tern", "keel")
    assert trace.events("contact", on="wall", parts=True).count == 6
    assert trace.events("contact", by=trace.all("part")).count == 5


def test_a_pool_gives_an_object_out_again_as_another_lifetime(record: Callable[[Game], Trace]) -> None:
    """A generation that changes, or `renew`, ends a lifetime and begins the next on the same frame, under the same id."""
    pooled, told = SimpleNamespace(n=0, x=0.0), SimpleNamespace(x=0.0)

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        rec.watch_each(lambda: [pooled], kind="flare", id=lambda _: "f", generation="n", x="x")
        rec.watch(told, id="s", kind="spark", x="x")
        for pooled.n in (0, 0, 1, 1, 2):
            if pooled.n == 2:
                rec.renew(told)
            pooled.x += 1
            frame()

    trace = record(game)
    flares = trace.all("flare")
    assert flares.ids == ("f",)
    assert (flares.appears.frames.tolist(), flares.leaves.frames.tolist()) == ([2, 4], [2, 4])
    assert flares.x.track.lifetime.tolist() == [0, 0, 2, 2, 3]
    assert not flares.x.rate().usable[[0, 2, 4]].any()
    assert trace.one("spark").appears.frames.tolist() == [4]


def test_a_lifetime_too_brief_to_be_sampled_is_counted(record: Callable[[Game], Trace]) -> None:
    """An object that appeared and left between two frames has a lifetime without samples, and its parent."""

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        frame()
        rec.brief_lifetime("spark", parent="heron")
        rec.brief_lifetime("spark", id="it")
        frame()

    sparks = record(game).all("spark")
    assert sparks.ids == ("spark-1", "it")
    assert (sparks.appears.frames.tolist(), sparks.leaves.frames.tolist()) == ([1, 1], [1, 1])
    assert sparks.lifetimes.count == 0


SAMPLINGS: dict[str, tuple[dict[str, Any], list[int]]] = {
    "every third frame": ({"every": 3}, [0, 3, 6]),
    "only in a storm": ({"only_while": "storm"}, [2, 3, 4]),
    "every second frame in a storm": ({"every": 2, "only_while": "storm"}, [2, 4]),
}


@pytest.mark.parametrize("name", SAMPLINGS)
def test_sampling_leaves_out_values_but_neither_lifetimes_nor_events(
    name: str, record: Callable[[Game], Trace]
) -> None:
    """A frame that is not sampled has no sample; appearing, leaving and events are recorded all the same."""
    options, frames = SAMPLINGS[name]
    bay = SimpleNamespace(storm=False, rocks=[SimpleNamespace(x=0.0)])
    given: dict[str, Any] = {
        key: (lambda: bay.storm) if key == "only_while" else value for key, value in options.items()
    }

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        rec.watch_each(lambda: bay.rocks, kind="rock", id=lambda rock: f"r{rock.x}", x="x", **given)
        for n in range(8):
            bay.storm = 2 <= n < 5
            if n in (1, 7):
                bay.rocks = [*bay.rocks, SimpleNamespace(x=float(n))] if n == 1 else []
            rec.event("tick")
            frame()

    trace = record(game)
    assert trace.one(id="r0.0").x.frames.tolist() == frames
    assert trace.all("rock").appears.frames.tolist() == [1]
    assert trace.all("rock").leaves.frames.tolist() == [7, 7]
    assert trace.events("tick").count == 8


def test_a_pause_is_a_gap(record: Callable[[Game], Trace]) -> None:
    """While paused neither frames nor events are recorded; frame numbers go on, and so do lifetimes."""
    boat = SimpleNamespace(x=0.0)

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        rec.watch(boat, id="heron", kind="skiff", x="x")
        for boat.x in map(float, range(6)):
            {2.0: rec.pause, 4.0: rec.resume}.get(boat.x, lambda: None)()
            rec.event("tick")
            frame()

    trace = record(game)
    assert trace.clock.frames.tolist() == [0, 1, 4, 5]
    assert trace.events("tick").frames.tolist() == [0, 1, 4, 5]
    assert trace.one("skiff").x.values.tolist() == [0, 1, 4, 5]
    assert trace.one("skiff").lifetimes.count == 1


def test_a_session_is_cut_into_parts_without_loss(tmp_path: Path) -> None:
    """Each part holds its frames with every value and event; objects go on under their ids, constants still stand."""
    boat = SimpleNamespace(x=0.0, state="idle", lit=True, owner=None)
    flares: list[Any] = []
    array, ids = np.zeros((2, 2)), np.arange(2)
    with Recorder(tmp_path / "one.crumbs", strict=True, game="Lantern Bay") as rec:
        rec.declare(events=["never.seen"])
        rec.parameter("cap", 6.0)
        rec.watch_each(lambda: [boat], kind="skiff", parent="owner", x="x", state="state", lit="lit")
        rec.watch_each(lambda: flares, kind="flare", x="x")
        rec.watch_arrays("barrel", ids, at=array)
        for frame in range(9):
            if frame in (3, 6):
                rec.event("before.the.cut", by=boat)
                rec.continue_in(tmp_path / f"part-{frame}.crumbs")
            boat.x, boat.state, boat.owner = frame * 0.5, "abab"[frame % 4], "quay" if frame > 3 else None
            flares[:] = flares or [SimpleNamespace(x=1.0)] if 2 <= frame < 8 else []
            array += 1
            rec.event("tick", by=boat)
            rec.frame(frame / 10)
    parts = [open_trace(tmp_path / f"{name}.crumbs") for name in ("one", "part-3", "part-6")]
    assert [part.clock.frames.tolist() for part in parts] == [[0, 1, 2], [3, 4, 5], [6, 7, 8]]
    assert [part.notes for part in parts] == [(), (), ()]
    for prop, expected in {"x": [n * 0.5 for n in range(9)], "state": list("ababababa"), "lit": [True] * 9}.items():
        values = [value for part in parts for value in part.one(id="skiff-1").signal(prop).values.tolist()]
        assert values == expected
    assert [value for part in parts for value in part.one(id="1").at.x.values.tolist()] == list(range(1, 10))
    assert [part.events("tick").count for part in parts] == [3, 3, 3]
    assert [part.events("before.the.cut").frames.tolist() for part in parts] == [[], [3], [6]]
    assert [part.all("flare").appears.frames.tolist() for part in parts] == [[2], [], []]
    assert [part.all("flare").leaves.frames.tolist() for part in parts] == [[], [], [8]]
    assert [part.parameter("cap") for part in parts] == [6.0] * 3
    assert [part.about.get("continues") for part in parts] == [None, "one.crumbs", "part-3.crumbs"]


def test_a_part_that_cannot_be_made_leaves_the_session_in_the_old_one(tmp_path: Path) -> None:
    """The game and the recording go on, and the trace says why there is no new part."""
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.frame(0.0)
        rec.continue_in(tmp_path / "a.crumbs")
        rec.frame(0.1)
    trace = open_trace(tmp_path / "a.crumbs")
    assert trace.clock.size == 2
    assert trace.notes == ("a new part of the recording could not be started",)


def test_the_clock_holds_what_it_is_told(record: Callable[[Game], Trace]) -> None:
    """Real time, steps, scale and pauses are kept for the frames for which they were told."""

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        frame()
        frame(wall=1.5, steps=2, scale=0.5, paused=True)

    clock = record(game).clock
    for told, expected in ((clock.wall, 1.5), (clock.steps, 2.0), (clock.scale, 0.5)):
        assert np.isnan(told.values[0])
        assert told.values[1] == expected
    assert clock.paused.values.tolist() == [False, True]


def test_what_a_logger_is_told_becomes_error_events(
    record: Callable[[Game], Trace], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Records from the level on are events with message, level, place and what was raised, until the end."""
    monkeypatch.setattr(logging.getLogger("harbour"), "propagate", False)
    logger = logging.getLogger("harbour.scripts")

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        rec.errors_from("harbour")
        logger.warning("only a warning")
        frame()
        try:
            _ = 1 // 0
        except ZeroDivisionError:
            logger.exception("gate %s is stuck", "north")
        logger.error("a format %d that does not fit", "text", extra={"by": "gate-north"})
        frame()

    trace = record(game)
    logger.error("after the end")
    errors = trace.events("error")
    assert errors.frames.tolist() == [1, 1]
    assert errors["message"].tolist() == ["gate north is stuck", "a format %d that does not fit"]
    assert errors.with_subject("by").subjects == ("", "gate-north")
    assert errors.data[0]["raised"] == "ZeroDivisionError"
    assert errors.data[0]["where"].startswith("test_in_full.py:")
    assert not logging.getLogger("harbour").handlers


def test_a_property_without_a_value_yet_takes_the_type_of_its_first_one(record: Callable[[Game], Trace]) -> None:
    """None is a missing value also at first sight, and costs nothing of what comes later, whatever it is."""
    hand = SimpleNamespace(text=None, vector=None, number=None, flag=None, never=None)

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        readers: dict[str, Any] = {name: name for name in vars(hand)}
        rec.watch(hand, id="hand", kind="hand", **readers)
        frame()
        hand.text = "gripped"
        frame()
        hand.vector, hand.number, hand.flag = (1.0, 2.0), 3, True
        frame()

    one = record(game).one("hand")
    assert with_none(one.text) == [None, "gripped", "gripped"]
    assert one.vector.usable.tolist() == one.number.usable.tolist() == one.flag.usable.tolist() == [False, False, True]
    assert (one.vector.values[2].tolist(), one.number.values[2], with_none(one.flag)[2]) == ([1.0, 2.0], 3.0, True)
    assert not one.never.usable.any()


def test_data_that_cannot_be_read_costs_the_event_its_data_and_the_frame_nothing(tmp_path: Path) -> None:
    """An event with data that holds itself is recorded without, and every frame is whole."""
    boat, circle = SimpleNamespace(x=0.0), dict[str, Any]()
    circle["again"] = circle
    with Recorder(tmp_path / "a.crumbs") as rec:
        rec.watch(boat, id="heron", kind="skiff", x="x")
        for boat.x in (1.0, 2.0, 3.0):
            rec.event("bell.rung", data=circle if boat.x == 2 else {"x": boat.x})
            rec.frame(boat.x)
    trace = open_trace(tmp_path / "a.crumbs")
    assert trace.one("skiff").x.values.tolist() == [1.0, 2.0, 3.0]
    assert trace.events("bell.rung").data == ({"x": 1.0}, {}, {"x": 3.0})
    assert trace.notes == ("the data of bell.rung could not be read once (ValueError)",)


def test_what_the_tester_did_by_hand_and_the_levels_of_inputs_are_recorded(record: Callable[[Game], Trace]) -> None:
    """Inputs are events for their edges and properties of an object for their levels; the tester is named by id."""
    stick = SimpleNamespace(lean=(0.0, 0.0), held=False)

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        rec.watch(stick, id="stick", kind="input", lean="lean", held="held")
        frame()
        stick.lean, stick.held = (0.5, -1.0), True
        rec.event("input.press", on="stick", data={"key": "grip", "repeat": False})
        rec.event("boat.pushed", by="tester", on="heron")
        frame()

    trace = record(game)
    assert trace.one("input").held.rises().frames.tolist() == trace.events("input.press").frames.tolist() == [1]
    assert trace.events("boat.pushed", by="tester").count == 1


MISUSES: dict[str, tuple[Callable[[Recorder], None], str]] = {
    "never read": (lambda rec: rec.watch_each(list, kind="a", every=0), "every: expected a number of frames from 1 on"),
    "a parent that is no reader": (lambda rec: rec.watch_each(list, kind="a", parent="a b"), "expected an attribute"),
}


@pytest.mark.parametrize("name", MISUSES)
def test_what_cannot_be_meant_is_refused_at_once(name: str, tmp_path: Path) -> None:
    """A call that can never record anything right is an error before the game starts."""
    call, words = MISUSES[name]
    with Recorder(tmp_path / "a.crumbs") as rec, pytest.raises(Misuse, match=words):
        call(rec)


CONVENTIONS: dict[str, tuple[dict[str, Any], str]] = {
    "a space": (
        {"spaces": {"grip": "local"}},
        "expected world, parent, screen or the name of one of areas at spaces.grip, found 'local'",
    ),
    "an area's name": (
        {"areas": {"world": {"origin": [0, 0]}}},
        "expected a name other than world, parent, screen at areas, found 'world'",
    ),
    "an area": (
        {"areas": {"quay": [1, 2]}},
        "expected an origin, and a turn if it has one, at areas.quay, found",
    ),
    "an origin": ({"areas": {"quay": {"origin": [1]}}}, "expected 2 or 3 numbers at areas.quay.origin, found"),
    "a turn": (
        {"areas": {"quay": {"origin": [1, 2], "turn": "left"}}},
        "expected an angle or a quaternion at areas.quay.turn, found 'left'",
    ),
    "a unit": ({"units": {"position": 3}}, "expected a text at units.position, found 3"),
    "axes": ({"axes": "y down"}, "expected texts by name at axes, found 'y down'"),
}


@pytest.mark.parametrize("name", CONVENTIONS)
def test_a_convention_that_is_none_is_refused(name: str, tmp_path: Path) -> None:
    """A convention that cannot be meant is an error of the constructor, which then leaves nothing behind."""
    about, words = CONVENTIONS[name]
    with pytest.raises(Misuse, match=words):
        Recorder(tmp_path / "a.crumbs", **about)
    assert not (tmp_path / "a.crumbs").exists()


def test_tables_are_of_pandas(record: Callable[[Game], Trace]) -> None:
    """Samples and moments come as tables, with missing values missing, texts as categories and lifetimes counted."""
    things = [SimpleNamespace(x=1.0, lit=None, state="on")]

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        rec.watch_each(lambda: things, kind="lamp", id=lambda _: "l", x="x", lit="lit", state="state")
        frame()
        things[0].lit = True
        rec.event("bell", by="l", data={"n": 1, "at": [1, 2]})
        frame()
        things[:] = [SimpleNamespace(x=None, lit=False, state=None)]
        rec.event("bell", data={"n": 2})
        frame()

    trace = record(game)
    table = trace.table("lamp")
    assert table["id"].tolist() == ["l", "l", "l"]
    assert table["lifetime"].tolist() == [1, 1, 2]
    assert table["lit"].isna().tolist() == [True, False, False]
    assert table["state"].tolist()[:2] == ["on", "on"]
    assert table.isna().sum().to_dict() == {"id": 0, "lifetime": 0, "frame": 0, "t": 0, "x": 1, "lit": 1, "state": 1}
    bells = trace.events("bell").to_frame()
    assert bells["data.n"].tolist() == [1, 2]
    assert bells["data.at"].tolist() == [[1, 2], None]
    assert bells["by"].isna().tolist() == [False, True]
    assert differences(trace, trace) == ()


OPTIONAL: dict[str, tuple[Any, str, list[Any]]] = {
    "a number": ("aim", "aim", [1.0, None, 2.5, None, 4.0]),
    "a vector": ("at", "at", [[1.0, 2.0], None, [3.0, 4.0], None, [5.0, 6.0]]),
    "a part of a vector": (("x", "y"), "x", [[1.0, 7.0], None, [2.0, 7.0], None, [3.0, 7.0]]),
    "a function": (lambda thing: thing.aim, "aim", [1.0, None, 2.5, None, 4.0]),
    "a text": ("state", "state", ["idle", None, "busy", None, "idle"]),
    "a flag": ("lit", "lit", [True, None, False, None, True]),
}


@pytest.mark.parametrize("name", OPTIONAL)
def test_what_is_missing_now_and_then_is_missing_only_then(name: str, record: Callable[[Game], Trace]) -> None:
    """A value that is None on some frames is missing there, without trouble; those of its neighbours are as they were."""
    reader, attribute, values = OPTIONAL[name]
    things = [SimpleNamespace(x=0.0, y=7.0, aim=0.0, at=(0, 0), state="", lit=False, n=n) for n in range(3)]

    def game(rec: Recorder, frame: Callable[..., None]) -> None:
        rec.watch_each(lambda: things, kind="buoy", id=lambda thing: f"buoy-{thing.n}", what=reader, n="n")
        for value in values:
            for thing in things[:2]:
                setattr(thing, attribute, value[0] if attribute == "x" and value else value)
            frame()

    trace = record(game)
    assert not [note for note in trace.notes if "could not be read" in note]
    assert trace.all("buoy").n.values.tolist() == [0.0] * 5 + [1.0] * 5 + [2.0] * 5
    for which in ("buoy-0", "buoy-1"):
        what = trace.one(id=which).what
        usable = zip(with_none(what), what.usable.tolist(), strict=True)
        assert [value if there else None for value, there in usable] == values
    assert trace.one(id="buoy-2").what.usable.all()
