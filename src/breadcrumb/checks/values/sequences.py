"""Whether a value goes through a sequence, such as the pictures of an animation, each for its own time."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, NamedTuple, Unpack

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra import blocks
from breadcrumb.algebra.durations import Duration, TimeAxis, duration
from breadcrumb.algebra.latest import runs_after
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.on_demand import Held
from breadcrumb.algebra.sorts import Number, Text
from breadcrumb.checks.declaration import Common, check
from breadcrumb.errors import Misuse
from breadcrumb.model.rows import ranges, rows_between
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.verdicts.comparing import untested
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.sweeping import AllTrue
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
    axis = TimeAxis.of(signal.track.session.clock, unit)
    played = _Played.of(signal, at, axis, tol, ends)
    seen, begun = played.seen, played.begun
    right = played.is_right(_wanted(seen, [value for value, _ in pictures]))
    known = seen.usable & ~seen.track.session.is_torn(begun, seen.track.clock_index)
    kept = np.flatnonzero(known)

    def phrase(index: int) -> Phrase:
        at_sample = kept[index : index + 1]
        found = _said(seen.take(at_sample).values[0])
        since = axis.values[seen.track.clock_index[at_sample]] - axis.values[begun[at_sample]]
        due = np.searchsorted(ends[:-1], since + axis.slip, side="right")
        wanted = _said(pictures[int(due[0])][0])
        return Phrase(found, wanted, f"{signal.name} is {found} instead of {wanted}")

    judged, right = (seen, right) if len(kept) == len(seen) else (seen.take(kept), right[kept])
    evaluation = Evaluation.of_samples(
        judged, AllTrue(replace(judged, parts=(right,))), phrase, exact=True, unit="",
        undecided=len(seen) - len(kept),
    )  # fmt: skip
    return evaluation.verdict()


class _Played(NamedTuple):
    """The samples within the sequences of moments, and which picture may be shown on each."""

    seen: Any
    begun: Held
    """The clock index of the moment of each sample."""
    lengths: Ints
    """On how many samples each picture is the latest that may be shown: moments x pictures."""
    late: list[Ints]
    """For each picture but the last, the samples on which it may still be shown although the next one may be, too."""

    @classmethod
    def of(cls, signal: Any, at: Moments, axis: TimeAxis, tol: float, ends: Floats) -> "_Played":
        """Return the samples from each moment to the end of its sequence, or to the next moment."""
        runs = runs_after(signal.track, at)
        begun = at.clock_index[runs.moment]

        def place(since: float) -> Ints:
            return runs.place(axis.at_or_after(axis.values[begun] + since))

        first, behind = place(tol), place(ends[-1] - tol)
        many = np.maximum(behind - first, 0)
        seen, offset = signal.take(rows_between(first, first + many)), np.cumsum(many) - many
        sooner, later = (
            [np.clip(place(end + shift) - first, 0, many) for end in ends[:-1].tolist()] for shift in (-tol, tol)
        )
        lengths = np.diff([np.zeros_like(many), *sooner, many], axis=0).T
        late = [ranges(offset + begin, end - begin) for begin, end in zip(sooner, later, strict=True)]
        return cls(seen, Held(begun, offset, len(seen)), lengths, late)

    def is_right(self, wanted: NDArray[Any]) -> Bools:
        """Return whether each value is a picture that may be shown then, given what stands for each picture."""
        values, size = self.seen.parts[0], len(self.seen)
        many = self.lengths.ravel()
        due = Held(np.tile(wanted, len(self.lengths)), np.cumsum(many) - many, size)
        right = np.empty(size, np.bool_)
        for block in blocks.slices(size):
            np.equal(values[block], due[block], out=right[block])
        for picture, rows in zip(wanted.tolist(), self.late, strict=False):
            right[rows] |= values[rows] == picture
        return right


def _wanted(seen: Number | Text, pictures: Sequence[Any]) -> NDArray[Any]:
    """Return what stands for each picture in the values.

    Raises:
        Misuse: one is no value that there can be.
    """
    for value in pictures:
        seen.take(slice(0, 0)) == value  # noqa: B015 # which refuses a text among numbers
    if seen.texts is None:
        return np.asarray(pictures, np.float64)
    return np.array([seen.texts.index(one) if one in seen.texts else NOBODY for one in pictures])


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


def _said(value: Any) -> str:
    return repr(value) if isinstance(value, str) else f"{float(value):g}"
