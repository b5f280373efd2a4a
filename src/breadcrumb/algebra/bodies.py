"""Bodies: where the shapes of objects are, sample by sample."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, reduce
from typing import Any, TypeAlias

import numpy as np

from breadcrumb.algebra.angles import plan_axes, turn_between
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.regions import Box, Capsule, Circle, Polygon, TurnedBox
from breadcrumb.algebra.rounding import most_of
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spaces import turned
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.geometry.convex import convex_parts
from breadcrumb.geometry.polygons import Polygons, gaps_of_polygons
from breadcrumb.geometry.rounded_boxes import RoundedBoxes, gaps
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.record.shapes import Shape

Pieces: TypeAlias = Sequence[RoundedBoxes | Polygons]
"""The convex pieces that bodies are made of, each with a column a body."""


@dataclass(frozen=True, eq=False)
class Bodies:
    """Objects with their shape, or with a radius alone, on the samples of their position."""

    position: Signal
    shape: Shape
    sizes: tuple[Floats | float, ...]
    """The lengths that the shape is made from, each for all samples or one a sample."""
    turn: Signal | None
    known: Bools | None
    """On which samples all of it was recorded; None if on all."""
    plan: tuple[int, int] | None = None
    """Which parts of a position of three lie in plan, if they are seen in plan."""

    @classmethod
    def of(cls, shape: Shape, position: Signal, signal_of: Callable[[str], Signal]) -> "Bodies":
        """Return bodies of a shape.

        Args:
            shape: what each has.
            position: where each is.
            signal_of: gives a recorded property by its name.

        Raises:
            Misuse: a property is no length or turn, or the shape has more dimensions than the position.
            UnknownProperty: one that the shape names was not recorded.
        """
        if shape.form == "edges":
            return _between_edges(shape, position, [signal_of(str(name)) for name in shape.sizes])
        parts, size = len(position.parts), shape.dimensions
        if size > parts and not position.track.unseen:
            raise Misuse(f"{shape} has {size} dimensions and {position.title} has {parts}")
        named = [signal_of(one) if isinstance(one, str) else one for one in shape.sizes]
        for one in named:
            if isinstance(one, Signal) and len(one.parts) != 1:
                raise Misuse(f"{shape}: expected a length, and {one.title} has {len(one.parts)} parts")
        turn = signal_of(shape.turn) if shape.turn else None
        signals = [one for one in (position, turn, *named) if isinstance(one, Signal)]
        plan = plan_axes(position.track.session, 3, position.name) if (size, parts) == (2, 3) else None
        if plan is not None and turn is not None and len(turn.parts) != 1:
            raise Misuse(f"{shape}: a shape in plan is turned by an angle, and {turn.title} is {turn.sort.words}")
        sizes = tuple(_lengths(one.parts[0]) if isinstance(one, Signal) else float(one) for one in named)
        return cls(position, shape, sizes, turn, _all_known(signals), plan)

    @property
    def in_plan(self) -> "Bodies":
        """The same bodies as seen in plan view.

        Raises:
            Misuse: positions have three parts and `about` does not say which axis is up.
        """
        if self.plan is not None or len(self.position.parts) != 3:
            return self
        return replace(self, plan=plan_axes(self.position.track.session, 3, self.position.name))

    @cached_property
    def place(self) -> Signal:
        """Where they are, with as many parts as they are seen with."""
        seen: Signal = replace(self.position, valid=self.known)
        if self.plan is not None and len(seen.parts) == 3:
            seen = replace(seen, parts=tuple(seen.parts[index] for index in self.plan), name=f"{seen.name} in plan")
        return seen

    @property
    def dimensions(self) -> int:
        """With how many dimensions they are seen."""
        return len(self.place.parts)

    @property
    def reach(self) -> float:
        """How far the farthest point of any of them is from its position."""
        sizes = [_limit(one, np.max, 0.0) for one in self.sizes]
        about = float(np.hypot.reduce(self.shape.offset)) if self.shape.offset else 0.0
        far = max((float(np.hypot.reduce(one)) for one in self.shape.points), default=0.0)
        own = float(np.hypot.reduce(sizes)) / 2 if self.shape.form in ("box", "edges") else sum(sizes)
        return about + far + own

    @property
    def smallest(self) -> float:
        """The smallest extent of any of them."""
        sizes = [_limit(one, np.min, np.inf) for one in self.sizes]
        if self.shape.form in ("circle", "sphere", "capsule"):
            return 2 * sizes[0]
        if self.shape.form == "polygon":
            corners = np.array(self.shape.points)
            return float((corners.max(axis=0) - corners.min(axis=0)).min())
        return min(sizes)

    @property
    def is_round(self) -> bool:
        """Whether each is a circle or a sphere about its position."""
        return self.shape.form in ("circle", "sphere") and not self.shape.offset

    @property
    def is_convex(self) -> bool:
        """Whether each is of one piece that no line between two of its points leaves."""
        return self.shape.form != "polygon" or len(convex_parts(self.shape.points)) == 1

    def radius_at(self, indices: slice | Ints) -> Floats | float:
        """Return the radius of circles or spheres on some samples."""
        size = self.sizes[0]
        return size[indices] if isinstance(size, np.ndarray) else size

    def at(self, indices: Ints, back: Floats | None = None) -> Pieces:
        """Return the pieces of bodies on some samples, or at a share each of the step before, counted from its end.

        Places go straight, and turns the shorter way round, at a constant rate.
        """
        place = np.stack([part[indices] for part in self.position.parts])
        before = np.maximum(indices - 1, 0)
        if back is not None:
            place = place - back * (place - np.stack([part[before] for part in self.position.parts]))
        turn = None if self.turn is None else self.turn.take(indices)
        if back is not None and self.turn is not None and turn is not None:
            turn = _between(self.turn.take(before), turn, back)
        sizes = [one[indices] if isinstance(one, np.ndarray) else np.full(len(indices), one) for one in self.sizes]
        return self._placed(place, turn, sizes)

    def step(self, indices: Ints) -> Floats:
        """Return how far each moves during the step that ends at a sample, as vectors."""
        before = np.maximum(indices - 1, 0)
        return np.stack([part[indices] - part[before] for part in self.place.parts])

    def moves_at(self, indices: Ints, points: Floats) -> Floats:
        """Return how far the spots of bodies that are at points have moved during the step that ends at each sample."""
        before = np.maximum(indices - 1, 0)
        places = [np.stack([part[at] for part in self.place.parts]) for at in (indices, before)]
        offset = points - places[0]
        if self.turn is None or self.plan is not None:
            return self.step(indices)
        own = turned(tuple(offset), self.turn.take(indices), back=True)
        then = np.stack(turned(own, self.turn.take(before), back=False))
        return np.asarray(points - (places[1] + then))

    def turned_by(self, indices: Ints) -> Floats:
        """Return by how much each turns during the step that ends at a sample, in radians."""
        if self.turn is None:
            return np.zeros(len(indices))
        now, before = self.turn.take(indices), self.turn.take(np.maximum(indices - 1, 0))
        return _angle_between(before, now)

    def _placed(self, place: Floats, turn: Signal | None, sizes: Sequence[Floats]) -> Pieces:
        shape, count = self.shape, place.shape[1]
        size = len(place)
        seen = slice(None) if self.plan is None or size == 2 else list(self.plan)

        def out(vector: Sequence[float]) -> Floats:
            """Return a vector of the object's own space in the world, as it is seen."""
            own = np.zeros((size, count))
            axes = list(self.plan) if self.plan is not None and len(vector) < size else list(range(len(vector)))
            own[axes] = np.asarray(vector, np.float64)[:, None]
            return own[seen] if turn is None else np.stack(turned(tuple(own), turn, back=False))[seen]

        middle = place[seen] + out(shape.offset) if shape.offset else place[seen]
        if shape.form in ("circle", "sphere"):
            return [RoundedBoxes(middle, np.zeros((0, len(middle), count)), sizes[0])]
        if shape.form == "box":
            axes = np.eye(len(sizes)).tolist()
            halves = [out(axis) * (side / 2) for axis, side in zip(axes, sizes, strict=True)]
            return [RoundedBoxes(middle, np.stack(halves), np.zeros(count))]
        if shape.form == "capsule":
            start, end = (out(one) for one in shape.points)
            return [RoundedBoxes(middle + (start + end) / 2, np.stack([(end - start) / 2]), sizes[0])]
        parts = convex_parts(shape.points)
        return [Polygons(np.stack([middle + out(corner) for corner in part]), np.zeros(count)) for part in parts]

    @cached_property
    def finite(self) -> Bools:
        """On which samples all that a body is made from is a number."""
        turn = () if self.turn is None else self.turn.parts
        sizes = [one for one in self.sizes if isinstance(one, np.ndarray)]
        return np.asarray(reduce(np.logical_and, [np.isfinite(one) for one in (*self.position.parts, *turn, *sizes)]))

    @cached_property
    def unknown_on(self) -> Bools:
        """On which clock indices one of them is there of which the place or the extent was not recorded, or is none."""
        return unknown_on(self.place.track, self.place.usable & self.finite)

    @cached_property
    def has_step(self) -> Bools:
        """On which samples a step ends of which both ends are known."""
        known = self.position.usable if self.known is None else self.known
        ends = known & ~self.position.track.first_of_lifetime
        ends[1:] &= known[:-1]
        return ends


@dataclass(frozen=True, eq=False)
class FixedBody:
    """A region that stands still, as a body."""

    pieces: Pieces
    smallest: float = np.inf
    """It never turns, so that its extent does not matter."""
    reach: float = 0.0

    @classmethod
    def of(cls, region: Region) -> "FixedBody | None":
        """Return a region as a body; None of one that is made of others in a way that no body is."""
        if isinstance(region, Box):
            low, high = np.array(region.low, np.float64), np.array(region.high, np.float64)
            halves = np.diag((high - low) / 2)[:, :, None]
            return cls([RoundedBoxes(((low + high) / 2)[:, None], halves, np.zeros(1))])
        if isinstance(region, Circle):
            centre = np.array(region.centre, np.float64)[:, None]
            return cls([RoundedBoxes(centre, np.zeros((0, len(centre), 1)), np.full(1, region.radius))])
        if isinstance(region, Capsule):
            ends = np.array([region.start, region.end], np.float64)[:, :, None]
            return cls([RoundedBoxes(ends.mean(axis=0), (ends[1:] - ends[:1]) / 2, np.full(1, region.radius))])
        if isinstance(region, Polygon | TurnedBox):
            corners = tuple(region.outlines()[0])
            return cls([Polygons(np.array(part)[:, :, None], np.zeros(1)) for part in convex_parts(corners)])
        return None

    def at(self, indices: Ints, back: Floats | None = None) -> Pieces:
        """Return its pieces as many times."""
        return [one.take(np.zeros(len(indices), np.int64)) for one in self.pieces]

    def step(self, indices: Ints) -> Floats:
        """Return no motion, as many times."""
        return np.zeros(len(indices))

    def turned_by(self, indices: Ints) -> Floats:
        """Return no turn, as many times."""
        return np.zeros(len(indices))


def gaps_between(one: Pieces, other: Pieces, motion: Floats | None = None) -> Floats:
    """Return how far bodies are apart, the nearest of their pieces; negative by how deep the deepest overlap is."""
    every = []
    for mine in one:
        for yours in other:
            if isinstance(mine, RoundedBoxes) and isinstance(yours, RoundedBoxes):
                every.append(gaps(mine, yours, motion))
            else:
                both = [piece if isinstance(piece, Polygons) else Polygons.of(piece) for piece in (mine, yours)]
                every.append(gaps_of_polygons(both[0], both[1], motion))
    return np.asarray(np.minimum.reduce(every))


def _between_edges(shape: Shape, position: Signal, edges: Sequence[Signal]) -> Bodies:
    left, right, top, bottom = edges
    centre = [(low + high) / 2 for low, high in ((left, right), (top, bottom))]
    place = replace(
        position, parts=tuple(one.parts[0] for one in centre), valid=_all_known(edges), name=f"middle of {left.owner}",
        known_noise=most_of([one.noise_over for one in edges]),
    )  # fmt: skip
    sizes = tuple(np.abs(high.parts[0] - low.parts[0]) for low, high in ((left, right), (top, bottom)))
    return Bodies(place, Shape("box", ("width", "height")), sizes, None, place.valid)


def _lengths(sizes: Floats) -> Floats:
    # A body with a negative extent would touch nothing, and a check of it would hold for that alone.
    return np.where(sizes < 0, np.nan, sizes)


def _limit(size: Floats | float, of: Callable[..., Any], initial: float) -> float:
    """Return the largest or the smallest one of sizes, as far as they are numbers."""
    return float(of(size[np.isfinite(size)], initial=initial)) if isinstance(size, np.ndarray) else size


def unknown_on(track: Track, known: Bools) -> Bools:
    """Return on which clock indices one of the lifetimes of a track is there without a sample that is known."""
    session, which = track.session, np.unique(track.lifetime[track.starts])
    size, lifetimes = session.clock.size, session.lifetimes
    appear, leave = lifetimes.appear[which], lifetimes.leave[which]
    begin = np.where(appear == NOBODY, session.begin_of_episode(lifetimes.first[which]), appear)
    end = np.where(leave == NOBODY, session.end_of_episode(lifetimes.last[which]) + 1, leave)
    begun, gone = (np.bincount(indices, minlength=size + 1) for indices in (begin, end))
    there = np.cumsum(begun - gone)[:size]
    return np.asarray(np.bincount(track.clock_index[known], minlength=size) < there)


def _all_known(signals: Sequence[Signal]) -> Bools | None:
    masks = [one.valid for one in signals if one.valid is not None]
    return np.logical_and.reduce(masks) if masks else None


def _between(before: Signal, now: Signal, back: Floats) -> Signal:
    """Return turns that are so far back from the later ones to the earlier ones."""
    if len(now.parts) == 1:
        full = 2 * np.pi if now.unit == "rad" else 360.0
        change = turn_between(now.parts[0], before.parts[0], full)
        return replace(now, parts=(now.parts[0] - back * change,))
    first, last = np.stack(before.parts), np.stack(now.parts)
    dot = (first * last).sum(axis=0)
    first = np.where(dot < 0, -first, first)
    half = np.arccos(np.clip(np.abs(dot), 0.0, 1.0))
    sine = np.sin(half)
    even = sine < _ALIKE
    share = [np.where(even, one, np.sin(one * half) / np.where(even, 1.0, sine)) for one in (back, 1 - back)]
    return replace(now, parts=tuple(share[0] * first + share[1] * last))


_ALIKE = 1e-9
"""Below which sine of half their angle two turns are as good as one."""


def _angle_between(before: Signal, now: Signal) -> Floats:
    if len(now.parts) == 1:
        full = 2 * np.pi if now.unit == "rad" else 360.0
        change = turn_between(now.parts[0], before.parts[0], full)
        return np.asarray(np.abs(change) / full * 2 * np.pi)
    dot = np.sum([a * b for a, b in zip(before.parts, now.parts, strict=True)], axis=0)
    return np.asarray(2 * np.arccos(np.clip(np.abs(dot), 0.0, 1.0)))
