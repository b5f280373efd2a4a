"""What numbers, angles and vectors have in common: how they change."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Self

import numpy as np

from breadcrumb.algebra import kernels, on_demand
from breadcrumb.algebra.along import marked
from breadcrumb.algebra.durations import Duration, duration, seconds
from breadcrumb.algebra.formulas import call, part
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.operations import apply
from breadcrumb.algebra.rounding import rounding, scaled, sizes
from breadcrumb.algebra.samples import Sort, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.tracks import Track
from breadcrumb.algebra.units import per_second
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import Bools, Floats

if TYPE_CHECKING:
    from breadcrumb.algebra.numbers import Number

_EACH_SECOND = seconds(1)


@dataclass(frozen=True, eq=False, repr=False)
class Measured(Signal):
    """Values that have a size and can change by an amount."""

    def rate(
        self, *, per: Duration = _EACH_SECOND, teleports: Moments | None = None, stored: bool = True
    ) -> "Measured":
        """Return the change per second, or per frame, over the step that ends at each sample.

        It is missing on a lifetime's first sample, behind a gap, and over a step of 0 s. Angles are unwrapped first.
        Its error is bounded from the rounding of values and times.

        Args:
            per: what it is counted by: `seconds(1)`, or `frames(1)` for a game that is written per frame.
            teleports: the moments at which it is set to another value; the step that ends there is no motion, so that
                the rate is missing. Of a game that tells of it a frame sooner, `moments.shift(frames(1))`.
            stored: whether the values are kept; if not, they are computed where they are read, as at a few moments.

        Example:
            >>> from breadcrumb import frames
            >>> from breadcrumb.testing import small_trace
            >>> x = small_trace().one("skiff").position.x
            >>> x.rate(per=frames(1)).values.tolist()
            [nan, 1.0, 1.0, 1.0]
        """
        track = self.sampled("rate()")
        steps = _over_motion(track, _steps(track, per), teleports)
        return self._change_over(steps, f"rate of {self.name}", _rate_unit(self.unit, per), stored=stored)

    def second_rate(self, *, teleports: Moments | None = None, stored: bool = True) -> "Measured":
        """Return the change of the rate: the difference of the rates over two steps, over half their sum.

        It is missing on a lifetime's first two samples, and on two from each of the teleports on.

        Args:
            teleports: moments at which it is moved at once, which is no motion.
            stored: whether the values are kept; if not, they are computed whenever they are read.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.x.second_rate().usable.tolist()
            [False, False, True, True]
        """
        rate = self.rate(teleports=teleports, stored=stored)
        steps = rate.track.steps

        def half_of_both(rows: Rows) -> Floats:
            step, before = on_demand.with_before(steps, rows)
            return np.where(step > 0, (step + before) / 2, 0.0)

        between: Any = on_demand.Computed(half_of_both, len(steps))
        return rate._change_over(between, f"second rate of {self.name}", per_second(rate.unit), stored=stored)

    def speed(self, *, per: Duration = _EACH_SECOND, teleports: Moments | None = None, stored: bool = True) -> "Number":
        """Return the length of the rate: how fast a value changes, whichever way.

        Args:
            per: the duration that it is told for: a second, or `frames(1)`.
            teleports: moments at which it is moved at once, which is no motion; those steps are missing.
            stored: whether the values are kept; if not, they are computed whenever they are read.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.speed().values.round(6).tolist()
            [nan, 10.0, 10.0, 10.0]
        """
        track = self.sampled("speed()")
        steps = _over_motion(track, _steps(track, per), teleports)
        ends = track.shortest_and_longest_step if per == _EACH_SECOND and teleports is None else _ends(steps)
        speed: Any = on_demand.Speeds(self.unwrapped_parts, steps, *ends)
        parts = (np.asarray(speed) if stored else speed,)
        number: Number = self._derived(steps, f"speed of {self.name}", parts, _rate_unit(self.unit, per))
        return number

    def step(self) -> "Measured":
        """Return the change from the sample before; missing on a lifetime's first sample. Angles are unwrapped first.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.step().values[1].tolist()
            [1.0, 0.0, 0.0]
        """
        self.sampled("step()")
        parts = tuple(kernels.differences(one) for one in self.unwrapped_parts)
        step: Measured = derived(
            self, sort=self._sort_of_change, name=part(self.name, "step()"), parts=parts, valid=self._known_before(),
            known_noise=scaled(self.noise_over, 2.0),
        )  # fmt: skip
        return step

    def step_length(self) -> "Number":
        """Return how far it is from the sample before, without making the step itself."""
        self.sampled("step_length()")
        parts, valid = (kernels.steps(self.unwrapped_parts),), self._known_before()
        length: Number = derived(
            self,
            sort=Sort.NUMBER,
            name="step",
            parts=parts,
            valid=valid,
            known_noise=scaled(self.noise_over, 2.0),
        )
        return length

    def norm(self, *, stored: bool = True) -> "Number":
        """Return the length of a vector, or the size of a number.

        Args:
            stored: whether the values are kept; if not, they are computed whenever they are read.
        """
        parts = self.parts
        length: Any = on_demand.Lengths(parts)
        if stored:
            length = np.abs(parts[0]) if len(parts) == 1 else kernels.lengths(parts)
        name = part(self.name, "norm()") if len(parts) > 1 else call("abs", self.name)
        number: Number = derived(self, sort=Sort.NUMBER, name=name, parts=(length,), known_noise=self.noise_over)
        return number

    def clip(self, low: Any = None, high: Any = None, out: None = None, **limits: Any) -> Self:
        """Return the values held between two limits, each of which may be left out, as `np.clip` does.

        Example:
            >>> import numpy as np
            >>> from breadcrumb.testing import small_trace
            >>> np.clip(small_trace().one("skiff").position.x, 1, 2).values.tolist()
            [1.0, 1.0, 2.0, 2.0]
        """
        low, high = limits.get("min", low), limits.get("max", high)
        held: Any = self if low is None else apply(np.maximum, self, low)
        held = held if high is None else apply(np.minimum, held, high)
        kept: Self = held
        return kept

    @property
    def unwrapped_parts(self) -> tuple[Floats, ...]:
        """The arrays that changes are computed of; of an angle, without jumps of a full turn."""
        return self.parts

    @property
    def _sort_of_change(self) -> Sort:
        """What a change of it is: that of an angle is a number, since it may be more than a turn."""
        return Sort.NUMBER if len(self.parts) == 1 else self.sort

    def _change_over(self, step: Floats, name: str, unit: str, *, stored: bool) -> "Measured":
        parts: tuple[Any, ...] = tuple(on_demand.Rates(one, step) for one in self.unwrapped_parts)
        changed: Measured = self._derived(step, name, tuple(map(np.asarray, parts)) if stored else parts, unit)
        return changed

    def _derived(self, step: Floats, name: str, parts: tuple[Any, ...], unit: str) -> Any:
        """Return changes over a step; they are known where the step has a length and both its ends are."""
        track = self.track
        goes_on = on_demand.Computed(lambda rows: step[rows] > 0, len(step), np.bool_)
        usable, latest = goes_on.whole & self._known_before(), np.abs(track.session.clock.times).max(initial=0.0)

        def noise(rows: Rows) -> Floats:
            size, time = sizes([part[rows] for part in parts]), step[rows]
            blur = 2 * (self.noise_over(rows) + np.where(np.isfinite(size), size, 0.0) * rounding(latest))
            return np.asarray(blur / np.where(time > 0, time, 1.0))

        sort = Sort.NUMBER if len(parts) == 1 else self.sort
        return derived(self, sort=sort, name=name, parts=parts, valid=usable, unit=unit, known_noise=noise)

    def _known_before(self) -> Bools:
        """Return which samples have a value, and one before in their lifetime that has."""
        valid = ~self.track.no_step
        if self.valid is not None:
            valid &= self.valid
            valid[1:] &= self.valid[:-1]
        return valid


def _steps(track: Track, per: Duration) -> Floats:
    """Return how long the step to each sample is, counted by a duration; 0 or less where there is none."""
    per = duration(per, "per")
    if per == _EACH_SECOND:
        return track.steps
    if per.unit == "s":
        return track.steps / per.value
    steps = np.zeros(track.size)
    np.subtract(track.frames[1:], track.frames[:-1], out=steps[1:], casting="unsafe")
    steps[track.no_step] = 0.0
    return steps / per.value


def _over_motion(track: Track, steps: Floats, teleports: Moments | None) -> Floats:
    """Return the steps, of length 0 where a teleport ends them: over those there is no rate."""
    return steps if teleports is None else np.where(marked(track, teleports, excuses=True), 0.0, steps)


def _ends(steps: Floats) -> tuple[float, float]:
    known = steps[steps > 0]
    return float(known.min(initial=np.inf)), float(known.max(initial=0.0))


def _rate_unit(unit: str, per: Duration) -> str:
    if per == _EACH_SECOND:
        return per_second(unit)
    by = "frame" if per.unit == "frames" and per.value == 1 else str(per)
    return f"{unit}/{by}" if unit else ""
