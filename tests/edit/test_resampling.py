"""A session at another frame rate."""

from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from breadcrumb import Recorder, Trace, compare, open_trace
from breadcrumb.errors import Misuse
from breadcrumb.store.keeping import write_copy
from breadcrumb.testing import differences, make_trace


def session(events: list[tuple[Any, ...]] | None = None) -> Trace:
    """Make a second at ten frames a second: a boat moves, and a flare is there from 0.3 s to 0.6 s, lit on every other frame."""
    states: list[dict[str, dict[str, Any]]] = [{"heron": {"x": float(n)}} for n in range(11)]
    for n in range(3, 7):
        states[n]["flare"] = {"x": 1.0, "state": "lit" if n % 2 else "out", "high": None if n == 4 else 2.0}
    given = [(3, "throw", "heron", "flare", {"n": 1}), (4, "glow", "flare"), (7, "burst", "flare"), (10, "end")]
    return make_trace(
        states, kinds={"heron": "skiff", "flare": "flare"}, events=given if events is None else events,
        parameters={"cap": 6.0},
    )  # fmt: skip


RATES: dict[float, tuple[list[float], list[str], tuple[int, int], list[tuple[str, float]]]] = {
    # frames a second, the boat's place on each, the flare's states, its first and last frame, and when each event is
    10: ([float(n) for n in range(11)], ["lit", "out", "lit", "out"], (3, 6), [("throw", 0.3), ("glow", 0.4), ("burst", 0.7), ("end", 1.0)]),
    5: ([0, 2, 4, 6, 8, 10], ["out", "out"], (2, 3), [("throw", 0.4), ("glow", 0.4), ("burst", 0.8), ("end", 1.0)]),
    4: ([0, 2, 5, 7, 10], ["lit"], (2, 2), [("throw", 0.5), ("glow", 0.5), ("burst", 0.75), ("end", 1.0)]),
    20: ([n // 2 for n in range(21)], ["lit", "lit", "out", "out", "lit", "lit", "out", "out"], (6, 13), [("throw", 0.3), ("glow", 0.4), ("burst", 0.7), ("end", 1.0)]),
    3: ([0, 3, 6, 10], ["lit", "out"], (1, 2), [("throw", 1 / 3), ("glow", 2 / 3), ("burst", 1.0), ("end", 1.0)]),
}  # fmt: skip


@pytest.mark.parametrize("rate", RATES)
def test_each_frame_has_the_last_state_and_each_event_the_next_frame(rate: float) -> None:
    """States are those of the last frame at or before it; events, beginnings and ends are on the first at or after."""
    places, states, (first, last), events = RATES[rate]
    made = session().at_rate(rate)
    assert made.one("skiff").x.values.tolist() == places
    flare = made.one("flare")
    assert (flare.state.values.tolist(), flare.state.frames.tolist()) == (states, list(range(first, last + 1)))
    assert made.data.session.clock.times.tolist() == pytest.approx([n / rate for n in range(len(places))])
    for name, time in events:
        assert made.events(name).times.tolist() == [pytest.approx(time)]
    assert made.parameter("cap") == 6.0
    assert compare(session(), made).alike


def test_the_rate_that_it_has_changes_nothing(bay: Callable[..., Path], tmp_path: Path) -> None:
    """At its own rate a session stays as it is, and at another one it can be written and read like any other."""
    trace = open_trace(bay())
    assert [one.partition(":")[0] for one in differences(trace, trace.at_rate(60))] == ["what is known of the session"]
    for rate in (30, 144):
        made = trace.at_rate(rate)
        write_copy(made.data, tmp_path / f"{rate}.crumbs")
        assert differences(made, open_trace(tmp_path / f"{rate}.crumbs")) == ()
        assert compare(trace, made).alike


def test_what_was_not_recorded_stays_so(tmp_path: Path) -> None:
    """There are no frames within a pause, and what changes from before it to behind it is no step of the game."""
    keg = SimpleNamespace(x=0.0)
    with Recorder(tmp_path / "it.crumbs") as rec:
        rec.watch(keg, id="keg", kind="keg", x="x")
        for frame in range(30):
            keg.x = float(frame)
            if frame == 10:
                rec.pause()
            if frame == 20:
                rec.resume()
            rec.frame(frame / 10)
    trace = open_trace(tmp_path / "it.crumbs")
    for rate in (10, 5, 20):
        made = trace.at_rate(rate)
        times = made.data.session.clock.times
        assert not ((times > 0.96) & (times < 1.99)).any()
        assert len(made.data.session.gaps) == 1
        assert times[made.data.session.gaps[0]] == pytest.approx(2.0)


@pytest.mark.parametrize("rate", [0, -5, float("nan"), float("inf"), 1e12])
def test_a_rate_that_is_none_is_refused(rate: float) -> None:
    """A rate is a positive number that leaves a number of frames that can be held."""
    with pytest.raises(Misuse, match="expected a frame rate"):
        session().at_rate(rate)


def test_a_session_without_frames_is_refused() -> None:
    """There is nothing to resample."""
    with pytest.raises(Misuse, match="no frame to resample"):
        make_trace([], kinds={}).at_rate(30)


def test_events_that_share_a_frame_then_stay_in_their_order() -> None:
    """They are counted within their new frame, and what has no frame any more comes after the last one."""
    made = session([(3, "throw", "heron"), (4, "glow"), (4, "hiss"), (10, "end")]).at_rate(5)
    events = made.data.session.events
    assert [events.kinds[kind] for kind in events.kind] == ["throw", "glow", "hiss", "end"]
    assert (events.clock_index.tolist(), events.order.tolist()) == ([2, 2, 2, 5], [0, 1, 2, 0])
    events = (
        session([(3, "throw", "heron"), (10, "end")]).at_rate(1.5).data.session.events
    )  # the last frame is at 2/3 s
    assert (events.clock_index.tolist(), events.late.tolist()) == ([1, 1], [False, True])
