"""Durations: a number of frames or of seconds, never a bare number."""

from dataclasses import dataclass
from math import isfinite
from typing import Any, Literal, NamedTuple, Self, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Clock, Floats, Ints, Session

SAME_TIME = 1e-6
"""Times that differ by less than this many seconds are the same."""


@dataclass(frozen=True, slots=True, order=False)
class Duration:
    """A length of time; made by `frames` or `seconds`.

    Example:
        >>> seconds(0.5).value, seconds(0.5).unit, frames(3).unit
        (0.5, 's', 'frames')
    """

    value: float
    unit: Literal["frames", "s"]

    def __str__(self) -> str:
        return f"{self.value:g} {self.unit}" if self.unit == "s" or self.value != 1 else "1 frame"


Within: TypeAlias = Duration | tuple[Duration, Duration]
"""From 0 to a duration, or from an earliest to a latest one, both ends included."""


def frames(count: int) -> Duration:
    """Return a duration of whole frames, counted by frame number.

    Raises:
        Misuse: the count is not a whole number that is at least 0.

    Example:
        >>> str(frames(7))
        '7 frames'
    """
    if not is_number(count) or count < 0 or count != int(count):
        raise Misuse(
            f"expected a whole number of frames from 0 up, found {count!r}; for times write seconds({count!r})"
        )
    return Duration(int(count), "frames")


def seconds(value: float) -> Duration:
    """Return a duration of game time.

    Raises:
        Misuse: the value is not a finite number that is at least 0.

    Example:
        >>> str(seconds(0.35))
        '0.35 s'
    """
    if not is_number(value) or not 0 <= value < float("inf"):
        raise Misuse(f"expected a finite number of seconds from 0 up, found {value!r}")
    return Duration(float(value), "s")


_NUMBERS = (int, float, np.integer, np.floating)


def is_number(value: object) -> bool:
    """Tell whether a value is a number, of Python or of NumPy, and no flag."""
    return isinstance(value, _NUMBERS) and value.__class__ is not bool


def are_finite(*values: object) -> bool:
    """Tell whether values are numbers, none of which is infinite or no number."""
    return all(is_number(one) and isfinite(one) for one in values)  # type: ignore[arg-type]


def duration(value: object, what: str) -> Duration:
    """Return the value if it is a duration.

    Raises:
        Misuse: it is something else; the message says what to write.
    """
    if isinstance(value, Duration):
        return value
    hint = f"write seconds({value!r}) or frames({value!r})" if isinstance(value, int | float) else "see seconds, frames"
    raise Misuse(f"{what}: expected a duration, found {value!r}; {hint}")


def time_unit(unit: str, what: str) -> str:
    """Return a unit of time, seconds or frames.

    Raises:
        Misuse: it is neither.
    """
    if unit not in ("s", "frames"):
        raise Misuse(f"{what}: expected 's' or 'frames', found {unit!r}")
    return unit


@dataclass(frozen=True, slots=True)
class Window:
    """When something is due after a moment: from the earliest to the latest duration, each widened by a tolerance."""

    earliest: Duration
    latest: Duration
    tol: Duration | None = None

    @property
    def exact(self) -> bool:
        """Whether one instant is due; in seconds, the first recorded frame at or after it."""
        return self.earliest == self.latest

    @property
    def longest(self) -> float:
        """The latest duration and the tolerance, if that is of its unit."""
        return self.latest.value + self._more

    @property
    def _more(self) -> float:
        return self.tol.value if self.tol is not None and self.tol.unit == self.latest.unit else 0.0

    def __str__(self) -> str:
        tolerance = f" (± {self.tol})" if self.tol else ""
        if self.exact or not self.latest.value:
            return f"{self.latest}{tolerance}" if self.latest.value else f"on the same frame{tolerance}"
        from_zero = self.earliest.value == 0
        span = f"within {self.latest}" if from_zero else f"{self.earliest} to {self.latest}"
        return span + tolerance

    @property
    def when(self) -> str:
        """When it is due, as the end of a sentence."""
        if not self.latest.value:
            return "on the same frame"
        if self.exact:
            return f"after {self.latest}"
        return f"within {self.latest}" if not self.earliest.value else f"within {self.earliest} to {self.latest}"

    def clock_indices(self, clock: Clock, clock_index: Ints) -> tuple[Ints, Ints]:
        """Return the first and the last clock index that are in time after each clock index.

        What is due at an instant in seconds is seen on the first recorded frame at or after it; so a window in which no
        frame lies is met by the first one at or after its beginning. A last clock index of `clock.size` lies beyond the
        end of the trace, and a last clock index below the first one in a gap of the frame numbers.
        """
        if len(clock_index) > clock.size:  # then each clock index is looked up once
            first, last = self.clock_indices(clock, np.arange(clock.size))
            return first[clock_index], last[clock_index]
        first = _due(clock, clock_index, self.earliest, self.tol, -1)
        last = _last(clock, clock_index, self.latest, self.tol)
        if self.latest.unit == "s":
            last = np.maximum(last, _due(clock, clock_index, self.earliest, None, 0))
        return np.maximum(first, clock_index), last

    def hidden(self, session: Session, clock_index: Ints) -> Bools:
        """Return of which windows a part was not recorded: they reach past the end of the trace, or into a gap."""
        axis = TimeAxis.of(session.clock, self.latest.unit)
        low, high = self._between(axis, clock_index)
        first, last = self.clock_indices(session.clock, clock_index)
        return np.asarray((last >= session.clock.size) | (last < first) | axis.is_torn(session.gaps, low, high))

    def hidden_before(self, session: Session, clock_index: Ints, since: Ints) -> Bools:
        """Return for which clock indices a moment in whose window they lie may have been before the trace, or in a gap.

        Args:
            session: the session.
            clock_index: the clock indices.
            since: from which clock index on such a moment may be, for each; NOBODY for one before the trace.
        """
        axis = TimeAxis.of(session.clock, self.latest.unit)
        low, high = self._between(axis, clock_index, -1)
        if self.latest.unit == "s" and axis.values.size:  # or it is the first one at or after the earliest instant
            former = np.where(clock_index > 0, axis.values[np.maximum(clock_index - 1, 0)], -np.inf)
            low = np.minimum(low, former - self.earliest.value + 2 * SAME_TIME)
        low = np.where(since > 0, np.maximum(low, axis.values[since]), low) if axis.values.size else low
        begun = low < axis.values[:1] - axis.slip if axis.values.size else np.ones(len(low), np.bool_)
        begun = begun & (not session.is_fresh)  # looking back past a restart finds nothing
        begun = begun | session.at_restart(clock_index)
        return np.asarray(begun | axis.is_torn(session.gaps, low, high))

    def _between(self, axis: "TimeAxis", clock_index: Ints, sign: int = 1) -> tuple[Floats, Floats]:
        """Return the two instants between which something is due after each clock index, or was due before it."""
        at = axis.values[clock_index]
        ends = at + sign * (self.earliest.value - self._more), at + sign * self.longest
        return ends if sign > 0 else ends[::-1]


def window(within: object, tol: Duration | None = None) -> Window:
    """Return the window that `within=` describes.

    Raises:
        Misuse: it is neither a duration nor a pair of durations of one unit that rise.
    """
    if isinstance(within, tuple):
        if len(within) != 2:
            raise Misuse(f"within: expected a duration or a pair (earliest, latest), found {within!r}")
        earliest, latest = duration(within[0], "within"), duration(within[1], "within")
        if earliest.unit != latest.unit or earliest.value > latest.value:
            raise Misuse(f"within: expected (earliest, latest) of one unit, found ({earliest}, {latest})")
        return Window(earliest, latest, tol)
    latest = duration(within, "within")
    return Window(Duration(0, latest.unit), latest, tol)


def length_window(length: object, what: str, tol: Duration | None = None) -> Window:
    """Return the window of an exact length, or of a pair (shortest, longest).

    Raises:
        Misuse: it is neither a duration nor such a pair.
    """
    return window(length if isinstance(length, tuple) else (duration(length, what), length), tol)


def elapsed(clock: Clock, start: Ints, end: Ints, unit: str) -> Floats:
    """Return how long it is from one clock index to the other, in frames or seconds."""
    axis: NDArray[Any] = clock.frames if unit == "frames" else clock.times
    return np.asarray(axis[end] - axis[start], np.float64)


class TimeAxis(NamedTuple):
    """When each clock index is, in frames or in seconds."""

    values: Floats
    """Frame numbers or seconds of game time, never falling."""
    slip: float
    """By how much two of them may differ and still be the same."""

    @classmethod
    def of(cls, clock: Clock, unit: str) -> Self:
        """Return the axis of a clock in `"frames"` or `"s"`."""
        if unit == "frames":
            return cls(np.asarray(clock.frames, np.float64), 0.0)
        return cls(clock.times, SAME_TIME)

    def is_torn(self, gaps: Ints, low: Floats, high: Floats) -> Bools:
        """Return between which two instants something was not recorded, given the clock indices behind each gap."""
        if not len(gaps):
            return np.zeros(len(low), np.bool_)
        index = np.searchsorted(self.values[gaps], low + self.slip, side="right")
        begins = np.append(self.values[gaps - 1], np.inf)
        return np.asarray(begins[index] < high - self.slip)

    def at_or_after(self, instant: NDArray[Any]) -> Ints:
        """Return the first clock index that is not before each instant; one beyond the last if there is none."""
        return np.searchsorted(self.values, instant - self.slip)

    def at_or_before(self, instant: NDArray[Any]) -> Ints:
        """Return the last clock index that is not after each instant; NOBODY if there is none."""
        return np.searchsorted(self.values, instant + self.slip, side="right") - 1


def _due(clock: Clock, clock_index: Ints, length: Duration, tol: Duration | None, sign: int) -> Ints:
    """Return the first clock index that is a duration, more or less a tolerance, after each clock index.

    A tolerance in frames beside a duration in seconds counts recorded frames.
    """
    axis, instant, more = _instant(clock, clock_index, length, tol, sign)
    due = np.searchsorted(axis, instant - _slip(length)) + more
    return np.minimum(np.maximum(due, 0), clock.size)


def _last(clock: Clock, clock_index: Ints, length: Duration, tol: Duration | None) -> Ints:
    """Return the last clock index not after an instant; `clock.size` if the trace may go on before that instant."""
    axis, instant, more = _instant(clock, clock_index, length, tol, 1)
    last = np.searchsorted(axis, instant + _slip(length), side="right") - 1 + more
    beyond = (
        (last >= clock.size) | (instant > axis[-1] + _slip(length))
        if clock.size
        else np.ones(len(clock_index), np.bool_)
    )
    return np.where(beyond, clock.size, last)


def _instant(
    clock: Clock, clock_index: Ints, length: Duration, tol: Duration | None, sign: int
) -> tuple[NDArray[Any], NDArray[Any], int]:
    """Return frame numbers or times, those a duration after each clock index, and how many recorded frames to add."""
    axis: NDArray[Any] = clock.frames if length.unit == "frames" else clock.times
    instant = axis[clock_index] + length.value
    if tol is None:
        return axis, instant, 0
    if tol.unit == length.unit:
        return axis, instant + sign * tol.value, 0
    if length.unit == "frames":
        raise Misuse(f"tol: expected frames, as the timing of {length} is in frames; found {tol}")
    return axis, instant, int(sign * tol.value)


def _slip(length: Duration) -> float:
    return 0 if length.unit == "frames" else SAME_TIME
