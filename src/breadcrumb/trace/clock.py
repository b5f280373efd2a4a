"""The clock of a session: its frames and times, and what it says of each frame as signals."""

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.combining import over_all_frames
from breadcrumb.algebra.durations import SAME_TIME, Duration, duration, frames, is_number, seconds
from breadcrumb.algebra.quantities import Quantity
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats, Ints, Session

_FINEST = 1e-4  # s
"""To how much the longest frame is rounded up."""


@dataclass(frozen=True, eq=False)
class SessionClock:
    """Game time on every recorded frame.

    `dt`, `time`, `steps`, `scale`, `paused` and `wall` are signals of nobody with a sample on each frame, so that they
    go with those of any object.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> clock = small_trace().clock
        >>> clock.dt.values.round(3).tolist(), clock.step
        ([nan, 0.1, 0.1, 0.1], <median step: 0.1 s over 3 steps>)
    """

    session: Session

    def __repr__(self) -> str:
        return f"<clock of {self.session.label}: {self.size} frames, {self.times[0]:g} to {self.times[-1]:g} s>"

    @property
    def frames(self) -> Ints:
        """The frame numbers, rising, as an array."""
        return self.session.clock.frames

    @property
    def times(self) -> Floats:
        """The seconds of game time, never falling, as an array."""
        return self.session.clock.times

    @property
    def size(self) -> int:
        """The number of recorded frames."""
        return self.session.clock.size

    @cached_property
    def time(self) -> Any:
        """The game time of each frame, in seconds."""
        return over_all_frames(self.session, "time", self.times, "s")

    @cached_property
    def dt(self) -> Any:
        """The game time since the frame before, in seconds; missing on the first frame."""
        return over_all_frames(self.session, "dt", np.diff(self.times, prepend=np.nan), "s")

    @cached_property
    def steps(self) -> Any:
        """How many steps of fixed length were taken in each frame."""
        return self._told("steps")

    @cached_property
    def scale(self) -> Any:
        """How fast game time ran against real time."""
        return self._told("scale")

    @cached_property
    def paused(self) -> Any:
        """Whether the game was paused; false where that was not recorded."""
        return self._told("paused")

    @cached_property
    def wall(self) -> Any:
        """The time by a real clock, in seconds."""
        return self._told("wall", "s")

    @cached_property
    def step(self) -> Quantity:
        """The median time from one frame to the next."""
        steps = self._between_frames
        middle = float(np.median(steps)) if len(steps) else float("nan")
        return Quantity(middle, "median step", "s", self.session.label, len(steps), "steps")

    @cached_property
    def longest_frame(self) -> Duration:
        """The longest time from one frame to the next, as a duration; pauses of the recording do not count.

        What happens within a frame is seen at its end, up to so much late: `time_tol=trace.clock.longest_frame` allows
        for that, and what moves may have moved on for so long. It is rounded up to a tenth of a millisecond.

        Raises:
            Misuse: the session has no two frames of different time.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> str(small_trace().clock.longest_frame)
            '0.1 s'
        """
        self._step_length()  # which says what is wrong, if there is none
        return seconds(math.ceil(float(self._between_frames.max()) / _FINEST - SAME_TIME) * _FINEST)

    @cached_property
    def fixed_step(self) -> Duration:
        """How long a step of fixed length is, as `about` tells it: what a drawn frame may lag behind, for one.

        Raises:
            Misuse: it was not recorded.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> str(make_trace([{}], kinds={}, fixed_step=1 / 50).clock.fixed_step)
            '0.02 s'
        """
        told: Any = self.session.about.get("fixed_step")
        if not is_number(told):
            raise Misuse(f"{self.session.label} does not tell its fixed step; record it with fixed_step=1/60")
        return seconds(float(told))

    def to_seconds(self, length: Duration) -> Duration:
        """Return a duration in seconds; frames last as long as the median step.

        Raises:
            Misuse: the session has no two frames of different time.

        Example:
            >>> from breadcrumb import frames
            >>> from breadcrumb.testing import small_trace
            >>> str(small_trace().clock.to_seconds(frames(3)))
            '0.3 s'
        """
        length = duration(length, "to_seconds")
        return length if length.unit == "s" else seconds(length.value * self._step_length())

    def to_frames(self, length: Duration) -> Duration:
        """Return a duration in frames, to the nearest; a frame lasts as long as the median step.

        Raises:
            Misuse: the session has no two frames of different time.
        """
        length = duration(length, "to_frames")
        return length if length.unit == "frames" else frames(round(length.value / self._step_length()))

    @cached_property
    def _between_frames(self) -> Floats:
        """The times from one frame to the next, but for those over a gap."""
        between: Floats = np.delete(np.diff(self.times), self.session.gaps - 1)
        return between

    def _step_length(self) -> float:
        if not self.step > 0:
            raise Misuse(f"{self.session.label} has no two frames of different time; how long a frame is is not known")
        return float(self.step)

    def _told(self, name: str, unit: str = "") -> Any:
        values: NDArray[Any] | None = getattr(self.session.clock, name)
        return over_all_frames(self.session, name, values, unit, f"no {name} was recorded with the frames")
