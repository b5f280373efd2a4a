"""Checks of where things are."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra import kernels
from breadcrumb.algebra.along import first_of_lifetime, last_known_indices, marked
from breadcrumb.algebra.in_regions import deepest_spot, depths_within, depths_within_bodies, gaps_of, gaps_to, seen_with
from breadcrumb.algebra.meeting import meet
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.on_demand import Computed
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.samples import both
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Number
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.kinds import Amount, Moving, Position
from breadcrumb.errors import Misuse
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.trace.bodies import bodies_of, body_of
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_between, judge_off, untested
from breadcrumb.verdicts.excerpts import PlotSource, level
from breadcrumb.verdicts.judging import Evaluation, Phrase, tolerance
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount, number


@check("{signal:title} stays [between {low} and {high}|[at or above {low}|at or below {high}]]")
def stays_between(
    signal: Amount,
    low: float | None = None,
    high: float | None = None,
    *,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that every value of a number lies between two limits, which are allowed themselves.

    Args:
        signal: the number, such as `trolley.position.x`.
        low: the lowest allowed value, or None.
        high: the highest allowed value, or None.
        tol: how far outside is still allowed, in the unit of the value.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is the smallest distance to a limit plus `tol`.

    Raises:
        Misuse: there is no limit.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> print(stays_between(small_trace().one("skiff").position.x, -1.0, 2.5).first.words)
        0.5 m too high
    """
    if low is None and high is None:
        raise Misuse("stays_between: expected a lowest or a highest value, found neither")
    return judge_between(signal, low, high, tol=tol, scope=Scope(during, except_during))


@check("{objects:title} stays inside {region:barrier}{radius:bodies}")
def stays_inside(
    objects: Position,
    region: Region | Objects,
    *,
    radius: float | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that positions stay inside a region.

    Args:
        objects: objects with a `position`, or a position signal.
        region: a `Box`, `Circle` or `Polygon`, one in plan judges positions of three parts in plan view; or one object
            with a shape, which may move and turn.
        radius: the body's radius, all of which must be inside, in the unit of the position; in place of the shape that
            the objects have.
        tol: how far outside is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is the smallest distance of the body to the
        border plus `tol`, and negative outside.

    Raises:
        Misuse: the region has more dimensions than the position; or an object is not convex, or several at a time.

    Example:
        >>> from breadcrumb.algebra.regions import Box
        >>> from breadcrumb.testing import small_trace
        >>> print(stays_inside(small_trace().one("skiff"), Box((-1, -1), (2.5, 1))).first.words)
        0.5 m outside
    """
    return _beside(objects, region, "inside", "outside", radius, tol, Scope(during, except_during))


@check("{objects:title} stays outside {region:barrier}{radius:bodies}")
def stays_outside(
    objects: Position,
    region: Region | Objects,
    *,
    radius: float | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that positions stay outside a region.

    Args:
        objects: objects with a `position`, or a position.
        region: the region.
        radius: of a round body, all of which must be outside; in place of the shape that the objects have.
        tol: how far inside is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is the smallest distance of the body to the
        border plus `tol`, and negative inside.

    Example:
        >>> from breadcrumb.algebra.regions import Box
        >>> from breadcrumb.testing import small_trace
        >>> print(stays_outside(small_trace().one("skiff"), Box((2.5, -1), (9, 1))).first.words)
        0.5 m inside
    """
    return _beside(objects, region, "outside", "inside", radius, tol, Scope(during, except_during))


@check("{objects:title} moves along {along} only[, through {through}]")
def stays_on_line(
    objects: Position,
    along: Sequence[float] | Sequence[Sequence[float]],
    *,
    through: Sequence[float] | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects move on a line only, or with two directions in a plane only.

    Args:
        objects: objects with a `position`, or a position signal.
        along: the direction of the line, of any length; or two directions of a plane.
        through: a point of the line; None for the first position that is judged in each lifetime.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is `tol` less the largest distance to the line.

    Raises:
        Misuse: a direction has no length, or another number of parts than the position.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> stays_on_line(small_trace().one("skiff"), along=(1, 0, 0)).outcome
        'held'
    """
    position = position_of(objects)
    ways = np.atleast_2d(np.asarray(along, np.float64))
    parts = len(position.parts)
    length = np.linalg.norm(ways, axis=1)
    if not position.track.unseen and (ways.shape[1] != parts or not (length.all() and np.isfinite(length).all())):
        raise Misuse(f"stays_on_line: expected directions of {parts} numbers that have a length, found {along}")
    seen = Scope(during, except_during).of(position)
    mine, origin = meet(seen, first_of_lifetime(seen) if through is None else through)
    basis, _ = np.linalg.qr(ways.T)

    def distance(rows: Rows) -> Floats:
        offset = np.stack([one[rows] - other[rows] for one, other in zip(mine.parts, origin.parts, strict=True)])
        return kernels.lengths(offset - basis @ (basis.T @ offset))

    away = replace(
        mine.norm(stored=False), name="distance from the line", valid=both(mine.valid, origin.valid),
        known_noise=lambda rows: mine.noise_over(rows) + origin.noise_over(rows),
    )  # fmt: skip
    if not position.track.unseen:
        away = replace(away, parts=(Computed(distance, len(seen)),))
    return judge_off(away, tol, position=seen)


@check("{objects:who} never moves more than {at_most} from one frame to the next")
def never_teleports(
    objects: Moving,
    at_most: float,
    *,
    except_at: Moments | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that no object moves farther than a distance from one sample to the next.

    Args:
        objects: objects with a `position`, or a position signal.
        at_most: the longest allowed step, in the unit of the position.
        except_at: moments on whose frames their subject may teleport.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every step within a lifetime. Untested if there is none. Over frames without a value, or a gap, one
        that is too long for all of them breaks it, and any other is undecided. Its margin is the allowed distance less
        the longest step.

    Raises:
        Misuse: `at_most` is below 0.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_teleports(small_trace().one("skiff"), at_most=1.5).margin.value
        0.5
    """
    at_most = tolerance(at_most, "never_teleports: at_most")
    position = position_of(objects)
    track, unit = position.track, position.unit
    exempt = None if except_at is None else marked(track, except_at, excuses=True)
    step, limit = _steps_and_limits(position, at_most, exempt)
    scope = Scope(during, except_during, 1, exempt)
    allowed = scope.of(replace(step, parts=(limit,))).parts[0]
    step = scope.of(step)
    length = step.parts[0]

    def phrase(index: int) -> Phrase:
        far = amount(float(length[index] - allowed[index]), unit)
        times = round(float(allowed[index]) / at_most) if at_most else 1
        over = "in one frame" if times == 1 else f"over {times} frames without a value in between"
        measured = amount(float(length[index]), unit)
        return Phrase(measured, f"at most {amount(at_most, unit)} per frame", f"moves {far} too far {over}")

    plot = PlotSource(step, high=level(at_most), position=position)
    evaluation = Evaluation.of_samples(
        step, lambda block: allowed[block] - length[block], phrase, noise=step.noise_over,
        skipped=scope.skipped(step), allowed=at_most, plot=plot,
    )  # fmt: skip
    return evaluation.verdict()


def _steps_and_limits(position: Any, at_most: float, exempt: Bools | None) -> tuple[Signal, Floats]:
    """Return how far it is from the last known place to each sample, and how far it may be.

    Over frames without a value, or a gap, it may be as much for each of the frames that passed. What is less is not
    known to be right, since it may have jumped there and back; nor is anything where it was free to in between.
    """
    step, track = position.step_length(), position.track
    if position.valid is None and track.unbroken:
        return step, np.broadcast_to(np.float64(at_most), track.size)
    clock_index, length = track.clock_index, step.parts[0]
    unknown = position.usable & ~track.first_of_lifetime & ~step.usable
    far = np.flatnonzero(step.usable & (length > at_most))
    unknown[far[clock_index[far] - clock_index[far - 1] > 1]] = True
    indices = np.flatnonzero(unknown)
    if not len(indices):
        return step, np.broadcast_to(np.float64(at_most), track.size)
    before = last_known_indices(position)[indices]
    indices, before = indices[before != NOBODY], before[before != NOBODY]
    session = track.session
    passed = np.ones(session.clock.size, np.int64)
    passed[session.gaps] = np.diff(session.clock.frames)[session.gaps - 1]
    passed = np.cumsum(passed)
    limit, length = np.full(track.size, at_most), np.array(length)
    limit[indices] *= passed[clock_index[indices]] - passed[clock_index[before]]
    length[indices] = np.sqrt(sum((part[indices] - part[before]) ** 2 for part in position.parts))
    free = np.zeros(len(indices), np.bool_)
    if exempt is not None:
        moments = np.cumsum(exempt)
        free = (moments[indices] > moments[before]) | session.is_torn(clock_index[before], clock_index[indices])
    valid = step.usable.copy()
    valid[indices] = ~(length[indices] <= limit[indices]) & ~free
    return replace(step, parts=(length,), valid=valid), limit


def _beside(
    objects: Objects | Signal,
    region: Region | Objects,
    side: str,
    other: str,
    radius: float | None,
    tol: float,
    scope: Scope,
) -> Verdict:
    """Judge on which side of a region's border bodies are."""
    if isinstance(region, Objects):
        return _beside_body(objects, region, side, radius, tol, scope)
    whole = seen_with(body_of(objects, radius), region)
    position, seen = scope.of(whole.position), scope.of(whole.place)
    track = whole.place.track
    samples = None if seen.track.size == track.size else track.find(seen.track.lifetime, seen.track.clock_index)
    tol = tolerance(tol)
    unit = position.unit

    def depth_of(block: slice | Ints) -> Floats:
        if seen.track.unseen:
            return np.zeros(0)
        some = block if samples is None else samples[block]
        return depths_within(whole, region, some) if side == "inside" else gaps_to(whole, region, some)

    def phrase(index: int) -> Phrase:
        where = ", ".join(number(float(part[index])) for part in seen.parts)
        words = f"{amount(-float(depth_of(np.array([index]))[0] + tol), unit)} {other}"
        if side == "outside" and region.finest < np.inf:
            at = index if samples is None else int(samples[index])
            words += f" {region.part_at(deepest_spot(whole, region, at).tolist())}".rstrip()
        flat = " in plan" if len(position.parts) > len(seen.parts) else ""
        return Phrase(f"({where}) {unit}".rstrip() + flat, f"{side} {region}", words)

    plot = PlotSource(
        seen,
        level(-tol),
        position=position,
        region=region,
        belongs_inside=side == "inside",
        measure=depth_of,
        measured=f"distance {side}",
    )
    evaluation = Evaluation.of_samples(
        seen, lambda block: depth_of(block) + tol, phrase, noise=seen.noise_over, plot=plot
    )
    return evaluation.verdict()


def _beside_body(
    objects: Objects | Signal, other: Objects, side: str, radius: float | None, tol: float, scope: Scope
) -> Verdict:
    """Judge on which side of the surface of one object bodies are."""
    whole, around = bodies_of(objects, other, (radius, None))
    unseen = next((one.place for one in (whole, around) if one.place.track.unseen), None)
    if unseen is not None:
        return untested(unseen)
    if not around.place.track.one_at_a_time:
        raise Misuse(
            f"stays_{side}: expected a region or one object, and there are several of {other.called} at a time"
        )
    if side == "inside" and not around.is_convex:
        raise Misuse(f"stays_inside: expected a body that is convex, and {other.called} has {around.shape}")
    track = whole.place.track
    with_it = around.place.track.find_clock_index(track.clock_index)
    known = whole.place.usable & (with_it != NOBODY) & around.place.usable[with_it]
    mine = np.flatnonzero(known)
    measure = depths_within_bodies if side == "inside" else gaps_of
    depth = np.zeros(track.size)
    depth[mine] = measure(whole, around, mine, with_it[mine])
    position: Any = whole.position
    name = f"distance {side}"
    beside = Number(track, name, (depth,), known, position.unit, None, position.owner, position.noise)
    return judge_between(beside, 0.0, None, tol=tol, scope=scope, position=position)
