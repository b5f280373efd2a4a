"""Judging values against what they should be: within limits, or near an expected value."""

from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from breadcrumb.algebra.angles import FULL_TURNS, turn_between
from breadcrumb.algebra.arithmetic import Operand
from breadcrumb.algebra.meeting import meet
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase, forgive_noise, tolerance, within_scope
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


class Scope(NamedTuple):
    """Which samples a check is asked about, and how many there must be."""

    during: Spans | None = None
    except_during: Spans | None = None
    occasions: int = 1
    reach: int = 0
    """How many samples back a value reaches; it belongs to the spans if all of them do."""

    def of(self, signal: Signal) -> Signal:
        """Return the samples of a signal that are asked about."""
        return within_scope(signal, self.during, self.except_during, self.reach)


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
    above = np.inf if low is None else values - low
    below = np.inf if high is None else high - values
    slack = forgive_noise(np.minimum(above, below) + tol, seen.noise)

    def phrase(place: int) -> Phrase:
        limits = [f"at least {amount(low, unit)}"] if low is not None else []
        limits += [f"at most {amount(high, unit)}"] if high is not None else []
        way = "high" if high is not None and values[place] > high else "low"
        words = f"{amount(-float(slack[place]), unit)} too {way}"
        return Phrase(amount(float(values[place]), unit), " and ".join(limits), words)

    lowest, highest = (None if one is None else np.full(len(values), one) for one in (low, high))
    span = high - low if low is not None and high is not None else None
    case = Case.of_samples(seen, slack, phrase, allowed=span or None, picture=Picture(seen, lowest, highest, position))
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
    both = mine.usable & yours.usable
    mine = replace(mine, valid=None if both.all() else both)
    pair = _Pair(mine, tuple(np.broadcast_to(part, len(mine)) for part in yours.parts))
    noise = (np.zeros(len(mine)) + mine.noise + yours.noise) * len(mine.parts)
    kept = scope.of(replace(mine, parts=(pair.off(), noise, *mine.parts, *pair.expected)))
    off, noise = kept.parts[0], kept.parts[1]
    found, due = kept.parts[2 : 2 + len(mine.parts)], kept.parts[2 + len(mine.parts) :]
    allowed = tolerance(tol, sentence) + tolerance(rel_tol, sentence) * np.sqrt(sum(part * part for part in due))
    slack = forgive_noise(allowed - off, noise)
    unit = mine.unit

    def phrase(place: int) -> Phrase:
        way = "off"
        if len(found) == 1 and not mine.is_angle:
            way = "too high" if found[0][place] > due[0][place] else "too low"
        words = f"{amount(float(off[place]), unit)} {way}"
        return Phrase(_said(found, place, unit), _said(due, place, unit), words)

    if len(found) == 1:
        picture = Picture(replace(kept, parts=found), due[0] - allowed, due[0] + allowed, position)
    else:
        picture = Picture(replace(kept, parts=(off,), name="distance from the expected"), None, allowed, position)
    case = Case.of_samples(
        replace(kept, parts=(off,)), slack, phrase, exact=not (tol or rel_tol), picture=picture,
        allowed=float(allowed.max(initial=0.0)) or None,
    )  # fmt: skip
    return _without_missing_moments(case, undecided).verdict(sentence, scope.occasions)


def idle(signal: Signal, sentence: str) -> Verdict:
    """Return the verdict on a signal of which there is nothing, because its kind was not seen."""
    return Verdict(sentence, "idle", signal.track.session.label, of="samples", why_idle=signal.track.unseen)


class _Pair(NamedTuple):
    measured: Signal
    expected: tuple[Floats, ...]

    def off(self) -> Floats:
        """Return how far each value is from the expected one."""
        with np.errstate(invalid="ignore"):
            if self.measured.is_angle:
                full = FULL_TURNS[self.measured.unit]
                return np.abs(turn_between(self.measured.parts[0], self.expected[0], full))
            pairs = zip(self.measured.parts, self.expected, strict=True)
            squares = [np.square(np.asarray(a, np.float64) - b) for a, b in pairs]
            return np.asarray(np.sqrt(np.sum(squares, axis=0)))


def _judge_same(measured: Signal, expected: Any, sentence: str, scope: Scope) -> Verdict:
    """Judge flags or texts, which are the expected one or not."""
    if measured.texts is not None and isinstance(expected, Signal):
        same = _same_texts(measured, expected)
    else:
        same = measured == expected
    seen = scope.of(same)
    found = scope.of(replace(measured, valid=same.valid)).values
    due = scope.of(expected).values if isinstance(expected, Signal) and len(expected) == len(measured) else None

    def phrase(place: int) -> Phrase:
        allowed = expected if due is None else due[place]
        return Phrase(_plain(found[place]), _plain(allowed), "another one")

    slack = np.where(seen.parts[0], 0.0, -1.0) if len(seen) else np.zeros(0)
    case = Case.of_samples(seen, slack, phrase, exact=True, unit="")
    return _without_missing_moments(case).verdict(sentence, scope.occasions)


def _same_texts(first: Signal, second: Signal) -> Signal:
    if not first.track.same_as(second.track):
        raise Misuse(f"{first.name} and {second.name} have no samples in common; compare texts of the same objects")
    answer = np.asarray(first.values == second.values, np.bool_)
    valid = first.usable & second.usable
    return Signal(first.track, f"{first.name} == {second.name}", (answer,), valid, owner=first.owner)


def _without_missing_moments(case: Case, undecided: int = 0) -> Case:
    """Count values that are missing at their moments as undecided: what they would have been was not recorded."""
    if case.of != "moments" or case.judged is None:
        return replace(case, undecided=case.undecided + undecided)
    missing = int((~case.judged).sum())
    kept = np.flatnonzero(case.judged)
    said = case.phrase
    return replace(
        case, row=case.row[kept], life=case.life[kept], name=case.name[kept], slack=case.slack[kept],
        phrase=lambda place: said(int(kept[place])), judged=None, undecided=case.undecided + missing + undecided,
    )  # fmt: skip


def _said(parts: tuple[Floats, ...], place: int, unit: str) -> str:
    if len(parts) == 1:
        return amount(float(parts[0][place]), unit)
    return f"({', '.join(f'{float(part[place]):.5g}' for part in parts)}) {unit}".rstrip()


def _plain(value: Any) -> str:
    if isinstance(value, bool | np.bool_):
        return "true" if value else "false"
    return repr(value) if isinstance(value, str) else str(value)
