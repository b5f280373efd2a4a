"""Signals made of others: a vector of numbers, a sum over objects, and how much is under way."""

from typing import Any

import numpy as np

from breadcrumb.algebra.formulas import call
from breadcrumb.algebra.keys import Key
from breadcrumb.algebra.meeting import meet
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.rounding import made_once, most_of, noise_of
from breadcrumb.algebra.samples import Samples, Sort, both, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Number, Unseen, Vector
from breadcrumb.algebra.tracks import Track
from breadcrumb.algebra.units import shared
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Floats, Session


def vector(x: Any, y: Any, z: Any = None) -> Vector:
    """Return the vector with two or three numbers as its parts.

    Args:
        x: the first part, a number over time or a plain one; one of the parts must be over time.
        y: the second part.
        z: the third part, if there is one.

    Raises:
        Misuse: a part is no number, or the parts have different units.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> vector(boat.position.y, 2 * boat.position.x).values[-1].tolist()
        [0.0, 6.0]
    """
    given = (x, y) if z is None else (x, y, z)
    first = next((one for one in given if isinstance(one, Samples)), None)
    name = call("vector", *(str(getattr(one, "name", one)) for one in given))
    if first is None:
        raise Misuse(f"{name}: expected a number over time as one of the parts, found plain numbers alone")
    unit, parts, noises, valid, met = "", [], [], None, first
    for one in given:
        if isinstance(one, Samples) and one.sort not in (Sort.NUMBER, Sort.ANGLE, Sort.UNSEEN):
            raise Misuse(f"{name}: expected numbers, and {one.title} is {one.sort.words}")
        unit = shared(unit, str(getattr(one, "unit", "")), str(name)) or unit or str(getattr(one, "unit", ""))
        met, _ = meet(met, one)
    for one in given:
        _, part = meet(met, one)
        parts.append(part.parts[0])
        noises.append(part.noise_over)
        valid = both(valid, part.valid)
    made: Vector = derived(
        met, sort=Sort.VECTOR, name=name, parts=tuple(parts), valid=valid, unit=unit, known_noise=most_of(noises)
    )
    return made


def active_count(begins: Moments, ends: Moments) -> Number:
    """Return how many things that begin and end at moments are under way on each frame; it belongs to no object.

    What begins on a frame counts on it, and what ends on a frame does not count on it any more.

    Args:
        begins: the moments at which something begins.
        ends: the moments at which something ends; more ends than begins give a negative number.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> events = [(1, "lit", "a"), (2, "lit", "b"), (3, "out", "a")]
        >>> trace = make_trace([{}] * 5, kinds={"a": "flare", "b": "flare"}, events=events)
        >>> active_count(trace.events("lit"), trace.events("out")).values.tolist()
        [0.0, 1.0, 2.0, 1.0, 1.0]
    """
    session, name = begins.session, call("active_count", begins.label, ends.label)
    size = session.clock.size
    change = np.bincount(begins.clock_index, minlength=size) - np.bincount(ends.clock_index, minlength=size)
    values = np.cumsum(change).astype(np.float64)
    values -= np.hstack((0.0, values))[session.begin_of_episode(np.arange(size))]  # none is under way at a restart
    unseen = "" if begins.count else begins.unseen
    count: Number = over_all_frames(session, name, None if unseen else values, unseen=unseen)
    return count


def over_all_frames(session: Session, name: str, values: Any, unit: str = "", unseen: str = "") -> Any:
    """Return a value of the session itself, one for each frame; it belongs to no object.

    Args:
        session: the session.
        name: what it is, for messages.
        values: an array with a number or a flag for each frame, NaN where it is missing; None if there is none.
        unit: its unit.
        unseen: why there is none.
    """
    if values is None:
        nothing = np.zeros(0, np.int64)
        track = Track(session, nothing, nothing, unseen=unseen, whose="the session")
        return Unseen(track, name, (np.zeros(0),), unit=unit, key=Key(name))
    track = Track(session, np.full(session.clock.size, NOBODY), np.arange(session.clock.size), whose="the session")
    number: Signal = Number(track, name, (np.zeros(session.clock.size),), key=Key(name))
    return number.with_values(values, name, unit)


def sum_over_objects(signal: Signal) -> Signal:
    """Return the sum over all objects on each frame on which one has a value; it belongs to no object.

    Args:
        signal: a number or a vector of a group.

    Returns:
        A signal with one sample for each frame, in the unit of the signal.

    Raises:
        Misuse: it is something else than numbers.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"a": {"mass": 2.0}, "b": {"mass": 3.0}}, {"a": {"mass": 2.0}}]
        >>> sum_over_objects(make_trace(states, kinds={"a": "log", "b": "log"}).all("log").mass).values.tolist()
        [5.0, 2.0]
    """
    if signal.sort not in (Sort.NUMBER, Sort.VECTOR, Sort.UNSEEN):
        raise Misuse(
            f"sum_over_objects: expected a number or a vector over time, and {signal.title} is {signal.sort.words}"
        )
    usable = signal.usable
    clock_indices, where = np.unique(signal.track.clock_index[usable], return_inverse=True)
    nobody = np.full(len(clock_indices), NOBODY)
    parts = tuple(np.bincount(where, part[usable], len(clock_indices)) for part in signal.parts)
    own = noise_of(parts)

    def added() -> Floats:
        each = np.broadcast_to(signal.noise, len(signal))[usable]
        return np.asarray(own(slice(None)) + np.bincount(where, each, len(clock_indices)))

    track = Track(signal.track.session, nobody, clock_indices)
    name = f"sum of {signal.name}"
    total: Signal = derived(signal, track=track, name=name, parts=parts, valid=None, known_noise=made_once(added))
    return total
