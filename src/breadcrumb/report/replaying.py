"""A session as a page that plays it: the data of the page, and the page."""

import base64
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.angles import AGAINST, compass_of, plan_axes
from breadcrumb.algebra.signals import Signal
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints, Session
from breadcrumb.report.facts import data_words
from breadcrumb.report.pages import render
from breadcrumb.run.results import RunResult
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.opened import Trace

_MOST_VALUES = 8_000_000
"""How many values a page holds; of a longer session it shows the frames around the one where it opens."""
_MISSING_FLAG = 2


@dataclass(frozen=True)
class BrokenFrame:
    """A frame on which a check broke, as the page marks it."""

    frame: int
    object: str
    words: str


def replay_page(trace: Trace, *, broken: Sequence[BrokenFrame] = (), at: int | None = None) -> str:
    """Return a page that plays a session, in one file that works offline.

    Args:
        trace: the session.
        broken: frames to mark on the time bar.
        at: the clock index at which it opens; else the first broken frame, else the start.
    """
    return render("replay.html", title=trace.data.session.label, data=replay_data(trace, broken, at))


def broken_frames(run: RunResult) -> list[BrokenFrame]:
    """Return the first and the worst breach of every broken verdict of a run, and where each object first broke it."""
    found: dict[BrokenFrame, None] = {}
    for result in run.of("broken"):
        for finding in result.findings:
            for breach in (finding.first, finding.worst):
                if breach is not None:
                    words = f"{result.check.name}: {finding.sentence}: {breach.words}"
                    found[BrokenFrame(breach.frame, breach.object, words)] = None
            for tally in finding.tallies:
                if tally.first_frame is not None and (tally.first_frame, tally.object) not in {
                    (one.frame, one.object) for one in found
                }:
                    found[BrokenFrame(tally.first_frame, tally.object, f"{result.check.name}: {finding.sentence}")] = (
                        None
                    )
    return sorted(found, key=lambda one: one.frame)


def replay_data(trace: Trace, broken: Sequence[BrokenFrame] = (), at: int | None = None) -> dict[str, Any]:
    """Return what the page needs to know of a session, as JSON has it; columns are packed arrays in base 64."""
    trace = trace.without_restarts()  # lifetimes are shown as they were recorded
    session = trace.data.session
    clock = session.clock
    if not clock.size:
        raise Misuse(f"{session.label} has no frame to play")
    if at is None:
        at = min((int(np.searchsorted(clock.frames, one.frame)) for one in broken), default=0)
    first, last = _window(trace, at)
    names = [*session.names, ""]
    return {
        "label": session.label,
        "about": "  ".join(
            str(session.about[key]) for key in ("game", "build", "level", "seed") if key in session.about
        ),
        "whole": last - first + 1 == clock.size,
        "frames": _packed(clock.frames[first : last + 1].astype("<i4")),
        "times": _packed(clock.times[first : last + 1].astype("<f8")),
        "at": at - first,
        "axes": _axes(session),
        "kinds": [one for kind in trace.kinds for one in _kind(trace.all(kind), first, last)],
        "events": list(_events(session, names, first, last)),
        "restarts": [at - first for at in trace.restarts.clock_index.tolist() if first <= at <= last],
        "broken": [asdict(one) for one in broken if clock.frames[first] <= one.frame <= clock.frames[last]],
    }


def _window(trace: Trace, at: int) -> tuple[int, int]:
    """Return the first and the last clock index that are shown."""
    size, values = trace.data.session.clock.size, 0
    for kind in trace.kinds:
        values += len(trace.data.columns(kind)) * len(trace.data.index(kind)[0])
    if values <= _MOST_VALUES:
        return 0, size - 1
    clock_indices = max(1, size * _MOST_VALUES // values)
    first = min(max(0, at - clock_indices // 2), size - clock_indices)
    return first, first + clock_indices - 1


def _axes(session: Session) -> dict[str, Any]:
    """Return the names of all axes, which are reversed on the page, and which two are in plan."""
    told = session.axes
    try:
        plan = plan_axes(session, 3 if {"z", "handedness"} & set(told) else 2)
    except Misuse:  # nothing says which way is up; then the first two are as good as any
        plan = 0, 1
    return {
        "names": [axis + (f", {told[axis]}" if axis in told else "") for axis in "xyz"],
        "reversed": [told.get(axis) in AGAINST for axis in "xyz"],
        "plan": list(plan),
    }


def _body(group: Objects) -> dict[str, Any] | None:
    """Return the shape of objects, which parts of a position lie in plan, and how angles rise there; None if none."""
    if group.shape is None or not group.has("position"):
        return None
    position = group.signal("position")
    session, parts = position.track.session, len(position.parts)
    body = {"shape": group.shape.as_data(), "plan": [0, 1], "way": 1}  # as in mathematics, if nothing says it
    try:
        body["plan"] = list(plan_axes(session, parts))
        zero, quarter, *_ = compass_of(session, parts)
    except Misuse:
        return body
    return {**body, "way": 1 if zero[0] * quarter[1] - zero[1] * quarter[0] > 0 else -1}


def _kind(group: Objects, first: int, last: int) -> Iterator[dict[str, Any]]:
    """Return the samples of a kind within two clock indices: which lifetime and clock index, and each property."""
    signals = [group.signal(name) for name in group.properties]
    if not signals:
        return
    track = signals[0].track
    indices = np.flatnonzero((track.clock_index >= first) & (track.clock_index <= last))
    if not len(indices):
        return
    lifetime = track.lifetime[indices]
    starts = np.flatnonzero(np.hstack((True, lifetime[1:] != lifetime[:-1])))
    session = track.session
    lifetimes = session.lifetimes
    yield {
        "kind": group.key.kind,
        "ids": [session.names[lifetimes.name[one]] for one in lifetime[starts].tolist()],
        "lifetimes": lifetimes.ordinal[lifetime[starts]].tolist(),
        "starts": [*starts.tolist(), len(indices)],
        "body": _body(group),
        "rows": _packed((track.clock_index[indices] - first).astype("<i4")),
        "properties": [_property(signal, indices, starts) for signal in signals],
    }


def _property(signal: Signal, indices: Ints, starts: Ints) -> dict[str, Any]:
    """Return a property; one that stays the same in each lifetime has one value for each."""
    usable = signal.usable[indices]
    parts = [_shown(signal, part[indices], usable) for part in signal.parts]
    inner = np.setdiff1d(np.arange(len(indices)), starts)
    fixed = all(np.array_equal(part[inner], part[inner - 1], equal_nan=part.dtype.kind == "f") for part in parts)
    return {
        "name": signal.name,
        "unit": signal.unit,
        "type": parts[0].dtype.str.lstrip("<|"),
        "texts": None if signal.texts is None else list(signal.texts),
        "fixed": fixed,
        "parts": [_packed(part[starts] if fixed else part) for part in parts],
    }


def _shown(signal: Signal, values: NDArray[Any], usable: NDArray[np.bool_]) -> NDArray[Any]:
    if signal.texts is not None:
        return np.where(usable, values, NOBODY).astype("<i4")
    if signal.is_flag:
        return np.where(usable, values, _MISSING_FLAG).astype("u1")
    return np.where(usable, values, np.nan).astype("<f4")


def _events(session: Session, names: list[str], first: int, last: int) -> Iterator[list[Any]]:
    """Return the clock index, the name, by, on and the data of each event."""
    events = session.events
    for index in np.flatnonzero((events.clock_index >= first) & (events.clock_index <= last)).tolist():
        by, on = names[events.by[index]], names[events.on[index]]
        yield [
            int(events.clock_index[index]) - first,
            events.kinds[events.kind[index]],
            by,
            on,
            data_words(events.data[index]),
        ]


def _packed(values: NDArray[Any]) -> str:
    return base64.b64encode(values.tobytes()).decode("ascii")
