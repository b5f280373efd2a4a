"""Judging values against what they should be: within limits, or near an expected value."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from breadcrumb.algebra.angles import FULL_TURNS, turn_between
from breadcrumb.algebra.arithmetic import Operand
from breadcrumb.algebra.durations import is_number
from breadcrumb.algebra.meeting import meet
from breadcrumb.algebra.samples import both
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Floats, Ints
from breadcrumb.verdicts.excerpts import Picture, level
from breadcrumb.verdicts.judging import Case, Phrase, tolerance, within_scope
from breadcrumb.verdicts.sweeping import Between, SlackOf
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


class Scope(NamedTuple):
    """Which samples a check is asked about, and how many there must be."""

    during: Spans | None = None
    except_during: Spans | None = None
    occasions: int = 1
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
        """Return how many samples need no value: exempt ones, and those that reach back beyond a life's begin."""
        if signal.valid is None or self.during is not None or self.except_during is not None:
            return 0
        exempt = np.zeros(0, np.int64) if self.exempt is None else np.flatnonzero(self.exempt)
        if not self.reach:
            return len(exempt)
        track = signal.track
        begins = track.starts[track.session.lives.first[track.life[track.starts]] == track.row[track.starts]]
        return len(np.union1d(begins[~signal.valid[begins]], exempt))


EVERYTHING = Scope()


def judge_between(
    measured: Signal,
    low: float | None,
    high: float | None,
    sentence: str,
    *,
    tol: float = 0.0,
    scope: Scope = EVERYTHING,
    position: Signal | None = None,
) -> Verdict:
    """Judge that every value lies between two limits, each of which may be left out; the limits are inclusive."""
    seen = scope.of(measured)
    tol = tolerance(tol, sentence)
    values, unit = seen.parts[0], seen.unit

    rule = Between(seen, -np.inf if low is None else low - tol, np.inf if high is None else high + tol)

    def phrase(place: int) -> Phrase:
        limits = [f"at least {amount(low, unit)}"] if low is not None else []
        limits += [f"at most {amount(high, unit)}"] if high is not None else []
        way = "high" if high is not None and values[place] > high else "low"
        words = f"{amount(-float(rule(slice(place, place + 1))[0]), unit)} too {way}"
        return Phrase(amount(float(values[place]), unit), " and ".join(limits), words)

    lowest, highest = (None if one is None else level(one) for one in (low, high))
    span = high - low if low is not None and high is not None else None
    case = Case.of_samples(
        seen, rule, phrase, noise=lambda: seen.noise, skipped=scope.skipped(seen), allowed=span or None,
        picture=Picture(seen, lowest, highest, position),
    )  # fmt: skip
    return _without_missing_moments(case).verdict(sentence, scope.occasions)


def judge_off(
    off: Signal, tol: float, sentence: str, *, scope: Scope = EVERYTHING, position: Signal | None = None
) -> Verdict:
    """Judge that what was measured as a distance from what should be is no longer than a tolerance."""
    tol = tolerance(tol, sentence)
    values, unit = off.parts[0], off.unit

    def phrase(place: int) -> Phrase:
        far = float(values[place])
        return Phrase(amount(far, unit), f"at most {amount(tol, unit)}", f"{amount(far - tol, unit)} too far off")

    case = Case.of_samples(
        off, Between(off, -np.inf, tol), phrase, noise=lambda: off.noise, exact=not tol, allowed=tol or None,
        picture=Picture(off, None, level(tol), position),
    )  # fmt: skip
    return _without_missing_moments(case).verdict(sentence, scope.occasions)


def judge_flag(
    flag: Signal, sentence: str, said: Phrase, *, scope: Scope = EVERYTHING, position: Signal | None = None
) -> Verdict:
    """Judge that a flag is true everywhere; where it is not, the same is said of each."""
    if flag.track.unseen:
        return idle(flag, sentence)
    seen = scope.of(flag)
    values = seen.parts[0]
    case = Case.of_samples(
        seen, lambda block: values[block] - 1.0, lambda place: said, exact=True, unit="", skipped=scope.skipped(seen),
        picture=Picture(seen, position=position),
    )  # fmt: skip
    return _without_missing_moments(case).verdict(sentence, scope.occasions)


def judge_near(
    measured: Signal,
    expected: Operand | str,
    sentence: str,
    *,
    tol: float = 0.0,
    rel_tol: float = 0.0,
    scope: Scope = EVERYTHING,
    position: Signal | None = None,
    undecided: int = 0,
) -> Verdict:
    """Judge that every value is the expected one, give or take a tolerance: numbers, angles, vectors, flags or texts.

    Vectors are compared by the length of their difference, angles by the turn from one to the other. Of values that
    were picked at moments, the missing ones are undecided.
    """
    if measured.track.unseen:
        return idle(measured, sentence)
    if measured.texts is not None or measured.is_flag:
        return _judge_same(measured, expected, sentence, scope)
    mine, yours = meet(measured, expected)
    size = len(mine.parts)
    valid = both(mine.valid, yours.valid)

    def noise() -> float | Floats:
        return (np.asarray(mine.noise) + yours.noise) * size

    seen = scope.of(replace(mine, parts=(*mine.parts, *yours.parts), valid=valid, known_noise=noise))
    found, due = seen.parts[:size], seen.parts[size:]
    full = FULL_TURNS[mine.unit] if mine.is_angle else None
    tol, rel_tol = tolerance(tol, sentence), tolerance(rel_tol, sentence)
    unit = mine.unit

    def off_of(block: slice | Ints) -> Floats:
        return _off([part[block] for part in found], [part[block] for part in due], full)

    def allowed_of(block: slice | Ints) -> Floats | float:
        return tol + rel_tol * np.sqrt(sum(part[block] ** 2 for part in due)) if rel_tol else tol

    rule: SlackOf = lambda block: allowed_of(block) - off_of(block)  # noqa: E731
    if size == 1 and full is None and not rel_tol and is_number(expected):
        looked_at = measured if seen.track is measured.track else seen  # what is known of its extremes serves again
        rule = Between(looked_at, float(expected) - tol, float(expected) + tol)  # type: ignore[arg-type]

    def phrase(place: int) -> Phrase:
        way = "off"
        if size == 1 and full is None:
            way = "too high" if found[0][place] > due[0][place] else "too low"
        words = f"{amount(float(off_of(np.array([place]))[0]), unit)} {way}"
        return Phrase(_said(found, place, unit), _said(due, place, unit), words)

    if size == 1:
        low, high = (lambda at, sign=sign: due[0][at] + sign * allowed_of(at) for sign in (-1, 1))
        picture = Picture(replace(seen, parts=found), low, high, position)
    else:
        picture = Picture(replace(seen, parts=found), None, level(tol), position, measure=off_of)
    case = Case.of_samples(
        seen, rule, phrase, noise=lambda: seen.noise,
        skipped=scope.skipped(seen), exact=not (tol or rel_tol), picture=picture,
        allowed=float(np.max(allowed_of(slice(None)), initial=0.0)) or None,
    )  # fmt: skip
    return _without_missing_moments(case, undecided).verdict(sentence, scope.occasions)


def idle(signal: Signal, sentence: str) -> Verdict:
    """Return the verdict on a signal of which there is nothing, because its kind was not seen."""
    return Verdict(sentence, "idle", signal.track.session.label, of="samples", why_idle=signal.track.unseen)


def _off(found: Sequence[Floats], due: Sequence[Floats], full: float | None) -> Floats:
    """Return how far values are from the expected ones: angles by the turn, vectors by the length of the difference."""
    with np.errstate(invalid="ignore"):
        if full is not None:
            return np.abs(turn_between(found[0], due[0], full))
        if len(found) == 1:
            return np.abs(found[0] - due[0])
        squares = [np.square(a - b) for a, b in zip(found, due, strict=True)]
        return np.asarray(np.sqrt(sum(squares[1:], squares[0])))


def _judge_same(measured: Signal, expected: Any, sentence: str, scope: Scope) -> Verdict:
    """Judge flags or texts, which are the expected one or not."""
    if measured.texts is not None and isinstance(expected, Signal):
        same = _same_texts(measured, expected)
    else:
        same = measured == expected
    seen = scope.of(same)
    found = scope.of(replace(measured, valid=same.valid))
    due = scope.of(expected) if isinstance(expected, Signal) and len(expected) == len(measured) else None
    flags = seen.parts[0]

    def phrase(place: int) -> Phrase:
        one = np.array([place])
        allowed = expected if due is None else due.take(one).values[0]
        return Phrase(_plain(found.take(one).values[0]), _plain(allowed), "another one")

    case = Case.of_samples(
        seen, lambda block: flags[block] - 1.0, phrase, exact=True, unit="", skipped=scope.skipped(seen)
    )
    return _without_missing_moments(case).verdict(sentence, scope.occasions)


def _same_texts(first: Signal, second: Signal) -> Signal:
    if not first.track.same_as(second.track):
        raise Misuse(f"{first.name} and {second.name} have no samples in common; compare texts of the same objects")
    answer = np.asarray(first.values == second.values, np.bool_)
    valid = first.usable & second.usable
    return Signal(first.track, f"{first.name} == {second.name}", (answer,), valid, owner=first.owner)


def _without_missing_moments(case: Case, undecided: int = 0) -> Case:
    """Count values that are missing at their moments as undecided: what they would have been was not recorded."""
    more = case.undecided + undecided
    if case.of != "moments" or case.swept is None:
        return replace(case, undecided=more)
    return replace(case, undecided=more + case.swept.missing, swept=case.swept._replace(missing=0))


def _said(parts: tuple[Floats, ...], place: int, unit: str) -> str:
    if len(parts) == 1:
        return amount(float(parts[0][place]), unit)
    return f"({', '.join(f'{float(part[place]):.5g}' for part in parts)}) {unit}".rstrip()


def _plain(value: Any) -> str:
    if isinstance(value, bool | np.bool_):
        return "true" if value else "false"
    return repr(value) if isinstance(value, str) else str(value)
