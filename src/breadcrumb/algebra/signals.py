"""Signals: a value on every sample of one object or of a group, over all lifetimes."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal, NamedTuple, Self

import numpy as np

from breadcrumb.algebra import kernels
from breadcrumb.algebra.angles import (
    FULL_TURNS,
    full_turn,
    turn_between,
    warn_of_angles,
)
from breadcrumb.algebra.arithmetic import Operand
from breadcrumb.algebra.durations import Duration, duration
from breadcrumb.algebra.meeting import at_indices, indices_at
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.owners import owned
from breadcrumb.algebra.samples import largest_of, noise_of, per_second
from breadcrumb.algebra.segments import Segments
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.algebra.unwrapping import unwrapped
from breadcrumb.algebra.vectors import Vectors
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Floats, Ints


class _Turns(NamedTuple):
    """Samples that are other than the one before, in the order of the clock."""

    indices: Ints
    clock_index: Ints
    lifetime: Ints


@dataclass(frozen=True, eq=False)
class Signal(Vectors):
    """A value over time (not a message), as NumPy arrays over a track of samples.

    Comparisons and arithmetic are element by element. A value that was not recorded is missing, and whatever is
    computed from it is missing too; and, or, not know three cases.
    """

    @classmethod
    def from_data(cls, moments: Moments, key: str, unit: str = "", space: str = "world") -> "Signal":
        """Return numbers or vectors of numbers from the data of moments, as a signal picked at them.

        Raises:
            UnknownName: no moment has such an entry.
            Misuse: the entries are no numbers.
        """
        values = moments[key]
        if values.dtype.kind != "f":
            raise Misuse(f"{key} of {moments.label}: expected numbers or vectors of numbers, found {values[0]!r}")
        unseen = moments.unseen if moments.count else moments.unseen or f"no {moments.label} to judge"
        track = Track(
            moments.session, moments.lifetime, moments.clock_index, moments.rows, moments.participants, unseen,
            moments.label,
        )  # fmt: skip
        parts = tuple(values.T) if values.ndim == 2 else (values,)
        missing = np.isnan(parts[0])
        valid = ~missing if missing.any() else None
        return cls(track, f"{key} of {moments.label}", parts, valid, unit, space=space, key=moments.key.then(key))

    def same_as(self, other: "Signal") -> bool:
        """Tell whether another signal has the same values on the same samples."""
        return self.track.same_as(other.track) and np.array_equal(
            self.values, other.values, equal_nan=self.texts is None and not self.is_flag
        )

    def rate(self) -> "Signal":
        """Return the change per second over the step that ends at each sample.

        It is missing on a lifetime's first sample and over a step of 0 s. Angles are unwrapped first. Its error is
        bounded from the rounding of values and times.
        """
        track = self._samples("rate()")
        return self._change_per(track.steps, f"rate of {self.name}")

    def second_rate(self) -> "Signal":
        """Return the change of the rate: the difference of the rates over two steps, over half their sum.

        It is missing on a lifetime's first two samples.
        """
        rate = self.rate()
        step = rate.track.steps
        between = np.hstack((step[:1], np.where(step[1:] > 0, (step[1:] + step[:-1]) / 2, 0.0))) if len(step) else step
        return rate._change_per(between, f"second rate of {self.name}")

    def speed(self, *, stored: bool = True) -> "Signal":
        """Return the length of the rate, without making the rate itself; if not stored, it can only be looked at."""
        track = self._samples("speed()")
        speed: Any = kernels.Speeds(self.parts, track.steps, *track.shortest_and_longest_step)
        return self._derived(track.steps, f"speed of {self.name}", (np.asarray(speed) if stored else speed,))

    def _change_per(self, step: Floats, name: str) -> "Signal":
        values = self.unwrapped().parts if self.is_angle else self.parts
        return self._derived(step, name, tuple(kernels.quotients(kernels.differences(part), step) for part in values))

    def _derived(self, step: Floats, name: str, parts: tuple[Floats, ...]) -> "Signal":
        """Return changes over a step; they are known where the step has a length and both its ends are."""
        track = self.track
        usable = step > 0
        if self.valid is not None:
            usable &= self.valid
            usable[1:] &= self.valid[:-1]

        def noise() -> float | Floats:
            blur = 2 * (self.noise + largest_of(parts) * noise_of((track.session.clock.times,)))
            return blur / kernels.even_step(step)

        return Signal(track, name, parts, usable, per_second(self.unit), None, self.owner, noise, self.space, self.key)

    def step(self) -> "Signal":
        """Return how far a position is from that on the sample before; missing on a lifetime's first sample."""
        track = self._samples("step()")
        valid = ~track.first_of_lifetime
        if self.valid is not None:
            valid &= self.valid
            valid[1:] &= self.valid[:-1]
        parts = (kernels.steps(self.parts),)
        return replace(self, name="step", parts=parts, valid=valid, known_noise=lambda: 2 * np.asarray(self.noise))

    # Angles

    @property
    def is_angle(self) -> bool:
        """Whether it is one number in degrees or radians."""
        return self.unit in FULL_TURNS and len(self.parts) == 1

    def unwrapped(self) -> Self:
        """Return an angle without the jumps of a full turn; each lifetime begins with its own first value.

        Raises:
            Misuse: nothing says whether it is in degrees or radians.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> states = [{"b": {"yaw": yaw}} for yaw in (350.0, 10.0, 30.0)]
            >>> make_trace(states, kinds={"b": "buoy"}, angles={"unit": "deg"}).one(
            ...     "buoy"
            ... ).yaw.unwrapped().values.tolist()
            [350.0, 370.0, 390.0]
        """
        if self.track.unseen:
            return self
        full = full_turn(self, "unwrapped()")
        track, angle = self._samples("unwrapped()"), self.parts[0]
        values, longest = unwrapped(angle, track.starts, full, self.valid)
        warn_of_angles(self, angle, full, longest)
        return replace(self, name=f"unwrapped {self.name}", parts=(values,))

    def turn_from(self, other: Operand) -> "Signal":
        """Return the turn from another angle to this one, at most half a turn either way."""
        full = full_turn(self, "turn_from()") if not self.track.unseen else 1.0
        turn = self - other
        return replace(turn, parts=(turn_between(turn.parts[0], np.zeros(1), full),))

    # Values at moments, and moments from values

    def at(self, moments: Moments) -> "Signal":
        """Return the value on the frame of each moment, in their order; missing where there is no sample.

        The value is that of the moment's subject if the signal is of such objects; else, if there is never more than
        one object, that one's.
        """
        return self._picked(moments, indices_at(self._samples("at()"), moments, 0))

    def when(self, moments: Moments) -> "Signal":
        """Return the value of one object at the instants of moments, whoever they are of; of a group, `at` of them.

        What was picked already stays as it is.
        """
        if self.track.source is not None:
            return self
        return self.at(moments.without_subject() if self.track.one else moments)

    def before(self, moments: Moments, by: Duration) -> "Signal":
        """Return the last value that is at least a duration before each moment, within the same lifetime."""
        by = duration(by, "before")
        return self._picked(moments, indices_at(self._samples("before()"), moments, -1, by))

    def after(self, moments: Moments, by: Duration) -> "Signal":
        """Return the first value that is at least a duration after each moment, within the same lifetime."""
        by = duration(by, "after")
        return self._picked(moments, indices_at(self._samples("after()"), moments, 1, by))

    def during(self, spans: Spans) -> Self:
        """Return the samples that lie in the spans of their object, or in spans of nobody."""
        return self.take(np.flatnonzero(spans.over(self.track)))

    def outside(self, spans: Spans) -> Self:
        """Return the samples that lie in none of the spans."""
        return self.take(np.flatnonzero(~spans.over(self.track, excuses=True)))

    def of(self, owner: "Literal['parent'] | Signal") -> Self:
        """Return the same values as ones of each object's parent, or of the object that a property names.

        So two groups are compared of which one belongs to the other.

        Args:
            owner: `"parent"`, or a text of the same objects that holds an id on each sample.

        Raises:
            Misuse: two objects have the same owner on a frame, or the property is no text of these objects.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> state = {"tank": {"yaw": 10.0}, "gun": {"yaw": 30.0, "on": "tank"}}
            >>> trace = make_trace([state], kinds={"tank": "tank", "gun": "gun"})
            >>> gun = trace.all("gun")
            >>> (gun.yaw.of(gun.on) - trace.all("tank").yaw).values.tolist()
            [20.0]
        """
        self._samples("of()")
        return owned(self, owner)

    def per(self, spans: Spans) -> "Segments[Self]":
        """Return the signal in each span by itself, in the order in which they begin: one play, hold, hop or lifetime.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> boat = small_trace().one("skiff")
            >>> [len(lifetime) for lifetime in boat.position.per(boat.lifetimes)]
            [4]
        """
        self._samples("per()")
        return Segments(self, spans)

    def rises(self) -> Moments:
        """Return the moments at which a flag turns true; one that is true from a lifetime's start does not rise."""
        return self._edges("rises()", "rise")

    def falls(self) -> Moments:
        """Return the moments at which a flag turns false."""
        return self._edges("falls()", "fall")

    def changes(self) -> Moments:
        """Return the moments at which the value is another one than on the sample before."""
        self._samples("changes()")
        return self._moments_at(self._turns.clock_index, self._turns.lifetime, "change")

    def spans(self) -> Spans:
        """Return the stretches of samples on which a flag is true."""
        self._flags("spans()")
        track = self._samples("spans()")
        unknown = None if self.valid is None else _stretches(track, ~self.valid, f"{self.name} unknown")
        return replace(_stretches(track, self.parts[0] & self.usable, self.name), unknown=unknown, key=self.key)

    # How it is done

    def _edges(self, what: str, word: str) -> Moments:
        self._flags(what)
        self._samples(what)
        kept = np.flatnonzero(self._turned_on == (word == "rise"))
        return self._moments_at(self._turns.clock_index[kept], self._turns.lifetime[kept], word)

    @cached_property
    def _turns(self) -> "_Turns":
        """Where the value is another one than on the sample before."""
        track = self.track
        turns = [kernels.turning_indices(part) for part in self.parts]
        indices = turns[0] if len(turns) == 1 else np.unique(np.concatenate(turns))
        run = np.searchsorted(track.starts, indices, side="right") - 1
        kept = track.starts[run] != indices
        if self.valid is not None:
            kept &= self.valid[indices] & self.valid[indices - 1]
        indices, run = indices[kept], run[kept]
        clock_index = track.clock_index[indices]
        order = kernels.order_of(clock_index, track.session.clock.size)
        return _Turns(indices[order], clock_index[order], track.lifetime[track.starts[run[order]]])

    @cached_property
    def _turned_on(self) -> Bools:
        """Of a flag: which of the turns are to true."""
        flags: Bools = self.parts[0][self._turns.indices]
        return flags

    def _moments_at(self, clock_index: Ints, lifetime: Ints, word: str) -> Moments:
        """Return turns as moments."""
        track, label = self.track, f"{word} of {self.name}"
        key = self.key.then(f"{word}s")
        return Moments.of_lifetimes(track.session, label, clock_index, lifetime, one=track.one, key=key)

    def _picked(self, moments: Moments, indices: Ints) -> "Signal":
        return at_indices(self, moments, indices)

    def _samples(self, what: str) -> Track:
        if self.track.source is not None:
            raise Misuse(f"{self.name} holds values picked at moments; {what} needs all samples of an object")
        return self.track


def _stretches(track: Track, on: Bools, label: str) -> Spans:
    """Return the stretches of a lifetime's samples on which a flag is true."""
    goes_on = on & np.hstack((False, on[:-1])) & ~track.first_of_lifetime
    begin, end = np.flatnonzero(on & ~goes_on), np.flatnonzero(on & ~np.hstack((goes_on[1:], False)))
    first, last = track.clock_index[begin], track.clock_index[end]
    return Spans.of_lifetimes(track.session, label, track.lifetime[begin], first, last, one=track.one)
