"""How signals of different objects, numbers and moments meet: sample by sample, by frame, or not at all."""

from dataclasses import replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.durations import Duration, TimeAxis
from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.on_demand import OfFrame
from breadcrumb.algebra.rounding import noise_of
from breadcrumb.algebra.samples import Samples, derived
from breadcrumb.algebra.tracks import Side, Track
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Ints, Session

S = TypeVar("S", bound=Samples)


def meet(left: S, right: object) -> tuple[S, S]:
    """Return both on one track and with the same number of parts.

    The same track: element by element. One that never has two objects on a frame joins any other by frame.

    Raises:
        Misuse: two groups that nothing pairs, or parts that do not fit.
    """
    if not isinstance(right, Samples):
        return _same_parts(left, _constant(left, right))
    return _same_parts(*meet_tracks(left, right))  # type: ignore[arg-type] # signals of any two sorts can meet


def meet_tracks(left: S, right: S) -> tuple[S, S]:
    """Return both on one track; each keeps its own parts.

    The same samples go together one by one; two groups of one kind by lifetime and frame; whatever never has two
    samples on a frame with anything, frame by frame.

    Raises:
        Misuse: two groups that nothing pairs.
    """
    _refuse_two_sessions(left.track.session, right.track.session)
    if not left.track.same_as(right.track):
        if left.track.source is not None or right.track.source is not None:
            raise Misuse(
                f"{left.name} and {right.name} were not picked at the same moments; pick both at the same ones"
            )
        if _are_of_one_kind(left.track, right.track):
            right = _by_lifetime(right, left.track)
        elif right.track.one_at_a_time:
            right = on_track(right, left.track)
        elif left.track.one_at_a_time:
            left = on_track(left, right.track)
        else:
            raise Misuse(
                f"{left.name} and {right.name} are of two groups, and nothing says which object goes with which; "
                "use one object, pair the groups with .of('parent') or a property that refers to the other, or judge "
                "each group separately"
            )
    return left, right


def _refuse_two_sessions(first: Session, second: Session) -> None:
    """Refuse to bring together what is of two sessions, each of which has a clock of its own.

    Raises:
        Misuse: they are two.
    """
    if first is not second and not _is_one_recording(first, second):
        raise Misuse(
            f"one side is of the session {first.label} and the other of {second.label}; values of two sessions are "
            "compared by values.same_across and session.same_at_any_rate alone"
        )


def _is_one_recording(first: Session, second: Session) -> bool:
    """Tell whether two sessions are the same one, opened twice."""
    alike = (first.label, first.names, first.kinds) == (second.label, second.names, second.kinds)
    return alike and all(
        np.array_equal(one, other)
        for one, other in (
            (first.clock.frames, second.clock.frames),
            (first.clock.times, second.clock.times),
            (first.lifetimes.first, second.lifetimes.first),
            (first.lifetimes.last, second.lifetimes.last),
        )
    )


def _are_of_one_kind(left: Track, right: Track) -> bool:
    """Tell whether two groups are of one kind; one object is compared with any other frame by frame."""
    return bool(set(left.kinds) & set(right.kinds)) and not left.one and not right.one


def _by_lifetime(signal: S, track: Track) -> S:
    """Return a signal on another track, by lifetime and frame."""
    return _taken(signal, track, signal.track.find(track.lifetime, track.clock_index))


def indices_at(track: Track, moments: Moments, way: int, by: Duration | None = None) -> Ints:
    """Return the index of the sample for each moment: on its frame, or a duration before (-1) or after (1) it.

    Raises:
        Misuse: nothing says whose sample it is.
    """
    result = np.full(moments.count, NOBODY)
    clock_index = moments.clock_index if by is None else _moved(track, moments.clock_index, way, by)
    inside = (clock_index >= 0) & (clock_index < track.session.clock.size)
    clock_index = np.where(inside, clock_index, 0)
    for match in matches(track, moments.participants):
        if match.by_time and not track.one_at_a_time:
            raise Misuse(
                f"{moments.label} does not say whose value is meant, and {track.whose} has one; "
                "take the signal of one object, or moments of each with .for_each(objects.lifetimes)"
            )
        rows = match.right_rows
        side: Side = "right" if way < 0 else "left"
        order = None
        if match.by_time:
            rising, order = track.by_clock_index
            at = np.searchsorted(rising, clock_index[rows], side=side)
        else:
            at = track.place(match.right, clock_index[rows], side)
        at = at - (way < 0)
        held = inside[rows] & (match.right != NOBODY) & (at >= 0) & (at < track.size)
        index = np.where(held, at, 0) if order is None else order[np.where(held, at, 0)]
        if way == 0:
            held &= track.clock_index[index] == clock_index[rows]
        if not match.by_time:
            held &= track.lifetime[index] == match.right
        elif track.session.episodes is not None:  # nothing reaches from one episode into the next
            begin_of = track.session.begin_of_episode
            held &= begin_of(track.clock_index[index]) == begin_of(moments.clock_index[rows])
        result[rows] = np.where(held, index, NOBODY)
    return result


def at_indices(signal: S, moments: Moments, indices: Ints) -> S:
    """Return the signal's values at these indices, one for each moment; NOBODY gives a missing one.

    A value taken after its moment belongs to the frame that it was taken from: only then is it known.
    """
    there = indices != NOBODY
    clock_index, lifetime = moments.clock_index, moments.lifetime
    if not signal.track.size:
        parts: tuple[NDArray[Any], ...] = tuple(np.zeros(len(indices), part.dtype) for part in signal.parts)
        valid = there
    else:
        safe = np.where(there, indices, 0)
        parts = tuple(part[safe] for part in signal.parts)
        valid = there if signal.valid is None else there & signal.valid[safe]
        lifetime = np.where(there, signal.track.lifetime[safe], lifetime)
        clock_index = np.where(there, np.maximum(clock_index, signal.track.clock_index[safe]), clock_index)
    track = Track(
        signal.track.session, lifetime, clock_index, moments.rows,
        moments.participants.meant_by(signal.track.kinds), signal.track.unseen or moments.unseen,
        signal.track.whose, signal.track.one,
    )  # fmt: skip
    noise = signal.noise_at(np.where(there, indices, 0)) if signal.track.size else None
    return _at(signal, track, parts, valid, indices, noise)


def _moved(track: Track, clock_index: Ints, way: int, by: Duration) -> Ints:
    """Return the last clock index at least a duration before each one, or the first at least a duration after it."""
    clock = track.session.clock
    axis = TimeAxis.of(clock, by.unit)
    moved = axis.values[clock_index] + way * by.value
    return axis.at_or_before(moved) if way < 0 else axis.at_or_after(moved)


def on_track(signal: S, track: Track) -> S:
    """Return a signal that never has two samples on a frame on another track, frame by frame."""
    on_clock = signal.track.find_clock_index(np.arange(track.session.clock.size))
    if track.size <= len(on_clock) or not signal.track.size:
        return _taken(signal, track, on_clock[track.clock_index])
    one = _taken(signal, signal.track, on_clock)  # of each frame, of which many samples are read
    parts: tuple[Any, ...] = tuple(OfFrame(part, track.clock_index) for part in one.parts)
    there = np.ones(track.size, np.bool_) if one.valid is None else one.valid[track.clock_index]
    indices = on_clock if signal.condition is None else on_clock[track.clock_index]
    return _at(signal, track, parts, there, indices, one.noise_at(track.clock_index))


def _taken(signal: S, track: Track, indices: Ints) -> S:
    """Return a signal's values at these indices, one for each sample of another track; NOBODY gives a missing one."""
    there = indices != NOBODY
    safe = np.where(there, indices, 0)
    if not signal.track.size:
        parts = tuple(np.zeros(track.size, part.dtype) for part in signal.parts)
    else:
        parts = tuple(part[safe] for part in signal.parts)
        there = there if signal.valid is None else there & signal.valid[safe]
    return _at(signal, track, parts, there, indices, signal.noise_at(safe))


def _at(signal: S, track: Track, parts: tuple[NDArray[Any], ...], valid: Bools, indices: Ints, noise: Any) -> S:
    """Return a signal on another track, with how it came about."""
    condition = None if signal.condition is None else signal.condition.taken(indices)
    known = None if valid.all() else valid
    result: S = replace(signal, track=track, parts=parts, valid=known, known_noise=noise, condition=condition)
    return result


def is_given(value: Any) -> bool:
    """Tell whether a value can stand beside a signal: a number, a text, the parts of a vector, or an array of them."""
    if isinstance(value, str | bool | np.bool_):
        return True
    return not isinstance(value, Duration) and np.asarray(value).dtype.kind in "fiub" and np.ndim(value) <= 2


def _constant(like: S, value: Any) -> S:
    """Return a number, a vector, or an array of one value a sample as a signal on the same track."""
    if isinstance(value, Duration):
        raise Misuse(f"{like.name} is not a duration; compare it with a number, not with {value}")
    if isinstance(value, str) or like.texts is not None:
        raise Misuse(f"cannot compare or combine {like.name} with {value!r}: one is a text, the other is not")
    if isinstance(value, bool | np.bool_) is not like.is_flag and np.ndim(value) == 0:
        raise Misuse(f"cannot compare or combine {like.name} with {value!r}: one is a flag, the other is not")
    array = np.asarray(value)
    if array.dtype.kind not in "fiub":
        raise Misuse(f"expected a number, a vector or an array of them beside {like.name}, found {value!r}")
    size = like.track.size
    is_point = array.ndim == 1 and len(like.parts) > 1 and array.shape[0] == len(like.parts)
    if array.ndim == 2 and array.shape[0] == size:
        parts = tuple(array.T)
    elif array.ndim == 1 and isinstance(value, np.ndarray) and array.shape[0] == size and not is_point:
        parts = (array,)
    elif array.ndim == 1 and array.shape[0] in (len(like.parts), 2, 3):
        parts = tuple(np.broadcast_to(part, size) for part in array)
    elif array.ndim == 0:
        parts = (np.broadcast_to(array, size),)
    else:
        raise Misuse(
            f"expected one value, {len(like.parts)} parts, or {size} values beside {like.name}; "
            f"found an array of shape {array.shape}"
        )
    missing = [np.isnan(part) for part in parts if isinstance(value, np.ndarray) and part.dtype.kind == "f"]
    gone = np.logical_or.reduce(missing) if missing else None
    valid = ~gone if gone is not None and gone.any() else None
    unit = str(getattr(value, "unit", ""))
    return derived(  # type: ignore[no-any-return]
        like, sort=like.sort if len(parts) == len(like.parts) else None, name="given values", parts=parts, valid=valid,
        unit=unit, known_noise=noise_of(parts),
    )  # fmt: skip


def _same_parts(left: S, right: S) -> tuple[S, S]:
    if left.track.unseen or right.track.unseen:
        return replace(left, parts=left.parts[:1]), replace(right, parts=right.parts[:1])
    a, b = len(left.parts), len(right.parts)
    if a == b:
        return left, right
    if b == 1:
        return left, derived(right, parts=right.parts * a)
    if a == 1:
        return derived(left, parts=left.parts * b), right
    raise Misuse(
        f"{left.name} has {a} parts and {right.name} has {b}; select the same parts of both, such as .x and .y"
    )
