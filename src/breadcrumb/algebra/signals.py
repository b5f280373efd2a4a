"""Signals: a value on every sample of one object or of a group, over all lives."""

import operator
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Self

import numpy as np

from breadcrumb.algebra import kernels
from breadcrumb.algebra.angles import (
    FULL_TURNS,
    full_turn,
    plan_axes,
    pointing,
    turn_between,
    unwrapped,
    warn_of_angles,
)
from breadcrumb.algebra.arithmetic import Arithmetic, Operand, called
from breadcrumb.algebra.durations import Duration, duration
from breadcrumb.algebra.meeting import at_places, meet_tracks, places_at
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.samples import largest_of, noise_of, per_second
from breadcrumb.algebra.spaces import turned
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.session import NOBODY, Floats, Ints

PART_NAMES = "xyzw"


@dataclass(frozen=True, eq=False)
class Signal(Arithmetic):
    """A value over time (not a message), as NumPy arrays over a track of samples.

    Comparisons and arithmetic are element by element. A value that was not recorded is missing, and whatever is
    computed from it is missing too; and, or, not know three cases.
    """

    @classmethod
    def from_data(cls, moments: Moments, key: str, unit: str = "") -> "Signal":
        """Return numbers or vectors of numbers from the data of moments, as a signal picked at them.

        Raises:
            UnknownName: no moment has such an entry.
            Misuse: the entries are no numbers.
        """
        values = moments[key]
        if values.dtype.kind != "f":
            raise Misuse(f"{key} of {moments.label}: expected numbers or vectors of numbers, found {values[0]!r}")
        track = Track(moments.session, moments.life, moments.row, moments.row, moments.subject, moments.unseen)
        parts = tuple(values.T) if values.ndim == 2 else (values,)
        missing = np.isnan(parts[0])
        return cls(track, f"{key} of {moments.label}", parts, ~missing if missing.any() else None, unit)

    def same_as(self, other: "Signal") -> bool:
        """Tell whether another signal has the same values on the same samples."""
        return self.track.same_as(other.track) and np.array_equal(
            self.values, other.values, equal_nan=self.texts is None and not self.is_flag
        )

    # Parts of a vector

    @property
    def x(self) -> Self:
        """The first part of a vector."""
        return self._part(0)

    @property
    def y(self) -> Self:
        """The second part of a vector."""
        return self._part(1)

    @property
    def z(self) -> Self:
        """The third part of a vector."""
        return self._part(2)

    @property
    def w(self) -> Self:
        """The fourth part of a quaternion, its real one."""
        return self._part(3)

    def _part(self, place: int) -> Self:
        if self.track.unseen:
            return self
        if len(self.parts) == 1 or place >= len(self.parts):
            has = "no parts" if len(self.parts) == 1 else f"the parts {', '.join(PART_NAMES[: len(self.parts)])}"
            raise UnknownName(
                "part", PART_NAMES[place], PART_NAMES[: len(self.parts)], f"{self.name}, which has {has},"
            )
        return replace(self, name=f"{self.name}.{PART_NAMES[place]}", parts=(self.parts[place],))

    @property
    def plan(self) -> Self:
        """A position as seen in plan view: its two parts across the up axis; a vector of two is that already.

        Raises:
            Misuse: the vector has three parts and `about` does not say which axis is up.
        """
        if len(self.parts) != 3 or self.track.unseen:
            return self
        kept = plan_axes(self.track.session, 3, self.name)
        name = f"{self.name} in plan ({', '.join(PART_NAMES[place] for place in kept)})"
        return replace(
            self, name=name, parts=tuple(self.parts[place] for place in kept), known_noise=lambda: self.noise
        )

    def norm(self) -> Self:
        """Return the length of a vector."""
        parts = self.parts
        length = np.abs(parts[0]) if len(parts) == 1 else kernels.lengths(parts)
        return replace(self, name=f"|{self.name}|", parts=(length,), known_noise=lambda: self.noise)

    def dot(self, other: Operand) -> "Signal":
        """Return the scalar product of two vectors."""
        product = self * other
        total = np.sum(product.parts, axis=0)
        return replace(product, name=f"{self.name} . {called(other)}", parts=(total,))

    def distance_to(self, other: Operand) -> "Signal":
        """Return how far a position is from another one or from a point given as numbers, centre to centre.

        A point of two numbers is compared with a position of three parts in plan view.
        """
        flat = isinstance(other, Sequence) and len(other) == 2
        mine = self.plan if flat else self
        return replace((mine - other).norm(), name=f"distance of {mine.name} to {called(other)}", unit=self.unit)

    def depth_in(self, region: Region) -> "Signal":
        """Return how far inside a region's border a position is; negative outside.

        Raises:
            Misuse: the region has more dimensions than the position.
        """
        seen = self.in_region(region)
        if seen.track.unseen:
            return seen
        parts = (region.depth(seen.parts),)
        return replace(seen, name=f"depth of {seen.name}", parts=parts, known_noise=lambda: self.noise)

    def in_region(self, region: Region) -> "Signal":
        """Return a position with as many parts as a region has dimensions, in plan if that has two.

        Raises:
            Misuse: the region has more dimensions than the position.
        """
        seen = self.plan if region.dimensions == 2 else self
        if region.dimensions != len(seen.parts) and not seen.track.unseen:
            raise Misuse(f"{region} has {region.dimensions} dimensions and {self.title} has {len(seen.parts)}")
        return seen

    def rate(self) -> "Signal":
        """Return the change per second over the step that ends at each sample.

        It is missing on a life's first sample and over a step of 0 s. Angles are unwrapped first. Its error is bounded
        from the rounding of values and times.
        """
        track = self._samples("rate()")
        return self._change_per(track.steps, f"rate of {self.name}")

    def second_rate(self) -> "Signal":
        """Return the change of the rate: the difference of the rates over two steps, over half their sum.

        It is missing on a life's first two samples.
        """
        rate = self.rate()
        step = rate.track.steps
        between = np.r_[step[:1], np.where(step[1:] > 0, (step[1:] + step[:-1]) / 2, 0.0)] if len(step) else step
        return rate._change_per(between, f"second rate of {self.name}")

    def speed(self, *, stored: bool = True) -> "Signal":
        """Return the length of the rate, without making the rate itself; if not stored, it can only be looked at."""
        track = self._samples("speed()")
        speed: Any = kernels.Speeds(self.parts, track.steps)
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

        return Signal(track, name, parts, usable, per_second(self.unit), None, self.owner, noise, self.space)

    def step(self) -> "Signal":
        """Return how far a position is from that on the sample before; missing on a life's first sample."""
        track = self._samples("step()")
        valid = ~track.first_of_life
        if self.valid is not None:
            valid &= self.valid
            valid[1:] &= self.valid[:-1]
        parts = (kernels.steps(self.parts),)
        return replace(self, name="step", parts=parts, valid=valid, known_noise=lambda: 2 * np.asarray(self.noise))

    # Angles and spaces

    @property
    def is_angle(self) -> bool:
        """Whether it is one number in degrees or radians."""
        return self.unit in FULL_TURNS and len(self.parts) == 1

    def unwrapped(self) -> Self:
        """Return an angle without the jumps of a full turn; each life begins with its own first value.

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
        if self.valid is None and np.isfinite(angle.sum()):
            values, longest = kernels.unwrapped(angle, track.starts, full)
            warn_of_angles(self, angle, full, longest)
        else:
            values = unwrapped(angle, self.usable & np.isfinite(angle), track.first_of_life, full)
        return replace(self, name=f"unwrapped {self.name}", parts=(values,))

    def turn_from(self, other: Operand) -> "Signal":
        """Return the turn from another angle to this one, at most half a turn either way."""
        full = full_turn(self, "turn_from()") if not self.track.unseen else 1.0
        turn = self - other
        return replace(turn, parts=(turn_between(turn.parts[0], np.zeros(1), full),))

    def bearing_to(self, other: Operand) -> "Signal":
        """Return the angle of the direction in plan from a position to another one, in the session's own convention.

        It is missing where the two are one.

        Raises:
            Misuse: `about` does not tell the unit, zero and sense of angles, or which way an axis points.
        """
        if self.track.unseen:
            return self
        flat = isinstance(other, Sequence) and len(other) == 2
        mine = self.plan if flat else self
        return replace((mine - other)._pointing(-1.0), name=f"bearing of {self.name} to {called(other)}")

    def direction(self) -> "Signal":
        """Return the angle of a vector in plan, in the session's own convention; missing where it has no length."""
        return self if self.track.unseen else self._pointing(1.0)

    def _pointing(self, sign: float) -> "Signal":
        angle, length, unit = pointing(self, sign)
        noise = np.asarray(self.noise) / np.where(length > 0, length, 1.0) * FULL_TURNS[unit] / np.pi
        name, valid = f"direction of {self.name}", self.usable & (length > 0)
        return replace(self, name=name, parts=(angle,), valid=valid, unit=unit, known_noise=noise, space="world")

    def relative_to(self, origin: Operand, turn: "Signal | None" = None) -> "Signal":
        """Return a position in the space of an owner: the offset from its position, turned back by its own turn.

        Args:
            origin: the owner's position.
            turn: the owner's angle in plan, or its quaternion; None if it does not turn.
        """
        offset = self - origin
        parts = offset.parts
        if turn is not None and not self.track.unseen:
            offset, by = meet_tracks(offset, turn)
            parts = turned(offset.parts, by, back=True)
        name = f"{self.name} relative to {called(origin)}"
        return replace(offset, name=name, parts=parts, unit=self.unit, space="parent")

    def to_world(self, origin: Operand, turn: "Signal | None" = None) -> "Signal":
        """Return a position that is in an owner's space in the world: turned by the owner's turn, and moved to it.

        Args:
            origin: the owner's position.
            turn: the owner's angle in plan, or its quaternion; None if it does not turn.
        """
        mine = replace(self, space="world")
        if turn is not None and not self.track.unseen:
            mine, by = meet_tracks(mine, turn)
            mine = replace(mine, parts=turned(mine.parts, by, back=False))
        return replace(mine + origin, name=f"{self.name} in the world")

    # Values at moments, and moments from values

    def at(self, moments: Moments) -> "Signal":
        """Return the value on the frame of each moment, in their order; missing where there is no sample.

        The value is that of the moment's subject if the signal is of such objects; else, if there is never more than
        one object, that one's.
        """
        return self._picked(moments, places_at(self._samples("at()"), moments, 0))

    def before(self, moments: Moments, by: Duration) -> "Signal":
        """Return the last value that is at least a duration before each moment, within the same life."""
        by = duration(by, "before")
        return self._picked(moments, places_at(self._samples("before()"), moments, -1, by))

    def after(self, moments: Moments, by: Duration) -> "Signal":
        """Return the first value that is at least a duration after each moment, within the same life."""
        by = duration(by, "after")
        return self._picked(moments, places_at(self._samples("after()"), moments, 1, by))

    def during(self, spans: Spans) -> Self:
        """Return the samples that lie in the spans of their object, or in spans of nobody in particular."""
        return self.take(np.flatnonzero(spans.covers(self.track.life, self.track.row)))

    def outside(self, spans: Spans) -> Self:
        """Return the samples that lie in none of the spans."""
        return self.take(np.flatnonzero(~spans.covers(self.track.life, self.track.row)))

    def rises(self) -> Moments:
        """Return the moments at which a flag turns true; one that is true from a life's start does not rise."""
        return self._edges("rises()", operator.gt, "rise")

    def falls(self) -> Moments:
        """Return the moments at which a flag turns false."""
        return self._edges("falls()", operator.lt, "fall")

    def changes(self) -> Moments:
        """Return the moments at which the value is another one than on the sample before."""
        track = self._samples("changes()")
        places = np.unique(np.concatenate([kernels.turning_places(part) for part in self.parts]))
        return self._moments_at(places, track, "change")

    def spans(self) -> Spans:
        """Return the stretches of samples on which a flag is true."""
        self._flags("spans()")
        track = self._samples("spans()")
        on = self.parts[0] & self.usable
        goes_on = on & np.r_[False, on[:-1]] & ~track.first_of_life
        begin, end = np.flatnonzero(on & ~goes_on), np.flatnonzero(on & ~np.r_[goes_on[1:], False])
        return Spans(track.session, self.name, track.life[begin], track.row[begin], track.row[end])

    def take(self, places: Ints) -> Self:
        """Return some of the samples, by their places."""
        return replace(
            self,
            track=self.track.take(places),
            parts=tuple(part[places] for part in self.parts),
            valid=None if self.valid is None else self.valid[places],
            known_noise=self.noise_at(places),
        )

    # How it is done

    def _edges(self, what: str, compare: Callable[[Any, Any], Any], word: str) -> Moments:
        self._flags(what)
        track = self._samples(what)
        flags = self.parts[0]
        places = self._turns
        return self._moments_at(places[compare(flags[places], flags[places - 1])], track, word)

    @cached_property
    def _turns(self) -> Ints:
        """The places of samples that are other than the one before."""
        return kernels.turning_places(self.parts[0])

    def _moments_at(self, places: Ints, track: Track, word: str) -> Moments:
        """Return the moments of changes at these places, where they are within a life and both values are known."""
        kept = track.life[places] == track.life[places - 1]
        if self.valid is not None:
            kept &= self.valid[places] & self.valid[places - 1]
        places = places[kept]
        places = places[np.argsort(track.row[places], kind="stable")]
        nobody = np.full(len(places), NOBODY)
        return Moments(
            self.track.session,
            f"{word} of {self.name}",
            track.row[places],
            nobody,
            track.name_at(places),
            nobody,
            known_life=track.life[places],
        )

    def _picked(self, moments: Moments, places: Ints) -> "Signal":
        return at_places(self, moments, places)

    def _samples(self, what: str) -> Track:
        if self.track.source is not None:
            raise Misuse(f"{self.name} holds values picked at moments; {what} needs all samples of an object")
        return self.track
