"""Whether a value goes through a sequence, such as the pictures of an animation, each for its own time."""

from collections.abc import Sequence
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra import blocks
from breadcrumb.algebra.along import latest
from breadcrumb.algebra.durations import SAME_TIME, Duration, TimeAxis, duration
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.sorts import Number, Text
from breadcrumb.algebra.tracks import Track
from breadcrumb.checks.declaration import Common, check
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.verdicts.comparing import untested
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict


@check("{signal:title} plays {pictures:size} pictures after {at}, each for its time")
def plays_sequence(
    signal: Number | Text,
    pictures: Sequence[tuple[float | str, Duration | None]],
    *,
    at: Moments,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that after moments a value goes through a sequence in order, and keeps each member for its own time.

    Args:
        signal: the value: the number or the name of a picture, or of a step of any other sequence.
        pictures: each value with how long it lasts, in one unit; None for the last one says that it stays until the
            next moment, or the end of the lifetime.
        at: the moments, on the frame of which the first one is shown; a new one of the same subject begins again.
        time_tol: how much sooner or later a value may make way for the next one.

    Returns:
        A verdict on every sample from each moment to the end of its sequence. Untested if there is none; undecided are
        samples without a value, and those behind a gap, where another moment may have come. It is exact, so it has no
        margin.

    Raises:
        Misuse: there is no picture, a time but the last one is None, or the times are of several units.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> flare = [{"flare": {"picture": picture}} for picture in (0, 1, 1, 2, 2, 0)]
        >>> trace = make_trace(flare, kinds={"flare": "flare"}, events=[(1, "flare.burst", "flare")])
        >>> pictures = [(1, frames(2)), (2, frames(1)), (0, None)]
        >>> verdict = plays_sequence(trace.one("flare").picture, pictures, at=trace.events("flare.burst"))
        >>> verdict.first.frame, verdict.first.words
        (4, 'picture is 2 instead of 0')
    """
    ends, unit = _ends(pictures)
    tol = 0.0 if time_tol is None else duration(time_tol, "time_tol").value
    if time_tol is not None and time_tol.unit != unit:
        raise Misuse(f"plays_sequence: expected time_tol in {unit}, found {time_tol}")
    if signal.track.unseen:
        return untested(signal)
    signal.at(at)  # which refuses moments that do not say whose value is meant
    indices, since, moment = _running(signal.track, at, unit, tol, ends[-1])
    seen = signal.take(indices)
    begun = at.clock_index[moment] if at.count else moment
    known = seen.usable & ~seen.track.session.is_torn(begun, seen.track.clock_index)
    right = np.empty(len(since), np.bool_)
    for block in blocks.slices(len(since)):
        right[block] = _is_right(seen.take(block), since[block], pictures, ends, tol)
    kept = np.flatnonzero(known)

    def phrase(index: int) -> Phrase:
        at_sample = kept[index : index + 1]
        found = _said(seen.take(at_sample).values[0])
        wanted = _said(pictures[int(_place(ends, since[at_sample] + SAME_TIME)[0])][0])
        return Phrase(found, wanted, f"{signal.name} is {found} instead of {wanted}")

    judged = seen if len(kept) == len(seen) else seen.take(kept)
    evaluation = Evaluation.of_samples(
        judged, np.where(right, 0.0, -1.0)[kept], phrase, exact=True, undecided=len(seen) - len(kept), unit=""
    )
    return evaluation.verdict()


def _running(track: Track, at: Moments, unit: Any, tol: float, end: float) -> tuple[Ints, Floats, Ints]:
    """Return the samples within the sequence of a moment, how long after it each is, and which moment it is."""
    moment = latest(track, at)
    axis = TimeAxis.of(track.session.clock, unit).values
    found = [(np.zeros(0, np.int64), np.zeros(0))]
    for block in blocks.slices(track.size if at.count else 0):
        passed = axis[track.clock_index[block]] - axis[at.clock_index[moment[block]]]
        rows = np.flatnonzero(
            (moment[block] != NOBODY) & (passed >= tol - SAME_TIME) & (passed < end - max(tol, SAME_TIME))
        )
        found.append((rows + block.start, passed[rows].astype(np.float64)))
    indices, since = (np.concatenate(each) for each in zip(*found, strict=True))
    return indices, since, moment[indices]


def _is_right(
    seen: Number | Text, since: Floats, pictures: Sequence[tuple[Any, Any]], ends: Floats, tol: float
) -> Bools:
    """Return whether each value is a picture that may be shown so long after the moment."""
    latest_due, earliest_due = (_place(ends, since + shift) for shift in (tol + SAME_TIME, -tol))
    right = np.zeros(len(since), np.bool_)
    for place, (value, _) in enumerate(pictures):
        right |= (earliest_due <= place) & (place <= latest_due) & _is(seen, value)
    return right


def _ends(pictures: Sequence[tuple[float | str, Duration | None]]) -> tuple[Floats, Any]:
    """Return when after its moment each picture ends, and in which unit.

    Raises:
        Misuse: there is none, or the times are no durations of one unit.
    """
    if not pictures:
        raise Misuse("plays_sequence: expected pictures with their times, such as [(0, seconds(0.1))], found none")
    *others, (_, last) = pictures
    times = [duration(time, "pictures") for _, time in others] + ([] if last is None else [duration(last, "pictures")])
    if len({time.unit for time in times}) > 1:
        raise Misuse("plays_sequence: expected the times of all pictures in one unit, found seconds and frames")
    ends = np.cumsum([time.value for time in times] + ([np.inf] if last is None else []))
    return ends, times[0].unit if times else "s"


def _place(ends: Floats, passed: Floats) -> Any:
    """Return which picture is due after so long; the last one is due from its start on."""
    return np.minimum(np.searchsorted(ends, passed, side="right"), len(ends) - 1)


def _is(signal: Number | Text, value: Any) -> Bools:
    same = signal == value
    return np.asarray(same.parts[0] & same.usable)


def _said(value: Any) -> str:
    return repr(value) if isinstance(value, str) else f"{float(value):g}"
