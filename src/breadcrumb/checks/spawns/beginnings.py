"""Checks of how lives begin: where, with what, and how they are spread."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from breadcrumb.algebra.arithmetic import Operand
from breadcrumb.algebra.signals import Signal
from breadcrumb.checks.movement.arrivals import lands_on, said_of
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Floats, Ints
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_near, judge_off
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict, all_of
from breadcrumb.verdicts.words import amount, plus_minus

SIGNIFICANCE = 1e-6
"""How often a fair draw may be called unfair."""
_ENOUGH = 5
"""How many draws of each place the chi-square approximation needs; Cochran's rule."""


def appears_at(
    objects: Objects,
    place: Objects | Operand,
    *,
    offset: Sequence[float] | None = None,
    tol: float = 0.0,
    occasions: int = 1,
) -> Verdict:
    """Assert where objects appear: at a point, or where another object then is.

    It is `movement.lands_on` at the moments at which they appear.

    Args:
        objects: what appears, with a `position`.
        place: a point, one object, or its position.
        offset: what is added to the place.
        tol: how far off is still allowed, in the unit of the position.
        occasions: how many lives there must be at the least.

    Returns:
        A verdict on every life that was seen to appear. Idle if there is none. Its margin is `tol` less the largest
        distance.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace([{}, {"keg": {"position": (1.0, 2.0)}}], kinds={"keg": "barrel"})
        >>> appears_at(trace.all("barrel"), (1, 2)).outcome
        'held'
    """
    landed = lands_on(objects, place, at=objects.appears, offset=offset, tol=tol, occasions=occasions)
    point = position_of(place) if isinstance(place, Objects) else place
    where = said_of(point) + (f" + {tuple(offset)}" if offset is not None else "")
    return landed.saying(f"{objects.called} appears at {where}{plus_minus(tol, position_of(objects).unit)}")


def appears_with(objects: Objects, *, tol: float = 0.0, occasions: int = 1, **values: Any) -> Verdict:
    """Assert what properties objects have on the frame on which they appear.

    Args:
        objects: what appears.
        tol: how far off numbers may be, each in its own unit.
        occasions: how many lives there must be at the least.
        values: for each property a value, or a signal of one object that is taken at that instant.

    Returns:
        A verdict on every property of every life that was seen to appear. Idle if there is none. Its margin is that of
        the tightest property.

    Raises:
        Misuse: there is no property to judge.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace([{}, {"keg": {"speed": 2.0, "full": True}}], kinds={"keg": "barrel"})
        >>> appears_with(trace.all("barrel"), speed=2.0, full=True).outcome
        'held'
    """
    if not values:
        raise Misuse("appears_with: expected a property with its value, such as speed=2.0")
    verdicts = []
    for name, value in values.items():
        first = objects.signal(name).at(objects.appears)
        due = value.at(objects.appears) if isinstance(value, Signal) and value.track.source is None else value
        called = value.name if isinstance(value, Signal) else value
        sentence = f"{objects.called} appears with {name} {called}{plus_minus(tol, first.unit)}"
        verdicts.append(judge_near(first, due, sentence, tol=tol, scope=Scope(occasions=occasions)))
    return verdicts[0] if len(verdicts) == 1 else all_of(*verdicts)


def spreads_over(
    draws: Signal,
    places: Sequence[float] | Sequence[Sequence[float]],
    *,
    tol: float = 0.0,
    significance: float = SIGNIFICANCE,
    occasions: int = 1,
) -> Verdict:
    """Assert that draws are always one of the places, that all places are used, and evenly enough.

    Evenness is judged by Pearson's chi-square test: a fair draw is called unfair as often as `significance` says. With
    fewer than five draws for each place that is undecided; that a place was never drawn is judged as soon as a fair
    draw would leave one out no more often than that.

    Args:
        draws: the draws, picked at moments, such as `crew.position.at(placed)`.
        places: the numbers or points that may be drawn.
        tol: how far from a place is still on it, in the unit of the draws.
        significance: the share of fair sessions that may be called unfair by mistake.
        occasions: how many draws there must be at the least.

    Returns:
        A verdict on every draw and on the whole of them. Idle if there was none. Its margin is `tol` less the largest
        distance, or log10(p / significance).

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> spreads_over(trace.one("skiff").position.x.at(trace.events("bell.rung")), [1.0, 2.0, 3.0]).outcome
        'held'
    """
    points = np.asarray(places, np.float64)
    points = points[:, None] if points.ndim == 1 else points
    sentence = f"{draws.title} is one of {len(points)} places"
    away = np.stack([
        np.sqrt(sum((part - value) ** 2 for part, value in zip(draws.parts, point, strict=True))) for point in points
    ])  # fmt: skip
    off = replace(draws, name="distance from the nearest place", parts=(away.min(axis=0),), known_noise=draws.noise)
    always = judge_off(off, tol, sentence + plus_minus(tol, draws.unit), scope=Scope(occasions=occasions))
    if always.outcome != "held":
        return always
    counts = np.bincount(away.argmin(axis=0)[draws.usable], minlength=len(points))
    even = _evenness(draws, counts, points, significance)
    return always if even is None else all_of(always, even).saying(f"{sentence}, all of them, evenly")


def _evenness(draws: Signal, counts: Ints, points: Floats, significance: float) -> Verdict | None:
    """Return the verdict that all places are drawn evenly; None if there are too few draws to decide that."""
    from scipy.special import chdtrc  # here: it takes a while to load

    total, size = int(counts.sum()), len(points)
    unused = int(counts.argmin()) if not counts.min() else -1
    left_out = size * (1 - 1 / size) ** total
    decided_by_count = unused >= 0 and left_out <= significance
    if total < _ENOUGH * size and not decided_by_count:
        return None
    unevenness = float(((counts - total / size) ** 2).sum() / (total / size))
    p = min(left_out, 1.0) if decided_by_count else float(chdtrc(size - 1, unevenness))
    slack = np.array([np.log10(max(p, np.finfo(float).tiny) / significance)])
    last = int(draws.track.row.max(initial=0))

    def phrase(place: int) -> Phrase:
        words = f"{_point(points[unused])} is never drawn" if unused >= 0 else "drawn unevenly"
        return Phrase(f"{counts.tolist()}, p = {p:.2g}", f"p of {significance:g} or more", words)

    nobody = np.array([NOBODY])
    case = Case(
        draws.track.session, np.array([last]), nobody, nobody, slack, phrase, of="sets of draws", unit="decades"
    )
    return case.verdict(f"{total} draws of {draws.name} are even")


def _point(point: Floats) -> str:
    return amount(float(point[0]), "") if len(point) == 1 else f"({', '.join(f'{part:g}' for part in point)})"
