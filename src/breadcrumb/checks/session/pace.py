"""Whether a game keeps its frame time, and plays alike at any frame rate."""

from collections.abc import Callable, Sequence
from typing import Unpack

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, duration
from breadcrumb.algebra.kernels import interpolated
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, demand, of_measure
from breadcrumb.checks.scoping import frames_asked_about
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Floats
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.comparing import judge_near
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase, forgive_noise
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict, all_of
from breadcrumb.verdicts.words import amount


@check("[{share:percent} of the frames take|a frame takes] at most {at_most}")
def keeps_pace(
    trace: Trace,
    at_most: Duration,
    *,
    share: float = 1.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that frames take no longer than they should, by the real clock.

    Args:
        trace: the session; its frames tell `wall`.
        at_most: the longest time from one frame to the next, in seconds.
        share: the share of frames that must keep to it; 0.99 forgives one in a hundred.
        during: judge only the frames in any of these spans.
        except_during: judge only the frames in none of these spans, such as those in which a level loads.

    Returns:
        A verdict on every frame but the first, or with a share on those that must keep to it. Untested if the frames
        tell no real time. Its margin is the time that was left.

    Example:
        >>> from breadcrumb import seconds
        >>> from breadcrumb.testing import small_trace
        >>> keeps_pace(small_trace(), seconds(0.02)).why_untested
        'the frames have no real time (wall)'
    """
    session = trace.data.session
    clock = session.clock
    limit = duration(at_most, "at_most")
    if clock.wall is None or limit.unit != "s":
        if limit.unit != "s":
            raise Misuse(f"keeps_pace: expected a time in seconds, found {limit}")
        return Verdict(
            UNNAMED, Outcome.UNTESTED, session.label, of="frames", why_untested="the frames have no real time (wall)"
        )
    clock_index = frames_asked_about(session, during, except_during)
    clock_index = clock_index[clock_index > 0]
    took = clock.wall[clock_index] - clock.wall[clock_index - 1]
    timed = np.isfinite(took)
    untimed = int(np.count_nonzero(~timed))
    clock_index, took = clock_index[timed], took[timed]
    allowed = int(np.floor((1 - share) * len(took) + 1e-9))
    kept = np.sort(np.argsort(took, kind="stable")[: len(took) - allowed])
    clock_index, took = clock_index[kept], took[kept]
    nobody = np.full(len(clock_index), NOBODY)

    def phrase(index: int) -> Phrase:
        over = float(took[index]) - limit.value
        return Phrase(amount(float(took[index]), "s"), f"at most {limit}", f"{amount(over, 's')} too long")

    margin = forgive_noise(limit.value - took, SAME_TIME)
    evaluation = Evaluation(
        session, clock_index, nobody, nobody, margin, phrase, of="frames", unit="s", allowed=limit.value,
        undecided=untimed,
        plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


@check(
    "{measure:measured} is the same at any frame rate[per_frame?, counted in frames]", unit=of_measure, passes_on=True
)
def same_at_any_rate(
    traces: Sequence[Trace],
    measure: Callable[[Trace], Signal],
    *,
    per_frame: bool = False,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that sessions of one script at other frame rates agree in time with the first of them.

    The first session's value is taken, straight between its samples, at the times of each other's samples.

    Args:
        traces: sessions of the same script, two or more; the first is what the others are compared with.
        measure: gives the number or vector of one object, such as `lambda trace: trace.one("boom").position`.
        per_frame: whether they agree on the frames of equal numbers instead, as what is specified by frames does.
        tol: how far apart they may be, in the unit of the value.

    Returns:
        A verdict on every sample of the others. Untested if there is only one session, or all have frames at the same
        times. Its margin is `tol` less the largest difference.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> fast = make_trace([{"b": {"x": 0.1 * n}} for n in range(5)], kinds={"b": "boom"})
        >>> slow = make_trace([{"b": {"x": 0.2 * n}} for n in range(3)], kinds={"b": "boom"}, times=(0.0, 0.2, 0.4))
        >>> same_at_any_rate([fast, slow], lambda trace: trace.one("boom").x).outcome
        'held'
    """
    why = _why_of_one_rate(traces)
    if why:
        return Verdict(UNNAMED, Outcome.UNTESTED, traces[0].label if len(traces) else "", why_untested=why)
    first = measure(traces[0])
    known, since = first.usable, _passed(first, per_frame)
    verdicts = []
    for other in traces[1:]:
        value = measure(other)
        at = _passed(value, per_frame)
        inside = (at >= since[known][0]) & (at <= since[known][-1]) if known.any() else np.zeros(len(at), np.bool_)
        value, at = value.take(np.flatnonzero(inside)), at[inside]
        parts = [interpolated(at, since[known], part[known]) for part in first.parts]
        due = np.stack(parts, axis=1) if len(parts) > 1 else parts[0]
        each = demand(judge_near(value, due, tol=tol), traces, **common)
        verdicts.append(each.with_sentence(f"{value.title} is the same in {other.label} as in {traces[0].label}"))
    return verdicts[0] if len(verdicts) == 1 else all_of(*verdicts)


def _why_of_one_rate(traces: Sequence[Trace]) -> str:
    """Return why sessions cannot be compared across frame rates; empty if they can."""
    if len(traces) < 2:
        return f"{len(traces)} of 2 sessions"
    times = [one.data.session.clock.times for one in traces]
    size = min(map(len, times))
    if all(np.array_equal(times[0][:size], one[:size]) for one in times[1:]):
        return "all sessions have frames at the same times"
    return ""


def _passed(signal: Signal, per_frame: bool) -> Floats:
    """Return what has passed at each sample, in seconds or in frames."""
    if not per_frame:
        return signal.times
    return np.asarray(signal.frames - signal.track.session.clock.frames[0], np.float64)
