"""Checks of what numbers, flags and texts are."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, Unpack

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.along import as_angle, at_samples, first_of_lifetime, first_of_runs, stretch_starts
from breadcrumb.algebra.durations import SAME_TIME, Duration, TimeAxis, duration
from breadcrumb.algebra.kernels import interpolated, value_runs
from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.on_demand import Computed, Held
from breadcrumb.algebra.segments import Segments, joined
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Angle, Flag, Number, Text
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.checks.dealing import no_other_change
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.exclusively import exclusively
from breadcrumb.checks.kinds import Amount, Measure
from breadcrumb.errors import Misuse
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.verdicts.comparing import Scope, judge_near
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict, all_of


@check("{signal:title} equals {expected}")
def equals(
    signal: Signal,
    expected: Signal | float | bool | str | Sequence[float] | NDArray[Any],
    *,
    tol: float = 0.0,
    rel_tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a value is what its formula says: a number, a vector, a flag, a text, or another signal.

    Angles are compared by the turn between them.

    Args:
        signal: the value, on all samples or picked at moments.
        expected: what it should be.
        tol: how far off is still allowed, in the unit of the value.
        rel_tol: what may be added to that, as a share of the expected value.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is the tolerance less the largest deviation,
        and there is none for flags, texts, or if no deviation is allowed at all.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> equals(boat.position.x, boat.position.norm()).outcome
        'held'
    """
    scope = Scope(during, except_during)
    return judge_near(signal, expected, tol=tol, rel_tol=rel_tol, scope=scope)


@check("{segments:title} is the same across {segments:across}[relative?, relative to its start]", whole=True)
def same_across(
    segments: Sequence[Measure], *, relative: bool = False, tol: float = 0.0, **common: Unpack[Common]
) -> Verdict:
    """Assert that a value goes the same way each time: the second play, cycle, hold or participant is like the first.

    The first segment is what the others are compared with, at equal times from their beginning, straight between its
    samples, as far as it lasts.

    Args:
        segments: a value in several spans, as `signal.per(spans)` gives it, or a list of signals of one unit: numbers,
            vectors or angles.
        relative: whether each is counted from the value with which it begins.
        tol: how far apart they may be, in the unit of the value.

    Returns:
        A verdict on every sample in the second and later segments. Untested if there is only one. Its margin is `tol`
        less the largest difference.

    Raises:
        Misuse: the list is empty, or its signals differ in unit, parts or space.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> hops = [{"gull": {"z": z, "up": z > 0}} for z in (0.0, 1.0, 2.0, 0.0, 1.0, 2.5, 0.0)]
        >>> gull = make_trace(hops, kinds={"gull": "gull"}).one("gull")
        >>> same_across(gull.z.per(gull.up.spans())).first.frame
        5
    """
    whole = segments.signal if isinstance(segments, Segments) else None
    pieces = segments.with_samples() if isinstance(segments, Segments) else [one for one in segments if len(one)]
    if whole is None and not segments:
        raise Misuse("same_across: expected signals to compare, as signal.per(spans) gives them, found none")
    leading = whole if whole is not None else segments[0]
    if len(pieces) < 2:
        why = leading.track.unseen or f"{len(pieces)} of 2 segments"
        return Verdict(UNNAMED, Outcome.UNTESTED, leading.track.session.label, of="samples", why_untested=why)
    of_session: dict[int, list[Signal]] = {}
    for one in pieces[1:]:
        of_session.setdefault(id(one.track.session), []).append(one)
    first, _, passed = _timed(pieces[:1], relative)
    known = first.usable
    verdicts = []
    for several in of_session.values():  # each on its own clock
        found, _, since = _timed(several, relative)
        later = np.flatnonzero(since <= passed[known].max(initial=-1.0) + SAME_TIME)
        parts = [interpolated(since[later], passed[known], part[known]) for part in first.parts]
        due = np.stack(parts, axis=1) if len(parts) > 1 else parts[0]
        judged = found.take(later)
        verdicts.append(judge_near(as_angle(judged) if leading.is_angle else judged, due, tol=tol))
    return verdicts[0] if len(verdicts) == 1 else all_of(*verdicts)


def _timed(pieces: Sequence[Signal], relative: bool) -> tuple[Signal, Ints, Floats]:
    """Return the values of pieces of one session, which piece each is of, and how long after its start."""
    inside, piece = joined([one.unwrapped() if one.is_angle else one for one in pieces])
    times = replace(inside, parts=(inside.track.times,), valid=None)
    starts = value_runs(piece)[0]
    passed = inside.track.times - first_of_runs(times, starts).parts[0]
    return inside - first_of_runs(inside, starts) if relative else inside, piece, passed


@check("{signal:title} shows {value}[ as {form}]")
def shows(
    signal: Text,
    value: Number | Angle | Flag | Text,
    *,
    form: str | Callable[[Any], str] = "{}",
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a caption shows the value that it stands for.

    Args:
        signal: the caption.
        value: the value, of the same object or of one that is there alone.
        form: how the value is shown, a format such as `"{:.1f} C"`, or a function of the value.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [
        ...     {"heron": {"warmth": 36.0, "caption": "36.0 C"}},
        ...     {"heron": {"warmth": 36.5, "caption": "36.0 C"}},
        ... ]
        >>> boat = make_trace(states, kinds={"heron": "skiff"}).one("skiff")
        >>> shows(boat.caption, boat.warmth, form="{:.1f} C").first.measured
        "'36.0 C'"
    """
    if signal.texts is None and not signal.track.unseen:
        raise Misuse(f"shows: expected a text, and {signal.name} holds other values")
    write = form.format if isinstance(form, str) else form
    text, value = meet_tracks(signal, value)
    begins, lengths = value_runs(value.parts[0])  # what stays is written once
    distinct, where = np.unique(value.parts[0][begins], return_inverse=True)
    shown = distinct.tolist() if value.texts is None else [value.texts[code] for code in distinct.tolist()]
    known: dict[str, int] = {}
    codes = np.array([known.setdefault(write(one), len(known)) for one in shown], np.int64)
    codes = np.repeat(codes[where], lengths)
    due = Text(text.track, value.name, (codes,), value.valid, "", tuple(known), text.owner)
    return judge_near(text, due, scope=Scope(during, except_during))


@check("{signal:title} stays what it first is")
def conserves(
    signal: Measure,
    *,
    tol: float = 0.0,
    rel_tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a quantity stays what it first was in each lifetime, such as a sum of momenta or an energy.

    Args:
        signal: the quantity; `sum_over_objects(...)` gives one over all objects.
        tol: how far off is still allowed, in the unit of the quantity.
        rel_tol: what may be added to that, as a share of the first value.
        during: judge only inside these spans; the first value is that of the first sample in them.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is the tolerance less the largest deviation.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> conserves(small_trace().one("skiff").position.x, tol=2.0).first.measured
        '3 m'
    """
    seen = Scope(during, except_during).of(signal)
    return judge_near(seen, first_of_lifetime(seen), tol=tol, rel_tol=rel_tol)


@check("{signal:title} is equal and opposite to {other:title}")
def opposes(
    signal: Measure,
    other: Measure,
    *,
    tol: float = 0.0,
    rel_tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that two values are equal and opposite, as the forces of a pair are.

    Args:
        signal: the one, a number or a vector.
        other: the other, of the same object or of one that is there alone.
        tol: how far off is still allowed, in the unit of the values.
        rel_tol: what may be added to that, as a share of the other.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample that both have. Untested if there is none. Its margin is the tolerance less the
        largest deviation.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> opposes(boat.velocity, -boat.velocity).outcome
        'held'
    """
    scope = Scope(during, except_during)
    return judge_near(signal, -other, tol=tol, rel_tol=rel_tol, scope=scope)


@check("{signal:title} begins each lifetime with the last one's value[ {step:signed}]", whole=True)
def carries_over(signal: Amount, step: float = 0.0, *, tol: float = 0.0, **common: Unpack[Common]) -> Verdict:
    """Assert what an object's next lifetime begins with: the value that the lifetime before ended with, plus a step.

    Args:
        signal: the number.
        step: what is added from one lifetime to the next.
        tol: how far off is still allowed, in the unit of the value.

    Returns:
        A verdict on every lifetime of an id but its first. Untested if there is none. Its margin is `tol` less the
        largest deviation.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> lifetimes = [{"tub": {"top": 0.7}}, {}, {"tub": {"top": 1.4}}]
        >>> carries_over(make_trace(lifetimes, kinds={"tub": "tub"}).one("tub").top, 0.7).outcome
        'held'
    """
    track = signal.track
    starts = track.starts
    ends = np.hstack((starts[1:], track.size))[: len(starts)] - 1
    order = np.lexsort((track.clock_index[starts], track.name[starts]))
    same = track.name[starts[order]][1:] == track.name[starts[order]][:-1]
    former, later = ends[order][:-1][same], starts[order][1:][same]
    indices = np.full(track.size, NOBODY)
    indices[later] = former
    due = at_samples(signal, indices, f"{signal.name} of the lifetime before")
    kept = np.sort(later)
    return judge_near(signal.take(kept), due.take(kept) + step, tol=tol)


@check(
    "{signal:title} falls by {amount} every {every} during {during}[low?, down to {low}][only?, and at no other time]"
)
def drains(
    signal: Number,
    amount: float,
    *,
    every: Duration,
    during: Spans,
    low: float = 0.0,
    only: bool = True,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a number falls by a fixed amount at regular intervals during spans, and stays at other times.

    Args:
        signal: the number.
        amount: by how much it falls each time.
        every: how long after a span's first sample it falls first, and how far apart it falls.
        during: the spans in which it falls; those without a subject hold for every object.
        low: the value below which it does not fall.
        only: whether any other change is a breach.
        tol: how far off is still allowed, in the unit of the value.

    Returns:
        A verdict on every sample. Untested if no sample lies in a span; undecided in one that may have begun before its
        first sample: at the start of the trace, or behind a gap or a missing value. Its margin is `tol` less the
        largest deviation.

    Example:
        >>> from breadcrumb import seconds
        >>> from breadcrumb.testing import make_trace
        >>> oil = (
        ...     make_trace([{"lamp": {"oil": oil}} for oil in (0.0, 10.0, 10.0, 7.0)], kinds={"lamp": "lamp"})
        ...     .one("lamp")
        ...     .oil
        ... )
        >>> drains(oil, 3.0, every=seconds(0.2), during=(oil > 0).spans(), only=False).outcome
        'held'
    """
    every = duration(every, "every")
    inside = signal.during(during)
    track = inside.track
    axis = TimeAxis.of(track.session.clock, every.unit).values
    starts = _starts_in(track, during)
    base, began = first_of_runs(inside, starts), Held(axis[track.clock_index[starts]], starts, track.size)

    def value_due(rows: Rows) -> Floats:
        rounds = np.floor((axis[track.clock_index[rows]] - began[rows]) / every.value + SAME_TIME)
        first = base.parts[0][rows]
        return np.asarray(np.maximum(first - amount * rounds, np.minimum(first, low)))

    parts: Any = (Computed(value_due, track.size),)
    due = replace(base, parts=parts, valid=base.usable & ~_begun_unseen(signal, inside, starts))
    falls = judge_near(inside, due, tol=tol).with_sentence("it falls during the spans")
    if not only:
        return falls
    exempt = during.over(signal.track)  # but the first sample of a span, at which nothing is due yet
    exempt[1:] &= exempt[:-1]
    exempt &= ~signal.track.first_of_lifetime
    if during.unknown is not None:  # a change that is seen behind a missing flag may have been due
        unknown = during.unknown.over(signal.track)
        exempt |= unknown | np.hstack((False, unknown[:-1]))
    return exclusively(falls, no_other_change(signal, exempt, tol), "no other change")


def _begun_unseen(signal: Signal, inside: Signal, starts: Ints) -> Bools:
    """Return which samples lie in a span whose begin was not seen, given those in spans, and where each span begins."""
    track, session = inside.track, inside.track.session
    clock_index, lifetime = track.clock_index[starts], track.lifetime[starts]
    before = signal.track.find(lifetime, clock_index - 1)
    known = (before != NOBODY) & signal.usable[before]
    appeared = session.seen_to_appear[lifetime] == clock_index
    unseen = (clock_index == 0) | np.isin(clock_index, session.gaps) | ~(known | appeared)
    return np.asarray(np.repeat(unseen, np.diff(starts, append=track.size)))


def _starts_in(track: Track, spans: Spans) -> Ints:
    """Return the indices of samples within spans at which a lifetime or a span begins."""
    by_time, begins = [], [track.starts]
    for match in matches(track, spans.participants):
        first = spans.first[match.right_rows]
        if match.by_time:
            by_time.append(np.searchsorted(np.sort(first), track.clock_index, side="right"))
        else:
            begins.append(track.place(match.right, first))
    begins.append(stretch_starts(track, *by_time))
    every = np.unique(np.concatenate(begins))
    return every[: np.searchsorted(every, track.size)]
