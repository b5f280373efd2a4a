"""The tables of a session that stand beside the states of its objects, as Arrow."""

import json
from typing import Any

import numpy as np

from breadcrumb.model.session import NOBODY, Ints, Session
from breadcrumb.store.arrow import coded_array, flag_array, int_array, text_array


def lifetimes_table(session: Session) -> dict[str, Any]:
    """Return the columns of all lifetimes."""
    lifetimes, frames = session.lifetimes, session.clock.frames
    return {
        "lifetime": int_array(np.arange(lifetimes.size)),
        "id": coded_array(lifetimes.name, session.names or ("",)),
        "kind": coded_array(lifetimes.kind, session.kinds or ("",)),
        "parent": coded_array(np.maximum(lifetimes.parent, 0), session.names or ("",), lifetimes.parent != NOBODY),
        "appear_frame": _frame_of(lifetimes.appear, frames),
        "first_frame": _frame_of(lifetimes.first, frames),
        "last_frame": _frame_of(lifetimes.last, frames),
        "leave_frame": _frame_of(lifetimes.leave, frames),
    }


def events_table(session: Session) -> dict[str, Any]:
    """Return the columns of all events."""
    events, names = session.events, session.names or ("",)
    return {
        "frame": _frame_of(events.clock_index, session.clock.frames),
        "order": int_array(events.order, events.order != NOBODY),
        "name": coded_array(events.kind, events.kinds or ("",)),
        "by": coded_array(np.maximum(events.by, 0), names, events.by != NOBODY),
        "on": coded_array(np.maximum(events.on, 0), names, events.on != NOBODY),
        "data": text_array([json.dumps(dict(data), ensure_ascii=False) if data else None for data in events.data]),
        "late": flag_array(events.late),
    }


def parameters_table(session: Session) -> dict[str, Any]:
    """Return the columns of all parameters."""
    parameters, frames = session.parameters, session.clock.frames
    return {
        "frame": _frame_of(np.array([one.clock_index for one in parameters], np.int64), frames),
        "name": text_array([one.name for one in parameters]),
        "value": text_array([json.dumps(one.value) for one in parameters]),
        "unit": text_array([one.unit for one in parameters]),
    }


def _frame_of(clock_index: Ints, frames: Ints) -> Any:
    valid = clock_index != NOBODY
    return int_array(frames[np.maximum(clock_index, 0)] if len(frames) else np.zeros(len(clock_index), np.int64), valid)
