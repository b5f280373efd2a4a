"""Making small traces by hand."""

import tempfile
from collections.abc import Collection, Iterable, Mapping, Sequence
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any

from breadcrumb.errors import Misuse
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.reading import read_journal
from breadcrumb.record.recorder import Recorder
from breadcrumb.store.memory import trace_from_journal
from breadcrumb.trace.opened import Trace

_STEP = 0.1
_STARTED_AT = "2026-01-01T00:00:00Z"  # so that one made twice is the same


def make_trace(
    states: Sequence[Mapping[str, Mapping[str, Any]]],
    *,
    kinds: Mapping[str, str],
    events: Iterable[tuple[Any, ...]] = (),
    times: Sequence[float] | None = None,
    frames: Sequence[int] | None = None,
    paused_before: Collection[int] = (),
    declare: Sequence[str] = (),
    restarts: Sequence[str] = (),
    parents: Mapping[str, str] | None = None,
    parameters: Mapping[str, Any] | None = None,
    name: str = "made by hand",
    **about: Any,
) -> Trace:
    """Record a trace from the states of each frame, and hold it in memory.

    Args:
        states: for each frame, the properties of each object that is there, by its id.
        kinds: the kind of each object, by its id; all objects of a kind have the same properties.
        events: tuples of the index of the frame, the name, and if need be by, on and data.
        times: the time of each frame; 0.1 s apart if left out.
        frames: the number of each frame; without gaps if left out.
        paused_before: the indices of frames before which the recording was paused.
        declare: events that may occur.
        restarts: events at which the game begins anew.
        parents: the object that another one belongs to, by its id.
        parameters: the game's tuning constants.
        name: the trace's name.
        about: what else is known of the session.

    Raises:
        Misuse: an object of the states has no kind.

    Example:
        >>> trace = make_trace(
        ...     [{"heron": {"speed": 1.0}}, {"heron": {"speed": 2.0}}],
        ...     kinds={"heron": "skiff"},
        ...     events=[(1, "bell.rung", "heron")],
        ... )
        >>> trace.one("skiff").speed.at(trace.events("bell.rung")).values.tolist()
        [2.0]
    """
    unknown = sorted({id for state in states for id in state} - kinds.keys())
    if unknown:
        raise Misuse(f"expected a kind of each object, found none of {', '.join(unknown)}")
    with tempfile.TemporaryDirectory(prefix="breadcrumb-") as folder:
        path = Path(folder) / "made.crumbs"
        declared = {"events": declare, "restarts": restarts}
        told = (list(events), times, frames, paused_before, declared, parents or {}, parameters or {}, about)
        _record(path, states, kinds, *told)
        return Trace(trace_from_journal(read_journal(path / FILE_NAME), name))


def small_trace() -> Trace:
    """Return a trace of four frames: a skiff that moves 1 m east a frame, and a bell rung on frame 2.

    Example:
        >>> small_trace().clock.frames.tolist()
        [0, 1, 2, 3]
    """
    states = [{"heron": {"position": (float(n), 0.0, 0.0), "moored": n == 0}} for n in range(4)]
    return make_trace(
        states,
        kinds={"heron": "skiff"},
        events=[(2, "bell.rung", "heron", None, {"loudness": 3})],
        parameters={"skiff.cap": 6.0},
        name="small",
        axes={"z": "up"},
        units={"position": "m"},
    )


def _record(
    path: Path,
    states: Sequence[Mapping[str, Mapping[str, Any]]],
    kinds: Mapping[str, str],
    events: list[tuple[Any, ...]],
    times: Sequence[float] | None,
    frames: Sequence[int] | None,
    paused_before: Collection[int],
    declared: Mapping[str, Sequence[str]],
    parents: Mapping[str, str],
    parameters: Mapping[str, Any],
    about: Mapping[str, Any],
) -> None:
    there: dict[str, SimpleNamespace] = {}
    with Recorder(path, strict=True, **{"started_at": _STARTED_AT, **about}) as rec:
        rec.declare(**declared)
        for name, value in parameters.items():
            rec.parameter(name, value)
        for kind in dict.fromkeys(kinds.values()):
            first = next((state[id] for state in states for id in state if kinds[id] == kind), {})
            readers: dict[str, Any] = {prop: prop for prop in first}
            owner: dict[str, Any] = {"parent": lambda thing: parents.get(thing.id_)} if parents else {}
            rec.watch_each(partial(_of_kind, there, kinds, kind), kind=kind, id="id_", **owner, **readers)
        for index, state in enumerate(states):
            if index in paused_before:
                rec.pause()
                rec.resume()
            for id in [id for id in there if id not in state]:
                del there[id]
            for id, properties in state.items():
                vars(there.setdefault(id, SimpleNamespace(id_=id))).update(properties)
            for _, name, *rest in (event for event in events if event[0] == index):
                by, on, data = [*rest, None, None, None][:3]
                rec.event(name, by=by, on=on, data=data)
            t = index * _STEP if times is None else times[index]
            rec.frame(t, frame=None if frames is None else frames[index])


def _of_kind(there: Mapping[str, SimpleNamespace], kinds: Mapping[str, str], kind: str) -> list[SimpleNamespace]:
    return [thing for id, thing in there.items() if kinds[id] == kind]
