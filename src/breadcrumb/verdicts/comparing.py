"""Judging values against what they should be: within limits, or near an expected value."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Any, NamedTuple

import numpy as np

from breadcrumb.algebra.angles import turn_between
from breadcrumb.algebra.arithmetic import Operand
from breadcrumb.algebra.durations import is_number
from breadcrumb.algebra.kernels import lengths
from breadcrumb.algebra.meeting import meet
from breadcrumb.algebra.samples import FULL_TURNS, Sort, both
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.model.rows import Rows
from breadcrumb.model.session import Bools, Floats, Ints
from breadcrumb.verdicts.excerpts import PlotSource, level
from breadcrumb.verdicts.judging import Evaluation, Phrase, tolerance, within_scope
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.sweeping import AllTrue, Between, MarginOf
from breadcrumb.verdicts.verdict import UNNAMED, Verdict
from breadcrumb.verdicts.words import amount, number

_DIFFERS = "differs"
"""What is said of a flag or a text that is another one than it should be."""


class Scope(NamedTuple):
    """Which samples a check is asked about."""

    during: Spans | None = None
    except_during: Spans | None = None
    reach: int = 0
    """How many samples back a value reaches; it belongs to the spans if all of them do."""
    exempt: Bools | None = None
    """Which samples are not asked about whatever the spans are."""

    def of(self, signal: Signal) -> Signal:
        """Return the samples of a signal that are asked about; exempt ones may stay, without a value."""
        if self.exempt is not None:
            signal = replace(signal, valid=signal.usable & ~self.exempt)
        if self.during is None and self.except_during is None:
            return signal
        return within_scope(signal, self.during, self.except_during, self.reach, self.exempt)

    def skipped(self, signal: Signal) -> int:
        """Return how many samples need no value: exempt ones, and those that reach back beyond a lifetime's begin."""
        if signal.valid is None or self.during is not None or self.except_during is not None:
            return 0
        needless = np.zeros(signal.track.size, np.bool_) if self.exempt is None else self.exempt.copy()
        if not self.reach:
            return int(np.count_nonzero(needless))
        track = signal.track
        begins = track.starts[
            track.session.lifetimes.first[track.lifetime[track.starts]] == track.clock_index[track.starts]
        ]
        needless[begins[~signal.valid[begins]]] = True
        return int(np.count_nonzero(needless))


EVERYTHING = Scope()


def judge_between(
    measured: Signal,
    low: float | None,
    high: float | None,
    *,
    tol: float = 0.0,
    scope: Scope = EVERYTHING,
    position: Signal | None = None,
    say: Callable[[Signal, int], Phrase] | None = None,
) -> Verdict:
    """Judge that every value lies between two limits, each of which may be left out; the limits are inclusive.

    What is said of a breach may be given, as a function of the samples that are asked about, and of the index.
    """
    seen = scope.of(measured)
    tol = tolerance(tol)
    values, unit = seen.parts[0], seen.unit

    rule = Between(seen, -np.inf if low is None else low - tol, np.inf if high is None else high + tol)

    def usual(index: int) -> Phrase:
        limits = [f"at least {amount(low, unit)}"] if low is not None else []
        limits += [f"at most {amount(high, unit)}"] if high is not None else []
        way = "high" if high is not None and values[index] > high else "low"
        words = f"{amount(-float(rule(slice(index, index + 1))[0]), unit)} too {way}"
        return Phrase(amount(float(values[index]), unit), " and ".join(limits), words)

    lowest, highest = (None if one is None else level(one) for one in (low, high))
    span = high - low if low is not None and high is not None else None
    evaluation = Evaluation.of_samples(
        seen, rule, usual if say is None else partial(say, seen), noise=seen.noise_over,
        skipped=scope.skipped(seen), allowed=span or None,
        plot=PlotSource(seen, lowest, highest, position),
    )  # fmt: skip
    return _without_missing_moments(evaluation).verdict()


def judge_off(off: Signal, tol: float, *, scope: Scope = EVERYTHING, position: Signal | None = None) -> Verdict:
    """Judge that what was measured as a distance from what should be is no longer than a tolerance."""
    tol = tolerance(tol)
    values, unit = off.parts[0], off.unit

    def phrase(index: int) -> Phrase:
        far = float(values[index])
        return Phrase(amount(far, unit), f"at most {amount(tol, unit)}", f"{amount(far - tol, unit)} too far off")

    evaluation = Evaluation.of_samples(
        off, Between(off, -np.inf, tol), phrase, noise=off.noise_over, exact=not tol, allowed=tol or None,
        plot=PlotSource(off, None, level(tol), position),
    )  # fmt: skip
    return _without_missing_moments(evaluation).verdict()


def judge_flag(
    flag: Signal,
    said: Phrase | Callable[[int], Phrase],
    *,
    scope: Scope = EVERYTHING,
    position: Signal | None = None,
    undecided: int = 0,
) -> Verdict:
    """Judge that a flag is true everywhere; where it is not, the same is said of each, or what a function gives."""
    if flag.track.unseen:
        return untested(flag)
    seen = scope.of(flag)
    evaluation = Evaluation.of_samples(
        seen, AllTrue(seen), lambda index: said(index) if callable(said) else said, exact=True,
        unit="", skipped=scope.skipped(seen), undecided=undecided, plot=PlotSource(seen, position=position),
    )  # fmt: skip
    return _without_missing_moments(evaluation).verdict()


def judge_near(
    measured: Signal,
    expected: Operand | str,
    *,
    tol: float = 0.0,
    rel_tol: float = 0.0,
    scope: Scope = EVERYTHING,
    position: Signal | None = None,
    undecided: int = 0,
    verb: str = "",
) -> Verdict:
    """Judge that every value is the expected one, give or take a tolerance: numbers, angles, vectors, flags or texts.

    Vectors are compared by the length of their difference, angles by the turn from one to the other. Of values that
    were picked at moments, the missing ones are undecided. A breach is told with the verb, as `changes by 2 m`, or as
    too high, too low or off.
    """
    measured = measured.settled(expected)
    if measured.track.unseen:
        return untested(measured)
    if measured.texts is not None or measured.is_flag:
        return _judge_same(measured, expected, scope, verb or _DIFFERS)
    mine, yours = meet(measured, expected)
    size = len(mine.parts)
    valid = both(mine.valid, yours.valid)

    def noise(rows: Rows) -> float | Floats:
        return (np.asarray(mine.noise_over(rows)) + yours.noise_over(rows)) * size

    seen = scope.of(replace(mine, parts=(*mine.parts, *yours.parts), valid=valid, known_noise=noise))
    found, due = seen.parts[:size], seen.parts[size:]
    full = FULL_TURNS[mine.unit] if mine.is_angle else None
    turns = mine.sort is Sort.QUATERNION
    tol, rel_tol = tolerance(tol), tolerance(rel_tol, "rel_tol")
    unit = mine.unit

    def off_of(block: slice | Ints) -> Floats:
        return _off([part[block] for part in found], [part[block] for part in due], full, turns=turns)

    def allowed_of(block: slice | Ints) -> Floats | float:
        return tol + rel_tol * lengths([part[block] for part in due]) if rel_tol else tol

    rule: MarginOf = lambda block: allowed_of(block) - off_of(block)  # noqa: E731
    if size == 1 and full is None and not rel_tol and is_number(expected):
        looked_at = measured if seen.track is measured.track else seen  # what is known of its extremes serves again
        rule = Between(looked_at, float(expected) - tol, float(expected) + tol)  # type: ignore[arg-type]

    def phrase(index: int) -> Phrase:
        way = "off"
        if size == 1 and full is None:
            way = "too high" if found[0][index] > due[0][index] else "too low"
        off = amount(float(off_of(np.array([index]))[0]), unit)
        words = f"{verb} by {off}" if verb else f"{off} {way}"
        return Phrase(_said(found, index, unit), _said(due, index, unit), words)

    if size == 1:
        low, high = (lambda at, sign=sign: due[0][at] + sign * allowed_of(at) for sign in (-1, 1))
        plot = PlotSource(replace(seen, parts=found), low, high, position)
    else:
        plot = PlotSource(replace(seen, parts=found), None, level(tol), position, measure=off_of)
    evaluation = Evaluation.of_samples(
        seen, rule, phrase, noise=seen.noise_over,
        skipped=scope.skipped(seen), exact=not (tol or rel_tol), plot=plot,
        allowed=float(np.max(allowed_of(slice(None)), initial=0.0)) or None,
    )  # fmt: skip
    return _without_missing_moments(evaluation, undecided).verdict()


def told_of(what: str, verdict: Verdict) -> Verdict:
    """Return a verdict whose breaches say of what they are: the first one stands above all parts."""
    first, worst = (
        None if one is None else replace(one, words=f"its {what} {'' if one.words == _DIFFERS else 'is '}{one.words}")
        for one in (verdict.first, verdict.worst)
    )
    return replace(verdict, first=first, worst=worst)


def untested(signal: Signal) -> Verdict:
    """Return the verdict on a signal of which there is nothing, because its kind was not seen."""
    return Verdict(
        UNNAMED, Outcome.UNTESTED, signal.track.session.label, of="samples", why_untested=signal.track.unseen
    )


def _off(found: Sequence[Floats], due: Sequence[Floats], full: float | None, *, turns: bool = False) -> Floats:
    """Return how far values are from the expected ones: angles by the turn, vectors by the length of the difference.

    Of quaternions, which turn the same as their opposites, the nearer of the two counts.
    """
    with np.errstate(invalid="ignore"):
        if full is not None:
            return np.abs(turn_between(found[0], due[0], full))
        if len(found) == 1:
            return np.abs(found[0] - due[0])
        off = lengths([a - b for a, b in zip(found, due, strict=True)])
        return np.minimum(off, lengths([a + b for a, b in zip(found, due, strict=True)])) if turns else off


def _judge_same(measured: Signal, expected: Any, scope: Scope, verb: str) -> Verdict:
    """Judge flags or texts, which are the expected one or not."""
    same: Signal = measured == expected
    seen = scope.of(same)
    found = scope.of(replace(measured, valid=same.valid))
    due = scope.of(expected) if isinstance(expected, Signal) and len(expected) == len(measured) else None

    def phrase(index: int) -> Phrase:
        one = np.array([index])
        allowed = expected if due is None else due.take(one).values[0]
        return Phrase(_plain(found.take(one).values[0]), _plain(allowed), verb)

    evaluation = Evaluation.of_samples(seen, AllTrue(seen), phrase, exact=True, unit="", skipped=scope.skipped(seen))
    return _without_missing_moments(evaluation).verdict()


def _without_missing_moments(evaluation: Evaluation, undecided: int = 0) -> Evaluation:
    """Count values that are missing at their moments as undecided: what they would have been was not recorded."""
    more = evaluation.undecided + undecided
    if evaluation.of != "moments" or evaluation.swept is None:
        return replace(evaluation, undecided=more)
    return replace(evaluation, undecided=more + evaluation.swept.missing, swept=evaluation.swept._replace(missing=0))


def _said(parts: tuple[Floats, ...], index: int, unit: str) -> str:
    if len(parts) == 1:
        return amount(float(parts[0][index]), unit)
    return f"({', '.join(f'{number(float(part[index]))}' for part in parts)}) {unit}".rstrip()


def _plain(value: Any) -> str:
    if isinstance(value, bool | np.bool_):
        return "true" if value else "false"
    return repr(value) if isinstance(value, str) else str(value)
