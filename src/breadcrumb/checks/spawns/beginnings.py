"""Checks of how lifetimes begin: where, with what, and how they are spread."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from math import ceil
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.matching import pair_rows
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.picked import track_at
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Angle, Number, Vector
from breadcrumb.algebra.tracks import Track
from breadcrumb.checks.declaration import Common, check, demand, without_unit
from breadcrumb.checks.describing import in_words
from breadcrumb.checks.kinds import Place
from breadcrumb.checks.movement.arrivals import lands_on
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Floats, Ints
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.comparing import judge_near, judge_off
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict, all_of
from breadcrumb.verdicts.words import amount

SIGNIFICANCE = 1e-6
"""How often a fair draw may be called unfair."""
_ENOUGH = 5
"""How many draws of each place the chi-square approximation needs; Cochran's rule."""


@check("{objects} appears at {place:name}[ + {offset}]", passes_on=True)
def appears_at(
    objects: Objects,
    place: Place,
    *,
    offset: Sequence[float] | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert where objects appear: at a point, or where another object then is.

    It is `movement.lands_on` at the moments at which they appear.

    Args:
        objects: what appears, with a `position`.
        place: a point, one object, or its position.
        offset: what is added to the place.
        tol: how far off is still allowed, in the unit of the position.

    Returns:
        A verdict on every lifetime that was seen to appear. Untested if there is none. Its margin is `tol` less the
        largest distance.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace([{}, {"keg": {"position": (1.0, 2.0)}}], kinds={"keg": "barrel"})
        >>> appears_at(trace.all("barrel"), (1, 2)).outcome
        'held'
    """
    return lands_on(objects, place, at=objects.appears, offset=offset, tol=tol, **common)


@check("{objects} appears with [values?{values:pairs}|{properties:pairs}]", unit=without_unit, passes_on=True)
def appears_with(
    objects: Objects,
    values: Mapping[str, Any] | None = None,
    *,
    tol: float = 0.0,
    occasions: int = 1,
    occasions_each: int = 0,
    id: str = "",
    **properties: Any,
) -> Verdict:
    """Assert what properties objects have on the frame on which they appear.

    Args:
        objects: what appears.
        values: for each property a value, or a signal of one object that is taken at that instant; or a signal that was
            picked at moments which name what appears, such as `skiffs.speed.at(trace.events("flare.thrown")) + 2`.
        tol: how far off numbers may be, each in its own unit.
        occasions: the least number of occasions to test; with fewer, the rule is untested.
        occasions_each: the least number of occasions to test of each object.
        id: a name for the rule in results, instead of the one made from file, function, check and subject.
        properties: the same as `values`, for properties whose names can stand before an equals sign.

    Returns:
        A verdict on every property of every lifetime that was seen to appear. Untested if there is none. Its margin is
        the smallest one of any property.

    Raises:
        Misuse: there is no property to judge.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace([{}, {"keg": {"speed": 2.0, "full": True}}], kinds={"keg": "barrel"})
        >>> appears_with(trace.all("barrel"), speed=2.0, full=True).outcome
        'held'
    """
    expected = {**(values or {}), **properties}
    if not expected:
        raise Misuse("appears_with: expected a property with its value, such as speed=2.0")
    verdicts = []
    for name, value in expected.items():
        first = objects.signal(name).at(objects.appears)
        due = _at_appearance(value, objects.appears) if isinstance(value, Signal) else value
        each = demand(judge_near(first, due, tol=tol), objects, occasions=occasions, occasions_each=occasions_each)
        verdicts.append(each.with_sentence(f"its {name} is {in_words(value, '', first.unit.__str__)}"))
    return verdicts[0] if len(verdicts) == 1 else all_of(*verdicts)


def _at_appearance(value: Signal, appears: Moments) -> Signal:
    """Return the values that are due as objects appear: of those then, or picked at moments that name each of them.

    It is missing where no moment names the object.
    """
    track = value.track
    same = track.source is not None and all(map(np.array_equal, track.source, appears.rows))
    if track.source is None or track.participants is None or same or not len(value):
        return value.when(appears)
    found = pair_rows(appears.participants, track.participants)
    row_of = dict(zip(found.right_keys.tolist()[::-1], found.right.tolist()[::-1], strict=True))  # the first one counts
    rows = np.full(appears.count, NOBODY)
    rows[found.left] = [row_of.get(key, NOBODY) for key in found.left_keys.tolist()]
    safe = np.maximum(rows, 0)
    there = (rows != NOBODY) & value.usable[safe]
    return replace(value.take(safe), track=track_at(appears), valid=there)


@check("{signal:title} is one of {places:size} places, all of them, evenly", whole=True)
def spreads_over(
    signal: Number | Angle | Vector,
    places: Sequence[float] | Sequence[Sequence[float]],
    *,
    tol: float = 0.0,
    significance: float = SIGNIFICANCE,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that draws are always one of the places, that all places are used, and evenly enough.

    Evenness is judged by Pearson's chi-square test: a fair draw is called unfair as often as `significance` says. It
    takes five draws for each place. That a place was never drawn is judged as soon as a fair draw would leave one out
    no more often than that. With fewer draws the check is untested.

    Args:
        signal: the draws, picked at moments, such as `crew.position.at(placed)`.
        places: the numbers or points that may be drawn.
        tol: how far from a place is still on it, in the unit of the draws.
        significance: the share of fair sessions that may be called unfair by mistake.

    Returns:
        A verdict on every draw and on the whole of them. Untested if there were too few. Its margin is `tol` less the
        largest distance, or log10(p / significance).

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> faces = [{"die": {"face": float(throw % 2)}} for throw in range(12)]
        >>> trace = make_trace(faces, kinds={"die": "die"}, events=[(throw, "thrown", "die") for throw in range(12)])
        >>> spreads_over(trace.one("die").face.at(trace.events("thrown")), [0, 1]).outcome
        'held'
        >>> spreads_over(trace.one("die").face.at(trace.events("thrown")), range(6)).why_untested
        '12 draws of the 86 that would tell whether they are even, 2 was not drawn'
    """
    points = np.asarray(places, np.float64)
    points = points[:, None] if points.ndim == 1 else points
    draws = signal
    if points.shape[1] != len(draws.parts) and not draws.track.unseen:
        raise Misuse(
            f"spreads_over: places have {points.shape[1]} numbers each and {draws.title} has {len(draws.parts)}"
        )
    away = np.stack([
        np.sqrt(sum((part - value) ** 2 for part, value in zip(draws.parts, point, strict=True))) for point in points
    ])  # fmt: skip
    off = replace(draws, name="distance from the nearest place", parts=(away.min(axis=0),), known_noise=draws.noise)
    always = judge_off(off, tol).with_sentence("each draw is one of the places")
    if always.outcome != "held":
        return always
    counts = np.bincount(away.argmin(axis=0)[draws.usable], minlength=len(points))
    return all_of(always, evenness(draws.track, counts, points, significance)) if len(points) > 1 else always


def evenness(draws: Track | Moments, counts: Ints, points: Floats, significance: float) -> Verdict:
    """Return the verdict that all places are drawn, and evenly; untested if there are too few draws to tell."""
    total, size = int(counts.sum()), len(points)
    unused = int(counts.argmin()) if not counts.min() else -1
    left_out = size * (1 - 1 / size) ** total
    decided_by_count = unused >= 0 and left_out <= significance
    if not decided_by_count and (unused >= 0 or total < _ENOUGH * size):
        needed = ceil(np.log(significance / size) / np.log(1 - 1 / size)) if unused >= 0 else _ENOUGH * size
        left_out_too = f", {_point(points[unused])} was not drawn" if unused >= 0 else ""
        few = f"{total} draws of the {needed} that would tell whether they are even{left_out_too}"
        return Verdict(UNNAMED, Outcome.UNTESTED, draws.session.label, of="sets of draws", why_untested=few)
    unevenness = float(((counts - total / size) ** 2).sum() / (total / size))
    p = min(left_out, 1.0) if decided_by_count else _chance_of(unevenness, size)
    margin = np.array([np.log10(max(p, np.finfo(float).tiny) / significance)])
    last = int(draws.clock_index.max(initial=0))

    def phrase(index: int) -> Phrase:
        words = f"{_point(points[unused])} is never drawn" if unused >= 0 else "drawn unevenly"
        return Phrase(f"{counts.tolist()}, p = {p:.2g}", f"p of {significance:g} or more", words)

    nobody = np.array([NOBODY])
    evaluation = Evaluation(
        draws.session, np.array([last]), nobody, nobody, margin, phrase, of="sets of draws", unit="decades"
    )
    return evaluation.verdict().with_sentence("all places are drawn, evenly")


def _chance_of(unevenness: float, size: int) -> float:
    """Return how likely even draws of so many places are at least so uneven."""
    from scipy.special import chdtrc  # here: it takes longer to load than most checks take

    return float(chdtrc(size - 1, unevenness))


def _point(point: Floats) -> str:
    return amount(float(point[0]), "") if len(point) == 1 else f"({', '.join(f'{part:g}' for part in point)})"
