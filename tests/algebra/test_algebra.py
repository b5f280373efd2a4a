import tempfile
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from breadcrumb import Box, Circle, Moments, Polygon, Signal, Spans, Trace, frames, judge, seconds
from breadcrumb.algebra import blocks
from breadcrumb.algebra.along import delayed, first_of_lifetime, indices_later
from breadcrumb.algebra.durations import window
from breadcrumb.algebra.participants import Participants
from breadcrumb.checks import movement, values
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.session import Clock
from breadcrumb.testing import make_trace

TIMES = (0.0, 0.1, 0.2, 0.2, 0.5, 0.6)
FRAMES = (10, 11, 12, 13, 20, 21)


@pytest.fixture(scope="module")
def trace() -> Trace:
    """Two boats and a reused flare, on a clock with a pause (frames 12 and 13) and a gap (13 to 20)."""
    place = [(0.0, 0.0, 1.0), (1.0, 0.0, 1.0), (3.0, 4.0, 1.0), (3.0, 4.0, 1.0), (6.0, 8.0, 1.0), (6.0, 8.0, 2.0)]
    states: list[dict[str, dict[str, Any]]] = [
        {"heron": {"position": place[n], "lit": n in (0, 2, 3), "state": "ab"[n % 2], "n": None if n == 2 else n}}
        for n in range(6)
    ]
    for n in range(1, 6):
        states[n]["tern"] = {"position": (0.0, float(n), 1.0), "lit": n == 5, "state": "a", "n": 10 * n}
    for n in (0, 1, 4):
        states[n]["flare-1"] = {"x": float(n)}
    return make_trace(
        states,
        kinds={"heron": "skiff", "tern": "skiff", "flare-1": "flare"},
        times=TIMES,
        frames=FRAMES,
        events=[
            (1, "bell", "heron", None, {"n": 1, "at": [1.0, 2.0]}), (1, "bell", "tern", "heron", {"n": 2}),
            (4, "bell", "heron"), (5, "gong"),
        ],
        declare=["whistle"],
        axes={"z": "up"},
        units={"position": "m"},
    )  # fmt: skip


def _lists(values: Any) -> Any:
    return [None if value != value else value for value in np.asarray(values, object).tolist()]


NAN = None
SIGNALS: dict[str, tuple[Callable[[Trace], Signal], list[Any]]] = {
    "a part": (lambda t: t.one(id="heron").position.x, [0, 1, 3, 3, 6, 6]),
    "plan view leaves out the up axis": (lambda t: t.one(id="heron").position.plan.norm(), [0, 1, 5, 5, 10, 10]),
    "rates skip pauses and span gaps": (lambda t: t.one(id="heron").position.y.rate(), [NAN, 0, 40, NAN, 4 / 0.3, 0]),
    "rates never cross lifetimes": (lambda t: t.one(id="flare-1").x.rate(), [NAN, 10, NAN]),
    "arithmetic with numbers": (lambda t: 2 * t.one(id="heron").position.x + 1 - 3, [-2, 0, 4, 4, 10, 10]),
    "arithmetic from the left": (lambda t: 1 - t.one(id="heron").position.x, [1, 0, -2, -2, -5, -5]),
    "missing stays missing": (lambda t: t.one(id="heron").n * 2, [0, 2, NAN, 6, 8, 10]),
    "one object meets a group by frame": (
        lambda t: (t.all("skiff").position - t.one(id="tern").position).y,
        [NAN, -1, 2, 1, 4, 3, 0, 0, 0, 0, 0],
    ),
    "a distance to a point in plan": (
        lambda t: t.one(id="heron").position.distance_to((3, 4)),
        [5, 20**0.5, 0, 0, 5, 5],
    ),
    "a scalar product": (lambda t: t.one(id="heron").position.dot((1, 2, 0)), [0, 1, 11, 11, 22, 22]),
    "a text is compared as a flag": (lambda t: t.one(id="heron").state == "b", [False, True] * 3),
    "a text that never occurs": (lambda t: t.one(id="heron").state != "z", [True] * 6),
    "depth in a box": (lambda t: t.one(id="heron").position.depth_in(Box((-1, -1), (4, 9))), [1, 1, 1, 1, -2, -2]),
    "depth in a ball": (lambda t: t.one(id="heron").position.depth_in(Circle((0, 0, 1), 2)), [2, 1, -3, -3, -8, NAN]),
    "at the subject's own sample": (
        lambda t: t.all("skiff").position.x.at(t.events("bell").with_subject("by")),
        [1, 0, 6],
    ),
    "at the frame, for a signal of one": (lambda t: t.one(id="tern").position.y.at(t.events("gong")), [5]),
    "before, in frames": (lambda t: t.one(id="heron").n.before(t.events("bell", by="heron"), frames(1)), [0, 3]),
    "before, in seconds": (lambda t: t.one(id="heron").n.before(t.events("bell", by="heron"), seconds(0.3)), [NAN, 3]),
    "after, in frames": (lambda t: t.one(id="heron").n.after(t.events("bell", by="heron"), frames(1)), [NAN, 5]),
    "after, beyond the end": (
        lambda t: t.one(id="heron").n.after(t.events("bell").with_subject("by"), seconds(0.5)),
        [5, NAN, NAN],
    ),
    "data of moments": (lambda t: Signal.from_data(t.events("bell"), "n"), [1, 2, NAN]),
    "rates but for a teleport": (
        lambda t: t.one(id="tern").position.y.rate(teleports=t.events("gong")),
        [NAN, 10, NAN, 1 / 0.3, NAN],
    ),
    "speeds but for a teleport": (
        lambda t: t.one(id="tern").position.speed(
            teleports=t.events("bell", by="heron").shift(frames(1)).without_subject()
        ),
        [NAN, NAN, NAN, 1 / 0.3, NAN],
    ),
    "during spans": (lambda t: t.one(id="heron").position.x.during(t.one(id="heron").lit.spans()), [0, 3, 3]),
    "outside spans": (lambda t: t.one(id="heron").position.x.outside(t.one(id="heron").lit.spans()), [1, 6, 6]),
    "derived speed": (lambda t: t.one(id="tern").speed, [NAN, 10, NAN, 1 / 0.3, 10]),
}


@pytest.mark.parametrize("name", SIGNALS)
def test_signals_are_computed_sample_by_sample(trace: Trace, name: str) -> None:
    """Each operation gives the value worked out by hand on every sample, and none where there is none."""
    compute, expected = SIGNALS[name]
    if name == "depth in a ball":
        expected = [*expected[:5], 2 - (36 + 64 + 1) ** 0.5]
    found = _lists(compute(trace).values)
    assert [value is None for value in found] == [value is None for value in expected]
    assert [v for v in found if v is not None] == pytest.approx([v for v in expected if v is not None])


LOGIC: dict[str, tuple[Callable[[Signal, Signal], Signal], list[bool | None]]] = {
    "and": (lambda a, b: a & b, [True, False, None, False, False, False, None, False, None]),
    "or": (lambda a, b: a | b, [True, True, True, True, False, None, True, None, None]),
}


@pytest.mark.parametrize("name", LOGIC)
def test_and_or_and_not_know_three_cases(name: str) -> None:
    """A missing flag leaves the answer missing unless the other flag settles it."""
    join, expected = LOGIC[name]
    cases = [(a, b) for a in (True, False, None) for b in (True, False, None)]
    thing = make_trace([{"one": {"a": a, "b": b}} for a, b in cases], kinds={"one": "thing"}).one("thing")
    answer = join(thing.a, thing.b)
    assert [bool(v) if ok else None for v, ok in zip(answer.parts[0], answer.usable, strict=True)] == expected
    assert (~answer).usable.tolist() == answer.usable.tolist()


MOMENTS: dict[str, tuple[Callable[[Trace], Moments], list[tuple[int, str]]]] = {
    "events": (lambda t: t.events("bell"), [(11, "heron"), (11, "tern"), (20, "heron")]),
    "events on someone": (lambda t: t.events("bell", on="heron"), [(11, "tern")]),
    "another subject": (lambda t: t.events("bell").with_subject("on"), [(11, ""), (11, "heron"), (20, "")]),
    "a while later, but not beyond the end": (lambda t: t.events("bell").with_subject("by").shift(seconds(0.05)), [(12, "heron"), (12, "tern"), (21, "heron")]),
    "later than a lifetime": (lambda t: t.one(id="flare-1").appears.shift(frames(2)), []),
    "by their data": (lambda t: t.events("bell").where(lambda data: data.get("n") == 2), [(11, "tern")]),
    "by flags": (lambda t: t.events("bell").where(np.array([True, False, True])), [(11, "heron"), (20, "heron")]),
    "once a frame and subject": (lambda t: (t.events("bell") | t.events("bell")).once_per_frame(), [(11, "heron"), (11, "tern"), (20, "heron")]),
    "outside spans": (lambda t: t.events("bell").with_subject("by").outside(t.one(id="heron").lit.spans()), [(11, "heron"), (11, "tern"), (20, "heron")]),
    "rises leave out the first sample": (lambda t: t.all("skiff").lit.rises(), [(12, "heron"), (21, "tern")]),
    "falls": (lambda t: t.all("skiff").lit.falls(), [(11, "heron"), (20, "heron")]),
    "changes": (lambda t: t.one(id="heron").position.z.changes(), [(21, "heron")]),
    "appearances that were seen": (lambda t: t.all("skiff").appears, [(11, "tern")]),
    "a second lifetime": (lambda t: t.all("flare").appears, [(20, "flare-1")]),
    "leavings": (lambda t: t.all("flare").leaves, [(12, "flare-1"), (21, "flare-1")]),
    "both of two, in order": (
        lambda t: t.events("gong") | t.events("bell"), [(11, "heron"), (11, "tern"), (20, "heron"), (21, "")]
    ),
    "inside spans of their own": (lambda t: t.events("bell").with_subject("by").during(t.one(id="heron").lit.spans()), []),
    "starts of spans": (lambda t: t.all("skiff").lit.spans().starts(), [(10, "heron"), (12, "heron"), (21, "tern")]),
    "ends of spans": (lambda t: t.all("skiff").lit.spans().ends(), [(10, "heron"), (13, "heron"), (21, "tern")]),
    "a declared event that did not occur": (lambda t: t.events("whistle"), []),
}  # fmt: skip


@pytest.mark.parametrize("name", MOMENTS)
def test_moments_are_who_and_when(trace: Trace, name: str) -> None:
    """Moments from events, lifetimes and flags have the frame and the subject worked out by hand."""
    compute, expected = MOMENTS[name]
    moments = compute(trace)
    assert list(zip(moments.frames.tolist(), moments.subjects, strict=True)) == expected


SPANS: dict[str, tuple[Callable[[Trace], Spans], list[tuple[int, int]]]] = {
    "of a flag": (lambda t: t.one(id="heron").lit.spans(), [(10, 10), (12, 13)]),
    "of lifetimes": (lambda t: t.all("flare").lifetimes, [(10, 11), (20, 20)]),
    "joined": (lambda t: t.one(id="heron").lit.spans() | (t.one(id="heron").n == 1).spans(), [(10, 13)]),
    "in common": (lambda t: t.one(id="heron").lit.spans() & (t.one(id="heron").n < 4).spans(), [(10, 10), (13, 13)]),
    "less": (lambda t: t.one(id="heron").lit.spans() - (t.one(id="heron").n == 3).spans(), [(10, 10), (12, 12)]),
    "less those of nobody": (lambda t: t.one(id="heron").lit.spans() - Spans.between(t.events("gong"), t.events("gong")), [(10, 10), (12, 13)]),
    "in common with those of nobody": (
        lambda t: t.all("skiff").lit.spans() & Spans.between(t.events("gong"), t.events("gong")), [(21, 21)]
    ),
    "grown in seconds": (lambda t: (t.one(id="heron").n == 3).spans().grown(seconds(0.1)), [(11, 13)]),
    "grown in frames": (lambda t: (t.one(id="heron").n == 3).spans().grown(frames(2)), [(11, 13)]),
    "between moments": (lambda t: Spans.between(t.events("bell", by="heron"), t.events("bell", by="heron")), [(11, 20), (20, 21)]),
    "following moments": (lambda t: Spans.following(t.events("bell", by="tern"), frames(2)), [(12, 13)]),
}  # fmt: skip


@pytest.mark.parametrize("name", SPANS)
def test_spans_are_from_when_to_when(trace: Trace, name: str) -> None:
    """Spans of flags, lifetimes and moments cover the frames worked out by hand."""
    compute, expected = SPANS[name]
    spans = compute(trace)
    clock = trace.clock.frames
    assert list(zip(clock[spans.first].tolist(), clock[spans.last].tolist(), strict=True)) == expected


def test_equality_of_moments_and_spans_is_that_of_their_meaning(trace: Trace) -> None:
    """The same instants or stretches are equal however they were come by; they are no truths and have no hash."""
    assert trace.events("bell", by="heron") == trace.events("bell").where(lambda data: data.get("n") != 2)
    assert trace.events("bell") != trace.events("gong")
    lit = trace.one(id="heron").lit
    assert lit.spans() == (lit & lit).spans()
    assert lit.spans() != (~lit).spans()
    with pytest.raises(TypeError):
        hash(lit.spans())


def test_a_parameter_has_one_value_or_is_an_error() -> None:
    """A recorded constant is read by name; one that changed during the session, or that is not there, says so."""
    from breadcrumb import Recorder, open_trace

    with tempfile.TemporaryDirectory() as folder:
        with Recorder(f"{folder}/a.crumbs") as rec:
            rec.parameter("skiff.cap", 6.0, "m/s")
            rec.parameter("tide", 1)
            rec.frame(0.0)
            rec.parameter("tide", 2)
            rec.frame(0.1)
        for _ in ("from the journal", "from Parquet"):
            trace = open_trace(f"{folder}/a.crumbs")
            assert trace.parameter("skiff.cap") == 6.0
            with pytest.raises(Misuse, match="changed during the session"):
                trace.parameter("tide")
            with pytest.raises(UnknownName, match=r"did you mean 'skiff\.cap'"):
                trace.parameter("skif.cap")


def test_a_span_lasts_to_the_frame_after_it(trace: Trace) -> None:
    """Lengths count to the next recorded frame, and are unknown where there is none."""
    lengths = trace.all("skiff").lit.spans().lengths()
    assert _lists(lengths) == pytest.approx([0.1, 0.3, None])
    assert _lists(trace.all("skiff").lit.spans().lengths("frames")) == [1, 8, None]


FROM_LISTS = st.lists(st.tuples(st.integers(0, 40), st.integers(0, 8)), max_size=8)


@given(FROM_LISTS, FROM_LISTS)
def test_spans_obey_the_laws_of_sets(ones: list[tuple[int, int]], others: list[tuple[int, int]]) -> None:
    """Union, intersection and difference of spans are those of the frames in them."""
    session = make_trace([{}] * 60, kinds={}).data.session if not _sessions else _sessions[0]
    _sessions[:] = [session]

    def spans(pairs: list[tuple[int, int]]) -> Spans:
        first = np.array([a for a, _ in pairs], np.int64)
        return Spans.of_lifetimes(
            session, "s", np.full(len(pairs), -1), first, first + np.array([b for _, b in pairs], np.int64)
        )

    def covered(several: Spans) -> set[int]:
        rows = np.arange(60)
        return set(
            rows[several.covers(Participants.of_lifetimes(session, rows, np.full(60, -1), "rows"), rows)].tolist()
        )

    a, b = spans(ones), spans(others)
    assert covered(a | b) == covered(a) | covered(b)
    assert covered(a & b) == covered(a) & covered(b)
    assert covered(a - b) == covered(a) - covered(b)
    assert (a | b) == (b | a)
    assert a.merged() == (a | a)


_sessions: list[Any] = []

WINDOWS = {
    # what is due, its tolerance -> the first and last row in time after row 1 (frame 11, 0.1 s); 6 is beyond the end
    "on the same frame": (frames(0), None, (1, 1)),
    "within frames": (frames(2), None, (1, 3)),
    "a frame in the gap": ((frames(3), frames(3)), None, (4, 3)),
    "within seconds": (seconds(0.1), None, (1, 3)),
    "an exact time": ((seconds(0.4), seconds(0.4)), None, (4, 4)),
    "due between two frames": ((seconds(0.25), seconds(0.25)), None, (4, 4)),
    "a tolerance in seconds": ((seconds(0.4), seconds(0.4)), seconds(0.35), (2, 6)),
    "a tolerance in frames": ((seconds(0.4), seconds(0.4)), frames(1), (3, 5)),
    "beyond the end": (seconds(9), None, (1, 6)),
}


@pytest.mark.parametrize("name", WINDOWS)
def test_a_window_is_met_by_the_frames_that_show_it(name: str) -> None:
    """Windows count frame numbers or seconds; an instant is shown by the first frame at or after it."""
    within, tol, expected = WINDOWS[name]
    clock = Clock(np.array(FRAMES), np.array(TIMES))
    first, last = window(within, tol).clock_indices(clock, np.array([1]))
    assert (int(first[0]), int(last[0])) == expected


@given(st.floats(0, 1), st.floats(0, 1), st.floats(0, 0.5))
def test_a_wider_window_never_allows_less(low: float, high: float, tol: float) -> None:
    """Whatever row is in time stays so when the window's ends or its tolerance grow."""
    clock = Clock(np.arange(40), np.arange(40) / 30)
    low, high = sorted((low, high))
    narrow = window((seconds(low), seconds(low))).clock_indices(clock, np.array([3]))
    for wide in (window((seconds(low), seconds(high))), window((seconds(low), seconds(low)), seconds(tol))):
        first, last = wide.clock_indices(clock, np.array([3]))
        assert first[0] <= narrow[0][0]
        assert last[0] >= narrow[1][0]


@given(st.lists(st.tuples(st.floats(-9, 9), st.floats(-9, 9)), min_size=1, max_size=20), st.floats(-3.1, 3.1))
def test_the_depth_in_a_polygon_does_not_depend_on_how_it_is_turned(
    points: list[tuple[float, float]], turn: float
) -> None:
    """Turning a polygon and the points in it leaves every distance as it is, and agrees with a box."""
    x, y = np.array(points).T
    corners = ((-3, -2), (3, -2), (3, 2), (-3, 2))
    box = Box((-3, -2), (3, 2)).depth([x, y])
    c, s = np.cos(turn), np.sin(turn)
    turned = Polygon(tuple((float(a * c - b * s), float(a * s + b * c)) for a, b in corners))
    assert turned.depth([x * c - y * s, x * s + y * c]) == pytest.approx(box, abs=1e-9)


MISTAKES: dict[str, tuple[Callable[[Trace], object], type[Exception], str]] = {
    "a signal as a truth": (lambda t: bool(t.one(id="heron").lit), Misuse, "has no truth value"),
    "moments as a truth": (lambda t: bool(t.events("bell")), Misuse, "moments.count > 0"),
    "a bare number of seconds": (lambda t: t.one(id="heron").n.before(t.events("bell"), 3), Misuse, r"seconds\(3\)"),
    "half a frame": (lambda t: frames(0.5), Misuse, "whole number of frames"),  # type: ignore[arg-type]
    "a negative time": (lambda t: seconds(-1), Misuse, "from 0 up"),
    "parts that do not fit": (lambda t: t.one(id="heron").position - (1.0, 2.0), Misuse, "has 3 parts"),
    "a part that is not there": (lambda t: t.one(id="heron").position.plan.z, UnknownName, "no part 'z'"),
    "a text and a number": (lambda t: t.one(id="heron").state == 3, Misuse, "one is a text"),
    "the rate of picked values": (lambda t: t.all("skiff").n.at(t.events("gong").for_each(t.all("skiff").lifetimes)).rate(), Misuse, "all samples"),
    "spans of numbers": (lambda t: t.one(id="heron").n.spans(), Misuse, "compare it first"),
    "moments of others": (lambda t: t.all("skiff").n.at(t.events("gong")), Misuse, "for_each"),
    "a misspelt property": (lambda t: t.one(id="heron").positon, UnknownName, "did you mean 'position'"),
    "a misspelt kind": (lambda t: t.all("skif"), UnknownName, "did you mean 'skiff'"),
    "a misspelt event": (lambda t: t.events("blel"), UnknownName, "did you mean 'bell'"),
    "a misspelt entry": (lambda t: t.events("bell")["m"], UnknownName, "no entry 'm'; there is at, n"),
    "an unknown id": (lambda t: t.one(id="heronn"), UnknownName, "did you mean 'heron'"),
    "one of several": (lambda t: t.one("skiff"), Misuse, "2 objects of kind 'skiff': heron, tern"),
    "objects taken from the session": (
        lambda t: Spans.between(t.events("gong"), t.events("gong")) - t.one(id="heron").lit.spans(), Misuse, "without_subject"
    ),
    "a box upside down": (lambda t: Box((1, 1), (0, 2)), Misuse, "lower corner first"),
    "a region of more dimensions": (
        lambda t: t.one(id="heron").position.plan.depth_in(Box((0, 0, 0), (1, 1, 1))), Misuse, "3 dimensions"
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", MISTAKES)
def test_an_expression_without_one_meaning_says_what_to_write(trace: Trace, name: str) -> None:
    """A mistake raises an error whose text names what was found and what to do instead."""
    mistake, error, words = MISTAKES[name]
    with pytest.raises(error, match=words):
        mistake(trace)


def test_a_plan_view_needs_the_up_axis() -> None:
    """Without a declared up axis a position of three parts has no plan view; the error names the field."""
    boat = make_trace([{"a": {"position": (1.0, 2.0, 3.0)}}], kinds={"a": "skiff"}).one("skiff")
    with pytest.raises(Misuse, match="axes="):
        boat.position.plan.norm()


def test_rounding_is_told_from_change(trace: Trace) -> None:
    """A derived value carries how far rounding may have moved it: more than the error, far less than a change."""
    times = np.arange(2000) / 60
    states = [{"a": {"x": 1000 + 7.5 * t}} for t in times.tolist()]
    rate = make_trace(states, kinds={"a": "skiff"}, times=times.tolist()).one("skiff").x.rate()
    error = np.abs(rate.values[1:] - 7.5)
    assert (error <= rate.noise[1:]).all()
    assert np.max(rate.noise) < 1e-8


@pytest.mark.parametrize("often", [0.02, 0.5, 1.0])
@pytest.mark.parametrize("frames", [1, 8, 9, 16, 17, 100])
def test_a_flag_rises_and_falls_wherever_it_turns(frames: int, often: float) -> None:
    """Whatever the pattern and however long a lifetime, each turn is found, and none from one lifetime to the next."""
    draw = np.random.default_rng(frames)
    on = np.cumsum(draw.random((frames, 3)) < often, axis=0) % 2 == 1
    states = [{f"lamp-{n}": {"lit": bool(lit)} for n, lit in enumerate(row)} for row in on]
    lit = make_trace(states, kinds={f"lamp-{n}": "lamp" for n in range(3)}).all("lamp").lit
    for moments, now in ((lit.rises(), True), (lit.falls(), False)):
        turned = [(row, n) for row in range(1, frames) for n in range(3) if on[row - 1, n] != on[row, n] == now]
        assert list(zip(moments.clock_index.tolist(), moments.lifetime.tolist(), strict=True)) == turned


@pytest.mark.parametrize("seed", range(8))
def test_samples_in_order_are_told_the_same_as_one_by_one(seed: int) -> None:
    """What is inside spans, and what comes a while later or earlier, is found by stretches as by looking each up."""
    draw = np.random.default_rng(seed)
    times = np.cumsum(draw.uniform(0.05, 0.3, 12)).tolist()
    states = [{who: {"n": float(row)} for who in "abc" if draw.random() < 0.8} for row in range(12)]
    kinds = dict.fromkeys("abc", "keg")
    n = make_trace(states, kinds=kinds, times=times, frames=np.cumsum(draw.integers(1, 3, 12)).tolist()).all("keg").n
    n = n.take(np.flatnonzero(draw.random(len(n)) < 0.8))  # as if it had not been sampled on some frames
    track, first = n.track, draw.integers(0, 12, 6)
    lifetime = draw.integers(0, track.session.lifetimes.size, 6) if seed % 4 else np.full(6, -1)
    spans = Spans.of_lifetimes(track.session, "some", lifetime, first, np.minimum(first + draw.integers(0, 4, 6), 11))
    rows = Participants.of_lifetimes(track.session, track.clock_index, track.lifetime, "samples")
    assert spans.over(track).tolist() == spans.covers(rows, track.clock_index).tolist()
    for way, by in ((1, seconds(0.35)), (-1, seconds(0.35)), (1, frames(2)), (-1, frames(2))):
        axis = np.array(times) if by.unit == "s" else track.session.clock.frames
        found = (indices_later(n, by), delayed(n, by).values)[way < 0]
        for place in range(track.size):
            other = np.flatnonzero(track.lifetime == track.lifetime[place])
            far = way * (axis[track.clock_index[other]] - axis[track.clock_index[place]]) >= by.value - 1e-6
            due = other[far][0 if way > 0 else -1] if far.any() else None
            expected = (-1 if way > 0 else np.nan) if due is None else due if way > 0 else n.values[due]
            assert found[place] == pytest.approx(expected, nan_ok=True)


def test_the_first_value_of_a_lifetime_is_its_first_known_one() -> None:
    """What was not recorded at a lifetime's beginning is passed over, and a lifetime without any value has none."""
    states: list[dict[str, dict[str, Any]]] = [{"a": {"n": value}, "b": {"n": None}} for value in (None, 2.0, 3.0)]
    n = make_trace(states, kinds={"a": "keg", "b": "keg"}, declare=()).all("keg").n
    assert first_of_lifetime(n).usable.tolist() == [True] * 3 + [False] * 3
    assert first_of_lifetime(n).values[:3].tolist() == [2.0] * 3


def test_data_of_moments_is_a_signal() -> None:
    """Numbers, vectors, texts and flags that events carry can be computed with like any other value at their moments."""
    told = {"aim": [3.0, 4.0], "force": 2, "curve": "linear", "hard": True, "odd": "x"}
    events = [(1, "thrown", "a", None, told), (2, "thrown", "a", None, {"aim": [0.0, 1.0], "odd": 1})]
    trace = make_trace([{"a": {"n": 0.0}}] * 4, kinds={"a": "keg"}, events=events)
    aim, force = (Signal.from_data(trace.events("thrown"), key, "m") for key in ("aim", "force"))
    assert aim.norm().values.tolist() == [5.0, 1.0]
    assert (aim.y.values.tolist(), aim.unit) == ([4.0, 1.0], "m")
    assert force.usable.tolist() == [True, False]
    curve, hard = (Signal.from_data(trace.events("thrown"), key) for key in ("curve", "hard"))
    assert [(type(one).__name__, one.usable.tolist()) for one in (curve, hard)] == [
        ("Text", [True, False]),
        ("Flag", [True, False]),
    ]
    with pytest.raises(Misuse, match="expected numbers, vectors of numbers, texts or flags alone"):
        Signal.from_data(trace.events("thrown"), "odd")


LISTS: dict[str, tuple[list[Any], list[Any]]] = {
    "numbers": ([1, 2.5, None], [1.0, 2.5, np.nan]),
    "vectors": ([[1, 2], [3, None], None], [[1.0, 2.0], [3.0, np.nan], [np.nan, np.nan]]),
    "flags": ([True, False, None], [True, False, None]),
    "numbers and flags": ([1, True], [1, True]),
    "texts": (["1", "2"], ["1", "2"]),
    "lists of texts": ([["a", "b"], ["1", "2"]], [["a", "b"], ["1", "2"]]),
    "lists of lists": ([[[1], [2]], [[1, 2], [3]]], [[[1], [2]], [[1, 2], [3]]]),
    "lists of several lengths": ([[1, 2], [3]], [[1, 2], [3]]),
    "empty lists": ([[], []], [[], []]),
}


@pytest.mark.parametrize("what", LISTS)
def test_an_entry_of_data_becomes_the_array_that_holds_it(what: str) -> None:
    """Numbers and vectors become floats, NaN where they are missing; whatever else there is stays as it is."""
    given, due = LISTS[what]
    events = [(n, "thrown", "a", None, {} if one is None else {"it": one}) for n, one in enumerate(given)]
    found = make_trace([{"a": {"n": 0.0}}] * 4, kinds={"a": "keg"}, events=events).events("thrown")["it"]
    assert (found.dtype.kind, repr(found.tolist())) == ("f" if what in ("numbers", "vectors") else "O", repr(due))


def test_the_turn_from_one_angle_to_another_is_the_short_way() -> None:
    """It is at most half a turn, with a sign, in degrees and in radians; half a turn is told as a negative one."""
    pairs = [(350.0, 10.0), (10.0, 350.0), (0.0, 179.0), (90.0, 90.0), (0.0, 180.0), (180.0, 0.0)]
    for unit, full in (("deg", 360.0), ("rad", 2 * np.pi)):
        states = [{"a": {"yaw": a * full / 360, "roll": b * full / 360}} for a, b in pairs]
        keg = make_trace(states, kinds={"a": "keg"}, angles={"unit": unit}).one("keg")
        turn = keg.roll.turn_from(keg.yaw).values * 360 / full
        assert turn.tolist() == pytest.approx([20.0, -20.0, 179.0, 0.0, -180.0, -180.0])


@pytest.mark.parametrize(
    ("count", "said"), [(2, ", k1; name one"), (8, "k7; name one"), (10, "k7 and 2 more; name one")]
)
def test_asking_for_the_one_of_several_names_them(count: int, said: str) -> None:
    """Where there are more objects than one, they are told by id, the first eight of them, with what to do."""
    kegs = [f"k{n}" for n in range(count)]
    trace = make_trace([{who: {"x": 0.0} for who in kegs}], kinds=dict.fromkeys(kegs, "keg"))
    with pytest.raises(Misuse, match=f"has {count} objects of kind 'keg': k0.*{said}"):
        trace.one("keg")
    assert trace.one(id="k1").ids == ("k1",)
    with pytest.raises(UnknownName, match="k1"):
        trace.one(id="kl")


def test_recorded_values_cannot_be_overwritten() -> None:
    """All checks look at the same values, so none can change them for the next one."""
    x = make_trace([{"a": {"x": float(n)}} for n in range(4)], kinds={"a": "keg"}).one("keg").x
    with pytest.raises(ValueError, match="read-only"):
        x.values[0] = 9.0


def test_a_second_look_at_a_property_finds_what_the_first_one_found() -> None:
    """Extremes and turns are kept with a property; limits, spans and tolerances of the next check are its own."""
    states: list[dict[str, dict[str, Any]]] = [{"a": {"x": float(n), "lit": n % 3 == 0}} for n in range(9)]
    states[4]["a"]["x"] = None
    for _ in range(2):
        trace = make_trace(states, kinds={"a": "keg"})
        for _ in range(2):
            keg = trace.one("keg")
            wide, narrow = movement.stays_between(keg.x, -1, 9), movement.stays_between(keg.x, -1, 6, tol=0.5)
            late = movement.stays_between(keg.x, -1, 9, during=(keg.x > 5).spans())
            margins = [
                one.margin.value for one in (wide, narrow, late, values.equals(keg.x, 4.0, tol=5.0)) if one.margin
            ]
            assert margins == [1.0, -1.5, 1.0, 1.0]
            assert (wide.tested, wide.missing, late.tested) == (8, 1, 3)
            assert keg.lit.rises().frames.tolist() == [3, 6]


def test_the_length_of_a_block_never_shows(monkeypatch: pytest.MonkeyPatch) -> None:
    """Columns are worked through in blocks; lifetimes, laps and the worst place are the same wherever one ends."""
    draw = np.random.default_rng(5)
    turn, x = np.cumsum(draw.uniform(0, 140, (40, 3)), axis=0), np.cumsum(draw.normal(0, 1, (40, 3)), axis=0)
    states = [
        {
            f"k{n}": {"yaw": float(turn[row, n] % 360), "position": (float(x[row, n]), 0.0)}
            for n in range(3)
            if row != 9 + n
        }
        for row in range(40)
    ]
    kinds = {f"k{n}": "keg" for n in range(3)}

    def found() -> list[Any]:
        kegs = make_trace(states, kinds=kinds, angles={"unit": "deg"}).all("keg")
        verdicts = [movement.keeps_speed(kegs, 25.0, tol=50.0), movement.stays_between(kegs.position.x, -50, 50)]
        numbers = [
            (one.margin, [(tally.object, tally.tested, tally.worst) for tally in one.tallies]) for one in verdicts
        ]
        assert verdicts[0].margin is not None
        assert verdicts[0].margin.value == pytest.approx(25.0 + float(np.nanmin(kegs.speed.values)), rel=1e-12)
        speed = kegs.speed.values
        fast = movement.keeps_speed(kegs, 0.0, tol=20.0)
        assert fast.breach_count == (speed > 20.0).sum() > 0
        worst = [20.0 - np.nanmax(speed[kegs.speed.track.name == name]) for name in range(3)]
        assert [tally.worst for tally in fast.by_object()] == pytest.approx(worst)
        return [kegs.yaw.unwrapped().values.tolist(), kegs.speed.values[1:9].tolist(), *numbers]

    whole = found()
    assert np.subtract(whole[0][:9], whole[0][0]) == pytest.approx(turn[:9, 0] - turn[0, 0])
    speed = np.abs(np.diff(x[:9, 0])) / 0.1
    assert whole[1] == pytest.approx(speed)
    for length in (5, 7):
        monkeypatch.setattr(blocks, "STORED", length)
        monkeypatch.setattr(blocks, "COMPUTED", length)
        assert found() == whole


UNSEEN: dict[str, Callable[[Trace, Any], Any]] = {
    # what is computed of a kind that no session of the run has, beside one that is there
    "a direction and a heading": lambda t, gone: abs(gone.velocity.direction().turn_from(t.one(id="heron").position.x)),
    "a speed less a number in another unit": lambda t, gone: gone.velocity.norm() - t.one(id="heron").position.x,
    "where a ray meets the ground": lambda t, gone: (
        Signal.from_data(t.events("wake"), "screen", space="screen").to_ray(t.one(id="heron")).on_plane("z").norm()
    ),
    "moments where it is so": lambda t, gone: gone.position.x.at(
        t.events("wake").where((gone.picture == 0).at(t.events("wake")))
    ),
}


@pytest.mark.parametrize("name", UNSEEN)
def test_what_was_not_seen_goes_with_anything_and_is_untested(name: str) -> None:
    """Nothing says what has become of its unit, or what it is, so it is no error and no pass."""
    states = [{"heron": {"position": (float(n), 0.0)}} for n in range(3)]
    trace = make_trace(states, kinds={"heron": "skiff"}, declare=["wake"], units={"position": "m", "velocity": "m/s"})
    verdict = judge(UNSEEN[name](trace, trace.all("rocket")) < 1, "it is right")
    assert verdict.outcome == "untested"


def test_a_place_in_an_area_is_brought_into_the_world() -> None:
    """An area has its origin, and its turn in plan or in space; places in two areas are never combined unasked."""
    half = 0.5**0.5
    areas: dict[str, Any] = {
        "quay": {"origin": [10, 5, 1], "turn": 90.0},
        "hold": {"origin": [0, 0, 2], "turn": [half, 0, 0, half]},
    }
    trace = make_trace(
        [{"c": {"slot": (1.0, 2.0, 0.0), "shelf": (1.0, 2.0, 0.0), "position": (8.0, 6.0, 1.0)}}], kinds={"c": "crate"}, areas=areas,
        spaces={"slot": "quay", "shelf": "hold"}, axes={"x": "east", "y": "north", "z": "up"},
        angles={"unit": "deg", "zero": "east", "sense": "counter-clockwise"},
    )  # fmt: skip
    crate = trace.one("crate")
    assert crate.slot.to_world().values[0] == pytest.approx([8, 6, 1])
    assert crate.shelf.to_world().values[0] == pytest.approx([1, 0, 4])
    assert crate.position.relative_to("quay").values[0] == pytest.approx([1, 2, 0])
    assert (crate.position.relative_to("quay").space, crate.slot.to_world().space) == ("quay", "world")
    wrongs: tuple[tuple[Callable[[], Any], str], ...] = (
        (lambda: crate.slot - crate.shelf, "the first is in quay space and the second in hold space"),
        (lambda: crate.position.relative_to("key"), "no area is called 'key'; there is quay, hold"),
        (crate.position.to_world, "is in world space; give its owner's position"),
    )
    for wrong, said in wrongs:
        with pytest.raises(Misuse, match=said):
            wrong()


def test_a_quaternion_is_told_by_axis_and_angle() -> None:
    """About any axis, with the tilt of that axis beside it, and as one axis with the angle about it."""
    half = 0.5**0.5
    turns = [(0.0, 0.0, 0.6, 0.8), (half, 0.0, 0.0, -half), (0.0, 0.0, 0.0, 1.0), (0.0, half * 0.6, half * 0.6, 0.8)]
    states = [{"c": {"q": turn}} for turn in turns]
    q = make_trace(states, kinds={"c": "crate"}, angles={"unit": "deg"}).one("crate").q
    about, tilt = q.turn_about("z").values, q.tilt_of("z").values
    assert about[:3] == pytest.approx([73.739795, 0, 0])
    assert tilt[:3] == pytest.approx([0, 90, 0])
    assert (q.turn_about((0, 2, 2)).values[3], q.tilt_of((0, 1, 1)).values[3]) == pytest.approx((73.739795, 0))
    assert q.axis().values[:2].ravel() == pytest.approx([0, 0, 1, -1, 0, 0])
    assert q.axis().usable.tolist() == [True, True, False, True]
    for axis in ("w", "xy", (0, 0, 0), (1, 0)):
        with pytest.raises(Misuse, match="expected the axis 'x', 'y' or 'z', or a direction of three numbers"):
            q.tilt_of(axis)
