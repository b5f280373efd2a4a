"""Checks of values that follow a curve: easings, hops, waves and key points."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from breadcrumb.algebra.along import at_samples, latest
from breadcrumb.algebra.arithmetic import Operand, called
from breadcrumb.algebra.durations import SAME_TIME, Duration, duration
from breadcrumb.algebra.easing import Curve, curve_of, wave_fit
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Floats
from breadcrumb.verdicts.comparing import Scope, judge_near
from breadcrumb.verdicts.verdict import Verdict, all_of
from breadcrumb.verdicts.words import amount, plus_minus

_FIT_NOISE = 1e-9
"""How far rounding may move what a fit finds, as a share of the values."""


def eases(
    signal: Signal,
    *,
    at: Moments,
    over: Duration,
    to: Operand | None = None,
    by: Operand | None = None,
    curve: str | Curve | Sequence[tuple[float, float]] = "linear",
    delay: Duration | None = None,
    tol: float = 0.0,
    occasions: int = 1,
) -> Verdict:
    """Assert that after moments a value eases from what it then is to a target along a curve, and ends exactly there.

    It is judged from the moment until the duration is over, on the first sample at or after which it must be there; a
    new moment of the same subject begins again from the value that it then has. Angles are unwrapped.

    Args:
        signal: the value.
        at: the moments; their subject is the object that moves, or they are nobody's that the signal has.
        over: how long it takes.
        to: the value that it ends with; a number, or a value for each moment.
        by: what it ends with less what it begins with, instead of `to`.
        curve: a name of `CURVES`, a function from 0..1 to the share of the way, or key points (share of the time, share
            of the way).
        delay: how long it waits before.
        tol: how far off is still allowed, in the unit of the value.
        occasions: how many moments there must be at the least.

    Returns:
        A verdict on every sample from each moment to its end. Idle if there is none. Its margin is `tol` less the
        largest deviation.

    Raises:
        Misuse: neither or both of `to` and `by` are given, or there is no such curve.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> eases(trace.one("skiff").position.x, at=trace.events("bell.rung"), by=1.0, over=frames(1)).outcome
        'held'
    """
    if (to is None) == (by is None):
        raise Misuse("eases: expected one of to= and by=, the value that it ends with or the change")
    shape = curve_of(curve)
    value = signal.unwrapped() if signal.is_angle else signal
    start = value.at(at)
    end = (start * 0.0 + to) if to is not None else start + by  # type: ignore[operator]

    def due(began: Floats, ended: Floats, share: Floats) -> Floats:
        return np.asarray(began + (ended - began) * shape(share))

    name = curve if isinstance(curve, str) else "its curve"
    target = f"to {called(to)}" if to is not None else f"by {called(by)}"
    sentence = f"{signal.title} eases {target} {signal.unit}".rstrip() + f" in {over} along {name} after {at.label}"
    return _along(value, at, start, end, over, delay, due, sentence, tol, occasions)


def arcs(
    signal: Signal,
    peak: float,
    over: Duration,
    *,
    at: Moments,
    base: float | None = None,
    tol: float = 0.0,
    occasions: int = 1,
) -> Verdict:
    """Assert that after moments a height follows a hop: h = base + peak * 4u(1 - u), for the share u of the time.

    Args:
        signal: the height.
        peak: how high the hop is above its base, half-way.
        over: how long it takes.
        at: the moments; their subject is the object that hops.
        base: the height on which it begins and ends; None for the height that it then has.
        tol: how far off is still allowed, in the unit of the height.
        occasions: how many hops there must be at the least.

    Returns:
        A verdict on every sample of each hop. Idle if there is none. Its margin is `tol` less the largest deviation.

    Example:
        >>> from breadcrumb import seconds
        >>> from breadcrumb.testing import make_trace
        >>> heights = [{"gull": {"z": z}} for z in (0.0, 1.0, 0.0)]
        >>> trace = make_trace(heights, kinds={"gull": "gull"}, events=[(0, "gull.hop", "gull")])
        >>> arcs(trace.one("gull").z, 1.0, seconds(0.2), at=trace.events("gull.hop")).outcome
        'held'
    """
    start = signal.at(at)
    ground = start if base is None else start * 0.0 + base

    def due(began: Floats, ended: Floats, share: Floats) -> Floats:
        return began + peak * 4 * share * (1 - share)

    sentence = f"{signal.title} hops {amount(peak, signal.unit)} high in {over} after {at.label}"
    return _along(signal, at, ground, ground, over, None, due, sentence, tol, occasions)


def follows_keys(
    signal: Signal,
    keys: Sequence[tuple[Duration, float]],
    *,
    at: Moments,
    tol: float = 0.0,
    occasions: int = 1,
) -> Verdict:
    """Assert that after moments a value follows key points, straight from one to the next.

    Args:
        signal: the value.
        keys: when after the moment it has which value; durations that rise, of one unit.
        at: the moments; their subject is the object whose value it is.
        tol: how far off is still allowed, in the unit of the value.
        occasions: how many moments there must be at the least.

    Returns:
        A verdict on every sample from each moment to the last key. Idle if there is none. Its margin is `tol` less the
        largest deviation.

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
    places, values = [time.value / last for time in times], [value for _, value in keys]

    def due(began: Floats, ended: Floats, share: Floats) -> Floats:
        return np.asarray(np.interp(share, places, values))

    start = signal.at(at)
    sentence = f"{signal.title} follows {len(keys)} keys after {at.label}"
    return _along(signal, at, start, start, times[-1], None, due, sentence, tol, occasions)


def oscillates(
    signal: Signal,
    *,
    centre: float,
    amplitude: float,
    period: Duration,
    tol: float = 0.0,
    period_tol: Duration | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that a value swings in a sine about a centre; each part of it is reported.

    A sine is fitted to each life by least squares (Gauss-Newton from the given period), and its centre, amplitude and
    period are judged; then every sample is judged against the sine with the given centre, amplitude and period in the
    fitted phase.

    Args:
        signal: the value.
        centre: the value about which it swings.
        amplitude: how far it swings to either side.
        period: how long one swing takes, in seconds.
        tol: how far off the centre, the amplitude and every sample may be, in the unit of the value.
        period_tol: how far off the period may be; None for a thousandth of it.
        during: judge only inside these spans.
        except_during: judge only outside these spans.
        occasions: how many samples there must be at the least.

    Returns:
        A verdict on centre, amplitude, period and every sample. Idle if no life has two whole swings; undecided are
        samples without a value in those that have. Its margin is that of the tightest part.

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
    sentence = f"{signal.title} swings {amount(amplitude, signal.unit)} about {amount(centre, signal.unit)}"
    sentence += f" every {every}{plus_minus(tol, signal.unit)}"
    fit = wave_fit(seen.track, seen.parts[0], seen.usable, every.value)
    first = fit.first
    if not len(first):
        why = seen.track.unseen or "no life has two whole swings"
        return Verdict(sentence, "idle", signal.track.session.label, of="lives", why_idle=why)
    of_life = seen.take(first)
    close = period_tol.value if period_tol is not None else every.value / 1000
    parts = []
    for what, found, due, unit, near in (
        ("centre", fit.centre, centre, signal.unit, tol),
        ("amplitude", fit.amplitude, amplitude, signal.unit, tol),
        ("period", fit.period, every.value, "s", close),
    ):
        noise = _FIT_NOISE * (abs(due) + (amplitude if unit == signal.unit else 0.0))
        name = f"{what} of {signal.name}"
        fitted = replace(of_life, name=name, parts=(found,), unit=unit, known_noise=noise, valid=None)
        words = f"{what} of {signal.title} is {amount(due, unit)}{plus_minus(near, unit)}"
        parts.append(judge_near(fitted, due, words, tol=near))
    known = seen.take(fit.places)
    swing = centre + amplitude * np.sin(2 * np.pi * known.times / every.value + fit.phase)
    known = replace(known, known_noise=np.max(known.noise) + _FIT_NOISE * amplitude)
    lost = int(np.isin(seen.track.life[~seen.usable], known.track.life).sum())
    parts.append(judge_near(known, swing, sentence, tol=tol, scope=Scope(occasions=occasions), undecided=lost))
    return all_of(*parts).saying(sentence)


def _along(
    value: Signal,
    at: Moments,
    start: Signal,
    end: Signal,
    over: Duration,
    delay: Duration | None,
    due: Callable[[Floats, Floats, Floats], Floats],
    sentence: str,
    tol: float,
    occasions: int,
) -> Verdict:
    """Judge the samples from each moment to its end against a curve, given what it begins and ends with.

    The end is the first sample at or after the duration: there the share of the time is 1.
    """
    over = duration(over, "over")
    wait = 0.0 if delay is None else duration(delay, "delay").value
    if delay is not None and delay.unit != over.unit:
        raise Misuse(f"delay: expected one in the unit of {over}, found {delay}")
    track = value.track
    clock = track.session.clock
    axis: Floats = np.asarray(clock.frames if over.unit == "frames" else clock.times, np.float64)
    moment = latest(track, at)
    safe = np.where(moment == NOBODY, 0, moment)
    if not at.count:
        safe = safe[:0]
        moment = moment[:0]
        value = value.take(safe)
        track = value.track
    passed = axis[track.row] - axis[at.row[safe]] - wait if at.count else np.zeros(0)
    before = np.r_[-np.inf, passed[:-1]][: len(passed)]
    same = np.r_[False, (moment[1:] == moment[:-1]) & (track.life[1:] == track.life[:-1])][: len(passed)]
    running = (moment != NOBODY) & ((passed <= over.value + SAME_TIME) | (same & (before < over.value - SAME_TIME)))
    share = np.clip(passed / over.value, 0.0, 1.0)
    share = np.where(passed >= over.value - SAME_TIME, 1.0, share)
    kept = np.flatnonzero(running)
    began, ended = (_of_moment(one, moment) for one in (start, end))
    known = began.usable & ended.usable
    expected = at_samples(value, np.arange(track.size), "the curve")
    curve = due(began.parts[0], ended.parts[0], share)
    expected = replace(
        expected, parts=(curve,), valid=expected.usable & known, known_noise=np.max(value.noise, initial=0.0)
    )
    unit = value.unit
    return judge_near(
        value.take(kept),
        expected.take(kept),
        sentence + plus_minus(tol, unit),
        tol=tol,
        scope=Scope(occasions=occasions),
    )


def _of_moment(picked: Signal, moment: np.ndarray[tuple[int, ...], np.dtype[np.int64]]) -> Signal:
    """Return, for each sample, the value that was picked at its moment."""
    safe = np.where(moment == NOBODY, 0, moment)
    if not len(picked):
        return replace(picked, parts=(np.zeros(len(moment)),), valid=np.zeros(len(moment), np.bool_))
    return replace(picked, parts=(picked.parts[0][safe],), valid=picked.usable[safe] & (moment != NOBODY))
