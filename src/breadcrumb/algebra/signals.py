"""Signals: a value on every sample of one object or of a group, over all lives."""

import operator
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Self, TypeAlias, Union

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.durations import Duration, duration
from breadcrumb.algebra.meeting import at_places, meet, places_at
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.samples import Samples, both, largest_of, noise_of, smallest_of
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints

PART_NAMES = "xyzw"

Operand: TypeAlias = Union["Signal", float, Sequence[float], NDArray[Any]]
"""A signal, a number, the parts of a vector, or an array with a value (or a row of parts) for each sample."""


@dataclass(frozen=True, eq=False)
class Signal(Samples):
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

    def __bool__(self) -> bool:
        raise Misuse(
            f"whether {self.name} is true depends on the sample; assert judge({self.name}, 'what it means'), or join "
            "conditions with & | ~ instead of and, or, not"
        )

    __hash__ = None  # type: ignore[assignment]

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
        axes = self.track.session.axes
        up = next(
            (PART_NAMES.index(axis) for axis, way in axes.items() if way in ("up", "down") and axis in "xyz"), None
        )
        if up is None:
            raise Misuse(
                f"plan view of {self.name} needs to know which way is up; record it as axes={{'z': 'up'}} or alike"
            )
        kept = [place for place in range(3) if place != up]
        name = f"{self.name} in plan ({', '.join(PART_NAMES[place] for place in kept)})"
        return replace(self, name=name, parts=tuple(self.parts[place] for place in kept), known_noise=self.noise)

    # Arithmetic

    def __add__(self, other: Operand) -> "Signal":
        return self._arithmetic(other, "+", operator.add)

    def __sub__(self, other: Operand) -> "Signal":
        return self._arithmetic(other, "-", operator.sub)

    def __mul__(self, other: Operand) -> "Signal":
        return self._arithmetic(other, "*", operator.mul)

    def __truediv__(self, other: Operand) -> "Signal":
        return self._arithmetic(other, "/", operator.truediv)

    def __radd__(self, other: Operand) -> "Signal":
        return self + other

    def __rsub__(self, other: Operand) -> "Signal":
        return -self + other

    def __rmul__(self, other: Operand) -> "Signal":
        return self * other

    def __neg__(self) -> Self:
        return replace(
            self, name=f"-{_bracketed(self.name)}", parts=tuple(-part for part in self.parts), known_noise=self.noise
        )

    def __abs__(self) -> Self:
        return replace(self, name=f"|{self.name}|", parts=tuple(map(np.abs, self.parts)), known_noise=self.noise)

    def norm(self) -> Self:
        """Return the length of a vector."""
        parts = self.parts
        length = np.abs(parts[0]) if len(parts) == 1 else np.sqrt(sum(part * part for part in parts))
        return replace(self, name=f"|{self.name}|", parts=(length,), known_noise=self.noise)

    def dot(self, other: Operand) -> "Signal":
        """Return the scalar product of two vectors."""
        product = self * other
        total = np.sum(product.parts, axis=0)
        return replace(product, name=f"{self.name} . {_called(other)}", parts=(total,))

    def distance_to(self, other: Operand) -> "Signal":
        """Return how far a position is from another one or from a point given as numbers, centre to centre.

        A point of two numbers is compared with a position of three parts in plan view.
        """
        flat = isinstance(other, Sequence) and len(other) == 2
        mine = self.plan if flat else self
        return replace((mine - other).norm(), name=f"distance of {mine.name} to {_called(other)}", unit=self.unit)

    def depth_in(self, region: Region) -> "Signal":
        """Return how far inside a region's border a position is; negative outside.

        Raises:
            Misuse: the region has more dimensions than the position.
        """
        seen = self.plan if region.dimensions == 2 else self
        if seen.track.unseen:
            return seen
        if region.dimensions != len(seen.parts):
            raise Misuse(f"{region} has {region.dimensions} dimensions and {self.title} has {len(seen.parts)}")
        return replace(seen, name=f"depth of {seen.name}", parts=(region.depth(seen.parts),), known_noise=self.noise)

    def rate(self) -> "Signal":
        """Return the change per second over the step that ends at each sample.

        It is missing on a life's first sample and over a step of 0 s. Its error is bounded from the rounding of
        values and times.
        """
        track = self._samples("rate()")
        times = track.times
        usable = self.usable & ~track.first_of_life
        usable[1:] &= self.usable[:-1]
        step = np.ones(track.size)
        np.subtract(times[1:], times[:-1], out=step[1:])
        usable &= step > 0
        step[~usable] = 1.0
        parts = []
        for part in self.parts:
            change = np.zeros(track.size)
            np.subtract(part[1:], part[:-1], out=change[1:])
            parts.append(np.divide(change, step, out=change))
        fastest = max((float(np.abs(part[usable]).max(initial=0.0)) for part in parts), default=0.0)
        noise = 2 * (self.noise + fastest * noise_of((times,))) / step
        unit = (
            f"{self.unit.removesuffix('/s')}/s2" if self.unit.endswith("/s") else f"{self.unit}/s" if self.unit else ""
        )
        return Signal(
            track, f"rate of {self.name}", tuple(parts), None if usable.all() else usable, unit, None, self.owner, noise
        )

    # Comparison and logic

    def __lt__(self, other: Operand) -> "Signal":
        return self._comparison(other, "<", operator.lt)

    def __le__(self, other: Operand) -> "Signal":
        return self._comparison(other, "<=", operator.le)

    def __gt__(self, other: Operand) -> "Signal":
        return self._comparison(other, ">", operator.gt)

    def __ge__(self, other: Operand) -> "Signal":
        return self._comparison(other, ">=", operator.ge)

    def __eq__(self, other: object) -> "Signal":  # type: ignore[override]
        return self._comparison(other, "==", operator.eq)

    def __ne__(self, other: object) -> "Signal":  # type: ignore[override]
        return self._comparison(other, "!=", operator.ne)

    def __and__(self, other: "Signal") -> "Signal":
        return self._logic(other, "and", np.logical_and, decided_by=False)

    def __or__(self, other: "Signal") -> "Signal":
        return self._logic(other, "or", np.logical_or, decided_by=True)

    def __invert__(self) -> Self:
        self._flags("~")
        return replace(self, name=f"not {_bracketed(self.name)}", parts=(~self.parts[0],))

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
        other = np.zeros(track.size, np.bool_)
        for part in self.parts:
            other[1:] |= part[1:] != part[:-1]
        return self._moments_where(other, "change")

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
        noise = self.known_noise
        return replace(
            self,
            track=self.track.take(places),
            parts=tuple(part[places] for part in self.parts),
            valid=None if self.valid is None else self.valid[places],
            known_noise=noise[places] if isinstance(noise, np.ndarray) else self.noise,
        )

    # How it is done

    def _arithmetic(self, other: Operand, sign: str, compute: Callable[[Any, Any], Any]) -> "Signal":
        mine, yours = meet(self, other)
        with np.errstate(all="ignore"):  # what comes of a missing or infinite value is missing or infinite
            parts = tuple(compute(a, b) for a, b in zip(mine.parts, yours.parts, strict=True))
        if sign in "+-":
            noise: float | Floats = mine.noise + yours.noise
        elif sign == "*":
            noise = largest_of(mine.parts) * yours.noise + largest_of(yours.parts) * mine.noise
        else:
            noise = mine.noise / max(smallest_of(yours.parts), np.finfo(float).tiny)
        unit = self.unit if sign in "+-" else ""
        valid = both(mine.valid, yours.valid)
        return Signal(
            mine.track, f"{_bracketed(self.name)} {sign} {_called(other)}", parts, valid, unit, None, self.owner, noise
        )

    def _comparison(self, other: object, sign: str, compare: Callable[[Any, Any], Any]) -> "Signal":
        name = f"{_bracketed(self.name)} {sign} {_called(other)}"
        if self.track.unseen:
            return Signal(self.track, name, (np.zeros(0, np.bool_),), owner=self.owner)
        if self.texts is not None and isinstance(other, str):
            same = self.parts[0] == (self.texts.index(other) if other in self.texts else NOBODY)
            if sign not in ("==", "!="):
                raise Misuse(f"{name}: texts are the same or not; they have no order")
            return Signal(self.track, name, (same if sign == "==" else ~same,), self.valid, owner=self.owner)
        mine, yours = meet(self, other)
        answers = [compare(a, b) for a, b in zip(mine.parts, yours.parts, strict=True)]
        if len(answers) > 1 and sign not in ("==", "!="):
            raise Misuse(f"{name}: a vector is neither larger nor smaller; compare its parts or its norm()")
        joined = np.logical_or.reduce(answers) if sign == "!=" else np.logical_and.reduce(answers)
        return Signal(mine.track, name, (joined,), both(mine.valid, yours.valid), owner=self.owner)

    def _logic(self, other: "Signal", word: str, join: Callable[[Any, Any], Any], *, decided_by: bool) -> "Signal":
        self._flags(word)
        mine, yours = meet(self, other)
        yours._flags(word)
        answer = join(mine.parts[0], yours.parts[0])
        valid = both(mine.valid, yours.valid)
        if valid is not None:  # one side alone may settle it
            settled = [one.usable & (one.parts[0] == decided_by) for one in (mine, yours)]
            answer = np.where(settled[0] | settled[1], decided_by, answer)
            valid = valid | settled[0] | settled[1]
        return Signal(
            mine.track, f"{_bracketed(self.name)} {word} {_called(other)}", (answer,), valid, owner=self.owner
        )

    def _edges(self, what: str, compare: Callable[[Any, Any], Any], word: str) -> Moments:
        self._flags(what)
        track = self._samples(what)
        edge = np.zeros(track.size, np.bool_)
        edge[1:] = compare(self.parts[0][1:], self.parts[0][:-1])
        return self._moments_where(edge, word)

    def _moments_where(self, flags: Bools, word: str) -> Moments:
        usable = self.usable.copy()
        usable[1:] &= self.usable[:-1]
        places = np.flatnonzero(flags & usable & ~self.track.first_of_life)
        places = places[np.argsort(self.track.row[places], kind="stable")]
        nobody = np.full(len(places), NOBODY)
        return Moments(
            self.track.session,
            f"{word} of {self.name}",
            self.track.row[places],
            nobody,
            self.track.name[places],
            nobody,
            known_life=self.track.life[places],
        )

    def _picked(self, moments: Moments, places: Ints) -> "Signal":
        return at_places(self, moments, places)

    def _samples(self, what: str) -> Track:
        if self.track.source is not None:
            raise Misuse(f"{self.name} holds values picked at moments; {what} needs all samples of an object")
        return self.track

    def _flags(self, what: str) -> None:
        if not self.is_flag and not self.track.unseen:
            raise Misuse(
                f"{what} needs true or false on each sample, and {self.name} has other values; compare it first"
            )


def _bracketed(name: str) -> str:
    return f"({name})" if " " in name and name[0] + name[-1] not in ("||", "()") else name


def _called(other: object) -> str:
    if isinstance(other, Signal):
        return _bracketed(other.name)
    return "given values" if isinstance(other, np.ndarray) else f"{other}"
