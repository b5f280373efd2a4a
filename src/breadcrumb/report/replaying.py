"""A session as a page that plays it: the page, and the pieces beside it that it loads as they are needed."""

import secrets
from collections.abc import Collection, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from breadcrumb.algebra.angles import AGAINST, compass_of, plan_axes
from breadcrumb.align.timing import ROUNDING, align_clocks
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Session
from breadcrumb.report.facts import data_words
from breadcrumb.report.framing import ends_of
from breadcrumb.report.judged import BrokenRule, rule_data
from breadcrumb.report.packing import Packer
from breadcrumb.report.pages import render
from breadcrumb.report.pieces import Column, Kind, bounds_of, fixed_values, kinds_of, pieces_of
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.opened import Trace

_FACING = ("facing", "heading", "yaw")
"""What an angle is called that tells where an object faces, if its shape has no turn."""
_DIMENSIONS = 3


def write_replay(
    trace: Trace,
    path: Path,
    *,
    broken: Sequence[BrokenRule] = (),
    at: int | None = None,
    reference: Trace | None = None,
) -> Path:
    """Write a page that plays a session, and works offline.

    A long session has its samples in pieces, in a folder beside the page that has its name.

    Args:
        trace: the session.
        path: the page.
        broken: the rules that broke, in order of time.
        at: the clock index at which it opens; else the first broken frame, else the start.
        reference: a second session, whose objects are shown as hollow outlines at the same time, and whose values are
            drawn beside those that differ.

    Returns:
        The path of the page.

    Raises:
        Misuse: the session has no frame.
        OSError: a file cannot be written.
    """
    trace = trace.without_restarts()  # lifetimes are shown as they were recorded
    kinds, size = kinds_of([trace.all(kind) for kind in trace.kinds]), trace.data.session.clock.size
    kinds += _beside(trace, reference, {each.property for one in broken for each in one.differences})
    data = _session_data(trace, kinds, broken, at)
    data["reference"] = "" if reference is None else reference.label
    path.parent.mkdir(parents=True, exist_ok=True)
    folder = path.parent / f"{path.stem}.pieces"
    for old in folder.glob("[0-9]*.js"):
        old.unlink()
    several = len(data["bounds"]) > 1
    if several:
        folder.mkdir(exist_ok=True)
    for number, (layout, content) in enumerate(pieces_of(kinds, size)):
        data["layouts"].append(layout["kinds"])
        if several:
            (folder / f"{number}.js").write_text(f'breadcrumbPiece({number}, "{content}");\n', "ascii")
        else:
            data["piece"] = content
    data["folder"] = folder.name if several else ""
    path.write_text(
        render("replay.html", title=trace.data.session.label, data=data, nonce=secrets.token_hex(8)), "utf-8"
    )
    return path


def _beside(trace: Trace, reference: Trace | None, differing: Collection[str]) -> list[Kind]:
    """Return the objects of a second session on the frames of the first, those with a place or with what differs."""
    if reference is None or not trace.data.session.clock.size:
        return []
    reference = reference.without_restarts()
    timing = align_clocks(reference.data.session, trace.data.session)
    rows = np.searchsorted(timing.candidate.at, timing.reference.at - ROUNDING)
    rows = np.minimum(rows, trace.data.session.clock.size - 1)
    found = (Kind.of(reference.all(kind), rows, differing) for kind in reference.kinds)
    return [one for one in found if one is not None]


def _session_data(trace: Trace, kinds: Sequence[Kind], broken: Sequence[BrokenRule], at: int | None) -> dict[str, Any]:
    """Return what the page needs to know from the start, as JSON has it."""
    session, packer = trace.data.session, Packer()
    clock = session.clock
    if not clock.size:
        raise Misuse(f"{session.label} has no frame to play")
    if at is None:
        at = min((clock.clock_index_at_or_after(one.first.frame) for one in broken), default=0)
    told = {
        "label": session.label,
        "about": "  ".join(
            str(session.about[key]) for key in ("game", "build", "level", "seed") if key in session.about
        ),
        "frames": packer.put(clock.frames.astype("<i4")),
        "times": packer.put(clock.times.astype("<f8")),
        "at": min(int(at), clock.size - 1),
        "axes": _axes(session),
        "ends": ends_of([one.signal for kind in kinds for one in kind.columns if one.is_place]),
        "kinds": [_kind(one, packer) for one in kinds],
        "events": _events(session, packer),
        "restarts": trace.restarts.clock_index.tolist(),
        "rules": [rule_data(one) for one in _within(broken, *clock.frames[[0, -1]].tolist())],
        "bounds": bounds_of(kinds, clock.size),
        "layouts": [],
        "piece": "",
    }
    return {**told, "start": packer.text()}


def _within(broken: Sequence[BrokenRule], first: int, last: int) -> list[BrokenRule]:
    """Return the rules that broke first between two frames, with what they broke on there."""
    return [
        replace(rule, frames=tuple(one for one in rule.frames if first <= one.frame <= last))
        for rule in broken
        if first <= rule.first.frame <= last
    ]


def _axes(session: Session) -> dict[str, Any]:
    """Return the names of all axes, which are reversed on the page, which two are in plan, and which is the third."""
    told = session.axes
    try:
        plan = plan_axes(session, _DIMENSIONS if {"z", "handedness"} & set(told) else 2)
    except Misuse:  # nothing says which way is up; then the first two are as good as any
        plan = 0, 1
    return {
        "names": [axis + (f", {told[axis]}" if axis in told else "") for axis in "xyz"],
        "reversed": [told.get(axis) in AGAINST for axis in "xyz"],
        "plan": list(plan),
    }


def _kind(kind: Kind, packer: Packer) -> dict[str, Any]:
    """Return what is known of a kind at all times: who there was, from when to when, and what stayed the same."""
    track = kind.columns[0].signal.track
    session, lifetime = track.session, track.lifetime[track.starts]
    lifetimes = session.lifetimes
    ends = np.append(track.starts[1:], track.size) - 1
    return {
        "kind": kind.name,
        "hollow": kind.is_beside,
        "ids": [session.names[name] for name in lifetimes.name[lifetime].tolist()],
        "lifetimes": lifetimes.ordinal[lifetime].tolist(),
        "first": packer.put(kind.row_of(track.clock_index[track.starts]).astype("<i4")),
        "last": packer.put(kind.row_of(track.clock_index[ends]).astype("<i4")),
        "body": _body(kind.group),
        "facing": _facing(kind),
        "properties": [_property(one, packer) for one in kind.columns],
    }


def _property(column: Column, packer: Packer) -> dict[str, Any]:
    """Return what is known of a property at all times; one that stays the same in each lifetime as a whole."""
    signal = column.signal
    ranges = column.ranges if column.is_number else []
    return {
        "name": column.name,
        "unit": signal.unit,
        "texts": None if signal.texts is None else list(signal.texts),
        "flag": signal.is_flag,
        "parts": len(signal.parts),
        "decimals": column.decimals,
        "fixed": fixed_values(packer, column) if column.is_fixed else [],
        "ranges": [[packer.put(end.astype("<f4")) for end in ends] for ends in ranges],
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


def _facing(kind: Kind) -> dict[str, Any] | None:
    """Return which property tells where objects face, and how directions become angles; None if nothing does."""
    named = {one.name: one for one in kind.columns if one.signal.is_angle and one.is_number}
    turn = None if kind.group.shape is None else kind.group.shape.as_data().get("turn")
    name = next((one for one in (turn, *_FACING) if one in named), None)
    place = next((one for one in kind.columns if one.name == "position"), None)
    if name is None or place is None:
        return None
    session, parts = place.signal.track.session, len(place.signal.parts)
    try:
        compass, plan = compass_of(session, parts), plan_axes(session, parts)
    except Misuse:
        return None
    return {"name": name, "zero": compass.zero, "quarter": compass.quarter, "plan": plan}


def _events(session: Session, packer: Packer) -> dict[str, Any]:
    """Return all events: when, which, by whom, on whom, what else is known of them, and where they were."""
    events = session.events
    words = [data_words(one) for one in events.data]
    points = [[index, list(one["point"])] for index, one in enumerate(events.data) if _is_place(one.get("point"))]
    return {
        "at": packer.put(events.clock_index.astype("<i4")),
        "kind": packer.put(events.kind.astype("<i4")),
        "by": packer.put(events.by.astype("<i4")),
        "on": packer.put(events.on.astype("<i4")),
        "kinds": list(events.kinds),
        "names": list(session.names),
        "words": words if any(words) else [],
        "points": points,
    }


def _is_place(value: Any) -> bool:
    """Tell whether a value of an event is a place."""
    return (
        isinstance(value, list | tuple)
        and len(value) in (2, _DIMENSIONS)
        and all(isinstance(one, int | float) and not isinstance(one, bool) for one in value)
    )
