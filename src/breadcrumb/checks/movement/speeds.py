"""Checks of how fast things move, and how that changes."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.along import (
    first_of_lifetime,
    first_of_runs,
    indices_later,
    marked,
    smoothed_second_rate,
    stretch_starts,
    told_at,
)
from breadcrumb.algebra.durations import Duration, duration, frames
from breadcrumb.algebra.latest import latest
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.on_demand import Computed, Earlier, with_before
from breadcrumb.algebra.rounding import ENORMOUS
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Number, Vector
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, of_rate, of_second_rate
from breadcrumb.checks.kinds import Moving
from breadcrumb.checks.movement.arrivals import of_these
from breadcrumb.errors import Misuse
from breadcrumb.model.rows import Rows, rows_of
from breadcrumb.model.session import NOBODY, Floats, Ints
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_between, judge_near
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase, tolerance
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


@check("{objects:who} keeps [a speed of {speed}|its first speed]", unit=of_rate)
def keeps_speed(
    objects: Moving,
    speed: float | None = None,
    *,
    tol: float = 0.0,
    rel_tol: float = 0.0,
    velocity: Vector | Number | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that the speed is a given one, or that each lifetime keeps the speed it first has.

    Args:
        objects: objects with a `position`, or a position signal; the speed is the mean one over each step.
        speed: the speed, in units of the position per second; None for the first one that is judged in each lifetime.
        tol: how far off is still allowed, in the unit of the speed.
        rel_tol: what may be added to that, as a share of the speed.
        velocity: a recorded velocity to judge instead.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample but each lifetime's first one. Untested if there is none. Its margin is `tol` less the
        largest deviation, and there is none if no deviation is allowed at all.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> keeps_speed(small_trace().one("skiff"), 10.0).outcome
        'held'
    """
    moving = velocity.norm() if velocity is not None else position_of(objects).speed(stored=False)
    position = position_of(objects) if velocity is None or isinstance(objects, Objects) else None
    measured = within_steps(replace(moving, name="speed"), velocity, during, except_during)
    expected = first_of_lifetime(measured) if speed is None else speed
    scope = Scope(reach=0 if velocity is not None else 1)
    return judge_near(measured, expected, tol=tol, rel_tol=rel_tol, scope=scope, position=position)


@check("{objects:who} keeps [a velocity of {expected}|its velocity]", unit=of_rate)
def keeps_velocity(
    objects: Moving,
    expected: Vector | Number | Sequence[float] | float | None = None,
    *,
    velocity: Vector | Number | None = None,
    except_at: Moments | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects keep their velocity, in size and direction, but for certain moments.

    Args:
        objects: objects with a `position`, or a position signal; the velocity is the mean one over each step.
        expected: the velocity, a vector or a signal; None for the first one that is judged in each lifetime, and
            again after each of the moments.
        velocity: a recorded velocity to judge instead.
        except_at: moments at which the velocity of their subject may change; the step that ends there is not judged.
        tol: how far off is still allowed, in the unit of the velocity.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every step. Untested if there is none. Its margin is `tol` less the largest deviation.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> keeps_velocity(small_trace().one("skiff"), (10, 0, 0)).outcome
        'held'
    """
    moving = within_steps(
        position_of(objects).rate(stored=False) if velocity is None else velocity, velocity, during, except_during
    )
    keys: tuple[Ints, ...] = ()
    if except_at is not None:
        if velocity is None:
            moving = moving.take(np.flatnonzero(~marked(moving.track, except_at, excuses=True)))
        behind = moving.track.session.gaps_until(moving.track.clock_index)  # in a gap there may have been another one
        keys = (latest(moving.track, except_at, excuses=True), behind)
    due = first_of_runs(moving, stretch_starts(moving.track, *keys)) if expected is None else expected
    scope = Scope(reach=0 if velocity is not None else 1)
    position = position_of(objects) if isinstance(objects, Objects) or velocity is None else None
    return judge_near(moving, due, tol=tol, scope=scope, position=position)


@check("{objects:who} slows by {rate} each second, to 0", unit=of_rate, per_lifetime=True)
def slows_by(
    objects: Moving,
    rate: float,
    *,
    velocity: Vector | Number | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that speed falls by a constant rate to exactly 0, and that motion never turns back.

    On the step on which an object stops, any fall up to the full one is right; what stands stays.

    Args:
        objects: objects with a `position`, or a position signal; the speed is the mean one over each step.
        rate: by how much the speed falls each second.
        velocity: a recorded velocity, or a recorded speed, to judge instead.
        tol: how far off the speed may be after each step, in its own unit.
        during: judge only inside these spans; a change belongs to them if all the samples that it uses do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every change of speed while there is any. Untested if nothing moved. Its margin is `tol` less the
        largest deviation.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> speeds = [{"raft": {"speed": speed}} for speed in (1.0, 0.8, 0.6, 0.6)]
        >>> raft = make_trace(speeds, kinds={"raft": "raft"}).one("raft")
        >>> slows_by(raft, 2.0, velocity=raft.speed).first.frame
        3
    """
    moving = position_of(objects).rate(stored=False) if velocity is None else velocity
    seen = _slowing(moving, rate, tolerance(tol), over_steps=velocity is None)
    reach = 2 if velocity is None else 1
    kept = Scope(during, except_during, reach=reach if during is not None or except_during is not None else 0).of(seen)

    def phrase(index: int) -> Phrase:
        value, far, expected = (float(part[index]) for part in kept.parts)
        words = f"{amount(far, moving.unit)} too {'fast' if value > expected else 'slow'}"
        return Phrase(amount(value, moving.unit), amount(expected, moving.unit), words)

    shown = replace(kept, parts=kept.parts[:1])
    low, high = (lambda at, by=by: kept.parts[2][at] + by for by in (-tol, tol))
    evaluation = Evaluation.of_samples(
        shown, lambda block: tol - kept.parts[1][block], phrase, noise=kept.noise_over, exact=not tol,
        allowed=tol or None, of="changes of speed", plot=PlotSource(shown, low, high),
    )  # fmt: skip
    return evaluation.verdict()


@check("{objects:who} accelerates like {law}", unit=of_second_rate)
def accelerates_like(
    objects: Moving,
    law: Vector | Number | Callable[[Any], Signal],
    *,
    velocity: Vector | Number | None = None,
    smooth: int | None = None,
    tol: float = 0.0,
    rel_tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects accelerate as a law says, such as gravity or the pull of an eddy.

    The measured acceleration is the difference of two steps' velocities over half the sum of the steps, and is compared
    with the law at the sample between them. That of a recorded velocity is its change over a step, and is compared with
    the mean of the law at its two ends.

    Args:
        objects: objects with a `position`, or a position signal.
        law: the acceleration, a vector signal of the same objects, or a function of the objects that gives it.
        velocity: a recorded velocity, whose change is measured instead.
        smooth: an odd number of samples through which a parabola is laid, for positions that carry noise; the law is
            compared with it at the middle one.
        tol: how far off is still allowed, in the unit of the acceleration.
        rel_tol: what may be added to that, as a share of the law's value.
        during: judge only inside these spans; a value belongs to them if all the samples that it uses do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample that has an acceleration. Untested if there is none. Its margin is the tolerance less
        the largest deviation.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> accelerates_like(boat, lambda boat: boat.position * 0.0).outcome
        'held'
    """
    due = law if isinstance(law, Signal) else law(objects)
    if not isinstance(due, Signal):
        raise Misuse(f"accelerates_like: law: expected a function that gives an acceleration over time, found {due!r}")
    before = due.previous()
    if smooth is not None:
        measured, expected, reach = smoothed_second_rate(position_of(objects), smooth), due, smooth // 2
    elif velocity is not None:
        measured, expected, reach = velocity.rate(stored=False), (due + before) * 0.5, 1
    else:
        measured, expected, reach = position_of(objects).second_rate(stored=False), before, 2
    scope = Scope(during, except_during, reach if during is not None or except_during is not None else 0)
    measured = replace(measured, name="acceleration")
    return judge_near(measured, expected, tol=tol, rel_tol=rel_tol, scope=scope)


@check("{objects:who} moves {at_least} or more within {within}", per_lifetime=True)
def moves(
    objects: Moving,
    at_least: float,
    *,
    within: Duration,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects do move: a script that was never armed raises no error, and nothing happens.

    Args:
        objects: objects with a `position`, a position signal, or any number.
        at_least: the shortest path, in the unit of the position.
        within: in how long a time it goes so far, whenever one begins to look.
        during: judge only inside these spans; all of the time must lie in them.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample with enough time after it, in the same lifetime. Untested if there is none. Its
        margin is the shortest path in that time less the one that is asked for.

    Raises:
        Misuse: `at_least` is not longer than 0: whatever stands still would hold.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> moves(small_trace().one("skiff"), 1.5, within=frames(2)).margin.value
        0.5
    """
    if not at_least > 0:
        raise Misuse(f"moves: expected at_least as a path longer than 0, found {at_least}")
    position = Scope(during, except_during).of(position_of(objects))
    step, track = position.step_length(), position.track
    ends = indices_later(position, duration(within, "within"))
    there = ends != NOBODY
    safe = np.where(there, ends, np.arange(track.size))
    gone = _sums_between(np.where(step.usable, step.parts[0], 0.0), safe)
    unbroken = there
    if position.valid is not None or len(track.session.gaps):
        unknown = np.cumsum(~step.usable)
        unbroken = there & (unknown[safe] == unknown)
    if during is not None or except_during is not None:
        unbroken = unbroken & _unbroken(position, ends)
    noise = position.noise * max(1.0, float(track.size) ** 0.5)
    travelled = replace(
        position, name=f"path within {within}", parts=(gone,), valid=unbroken, known_noise=noise, texts=None
    )
    place = position if len(position.parts) > 1 else None
    return judge_between(travelled, at_least, None, position=place, scope=Scope(exempt=~there))


@check("{objects:who} goes on undisturbed at {at}", unit=of_rate)
def undisturbed(
    objects: Moving,
    *,
    at: Moments,
    velocity: Vector | Number | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects go on after moments as before them.

    The velocity before a moment on frame n is that over the last step ending at n - 1, the one after it that over the
    first step starting at n; of a recorded velocity, its values on these frames.

    Args:
        objects: objects with a `position`, or a position signal.
        at: the moments; their subject is the object that must not be disturbed.
        velocity: a recorded velocity to judge instead.
        tol: how far off the velocity may be, in its own unit.

    Returns:
        A verdict on every moment. Untested if there is none; undecided where the steps around it were not recorded. Its
        margin is `tol` less the largest change.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> undisturbed(trace.one("skiff"), at=trace.events("bell.rung")).outcome
        'held'
    """
    moving = position_of(objects).rate(stored=False) if velocity is None else velocity
    at = of_these(at, moving)
    before = moving.before(at, frames(1))
    after = moving.after(at, frames(1)) if velocity is None else moving.at(at)
    return judge_near(told_at(after, at), told_at(before, at), tol=tol)


def _slowing(moving: Vector | Number, rate: float, tol: float, *, over_steps: bool) -> Signal:
    """Return the speeds, how far off each is from the one before less its fall, and what is due; where it is judged.

    Args:
        moving: the velocity.
        rate: how much the speed falls each second.
        tol: how far off it may be.
        over_steps: whether velocities are means over steps, which are half the sum of two steps apart.
    """
    speed, track = moving.norm(), moving.track
    last, steps = speed.previous(), Earlier(track.steps, 1)
    slack = tol if over_steps else 0.0

    def noise(rows: Rows) -> Floats:
        return np.asarray(speed.noise_over(rows)) + last.noise_over(rows)

    def least(rows: Rows) -> Floats:
        step = (track.steps[rows] + steps[rows]) / 2 if over_steps else track.steps[rows]
        return np.asarray(last.parts[0][rows] - rate * step)

    def off(rows: Rows) -> Floats:
        value, lowest = speed.parts[0][rows], least(rows)
        away = np.abs(value - np.maximum(lowest, 0.0))
        back = np.flatnonzero(sum(now * then for now, then in (with_before(one, rows) for one in moving.parts)) < 0)
        away[back] = value[back] + np.maximum(lowest[back], 0.0)
        away[(value <= slack) & (lowest <= slack)] = 0.0
        wrong = np.flatnonzero(away > tol)
        if len(wrong):  # rounding is looked at where it matters
            still = slack + noise(rows_of(rows, wrong))
            away[wrong[(value[wrong] <= still) & (lowest[wrong] <= still)]] = 0.0
        return np.asarray(away)

    judged = speed.usable & last.usable & (last.parts[0] > 0) & (track.steps > 0)
    due = Computed(lambda rows: np.maximum(least(rows), 0.0), track.size)
    parts: Any = (speed.parts[0], Computed(off, track.size), due)
    seen: Signal = replace(speed, name="speed", parts=parts, valid=judged, unit=moving.unit, known_noise=noise)
    return seen


def _sums_between(lengths: Floats, ends: Ints) -> Floats:
    """Return the sum of the lengths behind each index up to its end; no number if one of them is none.

    Enormous ones are summed by themselves: beside them, others would be lost.
    """
    largest = lengths.max(initial=0.0)
    if largest <= ENORMOUS:
        sums = np.cumsum(lengths)
        return np.asarray(sums[ends] - sums)
    no_number, enormous = ~np.isfinite(lengths), lengths > ENORMOUS
    parts = [np.where(enormous | no_number, 0.0, lengths), np.where(enormous & ~no_number, lengths, 0.0), no_number]
    usual, far, lost = (sums[ends] - sums for sums in map(np.cumsum, parts))
    return np.where(lost > 0, np.nan, usual + far)


def within_steps(moving: Signal, recorded: Signal | None, during: Spans | None, except_during: Spans | None) -> Signal:
    """Return the values that a check is asked about; a mean over a step belongs to spans if both its ends do."""
    return Scope(during, except_during, reach=0 if recorded is not None else 1).of(moving)


def _unbroken(signal: Signal, ends: Ints) -> np.ndarray[tuple[int, ...], np.dtype[np.bool_]]:
    """Return whether the samples from each one to its end are on consecutive clock indices."""
    track = signal.track
    safe = np.where(ends == NOBODY, 0, ends)
    return np.asarray(track.clock_index[safe] - track.clock_index == safe - np.arange(track.size))
