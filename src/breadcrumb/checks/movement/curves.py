"""Checks of values that follow a curve: easings, hops, waves and key points."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Unpack

import numpy as np

from breadcrumb.algebra.along import at_samples
from breadcrumb.algebra.arithmetic import Operand
from breadcrumb.algebra.durations import SAME_TIME, Duration, TimeAxis, duration
from breadcrumb.algebra.easing import Curve
from breadcrumb.algebra.latest import runs_after
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.samples import FULL_TURNS, Sort, derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Number, Text
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.algebra.waves import Sine, wave_fit
from breadcrumb.checks.declaration import Common, check, demand
from breadcrumb.checks.kinds import Amount, AmountGiven
from breadcrumb.checks.movement.easings import Timing, curves_at
from breadcrumb.errors import Misuse
from breadcrumb.model.rows import Rows, rows_between
from breadcrumb.model.session import Floats, Ints
from breadcrumb.verdicts.comparing import Scope, judge_flag, judge_near, told_of
from breadcrumb.verdicts.judging import Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict, all_of
from breadcrumb.verdicts.words import amount, plus_minus

_FIT_NOISE = 1e-9
"""How far rounding may move what a fit finds, as a share of the values."""


@check("{signal:title} eases [to {to}|by {by}] in {over}[ after {delay}] along {curve:plain} after {at}")
def eases(
    signal: Amount,
    to: AmountGiven | None = None,
    *,
    by: AmountGiven | None = None,
    at: Moments,
    over: Duration | Number,
    curve: str | Curve | Sequence[tuple[float, float]] | Text = "linear",
    delay: Duration | Number | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that after moments a value eases from what it then is to a target along a curve, and ends exactly there.

    It is judged from the moment until the duration is over, on the first sample at or after which it must be there; a
    new moment of the same subject begins again from the value that it then has. Angles are unwrapped.

    Args:
        signal: the value.
        to: the value that it ends with; a number, or a value for each moment.
        by: what it ends with less what it begins with, instead of `to`.
        at: the moments; their subject is the object that moves, or they are nobody's that the signal has.
        over: how long it takes; where the objects of a group differ, a number in s or frames for each moment, such as
            `Signal.from_data(moments, "over", "s")`.
        curve: a name of `CURVES`, a function from 0..1 to the share of the way, or key points (share of the time, share
            of the way); or a text with the name for each moment.
        delay: how long it waits before, given as `over` is.
        tol: how far off is still allowed, in the unit of the value.

    Returns:
        A verdict on every sample from each moment to its end. Untested if there is none. Its margin is `tol` less the
        largest deviation.

    Raises:
        Misuse: neither or both of `to` and `by` are given, there is no such curve, or times for each moment are in no
            unit of time.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> eases(trace.one("skiff").position.x, at=trace.events("bell.rung"), by=1.0, over=frames(1)).outcome
        'held'
    """
    if (to is None) == (by is None):
        raise Misuse("eases: expected one of to= and by=, the value that it ends with or the change")
    shapes = curves_at(curve, at)
    value: Signal = signal.unwrapped() if signal.is_angle else signal
    start, timing = value.at(at), Timing.of(over, delay, at)
    end = start + by if to is None else _end_with(to, start, value, at, timing, turns=signal.is_angle)  # type: ignore[operator]

    def due(began: Floats, ended: Floats, share: Floats, moment: Ints) -> Floats:
        return np.asarray(began + (ended - began) * shapes(share, moment))

    return _along(value, at, start, end, timing, due, tol)


@check("{signal:title} follows an arc {peak} high in {over} after {at}[, from {base}]")
def follows_arc(
    signal: Amount,
    peak: float,
    *,
    over: Duration,
    at: Moments,
    base: float | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that after moments a height follows a hop: h = base + peak * 4u(1 - u), for the share u of the time.

    Args:
        signal: the height.
        peak: how high the hop is above its base, half-way.
        over: how long it takes.
        at: the moments; their subject is the object that hops.
        base: the height on which it begins and ends; None for the height that it then has.
        tol: how far off is still allowed, in the unit of the height.

    Returns:
        A verdict on every sample of each hop. Untested if there is none. Its margin is `tol` less the largest
        deviation.

    Example:
        >>> from breadcrumb import seconds
        >>> from breadcrumb.testing import make_trace
        >>> heights = [{"gull": {"z": z}} for z in (0.0, 1.0, 0.0)]
        >>> trace = make_trace(heights, kinds={"gull": "gull"}, events=[(0, "gull.hop", "gull")])
        >>> follows_arc(trace.one("gull").z, 1.0, over=seconds(0.2), at=trace.events("gull.hop")).outcome
        'held'
    """
    start = signal.at(at)
    ground = start if base is None else start * 0.0 + base

    def due(began: Floats, ended: Floats, share: Floats, moment: Ints) -> Floats:
        return began + peak * 4 * share * (1 - share)

    return _along(signal, at, ground, ground, Timing.of(over, None, at), due, tol)


@check("{signal:title} follows {keys:size} key points after {at}")
def follows_keys(
    signal: Amount,
    keys: Sequence[tuple[Duration, float]],
    *,
    at: Moments,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that after moments a value follows key points, straight from one to the next.

    Args:
        signal: the value.
        keys: when after the moment it has which value; durations that rise, of one unit.
        at: the moments; their subject is the object whose value it is.
        tol: how far off is still allowed, in the unit of the value.

    Returns:
        A verdict on every sample from each moment to the last key. Untested if there is none. Its margin is `tol` less
        the largest deviation.

    Raises:
        Misuse: there are fewer than two keys, or their durations do not rise.

    Example:
        >>> from breadcrumb import seconds
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> glow = trace.one("skiff").position.x
        >>> follows_keys(glow, [(seconds(0), 2.0), (seconds(0.1), 3.0)], at=trace.events("bell.rung")).outcome
        'held'
    """
    times = [duration(time, "keys") for time, _ in keys]
    rising = all(a.unit == b.unit and a.value < b.value for a, b in pairwise(times))
    if len(keys) < 2 or not rising:
        raise Misuse("follows_keys: expected two keys or more, with durations of one unit that rise")
    last = times[-1].value
    indices, values = [time.value / last for time in times], [value for _, value in keys]

    def due(began: Floats, ended: Floats, share: Floats, moment: Ints) -> Floats:
        return np.asarray(np.interp(share, indices, values))

    start = signal.at(at)
    return _along(signal, at, start, start, Timing.of(times[-1], None, at), due, tol)


@check("{signal:title} oscillates by {amplitude} about {centre} with a period of {period}", passes_on=True)
def oscillates(
    signal: Amount,
    *,
    centre: float,
    amplitude: float,
    period: Duration,
    tol: float = 0.0,
    time_tol: Duration | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a value swings in a sine about a centre; each part of it is reported.

    A sine is fitted to each lifetime by least squares (Gauss-Newton from the given period), and its centre, amplitude
    and period are judged. Every sample is judged against the sine with the given centre, amplitude and period, in the
    phase that fits the lifetime best, or, where a change amid it spoils that one, the longest part from its beginning.
    A wrong centre, amplitude or period is told on the first sample that differs from this sine, else on the last one.

    Args:
        signal: the value.
        centre: the value about which it swings.
        amplitude: how far it swings to either side.
        period: how long one swing takes, in seconds.
        tol: how far off the centre, the amplitude and every sample may be, in the unit of the value.
        time_tol: how far off the period may be; None for a thousandth of it.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on centre, amplitude, period and every sample. Untested if no lifetime has two whole swings; undecided
        are samples without a value in those that have. Its margin is that of the tightest part.

    Example:
        >>> import math
        >>> from breadcrumb import seconds
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"b": {"z": 0.25 + 0.35 * math.sin(math.pi * n / 10)}} for n in range(60)]
        >>> buoy = make_trace(states, kinds={"b": "buoy"}).one("buoy")
        >>> oscillates(buoy.z, centre=0.25, amplitude=0.35, period=seconds(2), tol=0.001).outcome
        'held'
    """
    every = duration(period, "period")
    if every.unit != "s":
        raise Misuse(f"oscillates: expected a period in seconds, found {every}")
    seen = Scope(during, except_during).of(signal)
    if every.value <= 2 * signal.track.shortest_and_longest_step[1] + SAME_TIME:
        _refuse_a_short_period(every, signal.track.steps)
    usual = float(np.median(seen.noise)) if len(seen) else 0.0
    noise = usual + _FIT_NOISE * amplitude
    fit = wave_fit(seen.track, seen.parts[0], seen.usable, Sine(centre, amplitude, every.value), tol + noise)
    if not len(fit.differs):
        why = seen.track.unseen or "no lifetime has two whole swings"
        return Verdict(UNNAMED, Outcome.UNTESTED, signal.track.session.label, of="lifetimes", why_untested=why)
    of_lifetime = seen.take(fit.differs)
    close = time_tol.value if time_tol is not None else every.value / 1000
    parts = []
    for what, found, due, unit, near in (
        ("period", fit.period, every.value, "s", close),  # the first in a tie: a wrong one spoils the others
        ("centre", fit.centre, centre, signal.unit, tol),
        ("amplitude", fit.amplitude, amplitude, signal.unit, tol),
    ):
        rounding = _FIT_NOISE * (abs(due) + (amplitude if unit == signal.unit else 0.0))
        name = f"{what} of {signal.name}"
        fitted = replace(of_lifetime, name=name, parts=(found,), unit=unit, known_noise=rounding, valid=None)
        words = f"its {what} is {amount(due, unit)}{plus_minus(near, unit)}"
        parts.append(told_of(what, judge_near(fitted, due, tol=near)).with_sentence(words))
    known = seen.take(fit.indices)
    known = replace(known, known_noise=noise)
    lost = int(np.isin(seen.track.lifetime[~seen.usable], known.track.lifetime[known.track.starts]).sum())
    course = judge_near(known, fit.due, tol=tol, undecided=lost).with_sentence("it follows the wave")
    finite = np.isfinite(seen.parts[0]) | ~seen.usable
    if not finite.all():
        numbers: Signal = derived(seen, sort=Sort.FLAG, parts=(finite,), unit="", known_noise=None)
        said = Phrase("not a number", "a number", f"{signal.name} is not a number")
        parts.append(judge_flag(numbers, said).with_sentence("every value is a number"))
    return all_of(*parts, demand(course, signal, **common))  # in a tie, what is wrong about the wave tells more


def _refuse_a_short_period(period: Duration, steps: Floats) -> None:
    frame = float(np.median(steps[steps > 0]))
    if period.value <= 2 * frame + SAME_TIME:
        raise Misuse(
            f"oscillates: a period of {period} is no longer than two frames of {frame:.4g} s, between which no swing "
            "can be seen; record more often"
        )


def _end_with(to: Operand, start: Signal, value: Signal, at: Moments, timing: Timing, *, turns: bool) -> Signal:
    """Return the value that a movement ends with; of an angle, with as many full turns as it then has."""
    end: Signal = start * 0.0 + to
    full = FULL_TURNS.get(value.unit)
    if full is None or not turns or value.track.unseen:
        return end
    last = start.parts[0].copy()
    for total in np.unique(timing.whole).tolist():  # the durations of a group are few
        reached = value.after(at, Duration(total, timing.unit))
        there = (timing.whole == total) & reached.usable
        last[there] = reached.parts[0][there]
    return replace(end, parts=(end.parts[0] + full * np.round((last - end.parts[0]) / full),))


def _along(
    value: Signal,
    at: Moments,
    start: Signal,
    end: Signal,
    timing: Timing,
    due: Callable[[Floats, Floats, Floats, Ints], Floats],
    tol: float,
) -> Verdict:
    """Judge the samples from each moment to its end against a curve, given what it begins and ends with.

    The end is the first sample at or after the duration: there the share of the time is 1.
    """
    axis = TimeAxis.of(value.track.session.clock, timing.unit).values
    kept, moment = _running(value.track, at, axis, timing)
    value = value.take(kept)
    track, begun = value.track, at.clock_index[moment]
    over = timing.over[moment]
    passed = axis[track.clock_index] - axis[begun] - timing.delay[moment]
    share = np.clip(passed / np.where(over > 0, over, 1.0), 0.0, 1.0)
    share = np.where(passed >= over - SAME_TIME, 1.0, share)
    began, ended = (_of_moment(one, moment) for one in (start, end))
    torn = track.session.is_torn(begun, track.clock_index)
    known = began.usable & ended.usable & ~torn  # behind a gap, another moment may have come
    # the value on a moment's own frame says nothing alone: that is where it begins
    alone = np.bincount(moment, minlength=max(at.count, 1))[moment] == 1
    known &= ~(alone & (passed <= 0) & (over > 0))
    expected = at_samples(value, np.arange(track.size), "the curve")
    curve = due(began.parts[0], ended.parts[0], share, moment)
    expected = replace(expected, parts=(curve,), valid=expected.usable & known)
    return judge_near(value, expected, tol=tol)


def _running(track: Track, at: Moments, axis: Floats, timing: Timing) -> tuple[Rows, Ints]:
    """Return the samples from each moment to its end, and the moment of each."""
    runs = runs_after(track, at)
    over = (axis[at.clock_index] + timing.delay + timing.over)[runs.moment]
    reached = runs.place(np.searchsorted(axis, over - SAME_TIME))
    behind = runs.place(np.searchsorted(axis, over + SAME_TIME, side="right"))
    # the first sample that is not before the end tells if it was reached
    behind = np.maximum(behind, np.minimum(reached + (reached > runs.starts), runs.ends))
    return rows_between(runs.starts, behind), np.repeat(runs.moment, behind - runs.starts)


def _of_moment(picked: Signal, moment: Ints) -> Signal:
    """Return, for each sample, the value that was picked at its moment."""
    return replace(picked, parts=(picked.parts[0][moment],), valid=picked.usable[moment])
